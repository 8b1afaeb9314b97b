"""A run: what came of a craft, a ground and a drill. Traces, ledger, and the documents that made it."""

from __future__ import annotations

import hashlib
import time
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from oak_sled.core.assembly import bodynames, tracks, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats, Records
from oak_sled.core.contact.records import LOST, Scene
from oak_sled.core.kernel import state
from oak_sled.core.parts import common
from oak_sled.core.results.analysis import Analysis
from oak_sled.core.results.copying import Seen
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.tick.rows import Block, Rows


@dataclass(frozen=True)
class FormulaFault:
    """A formula of a part that was no finite number: how many times, and the quantities of its place the first time."""

    craft: str
    part: str
    law: str
    times: int
    given: tuple[float, ...]


def faults_of(job: Job, parts: Records) -> tuple[FormulaFault, ...]:
    """The formulas of a job that were no finite number, from the records of its parts after a run."""
    found, row = [], 0
    for one in job.actors:
        for part in one.craft.parts:
            for place in (place for place in part.PLACES if one.craft.laws and not place.sampled):
                law = getattr(part, place.field)
                record = parts[row][part.kind][place.field]
                if law and record["faults"]:
                    given = tuple(record["wrong"][: len(place.quantities)].tolist())
                    found.append(FormulaFault(one.craft.id, part.id, law, int(record["faults"]), given))
            row += 1
    return tuple(found)


@dataclass(frozen=True, eq=False)
class Run:
    """A recorded drill or drive.

    Row 0 of the record is the start; row k is the state after tick k, with what was booked in it. status : RUNNING
    (came to its time), ENDED (its end condition) or DIVERGED. message : a sentence for a run that diverged, else empty.
    first_tick : the tick of row 0, for the newest stretch of a long live drive. overlap : m by which two bodies start
    in each other, and which, if any do. notes : counts of shots and knockbacks, shape (parts of all crafts, 4), see
    `shots`; None where they were not kept. seconds : s of computing that its ticks took; 0 where they were not run
    here. lost_contacts : contact points and neighbours that found no room. faults : formulas that
    were no finite number somewhere. told : what a running game did meanwhile, at the same ticks; None without one.
    seen : as it was seen over a network meanwhile, of a live drive. analysis : results derived from it.
    """

    job: Job
    record: Record
    status: int = state.RUNNING
    message: str = ""
    live: bool = False
    first_tick: int = 0
    overlap: tuple[float, str, str] | None = None
    notes: Floats | None = field(default=None, repr=False)
    seconds: float = 0.0
    lost_contacts: int = 0
    faults: tuple[FormulaFault, ...] = ()
    told: Run | None = field(default=None, repr=False)
    seen: Seen | None = field(default=None, repr=False)
    analysis: Analysis = field(default_factory=Analysis, repr=False)

    def seen_from(self, craft: str) -> Run:
        """The same run, looked at from another craft that takes part in it, or from a body of one as CRAFT.BODY; raises
        `Refused` for one that does not."""
        job = self.job.seen_from(craft)
        if job is self.job:
            return self

        def made() -> Run:
            return Run(
                job, self.record.seen_from(job.who), self.status, self.message, self.live, self.first_tick,
                self.overlap, self.notes, self.seconds, self.lost_contacts, self.faults,
            )  # fmt: skip

        return self.analysis.once(("seen from", job.craft.id, job.body), made)

    def with_record(self, record: Record) -> Run:
        """The same run with its rows elsewhere; what was derived from it is derived again."""
        return replace(self, record=record, analysis=Analysis())

    @property
    def nbytes(self) -> int:
        """Bytes that its record and what was derived from it take."""
        return self.record.nbytes + self.analysis.nbytes

    def own_notes(self) -> Floats | None:
        """The notes of the parts of the craft that is looked at, shape (parts, 4)."""
        if self.notes is None:
            return None
        first = sum(len(one.craft.parts) for one in self.job.actors[: self.job.who])
        return self.notes[first : first + len(self.job.single.parts)]

    @property
    def is_diverged(self) -> bool:
        """True if it ended since a number was out of bounds."""
        return self.status == state.DIVERGED

    @property
    def state_word(self) -> str:
        """The end of the run, in a word for scripts: finished (came to its time), ended (its end condition) or
        diverged."""
        return {state.RUNNING: "finished", state.ENDED: "ended", state.DIVERGED: "diverged"}[self.status]

    @property
    def layout(self) -> Layout:
        """Position of each number in a row."""
        return self.record.layout

    @property
    def ticks(self) -> int:
        """Ticks done."""
        return len(self.record) - 1

    @property
    def duration(self) -> float:
        """s from the start to the last tick."""
        return (self.first_tick + self.ticks) * self.job.dt

    @cached_property
    def t(self) -> Floats:
        """s of every row, shape (ticks + 1,)."""
        return np.asarray((self.first_tick + np.arange(self.ticks + 1)) * self.job.dt, dtype=np.float64)

    def column(self, name: str) -> Floats:
        """A recorded column by name, such as "position.x" or "fan.force.z", shape (ticks + 1,). Channels are those of
        the whole craft, from whichever of its bodies it is looked at."""
        if self.job.body and name.partition(".")[0] in ("channel", "input"):
            name = f"{self.job.craft.id}/{name}"
        return self.record.column(self.layout.place(name))

    def columns(self, *names: str) -> Floats:
        """Several columns side by side, shape (ticks + 1, names)."""
        return np.stack([self.column(name) for name in names], axis=1)

    def own_row(self, row: int) -> Floats:
        """A row from the first column of the craft that is looked at on, shape (n,): see `Layout.own_place`."""
        return np.asarray(self.record.row(row)[self.layout.first :], dtype=np.float64)

    def place_at(self, row: int) -> Floats:
        """The centre of mass in a row, m, world axes, shape (3,); no more is read than that row."""
        first = self.layout.first
        return np.asarray(self.record.row(row)[first : first + 3], dtype=np.float64)

    def at(self, time: float) -> int:
        """The row at or just before `time`."""
        return min(max(int(time / self.job.dt + 1e-6) - self.first_tick, 0), self.ticks)

    def line(self, name: str) -> Floats:
        """Force and torque of a ledger line, shape (ticks + 1, 6), N and N m, world axes."""
        first = self.layout.place(f"{name}.force.x")
        return np.asarray(self.record.block(first, 6), dtype=np.float64)

    @cached_property
    def digest(self) -> str:
        """A fingerprint of every recorded bit, but of the inputs that were given."""
        seal = hashlib.sha256()
        for place, name in enumerate(self.layout.names):
            if name.rpartition("/")[2].startswith("input."):
                continue
            seal.update(np.ascontiguousarray(self.record.column(place)).tobytes())
        return seal.hexdigest()[:16]


def execute(job: Job) -> Run:
    """Runs a drill from start to end. A run that diverges is a result, with a message; never an error."""
    return executed(job, Machine.of(job), tracks.inputs(job, world.check_size(job)))


def executed(job: Job, machine: Machine, inputs: Floats, rows: Rows | None = None, layout: Layout | None = None) -> Run:
    """Runs what `machine` holds at its start. inputs : shape (ticks, channels). rows : where it is recorded, a row more
    than ticks; None for room of its own. layout : of a job with the same columns, where it is known."""
    layout = layout or Layout.of(job)
    rows = rows or layout.room(len(inputs) + 1)
    began = time.perf_counter()
    status, done = machine.record(inputs, rows, job.substeps)
    seconds = time.perf_counter() - began
    rows, message = rows.first(done + 1), ""
    sound = status != state.DIVERGED and _is_finite(rows.crafts) and _is_finite(rows.beside)
    block: Floats | Block = rows if rows.has_beside else rows.crafts
    if not sound:
        status, block, lost = stopped_at_nonsense(layout, status, rows.whole())
        has_ledger = layout.own.ledger
        if status == state.DIVERGED:
            message = explain_divergence(job, layout, block, lost) if has_ledger else "diverged"
    return told_of(job, machine, Record(layout, [block]), status, seconds, message)


def told_of(job: Job, machine: Machine, record: Record, status: int, seconds: float, message: str = "") -> Run:
    """A run that `machine` has done, with all that its arrays tell beside its record."""
    return Run(
        job, record, status, message,
        overlap=_overlap(job, machine.scene), notes=machine.shot_memory.notes, seconds=seconds,
        lost_contacts=int(machine.scene.counts[LOST]), faults=faults_of(job, machine.world.parts),
    )  # fmt: skip


def _overlap(job: Job, scene: Scene) -> tuple[float, str, str] | None:
    depth, one, other = scene.start
    if depth == 0.0:
        return None
    names = bodynames.solid_names(job)
    return float(depth), names[int(one)], names[int(other)]


def _is_finite(rows: Floats) -> bool:
    """True if no number is NaN or infinite. Their sum tells in a fifth of the time that looking at each takes; no
    product of vectors, since the library for those has threads of its own, which stand in the way of ours."""
    with np.errstate(all="ignore"):
        return bool(np.isfinite(rows.sum()) or np.isfinite(rows).all())


def stopped_at_nonsense(layout: Layout, status: int, rows: Floats, least: int = 1) -> tuple[int, Floats, str]:
    """A record without what is not finite: its status, its rows before that, and the first column that was not, or "".

    rows : shape (n, width). least : rows that stay in any case, with 0 in the place of what is not finite.
    """
    if _is_finite(rows):
        return status, rows, ""
    bad = ~np.isfinite(rows)
    if not bad.any():
        return status, rows, ""
    first = int(np.argmax(bad.any(axis=1)))
    name = layout.names[int(np.argmax(bad[first]))]
    kept = rows[: max(first, least)]
    return state.DIVERGED, np.nan_to_num(kept, nan=0.0, posinf=0.0, neginf=0.0) if first < least else kept, name


def out_of_proportion(job: Job) -> str:
    """A number of the craft that is far beyond its size, in a sentence with what would be right; "" if none is."""
    body = job.single.body
    size = max(body.half_extents())
    far = max(abs(body.centre_x), abs(body.centre_y), abs(body.centre_z))
    if far > 20.0 * size:
        return f"Its centre of mass lies {_off(far, size)}; try a place within the body."
    for part in job.single.parts:
        far = max((abs(getattr(part, axis, 0.0)) for axis in "xyz"), default=0.0)
        if far > 50.0 * size:
            return f"{part.heading} is mounted {_off(far, size)}; try a place nearer to it."
    return ""


def explain_divergence(job: Job, layout: Layout, rows: Floats, lost: str = "") -> str:
    """The message of a run that diverged: the part, the tick, the likely cause and what would hold.

    rows : the record up to there, shape (n, width). lost : the column that first was not finite, or "".
    """
    last = len(rows) - 1
    culprit = thrown_by(layout, rows) or lost.rpartition(".")[0].rpartition(".")[0] or lost
    tick = f"tick {last} ({units.fixed(last * job.dt, 's', 3)})"
    cause = out_of_proportion(job) or divergence_cause(job, culprit, rows[0 : max(1, last - 1)], layout)
    if lost:
        return f"diverged at {tick}: {lost} became NaN or infinite. {cause}"
    return f"diverged at {tick}: {culprit} grew without bound. {cause}"


def thrown_by(layout: Layout, rows: Floats) -> str:
    """The ledger line that put the most energy into the last ticks of a record that ends in nonsense, "" for none. A
    line that only holds against what another drives is large too, but takes energy out.

    rows : shape (n, width).
    """
    motion = [layout.place(f"{name}.{axis}") for name in ("velocity", "spin") for axis in "xyz"]
    with np.errstate(all="ignore"):
        pace = 0.5 * (rows[:-1, motion] + rows[1:, motion])
        culprit, most = "", 0.0
        for name in layout.lines:
            place = layout.place(f"{name}.force.x")
            work = np.sum(rows[1:, place : place + 6] * pace, axis=1)[-4:]
            given = float(np.max(work[np.isfinite(work)], initial=0.0))
            if given > most:
                culprit, most = name, given
    return culprit


def divergence_cause(job: Job, culprit: str, rows: Floats, layout: Layout) -> str:
    """The likely cause of a divergence, with the number that would hold. rows : shape (n, width)."""
    part = next((part for part in job.single.parts if part.id == culprit), None)
    body = job.single.body
    if culprit == "damping":
        worst = max(body.damping, body.spin_damping)
        return (
            f"Explicit damping of {units.plain(worst, '1/s')} reverses the velocity in a tick "
            f"of {units.plain(job.dt, 's', 4)}; below "
            f"{units.plain(2.0 / job.dt, '1/s')} it is stable, and the exact law is at any rate."
        )
    if part is None:
        return common.TOO_LARGE
    start = layout.place("velocity.x")
    early = rows[: max(2, len(rows) // 2), start : start + 3]
    speed = float(np.nanmax(np.linalg.norm(early, axis=1))) if len(early) else 0.0
    return str(part.blew_up(speed, job.ground.air_density, body.true_mass(), job.ticks))


def _off(far: float, size: float) -> str:
    """The offset of something from a body and the size of that body, in words; m and half its size, m."""
    return f"{units.plain(far, 'm')} off a body of {units.plain(2 * size, 'm')}"
