"""Writes the pages of docs/ that come from declarations, and the schema file that the package carries."""

from pathlib import Path

from oak_sled import cli
from oak_sled.commands import manpage
from oak_sled.core.feel import page as feel
from oak_sled.core.files import run_table, yard_json
from oak_sled.core.files.format_page import page
from oak_sled.core.link import messages
from oak_sled.core.parts import caution
from oak_sled.core.results import measures
from oak_sled.desk.app import commands

ROOT = Path(__file__).parents[1]
ROOT.joinpath("docs/yard-format.md").write_text(page(), encoding="utf-8")
ROOT.joinpath("docs/cautions.md").write_text(caution.page(), encoding="utf-8")
ROOT.joinpath("docs/measures.md").write_text(measures.page(), encoding="utf-8")
ROOT.joinpath("docs/feel.md").write_text(feel.page(), encoding="utf-8")
ROOT.joinpath("docs/commands.md").write_text(commands.page(), encoding="utf-8")
ROOT.joinpath("docs/live-link.md").write_text(messages.page(), encoding="utf-8")
ROOT.joinpath("docs/live-link.schema.json").write_text(messages.schema_text(), encoding="utf-8")
ROOT.joinpath("src/oak_sled/yard.schema.json").write_text(yard_json.schema_text(), encoding="utf-8")

HEAD, TAIL = "<!-- columns: written by scripts/write_pages.py -->\n", "<!-- end of columns -->"
COMMANDS = ROOT / "docs/command-line.md"
before, _, rest = COMMANDS.read_text(encoding="utf-8").partition(HEAD)
COMMANDS.write_text(before + HEAD + run_table.columns_page() + TAIL + rest.partition(TAIL)[2], encoding="utf-8")

ROOT.joinpath("src/oak_sled/man/oak-sled.1").write_text(manpage.page(cli.app), encoding="utf-8")
