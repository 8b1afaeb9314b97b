"""Many runs of jobs that differ in a few numbers, one after another in the same arrays or several in one call.

See `variantbuild`: a job that fits is patched into arrays that are there, any other is built anew, so that every job is
answered.
"""

from __future__ import annotations

import dataclasses
import math
import time
from collections.abc import Iterable, Sequence

import numpy as np

from oak_sled.core.assembly import tracks, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler.machine import registers_cleaner
from oak_sled.core.kernel import state
from oak_sled.core.results import run
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.results.run import Run
from oak_sled.core.study.variantbuild import Seat, VariantBuild
from oak_sled.core.tick import loop, stopping
from oak_sled.core.tick.rows import Kept, Rows


class Bench:
    """Arrays of its own to run jobs in, one after another: one for each thread."""

    def __init__(self, build: VariantBuild):
        self.build = build
        self._seat = Seat(build)
        self._rooms: dict[bool, tuple[Layout, Rows]] = {}

    def _room(self, ledger: bool) -> tuple[Layout, Rows]:
        """Room in which runs are recorded, with the ledgers of crafts or without."""
        if ledger not in self._rooms:
            layout = self.build.layout if ledger else self.build.layout.without_ledger()
            self._rooms[ledger] = layout, layout.room(self.build.ticks + 1)
        return self._rooms[ledger]

    def run_to_keep(self, job: Job) -> Run:
        """The run of a job that fits the build, in rows of its own: it stays as it is when the next one begins."""
        self._seat.make_ready(job)
        inputs = _inputs_of(self.build, job, 0)
        made = run.executed(job, self._seat.machine, inputs, None, self.build.layout)
        return made if made.notes is None else dataclasses.replace(made, notes=made.notes.copy())

    def execute(self, job: Job, late: int = 0, ledger: bool = True) -> Run:
        """The run of a job, as `run.execute` makes it. Its rows lie in the arrays of this bench, and are those of the
        next run as soon as that begins: read from it what is wanted before.

        late : ticks by which every input comes later, as on a slow machine. ledger : whether the ledgers of crafts are
        wanted; without them a run takes less time.
        """
        if not self.build.fits(job):
            return run.execute(job) if not late else run.executed(job, run.Machine.of(job), _later(job, late))
        self._seat.make_ready(job)
        layout, rows = self._room(ledger)
        return run.executed(job, self._seat.machine, _inputs_of(self.build, job, late), rows, layout)


class Batch:
    """Arrays for several runs that one call of the kernel does, one after another, and of whose rows only the columns
    that are read afterwards are kept: one for each thread.

    places : the columns, counted through the rows of the build's layout, with the ledgers of crafts or without.
    """

    SEATS = 4

    def __init__(self, build: VariantBuild, places: Iterable[int], ledger: bool):
        self.build, self.places, self.ledger = build, sorted(places), ledger
        self._layout = build.layout if ledger else build.layout.without_ledger()
        own = self._layout.first_block_column
        row, beside = np.zeros(own), np.zeros(self._layout.width - own)
        kept = np.array(self.places, np.int64)
        self._seats: list[Seat] = []
        for _ in range(self.SEATS):
            self._seats.append(Seat(build, self._seats[0] if self._seats else None))
        self._inputs = [build.inputs.copy() for _ in self._seats]
        self._outs = [np.zeros((build.ticks + 1, len(kept))) for _ in self._seats]
        self._calls = [
            loop.advance_keeping.prepared(
                one.machine.world, one.machine.scene, one.machine.shot_memory, one.machine.nows, inputs,
                loop.Room(row, beside, kept, out), build.job.substeps, stopping.word(),
            )
            for one, inputs, out in zip(self._seats, self._inputs, self._outs, strict=True)
        ]  # fmt: skip

    def execute(self, jobs: Sequence[tuple[Job, int]]) -> list[Run]:
        """The runs of at most SEATS jobs that fit the build, each with the ticks by which its inputs come late. Their
        rows are those of the next runs as soon as these begin; what was not kept of them raises `NotKept`."""
        seats = self._seats[: len(jobs)]
        for seat, inputs, (job, late) in zip(seats, self._inputs, jobs, strict=False):
            seat.make_ready(job)
            np.copyto(inputs, _inputs_of(self.build, job, late))
        registers_cleaner()()
        began = time.perf_counter()
        told = loop.advance_keeping.together(self._calls[: len(jobs)])
        seconds = (time.perf_counter() - began) / len(jobs)
        if any(status == state.STOPPED for status, _ in told):
            raise stopping.Stopped
        return [
            run.told_of(
                job, seat.machine, Record(self._layout, [Kept(out[: done + 1], self.places)]), int(status), seconds
            )
            for (job, _), seat, out, (status, done) in zip(jobs, seats, self._outs, told, strict=False)
        ]


class Repeater:
    """Runs jobs one after another of which most differ from the one before in few numbers, as while a dial is dragged.
    Safe for one thread at a time."""

    def __init__(self) -> None:
        self._bench: Bench | None = None
        self._missed: Job | None = None

    def execute(self, job: Job) -> Run:
        """The same as `run.execute`, to the bit."""
        bench = self._bench
        if bench is not None and bench.build.fits(job):
            return bench.run_to_keep(job)
        # formulas are compiled while they stand: arrays that were kept would go on interpreting them
        self._missed = None
        made = run.execute(job)
        self._missed = None if world.interprets(job) else job
        return made

    def prepare(self) -> None:
        """Keeps the arrays of the last job where they were not those of one before; takes as long as to build them."""
        if self._missed is not None:
            self._bench, self._missed = Bench(VariantBuild(self._missed)), None


def _inputs_of(build: VariantBuild, job: Job, late: int) -> Floats:
    """The inputs of a job that fits, shape (ticks, channels), each so many ticks later."""
    return build.inputs if not late and build.has_tracks_of(job) else _later(job, late)


def _later(job: Job, late: int) -> Floats:
    """The inputs of a job, each so many ticks later."""
    inputs = tracks.inputs(job, world.check_size(job))
    if late <= 0 or not len(inputs):
        return inputs
    held = np.repeat(inputs[:1], min(late, len(inputs)), axis=0)
    return np.ascontiguousarray(np.concatenate([held, inputs])[: len(inputs)])


def late_ticks(seconds: float, job: Job) -> int:
    """Ticks by which an input is late."""
    return max(0, math.ceil(seconds * job.ticks - 1e-9))
