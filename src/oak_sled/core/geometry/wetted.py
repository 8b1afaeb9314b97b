"""Shapes as closed sets of triangles, for what water pushes aside."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.geometry.shapes import Piece

ROUND = 240
"""Points on a ball."""
SIDES = 40
"""Of a prism that stands for a cylinder."""


@dataclass(frozen=True)
class Wetted:
    """triangles : m, shape (n, 3, 3), each anticlockwise from outside. volume : m3, of all of them."""

    triangles: Floats
    volume: float


DRY = Wetted(np.zeros((0, 3, 3)), 0.0)


def of(pieces: Sequence[Piece]) -> Wetted:
    """The triangles of convex pieces, m from where they are given; what is round is made of flat faces of the same
    volume. Pieces that lie over one another count twice; runners do not count."""
    found = [_triangles(piece) for piece in pieces if piece.part < 0]
    triangles = np.concatenate([np.zeros((0, 3, 3)), *found])
    return Wetted(np.ascontiguousarray(triangles), volume_of(triangles))


def volume_of(triangles: Floats) -> float:
    """m3 within a closed set of triangles, shape (n, 3, 3), m."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6.0)


def _triangles(piece: Piece) -> Floats:
    """Those of a convex piece."""
    if piece.cylinder is not None:
        radius, half = piece.cylinder
        points, wanted = _prism(piece.corners, radius, half), 2.0 * math.pi * radius**2 * half
    elif piece.radius > 0.0 and not piece.faces:
        points, wanted = _rounded(piece.corners, piece.radius), _round_volume(piece)
    else:
        points, wanted = piece.spots, 0.0
    triangles = _hull(points)
    if wanted > 0.0:
        middle = points.mean(axis=0)
        triangles = middle + (wanted / volume_of(triangles)) ** (1.0 / 3.0) * (triangles - middle)
    return triangles


def _hull(points: Floats) -> Floats:
    """The triangles of the convex hull of points of shape (n, 3)."""
    from scipy.spatial import ConvexHull  # heavy, and most grounds have no water

    made = ConvexHull(points)
    triangles = points[made.simplices]
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    inward = np.einsum("ij,ij->i", normals, made.equations[:, :3]) < 0.0
    triangles[inward] = triangles[inward][:, ::-1]
    return np.asarray(triangles)


def _prism(corners: Floats, radius: float, half: float) -> Floats:
    """Corners of a prism about an axis. corners : its middle and its axis."""
    middle, axis = corners[0], corners[1] / np.linalg.norm(corners[1])
    side = np.cross(axis, [1.0, 0.0, 0.0] if abs(axis[0]) < 0.9 else [0.0, 1.0, 0.0])
    side /= np.linalg.norm(side)
    other = np.cross(axis, side)
    turn = 2.0 * math.pi * np.arange(SIDES) / SIDES
    # as wide as gives the prism the area of the disc, so that one that stands upright is exact
    wide = radius * math.sqrt(2.0 * math.pi / (SIDES * math.sin(2.0 * math.pi / SIDES)))
    ring = middle + wide * (np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other)
    return np.concatenate([ring - half * axis, ring + half * axis])


def _rounded(corners: Floats, radius: float) -> Floats:
    """Points of balls about each corner, evenly spread."""
    height = 1.0 - 2.0 * (np.arange(ROUND) + 0.5) / ROUND
    turn = math.pi * (1.0 + math.sqrt(5.0)) * np.arange(ROUND)
    flat = np.sqrt(1.0 - height * height)
    ball = np.stack([flat * np.cos(turn), flat * np.sin(turn), height], axis=1)
    return np.concatenate([corner + radius * ball for corner in corners])


def _round_volume(piece: Piece) -> float:
    """m3 of a ball, or of a rod with round ends; 0 where it is neither."""
    ball = 4.0 / 3.0 * math.pi * piece.radius**3
    if len(piece.corners) == 1:
        return ball
    if len(piece.corners) == 2:
        return ball + math.pi * piece.radius**2 * float(np.linalg.norm(piece.corners[1] - piece.corners[0]))
    return 0.0
