"""Actuators: what a mixer may command, and what each gives at a full command."""

from __future__ import annotations

import math
from typing import Any, Literal, NamedTuple, get_args

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler.kernel import compiled

Axis = Literal["ahead", "left", "lift", "roll", "pitch", "yaw"]
AXES: tuple[Axis, ...] = get_args(Axis)
"""Forces along the axes of a craft, and moments about them."""
Triple = tuple[float, float, float]


class Actuator(NamedTuple):
    """A command of a part. force : N at a full command, craft axes, at the point `at`, m from the origin; moment : N m
    beside it. low, high : bounds of the command. slot : 0, or 1 for the second command of a part that swivels.
    by_pressure : whether force and moment are those for each Pa of dynamic pressure. lag : s. burns : kg/s at a full
    command. least_on : s for which it pushes at least, once it does. dead_band : command up to which it does not."""

    force: Triple
    at: Triple
    moment: Triple = (0.0, 0.0, 0.0)
    low: float = 0.0
    high: float = 1.0
    slot: int = 0
    by_pressure: bool = False
    lag: float = 0.0
    burns: float = 0.0
    least_on: float = 0.0
    dead_band: float = 0.0

    def about(self, centre: Triple) -> tuple[float, ...]:
        """Force, N, and moment about a point, N m, six numbers, craft axes."""
        x, y, z = (a - b for a, b in zip(self.at, centre, strict=True))
        fx, fy, fz = self.force
        turned = (y * fz - z * fy, z * fx - x * fz, x * fy - y * fx)
        return (*self.force, *(a + b for a, b in zip(turned, self.moment, strict=True)))


def direction(azimuth_deg: float, elevation_deg: float) -> Triple:
    """The unit vector of a direction, craft axes: azimuth 0 forward and 90 left, elevation 90 straight up."""
    azimuth, elevation = math.radians(azimuth_deg), math.radians(elevation_deg)
    flat = math.cos(elevation)
    return flat * math.cos(azimuth), flat * math.sin(azimuth), math.sin(elevation)


def speed_along(run: Any, way: Triple, in_air: bool) -> Floats:
    """m/s of a craft along a direction of its axes in each row of a run, shape (rows,). in_air : against the steady
    wind of its ground; else over the ground."""
    w, x, y, z = (run.column(f"rotation.{axis}") for axis in "wxyz")
    velocity = run.columns("velocity.x", "velocity.y", "velocity.z")
    if in_air and run.job.ground.wind_speed > 0.0:
        angle = math.radians(run.job.ground.wind_to_deg)
        velocity = velocity - run.job.ground.wind_speed * np.array([math.cos(angle), math.sin(angle), 0.0])
    ahead = np.stack([1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)], axis=1)
    left = np.stack([2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x)], axis=1)
    up = np.stack([2.0 * (x * z + w * y), 2.0 * (y * z - w * x), 1.0 - 2.0 * (x * x + y * y)], axis=1)
    found: Floats = np.einsum("ij,ij->i", way[0] * ahead + way[1] * left + way[2] * up, velocity)
    return found


@compiled
def rate_share(level, asked):
    """The share of its full rate at which a rotor turns: what its channel asks, and the root of the share of thrust
    that a mixer asks."""
    return level + (math.sqrt(asked) if asked >= 0.0 else -math.sqrt(-asked))
