"""The shape of a ground: its triangles, patches and heights, from its documents."""

from __future__ import annotations

import math
import threading
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats, Records
from oak_sled.core.contact import grid
from oak_sled.core.contact.grid import Laid
from oak_sled.core.geometry import hulls
from oak_sled.core.geometry.terrain import Relief, Slope
from oak_sled.core.kernel import spatial, surface
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Ground


def patch_rows(ground: Ground) -> Records:
    """The patches of a ground as records."""
    made = np.zeros(len(ground.patches), surface.PATCH)
    for row, patch in zip(made, ground.patches, strict=True):
        turn = math.radians(patch.heading_deg)
        row["x"], row["y"], row["cos"], row["sin"] = patch.x, patch.y, math.cos(turn), math.sin(turn)
        row["half_length"], row["half_width"] = 0.5 * patch.length, 0.5 * patch.width
        row["grip"], row["glide"], row["roughness"] = patch.grip, patch.glide, patch.roughness
    return made


def laid_on(ground: Ground) -> Laid | None:
    """The triangles of its slope, its relief and the meshes that are ground; None when it has none of them."""
    if not is_uneven(ground):
        return None
    key = _made_of(ground)
    with _LAYING:  # of two threads that ask for one ground, the second waits for the first
        made = _LAID.pop(key, None) or _laid(*key)
        _LAID[key] = made  # the newest last
        while len(_LAID) > MOST_LAID:
            del _LAID[next(iter(_LAID))]
    return made


def is_ready(ground: Ground) -> bool:
    """True if its triangles are there already: to lay those of a large relief takes a good part of a second."""
    return not is_uneven(ground) or _made_of(ground) in _LAID


_MadeOf = tuple["Relief | None", "Slope | None", "tuple[Block, ...]"]
MOST_LAID = 8
"""Grounds whose triangles are kept."""
_LAID: dict[_MadeOf, Laid] = {}
_LAYING = threading.Lock()


def _made_of(ground: Ground) -> _MadeOf:
    return ground.relief, ground.slope(), tuple(one for one in ground.blocks if one.is_laid)


def _laid(relief: Relief | None, slope: Slope | None, meshes: tuple[Block, ...]) -> Laid:
    found = [] if relief is None else [relief.triangles()]
    found += [] if slope is None else [slope.triangles()]
    found += [mesh_triangles(one) for one in meshes]
    return grid.lay(np.concatenate(found))


def is_uneven(ground: Ground) -> bool:
    """True if it slopes, or has a relief, or meshes that are ground."""
    return ground.is_tilted or ground.relief is not None or any(one.is_laid for one in ground.blocks)


def height_at(ground: Ground, x: float, y: float) -> float | None:
    """m of the highest triangle of the ground over a point; None where none lies."""
    laid = laid_on(ground)
    if laid is None:
        return None
    found = [_height_on(corners, x, y) for corners in laid.over(x, y)["corners"].tolist()]
    return max((high for high in found if high is not None), default=None)


def heights_at(ground: Ground, x: Floats, y: Floats) -> Floats:
    """m of the highest triangle of the ground over each of many points, shape (n,); NaN where none lies."""
    made = np.full(len(x), np.nan)
    laid = laid_on(ground)
    if laid is None:
        return made
    point, triangle = laid.over_each(x, y)
    a, b, c = (laid.rows["corners"][triangle, k] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    with np.errstate(all="ignore"):
        px, py = x[point] - a[:, 0], y[point] - a[:, 1]
        s = (px * (c[:, 1] - a[:, 1]) - py * (c[:, 0] - a[:, 0])) / area
        t = (py * (b[:, 0] - a[:, 0]) - px * (b[:, 1] - a[:, 1])) / area
        over = (np.abs(area) > 1e-15) & (s >= -1e-9) & (t >= -1e-9) & (s + t <= 1.0 + 1e-9)
    high = a[:, 2] + s * (b[:, 2] - a[:, 2]) + t * (c[:, 2] - a[:, 2])
    np.fmax.at(made, point[over], high[over])
    return made


def _height_on(corners: Sequence[Sequence[float]], x: float, y: float) -> float | None:
    """m of a triangle over a point; None beside it. A cell holds few, so that arrays would cost more than they save."""
    (ax, ay, az), (bx, by, bz), (cx, cy, cz) = corners
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if abs(area) <= 1e-15:
        return None
    s = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
    t = ((y - ay) * (bx - ax) - (x - ax) * (by - ay)) / area
    if s < -1e-9 or t < -1e-9 or s + t > 1.0 + 1e-9:
        return None
    return az + s * (bz - az) + t * (cz - az)


class Raster(NamedTuple):
    """Heights of a ground at the points of a grid: that of row j and column i lies at x + i step, y + j step, m; NaN
    where there is no ground."""

    x: float
    y: float
    step: float
    z: Floats

    def at(self, x: Floats, y: Floats) -> Floats:
        """m of the ground under points, in the shape of `x` and `y`, between those of the grid; NaN outside of it."""
        rows, columns = self.z.shape
        across, up = (x - self.x) / self.step, (y - self.y) / self.step
        inside = (across >= 0.0) & (up >= 0.0) & (across <= columns - 1) & (up <= rows - 1)
        i = np.clip(across.astype(int), 0, columns - 2)
        j = np.clip(up.astype(int), 0, rows - 2)
        s, t = across - i, up - j
        low = (1.0 - s) * self.z[j, i] + s * self.z[j, i + 1]
        high = (1.0 - s) * self.z[j + 1, i] + s * self.z[j + 1, i + 1]
        return np.asarray(np.where(inside, (1.0 - t) * low + t * high, np.nan))


def raster(ground: Ground, low: tuple[float, float], high: tuple[float, float], step: float) -> Raster:
    """The highest triangles of a ground over a grid from `low` to `high`, m, at steps of `step` m."""
    columns, rows = (max(2, math.ceil((b - a) / step) + 1) for a, b in zip(low, high, strict=True))
    made = Raster(low[0], low[1], step, np.full((rows, columns), np.nan))
    laid = laid_on(ground)
    if laid is None:
        made.z[:] = 0.0
        return made
    corners = laid.rows["corners"]
    first = np.ceil((corners[:, :, :2].min(axis=1) - low) / step).astype(int).clip(0)
    last = np.floor((corners[:, :, :2].max(axis=1) - low) / step).astype(int).clip(-1, (columns - 1, rows - 1))
    for k in np.flatnonzero(np.all(first <= last, axis=1)):
        a, b, c = corners[k]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if abs(area) < 1e-15:
            continue
        (i0, j0), (i1, j1) = first[k], last[k]
        x = low[0] + step * np.arange(i0, i1 + 1)[None, :]
        y = low[1] + step * np.arange(j0, j1 + 1)[:, None]
        s = ((x - a[0]) * (c[1] - a[1]) - (y - a[1]) * (c[0] - a[0])) / area
        t = ((y - a[1]) * (b[0] - a[0]) - (x - a[0]) * (b[1] - a[1])) / area
        height = np.where(
            (s >= -1e-9) & (t >= -1e-9) & (s + t <= 1.0 + 1e-9), a[2] + s * (b[2] - a[2]) + t * (c[2] - a[2]), np.nan
        )
        part = made.z[j0 : j1 + 1, i0 : i1 + 1]
        np.fmax(part, height, out=part)
    return made


def mesh_triangles(one: Block) -> Floats:
    """The triangles of a block of a mesh where it stands, m, world axes, shape (n, 3, 3)."""
    assert one.mesh is not None
    triangles = one.mesh.within(one.half_extents()) @ axes_of(one).T + np.array(one.middle())
    turned = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])[:, 2].sum() < 0.0
    return triangles[:, [0, 2, 1]] if turned and not hulls.is_closed(one.mesh) else triangles


def axes_of(one: Block) -> Floats:
    """The axes of a block as it is placed, shape (3, 3), block to world."""
    axes = np.zeros((3, 3))
    spatial.axes_of(np.array(one.attitude()), axes)
    return axes
