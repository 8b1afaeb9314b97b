"""Trim: a steady flight in still air, straight or turning, that the real tick keeps, found by a bounded solver.

Speed, climb and bank are given; attitude, channels and the rate of a turn are sought so that the tick changes neither
velocity nor spin in craft axes. Lags of parts are left out, since a steady flight does not know them; other memories
(downwash) are carried on while the state is held, until they are steady too.
Where no flight is steady, the nearest one is given, with what it lacks.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq, least_squares

from oak_sled.core.assembly import starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.kernel import spatial
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

STEADY = 4
"""Ticks for which a state is held until memories of parts without lags are steady: downwash comes a tick late."""
LIGHT = (1e-2, 1e-7)
"""Weight of a full channel beside an acceleration of 1 g, first and at last: among equal flights the search ends near
the one whose channels are least."""
FASTEST_ROLL = 30.0
"""rad/s up to which a steady roll is sought."""
FASTEST = 1000.0
"""m/s up to which a trim is sought."""
STEEPEST = math.radians(75.0)
"""rad of bank up to which a trim is sought."""
COORDINATED = 50.0
"""Weight of a radian of slip beside a full channel, in a turn: among equal turns that with the least slip is found."""
WORST = 1e6
"""g that stand for what is no number: a formula may be that far from a flight."""
HOLDS = 1e-4
"""g, and g over half the length of the body for turns, up to which a flight counts as steady."""


@dataclass(frozen=True)
class Trim:
    """A flight. speed, climb : m/s. bank, pitch, slip : rad, right side down, nose up, and nose left of its way.
    turn : rad/s of heading, to the left. channels : their values. force, torque : N in level axes ahead, left and up,
    and N m about them, that it lacks to be steady, shape (3,). is_steady : whether it lacks none."""

    speed: float
    climb: float
    bank: float
    turn: float
    pitch: float
    slip: float
    channels: dict[str, float]
    force: Floats
    torque: Floats
    is_steady: bool

    def words(self) -> str:
        """It in a line: attitude and channels, or what it lacks."""
        if self.is_steady:
            moved = ", ".join(f"{name} {value:.3f}" for name, value in self.channels.items())
            nose = f"nose {units.fixed(math.degrees(self.pitch), '°', 2)} up"
            if self.turn != 0.0:
                nose += f", turns {units.show(math.degrees(abs(self.turn)), '°/s')}"
            return f"{nose}; {moved}"
        lacks = [
            (abs(self.force[2]), "lift" if self.force[2] > 0.0 else "weight", "N"),
            (abs(self.force[0]), "thrust" if self.force[0] > 0.0 else "drag", "N"),
            (abs(self.torque[1]), "moment to hold its nose", "N m"),
            (max(abs(self.force[1]), 0.0), "side force", "N"),
            (float(np.hypot(self.torque[0], self.torque[2])), "moment to hold its wings and heading", "N m"),
        ]
        size, what, unit = max(lacks)
        return f"lacks {units.show(size, unit)} of {what} at {units.plain(self.speed, 'm/s', 3)}"


def find(craft: Craft, ground: Ground, ticks: int, speed: float, climb: float = 0.0, bank: float = 0.0) -> Trim:
    """The trim of a craft in the air of a ground, without its wind; raises `Refused` for what is no flight.

    speed, climb : m/s in the air. bank : rad, right side down; the craft turns toward it.
    """
    if not 0.0 < speed <= FASTEST:
        most = units.plain(FASTEST, "m/s")
        raise refuse("trim", f"a speed of {units.plain(speed, 'm/s')}", f"above 0, at most {most}")
    if not abs(climb) < speed:
        raise refuse(
            "trim",
            f"a climb of {units.plain(climb, 'm/s')} at a speed of {units.plain(speed, 'm/s')}",
            "a speed above the climb",
        )
    if not abs(bank) <= STEEPEST:
        most = units.plain(math.degrees(STEEPEST), "°")
        raise refuse("trim", f"a bank of {units.plain(math.degrees(bank), '°')}", f"at most {most} to either side")
    if craft.bodies:
        raise refuse("trim", f"{craft.id} is of several bodies", "a craft of one body")
    if any(axis in craft.body.held for axis in ("x", "z", "pitch")):
        raise refuse("trim", f"{craft.id} is held in {', '.join(craft.body.held)}", "a craft that is free to fly")
    held = _Held(craft, ground, ticks, speed, climb, bank)
    low = np.array([-0.6, -0.3, *(-1.0 if one.two_sided else 0.0 for one in craft.channels), *held.rates(-3.0)])
    high = np.array([0.6, 0.3, *(1.0 for _ in craft.channels), *held.rates(3.0)])
    drives = {name for part in craft.parts if part.FAMILY == "drive" for name in part.channels_used()}
    # a propeller at rest answers its channel with its square: from 0 a search would never find it
    idle = [0.4 if one.id in drives or not one.two_sided else 0.0 for one in craft.channels]
    best, least = np.zeros(len(low)), math.inf
    for pitch in (0.05, 0.2):  # two starts: past its stall a wing pushes the search away from the flight
        place = np.array([pitch, 0.0, *idle, *held.rates(1.0)])
        for weight in LIGHT:
            place = _nearest(held, weight, place, low, high)
        wrong = float(np.abs(held.accelerations(place)).max())
        if wrong < least:
            best, least = place, wrong
        if least < HOLDS:
            break
    rest = held.accelerations(best)
    linear, turning = held.apart(rest)
    names = [one.id for one in craft.channels]
    values = dict(zip(names, held.inputs(best).tolist(), strict=True))
    force, torque = -craft.body.true_mass() * linear, -np.array(craft.body.inertia()) * turning
    pitch, slip = best[:2].tolist()
    steady = bool(np.abs(rest).max() < HOLDS)
    return Trim(speed, climb, bank, held.turn(best), pitch, slip, values, force, torque, steady)


def rolls(craft: Craft, ground: Ground, ticks: int, flight: Trim) -> tuple[float, str]:
    """The steady rate of roll of a channel fully to one side from a flight, rad/s, and that channel: the quickest of
    them; 0 and none where none rolls it. What else such an input does is held off: it is the roll alone."""
    held = _Held(craft, ground, ticks, flight.speed, flight.climb, flight.bank)
    still = np.array([flight.pitch, flight.slip, *flight.channels.values()])
    if flight.bank != 0.0:
        still = np.append(still, flight.turn / held.usual)
    quickest, channel = 0.0, ""
    for k, one in enumerate(craft.channels):
        if not one.two_sided:
            continue
        full = still.copy()
        full[2 + k] = 1.0
        way = math.copysign(1.0, held.rolling(full, 0.0))
        if way * held.rolling(full, way * FASTEST_ROLL) >= 0.0:
            continue
        rate = abs(float(brentq(lambda rate, full=full: held.rolling(full, rate), 0.0, way * FASTEST_ROLL, xtol=1e-6)))
        if rate > quickest:
            quickest, channel = rate, one.id
    return quickest, channel


def _nearest(held: _Held, weight: float, first: Floats, low: Floats, high: Floats) -> Floats:
    """The unknowns, shape (2 + channels + rates,), that lack least. weight : of the channels beside it: see LIGHT."""
    close = 1e-10 if weight == LIGHT[-1] else 1e-5  # the first only tells near which flight the last begins
    scale = np.array([0.1, 0.1, *np.ones(len(first) - 2)])

    def wrong(unknown: Floats) -> Floats:
        aside = held.rates(COORDINATED * float(unknown[1]))
        return np.concatenate([held.accelerations(unknown), weight * held.inputs(unknown), weight * np.array(aside)])

    found = least_squares(
        wrong, np.clip(first, low, high), bounds=(low, high), x_scale=scale, xtol=close, ftol=0.01 * close,
        gtol=0.01 * close, max_nfev=120, diff_step=1e-6,
    )  # fmt: skip
    return np.asarray(found.x)


class _Held:
    """A craft held in a state, tick after tick, while its channels and memories act.

    Its unknowns are pitch and slip, rad, the channels, and in a turn its rate over `usual`, that of a turn without side
    force, rad/s to the left."""

    def __init__(self, craft: Craft, ground: Ground, ticks: int, speed: float, climb: float, bank: float):
        # channels that give at once what they are asked for
        channels = tuple(
            one.replace(rise=1e6, fall=1e6, exponent=1.0, dead_zone=0.0, stays="no", takes="level", offset=0.0)
            for one in craft.channels
        )
        angle = math.asin(climb / speed)
        self.velocity = (speed * math.cos(angle), 0.0, speed * math.sin(angle))
        drill = Drill(id="trim", ground=ground.id, craft=craft.id, start=Start(height=1000.0), duration=1.0)
        air = ground.bare().replace(floor=False, wind_speed=0.0)
        parts = tuple(part.without_lag() for part in craft.parts)
        self.job = Job(craft.replace(channels=channels, parts=parts), air, drill, ticks)
        self._gravity, self._half = max(ground.gravity, 1e-3), max(craft.body.half_extents())
        self.bank, self._count = bank, len(channels)
        self.usual = -ground.gravity * math.tan(bank) / speed
        self._machine = Machine.of(self.job)
        self._start = self._machine.save()

    def rates(self, value: float) -> tuple[float, ...]:
        """A value of the rate of a turn, as unknowns have it: none in straight flight."""
        return (value,) if self.bank != 0.0 else ()

    def inputs(self, unknown: Floats) -> Floats:
        """The channels among unknowns, shape (channels,)."""
        return unknown[2 : 2 + self._count]

    def turn(self, unknown: Floats) -> float:
        """rad/s of heading, to the left, of unknowns, shape (2 + channels + rates,)."""
        return self.usual * float(unknown[-1]) if self.bank != 0.0 else 0.0

    def accelerations(self, unknown: Floats) -> Floats:
        """Accelerations in a tick over g, level axes, and those of turning over g by half the length, shape (6,)."""
        dt, rate = self.job.dt, self.turn(unknown)
        body = self._ticked(unknown, 0.0)
        ahead, _, up = self.velocity
        turned = np.array([ahead * math.cos(rate * dt), ahead * math.sin(rate * dt), up])
        linear = (body["velocity"] - turned) / dt
        spun = (body["spin"] - (0.0, 0.0, rate)) / dt
        found = np.concatenate([linear / self._gravity, spun * self._half / self._gravity])
        return np.clip(np.nan_to_num(found, nan=WORST), -WORST, WORST)

    def rolling(self, unknown: Floats, rate: float) -> float:
        """rad/s2 by which a craft that rolls at a rate, rad/s, would roll faster. unknown : as `accelerations` takes
        it, shape (2 + channels + rates,)."""
        body = self._ticked(unknown, rate)
        return float(body["axes"][:, 0] @ body["spin"] - rate) / self.job.dt

    def _ticked(self, unknown: Floats, rolling: float) -> np.void:
        """The body after a tick in a state whose memories are steady. rolling : rad/s about its forward axis."""
        machine = self._machine
        machine.load(self._start)
        for _ in range(STEADY):
            machine.nows["time"] = self.job.dt
            self._put(float(unknown[0]), float(unknown[1]), self.turn(unknown), rolling)
            machine.tick(self.inputs(unknown))
        found: np.void = machine.scene.solids[1]
        return found

    def apart(self, found: Floats) -> tuple[Floats, Floats]:
        """m/s2 and rad/s2 of `accelerations`, shape (3,) each."""
        return found[:3] * self._gravity, found[3:] * self._gravity / self._half

    def _put(self, pitch: float, slip: float, rate: float, rolling: float) -> None:
        body = self._machine.scene.solids[1]
        body["position"] = (0.0, 0.0, 1000.0)
        body["attitude"] = starts.attitude(slip, -pitch, self.bank)
        spatial.axes_of(body["attitude"], body["axes"])
        body["velocity"] = self.velocity
        body["spin"] = (0.0, 0.0, rate) + rolling * body["axes"][:, 0]
