"""Convex pieces that collision shapes are made of: balls, capsules, boxes, wedges, cylinders, hulls; and inertia."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from oak_sled.core.base.arrays import Floats

ROUNDING = 0.02
"""m by which the core of a box or hull is drawn in, at most; and a twentieth of its least width."""
MOST_OUTLINE = 24
"""Corners that the outline of a face may have."""


@dataclass(frozen=True)
class Piece:
    """A convex piece. corners : core, shape (n, 3), m; faces : outlines of shape (k, 3), anticlockwise from outside."""

    corners: Floats
    radius: float = 0.0
    faces: tuple[Floats, ...] = ()
    cylinder: tuple[float, float] | None = None  # radius and half length; corners hold its middle and its axis
    friction_scale: float = 1.0  # times the friction of its solid
    normals: Floats = field(default_factory=lambda: np.zeros((0, 3)))  # outward, a row a face
    part: int = -1  # the runner that it stands for, and on which side
    row: int = 0

    @property
    def spots(self) -> Floats:
        """Points whose hull, with the radius, holds the piece, shape (n, 3)."""
        if self.cylinder is not None:
            far = math.hypot(*self.cylinder)
            return np.concatenate([self.corners[:1] + far * np.eye(3), self.corners[:1] - far * np.eye(3)])
        return np.concatenate([self.corners, *self.faces]) if self.faces else self.corners

    def moved(self, rotation: Floats, offset: Floats) -> Piece:
        """The piece turned by a matrix of shape (3, 3), then moved by `offset`, m."""
        turned = self.corners @ rotation.T + offset
        if self.cylinder is not None:
            turned[1] -= offset
        faces = tuple(face @ rotation.T + offset for face in self.faces)
        return replace(self, corners=turned, faces=faces, normals=self.normals @ rotation.T)

    def rod_of(self, part: int, row: int) -> Piece:
        """The piece without friction, as the rod of a runner that has its own."""
        return replace(self, friction_scale=0.0, part=part, row=row)


def ball(radius: float) -> Piece:
    """A ball of `radius` m."""
    return Piece(np.zeros((1, 3)), radius)


def capsule(radius: float, half: float) -> Piece:
    """A rod along x with round ends: `half` m from its middle to the middle of an end."""
    return Piece(np.array([[half, 0.0, 0.0], [-half, 0.0, 0.0]]), radius)


def cylinder(radius: float, half: float, axis: Sequence[float] = (0.0, 0.0, 1.0)) -> Piece:
    """A cylinder about `axis`, `half` m from its middle to an end."""
    return Piece(np.array([[0.0, 0.0, 0.0], axis], dtype=float), 0.0, (), (radius, half))


_BOX_FACES = ((0, 2, 6, 4), (1, 5, 7, 3), (0, 4, 5, 1), (2, 3, 7, 6), (0, 1, 3, 2), (4, 6, 7, 5))
_WEDGE_FACES = ((0, 2, 3, 1), (1, 3, 5, 4), (0, 4, 5, 2), (0, 1, 4), (2, 5, 3))


def box(half: Sequence[float] | Floats) -> Piece:
    """A box. half : half extents, m, shape (3,)."""
    return _box(*(float(size) for size in half))


@functools.lru_cache(maxsize=512)
def _box(*half: float) -> Piece:
    signs = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], dtype=float)
    return polytope(signs * np.asarray(half, dtype=float), _BOX_FACES)


def wedge(half: Sequence[float] | Floats) -> Piece:
    """A ramp that rises along x from nothing to its full height. half : of the box round it, m, shape (3,)."""
    return _wedge(*(float(size) for size in half))


@functools.lru_cache(maxsize=128)
def _wedge(a: float, b: float, c: float) -> Piece:
    corners = np.array([[-a, -b, -c], [a, -b, -c], [-a, b, -c], [a, b, -c], [a, -b, c], [a, b, c]])
    return polytope(corners, _WEDGE_FACES)


def polytope(corners: Floats, faces: Sequence[Sequence[int]]) -> Piece:
    """A convex solid of flat faces. corners : m, shape (n, 3); faces : their numbers, anticlockwise from outside."""
    outlines = tuple(corners[list(face)] for face in faces)
    normals = np.array([_normal(outline) for outline in outlines])
    offsets = np.array([normal @ outline[0] for normal, outline in zip(normals, outlines, strict=True)])
    widths = [float(np.ptp(corners @ normal)) for normal in normals]
    radius = min(ROUNDING, 0.05 * min(widths))
    meets = [[k for k, face in enumerate(faces) if corner in face] for corner in range(len(corners))]
    for _ in range(4):
        drawn = np.array(
            [
                corner - radius * np.linalg.lstsq(normals[near], np.ones(len(near)), rcond=None)[0]
                for corner, near in zip(corners, meets, strict=True)
            ]
        )
        if np.all(drawn @ normals.T <= offsets - radius + 1e-9):
            return Piece(drawn, radius, outlines, normals=normals)
        radius *= 0.5
    return Piece(corners.copy(), 0.0, outlines, normals=normals)


def _normal(outline: Floats) -> Floats:
    """Unit normal of an outline (Newell's sum, so that no three corners decide it)."""
    ahead = np.roll(outline, -1, axis=0)
    total = np.cross(outline, ahead).sum(axis=0)
    return np.asarray(total / np.linalg.norm(total), dtype=np.float64)


def hull(points: Floats) -> Piece:
    """The convex hull of points of shape (n, 3), m; raises ValueError when they span no volume."""
    from scipy.spatial import ConvexHull, QhullError  # heavy, and most scenes have no hull

    try:
        made = ConvexHull(points)
    except QhullError as error:
        raise ValueError("the points span no volume") from error
    used = sorted(set(made.vertices.tolist()))
    corners = points[used]
    planes: list[tuple[Floats, float]] = []
    for *normal, offset in made.equations:
        if not any(np.dot(normal, n) > 1 - 1e-6 and abs(offset - o) < 1e-6 for n, o in planes):
            planes.append((np.array(normal), offset))
    faces = []
    for normal, offset in planes:
        on = np.flatnonzero(np.abs(corners @ normal + offset) < 1e-6)
        middle = corners[on].mean(axis=0)
        side = corners[on[0]] - middle
        turn = np.arctan2(np.cross(side, corners[on] - middle) @ normal, (corners[on] - middle) @ side)
        ring = [int(k) for k in on[np.argsort(turn)]]
        most = MOST_OUTLINE - 2  # a rounder face keeps corners all round it
        faces.append([ring[k * len(ring) // most] for k in range(most)] if len(ring) > most else ring)
    return polytope(corners, faces)


def box_inertia(mass: float, half: Sequence[float] | Floats) -> Floats:
    """kg m2 of a solid box, shape (3, 3)."""
    a, b, c = (x * x for x in half)
    return np.diag([mass / 3.0 * (b + c), mass / 3.0 * (a + c), mass / 3.0 * (a + b)])


def ball_inertia(mass: float, radius: float) -> Floats:
    """kg m2 of a solid ball, shape (3, 3)."""
    return 0.4 * mass * radius * radius * np.eye(3)


def capsule_inertia(mass: float, radius: float, half: float) -> Floats:
    """kg m2 of a solid rod along x with half balls at its ends (each by its share of the volume), shape (3, 3)."""
    rod, ends = half * 2.0, radius * 4.0 / 3.0
    m_rod, m_ends = mass * rod / (rod + ends), mass * ends / (rod + ends)
    round_axis = m_rod * radius**2 / 2 + m_ends * 0.4 * radius**2
    across = m_rod * (radius**2 / 4 + half**2 / 3) + m_ends * (0.4 * radius**2 + half**2 + 0.75 * half * radius)
    return np.diag([round_axis, across, across])
