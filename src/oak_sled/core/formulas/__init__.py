"""Formulas: laws that the user writes, read by our own parser, held to their dimensions, run inside the kernel."""
