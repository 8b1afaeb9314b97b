"""Ball joints: a point of one body is held to a point of another, at velocity level as contacts are.

The three rows of a joint are solved as one, with the matrix K = (1/m_a + 1/m_b) 1 - [r_a] I_a^-1 [r_a] - [r_b] I_b^-1
[r_b] (any text on constrained rigid bodies, such as Baraff, SIGGRAPH 1996, section 4); what they drift apart is taken
out by a shift, as overlap is. Speeds are asked for half a tick ahead, where levers will have turned by then, and
impulses act where they are now (as Ryckaert, Ciccotti and Berendsen have it, J. Computational Physics 23, 1977): a
pendulum then neither gains nor loses.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import islands, narrow, pairs
from oak_sled.core.contact.records import FOUND, FREE
from oak_sled.core.kernel import spatial

DRAWN = 0.3
"""Share of a gap that is taken out in a tick."""


@unit
def prepare(scene, dt):
    """Levers and masses of all joints, and last tick's impulse as the first guess."""
    solids = scene.solids
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        one, other = solids[joint.a], solids[joint.b]
        if one.kind == FREE and other.kind == FREE and one.asleep != other.asleep:
            narrow.wake(scene, joint.a)
            narrow.wake(scene, joint.b)
        lever_a = spatial.to_world(one.axes, pairs.triple(joint.at_a))
        lever_b = spatial.to_world(other.axes, pairs.triple(joint.at_b))
        for i in range(3):
            joint.lever_a[i], joint.lever_b[i] = lever_a[i], lever_b[i]
        ahead_a, ahead_b = ahead(one, lever_a, dt), ahead(other, lever_b, dt)
        for i in range(3):
            joint.ahead_a[i], joint.ahead_b[i] = ahead_a[i], ahead_b[i]
            for k in range(3):
                joint.inverse[i, k] = 0.0
        give(one, lever_a, ahead_a, joint.inverse)
        give(other, lever_b, ahead_b, joint.inverse)
        invert(joint.inverse)
        push(one, other, joint, pairs.triple(joint.impulse))


@compiled
def ahead(solid, lever, dt):
    """A lever as it will have turned in half a tick."""
    turned = spatial.cross((solid.spin[0], solid.spin[1], solid.spin[2]), lever)
    half = 0.5 * dt
    return (lever[0] + half * turned[0], lever[1] + half * turned[1], lever[2] + half * turned[2])


@compiled
def invert(m):
    """Inverts a matrix of shape (3, 3) in its place, by its cofactors."""
    a, b, c = (m[0, 0], m[0, 1], m[0, 2]), (m[1, 0], m[1, 1], m[1, 2]), (m[2, 0], m[2, 1], m[2, 2])
    x, y, z = spatial.cross(b, c), spatial.cross(c, a), spatial.cross(a, b)
    scale = 1.0 / spatial.dot(a, x)
    for i in range(3):
        m[i, 0], m[i, 1], m[i, 2] = scale * x[i], scale * y[i], scale * z[i]


@compiled
def give(solid, lever, ahead_lever, out):
    """Adds to K what a body gives way, half a tick ahead, to an impulse at the end of a lever, 1/kg."""
    if solid.kind != FREE:
        return
    for k in range(3):
        unit_k = (1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0, 1.0 if k == 2 else 0.0)
        turned = spatial.times(solid.inverse_inertia, spatial.cross(lever, unit_k))
        moved = spatial.cross(turned, ahead_lever)
        for i in range(3):
            out[i, k] += moved[i]
        out[k, k] += solid.inverse_mass[k]


@compiled
def push(one, other, joint, impulse):
    """Gives both bodies of a joint an impulse, N s in world axes."""
    pairs.push(one, pairs.triple(joint.lever_a), impulse, 1.0)
    if other.kind == FREE:
        pairs.push(other, pairs.triple(joint.lever_b), impulse, -1.0)


@compiled
def settle(scene):
    """The island of every joint, and which of them lead one that has no contacts, of how many joints."""
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        joint.island, joint.leads = islands.find(scene.roots, joint.a), 1
        for k in range(scene.counts[FOUND]):
            if scene.contacts[k].island == joint.island:
                joint.leads = 0
        for i in range(j):
            if scene.joints[i].island == joint.island:
                scene.joints[i].leads += 1 if scene.joints[i].leads > 0 else 0
                joint.leads = 0


@unit
def solve_once(scene, island):
    """One round over the joints of an island; the largest speed that one still changed, m/s."""
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if joint.island != island:
            continue
        one, other = scene.solids[joint.a], scene.solids[joint.b]
        speed = pairs.speed_at(one, other, pairs.triple(joint.ahead_a), pairs.triple(joint.ahead_b))
        speed = (speed[0] + joint.drive[0], speed[1] + joint.drive[1], speed[2] + joint.drive[2])
        taken = spatial.times(joint.inverse, speed)
        push(one, other, joint, (-taken[0], -taken[1], -taken[2]))
        for i in range(3):
            joint.impulse[i] -= taken[i]
            largest = max(largest, abs(speed[i]))
    return largest


@compiled
def any_of(scene, island):
    """Whether an island has joints."""
    for j in range(scene.joints.shape[0]):  # noqa: SIM110 - the language of the kernel has no any()
        if scene.joints[j].island == island:
            return True
    return False


@compiled
def draw(scene, island, dt):
    """One round of the shift that takes out what the joints of an island have drifted apart; the largest speed of it
    that was still missing, m/s."""
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if joint.island != island:
            continue
        one, other = scene.solids[joint.a], scene.solids[joint.b]
        lever_a, lever_b = pairs.triple(joint.lever_a), pairs.triple(joint.lever_b)
        swing_a = spatial.cross((one.twist[0], one.twist[1], one.twist[2]), pairs.triple(joint.ahead_a))
        swing_b = spatial.cross((other.twist[0], other.twist[1], other.twist[2]), pairs.triple(joint.ahead_b))
        a, b = pairs.triple(one.position), pairs.triple(other.position)
        wanted = (
            gap_of(a[0] + lever_a[0] - b[0] - lever_b[0], one.shift[0] - other.shift[0] + swing_a[0] - swing_b[0], dt),
            gap_of(a[1] + lever_a[1] - b[1] - lever_b[1], one.shift[1] - other.shift[1] + swing_a[1] - swing_b[1], dt),
            gap_of(a[2] + lever_a[2] - b[2] - lever_b[2], one.shift[2] - other.shift[2] + swing_a[2] - swing_b[2], dt),
        )
        taken = spatial.times(joint.inverse, wanted)
        shift_body(one, lever_a, taken, -1.0)
        if other.kind == FREE:
            shift_body(other, lever_b, taken, 1.0)
        largest = max(largest, abs(wanted[0]), abs(wanted[1]), abs(wanted[2]))
    return largest


@compiled
def gap_of(apart, moving, dt):
    """m/s of shift that is missing along an axis."""
    return DRAWN * apart / dt + moving


@compiled
def shift_body(solid, lever, impulse, sign):
    """Gives a body a shift, as an impulse gives it a speed."""
    turned = spatial.times(solid.inverse_inertia, spatial.cross(lever, impulse))
    for i in range(3):
        solid.shift[i] += sign * impulse[i] * solid.inverse_mass[i]
        solid.twist[i] += sign * turned[i]
