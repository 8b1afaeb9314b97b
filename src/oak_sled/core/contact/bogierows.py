"""The rows of a bogie: the motion that an impulse in each gives its body, and the answer to one along the rail."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import hingerows, pairs
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

POINT, ROLLED, ALONG, UPRIGHT = 2, 3, 4, 5
"""Numbers of rows that are held: those of its point alone, with the roll of the body, with its way, and with both."""


@compiled
def velocity_of(own, solid):
    """m/s of its point."""
    swing = spatial.cross(pairs.triple(solid.spin), pairs.triple(own.lever_a))
    return spatial.plus(pairs.triple(solid.velocity), swing)


@compiled
def speed_of(own, solid):
    """m/s of its point along the rail, with growing arc length."""
    return spatial.dot(pairs.triple(own.way), velocity_of(own, solid))


@compiled
def axis_of(own, k):
    """The axis of a held row: along which its point is held, or about which its body is turned."""
    way = pairs.triple(own.way)
    if k == 4 or (k == 2 and own.rows == ROLLED):
        return way
    u, w = hingerows.across(way)
    return u if k == 0 or k == 2 else w


@compiled
def lay_rows(own, solid, bend):
    """The motion that an impulse in each held row gives, the factor of what they give way (Cholesky), and their answer
    to one along the rail. bend : rad for each m by which the rail turns."""
    way, lever = pairs.triple(own.way), pairs.triple(own.lever_a)
    for k in range(own.rows):
        axis = axis_of(own, k)
        share = 0.0 if k < 2 else -spatial.dot(axis, bend)
        linear = (axis[0], axis[1], axis[2])
        if k >= 2:
            linear = (share * way[0], share * way[1], share * way[2])
        arm = spatial.cross(lever, linear)
        for i in range(3):
            own.pushes[k, i] = linear[i]
            own.turns[k, i] = arm[i] + (axis[i] if k >= 2 else 0.0)
    f = own.factor
    for k in range(own.rows):
        for m in range(k + 1):
            total = gives(own, solid, k, m) + (1e-30 if k == m else 0.0)
            for i in range(m):
                total -= f[k, i] * f[m, i]
            f[k, m] = math.sqrt(max(total, 1e-30)) if k == m else total / f[m, m]
    for k in range(own.rows):
        own.answers[k] = -give_along(own, solid, k)
    answer(own, own.answers)
    arm = spatial.cross(lever, way)
    total = spatial.dot(arm, spatial.times(solid.inverse_inertia, arm))
    for i in range(3):
        total += way[i] * way[i] * solid.inverse_mass[i]
    for k in range(own.rows):
        total += own.answers[k] * give_along(own, solid, k)
    own.mass = 1.0 / total if total > 1e-30 else 0.0


@compiled
def row(table, k):
    """Three numbers of a row as a tuple."""
    return (table[k, 0], table[k, 1], table[k, 2])


@compiled
def gives(own, solid, k, m):
    """The speed of row k for an impulse of row m."""
    total = spatial.dot(row(own.turns, k), spatial.times(solid.inverse_inertia, row(own.turns, m)))
    for i in range(3):
        total += own.pushes[k, i] * own.pushes[m, i] * solid.inverse_mass[i]
    return total


@compiled
def give_along(own, solid, k):
    """The speed of row k for an impulse of 1 N s along the rail."""
    way = pairs.triple(own.way)
    arm = spatial.cross(pairs.triple(own.lever_a), way)
    total = spatial.dot(row(own.turns, k), spatial.times(solid.inverse_inertia, arm))
    for i in range(3):
        total += own.pushes[k, i] * way[i] * solid.inverse_mass[i]
    return total


@compiled
def answer(own, x):
    """Solves the held rows for speeds, shape (5,), in their place."""
    f, n = own.factor, own.rows
    for k in range(n):
        for i in range(k):
            x[k] -= f[k, i] * x[i]
        x[k] /= f[k, k]
    for back in range(n):
        k = n - 1 - back
        for i in range(k + 1, n):
            x[k] -= f[i, k] * x[i]
        x[k] /= f[k, k]


@compiled
def give(own, solid, push, torque):
    """An impulse at its point, N s, and a torque, N m s, on its body."""
    if solid.kind == FREE:
        pairs.push(solid, pairs.triple(own.lever_a), push, 1.0)
        pairs.turn(solid.spin, solid, torque, 1.0)


@compiled
def push_along(own, solid, size):
    """An impulse along the rail, N s."""
    way = pairs.triple(own.way)
    give(own, solid, (size * way[0], size * way[1], size * way[2]), (0.0, 0.0, 0.0))


@compiled
def give_row(own, solid, k, size):
    """Gives its body the impulse of a held row, and counts it."""
    lever, push = pairs.triple(own.lever_a), row(own.pushes, k)
    arm = spatial.cross(lever, push)
    torque = spatial.minus(row(own.turns, k), arm)
    own.sizes[k] += size
    given = (size * push[0], size * push[1], size * push[2])
    turned = (size * torque[0], size * torque[1], size * torque[2])
    give(own, solid, given, turned)
    for i in range(3):
        own.given[i] += given[i]
        own.turned[i] += turned[i]


@compiled
def drive(own, solid, size):
    """Gives its body an impulse along the rail, which the held rows answer."""
    push_along(own, solid, size)
    for k in range(own.rows):
        give_row(own, solid, k, size * own.answers[k])
