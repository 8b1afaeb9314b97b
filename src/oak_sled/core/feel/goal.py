"""A goal of tuning: words of feel and the targets of drills as terms of one kind, each a band with a weight."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.feel import character, telling
from oak_sled.core.results import measures
from oak_sled.core.yard.drill import Drill, Target
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.core.yard.yard import Yard

FADE = 0.1
"""Share of the size of a target by which it counts as far off as a band by its fade."""
FAR = 5.0
"""Fades from which on a term counts by their logarithm: one that is far off must not outshout all others."""
MISSED = 12.0
"""Fades that a quantity counts which is not shown, of a run that diverged as well."""
INSIDE, SHARE = 0.05, 0.25
"""Fades inside its band, and share of the width of the band at most, to which a search aims: what ends at an end is out
by a hair."""


@dataclass(frozen=True)
class Term:
    """A band that is asked for. of : the word or the drill that asks. weight : how much it counts."""

    of: str
    band: Band
    weight: float

    @property
    def title(self) -> str:
        """It in words."""
        return telling.title_of(self.band)

    def misses(self, value: float | None) -> float:
        """By how many fades a value misses the band: 0 inside, MISSED where it is not shown."""
        return MISSED if value is None else abs(self.band.off(value))

    def residual(self, value: float | None) -> float:
        """The same with a sign and with its weight, from a little inside the band; see FAR."""
        off = MISSED if value is None else aimed(self.band).off(value)
        size = abs(off)
        return math.sqrt(self.weight) * math.copysign(size if size <= FAR else FAR * (1.0 + math.log(size / FAR)), off)


def aimed(band: Band) -> Band:
    """The band at which a search aims: a little inside."""
    inside = INSIDE * band.fade
    if band.low is not None and band.high is not None:
        inside = min(inside, SHARE * (band.high - band.low))
    return band.replace(
        low=None if band.low is None else band.low + inside, high=None if band.high is None else band.high - inside
    )


@dataclass(frozen=True)
class Goal:
    """All that is asked for. wishes : words with their weights; drills : those whose targets count, with weights."""

    wishes: tuple[tuple[Wish, float], ...] = ()
    drills: tuple[tuple[str, float], ...] = ()

    def terms(self, yard: Yard) -> tuple[Term, ...]:
        """The terms of a goal; raises `Refused` where it asks for nothing, for what is not there, or where two bands of
        it contradict each other."""
        found = [
            Term(wish.id, band, weight * band.weight / sum(one.weight for one in wish.bands))
            for wish, weight in self.wishes
            for band in wish.bands
            if weight * band.weight > 0.0
        ]
        for wish, _ in self.wishes:
            character.check(yard, wish)
        for name, weight in self.drills:
            targets = yard.drill(name).targets
            whole = sum(one.weight for one in targets)
            found += [
                Term(name, band_of(yard.drill(name), one), weight * one.weight / whole)
                for one in targets
                if weight * one.weight > 0.0
            ]
        if not found:
            raise refuse("goal", "asks for nothing", "a word of feel, or a drill with targets")
        _agree(found)
        return tuple(found)


def band_of(drill: Drill, target: Target) -> Band:
    """A target of a drill as a band."""
    measures.measure(target.measure)
    ends = [abs(end) for end in (target.low, target.high) if end is not None]
    return Band(
        quantity=target.measure, drill=drill.id, low=target.low, high=target.high, fade=max(FADE * max(ends), 1e-6)
    )


def _agree(terms: Sequence[Term]) -> None:
    """Raises `Refused` where two terms ask for bands of one quantity that have nothing in common."""
    for place, one in enumerate(terms):
        for other in terms[:place]:
            if one.band.name != other.band.name:
                continue
            low = max((end for end in (one.band.low, other.band.low) if end is not None), default=-math.inf)
            high = min((end for end in (one.band.high, other.band.high) if end is not None), default=math.inf)
            if low > high:
                told = [f"{term.of} wants it {telling.wanted(term.band)}" for term in (other, one)]
                raise refuse(
                    f"goal.{one.title}", " and ".join(told), "words that agree, or a weight of 0 for one of the bands"
                )


def residuals(terms: Sequence[Term], values: Mapping[str, float | None]) -> Floats:
    """The residuals of terms, shape (terms,). values : by the names of their bands."""
    return np.array([term.residual(values.get(term.band.name)) for term in terms])


def misses(terms: Sequence[Term], values: Mapping[str, float | None]) -> Floats:
    """By how many fades each term is missed, without its weight, shape (terms,)."""
    return np.array([term.misses(values.get(term.band.name)) for term in terms])
