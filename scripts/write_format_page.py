"""Writes docs/yard-format.md and the schema file that the package carries, from the declarations."""

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.files.format_page import page

ROOT = Path(__file__).parents[1]
ROOT.joinpath("docs/yard-format.md").write_text(page(), encoding="utf-8")
ROOT.joinpath("src/oak_sled/yard.schema.json").write_text(yard_json.schema_text(), encoding="utf-8")
