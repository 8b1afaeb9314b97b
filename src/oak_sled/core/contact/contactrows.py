"""Rows of contacts: what each contact needs for the rounds, its share of a round, and what is kept of it.

Each contact asks that the speed along its normal be no less than zero, within Coulomb's cone of friction; what a
contact pushed in the tick before is its first guess (sequential impulses, Catto 2005).
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import pairs
from oak_sled.core.contact.records import (
    BEFORE,
    BOUNCING,
    FIXED,
    FOUND,
    FREE,
    GROUND,
    TOUCHING,
    UPRIGHT,
)
from oak_sled.core.kernel import spatial, surface

EMPTY = -1


KNOWN = 0.0009
"""m2: a point within 3 cm of one of the tick before is that point."""


@compiled
def index_contacts(table, before, count):
    """Indexes the first contact of each pair of pieces among those of the tick before; open addressing."""
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
            contact.lever_b[i] = contact.point[i] - (other.position[i] + contact.seam[i])
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
    """Prepares each contact for the rounds: directions, masses, first guesses."""
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
        belt = spatial.minus(belt_a, spatial.to_world(other.axes, pairs.triple(other.belt)))
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
        gap = spatial.minus(pairs.triple(one.velocity), pairs.triple(other.velocity))
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
