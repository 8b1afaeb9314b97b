"""Stand-ins of a mesh in the solver: a box, a ball, its convex hull or several; and its mass.

Mass, centre and inertia come from the signed volume of the tetrahedra under each triangle (Tonon, J. Math. Stat. 1,
2005). A mesh is taken apart by cuts across its axes, each where the hulls of the two halves leave the least room empty.
"""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.geometry import shapes
from oak_sled.core.geometry.shapes import Piece
from oak_sled.core.geometry.terrain import Mesh

Fit = Literal["box", "ball", "hull", "hulls"]
MOST_CORNERS = 48
"""Corners of a hull; a rounder one is drawn through those that stand out in so many directions."""
WORTH = 0.01
"""Share of the volume of the one hull that more pieces must save to be worth it."""
CUTS = (0.15, 0.25, 0.35, 0.5, 0.65, 0.75, 0.85)
"""Shares of its extent at which a part is cut for trial."""
MOST_LEVELS = 20
GRID = 20
"""Steps along each side of the box, of the points that stand for what is inside."""


@dataclass(frozen=True, eq=False)
class Bulk:
    """m3; m; kg m2 a kg about the centre, shape (3, 3)."""

    volume: float
    centre: Floats
    inertia: Floats


def bulk(triangles: Floats) -> Bulk:
    """Of a closed surface of triangles of shape (n, 3, 3), m; raises ValueError when it holds no volume."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    six = np.einsum("ij,ij->i", a, np.cross(b, c))
    volume = float(six.sum()) / 6.0
    size = float(np.ptp(triangles.reshape(-1, 3), axis=0).max())
    if volume <= 1e-9 * size**3:
        raise ValueError("the surface holds no volume")
    centre = (six[:, None] * (a + b + c)).sum(axis=0) / (24.0 * volume)
    a, b, c = a - centre, b - centre, c - centre
    six = np.einsum("ij,ij->i", a, np.cross(b, c))
    total = a + b + c
    second = np.einsum("n,ni,nj->ij", six, total, total)
    for corner in (a, b, c):
        second += np.einsum("n,ni,nj->ij", six, corner, corner)
    second /= 120.0 * volume
    return Bulk(volume, centre, np.trace(second) * np.eye(3) - second)


def is_closed(mesh: Mesh) -> bool:
    """True if its triangles go along every edge as often one way as the other."""
    corners, faces = _merged(mesh)
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    there = edges[:, 0] * len(corners) + edges[:, 1]
    back = edges[:, 1] * len(corners) + edges[:, 0]
    return bool(np.array_equal(np.sort(there), np.sort(back)))


def _merged(mesh: Mesh) -> tuple[Floats, np.ndarray]:
    """Corners that lie on one spot as one: files often part them for their normals."""
    corners = mesh.corners()
    grain = max(float(np.ptp(corners, axis=0).max()) * 1e-6, 1e-9)
    _, first, number = np.unique(np.round(corners / grain).astype(np.int64), axis=0, return_index=True,
                                 return_inverse=True)  # fmt: skip
    return corners[first], number.reshape(-1)[mesh.faces()]


def hull_triangles(points: Floats) -> Floats:
    """The surface of the convex hull of points of shape (n, 3); ValueError when they span no volume."""
    from scipy.spatial import ConvexHull, QhullError  # heavy, and most yards have no hull

    try:
        made = ConvexHull(points)
    except (QhullError, ValueError) as error:
        raise ValueError("the points span no volume") from error
    triangles = points[made.simplices]
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    inward = np.einsum("ij,ij->i", normals, made.equations[:, :3]) < 0.0
    triangles[inward] = triangles[inward][:, [0, 2, 1]]
    return np.asarray(triangles, dtype=np.float64)


def few(points: Floats, most: int = MOST_CORNERS) -> Floats:
    """The points, shape (n, 3), that stand out farthest in `most` directions spread over the ball (a golden spiral)."""
    if len(points) <= most:
        return points
    k = np.arange(most) + 0.5
    polar, turn = np.arccos(1.0 - 2.0 * k / most), math.pi * (1.0 + 5.0**0.5) * k
    ways = np.stack([np.cos(turn) * np.sin(polar), np.sin(turn) * np.sin(polar), np.cos(polar)], axis=1)
    spans = np.ptp(points, axis=0)
    return points[np.unique(np.argmax(points / np.where(spans > 0, spans, 1.0) @ ways.T, axis=0))]


def _over(triangles: Floats, axis: int, at: float, above: bool) -> Floats:
    """m of each corner past a plane across an axis, shape (n, 3); a hair counts as on it."""
    far = (triangles[:, :, axis] - at) * (1.0 if above else -1.0)
    grain = 1e-6 * float(np.ptp(triangles[:, :, axis]) + 1e-30)
    return np.where(np.abs(far) > grain, far, 0.0)


def _side(triangles: Floats, axis: int, at: float, above: bool) -> Floats:
    """The triangles of one side of a plane, those across it cut, shape (n, 3, 3)."""
    over = _over(triangles, axis, at, above)
    found = [triangles[np.all(over >= 0.0, axis=1) & np.any(over > 0.0, axis=1)]]
    across = np.any(over > 0.0, axis=1) & np.any(over < 0.0, axis=1)
    for triangle, far in zip(triangles[across], over[across], strict=True):
        kept: list[Floats] = []
        for k in range(3):
            p, q, dp, dq = triangle[k], triangle[(k + 1) % 3], far[k], far[(k + 1) % 3]
            if dp >= 0.0:
                kept.append(p)
            if dp * dq < 0.0:
                kept.append(p + dp / (dp - dq) * (q - p))
        found += [np.array([[kept[0], kept[k], kept[k + 1]]]) for k in range(1, len(kept) - 1)]
    return np.concatenate(found)


def inside(triangles: Floats) -> Floats:
    """Points on a grid of GRID steps that lie in a closed surface, shape (n, 3), by counting crossings upward."""
    points = triangles.reshape(-1, 3)
    low, high = points.min(axis=0), points.max(axis=0)
    axes = [np.linspace(low[k], high[k], GRID + 1) for k in range(3)]
    x, y = (each.ravel() for each in np.meshgrid(axes[0], axes[1], indexing="ij"))
    # a hair aside, so that no line goes along an edge
    aside = 1e-6 * (high - low)
    x, y = x + 0.618 * aside[0], y - 0.414 * aside[1]
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    seen = np.abs(area) > 1e-15
    a, b, c, area = a[seen], b[seen], c[seen], area[seen]
    dx, dy = x[:, None] - a[:, 0], y[:, None] - a[:, 1]
    s = (dx * (c[:, 1] - a[:, 1]) - dy * (c[:, 0] - a[:, 0])) / area
    t = (dy * (b[:, 0] - a[:, 0]) - dx * (b[:, 1] - a[:, 1])) / area
    hit = (s >= 0.0) & (t >= 0.0) & (s + t <= 1.0)
    z = np.where(hit, a[:, 2] + s * (b[:, 2] - a[:, 2]) + t * (c[:, 2] - a[:, 2]), np.inf)
    turns = np.where(hit, np.sign(area), 0.0)
    found = []
    for height in axes[2]:
        # upward through the surface counts out, downward in: under a point inside there is one more in than out
        depth = np.where(z <= height, turns, 0.0).sum(axis=1)
        on = depth < 0.0
        found.append(np.stack([x[on], y[on], np.full(int(on.sum()), height)], axis=1))
    return np.concatenate(found)


@dataclass(frozen=True, eq=False)
class _Part:
    """A part of a solid: its surface, points within it, and its hull."""

    triangles: Floats
    nodes: Floats
    cell: float  # m3 that a point within stands for; 0 where the surface is open

    @functools.cached_property
    def points(self) -> Floats:
        """Corners of its triangles and its nodes, m, shape (n, 3)."""
        return np.concatenate([self.triangles.reshape(-1, 3), self.nodes])

    @functools.cached_property
    def volume(self) -> float:
        return _volume(self.points)

    @functools.cached_property
    def empty(self) -> float:
        """m3 of the hull that the part leaves empty; all of it where that is not known."""
        return self.volume - self.cell * len(self.nodes)

    def half(self, axis: int, at: float, above: bool) -> _Part:
        far = (self.nodes[:, axis] - at) * (1.0 if above else -1.0)
        return _Part(_side(self.triangles, axis, at, above), self.nodes[far >= -1e-9], self.cell)

    def _cuts(self, axis: int, low: float, span: float) -> list[float]:
        """Places of trial cuts: at shares of the extent, and where a shape of few levels has its steps."""
        if span <= 0.0:
            return []
        levels = np.unique(np.round(self.triangles[:, :, axis], 6))
        steps = [float(level) for level in levels[1:-1]] if len(levels) <= MOST_LEVELS else []
        return [low + share * span for share in CUTS] + steps

    def best_cut(self) -> tuple[_Part, _Part] | None:
        """The halves that together take least room; of cuts that save the same, across the middle of the longest."""
        spans = np.ptp(self.points, axis=0)
        low = self.points.min(axis=0)
        best: tuple[float, tuple[_Part, _Part]] | None = None
        for axis in range(3):
            for at in self._cuts(axis, float(low[axis]), float(spans[axis])):
                halves = self.half(axis, at, False), self.half(axis, at, True)
                if min(half.volume for half in halves) <= 0.0:
                    continue
                saved = self.volume - halves[0].volume - halves[1].volume
                off = abs((at - low[axis]) / spans[axis] - 0.5)
                score = saved + 1e-3 * self.volume * spans[axis] / spans.max() * (1.0 - off)
                if best is None or score > best[0]:
                    best = (score, halves)
        return None if best is None else best[1]


def _volume(points: Floats) -> float:
    try:
        return bulk(hull_triangles(points)).volume
    except ValueError:
        return 0.0


def taken_apart(triangles: Floats, most: int, closed: bool) -> list[Floats]:
    """Corners of up to `most` convex pieces that cover a surface of triangles, each of shape (n, 3).

    The part that leaves most room empty is cut where the halves take least; of all these partings, the one of
    fewest pieces that is nearly as tight as the last: a ring must be cut in four before anything is saved at all.
    """
    nodes = inside(triangles) if closed else np.zeros((0, 3))
    cell = bulk(triangles).volume / len(nodes) if len(nodes) else 0.0
    parts = [_Part(triangles, nodes, cell)]
    whole = parts[0].volume
    partings = [list(parts)]
    while len(parts) < most:
        worst = max(parts, key=lambda part: part.empty)
        halves = worst.best_cut() if worst.empty > WORTH * whole else None
        if halves is None:
            break
        parts = [part for part in parts if part is not worst] + list(halves)
        partings.append(list(parts))
    totals = [sum(part.volume for part in parting) for parting in partings]
    enough = next(k for k, total in enumerate(totals) if total <= min(totals) + WORTH * whole)
    return [few(np.unique(part.points, axis=0)) for part in partings[enough] if part.volume > 0.0]


@functools.lru_cache(maxsize=32)
def _parted(mesh: Mesh, most: int) -> tuple[tuple[Floats, ...], Floats]:
    """A mesh taken apart at its own size, once: the corners of its pieces, and half its box, m. To draw it out keeps
    what is convex, and which of two partings leaves less room, so that a dial of its size only scales them."""
    own = 0.5 * np.array(mesh.size())
    return tuple(taken_apart(mesh.within((own[0], own[1], own[2])), most, is_closed(mesh))), own


@dataclass(frozen=True, eq=False)
class Fitted:
    """Convex pieces round the middle of the box, what they weigh, and what they leave: share of volume too much."""

    pieces: tuple[Piece, ...]
    corners: tuple[Floats, ...]
    bulk: Bulk
    too_much: float | None


@functools.lru_cache(maxsize=64)
def fitted(mesh: Mesh, fit: Fit, most: int, half: tuple[float, float, float]) -> Fitted:
    """A mesh that fills a box of half extents `half`, m, as convex pieces. ValueError when it spans no volume.

    The mass properties are those of the mesh where it is closed, else of its pieces.
    """
    triangles = mesh.within(half)
    points = triangles.reshape(-1, 3)
    if fit == "box":
        corners = [np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)]) * np.array(half)]
        pieces = [shapes.box(half)]
    elif fit == "ball":
        radius = float(np.max(np.linalg.norm(points, axis=1)))
        corners, pieces = [radius * _sphere()], [shapes.ball(radius)]
    else:
        if fit == "hull":
            corners = [few(np.unique(points, axis=0))]
        else:
            parts, own_half = _parted(mesh, most)
            corners = [part * (np.array(half) / np.where(own_half > 0.0, own_half, 1.0)) for part in parts]
        pieces = [shapes.hull(one) for one in corners]
    if not pieces:
        raise ValueError("the mesh spans no volume")
    surfaces = [hull_triangles(one) for one in corners]
    filled = 4.0 / 3.0 * math.pi * pieces[0].radius ** 3 if fit == "ball" else sum(bulk(one).volume for one in surfaces)
    closed = is_closed(mesh)
    own = bulk(triangles if closed else np.concatenate(surfaces))
    return Fitted(tuple(pieces), tuple(corners), own, filled / own.volume - 1.0 if closed else None)


def _sphere() -> Floats:
    polar, turn = np.meshgrid(np.linspace(0.0, math.pi, 9), np.linspace(0.0, 2 * math.pi, 13)[:-1])
    return np.stack([np.sin(polar) * np.cos(turn), np.sin(polar) * np.sin(turn), np.cos(polar)], axis=2).reshape(-1, 3)
