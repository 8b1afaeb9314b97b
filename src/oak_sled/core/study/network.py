"""A run as it is seen over a network: an authority decides, a copy elsewhere is predicted and corrected by packets.

Whoever drives is ahead of a server by the delay, so that inputs reach it in time for their tick; until one does, the
newest that did is used. Packets of state come back late. Who watches carries the last packet on by its velocity (dead
reckoning), or simulates the state in it again with the inputs that were known then. Who drives simulates with inputs of
their own, and corrects that by the difference that a packet tells, or by simulating again from it with all inputs
since. All times are ticks of the craft itself, so that a copy without any fault lies exactly on what the authority
decides for the same tick.
"""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine, State
from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.base.faults import refuse
from oak_sled.core.results import rotations, run
from oak_sled.core.results.record import Layout
from oak_sled.core.results.run import Run
from oak_sled.core.yard.network import Network

SAME = 1e-3
"""m by which a copy must be off for a packet to count as a correction of it."""
UP, DOWN, INPUTS = 1, 2, 3
"""Purposes of a sequence of random numbers, beside the seed: so that none depends on how many another takes."""


@dataclass(frozen=True)
class Packet:
    """A packet of state. tick : whose end it tells. arrives : the tick of whoever sees the copy, before which it is
    there; -1: it is lost. pose : position (m), attitude (quaternion w, x, y, z), velocity (m/s) and spin (rad/s), world
    axes, shape (13,). state : the whole world then. inputs : those that were used in that tick, shape (channels,)."""

    tick: int
    arrives: int
    pose: Floats
    state: State
    inputs: Floats


@dataclass(frozen=True)
class Seen:
    """A craft as it is seen. truth, shown : m of the authority's and of the copy at each tick, shape (ticks + 1, 3).
    error : m between them, and turned : rad between their attitudes, shape (ticks + 1,). jump : m by which the copy
    moved in a tick otherwise than the authority's did, shape (ticks + 1,). corrected : ticks at which a packet put it
    elsewhere. rolled : ticks that were simulated again for each packet. cost : s that one of those ticks took; NaN
    where there were none. lost, packets : of how many. late_inputs : share of inputs that were not used in their
    tick."""

    network: Network
    ticks: int
    truth: Floats
    shown: Floats
    error: Floats
    turned: Floats
    jump: Floats
    corrected: Ints
    rolled: Ints
    cost: float
    lost: int
    packets: int
    late_inputs: float

    @property
    def t(self) -> Floats:
        """s of each tick, shape (ticks + 1,)."""
        return np.arange(len(self.error)) / self.ticks

    @property
    def rms(self) -> float:
        """m that the copy is off, root mean square."""
        return float(np.sqrt(np.mean(self.error**2)))

    @property
    def most(self) -> float:
        """m that the copy is off at most."""
        return float(self.error.max())

    @property
    def largest_jump(self) -> float:
        """m of the largest jump."""
        return float(self.jump.max())

    @property
    def corrections(self) -> float:
        """Corrections a second."""
        return len(self.corrected) * self.ticks / max(len(self.error) - 1, 1)


def seen(job: Job, network: Network, made: Run | None = None) -> Seen:
    """The craft of a job (its first body) as it is seen over a network. made : the run of the job, where it is there.
    Raises `Refused` where the run diverges or is over at once."""
    made = made or run.execute(job)
    if made.is_diverged or made.ticks < 2:
        raise refuse(f"drills.{job.drill.id}", made.message or "is over at once", "a drill that runs to its end")
    line = _Line(job, network, made)
    return line.watched() if network.seen_by == "others" else line.driven()


def delays_of(network: Network, count: int, kind: int) -> tuple[Floats, NDArray[np.bool_]]:
    """s of the delay of so many packets, and which are lost, shape (count,) each."""
    rng = np.random.default_rng([network.seed, kind])
    jitter, lost = rng.uniform(0.0, 1.0, (2, count))
    return 1e-3 * (network.delay + network.jitter * jitter), lost < network.loss


class _Line:
    """A connection under way. ahead : ticks by which whoever drives is ahead of the authority."""

    def __init__(self, job: Job, network: Network, made: Run):
        self.network, self.dt, self.ticks = network, job.dt, job.ticks
        # what drives by itself sees the world as it is: its inputs are taken as they were given
        bare = tuple(member.replace(tracks=()) for member in job.drill.cast)
        blank = job.drill.replace(tracks=(), cast=bare, input_delay=0.0, input_jitter=0.0, targets=(), end="time")
        self.job = replace(job, drill=blank)
        self.who = job.who
        self.inputs = _inputs_of(made)
        self.owners = _owners(job)
        self.layout = Layout.of(self.job)
        self.ahead = 0
        if network.authority == "server":
            self.ahead = math.ceil(1e-3 * (network.delay + network.buffer) * self.ticks - 1e-9)
        self.used, self.late_inputs = self._used_inputs()
        self.packets = self._sent()
        self.cost, self.rerun = 0.0, 0

    def _used_inputs(self) -> tuple[Floats, float]:
        """The inputs that the authority uses, shape (ticks, channels), and the share that is not that of its tick."""
        if self.network.authority == "driver":
            return self.inputs, 0.0
        used, missed, count = self.inputs.copy(), 0, len(self.inputs)
        every = sorted(set(self.owners.tolist()))
        for owner in every:
            own = self.owners == owner
            delay, lost = delays_of(self.network, count, INPUTS + owner)
            sent = np.flatnonzero(~lost)
            there = np.maximum(sent, sent + np.ceil(delay[sent] * self.ticks - 1e-9).astype(int) - self.ahead)
            newest = np.full(count, -1)
            early = there < count
            np.maximum.at(newest, there[early], sent[early])
            newest = np.maximum.accumulate(newest)  # what came late is used from then on
            missed += int(np.count_nonzero(newest != np.arange(count)))
            used[:, own] = np.where(newest[:, None] >= 0, self.inputs[np.maximum(newest, 0)][:, own], 0.0)
        return used, missed / max(count * len(every), 1)

    def _sent(self) -> list[Packet]:
        """The authority's run, and the packets that it sends, in order of their ticks."""
        count = len(self.used)
        every = max(1, round(self.ticks / self.network.rate))
        sends = np.arange(every, count + 1, every)
        delay, lost = delays_of(self.network, len(sends), DOWN)
        machine, rows = Machine.of(self.job), np.empty((count + 1, self.layout.width))
        machine.first_row(rows[0])
        packets, done = [], 0
        for number, tick in enumerate(sends.tolist()):
            machine.advance(np.ascontiguousarray(self.used[done:tick]), rows[done + 1 : tick + 1])
            arrives = tick + self.ahead + math.ceil(delay[number] * self.ticks - 1e-9)
            place = -1 if lost[number] else int(arrives)
            packets.append(Packet(tick, place, self._pose(rows[tick]), machine.save(), self.used[tick - 1]))
            done = tick
        if done < count:
            machine.advance(np.ascontiguousarray(self.used[done:]), rows[done + 1 :])
        self.poses = np.stack([self._pose(row) for row in rows])
        return packets

    def _pose(self, row: Floats) -> Floats:
        first = self.layout.first_of(self.who)
        return np.array(row[first : first + 13])

    # what is seen

    def watched(self) -> Seen:
        """The copy of those who watch: they know its inputs by packets only."""
        count = len(self.used)
        copy = _Copy(self.poses[0], self.network, self.dt)
        machine = Machine.of(self._eventless()) if self.network.correct == "rollback" else None
        row = np.empty((1, self.layout.width))
        newest, held = 0, np.zeros(self.used.shape[1])
        corrected, rolled = [], []
        limit = 1e-3 * self.network.limit * self.ticks
        clock = round(1e-3 * self.network.clock * self.ticks)
        for tick in range(1, count + 1):
            there = self._arrived(tick - 1, newest)
            moves = tick - newest <= limit
            if there is not None:
                newest, held = there.tick, there.inputs
                age = max(tick - 1 - newest - clock, 0)
                before = copy.now.copy()
                if machine is None:
                    copy.begin(there.pose, age)
                else:
                    copy.put(self._again(machine, there.state, np.tile(held, (age, 1))))
                    rolled.append(age)
                if float(np.linalg.norm(copy.now[:3] - before[:3])) > SAME:
                    corrected.append(tick)
                moves = tick - newest <= limit
            if machine is None:
                copy.straight(moves)
            elif moves:
                machine.advance(held[None], row)
                copy.step(self._pose(row[0]))
            else:
                copy.step(copy.now)
            copy.show()
        return self._told(copy, corrected, rolled)

    def driven(self) -> Seen:
        """The copy of the driver: simulated with the driver's own inputs at once, those of others by packets."""
        count = len(self.used)
        copy = _Copy(self.poses[0], self.network, self.dt)
        machine = Machine.of(self._eventless())
        mine = self.owners == self._lead()
        row, history = np.empty((1, self.layout.width)), [self.poses[0]]
        newest, held = 0, np.zeros(self.used.shape[1])
        corrected, rolled = [], []
        for tick in range(1, count + 1):
            there = self._arrived(tick - 1, newest)
            if there is not None:
                newest, held = there.tick, there.inputs
                off = there.pose[:3] - history[newest][:3]
                if float(np.linalg.norm(off)) > SAME or self._others_move(mine):
                    before = copy.now.copy()
                    age = tick - 1 - newest
                    if self.network.correct == "rollback":
                        given = np.tile(held, (age, 1))
                        given[:, mine] = self.inputs[newest : tick - 1, mine]
                        found = self._again(machine, there.state, given, history[newest:])
                        copy.put(found)
                        rolled.append(age)
                    else:
                        self._shift(machine, off)
                        for place in range(newest, len(history)):
                            history[place] = history[place].copy()
                            history[place][:3] += off
                        copy.put(history[-1])
                    if float(np.linalg.norm(copy.now[:3] - before[:3])) > SAME:
                        corrected.append(tick)
            given = held.copy()
            given[mine] = self.inputs[tick - 1, mine]
            machine.advance(given[None], row)
            history.append(self._pose(row[0]))
            copy.step(history[-1])
            copy.show()
        return self._told(copy, corrected, rolled)

    def _arrived(self, tick: int, newest: int) -> Packet | None:
        """The newest packet that is there at a tick, if it is newer than the last one."""
        found = None
        for packet in self._due(tick):
            if packet.tick > newest and (found is None or packet.tick > found.tick):
                found = packet
        return found

    def _due(self, tick: int) -> Iterator[Packet]:
        if not hasattr(self, "_by_tick"):
            self._by_tick: dict[int, list[Packet]] = {}
            for packet in self.packets:
                if packet.arrives >= 0:
                    self._by_tick.setdefault(packet.arrives, []).append(packet)
        yield from self._by_tick.get(tick, ())

    def _again(self, machine: Machine, state: State, inputs: Floats, history: list[Floats] | None = None) -> Floats:
        """Simulates a state again up to now; the pose then. history : poses from that state on, which are rewritten."""
        began = time.perf_counter()
        machine.load(state)
        rows = np.empty((len(inputs) + 1, self.layout.width))
        machine.first_row(rows[0])
        if len(inputs):
            machine.advance(np.ascontiguousarray(inputs), rows[1:])
        self.cost, self.rerun = self.cost + time.perf_counter() - began, self.rerun + len(inputs)
        found = [self._pose(row) for row in rows]
        if history is not None:
            history[: len(found)] = found
        return found[-1]

    def _shift(self, machine: Machine, off: Floats) -> None:
        """Moves the body of the craft in a machine."""
        machine.scene.solids["position"][1 + self.who] += off

    def _eventless(self) -> Job:
        """The job of a copy, which does not know beforehand what will happen."""
        return replace(self.job, drill=self.job.drill.replace(events=()))

    def _lead(self) -> int:
        """The number of the actor whose channels drive the craft that is seen."""
        return self.job.actors[self.who].lead

    def _others_move(self, mine: NDArray[np.bool_]) -> bool:
        """True if others take part whose inputs the driver does not know."""
        return not bool(mine.all())

    def _told(self, copy: _Copy, corrected: list[int], rolled: list[int]) -> Seen:
        shown = np.stack(copy.shown)
        truth = self.poses[: len(shown)]
        away = shown[:, :3] - truth[:, :3]
        moved = np.diff(away, axis=0, prepend=away[:1])
        mine, its = (rotations.rotations(one[:, 3:7]) for one in (shown, truth))
        cosine = 0.5 * (np.einsum("kij,kij->k", mine, its) - 1.0)
        return Seen(
            network=self.network, ticks=self.ticks, truth=truth[:, :3], shown=shown[:, :3],
            error=np.linalg.norm(away, axis=1), turned=np.arccos(np.clip(cosine, -1.0, 1.0)),
            jump=np.linalg.norm(moved, axis=1), corrected=np.array(corrected, int), rolled=np.array(rolled, int),
            cost=self.cost / self.rerun if self.rerun else math.nan,
            lost=sum(packet.arrives < 0 for packet in self.packets), packets=len(self.packets),
            late_inputs=self.late_inputs,
        )  # fmt: skip


class _Copy:
    """A pose that goes on between packets, and what is shown of it: corrections are faded in. now : as it is believed,
    shape (13,); shown : what was shown at each tick, the start first."""

    def __init__(self, pose: Floats, network: Network, dt: float):
        self.now, self.dt = pose.copy(), dt
        fades = network.correct != "snap" and network.blend > 0.0
        self._fade = round(1e-3 * network.blend / dt) if fades else 0
        self._offset, self._left = np.zeros(3), 0
        self.shown = [pose.copy()]

    def begin(self, pose: Floats, age: int) -> None:
        """A packet of that age (ticks) came: the pose that it tells, shape (13,), carried on by velocity and spin."""
        self.put(_carried(pose, age * self.dt))

    def put(self, pose: Floats) -> None:
        """It is at another pose than was believed, shape (13,): the difference is faded out."""
        if self._fade:
            self._offset = self._offset * (self._left / self._fade) + self.now[:3] - pose[:3]
            self._left = self._fade
        self.now = pose.copy()

    def straight(self, moves: bool) -> None:
        """Goes on for a tick by its velocity and spin, or stands still."""
        if moves:
            self.now = _carried(self.now, self.dt)

    def step(self, pose: Floats) -> None:
        """Goes on to the pose that was simulated, shape (13,)."""
        self.now = pose.copy()

    def show(self) -> None:
        """Shows it at a tick."""
        pose = self.now.copy()
        if self._left > 0:
            self._left -= 1
            pose[:3] += self._offset * (self._left / self._fade)
        self.shown.append(pose)


def _carried(pose: Floats, seconds: float) -> Floats:
    """A pose carried on by its velocity and spin, shape (13,)."""
    made = pose.copy()
    made[:3] += pose[7:10] * seconds
    turn = pose[10:13] * seconds
    angle = float(np.linalg.norm(turn))
    if angle > 1e-12:
        w, (x, y, z) = math.cos(0.5 * angle), turn / angle * math.sin(0.5 * angle)
        a, b, c, d = pose[3:7]
        made[3:7] = (
            w * a - x * b - y * c - z * d, w * b + x * a + y * d - z * c,
            w * c - x * d + y * a + z * b, w * d + x * c - y * b + z * a,
        )  # fmt: skip
    return made


def _inputs_of(made: Run) -> Floats:
    """The raw inputs as they came in, of all crafts, shape (ticks, channels)."""
    columns = []
    for who, one in enumerate(made.layout.crafts):
        first = made.layout.first_of(who)
        columns += [made.record.column(first + one.names.index(f"input.{name}"))[1:] for name in one.channels]
    return np.stack(columns, axis=1) if columns else np.zeros((made.ticks, 0))


def _owners(job: Job) -> NDArray[np.int64]:
    """The number of the first body of the craft whose each channel is, shape (channels,)."""
    return np.array([one.lead for one in job.actors for _ in one.channels], np.int64)
