"""The shelf: runs that were kept, each with what was changed against the run before it."""

from __future__ import annotations

import dataclasses
import time
import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from oak_sled.core import document, measures
from oak_sled.core.document import Frozen
from oak_sled.core.run import Run
from oak_sled.core.units import split
from oak_sled.core.world import Job

MOST_CARDS = 200


@dataclass(frozen=True, eq=False)
class Card:
    """A kept run. says : what was changed; title : a name the user gave it, or ""."""

    run: Run
    says: str
    found: Mapping[str, float | None] = field(repr=False)
    when: float = field(default_factory=time.time)
    id: str = field(default_factory=lambda: uuid.uuid4().hex[:12])
    title: str = ""
    pinned: bool = False
    starred: bool = False

    @property
    def heading(self) -> str:
        """What stands on the card."""
        return self.title or self.says

    def changed(self, **fields: Any) -> Card:
        """The card with some fields changed."""
        return dataclasses.replace(self, **fields)


def card_of(run: Run, says: str, found: Mapping[str, float | None] | None = None) -> Card:
    """A new card for a run, with its measures."""
    return Card(run, says, measures.Readings(run) if found is None else found)


def with_card(shelf: tuple[Card, ...], card: Card) -> tuple[Card, ...]:
    """The shelf with one card more at the front; beyond the most it holds, the oldest plain card goes."""
    cards = (card, *shelf)
    while len(cards) > MOST_CARDS:
        plain = [old for old in cards[1:] if not (old.pinned or old.starred)]
        if not plain:
            break
        cards = tuple(old for old in cards if old is not plain[-1])
    return cards


@dataclass(frozen=True)
class Change:
    """A setting that differs between two jobs, in words: where, before, after."""

    where: str
    before: str
    after: str

    def __str__(self) -> str:
        return f"{self.where} {self.before} \N{RIGHTWARDS ARROW} {self.after}"


def changes(old: Job, new: Job) -> tuple[Change, ...]:
    """What differs in settings between two jobs, in words a card can show."""
    found = []
    if old.ticks != new.ticks:
        found.append(Change("ticks/s", str(old.ticks), str(new.ticks)))
    if old.integrator != new.integrator:
        found.append(Change("integrator", old.integrator.replace("_", "-"), new.integrator.replace("_", "-")))
    for name in ("craft", "drill", "ground"):
        before, after = getattr(old, name), getattr(new, name)
        if name == "ground" and old.drill.id != new.drill.id:
            continue  # a drill brings its ground
        if before.id != after.id:
            found.append(Change(name, before.heading, after.heading))
            continue
        for path, was, now in document.differences(before, after):
            found.append(_change(before, after, path, was, now))
    return tuple(found)


def _change(before: Frozen, after: Frozen, path: str, was: Any, now: Any) -> Change:
    if was is None or (now is None and hasattr(was, "id")):
        if hasattr(now, "id"):
            return Change(words_of(path), "none", "fitted")
        if hasattr(was, "id"):
            return Change(words_of(path), "fitted", "none")
    unit_before, unit_after = _unit(before, path), _unit(after, path)
    texts = _value(was, unit_before), _value(now, unit_after)
    if isinstance(was, float) and isinstance(now, float) and unit_before == unit_after:
        numbers = split(was, unit_before), split(now, unit_after)
        if numbers[0][1] == numbers[1][1]:
            texts = numbers[0][0], f"{numbers[1][0]} {numbers[1][1]}".strip()
    return Change(words_of(path), *texts)


def _unit(parent: Frozen, path: str) -> str:
    for found, dial, _ in document.all_dials(parent):
        if found == path:
            return dial.unit
    return ""


def _value(value: Any, unit: str) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return " ".join(split(value, unit)).strip()
    if isinstance(value, tuple):
        return (
            "none" if not value else (", ".join(map(str, value)) if len(str(value)) < 30 else f"{len(value)} entries")
        )
    return str(value).replace("_", " ") or "none"


def words_of(path: str) -> str:
    """A path in words: "parts.fan.thrust" becomes "fan thrust"."""
    pieces = [
        piece for piece in path.split(".") if piece not in ("parts", "channels", "body", "start", "walls", "gates")
    ]
    return " ".join(pieces).removesuffix("_deg").replace("_", " ")


def says(old: Job | None, new: Job) -> str:
    """One line that says what was changed against the run before."""
    if old is None:
        return "start"
    found = changes(old, new)
    if not found:
        return "same settings again"
    rest = f" and {len(found) - 1} more" if len(found) > 1 else ""
    return f"{found[0]}{rest}"


def measure_changes(old: Card, new: Card) -> list[tuple[measures.Measure, float | None, float | None]]:
    """Measures that differ between two cards, as (measure, old, new)."""
    found = []
    for known in measures.MEASURES:
        before, after = old.found.get(known.name), new.found.get(known.name)
        if before != after:
            found.append((known, before, after))
    return found
