"""The difference between two kept runs as a change list: what was turned, from what to what, and why.

The reason of a change is the card that made it: the name that its user gave it, else what it moved of what is measured.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from oak_sled.core.base import units
from oak_sled.core.project import shelf
from oak_sled.core.project.shelf import Card, Change

MOST_MOVED = 2
"""Measures that a card names as what it moved."""


def lines(old: Card, new: Card, cards: Sequence[Card] = ()) -> list[str]:
    """A line a change: "fan thrust 620 → 700 N, because drill time 13.9 → 13.2 s". cards : the shelf that both are of,
    in any order."""
    between = sorted((card for card in cards if old.when < card.when < new.when), key=lambda card: card.when)
    return [f"{change}{_because(change, old, [*between, new])}" for change in shelf.changes(old.job, new.job)]


def _because(change: Change, old: Card, then: Sequence[Card]) -> str:
    before = old
    for card in then:
        if change in shelf.changes(old.job, card.job):
            if card.title:
                return f", because {card.title}"
            moved = moves(before, card)
            return f", because {' and '.join(moved)}" if moved else ""
        before = card
    return ""


def moves(old: Card, new: Card, most: int = MOST_MOVED) -> list[str]:
    """Measures that moved most between two runs of the same drill, each in words: what its targets ask for first."""
    if old.job.drill.id != new.job.drill.id:
        return []
    wanted = [target.measure for target in new.job.drill.targets]
    found = []
    for known, before, after in shelf.measure_changes(old, new):
        if before is None or after is None or max(abs(before), abs(after)) <= units.floor_of(known.unit):
            continue
        share = abs(after - before) / max(abs(before), abs(after))
        if share > 0.002 and math.isfinite(share):
            first, then = (units.number(value, known.unit) for value in (before, after))
            words = f"{known.title} {first} \N{RIGHTWARDS ARROW} {then} {units.pretty(units.name_of(known.unit))}"
            found.append((known.name not in wanted, -share, words.strip()))
    return [words for _, _, words in sorted(found)[:most]]


def page(old: Card, new: Card, cards: Sequence[Card] = ()) -> str:
    """The list in Markdown, with the measures that differ below it."""
    made = [f"# From {old.heading} to {new.heading}", "", f"{new.job.craft.heading}, {new.job.drill.heading}.", ""]
    changed = lines(old, new, cards)
    made += [f"- {line}" for line in changed] or ["The settings are the same."]
    measured = shelf.measure_changes(old, new)
    if measured:
        made += ["", "| measure | before | after | unit |", "| --- | --- | --- | --- |"]
        for known, before, after in measured:
            cells = [units.told(before, known.unit), units.told(after, known.unit), units.name_of(known.unit)]
            made.append(f"| {known.title} | {' | '.join(cells)} |")
    return "\n".join(made) + "\n"
