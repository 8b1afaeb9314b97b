"""The line of a rail: a smooth curve through knots, as points of equal arc length.

Between knots it is a cubic spline over the chord (natural at open ends, periodic where it is closed), so that its
curvature has no steps; at a knot whose tangent is set only its direction is continuous. For the kernel it becomes a
table of points, tangents and upward directions at equal steps of arc length, between which it is a cubic (Hermite): of
a bend of radius R that is off by step^4 / (384 R^3).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.interpolate import CubicHermiteSpline, CubicSpline, PchipInterpolator

from oak_sled.core.base.arrays import Floats, Ints

FINEST, COARSEST, MOST_NODES = 0.05, 1.0, 20_000
"""m between two points of a table at least and at most, and the points that it may have."""
PER_RADIUS = 0.1
"""m between them for each m of the smallest radius."""
SAMPLES = 48
"""Places between two knots at which the curve is measured."""
STEEP = 0.85
"""Upward part of a tangent from which on the vertical does not tell where the top of the rail is."""


@dataclass(frozen=True, eq=False)
class Path:
    """A rail as the kernel runs on it.

    points, tangents, ups : m and unit vectors, world axes, shape (n, 3); the last point of a closed one is its first.
    step : m of arc length between two. knots : m of arc length of its knots, shape (k,). curvature : 1/m, shape (n,).
    """

    points: Floats
    tangents: Floats
    ups: Floats
    step: float
    closed: bool
    knots: Floats
    curvature: Floats

    @property
    def length(self) -> float:
        """m from its first point to its last."""
        return self.step * (len(self.points) - 1)

    @property
    def smallest_radius(self) -> float:
        """m of its sharpest bend; endless where it is straight."""
        most = float(self.curvature.max())
        return 1.0 / most if most > 1e-9 else math.inf

    def table(self) -> Floats:
        """The table that the kernel keeps of it: point, tangent and upward direction, shape (n, 9)."""
        return np.hstack([self.points, self.tangents, self.ups])

    def at(self, place: float) -> tuple[Floats, Floats, Floats]:
        """Point, tangent and upward direction at m of arc length, each of shape (3,); straight on past its ends."""
        if self.closed:
            place %= self.length
        k = min(max(int(place / self.step), 0), len(self.points) - 2)
        u = place / self.step - k
        p, q, a, b = self.points[k], self.points[k + 1], self.tangents[k] * self.step, self.tangents[k + 1] * self.step
        if u < 0.0 or u > 1.0:
            end, way = (p, self.tangents[k]) if u < 0.0 else (q, self.tangents[k + 1])
            beyond = place - (k if u < 0.0 else k + 1) * self.step
            return end + beyond * way, way, self.ups[k if u < 0.0 else k + 1]
        h = 2 * u**3 - 3 * u**2 + 1
        point = h * p + (u**3 - 2 * u**2 + u) * a + (1 - h) * q + (u**3 - u**2) * b
        way = (6 * u**2 - 6 * u) * (p - q) + (3 * u**2 - 4 * u + 1) * a + (3 * u**2 - 2 * u) * b
        way = way / np.linalg.norm(way)
        up = (1 - u) * self.ups[k] + u * self.ups[k + 1]
        up = up - np.dot(up, way) * way
        return point, way, up / np.linalg.norm(up)

    def nearest(self, point: Sequence[float]) -> float:
        """m of arc length of its place that is nearest to a point of the world."""
        p = np.asarray(point, dtype=float)
        place = self.step * float(np.argmin(((self.points - p) ** 2).sum(axis=1)))
        for _ in range(12):
            at, way, _ = self.at(place)
            ahead = float(np.dot(p - at, way))
            place += ahead
            if abs(ahead) < 1e-12:
                break
        return place % self.length if self.closed else min(max(place, 0.0), self.length)


def through(
    knots: Floats, closed: bool, banks: Floats, headings: Sequence[float | None] = (), tables: Floats | None = None
) -> Path:
    """The line through knots, m, shape (k, 3), k >= 2.

    banks : rad that it is rolled to the right at each, shape (k,). headings : rad of the tangent in the plan at each,
    None where it is smooth. tables : a finer line that it keeps to instead, shape (n, 3), between the same ends.
    """
    set_ways = list(headings) or [None] * len(knots)
    curve, at_knots = _sampled(knots, closed, set_ways) if tables is None else (_smooth(tables, closed), None)
    arc = np.concatenate([[0.0], np.cumsum(_lengths(curve, curve.x[:-1], curve.x[1:]))])
    total = float(arc[-1])
    second = curve(np.linspace(0.0, curve.x[-1], 4 * len(curve.x)), 2)
    first = curve(np.linspace(0.0, curve.x[-1], 4 * len(curve.x)), 1)
    bend = np.linalg.norm(np.cross(first, second), axis=1) / np.linalg.norm(first, axis=1) ** 3
    step = min(max(PER_RADIUS / max(float(bend.max()), 1e-9), FINEST), COARSEST)
    count = min(max(math.ceil(total / step), 2), MOST_NODES - 1)
    places = np.linspace(0.0, total, count + 1)
    u = np.interp(places, arc, curve.x)
    for _ in range(3):  # the arc length to each place, made exact
        u = u + (places - _arc_at(curve, arc, u)) / np.linalg.norm(curve(u, 1), axis=1)
    points, ways = curve(u), curve(u, 1)
    second = curve(u, 2)
    curvature = np.linalg.norm(np.cross(ways, second), axis=1) / np.linalg.norm(ways, axis=1) ** 3
    ways = ways / np.linalg.norm(ways, axis=1)[:, None]
    if closed:
        points[-1], ways[-1] = points[0], ways[0]
    spots = _knot_places(knots, points, places, closed) if at_knots is None else arc[at_knots]
    bank = _banks(spots, banks, places, total, closed)
    return Path(points, ways, _tops(ways, bank, closed), total / count, closed, spots, curvature)


Curve = Any  # a spline of SciPy, which has no types


def _sampled(knots: Floats, closed: bool, ways: list[float | None]) -> tuple[Curve, Ints]:
    """The curve through knots, cut at many places, and which of these are the knots."""
    p = np.vstack([knots, knots[:1]]) if closed else knots
    told = [*ways, ways[0]] if closed else ways
    chord = np.linalg.norm(np.diff(p, axis=0), axis=1)
    u = np.concatenate([[0.0], np.cumsum(chord)])
    fixed = [k for k, way in enumerate(told) if way is not None]
    slopes = {k: _tangent(p, k, float(told[k] or 0.0), closed) for k in fixed}
    pieces = []
    if closed and not fixed:
        curve = CubicSpline(u, p, bc_type="periodic")
        pieces = [curve]
        edges = [0, len(p) - 1]
    elif closed:
        turned = fixed[0]  # it begins where a tangent is set, so that every piece ends where one is known
        order = [(turned + k) % (len(p) - 1) for k in range(len(p))]
        p, told = p[order], [told[k] for k in order]
        chord = np.linalg.norm(np.diff(p, axis=0), axis=1)
        u = np.concatenate([[0.0], np.cumsum(chord)])
        slopes = {k: _tangent(p, k, float(told[k] or 0.0), True) for k, way in enumerate(told) if way is not None}
        edges = sorted(slopes)
        pieces = [
            CubicSpline(u[a : b + 1], p[a : b + 1], bc_type=((1, slopes[a]), (1, slopes[b])))
            for a, b in zip(edges, edges[1:], strict=False)
        ]
    else:
        edges = sorted({0, *fixed, len(p) - 1})
        for a, b in zip(edges, edges[1:], strict=False):
            ends = tuple((1, slopes[k]) if k in slopes else (2, np.zeros(3)) for k in (a, b))
            pieces.append(CubicSpline(u[a : b + 1], p[a : b + 1], bc_type=ends))
    at, rows, slopes_at, marks = [u[:1]], [p[:1]], [pieces[0](u[:1], 1)], [0]
    for (a, b), piece in zip(zip(edges, edges[1:], strict=False), pieces, strict=True):
        for k in range(a, b):
            at.append(np.linspace(u[k], u[k + 1], SAMPLES + 1)[1:])
            rows.append(piece(at[-1]))
            slopes_at.append(piece(at[-1], 1))
            marks.append(marks[-1] + SAMPLES)
    found = np.array(marks[:-1] if closed else marks)
    if closed and fixed:
        found = np.roll(found, fixed[0])
    return CubicHermiteSpline(np.concatenate(at), np.vstack(rows), np.vstack(slopes_at)), found


def _tangent(p: Floats, k: int, heading: float, closed: bool) -> Floats:
    """The unit tangent at a knot whose heading is set; it rises as the chord between its neighbours does."""
    last = len(p) - 1
    before = p[k - 1] if k > 0 else p[last - 1] if closed else p[k]
    after = p[k + 1] if k < last else p[1] if closed else p[k]
    flat = math.hypot(*(after - before)[:2])
    rise = math.atan2((after - before)[2], flat) if flat > 1e-9 else 0.0
    return np.array([math.cos(rise) * math.cos(heading), math.cos(rise) * math.sin(heading), math.sin(rise)])


def _smooth(fine: Floats, closed: bool) -> CubicSpline:
    """A spline over the chords of a fine line."""
    u = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(fine, axis=0), axis=1))])
    if closed:
        fine = fine.copy()
        fine[-1] = fine[0]
    return CubicSpline(u, fine, bc_type="periodic" if closed else "natural")


_GAUSS, _WEIGHTS = np.polynomial.legendre.leggauss(4)


def _lengths(curve: Curve, a: Floats, b: Floats) -> Floats:
    """m of arc between two places of a curve, for many pairs, shape (n,)."""
    middle, half = 0.5 * (a + b), 0.5 * (b - a)
    at = middle[:, None] + half[:, None] * _GAUSS
    speed = np.linalg.norm(curve(at, 1), axis=2)
    return np.asarray(half * (speed @ _WEIGHTS))


def _arc_at(curve: Curve, arc: Floats, u: Floats) -> Floats:
    """m of arc from the start to places of a curve, shape (n,)."""
    k = np.clip(np.searchsorted(curve.x, u, side="right") - 1, 0, len(curve.x) - 2)
    return np.asarray(arc[k] + _lengths(curve, curve.x[k], u))


def _knot_places(knots: Floats, points: Floats, places: Floats, closed: bool) -> Floats:
    """m of arc length nearest to each knot in the plan."""
    flat = ((points[None, :, :2] - knots[:, None, :2]) ** 2).sum(axis=2)
    if closed:
        flat = flat[:, :-1]
    return np.asarray(places[np.argmin(flat, axis=1)])


def _banks(spots: Floats, banks: Floats, places: Floats, total: float, closed: bool) -> Floats:
    """rad of bank at each place, without overshoot between the knots."""
    if not np.any(banks):
        return np.zeros(len(places))
    order = np.argsort(spots)
    x, y = spots[order], banks[order]
    if closed:
        x, y = np.concatenate([x - total, x, x + total]), np.tile(y, 3)
    x, which = np.unique(x, return_index=True)
    if len(x) < 2:
        return np.full(len(places), float(y[0]))
    return np.asarray(PchipInterpolator(x, y[which])(np.clip(places, x[0], x[-1])))


def _tops(ways: Floats, bank: Floats, closed: bool) -> Floats:
    """The upward direction at each point: the vertical, across the tangent; of a line that is steep anywhere, carried
    along without a turn about it, and made to close."""
    if np.abs(ways[:, 2]).max() < STEEP:
        tops = np.array([0.0, 0.0, 1.0]) - ways[:, 2:] * ways
    else:
        tops = _carried(ways, closed)
    tops = tops / np.linalg.norm(tops, axis=1)[:, None]
    right = np.cross(ways, tops)
    return np.asarray(np.cos(bank)[:, None] * tops + np.sin(bank)[:, None] * right)


def _carried(ways: Floats, closed: bool) -> Floats:
    """An upward direction carried along the tangents with the least turn."""
    start = np.array([0.0, 0.0, 1.0]) if abs(ways[0, 2]) < STEEP else np.array([1.0, 0.0, 0.0])
    tops = [start - np.dot(start, ways[0]) * ways[0]]
    for before, after in zip(ways, ways[1:], strict=False):
        top = tops[-1] / np.linalg.norm(tops[-1])
        axis = np.cross(before, after)
        size = np.linalg.norm(axis)
        if size > 1e-12:
            angle, axis = math.atan2(size, float(np.dot(before, after))), axis / size
            top = (
                top * math.cos(angle)
                + np.cross(axis, top) * math.sin(angle)
                + axis * np.dot(axis, top) * (1.0 - math.cos(angle))
            )
        tops.append(top - np.dot(top, after) * after)
    made = np.array(tops)
    if closed:
        a, b = made[0] / np.linalg.norm(made[0]), made[-1] / np.linalg.norm(made[-1])
        missing = math.atan2(float(np.dot(np.cross(b, a), ways[0])), float(np.dot(a, b)))
        turn = np.linspace(0.0, missing, len(made))
        made = np.cos(turn)[:, None] * made + np.sin(turn)[:, None] * np.cross(ways, made)
    return made
