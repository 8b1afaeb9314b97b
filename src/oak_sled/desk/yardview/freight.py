"""Triangles of what stands and lies on the ground: loose freight, ramps that stand, rams, frames that only report.

How a block moves can be seen: loose ones are of timber, the heavier the darker; fixed ones are of sawn ice; driven ones
of iron; a trigger is an open frame.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.assembly import bodynames, ground_shape, railways
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run
from oak_sled.core.tick.rowlayout import MOTION
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import meshes


def still_mesh(ground: Ground) -> list[Floats]:
    """Blocks that never move, and rails, world axes."""
    pieces = rail_meshes(ground)
    for one in ground.blocks:
        if one.moves not in ("fixed", "trigger") or one.is_laid:
            continue
        made = template(one, look_of(one, ground))
        axes = rotations.rotation(np.array(one.attitude()))
        made[:, :3] = made[:, :3] @ axes.T + one.middle()
        made[:, 3:6] = made[:, 3:6] @ axes.T
        pieces.append(made)
    return pieces


LARGE_BALL = 5.0
"""m of radius from which on a ball is drawn rounder."""
RAIL_WIDE, RAIL_HIGH, GAUGE, SLEEPER = 0.09, 0.1, 0.7, 1.2
"""m: breadth and height of a rail that is drawn, between the two of a track, and between two sleepers."""
ALOFT = 1.5
"""m above the level from which on a rail is drawn as one rope."""


def rail_meshes(ground: Ground) -> list[Floats]:
    """Rails as tracks with sleepers, and as one rope where they hang in the air; world axes."""
    found = []
    for path in railways.of(ground).paths:
        aloft = bool(path.points[:, 2].min() > ALOFT)
        left = np.cross(path.ups, path.tangents)
        for side in (0.0,) if aloft else (0.5, -0.5):
            middle = path.points + side * GAUGE * left
            found.append(_bar(middle, left, path.ups, RAIL_WIDE, RAIL_HIGH, theme.rgb("iron")))
        if aloft:
            continue
        for place in np.arange(0.5 * SLEEPER, path.length, SLEEPER).tolist():
            at, way, top = path.at(place)
            half = np.cross(top, way) * 0.8 * GAUGE
            corners = [at + a * 0.1 * way + b * half - 0.5 * RAIL_HIGH * top for a, b in _CORNERS]
            low = np.array(corners) - 0.07 * top
            found.append(meshes.prism(low, np.array(corners), theme.rgb("wood_dark")))
    return found


_CORNERS = ((1, -1), (1, 1), (-1, 1), (-1, -1))


def _bar(middle: Floats, left: Floats, up: Floats, wide: float, high: float, colour: meshes.Rgb) -> Floats:
    """A bar of a square section along points, shape (n, 3), its top at these."""
    sides = [
        middle + 0.5 * a * wide * left + 0.5 * (b - 1) * high * up for a, b in ((1, 1), (-1, 1), (-1, -1), (1, -1))
    ]
    faces = []
    for one, other in zip(sides, [*sides[1:], sides[0]], strict=True):
        a, b, c, d = one[:-1], one[1:], other[1:], other[:-1]
        faces.append(np.stack([a, b, c, a, c, d], axis=1).reshape(-1, 3, 3)[:, ::-1])
    return meshes.flat(np.concatenate(faces), colour)


def laid_meshes(ground: Ground) -> list[Floats]:
    """Meshes that are ground, world axes."""
    return [meshes.flat(ground_shape.mesh_triangles(one), theme.rgb("saw_ice")) for one in ground.blocks if one.is_laid]


def look_of(one: Block, ground: Ground) -> str:
    """Look of a block, by its material."""
    return next((material.look for material in ground.materials if material.id == one.material), "timber")


def template(one: Block, look: str = "timber") -> Floats:
    """A block about its middle, its own axes: vertices of shape (n, 9), position, normal, colour."""
    half = one.half_extents()
    if one.moves == "trigger":
        return _frame(half)
    colour = _colour(one, look)
    if one.shape == "ball":
        rows = 10 if half[0] < LARGE_BALL else 40
        return np.concatenate([meshes.ball((0.0, 0.0, 0.0), half[0], colour, rows, 9 * rows // 5)])
    if one.shape == "mesh" and one.mesh is not None:
        return meshes.flat(one.mesh.within(half), colour)
    if one.shape == "wedge":
        a, b, c = half
        bottom = np.array([[-a, -b, -c], [a, -b, -c], [a, b, -c], [-a, b, -c]])
        top = np.array([[-a, -b, -c], [a, -b, c], [a, b, c], [-a, b, -c]])
        return meshes.prism(bottom, top, colour)
    if one.shape == "cylinder":
        upright = meshes.disc((0.0, 0.0, 0.0), half[0], 2.0 * half[2], colour)
        return _turned(upright, np.array([[0, 0, -1], [0, 1, 0], [1, 0, 0]], dtype=float))
    if one.shape == "capsule":
        rod = meshes.disc((0.0, 0.0, 0.0), half[1], 2.0 * (half[0] - half[1]), colour)
        ends = [meshes.ball((side * (half[0] - half[1]), 0.0, 0.0), half[1], colour) for side in (-1, 1)]
        return np.concatenate([rod, *ends])
    crate = meshes.box((0.0, 0.0, 0.0), half, colour)
    if one.moves != "free" or look != "timber":
        return crate
    # a strap round each end, so that one sees it turn
    dark = (colour[0] * 0.55, colour[1] * 0.55, colour[2] * 0.55)
    wide = min(0.06, 0.12 * half[0])
    straps = [
        meshes.box((side * 0.6 * half[0], 0.0, 0.0), (wide, half[1] + 0.006, half[2] + 0.006), dark) for side in (-1, 1)
    ]
    return np.concatenate([crate, *straps])


def _turned(mesh: Floats, rotation: Floats) -> Floats:
    mesh[:, :3] = mesh[:, :3] @ rotation.T
    mesh[:, 3:6] = mesh[:, 3:6] @ rotation.T
    return mesh


def _colour(one: Block, look: str) -> meshes.Rgb:
    if look != "timber":
        return theme.rgb(look)
    if one.moves == "fixed":
        return theme.rgb("saw_ice")
    if one.moves == "driven":
        return theme.rgb("iron")
    light, dark = np.array(theme.rgb("oak_light")), np.array(theme.rgb("wood_dark"))
    heavy = min(max(math.log10(max(one.mass, 1.0)) / 3.0, 0.0), 1.0)  # 1 kg is light, a ton is dark
    red, green, blue = light * (1.0 - heavy) + dark * heavy
    return (float(red), float(green), float(blue))


def _frame(half: tuple[float, float, float]) -> Floats:
    """The twelve edges of a box."""
    shown = theme.family("air")
    colour = (shown.redF(), shown.greenF(), shown.blueF())
    thick = 0.04
    pieces = []
    for axis in range(3):
        size = [thick, thick, thick]
        size[axis] = half[axis] + thick
        others = [k for k in range(3) if k != axis]
        for a in (-1, 1):
            for b in (-1, 1):
                middle = [0.0, 0.0, 0.0]
                middle[others[0]], middle[others[1]] = a * half[others[0]], b * half[others[1]]
                pieces.append(meshes.box((middle[0], middle[1], middle[2]), (size[0], size[1], size[2]), colour))
    return np.concatenate(pieces)


class Freight:
    """All moving blocks of a ground as one mesh, whose vertices know their block."""

    def __init__(self, ground: Ground):
        self.blocks = bodynames.moving(ground)
        made = [template(one, look_of(one, ground)) for one in self.blocks]
        for mesh, one in zip(made, self.blocks, strict=True):
            mesh[:, :3] -= one.centre()  # a run tells where the centre of mass is
        self.vertices = np.concatenate(made) if made else np.zeros((0, 9))
        self.owner = np.repeat(np.arange(len(made)), [len(mesh) for mesh in made])
        self.reach = np.array([float(np.linalg.norm(mesh[:, :3], axis=1).max()) for mesh in made])

    def placed(self, places: Floats) -> Floats:
        """The mesh with its blocks at `places`, shape (blocks, 7): position and attitude; shape (n, 9)."""
        axes = rotations.rotations(places[:, 3:7])[self.owner]
        out = self.vertices.copy()
        out[:, :3] = np.einsum("nij,nj->ni", axes, self.vertices[:, :3]) + places[self.owner, :3]
        out[:, 3:6] = np.einsum("nij,nj->ni", axes, self.vertices[:, 3:6])
        return out


def places(run: Run, row: int) -> Floats:
    """Poses of the moving blocks of the ground of a run at a row, shape (blocks, 7)."""
    layout = run.layout
    count = len(bodynames.moving(run.job.ground)) if layout.blocks else 0  # what crafts carry stands behind them
    first = layout.first_block_column
    return run.record.row(row)[first : first + MOTION * count].reshape(count, MOTION)[:, :7]
