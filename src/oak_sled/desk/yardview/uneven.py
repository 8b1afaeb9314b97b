"""The picture of uneven ground: its vertices, which of it is in sight, and whether any of it stands between the eye and
the subject."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.yardview import freight, meshes
from oak_sled.desk.yardview.looks import CONE

CHUNKS = 96
"""Pieces, about, in which it is drawn or left out."""


@dataclass(frozen=True)
class Chunks:
    """Triangles in pieces. index : of all of them, shape (m, 3). ends : where each piece ends among them. corners : of
    the box round each, shape (pieces, 8, 4), homogeneous."""

    index: Ints
    ends: Ints
    corners: Floats

    @classmethod
    def of(cls, vertices: Floats, index: Ints) -> Chunks:
        """The triangles by where their middle lies, in squares from above."""
        places = vertices[index][:, :, :3].astype(float)
        middle = places.mean(axis=1)[:, :2]
        if not len(index):
            return cls(index, np.zeros(0, int), np.zeros((0, 8, 4)))
        low, size = middle.min(axis=0), np.ptp(middle, axis=0) + 1e-6
        side = max(float(np.sqrt(size[0] * size[1] / CHUNKS)), float(size.max()) / CHUNKS)
        column, row = ((middle - low) // side).astype(int).T
        piece = row * (int(size[0] // side) + 1) + column
        order = np.argsort(piece, kind="stable")
        firsts = np.flatnonzero(np.diff(piece[order], prepend=-1))
        ends = np.append(firsts[1:], len(order))
        lows = np.minimum.reduceat(places[order].min(axis=1), firsts)
        highs = np.maximum.reduceat(places[order].max(axis=1), firsts)
        boxes = np.stack([lows, highs], axis=1)
        turns = [[boxes[:, (k >> axis) & 1, axis] for axis in range(3)] for k in range(8)]
        corners = np.stack([np.stack([*turn, np.ones(len(firsts))], axis=1) for turn in turns], axis=1)
        return cls(np.ascontiguousarray(index[order]), ends, corners)

    def within(self, low: Floats, high: Floats) -> Ints:
        """The triangles of the pieces of which some may lie in a box, shape (k, 3). low, high : its corners, m."""
        pieces = [self.index[first : first + count] for first, count in self.runs(self.met(low, high))]
        return np.concatenate(pieces) if pieces else self.index[:0]

    def met(self, low: Floats, high: Floats) -> NDArray[np.bool_]:
        """True for pieces that may lie in a box in part, shape (pieces,). low, high : its corners, m."""
        boxes = self.corners[:, (0, 7), :3]
        return np.asarray(np.all((boxes[:, 1] >= low) & (boxes[:, 0] <= high), axis=1))

    def shown(self, matrix: Floats) -> NDArray[np.bool_]:
        """True for pieces that may be in a picture, shape (pieces,). matrix : shape (4, 4), from the world to the
        picture."""
        seen = self.corners @ matrix.T
        beyond: np.ndarray = np.concatenate([seen[:, :, :3] < -seen[:, :, 3:], seen[:, :, :3] > seen[:, :, 3:]], axis=2)
        return np.logical_not(np.any(np.all(beyond, axis=1), axis=1))

    def in_sight(self, matrix: Floats) -> list[tuple[int, int]]:
        """The stretches of triangles, first and how many, that may be in a picture. matrix : see `shown`."""
        return self.runs(self.shown(matrix))

    def runs(self, wanted: NDArray[np.bool_]) -> list[tuple[int, int]]:
        """The stretches of triangles, first and how many, of pieces. wanted : which, shape (pieces,)."""
        found: list[tuple[int, int]] = []
        first = 0
        for end, is_wanted in zip(self.ends.tolist(), wanted.tolist(), strict=True):
            if is_wanted and found and sum(found[-1]) == first:
                found[-1] = (found[-1][0], end - found[-1][0])
            elif is_wanted:
                found.append((first, end - first))
            first = end
        return found


def merged(vertices: Floats, rows: int, columns: int) -> Ints:
    """The triangles of a grid of vertices with its level squares drawn as few large ones, shape (m, 3).

    What is level has one height, normal and colour all over, so that large triangles show the same as small ones.
    """
    grid, at = vertices.reshape(rows, columns, -1), np.arange(rows * columns).reshape(rows, columns)
    around = np.stack([grid[:-1, 1:], grid[1:, 1:], grid[1:, :-1]]) - grid[:-1, :-1]
    level: np.ndarray = np.all(np.abs(around[..., 2:]) < 1e-6, axis=(0, 3))
    done: np.ndarray = np.zeros_like(level)
    found = []
    for size in (32, 16, 8, 4, 2):
        high, wide = (rows - 1) // size, (columns - 1) // size
        left = (level & ~done)[: high * size, : wide * size]
        whole = left.reshape(high, size, wide, size).all(axis=(1, 3))
        found.append(_halves(at[::size, ::size][: high + 1, : wide + 1], whole))
        done[: high * size, : wide * size] |= np.repeat(np.repeat(whole, size, axis=0), size, axis=1)
    return np.concatenate([*found, _halves(at, ~done)]).astype("i4")


def _halves(at: Ints, wanted: np.ndarray) -> Ints:
    """The two triangles of each square of a grid of numbers that is wanted, shape (2 n, 3)."""
    a, b, c, d = (one[wanted] for one in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    return np.stack([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)], axis=1).reshape(-1, 3)


@dataclass(frozen=True)
class Uneven:
    """vertices : shape (n, 9), position, normal, colour. fine : all triangles. longest : m of the longest edge.
    drawn : the same surface in fewer triangles."""

    vertices: Floats
    fine: Chunks
    longest: float
    drawn: Chunks

    @property
    def index(self) -> Ints:
        """The three vertices of each triangle, shape (m, 3)."""
        return self.fine.index

    @classmethod
    def of(cls, ground: Ground) -> Uneven:
        """That of a ground: relief, slope and meshes that are laid."""
        vertices, index = meshes.relief_mesh(ground)
        relief = ground.relief
        few = index if relief is None else merged(vertices, relief.rows, relief.columns)
        pieces, triangles, count, fine = [vertices], [index], len(vertices), len(index)
        for one in (meshes.slope_mesh(ground), *freight.laid_meshes(ground)):
            if len(one):
                pieces.append(one[:, :9])
                triangles.append(count + np.arange(len(one)).reshape(-1, 3))
                count += len(one)
        vertices, index = np.concatenate(pieces), np.concatenate(triangles)
        corners = vertices[index][:, :, :3]
        edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
        drawn = Chunks.of(vertices, np.concatenate([few, index[fine:]]))
        return cls(vertices, Chunks.of(vertices, index), float(edges.max(initial=0.0)), drawn)

    def between(self, eye: Floats, subject: tuple[float, float, float, float]) -> tuple[Floats, Floats]:
        """Two corners, m, of a box in which all lies that may stand between the eye and the subject."""
        ends, spare = np.stack([eye, subject[:3]]), CONE * subject[3] + 1.5 * self.longest
        return ends.min(axis=0) - spare, ends.max(axis=0) + spare

    def before(self, eye: Floats, subject: tuple[float, float, float, float], clear: float) -> Ints:
        """The triangles that may lie between the eye and the subject: in the cone round it, up to `clear` radii before;
        shape (n, 3).

        Told by the vertices, with the longest edge to spare on all sides, so that no triangle is missed.
        """
        way = np.array(subject[:3]) - eye
        far = float(np.linalg.norm(way))
        if far < 1e-6:
            return self.index
        index = self.fine.within(*self.between(eye, subject))
        if not len(index):
            return index
        to = self.vertices[index, :3] - eye
        along = to @ (way / far)
        off2 = np.einsum("ijk,ijk->ij", to, to) - along * along
        reach = CONE * subject[3] * np.clip(along / far, 0.02, 1.0) + self.longest
        near = (along > -self.longest) & (along < far - clear * subject[3] + self.longest) & (off2 < reach * reach)
        return index[near.any(axis=1)]
