"""All that can be gone to in the window, with its yard as it is now: what the finder searches."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

from oak_sled.core.base import document
from oak_sled.core.project import topics
from oak_sled.core.project.topics import Topic
from oak_sled.core.results import measures
from oak_sled.desk.app.commands import COMMANDS
from oak_sled.desk.app.places import PAGES, PANES
from oak_sled.desk.help.finder import Goal

if TYPE_CHECKING:
    from oak_sled.desk.app.window import Window


def every(window: Window) -> Iterator[Goal]:
    """Commands first, then places, what is in the yard, and the help."""
    for command in COMMANDS:
        if command.name != "find":
            facts = (("key", command.key),) if command.key else ()
            topic = Topic(f"do:{command.name}", "command", command.words.rstrip("."), command.key, facts)
            yield Goal(topic, partial(_trigger, window, command.name))
    for page in PAGES:
        yield Goal(Topic(f"to:{page.name}", "page", page.name, page.says), partial(window.show_page, page.name))
    for pane in PANES:
        yield Goal(Topic(f"to:{pane.name}", "pane", pane.name, pane.says), partial(_pane, window, pane.name))
    yield from _of_yard(window)
    for known in measures.MEASURES:
        topic = Topic(f"read:{known.name}", "measure", known.title, known.says)
        yield Goal(topic, partial(_measure, window, known.name))
    for one in topics.topics().values():
        yield Goal(replace(one, kind=f"help: {one.kind}"), partial(window.show_help, one.name))


def _of_yard(window: Window) -> Iterator[Goal]:
    yard, craft = window.session.yard, window.session.craft
    for drill in yard.drills:
        topic = Topic(f"drill:{drill.id}", "drill of this yard", drill.heading, "")
        yield Goal(topic, partial(window.session.edit, "bench.drill", drill.id))
    for other in yard.crafts:
        topic = Topic(f"craft:{other.id}", "craft of this yard", other.heading, "")
        yield Goal(topic, partial(window.session.edit, "bench.craft", other.id))
    for part in craft.parts:
        topic = Topic(f"strip:{part.id}", "part of this craft", part.heading, part.EXPLAINS)
        yield Goal(topic, partial(_part, window, part.id, ""))
    for path, dial, value in document.all_dials(craft):
        pieces = path.split(".")
        owner = pieces[1] if pieces[0] == "parts" and len(pieces) == 3 else "body" if pieces[0] == "body" else ""
        if owner:
            heading = "body" if owner == "body" else document.member(craft.parts, owner, "parts").heading.lower()
            title, says = f"{dial.heading} ({heading})", f"{dial.plain(value)} · {dial.says}"
            yield Goal(Topic(f"at:{path}", "dial", title, says), partial(_part, window, owner, pieces[-1]))


def _trigger(window: Window, name: str) -> None:
    window.acts[name].trigger()


def _pane(window: Window, name: str) -> None:
    window.show_page("Bench")
    window.show_pane(name)


def _part(window: Window, name: str, field: str) -> None:
    """Opens the strip of a part and puts the focus on a dial of it."""
    window.show_page("Bench")
    if window.desk.open_name != name:
        window.desk.open_strip(name)
    strip = window.desk.strip(name)
    if strip is None:
        return
    dial = strip.dials.get(field)
    (dial or strip.buttons["open"]).setFocus(Qt.FocusReason.ShortcutFocusReason)


def _measure(window: Window, name: str) -> None:
    _pane(window, "Measures")
    window.show_help(f"measure:{name}")
