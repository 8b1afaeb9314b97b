"""The shape of a ground: its triangles, patches and heights, from its documents."""

from __future__ import annotations

import functools
import math

import numpy as np

from oak_sled.core.contact import scenery
from oak_sled.core.contact.scenery import Laid
from oak_sled.core.documents.block import Block
from oak_sled.core.documents.yard import Ground
from oak_sled.core.geometry import hulls
from oak_sled.core.geometry.terrain import Relief, Slope
from oak_sled.core.kernel import spatial, surface
from oak_sled.core.kernel.state import Floats, Records


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
    meshes = tuple(one for one in ground.blocks if one.is_laid)
    return _laid(ground.relief, ground.slope(), meshes) if is_uneven(ground) else None


@functools.lru_cache(maxsize=8)
def _laid(relief: Relief | None, slope: Slope | None, meshes: tuple[Block, ...]) -> Laid:
    found = [] if relief is None else [relief.triangles()]
    found += [] if slope is None else [slope.triangles()]
    found += [mesh_triangles(one) for one in meshes]
    return scenery.lay(np.concatenate(found))


def is_uneven(ground: Ground) -> bool:
    """Whether it slopes, or has a relief, or meshes that are ground."""
    return ground.is_tilted or ground.relief is not None or any(one.is_laid for one in ground.blocks)


def height_at(ground: Ground, x: float, y: float) -> float | None:
    """m of the highest triangle of the ground over a point; None where none lies."""
    laid = laid_on(ground)
    if laid is None:
        return None
    grid = laid.grid[0]
    i, j = int((x - grid["x"]) // grid["cell"]), int((y - grid["y"]) // grid["cell"])
    if not (0 <= i < grid["nx"] and 0 <= j < grid["ny"]):
        return None
    cell = j * grid["nx"] + i
    rows = laid.rows[laid.items[laid.first[cell] : laid.first[cell + 1]]]
    a, b, c = rows["corners"][:, 0], rows["corners"][:, 1], rows["corners"][:, 2]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    area = np.where(np.abs(area) > 1e-15, area, np.inf)
    s = ((x - a[:, 0]) * (c[:, 1] - a[:, 1]) - (y - a[:, 1]) * (c[:, 0] - a[:, 0])) / area
    t = ((y - a[:, 1]) * (b[:, 0] - a[:, 0]) - (x - a[:, 0]) * (b[:, 1] - a[:, 1])) / area
    on = (s >= -1e-9) & (t >= -1e-9) & (s + t <= 1.0 + 1e-9) & np.isfinite(area)
    if not np.any(on):
        return None
    return float(np.max((a[:, 2] + s * (b[:, 2] - a[:, 2]) + t * (c[:, 2] - a[:, 2]))[on]))


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
