"""Builds jobs that differ in a few numbers: arrays are copied and patched, not built anew.

What a job is built into hardly changes from one variant to the next: most dials are a number in the record of a part.
`VariantBuild` keeps the arrays of one job as they are at its start; a `Seat` has those of a like job by copying them
and packing again only the parts that differ, and the start. What else differs (a mass, a mount, a block) does not fit
and is built anew; a test holds both ways together to the bit, for the dials of every demo.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oak_sled.core.assembly import bodynames, scenecache, scenes, tracks, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine, bytes_of
from oak_sled.core.kernel import state
from oak_sled.core.parts.common import Part
from oak_sled.core.results.record import Layout
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill

COPIED = ("crafts", "parts", "channels", "events", "supports", "drill", "ground")
"""Arrays of a world that a run or a patch writes into."""
UNREAD = ("contacts", "before")
"""Arrays of a scene of which a run reads nothing that one before left there: contacts of a tick are written over those
of the one before."""


class VariantBuild:
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
        self.placed = bool(job.ground.joints or bodynames.ties_of(job) or bodynames.riders(job))
        """True if joints or ties of the scene depend on where its crafts start."""

    def has_tracks_of(self, job: Job) -> bool:
        """True if a job that fits has the inputs of this one."""
        return all(one.tracks == two.tracks for one, two in zip(job.actors, self.job.actors, strict=True))

    def fits(self, job: Job) -> bool:
        """True if a job differs from this one only in numbers of parts, in where crafts start, and in tracks."""
        mine = self.job
        if (job.ticks, job.integrator, job.substeps) != (mine.ticks, mine.integrator, mine.substeps):
            return False
        if job.ground is not mine.ground and job.ground != mine.ground:
            return False
        if job.drill is not mine.drill and not _same_drill(job.drill, mine.drill):
            return False
        if len(job.actors) != len(mine.actors) or job.who != mine.who:
            return False
        pairs = list(zip(job.actors, mine.actors, strict=True))
        if any(one.whole.ties is not other.whole.ties and one.whole.ties != other.whole.ties for one, other in pairs):
            return False
        return all(_alike(one.craft, other.craft) for one, other in pairs)


def _same_drill(one: Drill, other: Drill) -> bool:
    """True if two drills differ at most in where crafts start and what their channels get."""
    kept = [name for name in type(one).model_fields if name not in ("start", "tracks", "cast")]
    members = [[member.id for member in drill.cast] for drill in (one, other)]
    return members[0] == members[1] and all(getattr(one, name) == getattr(other, name) for name in kept)


def _alike(one: Craft, other: Craft) -> bool:
    """True if two crafts differ at most in numbers of parts that nothing but their own records are built from."""
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
    """True if two parts differ in nothing that stands outside of their own records."""
    if type(a) is not type(b) or a.id != b.id or a.ANSWERS_WALLS:
        return False
    if (one.gain_of(a) > 0.0) != (other.gain_of(b) > 0.0) or a.solo != b.solo:
        return False
    told = [
        (
            part.feet(), part.rays(), part.shot(), part.carried(), part.thrown(), part.spared(), part.STAGE,
            part.channels_used(),
            dict(part.grips(craft.wheels)), dict(part.looks_farther(craft.wheels)), part.sets_off(), part.neck(),
            part.released() if part.PULLED else None,
        )
        for part, craft in ((a, one), (b, other))
    ]  # fmt: skip
    return bool(told[0] == told[1])


class Seat:
    """The arrays of one run at a time, made from a build. beside : one whose runs never happen at the same time, to
    share with it what no run reads of the one before."""

    def __init__(self, build: VariantBuild, beside: Seat | None = None):
        self._stencil = build
        start = build.start
        scene = scenecache.copied(start.scene)
        if beside is not None:
            scene = scene._replace(**{name: getattr(beside.machine.scene, name) for name in UNREAD})
        self.machine: Machine = Machine(
            start.world._replace(**{name: getattr(start.world, name).copy() for name in COPIED}),
            scene,
            start.shot_memory._replace(**{name: array.copy() for name, array in start.shot_memory._asdict().items()}),
            start.nows.copy(),
        )
        shared = [*scenecache.SHARED, *UNREAD, *(name for name in state.World._fields if name not in COPIED)]
        self._pairs = [
            (bytes_of(getattr(mine, name)), bytes_of(getattr(first, name)))
            for mine, first in (
                (self.machine.world, start.world),
                (self.machine.scene, start.scene),
                (self.machine.shot_memory, start.shot_memory),
            )
            for name in mine._fields
            if name not in shared
        ]
        self._pairs.append((bytes_of(self.machine.nows), bytes_of(start.nows)))

    def make_ready(self, job: Job) -> None:
        """Everything as it is at the start of a job that fits the build."""
        self._reset()
        self._patch(job)

    def _reset(self) -> None:
        """Everything as it was at the start."""
        for mine, start in self._pairs:
            np.copyto(mine, start)

    def _patch(self, job: Job) -> None:
        """Packs what differs from the job of the build."""
        base, arrays, row = self._stencil.job, self.machine.world, 0
        stands = False  # whether a part differs that decides how high its craft stands
        for who, (new, old) in enumerate(zip(job.actors, base.actors, strict=True)):
            pairs = list(zip(new.craft.parts, old.craft.parts, strict=True))
            differs = any(part is not before and part != before for part, before in pairs)
            for place, (part, before) in enumerate(pairs):
                if (part is not before and part != before) or (differs and part.MIXES):
                    pack = self._stencil.packs[who]
                    if part.MIXES:
                        pack = replace(pack, **world.mixed_of(new.craft))
                    stands = stands or bool(part.rays()) or part.lifts(1.0) != 0.0 or before.lifts(1.0) != 0.0
                    world.pack_part(arrays.parts[row + place], new.craft, new.craft.at_work(part), pack)
            row += len(new.craft.parts)
        if not (stands or job.drill is not base.drill):
            return
        moved = [who for who, start in enumerate(job.starts) if not np.array_equal(start, base.starts[who])]
        for who in moved:
            arrays.crafts["start"][who] = job.starts[who]
        if moved:
            np.copyto(arrays.supports, self._stencil.supports)
            if self._stencil.placed:
                scenes.place_riders(job, self.machine.scene)
            nows = world.begin(arrays, self.machine.scene.solids, job)
            np.copyto(self.machine.nows, nows)
