"""Sensitivity: how much every measure answers to every dial of a craft, from central differences."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused, close_match, refuse
from oak_sled.core.results import measures, run
from oak_sled.core.study.batch import Bench
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.tick import stopping
from oak_sled.core.tick.stopping import Leash
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.yard import Yard

STEP = 0.1
"""Share of its value by which a dial is moved up and down: a measure that counts or that ends with a swing goes in
steps, and a small move would find none of them."""
SMALL = 0.01
"""The same for a second look at the dials that tell: what it contradicts is marked."""
UNLIKE = 2.0
"""Times by which two answers differ that contradict each other, as do two of opposite signs."""
KINK, CONTRADICTED = "kink", "small step contradicts"
TELLING = 0.005
"""% of a measure for 1 % of a dial below which the dial does not matter to it."""
SHOWN = 6
"""Measures in a table where none is asked for."""
SLOW = ("comfort", "sickness")
"""Measures that take longer than a run: left out, unless they are asked for."""


@dataclass(frozen=True)
class Sensitivity:
    """Every measure against every dial of a craft.

    dials : paths. measures : names. base : the measures as it is, shape (measures,), NaN where the drill does not show
    one. answers : % of a measure for each % of a dial, by a step of STEP to both sides, shape (dials, measures); NaN
    where one of the runs does not show it, or the measure is 0. below, above : the same to one side each. small : by a
    step of SMALL, NaN where nothing tells.
    """

    dials: tuple[str, ...]
    measures: tuple[str, ...]
    base: Floats
    answers: Floats
    below: Floats
    above: Floats
    small: Floats

    def doubt(self, row: int, column: int) -> str:
        """Doubts about an answer: KINK where it is another to either side of the value, CONTRADICTED where a
        small step has another; "" for nothing."""
        if not abs(self.answers[row, column]) >= TELLING:
            return ""
        if _unlike(self.below[row, column], self.above[row, column]):
            return KINK
        return CONTRADICTED if _unlike(self.answers[row, column], self.small[row, column]) else ""

    def doubts(self, row: int) -> list[str]:
        """The doubts about all answers to a dial, each with its measure."""
        found = ((name, self.doubt(row, column)) for column, name in enumerate(self.measures))
        return [f"{name}: {doubt}" for name, doubt in found if doubt]

    def most(self, of: Sequence[int] = ()) -> list[int]:
        """The dials in order of the most that a measure answers to them, the most first. of : the measures that count
        for that; all where none are named."""
        size = np.nan_to_num(np.abs(self.answers))[:, list(of) or slice(None)].max(axis=1, initial=0.0)
        return np.argsort(-size, kind="stable").tolist()

    def telling(self, of: Sequence[int] = ()) -> list[int]:
        """Those of them to which a measure answers at all."""
        size = np.nan_to_num(np.abs(self.answers))[:, list(of) or slice(None)].max(axis=1, initial=0.0)
        return [row for row in self.most(of) if size[row] >= TELLING]


def paths_of(job: Job) -> list[tuple[str, float]]:
    """The dials of a craft that do something as it is set, with their values; those at 0 have no share to move by."""
    craft, found = job.craft, []
    for dial in dials(craft.body):
        found.append((f"crafts.{craft.id}.body.{dial.name}", float(getattr(craft.body, dial.name))))
    for limb in craft.bodies:
        for dial in dials(limb):
            found.append((f"crafts.{craft.id}.bodies.{limb.id}.{dial.name}", float(getattr(limb, dial.name))))
    for tie in craft.ties:
        for dial in dials(tie):
            if dial.name not in tie.idle():
                found.append((f"crafts.{craft.id}.ties.{tie.id}.{dial.name}", float(getattr(tie, dial.name))))
    for part in craft.working_parts:
        if craft.gain_of(part) == 0.0:
            continue
        idle = part.idle()
        for dial in dials(part):
            if dial.name not in idle:
                found.append((f"crafts.{craft.id}.parts.{part.id}.{dial.name}", float(getattr(part, dial.name))))
    for number in craft.numbers:
        found.append((f"crafts.{craft.id}.numbers.{number.id}.value", number.value))
    return [(path, value) for path, value in found if value != 0.0]


def _unlike(one: float, other: float) -> bool:
    """True if two answers contradict each other; NaN contradicts nothing."""
    if np.isnan(one) or np.isnan(other):
        return False
    least, most = sorted((abs(one), abs(other)))
    return bool(most >= 2.0 * TELLING and (one * other < 0.0 or most > UNLIKE * max(least, 1e-12)))


def compute(
    yard: Yard,
    drill: str = "",
    craft: str = "",
    threads: int = 0,
    names: tuple[str, ...] = (),
    progress: Callable[[int, int], None] = lambda done, of: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Sensitivity:
    """Two runs for each dial, on all cores. names : of measures; empty for all but the slow ones. progress : called
    with the dials done, and how many there are."""
    yard = yard.replace(spreads=())
    job = job_of(yard, yard.drill(drill or yard.bench.drill), craft)
    build = VariantBuild(job)
    base_run = run.execute(job)
    wanted = names or tuple(name for name in measures.names_of(base_run) if name.partition("@")[0] not in SLOW)
    base = _read(base_run, wanted)
    shown = [place for place, value in enumerate(base) if np.isfinite(value) and value != 0.0]
    kept = tuple(wanted[place] for place in shown)
    paths = paths_of(job)
    slopes = np.full((4, len(paths), len(kept)), np.nan)
    search = _Search(
        yard, job, build, paths, kept, base[shown], slopes, progress, cancelled, iter(range(len(paths))), [0]
    )
    count = threads or os.cpu_count() or 1
    with ThreadPoolExecutor(count) as pool:
        hands = [pool.submit(_held, stopping.lent(), search) for _ in range(count)]
        for hand in hands:
            hand.result()
    return Sensitivity(tuple(path for path, _ in paths), kept, base[shown], *slopes)


def _held(leash: Leash, search: _Search) -> None:
    with leash:
        _lend(search)


@dataclass(frozen=True)
class _Search:
    """State that the threads of a search share. slopes : see `Sensitivity`, shape (4, dials, measures)."""

    yard: Yard
    job: Job
    build: VariantBuild
    paths: list[tuple[str, float]]
    names: tuple[str, ...]
    base: Floats
    slopes: Floats
    progress: Callable[[int, int], None]
    cancelled: Callable[[], bool]
    left: Iterator[int]
    done: list[int]
    lock: threading.Lock = field(default_factory=threading.Lock)


def _lend(search: _Search) -> None:
    """One thread: takes dials until none is left."""
    bench, names, base, slopes, paths = (
        Bench(search.build), search.names, search.base, search.slopes, search.paths
    )  # fmt: skip

    def moved(path: str, value: float, share: float) -> Floats | None:
        """The measures with a dial moved, shape (measures,); None where it is at a bound."""
        try:
            made = search.yard.edit(path, (1.0 + share) * value)
        except Refused:
            return None
        return _read(bench.execute(job_of(made, made.drill(search.job.drill.id), search.job.craft.id)), names)

    def answer(path: str, value: float, step: float) -> tuple[Floats, Floats, Floats]:
        """% for each %, shape (measures,) each: to both sides, below and above; at a bound the other side tells."""
        low, high = moved(path, value, -step), moved(path, value, step)
        below, above = (
            np.full(len(names), np.nan) if one is None else sign * (one - base) / base / step
            for one, sign in ((low, -1.0), (high, 1.0))
        )
        if low is None or high is None:
            return (below if high is None else above), below, above
        return 0.5 * (below + above), below, above

    while not search.cancelled():
        with search.lock:
            number = next(search.left, None)
        if number is None:
            return
        slopes[:3, number] = answer(*paths[number], STEP)
        if np.nanmax(np.abs(slopes[0, number]), initial=0.0) >= TELLING:
            slopes[3, number] = answer(*paths[number], SMALL)[0]
        with search.lock:
            search.done[0] += 1
            search.progress(search.done[0], len(paths))


def _read(made: run.Run, names: tuple[str, ...]) -> Floats:
    if made.is_diverged:
        return np.full(len(names), np.nan)
    found = measures.Readings(made)
    return np.array([np.nan if (value := found[name]) is None else value for name in names])


def asked_first(found: Sensitivity, asked: Sequence[str], drill: Drill) -> list[int]:
    """The columns that a table shows: those asked for; else those that the targets of the drill ask for; else the first
    of which less or more is better. Raises `Refused` for one that the run does not show."""
    for name in asked:
        if name not in found.measures:
            raise refuse("measure", f"the run shows no {name!r}, or 0", close_match(name, found.measures))
    wanted = asked or [measures.asked_of(drill, one.measure) for one in drill.targets]
    places = [found.measures.index(name) for name in dict.fromkeys(wanted) if name in found.measures]
    better = [place for place, name in enumerate(found.measures) if measures.known(name).better]
    return places or (better or list(range(len(found.measures))))[:SHOWN]


def table(found: Sensitivity, columns: Sequence[int]) -> str:
    """The dials to which these measures answer, as text: % for each %; ? behind what is in doubt."""
    rows = found.telling(columns)
    names = [found.measures[column] for column in columns]
    wide = [max(len(name), 9) + 2 for name in names]
    first = max((len(found.dials[row]) for row in rows), default=0) + 1
    heads = "".join(f"{name:>{w}} " for name, w in zip(names, wide, strict=True))
    lines = [f"{'% for each %':<{first}}{heads}".rstrip()]
    for row in rows:
        cells = (
            f"{f'{value:+.2f}' if abs(value) >= TELLING else '':>{w}}{'?' if found.doubt(row, column) else ' '}"
            for column, w in zip(columns, wide, strict=True)
            for value in [found.answers[row, column]]
        )
        lines.append(f"{found.dials[row]:<{first}}" + "".join(cells).rstrip())
    left = len(found.dials) - len(rows)
    if left:
        lines.append(f"{left} dials do not matter to these")
    if any(found.doubt(row, column) for row in rows for column in columns):
        lines.append("? it answers otherwise to the other side, or to a smaller step")
    return "\n".join(lines)


def csv_of(found: Sensitivity) -> str:
    """A row a dial, the most telling first: its path, % for each % of every measure by a step of STEP to both sides,
    and what speaks against that."""
    lines = [",".join(["dial", "step [%]", *(f"{name} [%/%]" for name in found.measures), "doubts"])]
    for row in found.most():
        cells = ["" if np.isnan(value) else f"{value:.4g}" for value in found.answers[row]]
        lines.append(",".join([found.dials[row], f"{100.0 * STEP:g}", *cells, "; ".join(found.doubts(row))]))
    return "\n".join(lines) + "\n"
