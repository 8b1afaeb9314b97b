"""Curves of numbers: monotone through knots, and thinned to what can be seen; ways thinned to where they bend."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel.state import Floats


def monotone(x: Floats, y: Floats, at: Floats) -> Floats:
    """Values at `at` of the monotone cubic through the knots (x rising, at least two), shape of `at`.

    Slopes by the weighted harmonic mean of Fritsch and Butland (SIAM J. Sci. Stat. Comput. 5, 1984), ends by the
    three-point formula held to the shape. Our own twenty lines, because the package that has it costs half a
    second at every start of the program; a test holds the two together.
    """
    wide = np.diff(x)
    rise = np.diff(y) / wide
    if len(x) == 2:
        return np.asarray(y[0] + rise[0] * (at - x[0]), dtype=np.float64)
    before, after = 2.0 * wide[1:] + wide[:-1], wide[1:] + 2.0 * wide[:-1]
    turns = rise[:-1] * rise[1:] <= 0.0
    safe = np.where(turns, 1.0, rise[:-1]), np.where(turns, 1.0, rise[1:])
    inner = np.where(turns, 0.0, (before + after) / (before / safe[0] + after / safe[1]))
    slope = np.concatenate(
        [[_end(wide[0], wide[1], rise[0], rise[1])], inner, [_end(wide[-1], wide[-2], rise[-1], rise[-2])]]
    )
    piece = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(wide) - 1)
    h = wide[piece]
    s = (at - x[piece]) / h
    s2, s3 = s * s, s * s * s
    made = (2 * s3 - 3 * s2 + 1) * y[piece] + (s3 - 2 * s2 + s) * h * slope[piece]
    made += (3 * s2 - 2 * s3) * y[piece + 1] + (s3 - s2) * h * slope[piece + 1]
    return np.asarray(made, dtype=np.float64)


def through(x: Floats, y: Floats, at: Floats, straight: bool) -> Floats:
    """Values at `at` of straight lines between the knots, or of `monotone`; past the ends what the ends are."""
    if straight or len(x) == 1:
        return np.interp(at, x, y)
    return monotone(x, y, np.clip(at, x[0], x[-1]))


def _end(near: float, next_: float, rise: float, next_rise: float) -> float:
    """The slope at an end, of the sign of its stretch and at most three times its rise."""
    slope = ((2.0 * near + next_) * rise - near * next_rise) / (near + next_)
    if slope * rise <= 0.0:
        return 0.0
    if rise * next_rise <= 0.0 and abs(slope) > 3.0 * abs(rise):
        return 3.0 * rise
    return float(slope)


def extremes(values: Floats, stretch: int) -> NDArray[np.int64]:
    """Rows of the least and the greatest value of every `stretch` of them, in order, and the last row; shape (k,)."""
    picked = np.empty(2 * (len(values) // stretch) + 1, np.int64)
    pick_extremes(np.ascontiguousarray(values), stretch, picked)
    return picked


@compiled
def pick_extremes(values, stretch, picked):
    """Writes the rows that `extremes` gives into `picked`."""
    count = len(values) // stretch
    for block in range(count):
        low = block * stretch
        high = low
        for row in range(low + 1, low + stretch):
            if values[row] < values[low]:
                low = row
            if values[row] > values[high]:
                high = row
        picked[2 * block], picked[2 * block + 1] = min(low, high), max(low, high)
    picked[2 * count] = len(values) - 1


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
