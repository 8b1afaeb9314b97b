"""Contacts solved at velocity level, one after another until they agree (projected Gauss-Seidel).

Each contact asks that the speed along its normal be no less than zero, within Coulomb's cone of friction; what a
contact pushed in the tick before is its first guess. Overlap is taken out by a shift that is no speed, so that it adds
no energy; the impulses are those of Catto's sequential impulses (2005), the shift that of split impulses.
Bouncing comes last, from the approach before anything answered (Newton's rule).
"""

from __future__ import annotations

import math

from oak_sled.core import body as body_module
from oak_sled.core import spatial, surface
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import broad
from oak_sled.core.contact.things import (
    AGREED,
    BOUNCE_ROUNDS,
    BOUNCING,
    CRAFT,
    DRIVEN,
    FIRST_ROUNDS,
    FIRST_WORK,
    FIXED,
    FREE,
    GROUND,
    PLACE_ROUNDS,
    SLEEP_AFTER,
    SLEEP_SPEED,
    SLEEP_SPIN,
    SLOP,
    SPARE_ROUNDS,
    SPARE_WORK,
    TOUCHING,
    UPRIGHT,
    VELOCITY_ROUNDS,
)

EMPTY = -1
FEW = 80
"""Contacts that are put in order by insertion; more by a heap, whose work does not grow with their square."""
KNOWN = 0.0009
"""m2: a point within 3 cm of one of the tick before is that point."""


@compiled
def speed_at(one, other, lever_a, lever_b):
    """m/s of one solid against the other at the point."""
    a = spatial.cross((one.spin[0], one.spin[1], one.spin[2]), lever_a)
    b = spatial.cross((other.spin[0], other.spin[1], other.spin[2]), lever_b)
    return (
        one.velocity[0] - other.velocity[0] + a[0] - b[0],
        one.velocity[1] - other.velocity[1] + a[1] - b[1],
        one.velocity[2] - other.velocity[2] + a[2] - b[2],
    )


@compiled
def speed_along(one, other, lever_a, lever_b, way):
    """The same along `way`."""
    return spatial.dot(speed_at(one, other, lever_a, lever_b), way)


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
def push(solid, lever, way, size):
    """Gives a solid an impulse of `size` N s along `way`."""
    arm = spatial.cross(lever, way)
    turned = spatial.times(solid.inverse_inertia, arm)
    for i in range(3):
        solid.velocity[i] += size * way[i] * solid.inverse_mass[i]
        solid.spin[i] += size * turned[i]


@compiled
def nudge(solid, lever, way, size):
    """The same for the shift."""
    arm = spatial.cross(lever, way)
    turned = spatial.times(solid.inverse_inertia, arm)
    for i in range(3):
        solid.shift[i] += size * way[i] * solid.inverse_mass[i]
        solid.twist[i] += size * turned[i]


@compiled
def triple(v):
    """Three floats of a record as a tuple."""
    return (v[0], v[1], v[2])


@compiled
def fill_table(table, before, count):
    """Where the contacts of each pair begin among those of the tick before; open addressing."""
    size = table.shape[0]
    for k in range(size):
        table[k] = EMPTY
    last = -1
    for k in range(count):
        key = pair_key(before[k])
        if key == last:
            continue
        last = key
        at = slot(key, size)
        while table[at] != EMPTY:
            at = (at + 1) % size
        table[at] = k


@compiled
def pair_key(contact):
    """A number for the pair of solids and pieces."""
    return contact.key * 1048576 + contact.a * 1024 + contact.b


@compiled
def slot(key, size):
    """The first place of a key in the table."""
    mixed = key ^ (key >> 21)
    return (mixed * 2654435761 & 0x7FFFFFFF) % size


@unit
def remember(scene):
    """Takes over what each contact pushed in the tick before, as its first guess."""
    contacts, before, table, counts = scene.contacts, scene.before, scene.table, scene.counts
    fill_table(table, before, counts[1])
    size = table.shape[0]
    for k in range(counts[0]):
        contact = contacts[k]
        contact.push = 0.0
        for i in range(3):
            contact.drag[i] = 0.0
        key = pair_key(contact)
        at = slot(key, size)
        while table[at] != EMPTY and pair_key(before[table[at]]) != key:
            at = (at + 1) % size
        if table[at] == EMPTY:
            continue
        best, near = -1, KNOWN
        place = table[at]
        while place < counts[1] and pair_key(before[place]) == key:
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
    for k in range(scene.counts[0]):
        contact = contacts[k]
        one, other = solids[contact.a], solids[contact.b]
        for i in range(3):
            contact.lever_a[i] = contact.point[i] - one.position[i]
            contact.lever_b[i] = contact.point[i] - other.position[i]
        local = spatial.to_craft(one.axes, triple(contact.lever_a))
        contact.local[0], contact.local[1], contact.local[2] = local


@compiled
def lay_arms(contact, k, one, other, way):
    """Writes what direction `k` of a contact does to the spins of both solids; returns the 1/kg felt along it."""
    arm_a, arm_b = spatial.cross(triple(contact.lever_a), way), spatial.cross(triple(contact.lever_b), way)
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


@unit
def prepare(scene, dt):
    """What each contact needs for the rounds: directions, masses, first guesses."""
    solids, contacts = scene.solids, scene.contacts
    for k in range(scene.counts[0]):
        contact = contacts[k]
        one, other = solids[contact.a], solids[contact.b]
        n, la, lb = triple(contact.normal), triple(contact.lever_a), triple(contact.lever_b)
        t = spatial.cross(n, (1.0, 0.0, 0.0)) if abs(n[0]) < 0.7 else spatial.cross(n, (0.0, 1.0, 0.0))
        size = spatial.length(t)
        t = (t[0] / size, t[1] / size, t[2] / size)
        u = spatial.cross(n, t)
        for i in range(3):
            contact.way[i], contact.across[i] = t[i], u[i]
        contact.mass = 1.0 / max(lay_arms(contact, 0, one, other, n), 1e-12)
        contact.mass_way = 1.0 / max(lay_arms(contact, 1, one, other, t), 1e-12)
        contact.mass_across = 1.0 / max(lay_arms(contact, 2, one, other, u), 1e-12)
        pair = scene.pairs[one.material, other.material]
        rub, back = pair[0], pair[1]
        if contact.b == GROUND and scene.patches.shape[0] > 0:
            rub *= surface.grip_at(scene.patches, scene.patches.shape[0], contact.point[0], contact.point[1])
        if contact.a == CRAFT and other.kind == FIXED and abs(n[2]) < UPRIGHT and scene.answer[0] >= 0.0:
            rub, back = scene.answer[3], scene.answer[2]
        contact.friction, contact.bounce = rub * contact.friction, back
        contact.approach = speed_along(one, other, la, lb, n)
        contact.fast = 1 if contact.approach < -BOUNCING and contact.gap > TOUCHING else 0
        contact.drag_way = spatial.dot(triple(contact.drag), t)
        contact.drag_across = spatial.dot(triple(contact.drag), u)
        contact.place_push, contact.wanted = 0.0, 0.0
        if contact.fast == 1:
            contact.push, contact.drag_way, contact.drag_across = 0.0, 0.0, 0.0
    for k in range(scene.counts[0]):
        contact = contacts[k]
        if contact.push != 0.0:
            apply(solids, contact, contact.push, contact.drag_way, contact.drag_across)


@compiled
def apply(solids, contact, along, way, across):
    """Gives both solids of a contact an impulse along its three directions."""
    x = along * contact.normal[0] + way * contact.way[0] + across * contact.across[0]
    y = along * contact.normal[1] + way * contact.way[1] + across * contact.across[1]
    z = along * contact.normal[2] + way * contact.way[2] + across * contact.across[2]
    push(solids[contact.a], triple(contact.lever_a), (x, y, z), 1.0)
    if solids[contact.b].kind == FREE:
        push(solids[contact.b], triple(contact.lever_b), (x, y, z), -1.0)


@compiled
def stack_up(scene):
    """The order of the rounds: by height, so that weight passes through a stack in one round and not in many."""
    contacts, turns, count = scene.contacts, scene.turns, scene.counts[0]
    if count <= FEW:  # by insertion, which is quick for few
        for k in range(count):
            j = k - 1
            while j >= 0 and contacts[turns[j]].point[2] > contacts[k].point[2]:
                turns[j + 1] = turns[j]
                j -= 1
            turns[j + 1] = k
        return
    for k in range(count):
        turns[k] = k
    for k in range(count // 2 - 1, -1, -1):
        sink(scene, k, count)
    for last in range(count - 1, 0, -1):
        turns[0], turns[last] = turns[last], turns[0]
        sink(scene, 0, last)


@compiled
def sink(scene, start, count):
    """Lets an entry of the heap of `turns` sink to its place: the highest contact, and of equals the last, on top."""
    contacts, turns = scene.contacts, scene.turns
    at = start
    while 2 * at + 1 < count:
        below = 2 * at + 1
        if below + 1 < count and is_lower(contacts, turns[below], turns[below + 1]):
            below += 1
        if not is_lower(contacts, turns[at], turns[below]):
            return
        turns[at], turns[below] = turns[below], turns[at]
        at = below


@compiled
def is_lower(contacts, one, other):
    """Whether a contact comes before another: by height, then by number."""
    a, b = contacts[one].point[2], contacts[other].point[2]
    return a < b or (a == b and one < other)


@compiled
def row(matrix, k):
    """A row of a matrix as a tuple."""
    return (matrix[k, 0], matrix[k, 1], matrix[k, 2])


@compiled
def meets_along(contact, k, way, gap, spin_a, spin_b):
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
def moved_by(v, share, x, size):
    """v + size * share * x, by component."""
    return (v[0] + size * share[0] * x[0], v[1] + size * share[1] * x[1], v[2] + size * share[2] * x[2])


@compiled
def turned_by(w, turn, size):
    """w + size * turn."""
    return (w[0] + size * turn[0], w[1] + size * turn[1], w[2] + size * turn[2])


@unit
def solve_once(scene, turn, dt):
    """One round over all contacts: friction, then the normal; from below upward, and back in the next round.

    Returns the largest speed that any contact still changed, m/s.
    """
    solids, contacts, order = scene.solids, scene.contacts, scene.turns
    count, largest = scene.counts[0], 0.0
    for j in range(count):
        contact = contacts[order[j if turn % 2 == 0 else count - 1 - j]]
        if contact.fast == 1:
            continue
        one, other = solids[contact.a], solids[contact.b]
        va, wa, vb, wb = triple(one.velocity), triple(one.spin), triple(other.velocity), triple(other.spin)
        free_a, free_b = triple(one.inverse_mass), triple(other.inverse_mass)
        n, t, u = triple(contact.normal), triple(contact.way), triple(contact.across)
        gap = minus(va, vb)
        way = contact.drag_way - contact.mass_way * meets_along(contact, 1, t, gap, wa, wb)
        across = contact.drag_across - contact.mass_across * meets_along(contact, 2, u, gap, wa, wb)
        most = contact.friction * contact.push
        square = way * way + across * across
        if square > most * most:
            share = most / math.sqrt(square)
            way, across = way * share, across * share
        by_way, by_across = way - contact.drag_way, across - contact.drag_across
        contact.drag_way, contact.drag_across = way, across
        x = (by_way * t[0] + by_across * u[0], by_way * t[1] + by_across * u[1], by_way * t[2] + by_across * u[2])
        va, vb = moved_by(va, free_a, x, 1.0), moved_by(vb, free_b, x, -1.0)
        wa = turned_by(turned_by(wa, row(contact.turn_a, 1), by_way), row(contact.turn_a, 2), by_across)
        wb = turned_by(turned_by(wb, row(contact.turn_b, 1), -by_way), row(contact.turn_b, 2), -by_across)
        speed = meets_along(contact, 0, n, minus(va, vb), wa, wb)
        wanted = -max(contact.gap, 0.0) / dt  # what is still apart may come as near as to touch
        total = max(contact.push + contact.mass * (wanted - speed), 0.0)
        change, contact.push = total - contact.push, total
        largest = max(largest, (abs(by_way) + abs(by_across)) / contact.mass_way, abs(change) / contact.mass)
        va, wa = moved_by(va, free_a, n, change), turned_by(wa, row(contact.turn_a, 0), change)
        vb, wb = moved_by(vb, free_b, n, -change), turned_by(wb, row(contact.turn_b, 0), -change)
        for i in range(3):
            one.velocity[i], one.spin[i] = va[i], wa[i]
        if other.kind == FREE:
            for i in range(3):
                other.velocity[i], other.spin[i] = vb[i], wb[i]
    return largest


@compiled
def bounce(scene):
    """What met fast parts with a share of the speed it met with."""
    solids, contacts = scene.solids, scene.contacts
    for k in range(scene.counts[0]):
        contact = contacts[k]
        if contact.bounce == 0.0 or contact.approach > -BOUNCING or contact.push == 0.0:
            continue
        one, other = solids[contact.a], solids[contact.b]
        la, lb = triple(contact.lever_a), triple(contact.lever_b)
        speed = speed_along(one, other, la, lb, triple(contact.normal))
        total = max(contact.push + contact.mass * (-contact.bounce * contact.approach - speed), 0.0)
        change, contact.push = total - contact.push, total
        apply(solids, contact, change, 0.0, 0.0)


@compiled
def part(scene, dt):
    """The shift that takes overlap out bit by bit, and keeps what is fast from passing."""
    solids, contacts = scene.solids, scene.contacts
    busy = False
    for s in range(solids.shape[0]):
        for i in range(3):
            solids[s].shift[i] = 0.0
            solids[s].twist[i] = 0.0
    for k in range(scene.counts[0]):
        contact = contacts[k]
        contact.wanted = -1e30
        if contact.fast == 1:
            one, other = solids[contact.a], solids[contact.b]
            la, lb = triple(contact.lever_a), triple(contact.lever_b)
            contact.wanted = -contact.gap / dt - speed_along(one, other, la, lb, triple(contact.normal))
        elif contact.gap < -SLOP:
            contact.wanted = min(0.2 * (-contact.gap - SLOP) / dt, 2.0)
        busy = busy or contact.wanted > 0.0
    if not busy:
        return
    for _ in range(PLACE_ROUNDS):
        for k in range(scene.counts[0]):
            contact = contacts[k]
            if contact.wanted < -1e29:
                continue
            one, other = solids[contact.a], solids[contact.b]
            la, lb, n = triple(contact.lever_a), triple(contact.lever_b), triple(contact.normal)
            speed = shift_along(one, other, la, lb, n)
            total = max(contact.place_push + contact.mass * (contact.wanted - speed), 0.0)
            change, contact.place_push = total - contact.place_push, total
            nudge(one, la, n, change)
            nudge(other, lb, n, -change)


@compiled
def find(roots, k):
    """The root of the group of k."""
    while roots[k] != k:
        roots[k] = roots[roots[k]]
        k = roots[k]
    return k


@compiled
def rest(scene, dt):
    """Groups that touch and have been slow fall asleep together."""
    solids, roots = scene.solids, scene.roots
    count = solids.shape[0]
    for s in range(count):
        roots[s] = s
        one = solids[s]
        if one.kind != FREE or s == CRAFT or one.asleep == 1:
            continue
        slow = spatial.length(triple(one.velocity)) < SLEEP_SPEED and spatial.length(triple(one.spin)) < SLEEP_SPIN
        one.still = one.still + dt if slow else 0.0
    for k in range(scene.counts[0]):
        contact = scene.contacts[k]
        if contact.push == 0.0 or solids[contact.b].kind != FREE or solids[contact.a].kind != FREE:
            if solids[contact.b].kind == DRIVEN and contact.push > 0.0:
                solids[contact.a].still = 0.0
            continue
        roots[find(roots, contact.a)] = find(roots, contact.b)
    for s in range(count):  # the least rest of a group is that of all
        if solids[s].kind == FREE:
            root = find(roots, s)
            still = -1.0 if s == CRAFT else solids[s].still
            if still < solids[root].still:
                solids[root].still = max(still, 0.0)
    for s in range(count):
        one = solids[s]
        if one.kind != FREE or s == CRAFT or one.asleep == 1:
            continue
        still = solids[find(roots, s)].still
        one.still = min(one.still, still + dt) if still < one.still else one.still
        if still >= SLEEP_AFTER:
            one.asleep = 1
            for i in range(3):
                one.velocity[i] = 0.0
                one.spin[i] = 0.0


@compiled
def speed_up(scene, gravity, dt):
    """Gravity on every loose solid; driven ones take the speed they are told."""
    solids = scene.solids
    for s in range(2, solids.shape[0]):
        one = solids[s]
        one.time += dt
        if one.kind == FREE and one.asleep == 0:
            one.velocity[2] -= gravity * one.gravity_scale * dt
        elif one.kind == DRIVEN:
            turn = math.tau / one.period
            ahead = math.sin(turn * one.time)
            for i in range(3):
                one.velocity[i] = (one.home[i] + one.sway[i] * ahead - one.position[i]) / dt


@compiled
def refresh(solid):
    """Axes and inverse inertia in step with the attitude."""
    spatial.axes_of(solid.attitude, solid.axes)
    if solid.kind == FREE:
        body_module.world_inertia(solid.inertia, solid.axes, solid.inverse_inertia)
        body_module.free_inverse(solid.inverse_inertia, solid.free_spin, solid.inverse_inertia)


@compiled
def move(solid, dt):
    """Place and attitude of a solid after the tick; its angular momentum is carried, its spin follows (midpoint)."""
    for i in range(3):
        solid.position[i] += dt * (solid.velocity[i] + solid.shift[i])
    if solid.kind != FREE:
        return
    w = triple(solid.spin)
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
    for k in range(counts[0]):
        contact = contacts[k]
        for i in range(3):
            contact.drag[i] = contact.drag_way * contact.way[i] + contact.drag_across * contact.across[i]
        before[k] = contact
    counts[1] = counts[0]


@compiled
def meet(scene, dt):
    """Finds every contact and solves them: velocities of all solids, the craft's among them, afterwards agree."""
    broad.sweep(scene, dt)
    place_contacts(scene)
    remember(scene)
    prepare(scene, dt)
    stack_up(scene)
    spare = SPARE_WORK // max(scene.counts[0], 1)
    most = VELOCITY_ROUNDS + min(SPARE_ROUNDS, spare)
    if scene.counts[1] == 0 and spare < SPARE_ROUNDS:
        most = max(most, min(FIRST_ROUNDS, FIRST_WORK // max(scene.counts[0], 1)))
    for turn in range(most):
        if solve_once(scene, turn, dt) < AGREED:
            break
    for _ in range(BOUNCE_ROUNDS):
        bounce(scene)
    part(scene, dt)
    scene.counts[3] += scene.counts[0]
    keep(scene)


@unit
def move_all(scene, dt):
    """Moves every solid but the craft, and lets what is at rest fall asleep."""
    rest(scene, dt)
    for s in range(2, scene.solids.shape[0]):
        one = scene.solids[s]
        if one.asleep == 0:
            move(one, dt)


@compiled
def run_alone(scene, gravity, dt, ticks, out):
    """Ticks of a scene without a craft: a heap that falls, a stack that stands.

    out : shape (ticks, solids, 13): position, attitude, velocity and spin of every solid after each tick.
    """
    for k in range(ticks):
        speed_up(scene, gravity, dt)
        meet(scene, dt)
        move_all(scene, dt)
        for s in range(scene.solids.shape[0]):
            one = scene.solids[s]
            for i in range(3):
                out[k, s, i] = one.position[i]
                out[k, s, 7 + i] = one.velocity[i]
                out[k, s, 10 + i] = one.spin[i]
            for i in range(4):
                out[k, s, 3 + i] = one.attitude[i]
