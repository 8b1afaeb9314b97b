"""Auto-tune: dials of a craft are moved until it shows what words of feel and targets ask for.

Slopes of what is asked for by every free dial say which dials tell; bounded least squares with slopes from differences
goes downhill by those; where it stalls a global search goes on (differential evolution: Storn and Price 1997, as SciPy
has it), and least squares from the best of that. A small price on every move keeps dials where they do not matter.
The same seed gives the same answer.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.feel import goal as goals
from oak_sled.core.feel.goal import Goal, Term
from oak_sled.core.feel.movable import scales_of
from oak_sled.core.feel.searching import MET, Enough, OutOfTries, Search, Told
from oak_sled.core.feel.tryout import Scale, Tryout, Values, value_at
from oak_sled.core.yard.spreads import Scatter
from oak_sled.core.yard.yard import Yard

CALLS = 400
"""Tries that are made at most where nobody says it."""


@dataclass(frozen=True)
class Move:
    """A dial that was moved, from where to where."""

    path: str
    before: float
    value: float


@dataclass(frozen=True)
class Tuned:
    """A craft as it was tuned. yard : with the dials as they came out. moves : the dials that were moved. values : what
    it shows now, before : what it showed, by the names of bands. left, left_before : sum of squares in fades. history :
    pairs of tries and what was left then. ended : "met", "stalled", "tries" or "stopped". scales, place : of the dials
    that were free to move at last, and where they are, shape (scales,)."""

    yard: Yard
    craft: str
    drill: str
    terms: tuple[Term, ...]
    moves: tuple[Move, ...]
    values: Values
    before: Values
    left: float
    left_before: float
    history: tuple[tuple[int, float], ...]
    tries: int
    ended: str
    tryout: Tryout = field(repr=False)
    scales: tuple[Scale, ...] = field(repr=False)
    place: Floats = field(repr=False)

    @property
    def is_met(self) -> bool:
        """True if every term is met."""
        return bool((goals.misses(self.terms, self.values) <= MET).all())

    @property
    def missed(self) -> tuple[Term, ...]:
        """The terms that are not met, the farthest off first."""
        off = goals.misses(self.terms, self.values)
        return tuple(self.terms[int(k)] for k in np.argsort(-off, kind="stable") if off[k] > MET)


def tune(
    yard: Yard,
    goal: Goal,
    craft: str = "",
    drill: str = "",
    dials: Sequence[str] = (),
    locked: Sequence[str] = (),
    bounds: Mapping[str, tuple[float, float]] | None = None,
    scatter: Scatter | None = None,
    seed: int = 1,
    most: int = CALLS,
    threads: int = 0,
    told: Told = lambda _: None,
) -> Tuned:
    """Moves dials of a craft until it shows what a goal asks for, or what is nearest to it.

    craft, drill : those on the bench where not named; probes are on the bare ground of the drill. dials : the ones that
    may move; none: all that do something, but for `locked`. bounds : least and greatest value by dial. scatter :
    disturbances under which it should hold as well. most : tries. told : see `Told`. Raises `Refused` for a goal that
    contradicts itself, for no free dial, and for a measure that no try could ever show.
    """
    chosen = yard.drill(drill or yard.bench.drill)
    name = craft.partition(".")[0] or yard.craft_for(chosen)
    terms = goal.terms(yard)
    scales = scales_of(yard, chosen.id, name, dials, locked, bounds or {})
    tryout = Tryout.of(yard, name, chosen.id, terms, scatter or Scatter(), threads)
    search = Search(tryout, scales, most, told)
    search.begin()
    ended = "stopped"
    try:
        ended = search.run(np.random.default_rng(seed), bool(dials))
    except Enough:
        pass
    except OutOfTries:
        ended = "met" if search.is_met else "tries"
    return _answer(search, ended)


def _answer(search: Search, ended: str) -> Tuned:
    """The best try, whole."""
    tryout, scales, place = search.tryout, search.scales, search.place
    moves = tuple(
        Move(scale.path, value_at(tryout.yard, scale.path), scale.value(float(at)))
        for scale, at in zip(scales, place, strict=True)
        if scale.value(float(at)) != value_at(tryout.yard, scale.path)
    )
    return Tuned(
        tryout.yard_at(scales, place), tryout.craft, tryout.drill, tryout.terms, moves, search.values, search.before,
        search.best, search.first, tuple(search.history), tryout.tries, ended, tryout, scales, place,
    )  # fmt: skip
