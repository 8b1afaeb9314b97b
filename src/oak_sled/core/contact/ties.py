"""Bodies on joints: their levers over a tick, what they give to an impulse, and the island that they are in."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import islands, pairs
from oak_sled.core.contact.records import FOUND, FREE
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial


@compiled
def unpressed(tie):
    """The share of what pulls a body at its joints that no contact presses against."""
    return max(1.0 - tie.press / tie.pull, 0.0) if tie.pull > 0.0 else 1.0


@compiled
def clear_tie(tie, solid):
    """Nothing has been given to a body by its joints yet; what it does without them is kept."""
    spatial.inverse_symmetric(solid.inertia, tie.own_inverse)
    tie.pull, tie.press = 0.0, 0.0
    for i in range(3):
        tie.given[i], tie.torque[i] = 0.0, 0.0
        tie.velocity[i], tie.spin[i] = solid.velocity[i], solid.spin[i]


@compiled
def clear_torques(scene):
    """Has no body owe a torque to its joints."""
    for k in range(scene.ties.shape[0]):
        for i in range(3):
            scene.ties[k].torque[i] = 0.0


@compiled
def holds(scene, joint):
    """True if a joint holds: not where it holds a body to itself, nor where all sleeps that it holds."""
    one, other = scene.solids[joint.a], scene.solids[joint.b]
    return joint.a != joint.b and ((one.kind == FREE and one.asleep == 0) or (other.kind == FREE and other.asleep == 0))


@compiled
def is_near(lever, other):
    """True if a lever of the tick before is where it may be expected: no event has turned its body since."""
    away, size = 0.0, 0.0
    for i in range(3):
        away += (lever[i] - other[i]) ** 2
        size += other[i] ** 2
    return away <= 0.25 * size


@compiled
def turned_back(solid, lever, dt):
    """A lever as it was a tick before, m, by the spin of its body."""
    if solid.kind != FREE:
        return lever
    q = turned_by(-dt * solid.spin[0], -dt * solid.spin[1], -dt * solid.spin[2])
    return rotated(q, lever)


@compiled
def turned_by(x, y, z):
    """The quaternion of a rotation vector, rad."""
    angle = math.sqrt(x * x + y * y + z * z)
    share = math.sin(0.5 * angle) / angle if angle > 1e-12 else 0.5
    return (math.cos(0.5 * angle), x * share, y * share, z * share)


@compiled
def rotated(q, v):
    """A vector turned by a unit quaternion."""
    u = (q[1], q[2], q[3])
    once = spatial.cross(u, v)
    twice = spatial.cross(u, once)
    return (
        v[0] + 2.0 * (q[0] * once[0] + twice[0]),
        v[1] + 2.0 * (q[0] * once[1] + twice[1]),
        v[2] + 2.0 * (q[0] * once[2] + twice[2]),
    )


@compiled
def invert(m):
    """Inverts a matrix of shape (3, 3) in its place, by its cofactors; one that has no inverse becomes 0."""
    a, b, c = (m[0, 0], m[0, 1], m[0, 2]), (m[1, 0], m[1, 1], m[1, 2]), (m[2, 0], m[2, 1], m[2, 2])
    x, y, z = spatial.cross(b, c), spatial.cross(c, a), spatial.cross(a, b)
    determinant = spatial.dot(a, x)
    scale = 1.0 / determinant if determinant != 0.0 else 0.0
    for i in range(3):
        m[i, 0], m[i, 1], m[i, 2] = scale * x[i], scale * y[i], scale * z[i]


@compiled
def give(solid, lever, out):
    """Adds to K what a body gives way to an impulse at the end of a lever, 1/kg."""
    if solid.kind != FREE:
        return
    for k in range(3):
        unit_k = (1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0, 1.0 if k == 2 else 0.0)
        turned = spatial.times(solid.inverse_inertia, spatial.cross(lever, unit_k))
        moved = spatial.cross(turned, lever)
        for i in range(3):
            out[i, k] += moved[i]
        out[k, k] += solid.inverse_mass[k]


@compiled
def share_impulse(scene, joint, impulse):
    """Gives both bodies the speed of an impulse, N s on a, and notes its torque about their centres of mass."""
    one, other = scene.solids[joint.a], scene.solids[joint.b]
    if one.kind == FREE:
        torque = spatial.cross(pairs.triple(joint.lever_a), impulse)
        for i in range(3):
            one.velocity[i] += impulse[i] * one.inverse_mass[i]
            scene.ties[joint.tie_a].torque[i] += torque[i]
    if other.kind == FREE:
        torque = spatial.cross(pairs.triple(joint.lever_b), impulse)
        for i in range(3):
            other.velocity[i] -= impulse[i] * other.inverse_mass[i]
            scene.ties[joint.tie_b].torque[i] -= torque[i]


@compiled
def turn_tie(tie, solid, turned):
    """Gives a body a spin that its joints give it, rad/s."""
    for i in range(3):
        solid.spin[i] += turned[i]
        tie.given[i] += turned[i]


@compiled
def stiffen(scene, k, dt):
    """The turn of a body for a torque, with the stiffness of its pulled joints: (1 + I^-1 S)^-1 I^-1, where S = 1/4 dt
    sum of (r P) 1 - r P, for the levers r and the impulses P on it. Clears nothing else."""
    tie = scene.ties[k]
    solid, m = scene.solids[tie.solid], tie.stiffness
    for i in range(3):
        for n in range(3):
            m[i, n] = 0.0
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if joint.average == 0.0 or not holds(scene, joint):
            continue
        if joint.tie_a == k:
            add_stiffness(m, pairs.triple(joint.now_a), joint.impulse, dt * joint.average)
        if joint.tie_b == k:
            add_stiffness(m, pairs.triple(joint.now_b), joint.impulse, -dt * joint.average)
    for i in range(3):
        for n in range(3):
            tie.inverse[i, n] = 1.0 if i == n else 0.0
            for p in range(3):
                tie.inverse[i, n] += solid.inverse_inertia[i, p] * m[p, n]
    invert(tie.inverse)
    for i in range(3):
        row = (tie.inverse[i, 0], tie.inverse[i, 1], tie.inverse[i, 2])
        for n in range(3):
            total = 0.0
            for p in range(3):
                total += row[p] * solid.inverse_inertia[p, n]
            tie.inverse[i, n] = total


@compiled
def add_stiffness(m, lever, impulse, scale):
    """Adds scale ((r P) 1 - P r) where that is a pull; symmetric, so that it takes no side."""
    along = scale * (lever[0] * impulse[0] + lever[1] * impulse[1] + lever[2] * impulse[2])
    if along <= 0.0:
        return
    for i in range(3):
        m[i, i] += along
        for n in range(3):
            m[i, n] -= 0.5 * scale * (lever[i] * impulse[n] + impulse[i] * lever[n])


@compiled
def is_tied(scene, s):
    """True if a body is in an island with contacts that has joints."""
    island = islands.find(scene.roots, s)
    for j in range(scene.joints.shape[0]):
        if scene.joints[j].island == island:
            return scene.joints[j].leads == 0 and scene.counts[FOUND] > 0
    return False


@compiled
def is_in(scene, s, island):
    """True if a body is in an island."""
    while scene.roots[s] != s:
        s = scene.roots[s]
    return s == island


@compiled
def is_of(scene, joint, island):
    """True if a joint holds bodies of an island."""
    return joint.island == island and holds(scene, joint)


@compiled
def end_of(solid, ties, k, lever, dt):
    """A lever after the tick, m, as its body will have turned with the spin that it has: see `loosebodies.move` and
    `body.turn_freely`."""
    v = pairs.triple(lever)
    if solid.kind != FREE:
        return v
    w = pairs.triple(solid.spin)
    if solid.craft >= 0 and solid.free_spin[0] * solid.free_spin[1] * solid.free_spin[2] == 1.0:
        own = spatial.to_craft(solid.axes, v)
        momentum = spatial.to_world(solid.axes, spatial.times(solid.inertia, spatial.to_craft(solid.axes, w)))
        q = (solid.attitude[0], solid.attitude[1], solid.attitude[2], solid.attitude[3])
        return rotated(body_module.turned_freely(q, momentum, ties[k].own_inverse, dt), own)
    if solid.craft < 0 and not is_ball(solid):
        # as `loosebodies.move`: with the spin in the middle of the tick, for the angular momentum that it has now
        momentum = spatial.times(solid.inertia, spatial.to_craft(solid.axes, w))
        half = turned_by(-0.5 * dt * w[0], -0.5 * dt * w[1], -0.5 * dt * w[2])
        there = spatial.to_craft(solid.axes, rotated(half, spatial.to_world(solid.axes, momentum)))
        turned = spatial.to_world(solid.axes, spatial.times(ties[k].own_inverse, there))
        w = rotated((half[0], -half[1], -half[2], -half[3]), turned)
    return rotated(turned_by(dt * w[0], dt * w[1], dt * w[2]), v)


@compiled
def is_ball(solid):
    """True if a body has the same inertia about every axis."""
    b = solid.inertia
    return b[0, 0] == b[1, 1] and b[1, 1] == b[2, 2] and b[0, 1] == 0.0 and b[0, 2] == 0.0 and b[1, 2] == 0.0


@compiled
def shift_body(solid, lever, impulse, sign):
    """Gives a body a shift, as an impulse gives it a speed."""
    turned = spatial.times(solid.inverse_inertia, spatial.cross(lever, impulse))
    for i in range(3):
        solid.shift[i] += sign * impulse[i] * solid.inverse_mass[i]
        solid.twist[i] += sign * turned[i]
