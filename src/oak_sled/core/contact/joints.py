"""Ball joints: a point of one body is held to a point of another, over the whole tick.

The places of both points at the end of a tick agree, not only their speeds at its start: what a body turns meanwhile is
worked out as it will be, so that two joints on one rigid beam never contradict each other. The impulse acts at a lever
between those of the ticks before, now and after, 1/4, 1/2 and 1/4 (the average acceleration of Newmark, ASCE J.
Engineering Mechanics 85, 1959): what is stiff in its geometry, tension x lever over inertia, then stands implicit, at
any tick rate, and neither gains nor loses. Both bodies take it at one point, so that the angular momentum of a free
pair stays (as in the discrete Noether theorem for constraints, Wendlandt and Marsden, Physica D 106, 1997).

All joints of an island are solved together, by Newton's method with a direct solver whose work grows with the length of
a chain. A joint that is pushed, not pulled, takes its lever as it is now: its stiffness is negative, and bounded by
itself. Where the method does not come to an end (a whip that cracks), the tick is done with implicit friction in the
place of what it could not resolve: that can only lose. What drifts apart is taken out by a shift, as overlap is.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import islands, narrow, pairs
from oak_sled.core.contact.records import ACTIVE, FOUND, FREE
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial

DRAWN = 0.3
"""Share of a gap that is taken out in a tick."""
AVERAGED = 0.25
"""Share of the levers of the tick before and of the tick after in that at which an impulse acts."""
AGREE = 1e-10
"""m/s: joints whose points part by less agree."""
NEWTON_STEPS = 12
GIVEN_UP = 1e-3
"""m/s by which a point may still part after so many steps; more, and the tick is done anew with friction."""
HOPELESS = 1e9
"""m/s: no further step mends that."""
TURNED_MOST = 0.7
"""rad by which joints may change what a body turns in a tick: more, and the method has found another turn."""
GAINED_MOST = 1.1
"""Energy of motion behind the joints over that before them: what holds points together gives none, but for what turns
while it swings."""
SOFT = 1e-7
"""Share by which a joint gives more than its bodies do, so that joints that hold the same twice share the load."""


@unit
def prepare(scene, dt):
    """Levers and masses of all joints, and last tick's impulse as the first guess."""
    for k in range(scene.ties.shape[0]):
        clear_tie(scene.ties[k], scene.solids[scene.ties[k].solid])
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        one, other = scene.solids[joint.a], scene.solids[joint.b]
        if one.kind == FREE and other.kind == FREE and one.asleep != other.asleep:
            narrow.wake(scene, joint.a)
            narrow.wake(scene, joint.b)
        lever_a = spatial.to_world(one.axes, pairs.triple(joint.at_a))
        lever_b = spatial.to_world(other.axes, pairs.triple(joint.at_b))
        before_a, before_b = turned_back(one, lever_a, dt), turned_back(other, lever_b, dt)
        goes_on = joint.known == 1 and is_near(joint.lever_a, before_a) and is_near(joint.lever_b, before_b)
        joint.known, joint.calmed = 1, 0
        for i in range(3):
            joint.before_a[i] = joint.now_a[i] if goes_on else before_a[i]
            joint.before_b[i] = joint.now_b[i] if goes_on else before_b[i]
            joint.now_a[i], joint.now_b[i] = lever_a[i], lever_b[i]
            joint.lever_a[i], joint.lever_b[i] = lever_a[i], lever_b[i]
            joint.guess[i] = joint.impulse[i]
            for k in range(3):
                joint.inverse[i, k] = 0.0
        give(one, lever_a, joint.inverse)
        give(other, lever_b, joint.inverse)
        invert(joint.inverse)
        joint.average = AVERAGED
    weigh_pulls(scene)
    for j in range(scene.joints.shape[0]):
        if holds(scene, scene.joints[j]):
            share_impulse(scene, scene.joints[j], pairs.triple(scene.joints[j].impulse))
    for k in range(scene.ties.shape[0]):
        stiffen(scene, k, dt)
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        turn_tie(tie, scene.solids[tie.solid], spatial.times(tie.inverse, pairs.triple(tie.torque)))


@compiled
def weigh_pulls(scene):
    """Lets impulses act at levers as they are now, as those of contacts do, as far as contacts press a body against its
    joints: what both do at nearly one point has no stiffness, and would have one if only one of them were averaged."""
    if scene.counts[FOUND] == 0:
        return
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        p = pairs.triple(joint.impulse)
        if joint.tie_a >= 0:
            scene.ties[joint.tie_a].pull += max(spatial.dot(pairs.triple(joint.now_a), p), 0.0)
        if joint.tie_b >= 0:
            scene.ties[joint.tie_b].pull += max(-spatial.dot(pairs.triple(joint.now_b), p), 0.0)
    for c in range(scene.counts[FOUND]):
        contact = scene.contacts[c]
        if contact.push > 0.0:
            for k in range(scene.ties.shape[0]):
                tie, n = scene.ties[k], pairs.triple(contact.normal)
                if tie.solid == contact.a:
                    tie.press += max(-contact.push * spatial.dot(pairs.triple(contact.lever_a), n), 0.0)
                if tie.solid == contact.b:
                    tie.press += max(contact.push * spatial.dot(pairs.triple(contact.lever_b), n), 0.0)
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        share = 1.0
        if joint.tie_a >= 0:
            share = min(share, unpressed(scene.ties[joint.tie_a]))
        if joint.tie_b >= 0:
            share = min(share, unpressed(scene.ties[joint.tie_b]))
        joint.average = AVERAGED * share


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
def holds(scene, joint):
    """Whether a joint holds: not where it holds a body to itself, nor where all sleeps that it holds."""
    one, other = scene.solids[joint.a], scene.solids[joint.b]
    return joint.a != joint.b and ((one.kind == FREE and one.asleep == 0) or (other.kind == FREE and other.asleep == 0))


@compiled
def is_near(lever, other):
    """Whether a lever of the tick before is where it may be expected: no event has turned its body since."""
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
    """What a body turns for a torque, with the stiffness of its pulled joints: (1 + I^-1 S)^-1 I^-1, where S = 1/4 dt
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


@compiled
def weigh(scene, when):
    """The energy of motion, J, of every island that has joints: before last tick's impulses (0), and with them (1)."""
    if scene.joints.shape[0] == 0:
        return
    for k in range(scene.counts[ACTIVE]):
        scene.energy[scene.active[k], when] = 0.0
    for k in range(scene.counts[ACTIVE]):
        s = scene.active[k]
        solid = scene.solids[s]
        tied = is_tied(scene, s)
        if tied and solid.kind == FREE and solid.asleep == 0:
            own, v = spatial.to_craft(solid.axes, pairs.triple(solid.spin)), pairs.triple(solid.velocity)
            moving = solid.mass * spatial.dot(v, v) + spatial.dot(own, spatial.times(solid.inertia, own))
            root = islands.find(scene.roots, s)
            scene.energy[root, when] += 0.5 * moving


@compiled
def is_tied(scene, s):
    """Whether a body is in an island with contacts that has joints."""
    island = islands.find(scene.roots, s)
    for j in range(scene.joints.shape[0]):
        if scene.joints[j].island == island:
            return scene.joints[j].leads == 0 and scene.counts[FOUND] > 0
    return False


@compiled
def is_lifted(scene, island):
    """Whether last tick's impulses gave the bodies of an island energy."""
    return scene.energy[island, 1] > scene.energy[island, 0]


@compiled
def drop_guess(scene, j):
    """Takes last tick's impulse of a joint back."""
    joint = scene.joints[j]
    share_impulse(scene, joint, (-joint.impulse[0], -joint.impulse[1], -joint.impulse[2]))
    for i in range(3):
        joint.impulse[i], joint.guess[i] = 0.0, 0.0
    for side in range(2):
        k = joint.tie_a if side == 0 else joint.tie_b
        if k >= 0:
            tie = scene.ties[k]
            for i in range(3):
                scene.solids[tie.solid].spin[i] -= tie.given[i]
                tie.given[i] = 0.0


@compiled
def is_in(scene, s, island):
    """Whether a body is in an island."""
    while scene.roots[s] != s:
        s = scene.roots[s]
    return s == island


@compiled
def is_of(scene, joint, island):
    """Whether a joint holds bodies of an island."""
    return joint.island == island and holds(scene, joint)


@compiled
def look_ahead(scene, island, dt):
    """Where the points of the joints of an island will be after the tick, with the spins as they are now."""
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if not is_of(scene, joint, island):
            continue
        end_a = end_of(scene.solids[joint.a], scene.ties, joint.tie_a, joint.now_a, dt)
        end_b = end_of(scene.solids[joint.b], scene.ties, joint.tie_b, joint.now_b, dt)
        for i in range(3):
            joint.end_a[i], joint.end_b[i] = end_a[i], end_b[i]
            joint.lever_a[i] = joint.now_a[i] + joint.average * (end_a[i] - 2.0 * joint.now_a[i] + joint.before_a[i])
            joint.lever_b[i] = joint.now_b[i] + joint.average * (end_b[i] - 2.0 * joint.now_b[i] + joint.before_b[i])


@compiled
def end_of(solid, ties, k, lever, dt):
    """A lever after the tick, m, as its body will have turned with the spin that it has: see `solver.move` and
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
        # as `solver.move` has it: with the spin in the middle of the tick, for the angular momentum that it has now
        momentum = spatial.times(solid.inertia, spatial.to_craft(solid.axes, w))
        half = turned_by(-0.5 * dt * w[0], -0.5 * dt * w[1], -0.5 * dt * w[2])
        there = spatial.to_craft(solid.axes, rotated(half, spatial.to_world(solid.axes, momentum)))
        turned = spatial.to_world(solid.axes, spatial.times(ties[k].own_inverse, there))
        w = rotated((half[0], -half[1], -half[2], -half[3]), turned)
    return rotated(turned_by(dt * w[0], dt * w[1], dt * w[2]), v)


@compiled
def is_ball(solid):
    """Whether a body has the same inertia about every axis."""
    b = solid.inertia
    return b[0, 0] == b[1, 1] and b[1, 1] == b[2, 2] and b[0, 1] == 0.0 and b[0, 2] == 0.0 and b[1, 2] == 0.0


@unit
def step(scene, island, dt):
    """One step of Newton's method over the joints of an island that has contacts; what `parting` gave before it.

    A step that leads nowhere is taken back, and what is left of the tick is done with friction: see `calm`.
    """
    if is_calmed(scene, island):
        return level(scene, island)
    largest = parting(scene, island, dt)
    if largest < AGREE:
        return largest
    remember(scene, island)
    correct(scene, island)
    if largest < HOPELESS and turned_most(scene, island) * dt < TURNED_MOST:
        return largest
    recall(scene, island)
    calm(scene, island, dt)
    return level(scene, island)


@compiled
def remember(scene, island):
    """Notes the speeds and impulses of an island as they are."""
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        for i in range(3):
            tie.velocity[i], tie.spin[i] = solid.velocity[i], solid.spin[i]
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        for i in range(3):
            if joint.island == island:
                joint.guess[i] = joint.impulse[i]


@compiled
def recall(scene, island):
    """Brings back what was noted last."""
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        if solid.kind == FREE and is_in(scene, tie.solid, island):
            for i in range(3):
                solid.velocity[i], solid.spin[i] = tie.velocity[i], tie.spin[i]
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        for i in range(3):
            if joint.island == island:
                joint.impulse[i] = joint.guess[i]


@compiled
def is_calmed(scene, island):
    """Whether the rest of the tick of an island is done with friction."""
    for j in range(scene.joints.shape[0]):  # noqa: SIM110 - the language of the kernel has no any()
        if scene.joints[j].island == island and scene.joints[j].calmed == 1:
            return True
    return False


@compiled
def calm(scene, island, dt):
    """From here on in this tick: the levers as they are now, and the stiffness of the impulses so far as a friction
    against turning. Whatever `level` does then, it adds no energy."""
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        if solid.kind != FREE or not is_in(scene, tie.solid, island):
            continue
        stiffen(scene, k, dt)
        # (1 + I^-1 S)^-1 w = w - (1 + I^-1 S)^-1 I^-1 S w
        held = spatial.times(tie.inverse, spatial.times(tie.stiffness, pairs.triple(solid.spin)))
        for i in range(3):
            solid.spin[i] -= held[i]
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if joint.island != island:
            continue
        joint.calmed = 1
        for i in range(3):
            joint.lever_a[i], joint.lever_b[i] = joint.now_a[i], joint.now_b[i]
            joint.end_a[i], joint.end_b[i] = joint.now_a[i], joint.now_b[i]


@compiled
def level(scene, island):
    """Takes away the speed by which points of an island part now; the largest, m/s."""
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if not is_of(scene, joint, island):
            continue
        one, other = scene.solids[joint.a], scene.solids[joint.b]
        speed = pairs.speed_at(one, other, pairs.triple(joint.now_a), pairs.triple(joint.now_b))
        for i in range(3):
            scene.tie_right[3 * j + i] = speed[i] + joint.drive[i]
            largest = max(largest, abs(speed[i] + joint.drive[i]))
    for k in range(scene.ties.shape[0]):
        for i in range(3):
            scene.ties[k].ahead[i] = 0.0
    correct(scene, island)
    return largest


@unit
def parting(scene, island, dt):
    """The speed, m/s, by which points of an island part in this tick, with what their bodies have still to turn for the
    impulses so far, at most; what `correct` needs is laid down."""
    look_ahead(scene, island, dt)
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        for i in range(3):
            tie.torque[i] = 0.0
    for j in range(scene.joints.shape[0]):
        if is_of(scene, scene.joints[j], island):
            note_torque(scene, scene.joints[j], pairs.triple(scene.joints[j].impulse))
    for k in range(scene.ties.shape[0]):
        await_turn(scene, k, island, dt)
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        if is_of(scene, scene.joints[j], island):
            found = part_by(scene, j, dt)
            largest = found if not found <= largest else largest  # what is not finite is the largest
    return largest


@unit
def correct(scene, island):
    """Takes away what `parting` found."""
    solve_rows(scene, island)
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        for i in range(3):
            tie.torque[i] = 0.0
    for j in range(scene.joints.shape[0]):
        if is_of(scene, scene.joints[j], island):
            take_rows(scene, j)
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        if solid.kind == FREE and is_in(scene, tie.solid, island):
            more = spatial.times(tie.inverse, pairs.triple(tie.torque))
            turn_tie(tie, solid, (tie.ahead[0] + more[0], tie.ahead[1] + more[1], tie.ahead[2] + more[2]))


@compiled
def note_torque(scene, joint, impulse):
    """Adds the torque of an impulse on both bodies of a joint to what is noted of them."""
    if scene.solids[joint.a].kind == FREE:
        torque = spatial.cross(pairs.triple(joint.lever_a), impulse)
        for i in range(3):
            scene.ties[joint.tie_a].torque[i] += torque[i]
    if scene.solids[joint.b].kind == FREE:
        torque = spatial.cross(pairs.triple(joint.lever_b), impulse)
        for i in range(3):
            scene.ties[joint.tie_b].torque[i] -= torque[i]


@compiled
def await_turn(scene, k, island, dt):
    """The spin, rad/s, that the impulses so far would still give a body."""
    tie = scene.ties[k]
    for i in range(3):
        tie.ahead[i] = 0.0
    solid = scene.solids[tie.solid]
    if solid.kind != FREE or not is_in(scene, tie.solid, island):
        return
    stiffen(scene, k, dt)
    wanted = spatial.times(solid.inverse_inertia, pairs.triple(tie.torque))
    for i in range(3):
        tie.missing[i] = wanted[i] - tie.given[i]
    # (1 + I^-1 S)^-1 times what is missing, by the same matrix: S is there, so that I is not asked for
    pulled = spatial.times(tie.stiffness, pairs.triple(tie.missing))
    held = spatial.times(tie.inverse, pulled)
    for i in range(3):
        tie.ahead[i] = tie.missing[i] - held[i]


@compiled
def part_by(scene, j, dt):
    """Writes into the rows of a joint the speed, m/s, by which its points part in this tick; its size."""
    joint = scene.joints[j]
    one, other = scene.solids[joint.a], scene.solids[joint.b]
    swing_a, swing_b = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    if one.kind == FREE:
        swing_a = spatial.cross(pairs.triple(scene.ties[joint.tie_a].ahead), pairs.triple(joint.end_a))
    if other.kind == FREE:
        swing_b = spatial.cross(pairs.triple(scene.ties[joint.tie_b].ahead), pairs.triple(joint.end_b))
    size = 0.0
    for i in range(3):
        turned = (joint.end_a[i] - joint.now_a[i] - joint.end_b[i] + joint.now_b[i]) / dt
        speed = one.velocity[i] - other.velocity[i] + turned + swing_a[i] - swing_b[i] + joint.drive[i]
        scene.tie_right[3 * j + i] = speed
        size = (
            size + abs(speed) + abs(swing_a[i]) + abs(swing_b[i])
        )  # a sum: of what is not finite there is no greatest
    return size


@compiled
def solve_rows(scene, island):
    """Solves the rows of an island for the impulses that take the speeds in `tie_right` away, N s, in its place.

    Elimination without pivots on the profile of the matrix: of a chain, whose joints stand in order, it has a width of
    two joints (any text on finite elements, such as Bathe's, section 8.2).
    """
    m, right, count = scene.tie_rows, scene.tie_right, scene.joints.shape[0]
    for j in range(count):
        if is_of(scene, scene.joints[j], island):
            lay_rows(scene, j, island)
    for j in range(count):
        if not is_of(scene, scene.joints[j], island):
            continue
        for i in range(3 * j, 3 * j + 3):
            eliminate(scene, m, right, i, island)
    for j in range(count - 1, -1, -1):
        if not is_of(scene, scene.joints[j], island):
            continue
        for i in range(3 * j + 2, 3 * j - 1, -1):
            right[i] /= m[i, i]
            for k in range(3 * scene.joints[j].first, i):
                if scene.joints[k // 3].island == island:
                    right[k] -= m[k, i] * right[i]


@compiled
def eliminate(scene, m, right, i, island):
    """Row and column `i` of the factors L U, in the place of the matrix, and of the right side."""
    first = 3 * scene.joints[i // 3].first
    for k in range(first, i):
        joint = scene.joints[k // 3]
        if joint.island != island:
            continue
        low = max(first, 3 * joint.first)
        lower, upper = m[i, k], m[k, i]
        for p in range(low, k):
            lower -= m[i, p] * m[p, k]
            upper -= m[k, p] * m[p, i]
        m[k, i] = upper
        m[i, k] = lower / m[k, k]
    diagonal = m[i, i]
    for p in range(first, i):
        diagonal -= m[i, p] * m[p, i]
        right[i] -= m[i, p] * right[p]
    m[i, i] = diagonal


@compiled
def lay_rows(scene, j, island):
    """Writes the rows of a joint and the columns of those before it: what its points part by for their impulses."""
    joint, m = scene.joints[j], scene.tie_rows
    joint.first = j
    for k in range(j + 1):
        other = scene.joints[k]
        if k < joint.first and shares_body(joint, other) and is_of(scene, other, island):
            joint.first = k
    for k in range(joint.first, j + 1):
        for i in range(3):
            for n in range(3):
                m[3 * j + i, 3 * k + n] = 0.0
                m[3 * k + i, 3 * j + n] = 0.0
    for k in range(joint.first, j + 1):
        if is_of(scene, scene.joints[k], island):
            lay_block(scene, j, k)
            if k != j:
                lay_block(scene, k, j)
    for i in range(3):
        at = 3 * j + i
        m[at, at] = m[at, at] * (1.0 + SOFT) + 1e-30


@compiled
def shares_body(one, other):
    """Whether two joints hold the same body."""
    if one.tie_a >= 0 and (one.tie_a == other.tie_a or one.tie_a == other.tie_b):
        return True
    return one.tie_b >= 0 and (one.tie_b == other.tie_a or one.tie_b == other.tie_b)


@compiled
def lay_block(scene, j, k):
    """Writes what the points of joint `j` part by for an impulse of joint `k`, 1/kg."""
    joint, other = scene.joints[j], scene.joints[k]
    if joint.tie_a >= 0:
        if joint.tie_a == other.tie_a:
            lay_share(scene, j, k, joint.tie_a, joint.end_a, other.lever_a, 1.0)
        if joint.tie_a == other.tie_b:
            lay_share(scene, j, k, joint.tie_a, joint.end_a, other.lever_b, -1.0)
    if joint.tie_b >= 0:
        if joint.tie_b == other.tie_a:
            lay_share(scene, j, k, joint.tie_b, joint.end_b, other.lever_a, -1.0)
        if joint.tie_b == other.tie_b:
            lay_share(scene, j, k, joint.tie_b, joint.end_b, other.lever_b, 1.0)


@compiled
def lay_share(scene, j, k, t, end, lever, sign):
    """The same by one body."""
    tie, m = scene.ties[t], scene.tie_rows
    solid = scene.solids[tie.solid]
    if solid.kind != FREE:
        return
    for n in range(3):
        unit_n = (1.0 if n == 0 else 0.0, 1.0 if n == 1 else 0.0, 1.0 if n == 2 else 0.0)
        turned = spatial.times(tie.inverse, spatial.cross(pairs.triple(lever), unit_n))
        moved = spatial.cross(turned, pairs.triple(end))
        for i in range(3):
            m[3 * j + i, 3 * k + n] += sign * moved[i]
        m[3 * j + n, 3 * k + n] += sign * solid.inverse_mass[n]


@compiled
def take_rows(scene, j):
    """Gives the bodies of a joint what its rows were solved for."""
    joint = scene.joints[j]
    right = scene.tie_right
    impulse = (-right[3 * j], -right[3 * j + 1], -right[3 * j + 2])
    share_impulse(scene, joint, impulse)
    for i in range(3):
        joint.impulse[i] += impulse[i]


@unit
def solve_alone(scene, island, dt):
    """All joints of an island without contacts, until their points agree."""
    before = energy_of(scene, island, True)
    changed = parting(scene, island, dt)
    for _ in range(NEWTON_STEPS):
        if changed < AGREE or not changed < HOPELESS:
            break
        correct(scene, island)
        changed = parting(scene, island, dt)
    sound = changed < GIVEN_UP and turned_most(scene, island) * dt < TURNED_MOST
    if not (sound and energy_of(scene, island, False) <= GAINED_MOST * before):
        recall(scene, island)
        calm(scene, island, dt)
        for j in range(scene.joints.shape[0]):  # the speeds that were noted are those without last tick's impulses
            if scene.joints[j].island == island:
                for i in range(3):
                    scene.joints[j].impulse[i] = 0.0
        level(scene, island)


@compiled
def energy_of(scene, island, before):
    """J of motion of the bodies of an island that joints hold: as they would move without them, or as they do now."""
    total = 0.0
    for k in range(scene.ties.shape[0]):
        solid = scene.solids[scene.ties[k].solid]
        if solid.kind == FREE and is_in(scene, scene.ties[k].solid, island):
            tie = scene.ties[k]
            v, w = pairs.triple(solid.velocity), pairs.triple(solid.spin)
            if before:
                v, w = pairs.triple(tie.velocity), pairs.triple(tie.spin)
            own = spatial.to_craft(solid.axes, w)
            total += solid.mass * spatial.dot(v, v) + spatial.dot(own, spatial.times(solid.inertia, own))
    return 0.5 * total


@compiled
def turned_most(scene, island):
    """The greatest change of spin that joints gave a body of an island in this tick, rad/s."""
    most = 0.0
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        if scene.solids[tie.solid].kind == FREE and is_in(scene, tie.solid, island):
            size = spatial.length(pairs.triple(tie.given))
            most = size if not size <= most else most  # one that is not finite is the most
    return most


@compiled
def any_of(scene, island):
    """Whether an island has joints."""
    for j in range(scene.joints.shape[0]):  # noqa: SIM110 - the language of the kernel has no any()
        if is_of(scene, scene.joints[j], island):
            return True
    return False


@compiled
def draw(scene, island, dt):
    """One round of the shift that takes out what the joints of an island have drifted apart; the largest speed of it
    that was still missing, m/s."""
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if not is_of(scene, joint, island):
            continue
        one, other = scene.solids[joint.a], scene.solids[joint.b]
        lever_a, lever_b = pairs.triple(joint.now_a), pairs.triple(joint.now_b)
        swing_a = spatial.cross((one.twist[0], one.twist[1], one.twist[2]), lever_a)
        swing_b = spatial.cross((other.twist[0], other.twist[1], other.twist[2]), lever_b)
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
