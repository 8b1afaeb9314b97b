"""Conditions that a step of a guided start waits for, judged from the present: the yard, the run shown, the place."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Protocol

from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.yard.yard import Yard


@dataclass(frozen=True)
class Seen:
    """The present, as a step judges it. measures : of the run shown, which is of the yard as it is; empty while there
    is none. place : the page and the pane shown. driven : whether a drive was kept since the guide began. pinned : the
    cards that are pinned. compared : the yard whose twins were last put in one table since then. games : running games
    that tell where they are; -1 while none is listened for."""

    yard: Yard
    drill: str
    measures: Mapping[str, float | None]
    place: tuple[str, str] = ("Bench", "Traces")
    driven: bool = False
    pinned: int = 0
    compared: Yard | None = None
    games: int = -1


class Condition(Protocol):
    """Something that a step waits for."""

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""


@dataclass(frozen=True)
class Lies:
    """A number of the yard lies between two bounds, or a choice is one of `of`."""

    path: str
    low: float = -float("inf")
    high: float = float("inf")
    of: tuple[Any, ...] = ()

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        try:
            value = document.get(seen.yard, self.path)
        except Refused:
            return False
        return value in self.of if self.of else self.low <= value <= self.high


@dataclass(frozen=True)
class Shows:
    """The run shown is of a drill, and a measure of it lies between two bounds."""

    drill: str
    measure: str
    low: float = -float("inf")
    high: float = float("inf")

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        value = seen.measures.get(self.measure) if seen.drill == self.drill else None
        return value is not None and self.low <= value <= self.high


@dataclass(frozen=True)
class Has:
    """The craft on the bench has so many parts of a kind."""

    kind: str
    count: int = 1

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        craft = seen.yard.craft(seen.yard.bench.craft)
        return sum(getattr(part, "kind", "") == self.kind for part in craft.parts) >= self.count


@dataclass(frozen=True)
class At:
    """A page or a pane is shown."""

    name: str

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        return self.name in seen.place


@dataclass(frozen=True)
class OnBench:
    """A drill is on the bench."""

    drill: str

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        return seen.drill == self.drill


@dataclass(frozen=True)
class Driven:
    """The craft was driven by hand, and the drive was kept."""

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        return seen.driven


@dataclass(frozen=True)
class Linked:
    """Games are listened for, and so many of them tell where they are."""

    games: int = 0

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        return seen.games >= self.games


@dataclass(frozen=True)
class Pinned:
    """A card of the shelf is pinned."""

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        return seen.pinned > 0


@dataclass(frozen=True)
class Compared:
    """The twins were put in one table, of a yard in which some things were so."""

    so: tuple[Condition, ...] = ()

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        if seen.compared is None:
            return False
        then = replace(seen, yard=seen.compared)
        return all(one.met(then) for one in self.so)


@dataclass(frozen=True)
class Either:
    """One of two is so, as where a later step takes back what an earlier one asked for."""

    one: Condition
    other: Condition

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        return self.one.met(seen) or self.other.met(seen)


@dataclass(frozen=True)
class DrillHas:
    """A drill that was not there at first is on the bench, with tracks and targets."""

    known: tuple[str, ...]
    tracks: int = 0
    targets: int = 0

    def met(self, seen: Seen) -> bool:
        """True if it is so now."""
        if seen.drill in self.known:
            return False
        drill = seen.yard.drill(seen.drill)
        return len(drill.tracks) >= self.tracks and len(drill.targets) >= self.targets
