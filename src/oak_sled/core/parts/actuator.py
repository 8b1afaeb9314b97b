"""Actuators: what a mixer may command, and what each gives at a full command."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple, get_args

from oak_sled.core.compiler.kernel import compiled

Axis = Literal["ahead", "left", "lift", "roll", "pitch", "yaw"]
AXES: tuple[Axis, ...] = get_args(Axis)
"""Forces along the axes of a craft, and moments about them."""
Triple = tuple[float, float, float]


class Actuator(NamedTuple):
    """A command of a part. force : N at a full command, craft axes, at the point `at`, m from the origin; moment : N m
    beside it. low, high : bounds of the command. slot : 0, or 1 for the second command of a part that swivels.
    by_pressure : whether force and moment are those for each Pa of dynamic pressure. lag : s."""

    force: Triple
    at: Triple
    moment: Triple = (0.0, 0.0, 0.0)
    low: float = 0.0
    high: float = 1.0
    slot: int = 0
    by_pressure: bool = False
    lag: float = 0.0

    def about(self, centre: Triple) -> tuple[float, ...]:
        """Force, N, and moment about a point, N m, six numbers, craft axes."""
        x, y, z = (a - b for a, b in zip(self.at, centre, strict=True))
        fx, fy, fz = self.force
        turned = (y * fz - z * fy, z * fx - x * fz, x * fy - y * fx)
        return (*self.force, *(a + b for a, b in zip(turned, self.moment, strict=True)))


@compiled
def rate_share(level, asked):
    """The share of its full rate at which a rotor turns: what its channel asks, and the root of the share of thrust
    that a mixer asks."""
    return level + (math.sqrt(asked) if asked >= 0.0 else -math.sqrt(-asked))
