"""`python -m oak_sled` is the command line."""

from oak_sled.cli import main

main()
