"""A copy of a craft that is kept near to the craft by packets: what one is told, and the two who keep one.

Who watches carries the last packet on by its velocity (dead reckoning), or simulates the state in it again with the
inputs that were known then. Who drives simulates with inputs of their own, and corrects that by the difference that a
packet tells, or by simulating again from it with all inputs since.
"""

from __future__ import annotations

import math
import time
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly import eventrows
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine, State
from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.results import rotations
from oak_sled.core.results.record import Layout
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.network import Network

SAME = 1e-3
"""m by which a copy must be off for a packet to count as a correction of it."""
POSE = 13
"""Numbers of a pose: position (m), attitude (quaternion w, x, y, z), velocity (m/s) and spin (rad/s), world axes."""
DOWN, INPUTS = 2, 3
"""Purposes of a sequence of random numbers, beside the seed: packets of state, and inputs of the first craft."""
_MANY = 1024
WINDOW_S = 1.0
"""s over which corrections are counted for their trace."""


@dataclass(frozen=True)
class Packet:
    """A packet of state. tick : whose end it tells. arrives : the tick of whoever sees the copy, before which it is
    there; -1: it is lost. pose : see `POSE`, shape (13,). state : the whole world then; None where none is sent.
    inputs : those that were used in that tick, shape (channels,)."""

    tick: int
    arrives: int
    pose: Floats
    state: State | None
    inputs: Floats


@dataclass(frozen=True)
class Seen:
    """A craft as it is seen. truth, shown : the poses of the authority's and of the copy at each tick from `first_tick`
    on, see `POSE`, shape (ticks + 1, 13). error : m between them, and turned : rad between their attitudes, shape
    (ticks + 1,). jump : m by which the copy moved in a tick otherwise than the authority's did, shape (ticks + 1,).
    corrected : ticks at which a packet put it elsewhere. rolled : ticks that were simulated again for each packet.
    cost : s that one of those ticks took; NaN where there were none. lost, packets : of how many. late_inputs : share
    of inputs that were not used in their tick."""

    network: Network
    ticks: int
    first_tick: int
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
        return np.asarray((self.first_tick + np.arange(len(self.error))) / self.ticks)

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

    def often(self) -> Floats:
        """Corrections in the second before each tick, 1/s, shape (ticks + 1,)."""
        came = np.bincount(self.corrected, minlength=len(self.error))[: len(self.error)]
        total = np.concatenate([[0], np.cumsum(came)])
        last = np.arange(1, len(total))
        return np.asarray((total[last] - total[np.maximum(last - round(WINDOW_S * self.ticks), 0)]) / WINDOW_S)


class Way:
    """Packets one way, in their order: how long each takes, and which are lost, from a seed of the connection and of
    the purpose, so that none depends on how many another takes."""

    def __init__(self, network: Network, purpose: int):
        self._network, self._rng = network, np.random.default_rng([network.seed, purpose])
        self._drawn, self._next = np.empty((0, 2)), 0

    def send(self) -> float | None:
        """s that the next packet takes; None: it is lost."""
        if self._next == len(self._drawn):
            self._drawn, self._next = self._rng.uniform(0.0, 1.0, (_MANY, 2)), 0
        jitter, loss = self._drawn[self._next]
        self._next += 1
        return (
            None if loss < self._network.loss else 1e-3 * (self._network.delay + self._network.jitter * float(jitter))
        )


class Again:
    """A world in which a state is simulated again. cost : s that it took so far; ticks : how many they were."""

    def __init__(self, job: Job, events: tuple[Event, ...]):
        self.job = replace(job, drill=job.drill.replace(events=()))
        self.machine, self.layout = Machine.of(self.job), Layout.of(self.job)
        self.cost, self.ticks = 0.0, 0
        self._row = np.empty((1, self.layout.width))
        self._first = self.layout.first_of(job.who)
        self._solid = 1 + job.who
        self.machine.first_row(self._row[0])
        self._last = self.pose(self._row[0])
        self.machine.world = self.machine.world._replace(events=eventrows.event_rows(list(events), self.job))

    def learns(self, event: Event) -> None:
        """One event more, of which whoever keeps the copy knows."""
        events, new = self.machine.world.events, eventrows.event_rows([event], self.job)
        later = np.concatenate([events, new])
        self.machine.world = self.machine.world._replace(events=later[np.argsort(later["time"], kind="stable")])

    def pose(self, row: Floats) -> Floats:
        """The pose in a row, shape (13,)."""
        return np.array(row[self._first : self._first + POSE])

    def load(self, state: State) -> None:
        """A state of the authority's world: its next event is the first that is known here and has not been."""
        self.machine.load(state)
        now = float(self.machine.nows["time"][0])
        times = self.machine.world.events["time"]
        self.machine.nows["next_event"] = int(np.searchsorted(times, now - 1e-9))

    def due(self, tick: int) -> list[int]:
        """The numbers of the events that are known and happen in a tick."""
        times = self.machine.world.events["time"] * self.job.ticks
        return [int(one) for one in np.flatnonzero((times <= tick - 1 + 1e-6) & (times > tick - 2 + 1e-6))]

    def run(self, state: State, inputs: Floats) -> list[Floats]:
        """Simulates a state on with inputs, shape (ticks, channels); the poses, that of the state first."""
        began = time.perf_counter()
        self.load(state)
        rows = np.empty((len(inputs) + 1, self.layout.width))
        self.machine.first_row(rows[0])
        ran = self.machine.advance(np.ascontiguousarray(inputs), rows[1:])[1] if len(inputs) else 0
        self.cost, self.ticks = self.cost + time.perf_counter() - began, self.ticks + len(inputs)
        self._last = self.pose(rows[0])
        found = [self._last]
        for row in rows[1 : 1 + ran]:
            self._last = sane(self.pose(row), self._last)
            found.append(self._last)
        return found + [self._last] * (len(inputs) - ran)

    def kick(self, state: State, event: int) -> Floats:
        """By how much an event that is known would change velocity and spin in a state, m/s and rad/s, world axes,
        shape (6,). event : its number."""
        found, none = [], np.zeros((1, len(self.job.channels)))
        for happens in (True, False):
            self.machine.load(state)
            now = self.machine.nows
            kept = self.machine.world.events["time"].copy()
            self.machine.world.events["time"][event] = float(now["time"][0])
            self.machine.world.events["time"][event + 1 :] = np.inf
            now["next_event"] = event if happens else len(kept)
            self.machine.advance(none, self._row)
            self.machine.world.events["time"] = kept
            found.append(self.pose(self._row[0])[7:])
        return np.asarray(found[0] - found[1])

    def channel(self, name: str) -> float:
        """A channel of the craft in the tick that was done last, when its input is shaped."""
        return float(self._row[0][self.layout.place(f"channel.{name}")])

    def step(self, inputs: Floats) -> Floats:
        """A tick with inputs, shape (channels,); the pose then."""
        if self.machine.advance(inputs[None], self._row)[1]:
            self._last = sane(self.pose(self._row[0]), self._last)
        return self._last

    def put(self, pose: Floats) -> None:
        """Puts the body of the craft at a pose, shape (13,): what follows from its attitude too."""
        solid = self.machine.scene.solids[self._solid]
        solid["position"], solid["attitude"], solid["velocity"], solid["spin"] = np.split(pose, (3, 7, 10))
        axes = rotations.rotation(pose[3:7])
        solid["axes"] = axes
        solid["inverse_inertia"] = axes @ np.linalg.inv(solid["inertia"]) @ axes.T


class Faded:
    """A pose that goes on between packets, and what is shown of it: corrections are faded in. now : as it is believed,
    shape (13,); shown : what was shown at each tick, the start first. corrected : ticks at which a packet put it
    elsewhere; rolled : ticks that were simulated again for each packet."""

    def __init__(self, pose: Floats, network: Network, dt: float):
        self.now, self.dt, self.network = pose.copy(), dt, network
        fades = network.correct != "snap" and network.blend > 0.0
        self._fade = round(1e-3 * network.blend / dt) if fades else 0
        self._offset, self._left = np.zeros(3), 0
        self.shown = [pose.copy()]
        self.corrected: list[int] = []
        self.rolled: list[int] = []
        self.newest = 0

    @property
    def tick(self) -> int:
        """The tick that is shown next."""
        return len(self.shown)

    def put(self, pose: Floats) -> None:
        """It is at another pose than was believed, shape (13,): the difference is faded out."""
        if self._fade:
            self._offset = self._offset * (self._left / self._fade) + self.now[:3] - pose[:3]
            self._left = self._fade
        if float(np.linalg.norm(self.now[:3] - pose[:3])) > SAME:
            self.corrected.append(self.tick)
        self.now = pose.copy()

    def show(self) -> None:
        """Shows it at a tick."""
        pose = self.now.copy()
        if self._left > 0:
            self._left -= 1
            pose[:3] += self._offset * (self._left / self._fade)
        self.shown.append(pose)


class Watched(Faded):
    """The copy of those who watch: they know the inputs of the craft by packets only.

    again : the world in which they simulate, and which knows what they decide; None: they carry packets on. start,
    first_tick : the world at the start, and the tick then.
    """

    def __init__(
        self,
        pose: Floats,
        network: Network,
        dt: float,
        again: Again | None = None,
        start: State | None = None,
        first_tick: int = 0,
    ):
        super().__init__(pose, network, dt)
        self.again = again
        self._held: Floats | None = None
        self._state, self._first_tick = start, first_tick
        self._limit = 1e-3 * network.limit / dt
        self._clock = round(1e-3 * network.clock / dt)

    def go_on(self, there: Packet | None) -> None:
        """A tick, with the newest packet that is there."""
        simulates = self.again is not None and self.network.correct == "rollback"
        if there is not None:
            self.newest, self._held, self._state = there.tick, there.inputs, there.state or self._state
            age = max(self.tick - 1 - self.newest - self._clock, 0)
            if simulates and there.state is not None:
                assert self.again is not None
                self.put(self.again.run(there.state, np.tile(there.inputs, (age, 1)))[-1])
                self.rolled.append(age)
            else:
                self.put(carried(there.pose, age * self.dt))
        if self.tick - self.newest <= self._limit:
            if simulates:
                assert self.again is not None
                held = np.zeros(len(self.again.job.channels)) if self._held is None else self._held
                self.now = self.again.step(held)
            else:
                self._kicked()
                self.now = carried(self.now, self.dt)
        self.show()

    def _kicked(self) -> None:
        """Puts what they decide themselves to what they see at once."""
        if self.again is not None and self._state is not None:
            for event in self.again.due(self._first_tick + self.tick):
                self.now = self.now.copy()
                self.now[7:] += self.again.kick(self._state, event)


class Driven(Faded):
    """The copy of the driver: simulated with the driver's own inputs at once, those of others by packets. mine : the
    channels that are the driver's, shape (channels,)."""

    def __init__(self, pose: Floats, network: Network, dt: float, again: Again, mine: NDArray[np.bool_]):
        super().__init__(pose, network, dt)
        self.again, self._mine = again, mine
        self._held = np.zeros(len(mine))
        self._history, self._given = [self.now], [self._held]  # of every tick since the newest packet, its own first

    def go_on(self, there: Packet | None, inputs: Floats) -> None:
        """A tick with inputs of all crafts as they are given in it, shape (channels,), and the newest packet that is
        there."""
        if there is not None:
            self._keep_from(there.tick)
            self._held = there.inputs
            self._corrected_by(there)
        given = self._held.copy()
        given[self._mine] = inputs[self._mine]
        self.now = self.again.step(given)
        self._history.append(self.now)
        self._given.append(given)
        self.show()

    def _keep_from(self, tick: int) -> None:
        old = tick - self.newest
        del self._history[:old], self._given[:old]
        self.newest = tick

    def _corrected_by(self, there: Packet) -> None:
        was = self._history[0]
        if np.array_equal(there.pose, was) and bool(self._mine.all()):
            return
        if self.network.correct == "rollback" and there.state is not None:
            given = np.tile(self._held, (len(self._given) - 1, 1))
            for place, one in enumerate(self._given[1:]):
                given[place, self._mine] = one[self._mine]
            self._history = self.again.run(there.state, given)
            self.rolled.append(len(given))
        else:
            self._history = [_moved(one, was, there.pose) for one in self._history]
            self.again.put(self._history[-1])
        self.put(self._history[-1])


def _moved(pose: Floats, was: Floats, told: Floats) -> Floats:
    """A pose moved by what another was off when a packet tells where that should have been, each of shape (13,): by
    place, velocity and spin, and turned by the rotation between the two attitudes."""
    made = pose + told - was
    back = was[3:7] * (1.0, -1.0, -1.0, -1.0)
    made[3:7] = _product(_product(told[3:7], back), pose[3:7])
    made[3:7] /= np.linalg.norm(made[3:7])
    return made


def _product(first: Floats, second: Floats) -> Floats:
    """The product of two quaternions, shape (4,)."""
    (a, b, c, d), (w, x, y, z) = first, second
    return np.array([
        a * w - b * x - c * y - d * z, a * x + b * w + c * z - d * y,
        a * y - b * z + c * w + d * x, a * z + b * y - c * x + d * w,
    ])  # fmt: skip


def sane(pose: Floats, before: Floats) -> Floats:
    """A pose, or the one before it where it is no finite number, each of shape (13,)."""
    return pose if bool(np.isfinite(pose).all()) else before


def carried(pose: Floats, seconds: float) -> Floats:
    """A pose carried on by its velocity and spin, shape (13,)."""
    made = pose.copy()
    made[:3] += pose[7:10] * seconds
    turn = pose[10:13] * seconds
    angle = float(np.linalg.norm(turn))
    if angle > 1e-12:
        made[3:7] = _product(np.array([math.cos(0.5 * angle), *(turn / angle * math.sin(0.5 * angle))]), pose[3:7])
    return made
