"""Topics of what only the window has: its pages, panes and commands."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

from oak_sled.core.project.topics import Topic
from oak_sled.core.results import measures

DOCUMENTS = {
    "Ground": ("document:ground", "document:block", "document:volume", "page:physics"),
    "Drill": ("document:drill", "document:start", "document:channel", "page:measures"),
    "Build": ("document:body", "page:physics"),
    "Spread": ("page:command-line",),
    "Character": ("page:feel",),
    "Hand-over": ("page:hand-over",),
    "Measures": ("page:measures", "page:cautions"),
    "Laws": ("page:formulas",),
    "Ledger": ("page:glossary", "page:physics"),
}
"""The topics to which a page or a pane leads on."""


class Place(Protocol):
    """A page or a pane as it is declared."""

    @property
    def name(self) -> str:
        """Its name."""

    @property
    def key(self) -> str:
        """Its key."""

    @property
    def says(self) -> str:
        """Its purpose, in a line."""


class Act(Protocol):
    """A command as it is declared."""

    @property
    def name(self) -> str:
        """Its name in the code."""

    @property
    def words(self) -> str:
        """Its name in the menu."""

    @property
    def key(self) -> str:
        """Its key; "" for none."""


def topics_of(pages: Iterable[Place], panes: Iterable[Place], commands: Sequence[Act]) -> dict[str, Topic]:
    """The topics of pages, panes and commands, by name."""
    found: list[Topic] = []
    shown = tuple(f"measure:{one.name}" for one in measures.MEASURES)
    for front, what, places in (("window", "page", pages), ("pane", "pane", panes)):
        for one in places:
            links = DOCUMENTS.get(one.name, ()) + (shown if one.name == "Measures" else ())
            title = f"The {what} {one.name}"
            found.append(Topic(f"{front}:{one.name}", "place", title, one.says, (("key", one.key),), "", links))
    for command in commands:
        if not command.words.startswith(("Page:", "Pane:")):
            facts = (("key", command.key),) if command.key else ()
            found.append(Topic(f"command:{command.name}", "command", command.words.rstrip("."), "", facts))
    return {one.name: one for one in found}
