"""The environment of a place: air and gravity. Whatever asks for wind, weight or "up" asks here.

The air and the gravity of a ground are the same everywhere, but for its volumes: see `volumes`.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Records
from oak_sled.core.compiler.kernel import compiled, inlined
from oak_sled.core.kernel import spatial, volumes
from oak_sled.core.kernel.state import GROUND


@inlined
def air_at(ground, x, y, z):
    """Velocity of the air, m/s in world axes, and its density, kg/m3, at a place in m."""
    if ground.winds > 0:
        return blown(ground, x, y, z), ground.air_density
    return (ground.wind[0], ground.wind[1], ground.wind[2]), ground.air_density


@compiled
def met_at(ground, body, lever):
    """Velocity of a place of a body against the air there, m/s, and the density of the air, kg/m3. lever : m from its
    centre of mass to the place; all in world axes."""
    wind, density = air_at(
        ground, body.position[0] + lever[0], body.position[1] + lever[1], body.position[2] + lever[2]
    )
    swing = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    against = (
        body.velocity[0] + swing[0] - wind[0],
        body.velocity[1] + swing[1] - wind[1],
        body.velocity[2] + swing[2] - wind[2],
    )
    return against, density


@compiled
def blown(ground, x, y, z):
    """The wind of a ground with that of its volumes."""
    wx, wy, wz = ground.wind[0], ground.wind[1], ground.wind[2]
    for k in range(ground.pushing, ground.pushing + ground.winds):
        share = volumes.share_at(ground.volumes[k], x, y, z)
        if share > 0.0:
            wind = volumes.wind_of(ground.volumes[k], ground.time, x, y, z)
            wx, wy, wz = wx + share * wind[0], wy + share * wind[1], wz + share * wind[2]
    return (wx, wy, wz)


@inlined
def gravity_at(ground, x, y, z):
    """Acceleration of free fall at a place in m: a vector, m/s2 in world axes."""
    if ground.fields > 0:
        return bent(ground, x, y, z)
    return (0.0, 0.0, -ground.gravity)


@compiled
def bent(ground, x, y, z):
    """The gravity of a ground where volumes have another: each takes the place of what was by its share."""
    gx, gy, gz = 0.0, 0.0, -ground.gravity
    first = ground.pushing + ground.winds
    for k in range(first, first + ground.fields):
        field = ground.volumes[k]
        share = volumes.share_at(field, x, y, z)
        gx += share * (field.vector[0] - gx)
        gy += share * (field.vector[1] - gy)
        gz += share * (field.vector[2] - gz)
    return (gx, gy, gz)


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


@compiled
def sample(ground, places, found):
    """Writes the wind at places into `found`, both of shape (n, 3), m and m/s."""
    for k in range(places.shape[0]):
        wind, density = air_at(ground, places[k, 0], places[k, 1], places[k, 2])
        for i in range(3):
            found[k, i] = wind[i] if density >= 0.0 else 0.0


def still_air(gravity: float, density: float = 0.0) -> Records:
    """Records of GROUND, shape (1,), with gravity, m/s2, and air of a density, kg/m3: for scenes without a yard."""
    made = np.zeros(1, GROUND)
    made[0]["gravity"], made[0]["air_density"] = gravity, density
    return made
