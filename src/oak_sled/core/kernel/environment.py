"""The environment of a place: air and gravity. Whatever asks for wind, weight, height or "up" asks here.

The air and the gravity of a ground are the same everywhere, but for its volumes (see `volumes`) and for bodies that
attract: see WELL.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Records
from oak_sled.core.compiler.kernel import compiled, inlined
from oak_sled.core.kernel import seams, spatial, volumes
from oak_sled.core.kernel.state import GROUND

OPPOSITE = 1e-12
"""1 + cosine of the angle between two directions up, below which no turn from one to the other is the shortest."""


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
    if is_bent(ground):
        return bent(ground, x, y, z)
    return (0.0, 0.0, -ground.gravity)


@inlined
def is_bent(ground):
    """True if gravity is not the same everywhere."""
    return ground.fields + ground.wells > 0


@compiled
def bent(ground, x, y, z):
    """The gravity of a ground with that of its bodies that attract, where volumes have another: each of them takes the
    place of what was by its share."""
    gx, gy, gz = 0.0, 0.0, -ground.gravity
    for k in range(ground.wells):
        pull = attraction(ground, ground.well[k], x, y, z)
        gx, gy, gz = gx + pull[0], gy + pull[1], gz + pull[2]
    first = ground.pushing + ground.winds
    for k in range(first, first + ground.fields):
        field = ground.volumes[k]
        share = volumes.share_at(field, x, y, z)
        gx += share * (field.vector[0] - gx)
        gy += share * (field.vector[1] - gy)
        gz += share * (field.vector[2] - gz)
    return (gx, gy, gz)


@compiled
def attraction(ground, well, x, y, z):
    """m/s2 toward a body that attracts, by its nearest image: mu / r2 outside of it, and inside of it as of an even
    ball, r by r."""
    off = (well.middle[0] - x, well.middle[1] - y, well.middle[2] - z)
    dx, dy, dz = seams.shortest(ground.period, off)
    away = math.sqrt(dx * dx + dy * dy + dz * dz)
    far = max(away, well.radius)
    share = well.mu / (far * far * far)
    return (share * dx, share * dy, share * dz)


@compiled
def height_at(ground, x, y, z):
    """m above the surface of the body whose attraction is the greatest of all that pulls there; else above 0."""
    found, most = z, ground.gravity
    for k in range(ground.wells):
        well = ground.well[k]
        pull = spatial.length(attraction(ground, well, x, y, z))
        if pull > most:
            off = (x - well.middle[0], y - well.middle[1], z - well.middle[2])
            away = spatial.length(seams.shortest(ground.period, off))
            found, most = away - well.radius, pull
    return found


@inlined
def level(ground, body, now):
    """Keeps the level frame of a body in step with what is up where it is: see `tip`."""
    if now.tipped == 1:
        tip(ground, body, now)


@compiled
def tip(ground, body, now):
    """Turns the level frame of a body by the shortest way to what is up there now, so that a heading that is held goes
    straight on over a round body. Where nothing falls the frame stays as it was."""
    if strength_at(ground, body.position[0], body.position[1], body.position[2]) <= 0.0:
        return
    up = up_at(ground, body.position[0], body.position[1], body.position[2])
    a = now.level
    old = (a[0, 2], a[1, 2], a[2, 2])
    east = (a[0, 0], a[1, 0], a[2, 0])
    cosine = spatial.dot(old, up)
    turn = spatial.cross(old, up)
    for i in range(3):
        now.tipping[i] = turn[i] / now.dt if now.dt > 0.0 else 0.0
    if 1.0 + cosine > OPPOSITE:
        # Rodrigues' turn that takes one unit vector to another: e + w x e + w x (w x e) / (1 + c)
        once = spatial.cross(turn, east)
        twice = spatial.cross(turn, once)
        share = 1.0 / (1.0 + cosine)
        east = (
            east[0] + once[0] + share * twice[0], east[1] + once[1] + share * twice[1],
            east[2] + once[2] + share * twice[2],
        )  # fmt: skip
    into = spatial.dot(east, up)
    east = (east[0] - into * up[0], east[1] - into * up[1], east[2] - into * up[2])
    size = spatial.length(east)
    east = (east[0] / size, east[1] / size, east[2] / size)
    north = spatial.cross(up, east)
    for i in range(3):
        a[i, 0], a[i, 1], a[i, 2] = east[i], north[i], up[i]


@inlined
def to_level(now, v):
    """A vector in world axes, in those of the level frame of a body: east, north and up."""
    if now.tipped == 1:
        return spatial.to_craft(now.level, v)
    return (v[0], v[1], v[2])


@inlined
def from_level(now, v):
    """A vector in the level frame of a body, in world axes."""
    if now.tipped == 1:
        return spatial.to_world(now.level, v)
    return (v[0], v[1], v[2])


@compiled
def across(now, way):
    """Two unit vectors across a unit vector: to its left, level, and up from it, all in world axes."""
    flat = to_level(now, way)
    size = math.sqrt(flat[0] * flat[0] + flat[1] * flat[1])
    left = (0.0, 1.0, 0.0)
    if size > 1e-9:
        left = (-flat[1] / size, flat[0] / size, 0.0)
    aside = from_level(now, left)
    return aside, spatial.cross(way, aside)


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
def levels_at(ground, body, now, places, middles, levels, high):
    """Writes the level frame and the height at each of some places, one after another.

    places, m, and middles of what attracts, m : shapes (n, 3) and (n, wells, 3). levels, high : shapes (n, 3, 3), (n,).
    """
    for row in range(places.shape[0]):
        for i in range(3):
            body.position[i] = places[row, i]
            for k in range(ground.wells):
                ground.well[k].middle[i] = middles[row, k, i]
        tip(ground, body, now)
        high[row] = height_at(ground, places[row, 0], places[row, 1], places[row, 2])
        for i in range(3):
            for j in range(3):
                levels[row, i, j] = now.level[i, j]


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
