"""Probing drills that fit any craft: what drives it is stepped, released and reversed, what turns it is stepped, held
and swung, and it is shoved and dropped; and what they show as arrays.

Each is scaled by the craft itself: speeds by the speed that its drive gives, the shove and the drop by its size. So a
word means the same for a sled, a plane and a pod.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.feel.roles import Roles, own_spin
from oak_sled.core.results import rotations, run, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.drill import Start
from oak_sled.core.yard.event import Event

LEAD, LONG = 2.0, 40.0
"""Own times before what is probed begins, in which the craft settles, and for which it is driven or coasts: what takes
longer counts as long as this."""
HELD, BACK, FREE = 6.0, 4.0, 6.0
"""Own times for which a turn is held, held the other way, and released."""
CRUISE = 0.6
"""Share of its top speed at which it is turned and shoved."""
HALF = 0.5
"""Share of the input that turns it in the steady circle."""
CIRCLE, SHOVED, DROPPED, SWING = 20.0, 16.0, 10.0, 6.0
"""Own times of the circle, after the shove, after the drop, and of a period of the slalom."""
SWINGS, STEPS = 3, 16
"""Periods of the slalom, and steps of its steering in each."""
SHOVE, SHOVE_MOST = 0.25, 2.0
"""Share of its cruising speed (standing, of its length in an own time) by which the shove moves it aside, and lengths
in an own time that it does at most."""
SLOW = 0.1
"""Lengths in an own time below which a direction of motion means nothing."""
LEVER = 0.15
"""Share of its length ahead of the centre of mass at which it is shoved."""
DROP = 0.3
"""Share of its length from which it is dropped."""


@dataclass(frozen=True)
class Seen:
    """The motion that a probe shows, arrays over its rows. made : the run. own : s of an own time of the craft, by
    which all times are told."""

    made: Run
    roles: Roles
    own: float

    @functools.cached_property
    def t(self) -> Floats:
        """Own times of each row, shape (rows,)."""
        return self.made.t / self.own

    @functools.cached_property
    def velocity(self) -> Floats:
        """m/s, world axes, shape (rows, 3)."""
        return np.nan_to_num(traces.velocity(self.made))

    @functools.cached_property
    def speed(self) -> Floats:
        """m/s, shape (rows,)."""
        return np.asarray(np.linalg.norm(self.velocity, axis=1))

    @functools.cached_property
    def frames(self) -> Floats:
        """Own axes to those of the world, shape (rows, 3, 3)."""
        return rotations.rotations(np.nan_to_num(self.made.columns(*(f"rotation.{axis}" for axis in "wxyz"))))

    @functools.cached_property
    def along(self) -> Floats:
        """m/s in the way that it is driven: along its nose, aside, or upward, shape (rows,)."""
        if self.roles.way == 2:
            return self.velocity[:, 2]
        way = self.frames[:, :, self.roles.way].copy()
        if not self.roles.ground.is_space:
            way[:, 2] = 0.0
            way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
        return np.asarray(np.sum(self.velocity * way, axis=1))

    @functools.cached_property
    def spin(self) -> Floats:
        """rad in an own time about its own axes, shape (rows, 3)."""
        return np.nan_to_num(own_spin(self.made)) * self.own

    @functools.cached_property
    def turning(self) -> Floats:
        """rad in an own time about the axis that its turn channel turns it most, shape (rows,)."""
        return self.spin[:, self.roles.axis] * self.roles.turn_sign

    @functools.cached_property
    def heading(self) -> Floats:
        """rad of its heading, without jumps, shape (rows,)."""
        ahead = self.frames[:, :2, 0]
        return np.unwrap(np.arctan2(ahead[:, 1], ahead[:, 0]))

    @functools.cached_property
    def _moves(self) -> NDArray[np.bool_]:
        """True in rows in which it goes somewhere."""
        return np.asarray(np.hypot(self.velocity[:, 0], self.velocity[:, 1]) > self.walks(SLOW))

    def walks(self, lengths: float) -> float:
        """m/s of so many of its lengths in an own time."""
        return lengths * float(self.roles.craft.body.length) / self.own

    @functools.cached_property
    def course(self) -> Floats:
        """rad of the direction in which it moves over the ground, without jumps; held while it hardly moves,
        shape (rows,)."""
        angle = np.arctan2(self.velocity[:, 1], self.velocity[:, 0])
        moves = self._moves
        if not moves.any():
            return self.heading[:1].repeat(len(angle))
        rows = np.flatnonzero(moves)
        angle = angle[rows][np.maximum(np.searchsorted(rows, np.arange(len(angle)), side="right") - 1, 0)]
        return np.unwrap(angle)

    @functools.cached_property
    def slip(self) -> Floats:
        """rad between the direction in which it moves and its nose, 0 to pi; 0 while it hardly moves, shape
        (rows,)."""
        off = self.course - self.heading
        off = np.abs(off - 2.0 * np.pi * np.round(off / (2.0 * np.pi)))
        return np.where(self._moves, off, 0.0)

    @functools.cached_property
    def tilt(self) -> Floats:
        """rad of its upward axis from where that was at the start, shape (rows,)."""
        return np.arccos(np.clip(self.frames[:, :, 2] @ self.frames[0, :, 2], -1.0, 1.0))

    @property
    def height(self) -> Floats:
        """m of height of its centre of mass, shape (rows,)."""
        return np.nan_to_num(self.made.column("position.z"))

    def row(self, time: float) -> int:
        """The row at a time, in own times."""
        return min(self.made.at(time * self.own), len(self.t) - 1)


@dataclass(frozen=True)
class Probed:
    """The probes of a craft. own_time : s in which a thing of its length falls half of that length: by it times are
    told, since large things look and feel right when they are slower. top : m/s that its drive gives.
    constant : s to 63 % of that. seen : what each probe shows, by its name; those
    that do not fit the craft are missing. wild : probes that diverged."""

    roles: Roles
    own_time: float
    top: float
    constant: float
    seen: dict[str, Seen]
    wild: tuple[str, ...]


Runner = Callable[[Job], Run]


def probe(roles: Roles, runner: Runner = run.execute) -> Probed:
    """Runs all probes that fit a craft. runner : does a run of a job."""
    own = own_time(roles)
    hand = _Prober(roles, own, runner, {}, [])
    top, constant = 0.0, LONG * own
    if roles.drive:
        stepped = hand.run("step", LONG, {roles.drive: ((0.0, roles.sign),)}, roles.start)
        if stepped is not None:
            top, constant = _reached(stepped)
            _slowed(hand, top)
    cruise = _cruising(roles, top)
    if roles.turn:
        _turned(hand, cruise)
    _disturbed(hand, cruise)
    return Probed(roles, own, top, constant, hand.found, tuple(hand.wild))


def own_time(roles: Roles) -> float:
    """s in which a thing of the length of a craft falls half of that."""
    return math.sqrt(float(roles.craft.body.length) / STANDARD_GRAVITY)


Tracks = dict[str, tuple[tuple[float, float], ...]]
"""Knots by channel: own times, and values."""


@dataclass(frozen=True)
class _Prober:
    """Runs probes one after another. found, wild : what came of them."""

    roles: Roles
    own: float
    runner: Runner
    found: dict[str, Seen]
    wild: list[str]

    def run(self, name: str, long: float, tracks: Tracks, start: Start, *events: Event) -> Seen | None:
        """A probe over so many own times; None where it diverged."""
        told = {one: tuple((self.own * t, value) for t, value in knots) for one, knots in tracks.items()}
        seconds = min(max(self.own * long, 0.05), 7200.0)
        job = self.roles.job(name, seconds, told, start)
        if events:
            job = replace(job, drill=job.drill.replace(events=events))
        made = self.runner(job)
        if made.is_diverged or made.ticks < 2:
            self.wild.append(name)
            return None
        self.found[name] = Seen(made, self.roles, self.own)
        return self.found[name]


def _reached(stepped: Seen) -> tuple[float, float]:
    """The top speed of a step of the drive, and s to 63 % of its gain."""
    gained = stepped.along - stepped.along[0]
    top = float(gained.max())
    row = int(np.argmax(gained >= (1.0 - math.exp(-1.0)) * top)) if top > 0.0 else 0
    return float(stepped.along[0]) + top, max(float(stepped.made.t[row]), stepped.made.job.dt)


def _cruising(roles: Roles, top: float) -> tuple[Start, Tracks]:
    """The start and the inputs with which it goes on steadily: as it was trimmed, at some of its top speed with as
    much of its drive, or standing."""
    if roles.is_winged or not roles.drive or roles.way != 0 or top <= 0.0:
        return roles.start, {}
    start = roles.start.replace(speed=min(CRUISE * top, 1e4))
    return start, {} if roles.is_flying else {roles.drive: ((0.0, CRUISE * roles.sign),)}


def _slowed(hand: _Prober, top: float) -> None:
    """The probes in which it coasts and in which it is stopped from its top speed."""
    roles = hand.roles
    drive, sign = roles.drive, roles.sign
    start = roles.start.replace(speed=min(top, 1e4)) if roles.way == 0 and not roles.is_winged else roles.start
    hand.run("release", LEAD + LONG, {drive: ((0.0, sign), (LEAD, 0.0))}, start)
    back: Tracks = {drive: ((0.0, sign), (LEAD, -sign if roles.channel(drive).two_sided else 0.0))}
    if roles.brake:
        back = {drive: ((0.0, sign), (LEAD, 0.0)), roles.brake: ((0.0, 0.0), (LEAD, 1.0))}
    hand.run("reverse", LEAD + LONG, back, start)


def _turned(hand: _Prober, cruise: tuple[Start, Tracks]) -> None:
    """The probes in which it is turned."""
    start, driven = cruise
    name, sign = hand.roles.turn, hand.roles.turn_sign
    two_sided = hand.roles.channel(name).two_sided
    times = [LEAD, LEAD + HELD, LEAD + HELD + BACK]
    knots = ((0.0, 0.0), (times[0], sign), (times[1], -sign if two_sided else 0.0), (times[2], 0.0))
    hand.run("turn", times[2] + FREE, {**driven, name: knots}, start)
    hand.run("circle", LEAD + CIRCLE, {**driven, name: ((0.0, 0.0), (LEAD, HALF * sign))}, start)
    if not two_sided:
        return
    swung = tuple(
        (LEAD + k * SWING / STEPS, sign * math.sin(math.tau * (k + 0.5) / STEPS)) for k in range(SWINGS * STEPS)
    )
    hand.run("slalom", LEAD + SWINGS * SWING, {**driven, name: ((0.0, 0.0), *swung)}, start)


def _disturbed(hand: _Prober, cruise: tuple[Start, Tracks]) -> None:
    """The probes in which it is shoved and dropped."""
    roles, (start, driven) = hand.roles, cruise
    long = float(roles.craft.body.length)
    natural = long / hand.own
    aside = min(SHOVE * (start.speed if start.speed > 0.0 else natural), SHOVE_MOST * natural)
    impulse = min(aside * roles.craft.whole_mass(), 1e7)
    shove = Event(id="shove", what="poke", t=LEAD * hand.own, y=impulse, at_x=min(LEVER * long, 1e3))
    hand.run("shove", LEAD + SHOVED, driven, start, shove)
    if not roles.is_flying and roles.craft.can_leave_ground():
        hand.run("drop", DROPPED, {}, roles.start.replace(height=min(DROP * long, 1e5)))
