"""A rigid body in the kernel: its inertia in world axes, held axes, and turning free of torque."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import FIXED_LINES, GRAVITY

FIXED = len(FIXED_LINES)


@compiled
def world_inertia(inertia, axes, out):
    """Writes R I R^T into `out`: `inertia` in craft axes, `axes` = R, all of shape (3, 3)."""
    for i in range(3):
        a, b, c = axes[i, 0], axes[i, 1], axes[i, 2]
        x = a * inertia[0, 0] + b * inertia[1, 0] + c * inertia[2, 0]
        y = a * inertia[0, 1] + b * inertia[1, 1] + c * inertia[2, 1]
        z = a * inertia[0, 2] + b * inertia[1, 2] + c * inertia[2, 2]
        for j in range(i, 3):
            value = x * axes[j, 0] + y * axes[j, 1] + z * axes[j, 2]
            out[i, j] = value
            out[j, i] = value


@compiled
def free_inverse(inertia, free, out):
    """Writes the inverse of the part of `inertia` that belongs to free axes; zero in held rows.

    A torque about a held axis is answered by the hold, so the free axes feel only their own block.
    """
    if free[0] * free[1] * free[2] == 1.0:
        spatial.inverse_symmetric(inertia, out)
        return
    if free[0] + free[1] + free[2] == 1.0:
        for i in range(3):
            alone = free[i] / inertia[i, i]
            for j in range(3):
                out[i, j] = 0.0
            out[i, i] = alone
        return
    for i in range(3):
        for j in range(3):
            keep = free[i] * free[j]
            out[i, j] = inertia[i, j] * keep
        if free[i] == 0.0:
            out[i, i] = 1.0
    spatial.inverse_symmetric(out, out)
    for i in range(3):
        if free[i] == 0.0:
            out[i, i] = 0.0


@compiled
def refresh(body, now):
    """Brings axes, inverse inertia and, in `now`, the inertia of a craft in step with its attitude."""
    spatial.axes_of(body.attitude, body.axes)
    world_inertia(body.inertia, body.axes, now.inertia)
    free_inverse(now.inertia, body.free_spin, body.inverse_inertia)


@compiled
def turning(q, momentum, inverse):
    """The rate of the quaternion `q` of a body that turns freely, 1/s: q' = 1/2 q (0, I^-1 R^T L), in craft axes.

    momentum : L, N m s, world axes. inverse : of the inertia in craft axes, shape (3, 3).
    """
    w, u = q[0], (q[1], q[2], q[3])
    once = spatial.cross(u, momentum)
    twice = spatial.cross(u, once)
    x = momentum[0] + 2.0 * (twice[0] - w * once[0])
    y = momentum[1] + 2.0 * (twice[1] - w * once[1])
    z = momentum[2] + 2.0 * (twice[2] - w * once[2])
    spin = spatial.times(inverse, (x, y, z))
    around = spatial.cross(u, spin)
    return (
        -0.5 * spatial.dot(u, spin),
        0.5 * (w * spin[0] + around[0]),
        0.5 * (w * spin[1] + around[1]),
        0.5 * (w * spin[2] + around[2]),
    )


@compiled
def moved(q, rate, step):
    """q + step * rate."""
    return (q[0] + step * rate[0], q[1] + step * rate[1], q[2] + step * rate[2], q[3] + step * rate[3])


@compiled
def turn_freely(body, now, dt):
    """Turns a body for `dt` with its angular momentum kept exactly (no torque acts meanwhile).

    Classical fourth-order Runge-Kutta on the attitude alone: the gyroscopic term in the form that cannot blow up, since
    the momentum is never integrated. What follows from the attitude is left to `refresh`.
    """
    inverse, momentum = now.turning, (now.momentum[0], now.momentum[1], now.momentum[2])
    spatial.inverse_symmetric(body.inertia, inverse)
    q = (body.attitude[0], body.attitude[1], body.attitude[2], body.attitude[3])
    turned = turned_freely(q, momentum, inverse, dt)
    for i in range(4):
        body.attitude[i] = turned[i]


@compiled
def turned_freely(q, momentum, inverse, dt):
    """The attitude `q` after `dt` of free turning: see `turn_freely`. momentum : N m s, world axes; inverse : of the
    inertia in craft axes."""
    one = turning(q, momentum, inverse)
    two = turning(moved(q, one, 0.5 * dt), momentum, inverse)
    three = turning(moved(q, two, 0.5 * dt), momentum, inverse)
    four = turning(moved(q, three, dt), momentum, inverse)
    a = q[0] + dt / 6.0 * (one[0] + 2.0 * (two[0] + three[0]) + four[0])
    b = q[1] + dt / 6.0 * (one[1] + 2.0 * (two[1] + three[1]) + four[1])
    c = q[2] + dt / 6.0 * (one[2] + 2.0 * (two[2] + three[2]) + four[2])
    d = q[3] + dt / 6.0 * (one[3] + 2.0 * (two[3] + three[3]) + four[3])
    scale = 1.0 / math.sqrt(a * a + b * b + c * c + d * d)
    return (a * scale, b * scale, c * scale, d * scale)


@compiled
def predict_velocity(body, now):
    """Writes the velocity and spin that the lines booked so far, gravity among them, would leave after this tick.

    Dry friction asks for it: it holds against what pushes now, not only against what moves already.
    """
    weight = now.lines[now.parts + GRAVITY]
    fx, fy, fz = weight[0], weight[1], weight[2]
    x, y, z = now.momentum[0], now.momentum[1], now.momentum[2]
    for k in range(now.parts):  # six sums side by side: one after another each would wait for the one before
        fx += now.lines[k, 0]
        fy += now.lines[k, 1]
        fz += now.lines[k, 2]
        x += now.dt * now.lines[k, 3]
        y += now.dt * now.lines[k, 4]
        z += now.dt * now.lines[k, 5]
    for k in range(now.parts + FIXED, now.parts + FIXED + now.volumes):
        fx, fy, fz = fx + now.lines[k, 0], fy + now.lines[k, 1], fz + now.lines[k, 2]
        x, y, z = x + now.dt * now.lines[k, 3], y + now.dt * now.lines[k, 4], z + now.dt * now.lines[k, 5]
    now.next_velocity[0] = body.velocity[0] + now.dt * fx / body.mass
    now.next_velocity[1] = body.velocity[1] + now.dt * fy / body.mass
    now.next_velocity[2] = body.velocity[2] + now.dt * fz / body.mass
    spin = spatial.times(body.inverse_inertia, (x, y, z))
    for i in range(3):
        now.next_spin[i] = spin[i]


@compiled
def weigh_anew(body, mass):
    """Gives a body another mass; its inertia goes with it, and its speed and spin stay."""
    ratio = mass / body.mass
    if ratio == 1.0:
        return
    body.mass *= ratio
    for i in range(3):
        body.inverse_mass[i] /= ratio
        for j in range(3):
            body.inertia[i, j] *= ratio
            body.inverse_inertia[i, j] /= ratio


@compiled
def book(now, p, force):
    """Books a force through the centre of mass on ledger line `p`, N, world axes."""
    for i in range(3):
        now.lines[p, i] = force[i]


@compiled
def book_at(now, p, body, lever, force):
    """Books a force on ledger line `p`, with its torque about the centre of mass and the point where it acts.

    lever : m from the centre of mass, force : N, both world axes.
    """
    torque = spatial.cross(lever, force)
    for i in range(3):
        now.lines[p, i] = force[i]
        now.lines[p, 3 + i] = torque[i]
        now.points[p, i] = body.position[i] + lever[i]


@compiled
def add_at_support(now, p, body, support, force):
    """Adds a force that acts at what a ray found to ledger line `p`, and to what that support gives its craft; returns
    its lever.

    force : N, lever : m from the centre of mass, both world axes.
    """
    lever = (
        support.point[0] - body.position[0],
        support.point[1] - body.position[1],
        support.point[2] - body.position[2],
    )
    torque = spatial.cross(lever, force)
    for i in range(3):
        support.force[i] += force[i]
        now.lines[p, i] += force[i]
        now.lines[p, 3 + i] += torque[i]
    return lever


@compiled
def effective_mass(body, lever, way):
    """The effective mass at a point when it is pushed along the unit vector `way`, kg.

    lever : from the centre of mass to the point, m, world axes. Held turning counts as stiff.
    """
    turned = spatial.cross(lever, way)
    give = 1.0 / body.mass + spatial.dot(turned, spatial.times(body.inverse_inertia, turned))
    return 1.0 / give


@compiled
def booked(now, lines):
    """Force and torque of the first `lines` of the ledger together: six sums side by side, none waits for another."""
    fx, fy, fz, tx, ty, tz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(lines):
        fx += now.lines[k, 0]
        fy += now.lines[k, 1]
        fz += now.lines[k, 2]
        tx += now.lines[k, 3]
        ty += now.lines[k, 4]
        tz += now.lines[k, 5]
    return (fx, fy, fz), (tx, ty, tz)
