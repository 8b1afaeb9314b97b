"""The environment of a place: air, gravity, and fluid. Whatever asks for wind, weight or "up" asks here.

Today the air of a ground is the same everywhere, gravity points down, and there is no fluid; a place is asked all the
same, so that what changes from place to place needs an edit here only.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Records
from oak_sled.core.compiler.kernel import inlined
from oak_sled.core.kernel.state import GROUND


@inlined
def air_at(ground, x, y, z):
    """Velocity of the air, m/s in world axes, and its density, kg/m3, at a place in m."""
    return (ground.wind[0], ground.wind[1], ground.wind[2]), ground.air_density


@inlined
def gravity_at(ground, x, y, z):
    """Acceleration of free fall at a place in m: a vector, m/s2 in world axes."""
    return (0.0, 0.0, -ground.gravity)


@inlined
def strength_at(ground, x, y, z):
    """m/s2 of free fall at a place in m, without its direction."""
    pull = gravity_at(ground, x, y, z)
    return math.sqrt(pull[0] * pull[0] + pull[1] * pull[1] + pull[2] * pull[2])


@inlined
def up_at(ground, x, y, z):
    """Against gravity at a place in m: a unit vector in world axes; along z where nothing falls."""
    pull = gravity_at(ground, x, y, z)
    size = strength_at(ground, x, y, z)
    if size > 0.0:
        return (-pull[0] / size, -pull[1] / size, -pull[2] / size)
    return (0.0, 0.0, 1.0)


@inlined
def fluid_at(ground, x, y, z):
    """Density, kg/m3, of the fluid that a place in m lies in, and the height of its surface, m: none, far below."""
    return 0.0, -1e9


def still_air(gravity: float, density: float = 0.0) -> Records:
    """Records of GROUND, shape (1,), with gravity, m/s2, and air of a density, kg/m3: for scenes without a yard."""
    made = np.zeros(1, GROUND)
    made[0]["gravity"], made[0]["air_density"] = gravity, density
    return made
