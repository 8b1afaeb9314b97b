"""Bounded least squares of a mixer: the commands of actuators that come nearest to a force and a moment.

The least of |W (B u - d)|^2 + EQUAL |u|^2 + 2 THRIFT c u within the bounds of u, by a primal active set: the free
commands are solved for by Cholesky's factors, a step that meets a bound stops there and holds it, and a bound whose
gradient points inward is let go (Nocedal and Wright, Numerical Optimization, chapter 16). The second term makes it
strictly convex: among
equal answers the one with the least commands, so that the answer does not depend on where the search begins. The
third, c of what burns fuel, takes among equal answers the one that burns least, and of those the one with the least
commands. Both are paid for in B u, by about their weight over the square of what the actuators give: `solve_exactly`
takes that back.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled

EQUAL = 1e-8
"""Weight of the commands themselves beside that of a whole moment."""
THRIFT = 1e-6
"""Weight of the fuel of a full command beside that of a whole moment."""
INWARD = 1e-11
"""Gradient past which a bound is let go."""
MADE = 1e-14
"""Share of the most that actuators give, to which what is asked counts as made."""
NEAREST = 1e-13
"""Gradient of what is left, by which no command could come nearer."""
NOISE = 1e-10
"""The same where another round has not made it less."""
FORGOTTEN = 1.0
"""Share of what all actuators give, past which what was asked beyond the demand is not kept for the next tick."""
ROUNDS = 40
"""Rounds at most in which what is left is asked again."""


@compiled
def solve(room, n, demand):
    """Finds `room.value` and returns the pivots it took, or one more than it may take where it ran out: what it has
    then lies within the bounds, and is nearer than where it began.

    room : MIXING, with columns (weighted), low, high and cost of `n` actuators; value : where to begin. demand : the
    weighted force and moment, six numbers.
    """
    square(room, n)
    stand(room, n)
    ask(room, n, demand)
    return descend(room, n)


@compiled
def solve_exactly(room, n, demand):
    """`solve`, and then what it left undone asked again on top, until nothing is left or no command could come nearer:
    Bregman's iteration (Yin, Osher, Goldfarb and Darbon, SIAM J. Imaging Sciences 1, 2008, section 2.1), which ends at
    what is nearest by the first term alone, and among those at the least of the others. Where a round changes nothing,
    the next one asks twice as much. It begins with what the last tick asked beyond its demand: while the same jets are
    open, that is right at once. Returns the pivots of all. `square` comes before it."""
    x = room.asked
    asked = (
        demand[0] + x[0], demand[1] + x[1], demand[2] + x[2], demand[3] + x[3], demand[4] + x[4], demand[5] + x[5]
    )  # fmt: skip
    stand(room, n)
    ask(room, n, asked)
    pivots = descend(room, n)
    times, before = 1.0, 1e300
    for _ in range(ROUNDS):
        left = unmet(room, n, demand)
        size = max(
            max(max(abs(left[0]), abs(left[1])), max(abs(left[2]), abs(left[3]))), max(abs(left[4]), abs(left[5]))
        )
        if size <= MADE:
            break
        free, held = gradient(room, n, left)
        if held <= NEAREST and (free <= NEAREST or (free <= NOISE and free > 0.5 * before)):
            break
        before = free
        times = 2.0 * times if free < 1e-3 * held else 1.0
        asked = (
            asked[0] + times * left[0], asked[1] + times * left[1], asked[2] + times * left[2],
            asked[3] + times * left[3], asked[4] + times * left[4], asked[5] + times * left[5],
        )  # fmt: skip
        ask(room, n, asked)
        pivots += descend(room, n)
    for k in range(6):
        beyond = asked[k] - demand[k]
        x[k] = beyond if abs(beyond) < FORGOTTEN else 0.0
    return pivots


@compiled
def unmet(room, n, demand):
    """The part of a weighted demand that the commands leave."""
    a, b, c, d, e, f = demand
    for i in range(n):
        column, u = room.columns[i], room.value[i]
        a, b, c = a - column[0] * u, b - column[1] * u, c - column[2] * u
        d, e, f = d - column[3] * u, e - column[4] * u, f - column[5] * u
    return (a, b, c, d, e, f)


@compiled
def gradient(room, n, left):
    """The slopes by which commands could come nearer to what is left: the greatest of those that are free, and of those
    that would have to leave their bounds inward."""
    free, held = 0.0, 0.0
    for i in range(n):
        if room.bound[i] == 2:
            continue
        column = room.columns[i]
        slope = column[0] * left[0] + column[1] * left[1] + column[2] * left[2]
        slope += column[3] * left[3] + column[4] * left[4] + column[5] * left[5]
        if room.bound[i] == 0:
            free = max(free, abs(slope))
        else:
            held = max(held, -slope * float(room.bound[i]))
    return free, held


@compiled
def square(room, n):
    """Writes the products of the columns."""
    for i in range(n):
        for j in range(i + 1):
            found = 0.0
            for k in range(6):
                found += room.columns[i, k] * room.columns[j, k]
            room.square[i, j], room.square[j, i] = found, found
        room.square[i, i] += EQUAL


@compiled
def stand(room, n):
    """Puts the commands within their bounds, and writes how each stands to these."""
    for i in range(n):
        room.value[i] = min(max(room.value[i], room.low[i]), room.high[i])
        room.bound[i] = 0
        if room.low[i] >= room.high[i]:
            room.bound[i] = 2  # it has no choice
        elif room.value[i] <= room.low[i]:
            room.bound[i] = -1
        elif room.value[i] >= room.high[i]:
            room.bound[i] = 1


@compiled
def ask(room, n, demand):
    """Writes the side of the equations that a weighted demand makes."""
    for i in range(n):
        right = 0.0
        for k in range(6):
            right += room.columns[i, k] * demand[k]
        room.right[i] = right - THRIFT * room.cost[i]


@compiled
def descend(room, n):
    """Pivots from where the commands stand until none would gain by leaving its bound; returns how many."""
    for pivots in range(2 * n + 1):
        count = seek(room, n)
        stop, share = -1, 1.0
        for f in range(count):
            i = room.free[f]
            step = room.aim[f] - room.value[i]
            end = room.high[i] if step > 0.0 else room.low[i]
            if abs(step) > 0.0 and (room.aim[f] > room.high[i] or room.aim[f] < room.low[i]):
                reached = (end - room.value[i]) / step
                if stop < 0 or reached < share:
                    stop, share = i, max(reached, 0.0)
        for f in range(count):
            i = room.free[f]
            room.value[i] += share * (room.aim[f] - room.value[i])
        if stop >= 0:
            at_top = room.value[stop] - room.low[stop] > room.high[stop] - room.value[stop]
            room.bound[stop] = 1 if at_top else -1
            room.value[stop] = room.high[stop] if at_top else room.low[stop]
            continue
        worst = inward(room, n)
        if worst < 0:
            return pivots
        room.bound[worst] = 0
    return 2 * n + 1


@compiled
def seek(room, n):
    """Writes into `room.aim` what the free commands would be without bounds; returns how many are free."""
    count = 0
    for i in range(n):
        if room.bound[i] == 0:
            room.free[count] = i
            count += 1
    for f in range(count):
        i = room.free[f]
        right = room.right[i]
        for j in range(n):
            if room.bound[j] != 0:
                right -= room.square[i, j] * room.value[j]
        for g in range(f):
            found = room.square[i, room.free[g]]
            for k in range(g):
                found -= room.factor[f, k] * room.factor[g, k]
            room.factor[f, g] = found / room.factor[g, g]
            right -= room.factor[f, g] * room.aim[g]
        left = room.square[i, i]
        for k in range(f):
            left -= room.factor[f, k] * room.factor[f, k]
        room.factor[f, f] = math.sqrt(max(left, 0.5 * EQUAL))
        room.aim[f] = right / room.factor[f, f]
    for back in range(count):
        f = count - 1 - back
        found = room.aim[f]
        for g in range(f + 1, count):
            found -= room.factor[g, f] * room.aim[g]
        room.aim[f] = found / room.factor[f, f]
    return count


@compiled
def inward(room, n):
    """The actuator at a bound that would gain most by leaving it; -1 where none would."""
    worst, most = -1, INWARD
    for i in range(n):
        if room.bound[i] == 1 or room.bound[i] == -1:
            slope = -room.right[i]
            for j in range(n):
                slope += room.square[i, j] * room.value[j]
            slope *= float(room.bound[i])
            if slope > most:
                worst, most = i, slope
    return worst
