"""The documents of the program: where they are, what they are called, and their sections."""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path

from oak_sled.core.base.faults import close_match, refuse

SHARED = Path("share/doc/oak-sled")
SOURCES = Path(__file__).parents[4] / "docs"


@dataclass(frozen=True)
class Section:
    """A part of a page below a heading: the page, the heading, how deep it is, and its lines as they are written."""

    page: str
    heading: str
    depth: int
    text: str


def folder() -> Path | None:
    """The folder of the documents: those of the sources, or those that were installed; None where there are none."""
    for one in (SOURCES, Path(sys.prefix) / SHARED, Path(sys.base_prefix) / SHARED):
        if (one / "physics.md").is_file():
            return one
    return None


def pages() -> dict[str, Path]:
    """Every page by its name, in the order of the alphabet."""
    found = folder()
    return {} if found is None else {one.stem: one for one in sorted(found.glob("*.md"))}


def read(name: str) -> str:
    """The text of a page; raises `Refused` for one that there is not."""
    known = pages()
    if name not in known:
        raise refuse(name, "there is no such page", close_match(name, list(known)) if known else "an installed package")
    return known[name].read_text(encoding="utf-8")


def title_of(text: str) -> str:
    """The first heading of a page."""
    return next((line[2:].strip() for line in text.splitlines() if line.startswith("# ")), "")


def sections(name: str) -> list[Section]:
    """A page in its sections; what stands in a block of code is no heading."""
    found: list[Section] = []
    lines: list[str] = []
    heading, depth, in_code = "", 1, False
    for line in [*read(name).splitlines(), "# "]:
        in_code ^= line.startswith("```")
        marks = len(line) - len(line.lstrip("#"))
        if not in_code and 1 <= marks <= 4 and line[marks : marks + 1] == " ":
            if heading:
                found.append(Section(name, heading, depth, "\n".join(lines).strip()))
            heading, depth, lines = line[marks + 1 :].strip(), marks, []
        else:
            lines.append(line)
    return found
