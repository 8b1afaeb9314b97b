"""Curves of numbers: monotone through knots, and thinned to what can be seen."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler.kernel import compiled


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
    """Values at `at`, in its shape, of straight lines between the knots, or of `monotone`; past the ends the ends."""
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


def drawn_points(count: int, most: int) -> tuple[int, int]:
    """Number of points drawn of `count`, at most about `most`, and how many of them share a least and a greatest."""
    if count <= most:
        return count, 1
    stretch = math.ceil(count / (most // 2))
    return 2 * (count // stretch) + 1, stretch


def thinned(times: Floats, values: Floats, most: int) -> Floats:
    """The points by which a curve is drawn, about `most` at most: see `write_thinned`; shape (k, 2)."""
    count, stretch = drawn_points(len(values), most)
    points = np.empty((count, 2))
    write_thinned(np.ascontiguousarray(times), np.ascontiguousarray(values), stretch, points)
    return points


@compiled
def write_thinned(times, values, stretch, points):
    """Writes the points by which a curve is drawn: time and value of the least and the greatest of every `stretch` of
    them, in order, and the last, so that no spike is lost; all of them where `stretch` is 1.

    points : shape (k, 2), see `drawn_points`. Gives the least and the greatest, and how many are no finite number.
    """
    low, high = math.inf, -math.inf
    strange = 0
    row, other = 0, 0
    for place in range(len(points)):
        if stretch == 1:
            row = place
        elif place == len(points) - 1:
            row = len(values) - 1
        elif place % 2 == 1:
            row = other
        else:
            first = (place // 2) * stretch
            least, most = first, first
            for one in range(first + 1, first + stretch):
                if values[one] < values[least]:
                    least = one
                if values[one] > values[most]:
                    most = one
            row, other = min(least, most), max(least, most)
        value = values[row]
        points[place, 0], points[place, 1] = times[row], value
        if value - value == 0.0:
            low, high = min(low, value), max(high, value)
        else:
            strange += 1
    return low, high, strange
