"""What the documents promise is there: every line of the table of what must hold names a test that exists."""

from __future__ import annotations

import os
import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

import oak_sled
from oak_sled.core.base import disk
from oak_sled.core.compiler import cache
from oak_sled.core.files import inputs_csv, mesh_counts, mesh_file, picture, yard_json
from oak_sled.core.formulas import code, language
from oak_sled.core.geometry import terrain
from oak_sled.core.project import memory
from oak_sled.core.yard import drill, event, spreads
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Yard

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
    from oak_sled.core.parts import runnerforce

    assert Path(runnerforce.__file__).read_text(encoding="utf-8").count(compiling.EDIT[0]) == 1


LIMITS = (ROOT / "docs" / "limits.md").read_text(encoding="utf-8")


def bound(model, field):
    """The most entries that a field of a document takes."""
    return next(mark.max_length for mark in model.model_fields[field].metadata if hasattr(mark, "max_length"))


SAID = [
    (f"{yard_json.MOST_BYTES // 1_000_000} MB", "yard file"),
    (f"at most {disk.LONGEST:.0f} s", "a size before a byte is read"),
    (f"{mesh_file.MOST_BYTES // 1_000_000} MB", "mesh with all files"),
    (f"{terrain.MOST_TRIANGLES:,}", "triangles of a mesh"),
    (f"{mesh_counts.MOST_CORNERS:,}", "corners of a mesh file"),
    (
        f"{mesh_counts.MOST_PARTS:,}; {mesh_counts.MOST_NODES:,}; {mesh_counts.MOST_DEPTH}; "
        f"{mesh_counts.MOST_BYTES // 1_000_000} MB",
        "glTF: entries",
    ),
    (f"{picture.MOST_PIXELS} x {picture.MOST_PIXELS} pixels, {picture.MOST_BYTES // 1_000_000} MB", "picture for"),
    (f"{inputs_csv.MOST_ROWS:,} rows, {inputs_csv.MOST_LINE // 1_000_000} MB a line", "inputs as CSV"),
    (f"{inputs_csv.LATEST:,.0f} s", "inputs as CSV"),
    (f"{cache.MOST_BYTES // 1_000_000} MB", "compiled kernel |"),
    (
        ", ".join(str(bound(Yard, one)) for one in ("crafts", "grounds", "drills", "spreads", "cameras")),
        "crafts, grounds",
    ),
    (
        ", ".join(str(bound(Craft, one)) for one in ("parts", "channels", "numbers", "laws", "curves")),
        "parts, channels, named",
    ),
    (
        ", ".join(
            str(bound(Ground, one)) for one in ("blocks", "walls", "gates", "joints", "layers", "materials", "patches")
        ),
        "blocks, walls, gates",
    ),
    (f"{1 + bound(drill.Drill, 'cast')}; {bound(drill.Drill, 'twins')}", "crafts in one world"),
    (
        f"{drill.MOST_KNOTS:,}; {event.MOST_EVENTS}; {bound(drill.Drill, 'watch')}; {bound(drill.Drill, 'targets')}",
        "knots of an input",
    ),
    (f"{spreads.MOST_VARIANTS:,} runs of {bound(spreads.Spread, 'measures')} measures", "a spread"),
    (
        f"{language.LONGEST} characters, {language.DEEPEST} levels within each other, {code.MOST_STEPS} steps, "
        f"{code.MOST_NUMBERS} named numbers, exponents of quantities up to {language.LARGEST_EXPONENT}",
        "a formula",
    ),
    (f"{memory.DEFAULT_MB} MB", "The runs of cards"),
]


@pytest.mark.parametrize(("number", "line"), SAID, ids=lambda given: given[:30])
def test_the_page_of_limits_says_the_bounds_of_the_code(number, line):
    found = [one for one in re.split(r"\n(?=\||\n)", LIMITS) if line in one]
    assert any(number in " ".join(one.split()) for one in found), found


SHELL = [
    (page.name, block)
    for page in (ROOT / "docs" / "tutorial.md", ROOT / "docs" / "faq.md", ROOT / "docs" / "library.md")
    for block in re.findall(r"```sh\n(.*?)```", page.read_text(encoding="utf-8"), re.DOTALL)
]


def test_every_command_of_the_tutorial_works_one_after_another(tmp_path, monkeypatch):
    """The command line alone leads from nothing to a car of one's own."""
    from test_cli import call

    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("PATH", f"{Path(sys.executable).parent}:{os.environ['PATH']}")
    done = 0
    for page, block in SHELL:
        for line in block.splitlines():
            words = shlex.split(line)
            if words[0] == "oak-sled":
                told = call(*words[1:])
            else:
                told = subprocess.run(words, capture_output=True, text=True, timeout=120)
                assert told.returncode == 0, told.stderr
            assert told.stdout, (page, line)
            done += 1
    assert done >= 12
    better = oak_sled.open("better.json")
    assert better.run("pull").measures["time_to_10"] < oak_sled.open("mine.json").run("pull").measures["time_to_10"]


def test_every_command_named_in_the_documents_is_one():
    from oak_sled import cli

    known = {*cli.IN_ORDER, "dev", "bench", "shots", "tour", "soak", "compile"}
    for page in (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))):
        text = page.read_text(encoding="utf-8")
        for word in re.findall(r"(?:`|^ {4}|^)oak-sled ([a-z]+)\b", text, re.MULTILINE):
            assert word in known, f"{page.name}: oak-sled {word}"


def test_the_words_of_the_tutorial_are_those_of_the_window():
    from oak_sled.core.project import families, topics
    from oak_sled.core.results import measures

    text = (ROOT / "docs" / "tutorial.md").read_text(encoding="utf-8")
    yard = next(one for one in families.FAMILIES if one.name == "car").make()
    known = {"Measures", "Drill", "target", "at most this"} | {one.title for one in families.FAMILIES}
    known |= {drill.heading for drill in yard.drills} | {part.heading for part in yard.crafts[0].parts}
    known |= {topic.title.partition(" (")[0] for topic in topics.topics().values() if topic.kind == "dial"}
    known |= {one.title for one in measures.MEASURES}
    shown = set(re.findall(r"(?<!\*)\*([^*]+)\*(?!\*)", text))
    assert {word for word in shown if word.lower() not in {one.lower() for one in known}} == set()
