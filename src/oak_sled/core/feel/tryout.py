"""Tries numbers of a craft: a yard with dials elsewhere is put through probes and drills, on all cores.

The answers are the same for any number of threads: each try is of documents of its own, and disturbances follow from
the seed.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base import document
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import goal, probes, quantities, roles
from oak_sled.core.feel.goal import Term
from oak_sled.core.feel.roles import Roles
from oak_sled.core.results import measures
from oak_sled.core.results.run import Run
from oak_sled.core.study import variants
from oak_sled.core.study.batch import Bench
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.tick import stopping
from oak_sled.core.yard.spreads import Scatter
from oak_sled.core.yard.yard import Yard

Values = dict[str, float | None]


@dataclass(frozen=True)
class Scale:
    """The scale on which a dial is searched: 1 is a factor of e where it is a factor that counts, else `size`.

    low, high : bounds of the dial.
    """

    path: str
    first: float
    low: float
    high: float
    size: float
    is_log: bool

    def place(self, value: float) -> float:
        """The place of a value on the scale, 0 where the dial was."""
        return float(np.log(value / self.first)) if self.is_log else (value - self.first) / self.size

    def value(self, place: float) -> float:
        """The value at a place, within the bounds, in five figures."""
        value = self.first * float(np.exp(place)) if self.is_log else self.first + place * self.size
        value = min(max(value, self.low), self.high)
        return min(max(float(f"{value:.5g}"), self.low), self.high)


@dataclass
class Tryout:
    """A craft that is tried with other numbers. terms : what is asked for. known : the parts its channels play.
    scatter : disturbances that each try meets as well. tries : how many were made."""

    yard: Yard
    craft: str
    drill: str
    terms: tuple[Term, ...]
    known: Roles | None
    scatter: Scatter
    threads: int = 0
    tries: int = 0
    _hands: list[_Hand] = field(default_factory=list)
    """Hands that nobody uses now: threads come and go, and what a hand keeps is to stay."""
    _kept: dict[tuple[tuple[str, float], ...], list[Values] | None] = field(default_factory=dict)

    @staticmethod
    def of(yard: Yard, craft: str, drill: str, terms: tuple[Term, ...], scatter: Scatter, threads: int = 0) -> Tryout:
        """A try-out of a craft on the ground of a drill."""
        bare = yard.replace(spreads=(), cameras=())
        probed = any(not term.band.drill for term in terms)
        known = roles.find(bare, craft, drill) if probed else None
        return Tryout(bare, craft, drill, terms, known, scatter, threads)

    def yard_at(self, scales: Sequence[Scale], places: Floats) -> Yard:
        """The yard with dials at places of their scales, shape (scales,)."""
        changes = [(scale.path, scale.value(float(at))) for scale, at in zip(scales, places, strict=True)]
        return self.yard.edit_all(changes)

    def residuals(self, scales: Sequence[Scale], places: Floats) -> Floats | None:
        """Residuals of all terms, undisturbed and in every repeat, shape (terms x (1 + repeats),); None where the
        documents take no such values together."""
        return self.many(scales, [places])[0]

    def many(self, scales: Sequence[Scale], every: Sequence[Floats]) -> list[Floats | None]:
        """The residuals at many places, each of shape (scales,)."""
        return [None if values is None else self.told(values) for values in self.values(scales, every)]

    def told(self, repeats: Sequence[Values]) -> Floats:
        """Residuals of what a try showed, shape (terms x (1 + repeats),)."""
        share = 1.0 / np.sqrt(len(repeats))
        return np.concatenate([share * goal.residuals(self.terms, values) for values in repeats])

    def values(self, scales: Sequence[Scale], every: Sequence[Floats]) -> list[list[Values] | None]:
        """Shown values at many places, shape (scales,) each, by the names of bands, undisturbed first; None where a
        place is refused."""
        keys = [
            tuple((scale.path, scale.value(float(at))) for scale, at in zip(scales, places, strict=True))
            for places in every
        ]
        new = [key for key in dict.fromkeys(keys) if key not in self._kept]
        if len(new) == 1 or self._count() == 1:
            for key in new:
                self._kept[key] = self._try(key)
        elif new:
            with ThreadPoolExecutor(min(self._count(), len(new))) as pool:
                leash = stopping.lent()
                for key, found in zip(new, pool.map(lambda key: self._held(leash, key), new), strict=True):
                    self._kept[key] = found
        self.tries += len(new)
        return [self._kept[key] for key in keys]

    def _count(self) -> int:
        return self.threads or os.cpu_count() or 1

    def _held(self, leash: stopping.Leash, key: tuple[tuple[str, float], ...]) -> list[Values] | None:
        with leash.lend():
            return self._try(key)

    def _try(self, changes: tuple[tuple[str, float], ...]) -> list[Values] | None:
        try:
            yard = self.yard.edit_all(list(changes)) if changes else self.yard
        except Refused:
            return None
        try:
            hand = self._hands.pop()
        except IndexError:
            hand = _Hand()
        found = [self._shown(hand, yard, repeat) for repeat in range(1 + self.scatter.repeats)]
        self._hands.append(hand)
        return found

    def _shown(self, hand: _Hand, yard: Yard, repeat: int) -> Values:
        """Values of one repeat."""

        def runner(job: Job) -> Run:
            return hand.run(*variants.disturbed(job, self.scatter, repeat))

        found: Values = {}
        if self.known is not None:
            found |= quantities.read_all(probes.probe(self.known.with_craft(yard.craft(self.craft)), runner))
        by_drill: dict[str, list[str]] = {}
        for term in self.terms:
            if term.band.drill:
                by_drill.setdefault(term.band.drill, []).append(term.band.quantity)
        for name, asked in by_drill.items():
            drill = yard.drill(name)
            made = runner(job_of(yard, drill, "" if drill.cast else self.craft))
            read = measures.Readings(made)
            found |= {f"{name}.{one}": read[measures.asked_of(drill, one)] for one in asked}
        return found


class _Hand:
    """Runs jobs in arrays that are kept from like ones: one for each thread at a time, and a drill."""

    def __init__(self) -> None:
        self._benches: dict[tuple[str, float], Bench] = {}

    def run(self, job: Job, late: int) -> Run:
        """A run of a job; what is read from it is read before the next one of its drill begins."""
        key = (job.drill.id, job.drill.duration)
        if key not in self._benches:
            self._benches[key] = Bench(VariantBuild(job))
        return self._benches[key].execute(job, late)


def value_at(yard: Yard, path: str) -> float:
    """The value of a dial."""
    return float(document.get(yard, path))
