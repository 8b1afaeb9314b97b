"""Contacts solved at velocity level, one after another until they agree (projected Gauss-Seidel).

Each contact asks that the speed along its normal be no less than zero, within Coulomb's cone of friction; what a
contact pushed in the tick before is its first guess. Overlap is taken out by a shift that is no speed, so that it adds
no energy; the impulses are those of Catto's sequential impulses (2005), the shift that of split impulses.

Hits come first (see `impacts`). Bodies that touch form islands, each solved for itself with rounds of its own: what is
elsewhere changes nothing.

One file, since warm start, impacts, iterations and position correction work on the same rows in this order.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import blockledger, broad, impacts, islands, joints, jointstate, pairs, sleep, ties
from oak_sled.core.contact.records import (
    ACTIVE,
    BEFORE,
    BOUNCING,
    CONTACTS,
    DRIVEN,
    FIRST_ROUNDS,
    FIRST_WORK,
    FIXED,
    FOUND,
    FREE,
    GROUND,
    PLACE_ROUNDS,
    SHARED_ROUNDS,
    SLOP,
    SOLVED,
    SPARE_ROUNDS,
    SPARE_WORK,
    STANDING,
    STANDING_ROUNDS,
    STANDING_WORK,
    TICKS,
    TOLERANCE,
    TOUCHING,
    UPRIGHT,
    VELOCITY_ROUNDS,
)
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial, surface

EMPTY = -1
JOINTS_AGREE = 1e-10
"""m/s: joints alone in an island are solved so far."""
ACCELERATED = 9
"""Contacts of an island from which on its rounds are hurried: fewer agree soon."""
FEW = 80
"""Contacts that are put in order by insertion; more by a heap, whose work does not grow with their square."""
KNOWN = 0.0009
"""m2: a point within 3 cm of one of the tick before is that point."""


@compiled
def shift_along(one, other, lever_a, lever_b, way):
    """m/s of the shift of one solid against that of the other along `way`, at the point."""
    total = 0.0
    swing_a = spatial.cross((one.twist[0], one.twist[1], one.twist[2]), lever_a)
    swing_b = spatial.cross((other.twist[0], other.twist[1], other.twist[2]), lever_b)
    for i in range(3):
        total += way[i] * (one.shift[i] - other.shift[i])
    return total + spatial.dot(way, swing_a) - spatial.dot(way, swing_b)


@compiled
def shift_body(solid, lever, way, size):
    """The same for the shift."""
    arm = spatial.cross(lever, way)
    turned = spatial.times(solid.inverse_inertia, arm)
    for i in range(3):
        solid.shift[i] += size * way[i] * solid.inverse_mass[i]
        solid.twist[i] += size * turned[i]


@compiled
def index_contacts(table, before, count):
    """Where the contacts of each pair of pieces begin among those of the tick before; open addressing."""
    size = table.shape[0]
    for k in range(size):
        table[k] = EMPTY
    for k in range(count):
        if k > 0 and is_same(before[k], before[k - 1]):
            continue
        at = slot(before[k], size)
        while table[at] != EMPTY:
            at = (at + 1) % size
        table[at] = k


@compiled
def is_same(one, other):
    """True if two contacts are between the same pieces of the same bodies."""
    return one.a == other.a and one.b == other.b and one.piece == other.piece and one.key == other.key


@compiled
def slot(contact, size):
    """The first place of a pair of pieces in the table."""
    mixed = contact.a * 73856093 ^ contact.b * 19349663 ^ contact.piece * 83492791 ^ contact.key * 49979687
    return ((mixed ^ (mixed >> 21)) * 2654435761 & 0x7FFFFFFF) % size


@unit
def warm_start(scene):
    """Takes over what each contact pushed in the tick before, as its first guess."""
    contacts, before, table, counts = scene.contacts, scene.before, scene.table, scene.counts
    if counts[BEFORE] > 0:
        index_contacts(table, before, counts[BEFORE])
    size = table.shape[0]
    for k in range(counts[FOUND]):
        contact = contacts[k]
        contact.push = 0.0
        for i in range(3):
            contact.drag[i] = 0.0
        if counts[BEFORE] == 0:
            continue
        at = slot(contact, size)
        while table[at] != EMPTY and not is_same(before[table[at]], contact):
            at = (at + 1) % size
        if table[at] == EMPTY:
            continue
        best, near = -1, KNOWN
        place = table[at]
        while place < counts[BEFORE] and is_same(before[place], contact):
            away = 0.0
            for i in range(3):
                away += (before[place].local[i] - contact.local[i]) ** 2
            if away < near:
                best, near = place, away
            place += 1
        if best >= 0:
            contact.push = before[best].push
            for i in range(3):
                contact.drag[i] = before[best].drag[i]


@compiled
def place_contacts(scene):
    """Levers and the place by which each contact is known again."""
    solids, contacts = scene.solids, scene.contacts
    for k in range(scene.counts[FOUND]):
        contact = contacts[k]
        one, other = solids[contact.a], solids[contact.b]
        for i in range(3):
            contact.lever_a[i] = contact.point[i] - one.position[i]
            contact.lever_b[i] = contact.point[i] - other.position[i]
        local = spatial.to_craft(one.axes, pairs.triple(contact.lever_a))
        contact.local[0], contact.local[1], contact.local[2] = local


@compiled
def lay_arms(contact, k, one, other, way):
    """Writes what direction `k` of a contact does to the spins of both solids; returns the 1/kg felt along it."""
    arm_a, arm_b = spatial.cross(pairs.triple(contact.lever_a), way), spatial.cross(pairs.triple(contact.lever_b), way)
    turn_a = spatial.times(one.inverse_inertia, arm_a)
    turn_b = (0.0, 0.0, 0.0)
    if other.kind == FREE:
        turn_b = spatial.times(other.inverse_inertia, arm_b)
    total = 0.0
    for i in range(3):
        contact.arm_a[k, i], contact.arm_b[k, i] = arm_a[i], arm_b[i]
        contact.turn_a[k, i], contact.turn_b[k, i] = turn_a[i], turn_b[i]
        total += way[i] * way[i] * (one.inverse_mass[i] + other.inverse_mass[i])
        total += arm_a[i] * turn_a[i] + arm_b[i] * turn_b[i]
    return total


@compiled
def crosswise(contact, k, one, other, normal, way):
    """m/s along the normal that an impulse of 1 N s along direction `k` of the contact, which is `way`, gives."""
    total = spatial.dot(row(contact.arm_a, 0), row(contact.turn_a, k))
    total += spatial.dot(row(contact.arm_b, 0), row(contact.turn_b, k))
    for i in range(3):
        total += normal[i] * way[i] * (one.inverse_mass[i] + other.inverse_mass[i])
    return total


@unit
def prepare(scene, dt):
    """What each contact needs for the rounds: directions, masses, first guesses."""
    solids, contacts = scene.solids, scene.contacts
    for k in range(scene.counts[FOUND]):
        contact = contacts[k]
        one, other = solids[contact.a], solids[contact.b]
        n, la, lb = pairs.triple(contact.normal), pairs.triple(contact.lever_a), pairs.triple(contact.lever_b)
        t = spatial.cross(n, (1.0, 0.0, 0.0)) if abs(n[0]) < 0.7 else spatial.cross(n, (0.0, 1.0, 0.0))
        size = spatial.length(t)
        t = (t[0] / size, t[1] / size, t[2] / size)
        u = spatial.cross(n, t)
        for i in range(3):
            contact.way[i], contact.across[i] = t[i], u[i]
        given = lay_arms(contact, 0, one, other, n)
        contact.give[0] = max(given, 1e-12)
        contact.mass = 1.0 / contact.give[0]
        given = lay_arms(contact, 1, one, other, t)
        contact.give[1] = max(given, 1e-12)
        contact.mass_way = 1.0 / contact.give[1]
        given = lay_arms(contact, 2, one, other, u)
        contact.give[2] = max(given, 1e-12)
        contact.mass_across = 1.0 / contact.give[2]
        contact.from_way = crosswise(contact, 1, one, other, n, t)
        contact.from_across = crosswise(contact, 2, one, other, n, u)
        pair = scene.pairs[one.material, other.material]
        friction, back = pair[0], pair[1]
        if contact.b == GROUND and scene.patches.shape[0] > 0:
            friction *= surface.grip_at(scene.patches, scene.patches.shape[0], contact.point[0], contact.point[1])
        if one.craft >= 0 and other.kind == FIXED and abs(n[2]) < UPRIGHT and scene.answer[one.craft, 0] >= 0.0:
            friction, back = scene.answer[one.craft, 3], scene.answer[one.craft, 2]
        contact.friction, contact.bounce = friction * contact.friction, back
        contact.approach = pairs.speed_along(one, other, la, lb, n)
        belt_a = spatial.to_world(one.axes, pairs.triple(one.belt))
        belt = minus(belt_a, spatial.to_world(other.axes, pairs.triple(other.belt)))
        contact.belt_way, contact.belt_across = spatial.dot(belt, t), spatial.dot(belt, u)
        contact.gained = gained_speed(one, other, la, lb, n)
        contact.fast = 1 if -contact.approach > BOUNCING and contact.gap > TOUCHING else 0
        contact.drag_way = spatial.dot(pairs.triple(contact.drag), t)
        contact.drag_across = spatial.dot(pairs.triple(contact.drag), u)
        contact.place_push, contact.wanted = 0.0, 0.0
        for i in range(3):
            contact.blow[i] = 0.0
        contact.target = -max(contact.gap, 0.0) / dt  # what is still apart may come as near as to touch
        if contact.fast == 1:
            contact.push, contact.drag_way, contact.drag_across = 0.0, 0.0, 0.0
    for k in range(scene.counts[FOUND]):
        contact = contacts[k]
        if contact.push != 0.0:
            pairs.apply(solids, contact, contact.push, contact.drag_way, contact.drag_across)


@compiled
def gained_speed(one, other, lever_a, lever_b, way):
    """m/s along `way` at the point that forces gave one body against the other in this tick."""
    a = spatial.cross((one.gained_spin[0], one.gained_spin[1], one.gained_spin[2]), lever_a)
    b = spatial.cross((other.gained_spin[0], other.gained_spin[1], other.gained_spin[2]), lever_b)
    total = 0.0
    for i in range(3):
        total += way[i] * (one.gained[i] - other.gained[i] + a[i] - b[i])
    return total


@compiled
def row(matrix, k):
    """A row of a matrix as a tuple."""
    return (matrix[k, 0], matrix[k, 1], matrix[k, 2])


@compiled
def relative_speed(contact, k, way, gap, spin_a, spin_b):
    """m/s of one solid against the other at the contact, along its direction `k`; gap : m/s between their centres.

    Sums of few terms side by side: the rounds wait for one another, so that a long sum would cost its whole length.
    """
    turning = spatial.dot(row(contact.arm_a, k), spin_a) - spatial.dot(row(contact.arm_b, k), spin_b)
    return spatial.dot(way, gap) + turning


@compiled
def minus(a, b):
    """a - b."""
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


@compiled
def push_both(one, other, contact, along, way, across):
    """`pairs.apply` by what `prepare` laid down: an impulse along the three directions, N s."""
    n, t, u = pairs.triple(contact.normal), pairs.triple(contact.way), pairs.triple(contact.across)
    push = (
        along * n[0] + way * t[0] + across * u[0],
        along * n[1] + way * t[1] + across * u[1],
        along * n[2] + way * t[2] + across * u[2],
    )
    for i in range(3):
        one.velocity[i] += push[i] * one.inverse_mass[i]
        one.spin[i] += along * contact.turn_a[0, i] + way * contact.turn_a[1, i] + across * contact.turn_a[2, i]
    if other.kind == FREE:
        for i in range(3):
            other.velocity[i] -= push[i] * other.inverse_mass[i]
            other.spin[i] -= along * contact.turn_b[0, i] + way * contact.turn_b[1, i] + across * contact.turn_b[2, i]


@compiled
def is_idle(contact):
    """True if a contact gives nothing so far: of many that are near, only some press."""
    return contact.push == 0.0 and contact.drag_way == 0.0 and contact.drag_across == 0.0


@unit
def solve_once(scene, turn, first, count):
    """One round over the contacts of an island, `count` of them in the order from `first` on: friction, then the
    normal; from below upward, and back in the next round.

    Returns the largest speed that any contact still changed, m/s, and the sum of the squares of what it changed, J.
    """
    solids, contacts, order = scene.solids, scene.contacts, scene.turns
    largest, squares = 0.0, 0.0
    for j in range(count):
        contact = contacts[order[first + (j if turn % 2 == 0 else count - 1 - j)]]
        if contact.fast == 1:
            continue
        one, other = solids[contact.a], solids[contact.b]
        wa, wb = pairs.triple(one.spin), pairs.triple(other.spin)
        gap = minus(pairs.triple(one.velocity), pairs.triple(other.velocity))
        n, t, u = pairs.triple(contact.normal), pairs.triple(contact.way), pairs.triple(contact.across)
        speed = relative_speed(contact, 0, n, gap, wa, wb)
        if speed >= contact.target and is_idle(contact):
            contact.step[0], contact.step[1], contact.step[2] = 0.0, 0.0, 0.0
            continue
        slip_way = relative_speed(contact, 1, t, gap, wa, wb) + contact.belt_way
        slip_across = relative_speed(contact, 2, u, gap, wa, wb) + contact.belt_across
        most = contact.friction * contact.push
        so_far = (contact.drag_way, contact.drag_across)
        way, across = pairs.friction_impulse(contact, so_far[0], so_far[1], slip_way, slip_across, most)
        by_way, by_across = way - contact.drag_way, across - contact.drag_across
        contact.drag_way, contact.drag_across = way, across
        speed += contact.from_way * by_way + contact.from_across * by_across
        total = max(contact.push + contact.mass * (contact.target - speed), 0.0)
        change, contact.push = total - contact.push, total
        push_both(one, other, contact, change, by_way, by_across)
        give = pairs.triple(contact.give)
        largest = max(largest, (abs(by_way) + abs(by_across)) * give[1], abs(change) * give[0])
        contact.step[0], contact.step[1], contact.step[2] = change, by_way, by_across
        squares += change * change * give[0] + by_way * by_way * give[1] + by_across * by_across * give[2]
    return largest, squares


@compiled
def part(scene, dt):
    """The shift that takes overlap out bit by bit, and keeps what is fast from passing: island by island."""
    solids, contacts, turns = scene.solids, scene.contacts, scene.turns
    for k in range(scene.counts[ACTIVE]):
        one = solids[scene.active[k]]
        for i in range(3):
            one.shift[i], one.twist[i] = 0.0, 0.0
    first, count = 0, scene.counts[FOUND]
    for k in range(count):
        contacts[k].set_down = 0
        if contacts[k].fast == 1 and is_ball(scene, contacts[k].a) and is_ball(scene, contacts[k].b):
            set_down(scene, contacts[k], dt)
    while first < count:
        last = end_of_island(scene, first)
        busy = joints.any_of(scene, contacts[turns[first]].island)
        for j in range(first, last):
            contact = contacts[turns[j]]
            contact.wanted = -1e30
            if contact.set_down == 1:
                continue
            if contact.fast == 1:
                contact.wanted = -contact.gap / dt - pairs.speed_of(solids, contact)
            elif contact.gap < -SLOP:
                contact.wanted = min(0.2 * (-contact.gap - SLOP) / dt, 2.0)
            busy = busy or contact.wanted > 0.0
        if busy:
            correct_island(scene, first, last, dt)
        first = last
    for j in range(scene.joints.shape[0]):
        if scene.joints[j].leads > 0:
            for _ in range(rounds_of(scene.joints[j], PLACE_ROUNDS)):
                missing = joints.draw(scene, scene.joints[j].island, dt)
                if missing < JOINTS_AGREE:
                    break


@compiled
def is_ball(scene, s):
    """True if a body is one ball about its centre of mass."""
    solid = scene.solids[s]
    if s == GROUND or solid.pieces != 1:
        return False
    piece = scene.pieces[solid.first_piece]
    corner = scene.corners[piece.first]
    return piece.count == 1 and corner[0] == 0.0 and corner[1] == 0.0 and corner[2] == 0.0


@compiled
def set_down(scene, contact, dt):
    """Has two balls that would meet in this tick end it where they touch, as they stand to each other then, so that
    they are struck along the normal of that moment: it turns while they pass. Those that miss each other pass on."""
    one, other = scene.solids[contact.a], scene.solids[contact.b]
    if spatial.length(pairs.triple(one.shift)) + spatial.length(pairs.triple(other.shift)) > 0.0:
        return  # it meets another in this tick
    d = minus(pairs.triple(one.position), pairs.triple(other.position))
    u = minus(pairs.triple(one.velocity), pairs.triple(other.velocity))
    radius = scene.pieces[one.first_piece].radius + scene.pieces[other.first_piece].radius
    a, b, c = spatial.dot(u, u), spatial.dot(d, u), spatial.dot(d, d) - radius * radius
    square = b * b - a * c
    if a == 0.0 or b >= 0.0:
        return
    contact.set_down = 1
    after = c / (-b + math.sqrt(square)) if square >= 0.0 else dt
    if after >= dt:
        return
    for i in range(3):
        give = one.inverse_mass[i] + other.inverse_mass[i]
        back = (1.0 - after / dt) * u[i] / give if give > 0.0 else 0.0
        one.shift[i] -= back * one.inverse_mass[i]
        other.shift[i] += back * other.inverse_mass[i]


@compiled
def rounds_of(joint, most):
    """Rounds for the joints of an island without contacts: the rows of one are solved as one, so that of one alone
    nothing is left after a round."""
    return most if joint.leads > 1 else 1


@compiled
def correct_island(scene, first, last, dt):
    """The shifts of an island whose contacts stand from `first` to `last` in the order."""
    solids, contacts, turns = scene.solids, scene.contacts, scene.turns
    for turn in range(SHARED_ROUNDS):
        largest = joints.draw(scene, contacts[turns[first]].island, dt)
        for j in range(first, last):
            contact = contacts[turns[j]]
            if contact.wanted < -1e29:
                continue
            one, other = solids[contact.a], solids[contact.b]
            la, lb, n = pairs.triple(contact.lever_a), pairs.triple(contact.lever_b), pairs.triple(contact.normal)
            speed = shift_along(one, other, la, lb, n)
            total = max(contact.place_push + contact.mass * (contact.wanted - speed), 0.0)
            change, contact.place_push = total - contact.place_push, total
            if change == 0.0:
                continue
            shift_body(one, la, n, change)
            shift_body(other, lb, n, -change)
            if contact.fast == 1:
                largest = max(largest, abs(change) / contact.mass)
        if turn >= PLACE_ROUNDS - 1 and largest < 1e-9:
            return


@compiled
def end_of_island(scene, first):
    """Behind the last contact, in the order, of the island whose contacts begin at `first`."""
    contacts, turns = scene.contacts, scene.turns
    last = first + 1
    while last < scene.counts[FOUND] and contacts[turns[last]].island == contacts[turns[first]].island:
        last += 1
    return last


@compiled
def speed_up(scene, ground, dt):
    """Gravity and the drag of the air on every body that belongs to no craft; driven ones take the speed of their path.

    Drag 1/2 rho Cd A v2 against the air, implicit, so that it never reverses.
    """
    solids = scene.solids
    for k in range(scene.counts[ACTIVE]):
        one = solids[scene.active[k]]
        if one.craft >= 0:
            continue
        one.time += dt
        if one.kind == FREE and one.asleep == 0:
            pull = environment.gravity_at(ground, one.position[0], one.position[1], one.position[2])
            for i in range(3):
                one.gained[i] = pull[i] * one.gravity_scale * dt + 0.0
            if one.air > 0.0:
                wind, density = environment.air_at(ground, one.position[0], one.position[1], one.position[2])
                v = minus(pairs.triple(one.velocity), wind)
                taken = dt * density * one.air * spatial.length(v) / one.mass
                for i in range(3):
                    one.gained[i] -= (v[i] + one.gained[i]) * taken / (1.0 + taken)
            for i in range(3):
                one.velocity[i] += one.gained[i]
                one.gained[i] += one.pushed[i]
                one.pushed[i] = 0.0
        elif one.kind == DRIVEN:
            turn = math.tau / one.period
            ahead = math.sin(turn * one.time + one.phase)
            if one.time < one.ramp:
                ahead *= one.time / one.ramp
            for i in range(3):
                one.velocity[i] = (one.home[i] + one.sway[i] * ahead - one.position[i]) / dt
    blockledger.book_forces(scene, ground, dt)


@compiled
def refresh(solid):
    """Axes and inverse inertia in step with the attitude."""
    spatial.axes_of(solid.attitude, solid.axes)
    if solid.kind == FREE:
        body_module.world_inertia(solid.inertia, solid.axes, solid.inverse_inertia)
        body_module.free_inverse(solid.inverse_inertia, solid.free_spin, solid.inverse_inertia)


@compiled
def refresh_all(solids):
    """The same for every body of a scene: one call from outside, where a call for each costs more than the rest."""
    for s in range(solids.shape[0]):
        refresh(solids[s])


@compiled
def move(solid, dt):
    """Place and attitude of a solid after the tick; its angular momentum is carried, its spin follows (midpoint)."""
    for i in range(3):
        solid.position[i] += dt * (solid.velocity[i] + solid.shift[i])
    if solid.kind != FREE:
        return
    w = pairs.triple(solid.spin)
    turned = (w[0] + solid.twist[0], w[1] + solid.twist[1], w[2] + solid.twist[2])
    if turned[0] == 0.0 and turned[1] == 0.0 and turned[2] == 0.0:
        return
    b = solid.inertia
    ball = b[0, 0] == b[1, 1] and b[1, 1] == b[2, 2] and b[0, 1] == 0.0 and b[0, 2] == 0.0 and b[1, 2] == 0.0
    if not ball:
        momentum = spatial.to_world(solid.axes, spatial.times(solid.inertia, spatial.to_craft(solid.axes, w)))
        q = (solid.attitude[0], solid.attitude[1], solid.attitude[2], solid.attitude[3])
        spatial.turn(solid.attitude, (0.5 * dt * w[0], 0.5 * dt * w[1], 0.5 * dt * w[2]))
        refresh(solid)
        w = spatial.times(solid.inverse_inertia, momentum)
        for i in range(4):
            solid.attitude[i] = q[i]
        turned = (w[0] + solid.twist[0], w[1] + solid.twist[1], w[2] + solid.twist[2])
        spatial.turn(solid.attitude, (dt * turned[0], dt * turned[1], dt * turned[2]))
        refresh(solid)
        w = spatial.times(solid.inverse_inertia, momentum)
        for i in range(3):
            solid.spin[i] = w[i]
        return
    spatial.turn(solid.attitude, (dt * turned[0], dt * turned[1], dt * turned[2]))
    refresh(solid)


@compiled
def keep(scene):
    """This tick's contacts become those of the tick before."""
    contacts, before, counts = scene.contacts, scene.before, scene.counts
    for k in range(counts[FOUND]):
        contact = contacts[k]
        way, across = contact.drag_way - contact.blow[1], contact.drag_across - contact.blow[2]
        for i in range(3):
            contact.drag[i] = way * contact.way[i] + across * contact.across[i]
        before[k] = contact
        before[k].push = contact.push - contact.blow[0]  # a hit is no guess for the next tick
    counts[BEFORE] = counts[FOUND]


@compiled
def accelerate(scene, first, count, share):
    """Goes on along the course of the rounds before (nonsmooth nonlinear conjugate gradients: Silcowitz, Niebe and
    Erleben, The Visual Computer 26, 2010), so that a tall or heavy stack agrees in few rounds. The round that follows
    brings every impulse back into its bounds.

    share : of the course that is gone again: the squares of this round's changes over those of the one before (Fletcher
    and Reeves); above 1 the course restarts.
    """
    contacts, order = scene.contacts, scene.turns
    for j in range(count):
        contact = contacts[order[first + j]]
        if contact.fast == 1:
            continue
        if share > 1.0:
            for i in range(3):
                contact.course[i] = contact.step[i]
            continue
        x, y, z = share * contact.course[0], share * contact.course[1], share * contact.course[2]
        if x == 0.0 and y == 0.0 and z == 0.0:
            for i in range(3):
                contact.course[i] = contact.step[i]
            continue
        contact.push += x
        contact.drag_way += y
        contact.drag_across += z
        push_both(scene.solids[contact.a], scene.solids[contact.b], contact, x, y, z)
        contact.course[0], contact.course[1], contact.course[2] = (
            x + contact.step[0],
            y + contact.step[1],
            z + contact.step[2],
        )


@compiled
def stands(scene, first, last):
    """True if no body of an island moves faster than a stack that settles."""
    for j in range(first, last):
        contact = scene.contacts[scene.turns[j]]
        for side in range(2):
            one = scene.solids[contact.a if side == 0 else contact.b]
            for i in range(3):
                if abs(one.velocity[i]) > STANDING + abs(one.gained[i]):
                    return False
    return True


@compiled
def solve_islands(scene, dt):
    """Solves every island until its contacts agree, or for as many rounds as its size allows."""
    contacts, turns, count = scene.contacts, scene.turns, scene.counts[FOUND]
    first = 0
    while first < count:
        last = end_of_island(scene, first)
        wide, island = last - first, contacts[turns[first]].island
        spare = SPARE_WORK // wide
        most = VELOCITY_ROUNDS + min(SPARE_ROUNDS, spare)
        if stands(scene, first, last):
            most = max(most, min(STANDING_ROUNDS, STANDING_WORK // wide))
        if scene.counts[TICKS] == 1 and spare < SPARE_ROUNDS:
            most = max(most, min(FIRST_ROUNDS, FIRST_WORK // wide))
        before, held = 0.0, joints.any_of(scene, island)
        for turn in range(most):
            moved = 0.0
            if held:
                moved = joints.step(scene, island, dt)
            changed, squares = solve_once(scene, turn, first, wide)
            if max(changed, moved) < TOLERANCE:
                break
            if wide >= ACCELERATED and not held and turn < most - 1:
                accelerate(scene, first, wide, squares / before if before > 0.0 else 2.0)
            before = squares
        for j in range(first, last):  # no friction where there is no push
            contact = contacts[turns[j]]
            if contact.push == 0.0 and (contact.drag_way != 0.0 or contact.drag_across != 0.0):
                pairs.apply(scene.solids, contact, 0.0, -contact.drag_way, -contact.drag_across)
                contact.drag_way, contact.drag_across = 0.0, 0.0
        first = last
    for j in range(scene.joints.shape[0]):
        if scene.joints[j].leads > 0:
            joints.solve_alone(scene, scene.joints[j].island, dt)


@compiled
def solve_contacts(scene, dt):
    """Finds every contact and solves them for the velocities of all bodies, crafts included."""
    broad.sweep(scene, dt)
    solve(scene, dt)


@compiled
def drop_guesses(scene):
    """Takes back last tick's impulses where bodies with joints would have more energy with them than without: rounds
    that begin so would not be done before it is there. From nothing they only take energy."""
    if scene.joints.shape[0] == 0:
        return
    jointstate.weigh(scene, 1)
    for k in range(scene.counts[FOUND]):
        contact = scene.contacts[k]
        if contact.push != 0.0 and jointstate.is_lifted(scene, contact.island):
            pairs.apply(scene.solids, contact, -contact.push, -contact.drag_way, -contact.drag_across)
            contact.push, contact.drag_way, contact.drag_across = 0.0, 0.0, 0.0
    for j in range(scene.joints.shape[0]):
        if ties.holds(scene, scene.joints[j]) and jointstate.is_lifted(scene, scene.joints[j].island):
            jointstate.drop_guess(scene, j)


@unit
def solve(scene, dt):
    """Solves what the sweep found."""
    if scene.counts[FOUND] > 0 or scene.joints.shape[0] > 0:
        place_contacts(scene)
        warm_start(scene)
        islands.divide(scene)
        jointstate.settle(scene)
        jointstate.weigh(scene, 0)
        prepare(scene, dt)
        joints.prepare(scene, dt)
        drop_guesses(scene)
        impacts.blow(scene, dt)
        solve_islands(scene, dt)
        for k in range(scene.counts[FOUND]):
            contact = scene.contacts[k]
            contact.push += contact.blow[0]
            contact.drag_way += contact.blow[1]
            contact.drag_across += contact.blow[2]
    part(scene, dt)
    scene.counts[SOLVED] += scene.counts[FOUND]
    keep(scene)


@unit
def move_all(scene, dt):
    """Moves every body that is no craft's, and lets what is at rest fall asleep."""
    sleep.rest(scene, dt)
    blockledger.book(scene, CONTACTS)
    for k in range(scene.counts[ACTIVE]):
        one = scene.solids[scene.active[k]]
        if one.asleep == 0 and one.craft < 0:
            move(one, dt)
    blockledger.mark(scene)


@compiled
def run_alone(scene, ground, dt, ticks, out):
    """Ticks of a scene without a craft: a heap that falls, a stack that stands.

    out : shape (ticks, solids, 13): position, attitude, velocity and spin of every solid after each tick.
    """
    broad.seek_neighbours(scene, dt)
    for k in range(ticks):
        speed_up(scene, ground, dt)
        solve_contacts(scene, dt)
        move_all(scene, dt)
        for s in range(scene.solids.shape[0]):
            one = scene.solids[s]
            for i in range(3):
                out[k, s, i] = one.position[i]
                out[k, s, 7 + i] = one.velocity[i]
                out[k, s, 10 + i] = one.spin[i]
            for i in range(4):
                out[k, s, 3 + i] = one.attitude[i]
