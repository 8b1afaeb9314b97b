"""A hand of a spread: runs variants, several in one call, in arrays of its own, and reads their measures."""

from __future__ import annotations

import dataclasses
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.results import run
from oak_sled.core.results.measure import Measure
from oak_sled.core.results.record import Record, Watched
from oak_sled.core.study import variants
from oak_sled.core.study.batch import Batch, Bench
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.tick.rows import NotKept
from oak_sled.core.yard.spreads import Spread
from oak_sled.core.yard.yard import Yard

MISSING, DONE, WILD, REFUSED = -1, 0, 1, 2
"""Ends of a run of a spread: not yet; done; diverged; its documents were refused."""


class Stencils:
    """The stencils of the threads: one for each craft and tick rate of the plan."""

    def __init__(self) -> None:
        self._made: dict[tuple[Any, ...], VariantBuild] = {}
        self._lock = threading.Lock()

    def of(self, job: Job) -> tuple[tuple[Any, ...], VariantBuild]:
        """The build for a job, and its key."""
        key = (job.craft.id, job.ticks)
        with self._lock:
            if key not in self._made:
                self._made[key] = VariantBuild(job)
            return key, self._made[key]


class Hand:
    """Runs variants, several in one call, in arrays of its own: one for each thread. lent : what threads share.

    Measures are computed from what the first run of its kind showed that they read: of the others no more is kept.
    Where one reads something else after all, its run is done again with all of its rows, and that is kept from then on.
    """

    def __init__(self, yard: Yard, plan: Spread, lent: Stencils | None = None):
        self.plan, self._lent = plan, lent or Stencils()
        self._wanted = variants.check(yard, plan)
        self._ledger = any(measure.ledger for measure in self._wanted)
        self._jobs = variants.Variants(yard, plan)
        self._benches: dict[tuple[Any, ...], Bench] = {}
        self._batches: dict[tuple[Any, ...], Batch] = {}

    def values_of(
        self, numbers: Sequence[int], cancelled: Callable[[], bool] = lambda: False
    ) -> tuple[Floats, NDArray[np.int8]] | None:
        """The measures of variants and their repeats, shape (n, 1 + repeats, measures), NaN where a run does not show
        one, and how each run ended, shape (n, 1 + repeats); None where it was cancelled."""
        values = np.full((len(numbers), 1 + self.plan.scatter.repeats, len(self._wanted)), np.nan)
        states = np.full(values.shape[:2], DONE, np.int8)
        waiting: dict[tuple[Any, ...], list[_Waiting]] = {}
        for place, number in enumerate(numbers):
            try:
                job = self._jobs.job(number)
            except Refused:
                states[place] = REFUSED
                continue
            key, build = self._lent.of(job)
            if key not in self._benches:
                self._benches[key] = Bench(build)
            for repeat in range(values.shape[1]):
                one = _Waiting(
                    *variants.disturbed(job, self.plan.scatter, repeat), values[place, repeat], states[place, repeat:]
                )
                waiting.setdefault(key, []).append(one)
        for key, runs in waiting.items():
            while runs:
                if cancelled():
                    return None
                self._run_some(key, runs)
        return values, states

    def _run_some(self, key: tuple[Any, ...], waiting: list[_Waiting]) -> None:
        """Does one run of those that wait, or as many as fit into one call."""
        batch, build = self._batches.get(key), self._benches[key].build
        if batch is None or not build.fits(waiting[0].job):
            self._run_alone(key, waiting.pop(0))
            return
        together = [waiting.pop(0)]
        while waiting and len(together) < batch.SEATS and build.fits(waiting[0].job):
            together.append(waiting.pop(0))
        for one, made in zip(together, batch.execute([(one.job, one.late) for one in together]), strict=True):
            try:
                one.into[:] = self._measured(made, one)
            except (NotKept, Refused):  # on this run a measure asks for more than on those before
                self._run_alone(key, one)

    def _run_alone(self, key: tuple[Any, ...], one: _Waiting) -> None:
        """Does a run with all of its rows, and notes which of their columns its measures read."""
        bench = self._benches[key]
        made = bench.execute(one.job, one.late, self._ledger)
        watched = Watched(made.record)
        try:
            one.into[:] = self._measured(dataclasses.replace(made, record=Record(made.layout, [watched])), one)
        except Refused:
            if self._ledger:
                raise
            self._ledger = True
            self._run_alone(key, one)
            return
        if bench.build.fits(one.job) and not made.is_diverged:
            old = self._batches.get(key)
            known = set(old.places) if old is not None and old.ledger == self._ledger else set()
            if old is None or not known >= watched.read:
                self._batches[key] = Batch(bench.build, known | watched.read, self._ledger)

    def _measured(self, made: run.Run, one: _Waiting) -> list[float]:
        read = _read(made, self._wanted)
        one.state[0] = WILD if made.is_diverged else DONE
        return read


@dataclass(frozen=True, eq=False)
class _Waiting:
    """A run that is to be done: its job, by how many ticks its inputs are late, where its measures go, and where, in
    the first place, how it ended."""

    job: Job
    late: int
    into: Floats
    state: NDArray[np.int8]


def _read(made: run.Run, wanted: list[Measure]) -> list[float]:
    """The measures of a run; NaN where it diverged or does not show one."""
    if made.is_diverged or not made.ticks:
        return [np.nan] * len(wanted)
    read = [measure.read(made) for measure in wanted]
    return [np.nan if value is None or not np.isfinite(value) else float(value) for value in read]
