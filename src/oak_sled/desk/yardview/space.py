"""Empty space in the view: stars and a reference grid in place of ice, and lines that are seen from any side."""

from __future__ import annotations

import functools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels, orbits
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.camera import Camera
from oak_sled.desk.yardview.meshes import Band

STARS = 420
FAR_AWAY = 1900.0
"""m from the eye to the stars."""
CELLS = 16
"""Cells of the grid to each side."""
STEPS = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0)
"""m of a cell of the grid: the first that leaves room to be read."""


@functools.cache
def stars() -> Floats:
    """Stars round the eye: small four-cornered tiles that face it, vertices of shape (n, 9); the same in every yard."""
    dice = np.random.default_rng(20)
    way = dice.normal(size=(STARS, 3))
    way /= np.linalg.norm(way, axis=1)[:, None]
    size = 1.6 + 4.6 * dice.random(STARS) ** 5
    aside = np.cross(way, np.where(np.abs(way[:, 2:]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]]))
    aside *= (size / np.linalg.norm(aside, axis=1))[:, None]
    up = np.cross(way, aside)
    at = FAR_AWAY * way
    corners = np.stack([at - aside, at - up, at + aside, at - aside, at + aside, at + up], axis=1).reshape(-1, 3)
    made = np.zeros((len(corners), 9), "f4")
    made[:, :3], made[:, 3:6] = corners, np.repeat(-way, 6, axis=0)
    made[:, 6:9] = 1.0
    return made


def grid(camera: Camera, run: Run) -> list[Band]:
    """Lines of the level plane through the middle of what attracts, or through 0, round where the camera looks; they
    fade outward."""
    wells = run.job.ground.wells
    height = wells[0].middle()[2] if wells else 0.0
    away = float(np.linalg.norm(camera.eye - camera.target))
    step = next((one for one in STEPS if one >= away / 12.0), STEPS[-1])
    middle = np.round(camera.target[:2] / step) * step
    reach = CELLS * step
    along = np.linspace(-reach, reach, 2 * CELLS + 1)
    colour = (*theme.rgb("ice_line"), 0.85)
    found = []
    for k in range(-CELLS, CELLS + 1):
        far = np.hypot(along, k * step) / reach
        strength = np.clip(1.0 - far, 0.0, 1.0) ** 1.5
        for axis in range(2):
            points = np.full((len(along), 3), height)
            points[:, axis], points[:, 1 - axis] = middle[axis] + along, middle[1 - axis] + k * step
            found.append(Band(points, 0.05, colour, strength=strength))
    return found


def plumb(run: Run, row: int) -> list[Band]:
    """A line from the craft down to the grid, or to the surface of what attracts, with a cross at its foot: what a
    shadow tells elsewhere."""
    place, frame = run.place_at(row), levels.at_row(run, row)
    down = float(levels.heights(run)[row])
    foot = place - down * frame[:, 2]
    size = 1.2 * max(run.job.single.body.half_extents())
    colour = (*theme.rgb("soft"), 0.8)
    arms = [np.array([foot - size * frame[:, k], foot + size * frame[:, k]]) for k in range(2)]
    return [Band(np.array([place, foot]), 0.06, colour), *(Band(one, 0.1, colour) for one in arms)]


def bands(drawn: list[Band], camera: Camera, crafts: Sequence[tuple[Run, int]]) -> list[Band]:
    """The bands of a picture with what tells place and way where there is no ground: a grid, and of each craft, at its
    row, a plumb line and the orbit ahead. The first craft is the one that is looked at."""
    wide = max(0.3, 0.028 * float(np.linalg.norm(camera.eye - camera.target)))
    lead = crafts[0][0]
    found = [replace(band, width=band.width * wide) for band in grid(camera, lead)] + drawn
    for run, row in crafts:
        found += [replace(band, width=band.width * wide) for band in plumb(run, row)]
        orbit = orbits.at_row(run, row)
        if orbit is not None:
            ink = theme.rgb("good" if run is lead else "oak_light")
            found.append(Band(orbit.path(), 0.07 * wide, (*ink, 0.8)))
    return found


def threads(bands: Sequence[Band], camera: Camera) -> Floats:
    """Bands as ribbons that face the eye and are equally wide in the picture: corners with their colour, shape (m, 7).
    The width of a band counts where the camera looks."""
    looked = max(float(np.linalg.norm(camera.eye - camera.target)), 1e-6)
    pieces = []
    for band in bands:
        points = np.asarray(band.points, dtype=float)
        if len(points) < 2:
            continue
        out = points - camera.eye
        far = np.linalg.norm(out, axis=1)
        way = np.gradient(points, axis=0)
        side = np.cross(way, out)
        size = np.linalg.norm(side, axis=1)
        side *= (0.5 * band.width * far / looked / np.where(size > 1e-12, size, 1.0))[:, None]
        a, b = points + side, points - side
        corners = np.stack([a[:-1], b[:-1], b[1:], a[:-1], b[1:], a[1:]], axis=1)
        made = np.empty((len(points) - 1, 6, 7), "f4")
        made[:, :, :3], made[:, :, 3:] = corners, band.paint
        if band.strength is not None:
            one, other = band.strength[:-1], band.strength[1:]
            made[:, :, 6] *= np.stack([one, one, other, one, other, other], axis=1)
        steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
        keep = steps < max(30.0, 20.0 * float(np.median(steps)))
        if band.on is not None:
            keep &= np.asarray(band.on)[:-1]
        pieces.append(made[keep].reshape(-1, 7))
    return np.concatenate(pieces) if pieces else np.zeros((0, 7), "f4")
