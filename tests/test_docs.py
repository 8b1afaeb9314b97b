"""What the documents promise is there: every line of the table of what must hold names a test that exists."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PAGE = (ROOT / "docs" / "physics.md").read_text(encoding="utf-8")
ROWS = [line for line in PAGE.partition("## What must hold")[2].splitlines() if line.startswith("| ")][2:]


def test_the_table_is_found():
    assert len(ROWS) > 20


@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.split("|")[1].strip()[:40])
def test_every_line_of_what_must_hold_names_tests_that_exist(row):
    named = re.findall(r"`(test_\w+\.py)::(test_\w+)`", row)
    assert named
    for file, test in named:
        text = (ROOT / "tests" / "core" / file).read_text(encoding="utf-8")
        assert re.search(rf"^def {test}\(", text, re.MULTILINE), f"{file}::{test}"


@pytest.mark.parametrize(
    "page", sorted([ROOT / "README.md", *(ROOT / "docs").glob("*.md")]), ids=lambda page: page.name
)
def test_links_within_the_repository_lead_somewhere(page):
    for target in re.findall(r"\]\(([^)#:\s]+)(?:#[^)]*)?\)", page.read_text(encoding="utf-8")):
        assert (page.parent / target).exists(), target


def test_the_line_of_a_law_that_the_bench_edits_is_there():
    from oak_sled.bench import compiling
    from oak_sled.core.parts import runner

    assert Path(runner.__file__).read_text(encoding="utf-8").count(compiling.EDIT[0]) == 1
