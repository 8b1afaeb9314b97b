"""Trim: a steady straight flight that the real tick keeps, found by a bounded solver.

Speed and climb are given; attitude and channels are sought so that the tick changes neither velocity nor spin, with the
wings level. Lags of parts are left out, since a steady flight does not know them; other memories (downwash) are carried
on while the state is held, until they are steady too.
Where no flight is steady, the nearest one is given, with what it lacks.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

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
FASTEST = 1000.0
"""m/s up to which a trim is sought."""
WORST = 1e6
"""g that stand for what is no number: a formula may be that far from a flight."""
HOLDS = 1e-4
"""g, and g over half the length of the body for turns, up to which a flight counts as steady."""


@dataclass(frozen=True)
class Trim:
    """A flight. speed, climb : m/s. pitch, slip : rad, nose up, and nose left of its way. channels : their values.
    force, torque : N in level axes ahead, left and up, and N m about them, that it lacks to be steady, shape (3,).
    is_steady : whether it lacks none."""

    speed: float
    climb: float
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
            return f"nose {units.fixed(math.degrees(self.pitch), '°', 2)} up; {moved}"
        lacks = [
            (abs(self.force[2]), "lift" if self.force[2] > 0.0 else "weight", "N"),
            (abs(self.force[0]), "thrust" if self.force[0] > 0.0 else "drag", "N"),
            (abs(self.torque[1]), "moment to hold its nose", "N m"),
            (max(abs(self.force[1]), 0.0), "side force", "N"),
            (float(np.hypot(self.torque[0], self.torque[2])), "moment to hold its wings and heading", "N m"),
        ]
        size, what, unit = max(lacks)
        return f"lacks {units.show(size, unit)} of {what} at {units.plain(self.speed, 'm/s', 3)}"


def find(craft: Craft, ground: Ground, ticks: int, speed: float, climb: float = 0.0) -> Trim:
    """The trim of a craft in the air of a ground; raises `Refused` for a climb faster than the speed."""
    if not 0.0 < speed <= FASTEST:
        most = units.plain(FASTEST, "m/s")
        raise refuse("trim", f"a speed of {units.plain(speed, 'm/s')}", f"above 0, at most {most}")
    if not abs(climb) < speed:
        raise refuse(
            "trim",
            f"a climb of {units.plain(climb, 'm/s')} at a speed of {units.plain(speed, 'm/s')}",
            "a speed above the climb",
        )
    if any(axis in craft.body.held for axis in ("x", "z", "pitch")):
        raise refuse("trim", f"{craft.id} is held in {', '.join(craft.body.held)}", "a craft that is free to fly")
    held = _Held(craft, ground, ticks, speed, climb)
    low = np.array([-0.6, -0.3, *(-1.0 if one.two_sided else 0.0 for one in craft.channels)])
    high = np.array([0.6, 0.3, *(1.0 for _ in craft.channels)])
    drives = {name for part in craft.parts if part.FAMILY == "drive" for name in part.channels_used()}
    # a propeller at rest answers its channel with its square: from 0 a search would never find it
    idle = [0.4 if one.id in drives or not one.two_sided else 0.0 for one in craft.channels]
    best, least = np.zeros(len(low)), math.inf
    for pitch in (0.05, 0.2):  # two starts: past its stall a wing pushes the search away from the flight
        place = np.array([pitch, 0.0, *idle])
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
    values = dict(zip(names, best[2:].tolist(), strict=True))
    force, torque = -craft.body.true_mass() * linear, -np.array(craft.body.inertia()) * turning
    pitch, slip = best[:2].tolist()
    return Trim(speed, climb, pitch, slip, values, force, torque, bool(np.abs(rest).max() < HOLDS))


def _nearest(held: _Held, weight: float, first: Floats, low: Floats, high: Floats) -> Floats:
    """The unknowns, shape (2 + channels,), that lack least. weight : of the channels beside it: see LIGHT."""
    close = 1e-10 if weight == LIGHT[-1] else 1e-5  # the first only tells near which flight the last begins
    scale = np.array([0.1, 0.1, *np.ones(len(first) - 2)])
    found = least_squares(
        lambda unknown: np.concatenate([held.accelerations(unknown), weight * unknown[2:]]),
        np.clip(first, low, high), bounds=(low, high), x_scale=scale, xtol=close, ftol=0.01 * close, gtol=0.01 * close,
        max_nfev=40, diff_step=1e-6,
    )  # fmt: skip
    return np.asarray(found.x)


class _Held:
    """A craft held in a state, tick after tick, while its channels and memories act."""

    def __init__(self, craft: Craft, ground: Ground, ticks: int, speed: float, climb: float):
        # channels that give at once what they are asked for
        channels = tuple(
            one.replace(rise=1e6, fall=1e6, exponent=1.0, dead_zone=0.0, stays="no", takes="level", offset=0.0)
            for one in craft.channels
        )
        angle = math.asin(climb / speed)
        self.velocity = (speed * math.cos(angle), 0.0, speed * math.sin(angle))
        drill = Drill(id="trim", ground=ground.id, craft=craft.id, start=Start(height=1000.0), duration=1.0)
        air = ground.bare().replace(floor=False)
        parts = tuple(part.without_lag() for part in craft.parts)
        self.job = Job(craft.replace(channels=channels, parts=parts), air, drill, ticks)
        self._gravity, self._half = max(ground.gravity, 1e-3), max(craft.body.half_extents())
        self._machine = Machine.of(self.job)
        self._start = self._machine.save()

    def accelerations(self, unknown: Floats) -> Floats:
        """Accelerations in a tick over g, level axes, and those of turning over g by half the length, shape (6,)."""
        machine, dt = self._machine, self.job.dt
        machine.load(self._start)
        for _ in range(STEADY):
            machine.nows["time"] = dt
            self._put(*unknown[:2].tolist())
            machine.tick(unknown[2:])
        body = machine.scene.solids[1]
        linear = (body["velocity"] - self.velocity) / dt
        found = np.concatenate([linear / self._gravity, body["spin"] / dt * self._half / self._gravity])
        return np.clip(np.nan_to_num(found, nan=WORST), -WORST, WORST)

    def apart(self, found: Floats) -> tuple[Floats, Floats]:
        """m/s2 and rad/s2 of `accelerations`, shape (3,) each."""
        return found[:3] * self._gravity, found[3:] * self._gravity / self._half

    def _put(self, pitch: float, slip: float) -> None:
        body = self._machine.scene.solids[1]
        up, left = (math.cos(0.5 * pitch), -math.sin(0.5 * pitch)), (math.cos(0.5 * slip), math.sin(0.5 * slip))
        body["position"] = (0.0, 0.0, 1000.0)
        body["attitude"] = (left[0] * up[0], -left[1] * up[1], left[0] * up[1], left[1] * up[0])
        spatial.axes_of(body["attitude"], body["axes"])
        body["velocity"], body["spin"] = self.velocity, (0.0, 0.0, 0.0)
