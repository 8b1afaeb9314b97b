"""The ground under variants that stand side by side: each is drawn on a piece of its own, where it really is."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.run import Run
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.widgets import theme

MOST_HEIGHTS = 4000
"""Of all pieces together."""
WIDE = 1.1
"""Half a side of a piece, in half lengths of the craft."""
MOST_CELLS = 400
"""Along each side of the stretch that is looked up ahead."""


class Tiles:
    """Pieces of uneven ground round each craft, as large as their places in the grid allow."""

    def __init__(self, ground: Ground, runs: list[Run]):
        body = runs[0].job.single.body.half_extents()
        self.points = int(np.clip(np.sqrt(MOST_HEIGHTS / len(runs)), 9, 17))
        """Heights along each side of a piece."""
        self.half = WIDE * max(body[0], body[1])
        ends = [run.columns("position.x", "position.y") for run in runs]
        low = np.min([places.min(axis=0) for places in ends], axis=0) - 1.1 * self.half
        high = np.max([places.max(axis=0) for places in ends], axis=0) + 1.1 * self.half
        step = max(0.25 * self.half, float((high - low).max()) / MOST_CELLS)
        self.raster = ground_shape.raster(ground, (low[0], low[1]), (high[0], high[1]), step)
        known = self.raster.z[np.isfinite(self.raster.z)]
        self.low, self.high = (float(known.min()), float(known.max())) if len(known) else (0.0, 0.0)

    def level(self, spots: Floats) -> Floats:
        """m of the ground under places, shape (n,); 0 where there is none."""
        return np.nan_to_num(self.raster.at(spots[:, 0], spots[:, 1]))

    def vertices(self, spots: Floats, offsets: Floats) -> Floats:
        """The triangles of the pieces under crafts at `spots`, drawn aside by `offsets`, m, both of shape (n, 3): shape
        (corners, 9): place, normal, colour."""
        along = np.linspace(-self.half, self.half, self.points)
        x = spots[:, 0, None, None] + along[None, None, :] + np.zeros((1, self.points, 1))
        y = spots[:, 1, None, None] + along[None, :, None] + np.zeros((1, 1, self.points))
        z = self.raster.at(x, y)
        step = along[1] - along[0]
        dy, dx = np.gradient(z, step, axis=1), np.gradient(z, step, axis=2)
        normals = np.stack([-dx, -dy, np.ones_like(z)], axis=3)
        normals /= np.linalg.norm(normals, axis=3, keepdims=True)
        share = ((z - self.low) / max(self.high - self.low, 1e-6))[..., None]
        colours = np.array(theme.rgb("ice_dark")) * (1.0 - share) + np.array(theme.rgb("saw_ice")) * share
        places = np.stack([x, y, z], axis=3) + offsets[:, None, None, :]
        whole = np.concatenate([places, np.nan_to_num(normals), np.nan_to_num(colours)], axis=3)
        a, b, c, d = whole[:, :-1, :-1], whole[:, :-1, 1:], whole[:, 1:, 1:], whole[:, 1:, :-1]
        corners = np.stack([a, b, c, a, c, d], axis=3).reshape(-1, 6, 9)
        sound = np.isfinite(corners[:, :, 2]).all(axis=1)
        return np.asarray(corners[sound].reshape(-1, 9), dtype="f4")
