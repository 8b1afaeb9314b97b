"""Sensitivity: how much every measure answers to every dial of a craft, from central differences."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from oak_sled.core.build.jobs import Job, job_of
from oak_sled.core.documents.dial import dials
from oak_sled.core.documents.faults import Refused
from oak_sled.core.documents.yard import Yard
from oak_sled.core.kernel.state import Floats
from oak_sled.core.results import measures, run
from oak_sled.core.study.batch import Bench
from oak_sled.core.study.stencil import Stencil

STEP = 0.1
"""Share of its value by which a dial is moved up and down: a measure that counts or that ends with a swing goes in
steps, and a small move would find none of them."""
TELLING = 0.005
"""% of a measure for 1 % of a dial below which the dial does not matter to it."""
SLOW = ("comfort", "sickness")
"""Measures that take longer than a run: left out, unless they are asked for."""


@dataclass(frozen=True)
class Sensitivity:
    """Every measure against every dial of a craft.

    dials : paths. measures : names. base : the measures as it is, shape (measures,), NaN where the drill does not show
    one. answers : % of a measure for each % of a dial, shape (dials, measures); NaN where one of the runs does not show
    it, or the measure is 0.
    """

    dials: tuple[str, ...]
    measures: tuple[str, ...]
    base: Floats
    answers: Floats

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
    stencil = Stencil(job)
    base_run = run.execute(job)
    wanted = names or tuple(name for name in measures.names_of(base_run) if name.partition("@")[0] not in SLOW)
    base = _read(base_run, wanted)
    shown = [place for place, value in enumerate(base) if np.isfinite(value) and value != 0.0]
    kept = tuple(wanted[place] for place in shown)
    paths = paths_of(job)
    answers = np.full((len(paths), len(kept)), np.nan)
    left, lock, done = iter(range(len(paths))), threading.Lock(), [0]
    count = threads or os.cpu_count() or 1
    with ThreadPoolExecutor(count) as pool:
        shared = (answers, left, lock, done, progress, cancelled)
        hands = [pool.submit(_lend, yard, job, stencil, paths, kept, base[shown], *shared) for _ in range(count)]
        for hand in hands:
            hand.result()
    return Sensitivity(tuple(path for path, _ in paths), kept, base[shown], answers)


def _lend(
    yard: Yard,
    job: Job,
    stencil: Stencil,
    paths: list[tuple[str, float]],
    names: tuple[str, ...],
    base: Floats,
    answers: Floats,
    left: Iterator[int],
    lock: threading.Lock,
    done: list[int],
    progress: Callable[[int, int], None],
    cancelled: Callable[[], bool],
) -> None:
    """One thread: takes dials until none is left."""
    bench = Bench(stencil)
    while not cancelled():
        with lock:
            number = next(left, None)
        if number is None:
            return
        path, value = paths[number]
        ends: list[tuple[float, Floats]] = []
        for share in (1.0 - STEP, 1.0 + STEP):
            try:
                made = yard.edit(path, share * value)
            except Refused:  # at a bound: the other side tells
                ends.append((0.0, base))
                continue
            other = bench.execute(job_of(made, made.drill(job.drill.id), job.craft.id))
            ends.append((share - 1.0, _read(other, names)))
        (low, before), (high, after) = ends
        if high > low:
            answers[number] = (after - before) / base / (high - low)
        with lock:
            done[0] += 1
            progress(done[0], len(paths))


def _read(made: run.Run, names: tuple[str, ...]) -> Floats:
    if made.is_diverged:
        return np.full(len(names), np.nan)
    found = measures.Readings(made)
    return np.array([np.nan if (value := found[name]) is None else value for name in names])


def csv_of(found: Sensitivity) -> str:
    """A row a dial, the most telling first: its path, and % for each % of every measure."""
    lines = [",".join(["dial", *(f"{name} [%/%]" for name in found.measures)])]
    for row in found.most():
        cells = ["" if np.isnan(value) else f"{value:.4g}" for value in found.answers[row]]
        lines.append(",".join([found.dials[row], *cells]))
    return "\n".join(lines) + "\n"
