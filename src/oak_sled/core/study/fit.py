"""Fits dials of a craft so that its run repeats a recording: bounded least squares over the rows that the game told,
with how sure each number is, and a part of the recording that is held out.

The residuals are those of the recording at its own times, so that nothing is smoothed: places, and, where it tells an
attitude, the heading. Each group is weighed by what is left of it after a first fit, as its noise (iterated weighted
least squares, any text on regression). Intervals come from the curvature there: they hold for a right model with white
noise, and are called too narrow where the residuals are no noise.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base import document
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused, close_match, refuse
from oak_sled.core.results import rotations, run
from oak_sled.core.study import descent, sensitivity
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.recording import PLACE, TURN, Recording
from oak_sled.core.yard.yard import Yard

HELD_OUT = 0.2
"""Share of the recording, its end, that is not fitted."""
LEAST_ROWS = 20
NEAR = 0.1
"""Share of what was off at first that may be left for it not to be begun anew."""
AGAIN, ASIDE, SEED = 3, 0.15, 8
"""Times that it is begun anew where what is left is no noise, from numbers up to so far aside, as a share, by a seed:
runs that meet something have places from which no slope leads to the best."""
STEP = 1e-3
"""Share of the size of a dial by which it is moved for a slope."""
LOST = 100.0
"""Residual of a run that diverged or ended before the recording does, in times of the noise: what it costs."""
MEMORY, MANY = 0.1, 3.0
"""Correlation of neighbouring residuals from which on they are no noise: at least, and in times of what it is of noise
of so many rows, one over the root of their number."""
SURE = 1.96
"""Standard deviations of 95 %."""
MOST_DIALS = 8
LEAST_TOLD = 0.02
"""Share of the longest slope that a dial must add to be fitted."""
STANDS_IN = 2e-4
"""Share of the longest singular value below which dials only stand in for one another."""
SHARE = 0.05
"""Share that a dial must have in that to be one of them."""
WIDENS, WIDEST = 4, 0.1
"""Times that the steps of slopes are set anew for an interval, and their widest, as a share of the size of a dial."""
DOUBLES = 7
"""Times that an interval is doubled at most."""
BLIND = 1e-6
"""Share of the largest slope below which a dial does nothing in a recording."""


@dataclass(frozen=True)
class Fitted:
    """A dial that was fitted. value : where it came to; before : where it was; spread : half of its 95 % interval, NaN
    where the recording does not tell it; at_bound : it ran into one."""

    path: str
    before: float
    value: float
    spread: float
    at_bound: bool


@dataclass(frozen=True)
class Fit:
    """A fit and how good it is. yard : with the dials as they were fitted. errors : rms by group, "place" in m and
    "heading" in rad, as (before, after, before on the part held out, after on it). correlation : of the dials, shape
    (n, n). memory : correlation of neighbouring residuals by group. runs : how many it took; rows :
    those of the recording that were fitted."""

    yard: Yard
    drill: str
    dials: tuple[Fitted, ...]
    errors: dict[str, tuple[float, float, float, float]]
    correlation: Floats
    memory: dict[str, float]
    runs: int
    rows: int

    @property
    def is_narrow(self) -> bool:
        """True if the residuals are no noise, so that the intervals are too narrow: something else is missing."""
        return _is_coloured(self.memory, self.rows)


def fit(
    yard: Yard,
    drill: Drill,
    paths: Sequence[str] = (),
    locked: Sequence[str] = (),
    most: int = 60,
    told: Callable[[int], object] = lambda _: None,
) -> Fit:
    """Fits dials of the craft under test of a drill with a recording.

    paths : the dials; none: those that the recording tells most of, without those in `locked`. most : steps of the
    search; told : called with the number of runs, and may raise to end it. Raises `Refused` without a recording, a
    dial, or where the recording is too short.
    """
    recording = drill.recording
    if recording is None:
        raise refuse(f"drills.{drill.id}", "has no recording", "a drill made of what a game did")
    task = _Task(yard, drill, recording, told)
    chosen = _chosen(task, paths, locked)
    first = task.values(chosen)
    low, high, size = _bounds(yard, chosen, first)
    held = ~task.fitted
    begun = task.residuals(chosen, first)
    scales = {name: max(_rms(values), 1e-9) for name, values in begun.items()}
    bounds = (low, high, size)
    found, scales, memory = _settled(task, chosen, first, bounds, scales, most)
    rng = np.random.default_rng(SEED)
    for _ in range(AGAIN):
        near = all(scales[name] < NEAR * max(_rms(values), 1e-9) for name, values in begun.items())
        if near or not _is_coloured(memory, int(task.fitted.sum())):
            break  # what is left is little, or noise: this is the place
        begin = np.clip(first * (1.0 + rng.uniform(-ASIDE, ASIDE, len(first))), low, high)
        other, their_scales, their_memory = _settled(task, chosen, begin, bounds, scales, most)
        if sum(np.log(their_scales[name] / scales[name]) for name in scales) < 0.0:
            found, scales, memory = other, their_scales, their_memory
    left = task.residuals(chosen, found)
    spread, correlation = _sure(task, chosen, found, bounds, scales)
    dials = tuple(
        Fitted(path, float(first[k]), float(found[k]), float(spread[k]), _touches(found[k], low[k], high[k], size[k]))
        for k, path in enumerate(chosen)
    )
    errors = {
        name: (
            _rms(begun[name][task.rows(name)]), _rms(left[name][task.rows(name)]),
            _rms(begun[name][task.rows(name, held)]), _rms(left[name][task.rows(name, held)]),
        )
        for name in left
    }  # fmt: skip
    return Fit(
        task.yard_at(chosen, found), drill.id, dials, errors, correlation, memory, task.runs, int(task.fitted.sum())
    )


def _is_coloured(memory: dict[str, float], rows: int) -> bool:
    return any(abs(one) > max(MEMORY, MANY / np.sqrt(rows)) for one in memory.values())


def _settled(
    task: _Task,
    chosen: Sequence[str],
    first: Floats,
    bounds: tuple[Floats, Floats, Floats],
    scales: dict[str, float],
    most: int,
) -> tuple[Floats, dict[str, float], dict[str, float]]:
    """The dials from a place on, searched twice, with the weights of the noise that the first pass leaves; that noise,
    and the memory of what is left, by group."""
    found = first
    for _ in range(2):
        found = _search(task, chosen, found, bounds, scales, most)
        left = task.residuals(chosen, found)
        scales = {name: max(_rms(values[task.rows(name)]), 1e-9) for name, values in left.items()}
    memory = {name: _memory(values, task.rows(name), task.wide(name)) for name, values in left.items()}
    return found, scales, memory


class _Task:
    """A drill with its recording, and runs of it. fitted : the rows of the recording that are, shape (rows,)."""

    def __init__(self, yard: Yard, drill: Drill, recording: Recording, told: Callable[[int], object]):
        self.yard, self.drill, self.recording, self.told = yard, drill, recording, told
        self.times = recording.t.array - recording.t.array[0]
        if len(self.times) < LEAST_ROWS:
            raise refuse("recording", f"has {len(self.times)} rows", f"{LEAST_ROWS} at least")
        self.fitted = self.times <= (1.0 - HELD_OUT) * self.times[-1]
        self.places = np.stack([recording.column(name) for name in PLACE], axis=1)
        self.heading: Floats | None = None
        if recording.has(TURN[0]):
            turns = np.stack([recording.column(name) for name in TURN], axis=1)
            ahead = rotations.rotations(turns / np.linalg.norm(turns, axis=1, keepdims=True))[:, :2, 0]
            self.heading = np.unwrap(np.arctan2(ahead[:, 1], ahead[:, 0]))
        self.runs = 0

    def rows(self, name: str, which: NDArray[np.bool_] | None = None) -> NDArray[np.bool_]:
        """The residuals of a group that are fitted, or those of other rows."""
        return np.repeat(self.fitted if which is None else which, self.wide(name))

    def wide(self, name: str) -> int:
        """Residuals of a group to a row."""
        return 3 if name == "place" else 1

    def values(self, paths: Sequence[str]) -> Floats:
        """The dials as they are, shape (paths,)."""
        return np.array([float(document.get(self.yard, path)) for path in paths])

    def yard_at(self, paths: Sequence[str], values: Floats) -> Yard:
        """The yard with dials at other values, shape (paths,)."""
        return self.yard.edit_all([(path, float(one)) for path, one in zip(paths, values, strict=True)])

    def job(self, paths: Sequence[str], values: Floats) -> Job:
        """The job of the drill with dials at other values, shape (paths,)."""
        yard = self.yard_at(paths, values)
        return job_of(yard, yard.drill(self.drill.id).replace(targets=()), yard.craft_for(self.drill))

    def residuals(self, paths: Sequence[str], values: Floats) -> dict[str, Floats]:
        """Ours less what was told, by group: places row by row in m, headings in rad. Where a run ends before the
        recording does its last row holds."""
        self.runs += 1
        self.told(self.runs)
        made = run.execute(self.job(paths, values))
        ours = np.stack([np.interp(self.times, made.t, made.column(name)) for name in PLACE], axis=1)
        found = {"place": np.nan_to_num(ours - self.places, nan=1e6, posinf=1e6, neginf=-1e6).ravel()}
        if self.heading is not None:
            ahead = rotations.rotations(np.nan_to_num(made.columns(*TURN)))[:, :2, 0]
            angle = np.interp(self.times, made.t, np.unwrap(np.arctan2(ahead[:, 1], ahead[:, 0])))
            away = angle - self.heading
            found["heading"] = away - 2.0 * np.pi * np.round(away[0] / (2.0 * np.pi))
        return found

    def weighed(self, paths: Sequence[str], values: Floats, scales: dict[str, float]) -> Floats:
        """All residuals that are fitted in times of their noise, shape (n,)."""
        found = self.residuals(paths, values)
        every = [np.clip(found[name] / scales[name], -1e6, 1e6)[self.rows(name)] for name in found]
        return np.concatenate(every)


def _chosen(task: _Task, paths: Sequence[str], locked: Sequence[str]) -> tuple[str, ...]:
    job = job_of(task.yard, task.drill, task.yard.craft_for(task.drill))
    known = [path for path, _ in sensitivity.paths_of(job)]
    for path in (*paths, *locked):
        if document.dial_at(task.yard, path) is None:
            raise refuse(path, "is no dial", close_match(path, known))
    if paths:
        free = tuple(path for path in paths if path not in locked)
        if not free:
            raise refuse("dials", "are all locked", "one that may move at least")
        return free
    free = tuple(path for path in known if path not in locked)
    if not free:
        raise refuse("dials", "are all locked", "one that may move at least")
    return _telling(task, free)


def _telling(task: _Task, paths: tuple[str, ...]) -> tuple[str, ...]:
    """The dials of which the recording tells most and that are not told by the others: the next one is always that
    whose slope is farthest from what those before it span (pivoted Gram-Schmidt, any text on numerics)."""
    first = task.values(paths)
    bounds = _bounds(task.yard, paths, first)
    begun = task.residuals(paths, first)
    slopes = _slopes(task, paths, first, bounds, {name: max(_rms(values), 1e-9) for name, values in begun.items()})
    chosen = descent.telling(slopes, MOST_DIALS, LEAST_TOLD)
    if not chosen:
        raise refuse("dials", "do nothing in this recording", "dials that the drill answers to, with --dial")
    return tuple(paths[k] for k in sorted(chosen))


def _bounds(yard: Yard, paths: Sequence[str], first: Floats) -> tuple[Floats, Floats, Floats]:
    """Least and greatest value of each dial, and its size: what a share of it is counted by."""
    dials = [document.dial_at(yard, path) for path in paths]
    low = np.array([max(one.low, -1e12) if one is not None else -1e12 for one in dials])
    high = np.array([min(one.high, 1e12) if one is not None else 1e12 for one in dials])
    slider = np.array([one.slider[1] - one.slider[0] if one is not None else 1.0 for one in dials])
    size = np.where(np.abs(first) > 1e-9, np.abs(first), 0.1 * slider)
    return low, high, size


def _search(
    task: _Task,
    paths: Sequence[str],
    first: Floats,
    bounds: tuple[Floats, Floats, Floats],
    scales: dict[str, float],
    most: int,
) -> Floats:
    """The dials with the least errors, counted by their size, within their bounds."""
    low, high, size = bounds
    at, _ = descent.descend(
        first / size,
        (low / size, high / size),
        lambda place: _tried(task, paths, np.clip(place * size, low, high), scales),
        lambda place, now: _slopes(task, paths, np.clip(place * size, low, high), bounds, scales, now),
        most,
    )
    return np.asarray(np.clip(at * size, low, high))


def _tried(task: _Task, paths: Sequence[str], values: Floats, scales: dict[str, float]) -> Floats | None:
    """The residuals there; None where the documents take no such values together."""
    try:
        return task.weighed(paths, values, scales)
    except Refused:
        return None


def _slopes(
    task: _Task,
    paths: Sequence[str],
    at: Floats,
    bounds: tuple[Floats, Floats, Floats],
    scales: dict[str, float],
    now: Floats | None = None,
    steps: Floats | None = None,
) -> Floats:
    """Change of each weighed residual by a change of each dial by its size, shape (residuals, dials), from differences
    to one side; steps : of each dial, to both sides where the bounds leave room."""
    low, high, size = bounds
    now = task.weighed(paths, at, scales) if now is None else now
    found = np.zeros((len(now), len(paths)))
    for k in range(len(paths)):
        step = STEP * size[k] if steps is None else steps[k]
        by = step * (1.0 if at[k] + step <= high[k] else -1.0)
        moved, back = at.copy(), at.copy()
        moved[k] = min(max(at[k] + by, low[k]), high[k])
        back[k] = at[k] if steps is None else min(max(at[k] - by, low[k]), high[k])
        other = _tried(task, paths, moved, scales)
        before = _tried(task, paths, back, scales) if back[k] != at[k] else now
        if other is not None and before is not None and moved[k] != back[k]:
            found[:, k] = (other - before) / ((moved[k] - back[k]) / size[k])
    return found


def _sure(
    task: _Task, paths: Sequence[str], at: Floats, bounds: tuple[Floats, Floats, Floats], scales: dict[str, float]
) -> tuple[Floats, Floats]:
    """The same as `_uncertain`, from slopes over steps as wide as the intervals that come of them: what meets something
    has slopes at a point that say nothing of the way to either side."""
    size = bounds[2]
    steps = STEP * size
    for _ in range(WIDENS):
        slopes = _slopes(task, paths, at, bounds, scales, steps=steps)
        spread, correlation = _uncertain(slopes, size)
        wide = np.nan_to_num(spread, nan=np.inf)
        steps = np.clip(wide / SURE, STEP * size, WIDEST * size)
    return _seen_through(task, paths, at, bounds, scales, spread), correlation


def _seen_through(
    task: _Task,
    paths: Sequence[str],
    at: Floats,
    bounds: tuple[Floats, Floats, Floats],
    scales: dict[str, float],
    spread: Floats,
) -> Floats:
    """Half intervals that hold when they are tried: at both ends of each, with the other dials as they are, the sum of
    squares must have grown by what the 95 % ask for; one that has not is doubled. What meets something may go on with
    hardly another result for a while, which no slope tells."""
    low, high, _ = bounds
    least = float(np.sum(task.weighed(paths, at, scales) ** 2)) + SURE**2
    found = spread.copy()
    for k in np.flatnonzero(np.isfinite(spread)).tolist():
        for side in (-1.0, 1.0):
            for _ in range(DOUBLES):
                end = at.copy()
                end[k] = min(max(at[k] + side * found[k], low[k]), high[k])
                tried = _tried(task, paths, end, scales)
                if end[k] in (low[k], high[k]) or tried is None or float(np.sum(tried**2)) >= least:
                    break
                found[k] *= 2.0
    return found


def _uncertain(slopes: Floats, size: Floats) -> tuple[Floats, Floats]:
    """Half of the 95 % interval of each dial, and their correlation: from the singular values of the slopes, since the
    residuals are in times of their noise. A dial that does nothing, and one that only stands in for others, has NaN:
    along a way on which nothing changes there is no end to its interval."""
    strong = np.linalg.norm(slopes, axis=0)
    acts = strong > BLIND * max(float(strong.max(initial=0.0)), 1e-300)
    spread, correlation = np.full(len(size), np.nan), np.eye(len(size))
    if acts.any():
        scaled = slopes[:, acts] / strong[acts]
        _, told, ways = np.linalg.svd(scaled, full_matrices=False)
        least = STANDS_IN * told[0]
        inverse = (ways.T / np.maximum(told, least) ** 2) @ ways
        deviation = np.sqrt(np.maximum(np.diag(inverse), 0.0))
        free = (np.abs(ways[told < least]) > SHARE).any(axis=0)
        spread[acts] = np.where(free, np.nan, SURE * deviation / strong[acts] * size[acts])
        safe = np.maximum(deviation, 1e-300)
        correlation[np.ix_(acts, acts)] = inverse / np.outer(safe, safe)
    return spread, correlation


def _touches(value: float, low: float, high: float, size: float) -> bool:
    return bool(value - low <= 1e-6 * size or high - value <= 1e-6 * size)


def _rms(values: Floats) -> float:
    return float(np.sqrt(np.mean(values**2))) if len(values) else float("nan")


def _memory(values: Floats, rows: NDArray[np.bool_], wide: int) -> float:
    """Correlation of neighbouring residuals that are fitted."""
    table = values[rows].reshape(-1, wide)
    table = table - table.mean(axis=0)
    power = float(np.sum(table**2))
    return float(np.sum(table[1:] * table[:-1]) / power) if power > 1e-18 * len(table) else 0.0
