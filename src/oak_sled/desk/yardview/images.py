"""A world that wraps, in a picture: everything is drawn at its image that is nearest to where the camera looks, so that
nothing vanishes at a seam and the picture goes on when the craft crosses one."""

from __future__ import annotations

import itertools

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.yardview.scene import Scene

NEAR_A_SEAM = 0.2
"""Share of the world from a seam, within which what stands at the other one is drawn too."""


def nearest(ground: Ground, points: Floats, middle: Floats) -> Floats:
    """Points, shape (n, 3), each moved by whole sizes of the world to be nearest to a place, m, shape (3,)."""
    period = np.array(ground.period())
    sizes = np.where(period > 0.0, period, np.inf)
    return np.asarray(points - np.where(period > 0.0, period * np.round((points - middle) / sizes), 0.0))


def around(ground: Ground, middle: Floats) -> list[Floats]:
    """The ways by which what never moves is drawn: where it is, and at the other side of each seam that is near to a
    place, m; each of shape (3,)."""
    steps: list[tuple[float, ...]] = []
    for axis, size in enumerate(ground.period()):
        found = [0.0]
        if size > 0.0:
            centre = (ground.middle_x, ground.middle_y, ground.middle_z)[axis]
            off = (float(middle[axis]) - centre) / size
            if abs(off) > 0.5 - NEAR_A_SEAM:
                found.append(size if off > 0.0 else -size)
        steps.append(tuple(found))
    return [np.array(one) for one in itertools.product(*steps)]


def gathered(scene: Scene, middle: Floats) -> Scene:
    """The scene with everything at its image that is nearest to a place, m, shape (3,)."""
    ground = scene.ground
    if not any(ground.period()):
        return scene
    for figure in scene.figures:
        by = nearest(ground, figure.origin[None], middle)[0] - figure.origin
        figure.origin = figure.origin + by
        figure.loads = tuple((at + by, size) for at, size in figure.loads)
    if scene.places is not None and len(scene.places):
        scene.places = scene.places.copy()
        scene.places[:, :3] = nearest(ground, scene.places[:, :3], middle)
    for band in scene.bands:
        band.points = nearest(ground, np.asarray(band.points, dtype=float), middle)
    scene.images = around(ground, middle)
    return scene
