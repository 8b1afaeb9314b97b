"""Writes docs/yard-format.md from the declarations."""

from pathlib import Path

from oak_sled.core.files.format_page import page

Path(__file__).parents[1].joinpath("docs/yard-format.md").write_text(page(), encoding="utf-8")
