"""The shelf: runs that were kept, each with what was changed against the run before it."""

from __future__ import annotations

import dataclasses
import functools
import threading
import time
import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.document import Frozen
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.base.units import split
from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.ratings import Rating
from oak_sled.core.results import measures, run
from oak_sled.core.results.run import Run

MOST_SHOWN = 10
"""Entries of a list that are shown one by one."""
TRAIL = 120
"""Points of the path that a card shows."""


class Kept:
    """The run of a card: in memory, or to be had again from its documents or its file.

    again : makes the run when it is wanted; None when it is nowhere but here. digest : the fingerprint that the run
    had when it was kept, or "". Safe to ask from any thread.
    """

    def __init__(self, made: Run | None, again: Callable[[], Run] | None, digest: str = ""):
        self._made, self._again, self._digest = made, again, digest
        self._lock = threading.Lock()
        self.differs = False
        """True if running it again gave another result than was kept."""
        self.unreadable = False
        """True if it was asked for once and could not be had."""
        self.readings: measures.Readings | None = None
        """Reads its measures as they are asked for, and holds the run as long as not all of them were."""
        self.size = 0
        """Bytes that the run took when it was last in memory; 0 while that is not known."""
        if made is not None:
            BUDGET.use(self)

    @property
    def ready(self) -> Run | None:
        """The run, if it is in memory."""
        return self._made

    @property
    def digest(self) -> str:
        """The fingerprint that the run had when it was kept."""
        if not self._digest and self._made is not None:
            self._digest = self._made.digest
        return self._digest

    def load(self) -> Run:
        """The run, had again if need be; raises `Refused` when its file is damaged."""
        with self._lock:
            if self._made is None:
                assert self._again is not None
                try:
                    self._taken(self._again())
                except Refused:
                    self.unreadable = True
                    raise
            assert self._made is not None
            made = self._made
        BUDGET.use(self)
        return made

    def take(self, made: Run) -> None:
        """Keeps a run that was had again."""
        self._taken(made)
        BUDGET.use(self)

    def _taken(self, made: Run) -> None:
        self.differs = bool(self._digest) and made.digest != self._digest
        self._made = made

    def release(self) -> None:
        """Lets the run go, if it can be had again; else puts it on disk. Raises `Refused` where it cannot be."""
        with self._lock:
            made = self._made
            if made is None:
                return
            self.size = made.nbytes
            if self.readings is not None:
                self.readings.settle()
                self.readings = None
            if self._again is not None:
                self._digest = self.digest
                self._made = None
            elif BUDGET.to_disk is not None:
                self._made = made.with_record(BUDGET.to_disk(made.record))


@dataclass(frozen=True, eq=False)
class Card:
    """A kept run. says : what was changed; found : its measures; title : a name the user gave it, or "".

    trail : its path from above, thinned, shape (n, 2), m. message : what a run that diverged said, or "".
    seconds : how long it lasted. ratings : what hands found of its craft that did not know which they drove.
    """

    job: Job
    kept: Kept = field(repr=False)
    says: str
    found: Mapping[str, float | None] = field(repr=False)
    trail: Floats = field(repr=False)
    live: bool = False
    message: str = ""
    seconds: float = 0.0
    when: float = field(default_factory=time.time)
    id: str = field(default_factory=lambda: uuid.uuid4().hex[:12])
    title: str = ""
    pinned: bool = False
    starred: bool = False
    ratings: tuple[Rating, ...] = ()

    @property
    def heading(self) -> str:
        """Title of the card."""
        return self.title or self.says

    @property
    def unreadable(self) -> bool:
        """True if its run was asked for and could not be had."""
        return self.kept.unreadable

    @property
    def run(self) -> Run:
        """The run, had again if need be, which may take a while; raises `Refused`."""
        return self.kept.load()

    def changed(self, **fields: Any) -> Card:
        """The card with some fields changed."""
        return dataclasses.replace(self, **fields)


def trail_of(made: Run) -> Floats:
    """The path of a run from above, at most `TRAIL` + 2 points, shape (n, 2), m."""
    step = max(1, -(-made.ticks // TRAIL))
    rows = np.append(np.arange(0, made.ticks, step), made.ticks)
    return np.stack([made.column("position.x")[rows], made.column("position.y")[rows]], axis=1)


def card_of(made: Run, says: str, found: Mapping[str, float | None] | None = None) -> Card:
    """A new card for a run, with its measures."""
    again = None if made.live else functools.partial(run.execute, made.job)
    readings = measures.Readings(made) if found is None else found
    kept = Kept(made, again)
    kept.readings = readings if isinstance(readings, measures.Readings) else None
    return Card(
        made.job,
        kept,
        says,
        readings,
        trail_of(made),
        made.live,
        made.message,
        made.duration,
    )


def with_card(shelf: tuple[Card, ...], card: Card) -> tuple[Card, ...]:
    """The shelf with one card more at the front. Every try is kept; old runs leave memory (see `memory`), not the
    shelf."""
    return (card, *shelf)


@dataclass(frozen=True)
class Change:
    """A setting that differs between two jobs, in words: where, before, after."""

    where: str
    before: str
    after: str

    def __str__(self) -> str:
        return f"{self.where} {self.before} \N{RIGHTWARDS ARROW} {self.after}"


def changes(old: Job, new: Job) -> tuple[Change, ...]:
    """The settings that differ between two jobs, in words a card can show."""
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
    where = words_at(after, path)
    unit_before, unit_after = _unit(before, path), _unit(after, path)
    was, now = _told(before, path, was), _told(after, path, now)
    texts = _value(was, unit_before), _value(now, unit_after)
    if isinstance(was, float) and isinstance(now, float) and unit_before == unit_after:
        numbers = split(was, unit_before), split(now, unit_after)
        if numbers[0][1] == numbers[1][1]:
            texts = numbers[0][0], f"{numbers[1][0]} {numbers[1][1]}".strip()
    return Change(where, *texts)


def _told(parent: Frozen, path: str, value: Any) -> Any:
    """A number with the sign that its dial tells it with."""
    found = document.dial_at(parent, path) if isinstance(value, float) else None
    return value if found is None else found.sign * value


def _unit(parent: Frozen, path: str) -> str:
    found = document.dial_at(parent, path)
    return "" if found is None else found.unit


def _value(value: Any, unit: str) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return " ".join(split(value, unit)).strip()
    if isinstance(value, tuple):
        plain = len(value) <= MOST_SHOWN and not any(isinstance(one, Frozen) for one in value)
        short = ", ".join(map(str, value)) if plain else ""
        return "none" if not value else short if 0 < len(short) < 30 else _count(len(value))
    return str(value).replace("_", " ") or "none"


def _count(number: int) -> str:
    return "1 entry" if number == 1 else f"{number} entries"


def words_of(path: str) -> str:
    """A path in words: "parts.fan.thrust" becomes "fan thrust"."""
    pieces = [
        piece for piece in path.split(".") if piece not in ("parts", "channels", "body", "start", "walls", "gates")
    ]
    return " ".join(pieces).removesuffix("_deg").replace("_", " ")


def words_at(parent: Frozen, path: str) -> str:
    """A path below a document in words: "parts.runners.side_grip" becomes "runners lateral friction", as its dial is
    called."""
    return words_of(words_path(parent, path))


def words_path(parent: Frozen, path: str) -> str:
    """A path below a document whose last piece is what its dial is called."""
    dial = document.dial_at(parent, path)
    return path if dial is None else ".".join([*path.split(".")[:-1], dial.heading])


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


def cards_named(names: Sequence[float | str], cards: Sequence[Card]) -> list[Card]:
    """Cards of a shelf by their ids or headings; those of the words all and starred. Raises `Refused`."""
    found: list[Card] = []
    for name in names:
        if name in ("all", "starred"):
            found += [card for card in cards if name == "all" or card.starred]
            continue
        alike = [card for card in cards if str(name) in (card.id, card.heading)]
        if not alike:
            known = ", ".join(repr(card.heading) for card in cards[-6:]) or "there is none beside this yard"
            raise refuse("card", f"there is no card {str(name)!r} on the shelf", f"all, starred, or one of: {known}")
        found += alike[-1:]
    return found
