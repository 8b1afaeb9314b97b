"""Writes docs/yard-format.md, the columns in docs/command-line.md, and the schema file that the package carries, from
the declarations."""

from pathlib import Path

from oak_sled.core.files import run_table, yard_json
from oak_sled.core.files.format_page import page

ROOT = Path(__file__).parents[1]
ROOT.joinpath("docs/yard-format.md").write_text(page(), encoding="utf-8")
ROOT.joinpath("src/oak_sled/yard.schema.json").write_text(yard_json.schema_text(), encoding="utf-8")

HEAD, TAIL = "<!-- columns: written by scripts/write_format_page.py -->\n", "<!-- end of columns -->"
COMMANDS = ROOT / "docs/command-line.md"
before, _, rest = COMMANDS.read_text(encoding="utf-8").partition(HEAD)
COMMANDS.write_text(before + HEAD + run_table.columns_page() + TAIL + rest.partition(TAIL)[2], encoding="utf-8")
