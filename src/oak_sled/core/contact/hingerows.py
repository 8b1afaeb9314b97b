"""The held rows of a hinge, a slider or a fixed joint as one system, solved directly, and how they answer what is free.

Row by row, a load on a long arm would be carried from points to attitudes and back for many rounds.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import pairs, ties, turns
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

TURNS, SLIDES, FIXED, TILTS = range(4)
NOTHING, STIFF = 1e-12, 1e30
"""Share of what the bodies give way at most below which a row gives nothing beside the others, and how stiff it is
then."""
"""Joints that turn about an axis, slide along it, do neither, or turn freely about a point, within a cone."""


@compiled
def angle(own, one, other, turn_a, turn_b):
    """rad of a against b about the axis, with both turned further."""
    axis = ties.rotated(turn_b, spatial.to_world(other.axes, pairs.triple(own.axis_b)))
    mark = ties.rotated(turn_b, spatial.to_world(other.axes, pairs.triple(own.mark_b)))
    at = ties.rotated(turn_a, spatial.to_world(one.axes, pairs.triple(own.mark_a)))
    return math.atan2(spatial.dot(spatial.cross(mark, at), axis), spatial.dot(mark, at))


@compiled
def leaning(own, one, other, turn_a, turn_b):
    """The turn of a against b that must not be, rad, world axes: across the axis, and about it but for a hinge."""
    axis_a = ties.rotated(turn_a, spatial.to_world(one.axes, pairs.triple(own.axis_a)))
    axis_b = ties.rotated(turn_b, spatial.to_world(other.axes, pairs.triple(own.axis_b)))
    lean = spatial.cross(axis_b, axis_a)
    if own.mode == TURNS:
        return lean
    about = angle(own, one, other, turn_a, turn_b)
    return (lean[0] + about * axis_b[0], lean[1] + about * axis_b[1], lean[2] + about * axis_b[2])


@compiled
def push_points(own, link, scene, impulse):
    """An impulse on a at its point, N s, and against it on b."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    if one.kind == FREE:
        pairs.push(one, pairs.triple(own.lever_a), impulse, 1.0)
    if other.kind == FREE:
        pairs.push(other, pairs.triple(own.arm_b), impulse, -1.0)


@compiled
def turn_both(own, link, scene, torque):
    """A torque on a, N m s, and against it on b."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    pairs.turn(one.spin, one, torque, 1.0)
    pairs.turn(other.spin, other, torque, -1.0)


@compiled
def spun(one, other, way):
    """rad/s that a torque of 1 N m s about a way gives a against b."""
    total = 0.0
    if one.kind == FREE:
        total += spatial.dot(way, spatial.times(one.inverse_inertia, way))
    if other.kind == FREE:
        total += spatial.dot(way, spatial.times(other.inverse_inertia, way))
    return total


@compiled
def is_held(own, k):
    """True if row k is held: 0 to 2 parting along the two ways across the axis and along it, 3 to 5 turning about
    these."""
    if own.mode == TILTS:
        return k < 3
    return not ((k == 2 and own.mode == SLIDES) or (k == 5 and own.mode == TURNS))


@compiled
def way_of(own, k):
    """The way of row k: across the axis, across both, and along it."""
    n = pairs.triple(own.axis)
    u, w = across(n)
    return u if k % 3 == 0 else w if k % 3 == 1 else n


@compiled
def gives(own, link, scene, k, m):
    """The speed of row k for an impulse of row m, 1/kg and the like."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    to, by = way_of(own, k), way_of(own, m)
    total = 0.0
    for side in range(2):
        solid = one if side == 0 else other
        if solid.kind != FREE:
            continue
        arm = pairs.triple(own.lever_a) if side == 0 else pairs.triple(own.arm_b)
        turn_to = spatial.cross(arm, to) if k < 3 else to
        turn_by = spatial.cross(arm, by) if m < 3 else by
        total += spatial.dot(turn_to, spatial.times(solid.inverse_inertia, turn_by))
        if k < 3 and m < 3:
            for i in range(3):
                total += to[i] * by[i] * solid.inverse_mass[i]
    return total


@compiled
def at_most(own, link, scene, k):
    """The most that the bodies could give way in row k, in whichever way they do it most easily, 1/kg and the like."""
    total = 0.0
    for side in range(2):
        solid = scene.solids[link.a] if side == 0 else scene.solids[link.b]
        if solid.kind != FREE:
            continue
        arm = pairs.triple(own.lever_a) if side == 0 else pairs.triple(own.arm_b)
        swings = spatial.dot(arm, arm) if k < 3 else 1.0
        for i in range(3):
            total += swings * solid.inverse_inertia[i, i]
            if k < 3:
                total += solid.inverse_mass[i]
    return total


@compiled
def lay_rows(own, link, scene):
    """Factors what the held rows give way (Cholesky), and how they answer what is free: by a direct solve the rounds
    need not carry a load from row to row along a long arm. A row in which neither body gives way, as where both are
    held in an axis of the world, counts as endlessly stiff."""
    f = own.factor
    for k in range(6):
        for m in range(k + 1):
            total = 1.0 if k == m else 0.0
            if is_held(own, k) and is_held(own, m):
                total = gives(own, link, scene, k, m)
            for i in range(m):
                total -= f[k, i] * f[m, i]
            if k != m:
                f[k, m] = total / f[m, m]
            elif not is_held(own, k) or total > NOTHING * at_most(own, link, scene, k):
                f[k, k] = math.sqrt(total)
            else:
                f[k, k] = STIFF
    own.mass = 0.0
    if own.mode == FIXED:
        return
    free = 2 if own.mode == SLIDES else 5
    for k in range(6):
        own.answers[k] = -gives(own, link, scene, k, free) if is_held(own, k) else 0.0
    answer(own)
    give = gives(own, link, scene, free, free)
    for k in range(6):
        if is_held(own, k):
            give += own.answers[k] * gives(own, link, scene, free, k)
    own.mass = 1.0 / give if give > NOTHING * at_most(own, link, scene, free) else 0.0


@compiled
def answer(own):
    """Solves the held rows for the speeds in `answers`, in their place."""
    f, x = own.factor, own.answers
    for k in range(6):
        for i in range(k):
            x[k] -= f[k, i] * x[i]
        x[k] /= f[k, k]
    for back in range(6):
        k = 5 - back
        for i in range(k + 1, 6):
            x[k] -= f[i, k] * x[i]
        x[k] /= f[k, k]


@compiled
def give_row(own, link, scene, k, size):
    """Gives both bodies the impulse of a held row, and counts it."""
    way = way_of(own, k)
    push = (size * way[0], size * way[1], size * way[2])
    if k < 3:
        push_points(own, link, scene, push)
        for i in range(3):
            own.given[i] += push[i]
    else:
        turn_both(own, link, scene, push)
        for i in range(3):
            own.turned[i] += push[i]


@compiled
def across(n):
    """Two unit vectors across a unit vector and each other."""
    t = spatial.cross(n, (1.0, 0.0, 0.0)) if abs(n[0]) < 0.7 else spatial.cross(n, (0.0, 1.0, 0.0))
    size = spatial.length(t)
    u = (t[0] / size, t[1] / size, t[2] / size)
    return u, spatial.cross(n, u)


@compiled
def solve_held(own, link, scene, dt):
    """Points and attitudes stay together at the end of the tick, but for what is free; the largest speed of it."""
    one, other, largest = scene.solids[link.a], scene.solids[link.b], 0.0
    turn_a, turn_b = turns.turn_of(one, own.inverse_a, dt), turns.turn_of(other, own.inverse_b, dt)
    off = parting(own, one, other, turn_a, turn_b, dt)
    lean = spatial.minus(leaning(own, one, other, turn_a, turn_b), pairs.triple(own.lean))
    f = own.factor
    a, b, c = row_speed(own, 0, off, lean, dt), row_speed(own, 1, off, lean, dt), row_speed(own, 2, off, lean, dt)
    d, e, g = row_speed(own, 3, off, lean, dt), row_speed(own, 4, off, lean, dt), row_speed(own, 5, off, lean, dt)
    largest = max(abs(a), abs(b), abs(c), abs(d), abs(e), abs(g))
    # the same elimination as `answer`, on numbers of its own
    a = -a / f[0, 0]
    b = (-b - f[1, 0] * a) / f[1, 1]
    c = (-c - f[2, 0] * a - f[2, 1] * b) / f[2, 2]
    d = (-d - f[3, 0] * a - f[3, 1] * b - f[3, 2] * c) / f[3, 3]
    e = (-e - f[4, 0] * a - f[4, 1] * b - f[4, 2] * c - f[4, 3] * d) / f[4, 4]
    g = (-g - f[5, 0] * a - f[5, 1] * b - f[5, 2] * c - f[5, 3] * d - f[5, 4] * e) / f[5, 5]
    g /= f[5, 5]
    e = (e - f[5, 4] * g) / f[4, 4]
    d = (d - f[5, 3] * g - f[4, 3] * e) / f[3, 3]
    c = (c - f[5, 2] * g - f[4, 2] * e - f[3, 2] * d) / f[2, 2]
    b = (b - f[5, 1] * g - f[4, 1] * e - f[3, 1] * d - f[2, 1] * c) / f[1, 1]
    a = (a - f[5, 0] * g - f[4, 0] * e - f[3, 0] * d - f[2, 0] * c - f[1, 0] * b) / f[0, 0]
    for k in range(6):
        if is_held(own, k):
            give_row(
                own,
                link,
                scene,
                k,
                a if k == 0 else b if k == 1 else c if k == 2 else d if k == 3 else e if k == 4 else g,
            )
    return largest


@compiled
def row_speed(own, k, off, lean, dt):
    """The speed that a held row has to take away: m/s or rad/s; 0 for one that is free."""
    if not is_held(own, k):
        return 0.0
    return spatial.dot(way_of(own, k), off if k < 3 else lean) / dt


@compiled
def parting(own, one, other, turn_a, turn_b, dt):
    """m by which the points part in this tick; of a slider only across its axis, which turns with b."""
    a = turns.end_of(one, pairs.triple(own.lever_a), turn_a, dt)
    off = spatial.minus(a, turns.end_of(other, pairs.triple(own.lever_b), turn_b, dt))
    if own.mode != SLIDES:
        return spatial.minus(off, pairs.triple(own.gap))
    n = pairs.triple(own.axis)
    now = ties.rotated(turn_b, n)
    along, held = spatial.dot(off, now), spatial.dot(pairs.triple(own.gap), n)
    return (
        off[0] - along * now[0] - own.gap[0] + held * n[0],
        off[1] - along * now[1] - own.gap[1] + held * n[1],
        off[2] - along * now[2] - own.gap[2] + held * n[2],
    )
