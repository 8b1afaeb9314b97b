"""Ways as flat ribbons: thinned to where they bend, and their corners."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler.kernel import compiled


def bends(points: Floats, joined: NDArray[np.bool_], slack: Floats) -> NDArray[np.int64]:
    """Rows of the points that a way needs, so that the straight lines between them miss no other point by more than the
    slack of the first of theirs, shape (k,).

    points : shape (n, 3). joined : whether it goes on from each of them to the next; where it does not, both are kept.
    slack : shape (n,), in units of the points, level and upright; a tenth of it is the least step that counts.
    """
    picked = np.empty(len(points), np.int64)
    count = pick_bends(np.ascontiguousarray(points), joined.astype(np.int64), np.ascontiguousarray(slack), picked)
    return picked[:count]


@compiled
def pick_bends(points, joined, slack, picked):
    """Writes the rows that `bends` gives into `picked`; how many they are.

    From each point that is kept, a sector of headings and one of slopes narrow with every point passed, to those of the
    lines that pass all of them near enough; a line ends where the next point is not in both of them, or comes back.
    """
    count = 0
    first = 0
    far = 0.0
    open_x, open_y, close_x, close_y = 0.0, 0.0, 0.0, 0.0
    low, high = -math.inf, math.inf
    row = 0
    while row < len(points):
        x, y = points[row, 0] - points[first, 0], points[row, 1] - points[first, 1]
        z = points[row, 2] - points[first, 2]
        size = math.sqrt(x * x + y * y)
        ends = row == 0 or joined[row - 1] == 0
        if not ends and row - 1 > first:
            turned = far > 0.0 and (open_x * y - open_y * x < 0.0 or close_x * y - close_y * x > 0.0)
            risen = far > 0.0 and (z > high * size or z < low * size)
            if turned or risen or size < far or (size <= slack[first] and abs(z) > slack[first]):
                # the point before is the end of a line, and the start of the next, which is tried with this one
                picked[count] = row - 1
                count += 1
                first = row - 1
                far, low, high = 0.0, -math.inf, math.inf
                continue
        if ends:
            if row > 0 and (count == 0 or picked[count - 1] != row - 1):
                picked[count] = row - 1
                count += 1
            picked[count] = row
            count += 1
            first = row
            far, low, high = 0.0, -math.inf, math.inf
        elif size > slack[first]:
            share = slack[first] / size
            other = math.sqrt(1.0 - share * share)
            ahead_x, ahead_y = x / size, y / size
            right_x, right_y = ahead_x * other + ahead_y * share, ahead_y * other - ahead_x * share
            left_x, left_y = ahead_x * other - ahead_y * share, ahead_y * other + ahead_x * share
            if far == 0.0 or open_x * right_y - open_y * right_x > 0.0:
                open_x, open_y = right_x, right_y
            if far == 0.0 or close_x * left_y - close_y * left_x < 0.0:
                close_x, close_y = left_x, left_y
            far = size
            low, high = max(low, (z - slack[first]) / size), min(high, (z + slack[first]) / size)
        row += 1
    if len(points) > 0 and picked[count - 1] != len(points) - 1:
        picked[count] = len(points) - 1
        count += 1
    return count


def corners(
    points: Floats, on: Floats, strength: Floats, ends: Sequence[int], ribbons: Sequence[Sequence[float]], breaks: float
) -> Floats:
    """Level ribbons along ways as triangles: corners with their colour, shape (m, 7).

    points : of all ways in a row, shape (n, 3), m. on, strength : shape (n,), whether a ribbon is drawn at a point (0:
    not), and by what its opacity is multiplied from there on. ends : behind the last point of each way. ribbons : of
    each its width and its slack, m, see `bends`, red, green, blue and opacity. breaks : m of a step that parts one.
    """
    count = len(points)
    joined, slack, picked = np.empty(count, np.int64), np.empty(count), np.empty(count, np.int64)
    made = np.empty((count, 6, 7))
    given = np.array(ends, np.int64), np.array(ribbons, dtype=np.float64)
    pieces = lay(np.ascontiguousarray(points), on, strength, *given, breaks, joined, slack, picked, made)
    return made[:pieces].reshape(-1, 7)


@compiled
def lay(points, on, strength, ends, ribbons, breaks, joined, slack, picked, made):
    """Writes the pieces of ribbons that `corners` gives into `made`, shape (n, 6, 7); how many they are."""
    first = 0
    for k in range(len(ends)):
        for row in range(first, ends[k]):
            slack[row], joined[row] = ribbons[k, 1], 0
            if row + 1 < ends[k] and on[row] != 0.0 and on[row + 1] != 0.0:
                x, y = points[row + 1, 0] - points[row, 0], points[row + 1, 1] - points[row, 1]
                if x * x + y * y < breaks * breaks:
                    joined[row] = 1
        first = ends[k]
    count = pick_bends(points, joined, slack, picked)
    pieces, way, before, linked = 0, 0, 0, 0
    unit_x, unit_y, before_x, before_y = 0.0, 0.0, 0.0, 0.0
    for place in range(count):
        row = picked[place]
        while row >= ends[way]:
            way += 1
            unit_x, unit_y = 0.0, 0.0
        next_x, next_y, size = 0.0, 0.0, 0.0
        if place + 1 < count and picked[place + 1] < ends[way]:
            next_x = points[picked[place + 1], 0] - points[row, 0]
            next_y = points[picked[place + 1], 1] - points[row, 1]
            size = math.sqrt(next_x * next_x + next_y * next_y)
            scale = 1.0 / size if size > 1e-9 else 0.0
            next_x, next_y = next_x * scale, next_y * scale
        across_x, across_y = unit_x + next_x, unit_y + next_y
        length = math.sqrt(across_x * across_x + across_y * across_y)
        half = 0.5 * ribbons[way, 0] / length if length > 1e-9 else 0.0
        side_x, side_y = -across_y * half, across_x * half
        if linked == 1:
            for corner in range(6):
                # left and right of its begin, right of its end; left of its begin, right and left of its end
                ahead = corner == 2 or corner >= 4
                left = corner == 0 or corner == 3 or corner == 5
                at = row if ahead else before
                to_x, to_y = (side_x, side_y) if ahead else (before_x, before_y)
                sign = 1.0 if left else -1.0
                made[pieces, corner, 0] = points[at, 0] + sign * to_x
                made[pieces, corner, 1] = points[at, 1] + sign * to_y
                made[pieces, corner, 2] = points[at, 2]
                for k in range(4):
                    made[pieces, corner, 3 + k] = ribbons[way, 2 + k]
                made[pieces, corner, 6] *= strength[before]
            pieces += 1
        linked = 1 if joined[row] == 1 and size > 1e-9 else 0
        before, before_x, before_y = row, side_x, side_y
        unit_x, unit_y = next_x, next_y
    return pieces
