"""Triangles of the ground, and the grid that finds them from above.

A relief lies on a lattice, and its grid has the cells of that, so that each holds two triangles; other ground gets
square cells. The cells of a block are known to lie below a height at one look.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats, Ints, Records
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import records

SHARP = math.radians(2.0)
"""Angle past which the edge between two triangles stands out."""
HAIR = 1e-7
"""m by which a triangle may reach into a cell without being looked for there: less than what is kept free round
everything that looks for it."""
BLOCK_BITS = 3
"""A block is 2 to the power of it cells wide and deep."""
MOST_CELLS = 512
"""Square cells along the longer side of the ground at most."""
LARGE = 32.0
"""Times as large as the usual triangle: what is larger has no say in how large the cells are."""
MOST_ENTRIES, ENTRIES_EACH = 500_000, 16
"""Entries of triangles in cells, and so many more for each triangle."""


class Laid(NamedTuple):
    """Triangles of the ground with the grid that finds them from above; made once, shared by every scene.

    first : where the triangles of each cell begin among `items`, shape (cells + 1,). top, block_top : m, the highest
    point over each cell and each block.
    """

    rows: Records
    grid: Records
    first: Ints
    items: Ints
    top: Floats
    block_top: Floats

    def over(self, x: float, y: float) -> Records:
        """The triangles that may lie over a point, m, shape (n,)."""
        grid = self.grid[0]
        places: list[int] = []
        for at, first, wide, count in zip(
            (x, y), *(grid[one].tolist() for one in ("origin", "cell", "cells")), strict=True
        ):
            # what lies beyond the grid is in the cells of its rim
            places.append(min(max(math.floor((at - first) / wide), 0), count - 1))
        cell = places[1] * int(grid["cells"][0]) + places[0]
        return self.rows[self.items[self.first[cell] : self.first[cell + 1]]]

    def over_each(self, x: Floats, y: Floats) -> tuple[Ints, Ints]:
        """The triangles that may lie over each of many points, m: pairs of a point and a triangle, by their numbers,
        shape (n,)."""
        grid = self.grid[0]
        places = [
            np.clip(np.floor((at - first) / wide), 0, count - 1).astype(np.int64)
            for at, first, wide, count in zip((x, y), grid["origin"], grid["cell"], grid["cells"], strict=True)
        ]
        cell = places[1] * int(grid["cells"][0]) + places[0]
        count = self.first[cell + 1] - self.first[cell]
        point = np.repeat(np.arange(len(cell)), count)
        within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
        return point, self.items[self.first[cell][point] + within]


def lay(triangles: Floats) -> Laid:
    """Triangles of shape (n, 3, 3), m, that face up; those without an area are left out."""
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    sizes = np.linalg.norm(normals, axis=1)
    sound = sizes > 1e-10
    triangles, normals = triangles[sound], normals[sound] / sizes[sound, None]
    rows = np.zeros(len(triangles), records.TRIANGLE)
    rows["corners"], rows["normal"] = triangles, normals
    rows["low"], rows["high"] = triangles.min(axis=1), triangles.max(axis=1)
    rows["sharp"] = _sharp(triangles, normals)
    low, high = rows["low"][:, :2], rows["high"][:, :2]
    origin, cell, cells, from_, to = _fitted(low, high)
    nx, ny = cells
    rows["home"] = from_
    wide, tall = (to - from_ + 1).T
    count = wide * tall
    number = np.repeat(np.arange(len(triangles)), count)
    place = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    column, line = from_[number, 0] + place % wide[number], from_[number, 1] + place // wide[number]
    at = line * nx + column
    order = np.argsort(at, kind="stable")
    grid = np.zeros(1, records.GRID)
    grid["origin"], grid["cell"], grid["cells"], grid["a_metre"] = origin, cell, cells, 1.0 / cell
    grid["blocks"] = blocks = -(-nx // (1 << BLOCK_BITS))
    first = np.searchsorted(at[order], np.arange(nx * ny + 1)).astype(np.int64)
    top, block_top = np.full(nx * ny, -np.inf), np.full(blocks * -(-ny // (1 << BLOCK_BITS)), -np.inf)
    np.maximum.at(top, at, rows["high"][number, 2])
    np.maximum.at(block_top, (line >> BLOCK_BITS) * blocks + (column >> BLOCK_BITS), rows["high"][number, 2])
    return Laid(rows, grid, first, number[order].astype(np.int64), top, block_top)


def _fitted(low: Floats, high: Floats) -> tuple[Floats, Floats, Ints, Ints, Ints]:
    """The grid for triangles with these boxes from above, m, shape (n, 2): where it begins, how large and how many its
    cells are, and the first and last cell of each triangle.

    It is laid over the small triangles: what is far larger than most (a slope under a relief, the sheet below a wharf)
    would make cells of its own size, with thousands of the others in each. What reaches beyond is in the cells of the
    rim. Where triangles lie over each other so that cells would name them too often, cells are larger.
    """
    sizes = np.max(high - low, axis=1)
    small = sizes <= LARGE * np.median(sizes)
    near_low, near_high = low[small], high[small]
    origin, cell = _cells(near_low, near_high)
    while True:
        cells = np.maximum(np.ceil((near_high.max(axis=0) - origin - HAIR) / cell).astype(np.int64), 1)
        from_ = np.clip(np.floor((low + HAIR - origin) / cell).astype(np.int64), 0, cells - 1)
        to = np.clip(np.floor((high - HAIR - origin) / cell).astype(np.int64), from_, cells - 1)
        if np.prod(to - from_ + 1, axis=1).sum() <= MOST_ENTRIES + ENTRIES_EACH * len(low) or cells.max() == 1:
            return origin, cell, cells, from_, to
        cell = 2.0 * cell


def _cells(low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """Origin and size of the cells, m: those of the lattice on which most triangles lie, else squares.

    low, high : the boxes of the triangles from above, shape (n, 2).
    """
    origin = low.min(axis=0)
    size = np.maximum(high.max(axis=0) - origin, 1e-6)
    side = max(math.sqrt(size[0] * size[1] / len(low)) * 1.5, max(size[0], size[1]) / MOST_CELLS)
    step = np.median(high - low, axis=0)
    if np.any(step < 10.0 * HAIR) or np.prod(size / step) > 2.0 * len(low) + 64.0:
        return origin, np.array([side, side])
    usual = np.all(np.abs(high - low - step) < HAIR, axis=1)
    if not usual.any():
        return origin, np.array([side, side])
    steps = (low - low[np.argmax(usual)]) / step
    usual &= np.all(np.abs(steps - np.round(steps)) * step < HAIR, axis=1)
    if 2 * np.count_nonzero(usual) < len(low):
        return origin, np.array([side, side])
    return origin - np.mod(origin - low[np.argmax(usual)] + HAIR, step) + HAIR, step


def _sharp(triangles: Floats, normals: Floats) -> Ints:
    """1, 2 and 4 for the edges of a triangle that stand out or end the ground; shape (n,)."""
    corners = np.round(triangles.reshape(-1, 3), 6) + 0.0
    _, number = np.unique(corners, axis=0, return_inverse=True)
    spots = number.reshape(-1, 3)
    edges = np.stack([spots, np.roll(spots, -1, axis=1)], axis=2).reshape(-1, 2)
    _, edge, uses = np.unique(np.sort(edges, axis=1), axis=0, return_inverse=True, return_counts=True)
    edge = edge.reshape(-1)
    sharp = np.ones(len(edges), bool)
    order = np.argsort(edge, kind="stable")
    starts = np.cumsum(uses) - uses
    twice = starts[uses == 2]
    one, other = order[twice], order[twice + 1]
    a, b = one // 3, other // 3
    bent = np.arccos(np.clip(np.einsum("ij,ij->i", normals[a], normals[b]), -1.0, 1.0))
    middles = triangles.mean(axis=1)
    sinks = np.einsum("ij,ij->i", middles[b] - middles[a], normals[a]) < 0.0
    stands = (bent > SHARP) & sinks
    sharp[one], sharp[other] = stands, stands
    return np.asarray(sharp.reshape(-1, 3) @ np.array([1, 2, 4]), dtype=np.int64)


@compiled
def cells_under(scene, west, south, east, north):
    """The cells that a box from above reaches, m: first and last along x, first and last along y."""
    grid = scene.grid[0]
    x, y, nx, ny = grid.origin[0], grid.origin[1], grid.cells[0], grid.cells[1]
    across, deep = grid.a_metre[0], grid.a_metre[1]
    first_x = min(max(int((west - x) * across), 0), nx - 1)
    last_x = min(max(int((east - x) * across), 0), nx - 1)
    first_y = min(max(int((south - y) * deep), 0), ny - 1)
    last_y = min(max(int((north - y) * deep), 0), ny - 1)
    return first_x, last_x, first_y, last_y


@compiled
def all_lies_below(scene, west, south, east, north, low):
    """True if all triangles that a box from above reaches lie below a height, by the blocks of their cells, m."""
    first_x, last_x, first_y, last_y = cells_under(scene, west, south, east, north)
    for j in range(first_y >> BLOCK_BITS, (last_y >> BLOCK_BITS) + 1):
        for i in range(first_x >> BLOCK_BITS, (last_x >> BLOCK_BITS) + 1):
            if scene.block_top[j * scene.grid[0].blocks + i] >= low:
                return False
    return True
