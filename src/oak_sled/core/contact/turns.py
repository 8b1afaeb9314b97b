"""The turn that a body makes in a tick with the spin that it has now, and where that takes its points."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import pairs, ties
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial


@compiled
def turn_of(solid, inverse, dt):
    """The turn of a body in this tick with the spin that it has, a quaternion: see `ties.end_of`."""
    if solid.kind != FREE:
        return (1.0, 0.0, 0.0, 0.0)
    w = pairs.triple(solid.spin)
    if solid.craft >= 0 and solid.free_spin[0] * solid.free_spin[1] * solid.free_spin[2] == 1.0:
        momentum = spatial.to_world(solid.axes, spatial.times(solid.inertia, spatial.to_craft(solid.axes, w)))
        q = (solid.attitude[0], solid.attitude[1], solid.attitude[2], solid.attitude[3])
        return after(body_module.turned_freely(q, momentum, inverse, dt), (q[0], -q[1], -q[2], -q[3]))
    if solid.craft < 0 and not ties.is_ball(solid):
        momentum = spatial.times(solid.inertia, spatial.to_craft(solid.axes, w))
        half = ties.turned_by(-0.5 * dt * w[0], -0.5 * dt * w[1], -0.5 * dt * w[2])
        there = spatial.to_craft(solid.axes, ties.rotated(half, spatial.to_world(solid.axes, momentum)))
        turned = spatial.to_world(solid.axes, spatial.times(inverse, there))
        w = ties.rotated((half[0], -half[1], -half[2], -half[3]), turned)
    return ties.turned_by(dt * w[0], dt * w[1], dt * w[2])


@compiled
def after(p, q):
    """The turn of quaternion q, then that of p."""
    return (
        p[0] * q[0] - p[1] * q[1] - p[2] * q[2] - p[3] * q[3],
        p[0] * q[1] + p[1] * q[0] + p[2] * q[3] - p[3] * q[2],
        p[0] * q[2] - p[1] * q[3] + p[2] * q[0] + p[3] * q[1],
        p[0] * q[3] + p[1] * q[2] - p[2] * q[1] + p[3] * q[0],
    )


@compiled
def end_of(solid, lever, turned, dt):
    """Position of a point after the tick, m."""
    at = ties.rotated(turned, lever)
    return (
        solid.position[0] + dt * solid.velocity[0] + at[0],
        solid.position[1] + dt * solid.velocity[1] + at[1],
        solid.position[2] + dt * solid.velocity[2] + at[2],
    )
