"""The ways between the dials of the bench and the page Spread."""

from __future__ import annotations

import functools
from typing import Protocol

from oak_sled.desk.spread.page import SpreadPage
from oak_sled.desk.strips.forcedesk import ForceDesk
from oak_sled.desk.work.session import Session


class Host(Protocol):
    """The window, with its pages and desk."""

    session: Session
    spread_page: SpreadPage

    @property
    def desk(self) -> ForceDesk:
        """The force desk."""

    def show_page(self, name: str) -> None:
        """Shows a page."""


def connect(window: Host) -> None:
    """Joins what asks for a spread, or for a dial, to where that is."""
    window.session.vary_wanted.connect(functools.partial(vary, window))
    window.spread_page.dial_wanted.connect(functools.partial(go_to_dial, window))


def vary(window: Host, path: str) -> None:
    """Varies a dial in a spread, and shows that."""
    beside = window.spread_page.isVisible()
    window.show_page("Spread")
    window.spread_page.vary(path, beside)


def go_to_dial(window: Host, path: str) -> None:
    """Shows the dial at a path on the bench, its strip open."""
    pieces = path.split(".")
    if pieces[0] == "crafts" and pieces[1] != window.session.craft.id:
        window.session.choose("craft", pieces[1])
    window.show_page("Bench")
    name = pieces[3] if len(pieces) == 5 and pieces[2] == "parts" else "body"
    if window.desk.open_name != name:
        window.desk.open_strip(name)
    strip = window.desk.strip(name)
    if strip is not None and pieces[-1] in strip.dials:
        strip.dials[pieces[-1]].setFocus()
