"""Many runs of jobs that differ in a few numbers: arrays are copied and patched in place of being built anew.

What a job is built into hardly changes from one variant to the next: most dials are a number in the record of a part.
`Stencil` keeps the arrays of one job as they are at its start, and makes those of a like job by copying them and
packing again only the parts that differ, and the start. What else differs (a mass, a mount, a block) is built anew, so
that every job is answered; a test holds both ways together to the bit, for the dials of every demo.
"""

from __future__ import annotations

import dataclasses
import math

import numpy as np

from oak_sled.core.build import roster, scenes, templates, tracks, world
from oak_sled.core.build.jobs import Job
from oak_sled.core.documents.craft import Craft
from oak_sled.core.documents.yard import Drill
from oak_sled.core.kernel import state
from oak_sled.core.parts.common import Part
from oak_sled.core.results import run
from oak_sled.core.results.record import Layout
from oak_sled.core.results.rows import Rows
from oak_sled.core.results.run import Machine, Run

COPIED = ("crafts", "parts", "channels", "events", "supports", "drill")
"""Arrays of a world that a run or a patch writes into."""


class Stencil:
    """The arrays of a job at its start, from which those of like jobs are made; shared by threads, never run itself."""

    def __init__(self, job: Job):
        self.job = job
        self.ticks = world.check_size(job)
        self.layout = Layout.of(job)
        self.start = Machine.of(job)
        self.packs = [world.pack_of(job, who) for who in range(len(job.actors))]
        self.inputs = tracks.inputs(job, self.ticks)
        self.supports = world.build(job).supports
        """Before the crafts are put where they start."""
        self.placed = bool(job.ground.joints or roster.riders(job))
        """Whether joints of the scene depend on where its crafts start."""

    def fits(self, job: Job) -> bool:
        """Whether a job differs from this one only in numbers of parts, in where crafts start, and in tracks."""
        mine = self.job
        if (job.ticks, job.integrator, job.substeps) != (mine.ticks, mine.integrator, mine.substeps):
            return False
        if job.ground is not mine.ground and job.ground != mine.ground:
            return False
        if job.drill is not mine.drill and not _same_drill(job.drill, mine.drill):
            return False
        if len(job.actors) != len(mine.actors) or job.who != mine.who:
            return False
        return all(_alike(one.craft, other.craft) for one, other in zip(job.actors, mine.actors, strict=True))


def _same_drill(one: Drill, other: Drill) -> bool:
    """Whether two drills differ at most in where crafts start and what their channels get."""
    kept = [name for name in type(one).model_fields if name not in ("start", "tracks", "cast")]
    members = [[member.id for member in drill.cast] for drill in (one, other)]
    return members[0] == members[1] and all(getattr(one, name) == getattr(other, name) for name in kept)


def _alike(one: Craft, other: Craft) -> bool:
    """Whether two crafts differ at most in numbers of parts that nothing but their own records are built from."""
    if one is other:
        return True
    for name in ("id", "body", "channels", "laws", "numbers", "curves"):
        mine, its = getattr(one, name), getattr(other, name)
        if mine is not its and mine != its:
            return False
    if len(one.parts) != len(other.parts):
        return False
    pairs = [(a, b) for a, b in zip(one.parts, other.parts, strict=True) if a is not b and a != b]
    return all(_built_alike(a, b, one, other) for a, b in pairs)


def _built_alike(a: Part, b: Part, one: Craft, other: Craft) -> bool:
    """Whether two parts differ in nothing that stands outside of their own records."""
    if type(a) is not type(b) or a.id != b.id or a.ANSWERS_WALLS:
        return False
    if (one.gain_of(a) > 0.0) != (other.gain_of(b) > 0.0) or a.solo != b.solo:
        return False
    told = [
        (
            part.feet(), part.rays(), part.shot(), part.carried(), part.spared(), part.STAGE, part.channels_used(),
            dict(part.grips(craft.wheels)), dict(part.looks_farther(craft.wheels)), part.sets_off(), part.neck(),
            part.released() if part.PULLED else None,
        )
        for part, craft in ((a, one), (b, other))
    ]  # fmt: skip
    return bool(told[0] == told[1])


class Bench:
    """Arrays of its own to run jobs in, one after another: one for each thread."""

    def __init__(self, stencil: Stencil):
        self.stencil = stencil
        start = stencil.start
        self.machine = Machine(
            start.world._replace(**{name: getattr(start.world, name).copy() for name in COPIED}),
            templates.copied(start.scene),
            start.sudden._replace(**{name: array.copy() for name, array in start.sudden._asdict().items()}),
            start.nows.copy(),
        )
        self._rooms: dict[bool, tuple[Layout, Rows]] = {}
        # contacts of a tick are written over those of the one before: what a run left of them is never read
        shared = [
            *templates.SHARED,
            "contacts",
            "before",
            *(name for name in state.World._fields if name not in COPIED),
        ]
        self._pairs = [
            (_bytes_of(getattr(mine, name)), _bytes_of(getattr(first, name)))
            for mine, first in (
                (self.machine.world, start.world),
                (self.machine.scene, start.scene),
                (self.machine.sudden, start.sudden),
            )
            for name in mine._fields
            if name not in shared
        ]
        self._pairs.append((_bytes_of(self.machine.nows), _bytes_of(start.nows)))

    def _room(self, ledger: bool) -> tuple[Layout, Rows]:
        """Where runs are recorded, with the ledgers of crafts or without."""
        if ledger not in self._rooms:
            layout = self.stencil.layout if ledger else self.stencil.layout.without_ledger()
            self._rooms[ledger] = layout, layout.room(self.stencil.ticks + 1)
        return self._rooms[ledger]

    def run_to_keep(self, job: Job) -> Run:
        """The run of a job that fits the stencil, in rows of its own: it stays as it is when the next one begins."""
        self._reset()
        self._patch(job)
        inputs = self.stencil.inputs if self._has_tracks_of(job) else _later(job, 0)
        made = run.executed(job, self.machine, inputs, None, self.stencil.layout)
        return made if made.notes is None else dataclasses.replace(made, notes=made.notes.copy())

    def _has_tracks_of(self, job: Job) -> bool:
        return all(one.tracks == two.tracks for one, two in zip(job.actors, self.stencil.job.actors, strict=True))

    def execute(self, job: Job, late: int = 0, ledger: bool = True) -> Run:
        """The run of a job, as `run.execute` makes it. Its rows lie in the arrays of this bench, and are those of the
        next run as soon as that begins: read from it what is wanted before.

        late : ticks by which every input comes later, as on a slow machine. ledger : whether the ledgers of crafts are
        wanted; without them a run takes less time.
        """
        if not self.stencil.fits(job):
            return run.execute(job) if not late else run.executed(job, run.Machine.of(job), _later(job, late))
        self._reset()
        self._patch(job)
        inputs = self.stencil.inputs
        if late or not self._has_tracks_of(job):
            inputs = _later(job, late)
        layout, rows = self._room(ledger)
        return run.executed(job, self.machine, inputs, rows, layout)

    def _reset(self) -> None:
        """Everything as it was at the start."""
        for mine, start in self._pairs:
            np.copyto(mine, start)

    def _patch(self, job: Job) -> None:
        """Packs what differs from the job of the stencil."""
        base, arrays, row = self.stencil.job, self.machine.world, 0
        stands = False  # whether a part differs that decides how high its craft stands
        for who, (new, old) in enumerate(zip(job.actors, base.actors, strict=True)):
            for place, (part, before) in enumerate(zip(new.craft.parts, old.craft.parts, strict=True)):
                if part is not before and part != before:
                    pack = self.stencil.packs[who]
                    stands = stands or bool(part.rays()) or part.lifts(1.0) != 0.0 or before.lifts(1.0) != 0.0
                    world.pack_part(arrays.parts[row + place], new.craft, new.craft.at_work(part), pack)
            row += len(new.craft.parts)
        if not (stands or job.drill is not base.drill):
            return
        moved = [who for who, start in enumerate(job.starts) if not np.array_equal(start, base.starts[who])]
        for who in moved:
            arrays.crafts["start"][who] = job.starts[who]
        if moved:
            np.copyto(arrays.supports, self.stencil.supports)
            if self.stencil.placed:
                scenes.place_riders(job, self.machine.scene)
            nows = world.begin(arrays, self.machine.scene.solids, job)
            np.copyto(self.machine.nows, nows)


class Repeater:
    """Runs jobs one after another of which most differ from the one before in few numbers, as while a dial is dragged.
    Safe for one thread at a time."""

    def __init__(self) -> None:
        self._bench: Bench | None = None
        self._missed: Job | None = None

    def execute(self, job: Job) -> Run:
        """The same as `run.execute`, to the bit."""
        bench = self._bench
        if bench is not None and bench.stencil.fits(job):
            return bench.run_to_keep(job)
        # formulas are compiled while they stand: arrays that were kept would go on interpreting them
        self._missed = None if any(one.craft.laws for one in job.actors) else job
        return run.execute(job)

    def prepare(self) -> None:
        """Keeps the arrays of the last job where they were not those of one before; takes as long as to build them."""
        if self._missed is not None:
            self._bench, self._missed = Bench(Stencil(self._missed)), None


def _bytes_of(array: np.ndarray) -> np.ndarray:
    """The bytes of an array, shape (n,): records are copied many times faster so than field by field."""
    return array.reshape(-1).view(np.uint8)


def _later(job: Job, late: int) -> state.Floats:
    """The inputs of a job, each so many ticks later."""
    inputs = tracks.inputs(job, world.check_size(job))
    if late <= 0 or not len(inputs):
        return inputs
    held = np.repeat(inputs[:1], min(late, len(inputs)), axis=0)
    return np.ascontiguousarray(np.concatenate([held, inputs])[: len(inputs)])


def late_ticks(seconds: float, job: Job) -> int:
    """Ticks by which an input is late."""
    return max(0, math.ceil(seconds * job.ticks - 1e-9))
