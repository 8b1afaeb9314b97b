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

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import jointrows, jointstate, narrow, pairs, ties
from oak_sled.core.contact.records import FOUND, FREE
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


@unit
def prepare(scene, dt):
    """Levers and masses of all joints, and last tick's impulse as the first guess."""
    for k in range(scene.ties.shape[0]):
        ties.clear_tie(scene.ties[k], scene.solids[scene.ties[k].solid])
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        one, other = scene.solids[joint.a], scene.solids[joint.b]
        if one.kind == FREE and other.kind == FREE and one.asleep != other.asleep:
            narrow.wake(scene, joint.a)
            narrow.wake(scene, joint.b)
        lever_a = spatial.to_world(one.axes, pairs.triple(joint.at_a))
        lever_b = spatial.to_world(other.axes, pairs.triple(joint.at_b))
        before_a, before_b = ties.turned_back(one, lever_a, dt), ties.turned_back(other, lever_b, dt)
        goes_on = joint.known == 1 and ties.is_near(joint.lever_a, before_a) and ties.is_near(joint.lever_b, before_b)
        joint.known, joint.calmed = 1, 0
        for i in range(3):
            joint.before_a[i] = joint.now_a[i] if goes_on else before_a[i]
            joint.before_b[i] = joint.now_b[i] if goes_on else before_b[i]
            joint.now_a[i], joint.now_b[i] = lever_a[i], lever_b[i]
            joint.lever_a[i], joint.lever_b[i] = lever_a[i], lever_b[i]
            joint.guess[i] = joint.impulse[i]
            for k in range(3):
                joint.inverse[i, k] = 0.0
        ties.give(one, lever_a, joint.inverse)
        ties.give(other, lever_b, joint.inverse)
        ties.invert(joint.inverse)
        joint.average = AVERAGED
    weigh_pulls(scene)
    for j in range(scene.joints.shape[0]):
        if ties.holds(scene, scene.joints[j]):
            ties.share_impulse(scene, scene.joints[j], pairs.triple(scene.joints[j].impulse))
    for k in range(scene.ties.shape[0]):
        ties.stiffen(scene, k, dt)
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        ties.turn_tie(tie, scene.solids[tie.solid], spatial.times(tie.inverse, pairs.triple(tie.torque)))


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
            share = min(share, ties.unpressed(scene.ties[joint.tie_a]))
        if joint.tie_b >= 0:
            share = min(share, ties.unpressed(scene.ties[joint.tie_b]))
        joint.average = AVERAGED * share


@compiled
def look_ahead(scene, island, dt):
    """Computes where the points of the joints of an island will be after the tick, with the spins as they are now."""
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if not ties.is_of(scene, joint, island):
            continue
        end_a = ties.end_of(scene.solids[joint.a], scene.ties, joint.tie_a, joint.now_a, dt)
        end_b = ties.end_of(scene.solids[joint.b], scene.ties, joint.tie_b, joint.now_b, dt)
        for i in range(3):
            joint.end_a[i], joint.end_b[i] = end_a[i], end_b[i]
            joint.lever_a[i] = joint.now_a[i] + joint.average * (end_a[i] - 2.0 * joint.now_a[i] + joint.before_a[i])
            joint.lever_b[i] = joint.now_b[i] + joint.average * (end_b[i] - 2.0 * joint.now_b[i] + joint.before_b[i])


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
    jointstate.remember(scene, island)
    correct(scene, island)
    if largest < HOPELESS and jointstate.turned_most(scene, island) * dt < TURNED_MOST:
        return largest
    jointstate.recall(scene, island)
    calm(scene, island, dt)
    return level(scene, island)


@compiled
def is_calmed(scene, island):
    """True if the rest of the tick of an island is done with friction."""
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
        if solid.kind != FREE or not ties.is_in(scene, tie.solid, island):
            continue
        ties.stiffen(scene, k, dt)
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
        if not ties.is_of(scene, joint, island):
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
    ties.clear_torques(scene)
    for j in range(scene.joints.shape[0]):
        if ties.is_of(scene, scene.joints[j], island):
            note_torque(scene, scene.joints[j], pairs.triple(scene.joints[j].impulse))
    for k in range(scene.ties.shape[0]):
        await_turn(scene, k, island, dt)
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        if ties.is_of(scene, scene.joints[j], island):
            found = part_by(scene, j, dt)
            largest = found if not found <= largest else largest  # what is not finite is the largest
    return largest


@unit
def correct(scene, island):
    """Takes away what `parting` found."""
    jointrows.solve_rows(scene, island)
    ties.clear_torques(scene)
    for j in range(scene.joints.shape[0]):
        if ties.is_of(scene, scene.joints[j], island):
            jointrows.take_rows(scene, j)
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        if solid.kind == FREE and ties.is_in(scene, tie.solid, island):
            more = spatial.times(tie.inverse, pairs.triple(tie.torque))
            ties.turn_tie(tie, solid, (tie.ahead[0] + more[0], tie.ahead[1] + more[1], tie.ahead[2] + more[2]))


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
    if solid.kind != FREE or not ties.is_in(scene, tie.solid, island):
        return
    ties.stiffen(scene, k, dt)
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


@unit
def solve_alone(scene, island, dt):
    """All joints of an island without contacts, until their points agree."""
    before = jointstate.energy_of(scene, island, True)
    changed = parting(scene, island, dt)
    for _ in range(NEWTON_STEPS):
        if changed < AGREE or not changed < HOPELESS:
            break
        correct(scene, island)
        changed = parting(scene, island, dt)
    sound = changed < GIVEN_UP and jointstate.turned_most(scene, island) * dt < TURNED_MOST
    if not (sound and jointstate.energy_of(scene, island, False) <= GAINED_MOST * before):
        jointstate.recall(scene, island)
        calm(scene, island, dt)
        for j in range(scene.joints.shape[0]):  # the speeds that were noted are those without last tick's impulses
            if scene.joints[j].island == island:
                for i in range(3):
                    scene.joints[j].impulse[i] = 0.0
        level(scene, island)


@compiled
def any_of(scene, island):
    """True if an island has joints."""
    for j in range(scene.joints.shape[0]):  # noqa: SIM110 - the language of the kernel has no any()
        if ties.is_of(scene, scene.joints[j], island):
            return True
    return False


@compiled
def draw(scene, island, dt):
    """One round of the shift that takes out what the joints of an island have drifted apart; the largest speed of it
    that was still missing, m/s."""
    largest = 0.0
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if not ties.is_of(scene, joint, island):
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
        ties.shift_body(one, lever_a, taken, -1.0)
        if other.kind == FREE:
            ties.shift_body(other, lever_b, taken, 1.0)
        largest = max(largest, abs(wanted[0]), abs(wanted[1]), abs(wanted[2]))
    return largest


@compiled
def gap_of(apart, moving, dt):
    """m/s of shift that is missing along an axis."""
    return DRAWN * apart / dt + moving
