"""Auto-tune: dials of a craft are moved until it shows what words of feel and targets ask for.

Slopes of what is asked for by every free dial say which dials tell; bounded least squares with slopes from differences
goes downhill by those; where it stalls a global search goes on (differential evolution: Storn and Price 1997, as SciPy
has it), and least squares from the best of that. A small price on every move keeps dials where they do not matter.
The same seed gives the same answer.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import differential_evolution

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.feel import goal as goals
from oak_sled.core.feel.goal import Goal, Term
from oak_sled.core.feel.movable import scales_of
from oak_sled.core.feel.tryout import Scale, Tryout, Values, value_at
from oak_sled.core.study import descent
from oak_sled.core.yard.spreads import Scatter
from oak_sled.core.yard.yard import Yard

STEP = 0.03
"""Step of a slope on the scale of a dial: times and counts go in steps of ticks, and a small one would find none."""
MOST_DIALS = 12
LEAST_TOLD = 0.03
"""Share of the longest slope that a dial must add to be moved."""
STRONG = 0.2
"""Share of the longest slope from which on a dial is moved too, though others tell the same."""
STAY = 0.03
"""Price of moving a dial by 1 on its scale, in fades of the term that counts least."""
MET = 1e-9
"""Fades by which a term may be missed and still count as met."""
ROUND_GAIN = 0.02
"""Share that a round of slopes must gain to be followed by another."""
CALLS = 400
"""Tries that are made at most where nobody says it."""


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
"""Called after each better try and each round; may raise `Enough`, which keeps the best."""


class Enough(Exception):
    """The user has seen enough: the best so far is the answer."""


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
    search = _Search(tryout, scales, most, told)
    search.begin()
    ended = "stopped"
    try:
        ended = search.run(np.random.default_rng(seed), bool(dials))
    except Enough:
        pass
    except _OutOfTries:
        ended = "met" if search.is_met else "tries"
    return search.answer(ended)


# searching


def stay(tryout: Tryout) -> float:
    """Price of moving a dial by 1 on its scale, among the residuals of a try-out."""
    return STAY * float(np.sqrt(min(term.weight for term in tryout.terms)))


class _OutOfTries(Exception):
    """No tries are left."""


class _Search:
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
        ended = self._searched(named, rng)
        if ended == "met":
            self._tidy()
        return ended

    def _tidy(self) -> None:
        """Puts moves back, or half of the way, as long as all stays met: the least first."""
        self.phase = "back again"
        for k in np.argsort(np.abs(self.place), kind="stable").tolist():
            for share in (0.0, 0.5):
                tried = self.place.copy()
                tried[k] *= share
                if tried[k] == self.place[k] or self.tryout.tries >= self.most:
                    continue
                repeats = self.tryout.values(self.scales, [tried])[0]
                if repeats is not None and self._meets(repeats):
                    told = self.tryout.told(repeats)
                    self.place, self.values, self.best = tried, dict(repeats[0]), float(told @ told)
                    break
        self._tell()

    def _meets(self, repeats: Sequence[Values]) -> bool:
        """True if a try meets every term, undisturbed."""
        return bool((goals.misses(self.tryout.terms, repeats[0]) <= MET).all())

    def _searched(self, named: bool, rng: np.random.Generator) -> str:
        free = self._telling(named)
        self._descend(free)
        rounds = 0
        while not self.is_met and rounds < 2:
            before = self.best
            self._roam(free, rng)
            self._descend(free)
            rounds += 1
            if self.best > (1.0 - ROUND_GAIN) * before:
                break
        return "met" if self.is_met else "stalled"

    def answer(self, ended: str) -> Tuned:
        """The best try, whole."""
        tryout = self.tryout
        moves = tuple(
            Move(scale.path, value_at(tryout.yard, scale.path), scale.value(float(at)))
            for scale, at in zip(self.scales, self.place, strict=True)
            if scale.value(float(at)) != value_at(tryout.yard, scale.path)
        )
        return Tuned(
            tryout.yard_at(self.scales, self.place), tryout.craft, tryout.drill, tryout.terms, moves, self.values,
            self.before, self.best, self.first, tuple(self.history), tryout.tries, ended, tryout, self.scales,
            self.place,
        )  # fmt: skip

    def _ask(self, every: Sequence[Floats]) -> list[Floats | None]:
        """Residuals at places of all scales, with the price of moves behind them; the best is kept."""
        left = self.most - self.tryout.tries
        if left <= 0:
            raise _OutOfTries
        found: list[Floats | None] = []
        shown = self.tryout.values(self.scales, every[:left])
        for places, repeats in zip(every, shown, strict=False):
            if repeats is None:
                found.append(None)
                continue
            told = self.tryout.told(repeats)
            found.append(np.concatenate([told, stay(self.tryout) * places]))
            left_over = float(told @ told)
            if left_over < self.best - 1e-12:
                self.best, self.place, self.values = left_over, places.copy(), dict(repeats[0])
                self.history.append((self.tryout.tries, left_over))
                self._tell()
        if len(found) < len(every):
            raise _OutOfTries
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

    def _descend(self, free: list[int]) -> None:
        self.phase = "downhill"
        descent.descend(
            self.place[free],
            self._bounds(free),
            lambda part: self._ask([self._full(free, part)])[0] if not self.is_met else self._settled(free, part),
            lambda part, now: self._slopes(free, self._full(free, part), now),
            most=12,
            least_gain=ROUND_GAIN,
            enough=1e-12,
            most_damping=1e3,
        )

    def _settled(self, free: list[int], part: Floats) -> Floats | None:
        """Nothing better is looked for once all is met: only what was asked before is answered."""
        return self._ask([self._full(free, part)])[0] if np.array_equal(part, self.place[free]) else None

    def _roam(self, free: list[int], rng: np.random.Generator) -> None:
        """A global search from the best place on."""
        self.phase = "far and wide"
        low, high = self._bounds(free)
        people = max(5, min(2 * len(free), 16))
        first = rng.uniform(low, high, (people, len(free)))
        # half of them stand about the best place, the others anywhere
        about = self.place[free] + rng.normal(0.0, 0.25, (people // 2, len(free))) * np.minimum(high - low, 2.0)
        first[: people // 2] = np.clip(about, low, high)
        first[0] = np.clip(self.place[free], low, high)

        def cost(parts: Floats) -> Floats:
            columns = parts.T if parts.ndim == 2 else parts[None]
            found = self._ask([self._full(free, part) for part in columns])
            costs = np.array([1e6 if one is None else float(one @ one) for one in found])
            return costs if parts.ndim == 2 else costs[0]

        differential_evolution(
            cost, list(zip(low.tolist(), high.tolist(), strict=True)), init=first, maxiter=6, vectorized=True,
            updating="deferred", polish=False, rng=rng, tol=1e-3, callback=lambda *_: self.is_met,
        )  # fmt: skip
