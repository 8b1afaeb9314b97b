"""Bounded least squares of a mixer: the commands of actuators that come nearest to a force and a moment.

The least of |W (B u - d)|^2 + EQUAL |u|^2 within the bounds of u, by a primal active set: the free commands are solved
for by Cholesky's factors, a step that meets a bound stops there and holds it, and a bound whose gradient points inward
is let go (Nocedal and Wright, Numerical Optimization, chapter 16). The second term makes it strictly convex: among
equal answers the one with the least commands, so that the answer does not depend on where the search begins.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled

EQUAL = 1e-8
"""Weight of the commands themselves beside that of a whole moment."""
INWARD = 1e-11
"""Gradient past which a bound is let go."""


@compiled
def solve(room, n, demand):
    """Finds `room.value` and returns the pivots it took, or one more than it may take where it ran out: what it has
    then lies within the bounds, and is nearer than where it began.

    room : MIXING, with columns (weighted), low and high of `n` actuators; value : where to begin. demand : the weighted
    force and moment, six numbers.
    """
    for i in range(n):
        for j in range(i + 1):
            found = 0.0
            for k in range(6):
                found += room.columns[i, k] * room.columns[j, k]
            room.square[i, j], room.square[j, i] = found, found
        room.square[i, i] += EQUAL
        right = 0.0
        for k in range(6):
            right += room.columns[i, k] * demand[k]
        room.right[i] = right
        room.value[i] = min(max(room.value[i], room.low[i]), room.high[i])
        room.bound[i] = 0
        if room.low[i] >= room.high[i]:
            room.bound[i] = 2  # it has no choice
        elif room.value[i] <= room.low[i]:
            room.bound[i] = -1
        elif room.value[i] >= room.high[i]:
            room.bound[i] = 1
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
