"""The search of a tuning: slopes first, downhill, fewer moves, and far and wide where that stalls."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import differential_evolution

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.feel import goal as goals
from oak_sled.core.feel.tryout import Scale, Tryout, Values
from oak_sled.core.study import descent
from oak_sled.core.yard.yard import Yard

STEP = 0.03
"""Step of a slope on the scale of a dial: times and counts go in steps of ticks, and a small one would find none."""
MOST_DIALS = 12
LEAST_TOLD = 0.03
"""Share of the longest slope that a dial must add to be moved."""
STRONG = 0.2
"""Share of the longest slope from which on a dial is moved too, though others tell the same."""
STAY = 0.01
"""Price of moving a dial by 1 on its scale, in fades of the term that counts least."""
GENERATIONS, STARTS, APART = 5, 3, 0.4
"""Of a global search; places from which it goes downhill then, and by how much they differ on some scale at least."""
STEPS, PRUNE_STEPS, IN_VAIN, ROUNDS = 12, 4, 2, 2
"""Steps downhill in a row at most; of the other moves when one was put back; moves put back one after another without
all being met; global searches."""
MET = 1e-9
"""Fades by which a term may be missed and still count as met."""
ROUND_GAIN = 0.02
"""Share that a round of slopes must gain to be followed by another."""


@dataclass(frozen=True)
class Progress:
    """A tuning under way. tries : made, of most. left : sum of squares that is left, in fades. met : terms met, of how
    many. phase : what it does. yard : the best so far."""

    tries: int
    most: int
    left: float
    met: int
    terms: int
    phase: str
    yard: Yard


Told = Callable[[Progress], object]
"""Called after every few tries; may raise `Enough`, which keeps the best."""


class Enough(Exception):
    """The user has seen enough: the best so far is the answer."""


def stay(tryout: Tryout) -> float:
    """Price of moving a dial by 1 on its scale, among the residuals of a try-out."""
    return STAY * float(np.sqrt(min(term.weight for term in tryout.terms)))


class OutOfTries(Exception):
    """No tries are left."""


class _Reached(Exception):
    """All is met at a place."""

    def __init__(self, place: Floats):
        super().__init__()
        self.place = place


class Search:
    """A search under way; keeps the best try."""

    def __init__(self, tryout: Tryout, scales: tuple[Scale, ...], most: int, told: Told):
        self.tryout, self.scales, self.most, self.told = tryout, scales, most, told
        self.place = np.zeros(len(scales))
        self.best = np.inf
        self.history: list[tuple[int, float]] = []
        self.phase = "first try"
        self.values: Values = {}
        self.before: Values = {}
        self.first = np.inf
        self.is_settled = False
        """True once fewer moves were taken that meet all: what is nearer to the middle of the bands is no better."""

    @property
    def is_met(self) -> bool:
        """True if the best try meets every term."""
        return bool((goals.misses(self.tryout.terms, self.values) <= MET).all())

    def begin(self) -> None:
        """Tries the craft as it is; raises `Refused` where that cannot be."""
        found = self._ask([self.place])[0]
        if found is None:
            raise refuse("dials", "do not fit together as they are", "a yard whose drill runs")
        self.before, self.first = self.values, self.best

    def run(self, rng: np.random.Generator, named: bool) -> str:
        """Searches; how it ended."""
        if self.is_met:
            return "met"
        free = self._telling(named)
        self._descend(free)
        self._prune()
        for _ in range(ROUNDS):
            if self.is_met:
                break
            before = self.best
            self._roam(free, rng)
            self._prune()
            if self.best > (1.0 - ROUND_GAIN) * before:
                break
        return "met" if self.is_met else "stalled"

    def _prune(self) -> None:
        """Does with fewer moves: again and again the one that is missed least is put back, and the others make up for
        it. Where all stays met the fewest are taken; where something was missed this may lead out of a dead end."""
        self.phase = "fewer moves"
        place, in_vain, was_met = self.place.copy(), 0, self.is_met
        while (moved := np.flatnonzero(place).tolist()) and in_vain < IN_VAIN:
            places = [np.where(np.arange(len(place)) == k, 0.0, place) for k in moved]
            found = self._ask(places)
            costs = [np.inf if one is None else float(one @ one) for one in found]
            least = int(np.argmin(costs))
            if not np.isfinite(costs[least]):
                return
            place, left = places[least], [k for k in moved if k != moved[least]]
            if left and not self._meets(place):
                place = self._descend(left, place, PRUNE_STEPS)
            if self._meets(place):
                self._take(place)
                was_met, in_vain = True, 0
            elif was_met:
                in_vain += 1

    def _meets(self, place: Floats) -> bool:
        """True if a place that was tried meets every term, undisturbed."""
        repeats = self.tryout.values(self.scales, [place])[0]
        return repeats is not None and bool((goals.misses(self.tryout.terms, repeats[0]) <= MET).all())

    def _take(self, place: Floats) -> None:
        """Takes a place that was tried for the best."""
        repeats = self.tryout.values(self.scales, [place])[0]
        assert repeats is not None
        told = self.tryout.told(repeats)
        self.place, self.values, self.best = place.copy(), dict(repeats[0]), float(told @ told)
        self.is_settled = True
        self._tell()

    def _ask(self, every: Sequence[Floats]) -> list[Floats | None]:
        """Residuals at places of all scales, with the price of moves behind them; the best is kept."""
        left = self.most - self.tryout.tries
        if left <= 0:
            raise OutOfTries
        found: list[Floats | None] = []
        shown = self.tryout.values(self.scales, every[:left])
        for places, repeats in zip(every, shown, strict=False):
            if repeats is None:
                found.append(None)
                continue
            told = self.tryout.told(repeats)
            found.append(np.concatenate([told, stay(self.tryout) * places]))
            left_over = float(told @ told)
            if left_over < self.best - 1e-12 and not self.is_settled:
                self.best, self.place, self.values = left_over, places.copy(), dict(repeats[0])
                self.history.append((self.tryout.tries, left_over))
        self._tell()
        if len(found) < len(every):
            raise OutOfTries
        return found

    def _tell(self) -> None:
        met = int((goals.misses(self.tryout.terms, self.values) <= MET).sum())
        yard = self.tryout.yard_at(self.scales, self.place)
        self.told(Progress(self.tryout.tries, self.most, self.best, met, len(self.tryout.terms), self.phase, yard))

    def _slopes(self, free: list[int], places: Floats, now: Floats) -> Floats:
        """Slopes by the dials in `free`, from differences to one side, shape (residuals, free)."""
        steps = []
        for k in free:
            scale = self.scales[k]
            step = STEP if places[k] + STEP <= scale.place(scale.high) else -STEP
            moved = places.copy()
            moved[k] += step
            steps.append((k, step, moved))
        found = np.zeros((len(now), len(free)))
        for column, ((_, step, _), other) in enumerate(zip(steps, self._ask([one[2] for one in steps]), strict=True)):
            if other is not None:
                found[:, column] = (other - now) / step
        return found

    def _telling(self, named: bool) -> list[int]:
        """The dials that are moved: those that tell most, or those that were named; raises `Refused` where none
        does."""
        self.phase = "what matters"
        now = self._ask([self.place])[0]
        assert now is not None
        every = list(range(len(self.scales)))
        slopes = self._slopes(every, self.place.copy(), now)
        wanting = slopes[: len(now) - len(self.scales)]  # without the price of moves
        if named and np.abs(wanting).max(initial=0.0) > 0.0:
            return every
        wanting[:, self._against(wanting, now[: len(wanting)])] = 0.0
        chosen = descent.telling(wanting, MOST_DIALS, LEAST_TOLD)
        size = np.linalg.norm(wanting, axis=0)
        others = [int(k) for k in np.argsort(-size, kind="stable") if k not in chosen]
        chosen += [k for k in others if size[k] > STRONG * size.max()][: MOST_DIALS - len(chosen)]
        chosen.sort()
        if not chosen:
            unseen = [term for term in self.tryout.terms if self.values.get(term.band.name) is None]
            if unseen:
                says = f"{unseen[0].of} never shows {unseen[0].title}, whatever is moved"
                raise refuse("goal", says, "a drill that shows it, or other dials")
            raise refuse("dials", "change nothing of what is asked for", "other dials, or other drills")
        return chosen

    def _against(self, slopes: Floats, now: Floats) -> NDArray[np.bool_]:
        """True for dials that stand at a bound beyond which it would get better, shape (scales,)."""
        pull = slopes.T @ now
        at_low = np.array([scale.place(scale.low) >= -1e-9 for scale in self.scales])
        at_high = np.array([scale.place(scale.high) <= 1e-9 for scale in self.scales])
        return np.asarray((at_low & (pull > 0.0)) | (at_high & (pull < 0.0)))

    def _full(self, free: list[int], part: Floats) -> Floats:
        made = np.zeros(len(self.scales))
        made[free] = part
        return made

    def _bounds(self, free: list[int]) -> tuple[Floats, Floats]:
        ends = [(self.scales[k].place(self.scales[k].low), self.scales[k].place(self.scales[k].high)) for k in free]
        clipped = [(max(low, -30.0), min(high, 30.0)) for low, high in ends]
        return np.array([low for low, _ in clipped]), np.array([high for _, high in clipped])

    def _descend(self, free: list[int], start: Floats | None = None, most: int = STEPS) -> Floats:
        """Goes downhill by the dials in `free` from a place, else from the best; where it came to, shape (scales,)."""
        self.phase = self.phase if start is not None else "downhill"
        begin = self.place if start is None else start
        whole = begin.copy()

        def asked(part: Floats) -> Floats | None:
            place = self._full(free, part)
            found = self._ask([place])[0]
            if found is not None and self._meets(place):
                raise _Reached(place)
            return found

        try:
            part, _ = descent.descend(
                begin[free],
                self._bounds(free),
                asked,
                lambda part, now: self._slopes(free, self._full(free, part), now),
                most=most,
                least_gain=ROUND_GAIN,
                enough=1e-12,
                most_damping=1e3,
            )
        except _Reached as reached:
            return reached.place
        whole[free] = part
        return whole

    def _roam(self, free: list[int], rng: np.random.Generator) -> None:
        """A global search, and downhill from the best places that it found apart from each other."""
        self.phase = "far and wide"
        low, high = self._bounds(free)
        people = max(6, min(2 * len(free), 15))
        first = rng.uniform(low, high, (people, len(free)))
        third = people // 3
        about = rng.normal(0.0, 0.5, (2 * third, len(free))) * np.minimum(high - low, 1.0)
        about[:third] += self.place[free]  # about the best, about where it began, and anywhere
        first[: 2 * third] = np.clip(about, low, high)
        seen: list[tuple[float, Floats]] = []

        def cost(parts: Floats) -> Floats:
            columns = parts.T if parts.ndim == 2 else parts[None]
            found = self._ask([self._full(free, part) for part in columns])
            costs = np.array([1e6 if one is None else float(one @ one) for one in found])
            seen.extend(zip(costs.tolist(), columns.copy(), strict=True))
            return costs if parts.ndim == 2 else costs[0]

        differential_evolution(
            cost, list(zip(low.tolist(), high.tolist(), strict=True)), init=first, maxiter=GENERATIONS,
            vectorized=True, updating="deferred", polish=False, rng=rng, tol=1e-3, callback=lambda *_: self.is_met,
        )  # fmt: skip
        starts: list[Floats] = [self.place[free]]
        for _, part in sorted(seen, key=lambda one: one[0]):
            if len(starts) > STARTS or self.is_met:
                break
            if all(float(np.abs(part - other).max()) > APART for other in starts):
                starts.append(part)
                self._descend(free, self._full(free, part), STEPS)
