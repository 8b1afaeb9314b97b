"""The things of a job as solids of its scene: walls, blocks, shots, hulls of crafts, and what crafts carry."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence

import numpy as np

from oak_sled.core.assembly import bodynames, ground_shape
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.contact import records
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.geometry.shapes import Piece
from oak_sled.core.kernel import spatial
from oak_sled.core.parts.context import Shot
from oak_sled.core.yard.block import TIMBER, Block
from oak_sled.core.yard.craft import Craft

TALLEST = 100.0
"""m of height of a wall in a scene: a far taller box would be near everything."""
KINDS = {"free": records.FREE, "fixed": records.FIXED, "driven": records.DRIVEN, "trigger": records.TRIGGER}


def hull_of(craft: Craft) -> Solid:
    body, centre = craft.body, np.array(craft.body.centre())
    return Solid(
        tuple(piece.moved(np.eye(3), -centre) for piece in pieces_of(craft)),
        body.true_mass(),
        body.inertia_matrix(),
        material=1,
        free=[0.0 if axis in body.held else 1.0 for axis in ("x", "y", "z")],
        free_spin=[0.0 if axis in body.held else 1.0 for axis in ("roll", "pitch", "yaw")],
        catches=body.catches,
    )


def pieces_of(craft: Craft) -> list[Piece]:
    """The hull of a craft, and a slick rod under it for every line of runners; m from its origin."""
    body = craft.body
    half = body.half_extents()
    if body.shape == "ball":
        found = [shapes.ball(half[0])]
    elif body.shape == "cylinder" and abs(half[0] - half[1]) < 1e-9:
        found = [shapes.cylinder(half[0], half[2])]
    elif body.shape == "capsule":
        found = [shapes.capsule(half[1], half[0] - half[1])]
    elif body.shape == "mesh":
        found = list(body.fitted().pieces)
    elif body.shape == "cylinder":
        turn = np.linspace(0.0, 2.0 * math.pi, 20, endpoint=False)
        ring = np.stack([half[0] * np.cos(turn), half[1] * np.sin(turn)], axis=1)
        found = [shapes.hull(np.array([[x, y, z] for x, y in ring for z in (-half[2], half[2])]))]
    else:
        found = [shapes.box(half)]
    if any(body.middle()):
        found = [piece.moved(np.eye(3), np.array(body.middle())) for piece in found]
    for place, part in enumerate(craft.parts):
        if craft.gain_of(part) > 0.0 and any(z - 1e-6 < body.shape_z - half[2] for _, _, z in part.feet()):
            found += [piece.rod_of(place, row) for row, piece in part.skids()]
    return found


def wall_of(x: float, y: float, heading_deg: float, length: float, width: float, height: float) -> Solid:
    turn = 0.5 * math.radians(heading_deg)
    half = (0.5 * length, 0.5 * width, 0.5 * min(height, TALLEST))
    attitude = (math.cos(turn), 0.0, 0.0, math.sin(turn))
    return Solid([shapes.box(half)], kind=records.FIXED, position=(x, y, half[2]), attitude=attitude)


def solid_of(one: Block, names: list[str]) -> Solid:
    pieces, inertia, centre = _mesh_pieces(one) if one.shape == "mesh" else _pieces(one.shape, one.half_extents())
    return Solid(
        pieces,
        one.mass,
        one.mass * inertia,
        KINDS[one.moves],
        names.index(one.material or TIMBER),
        np.array(one.middle()) + (spatial.to_world(ground_shape.axes_of(one), centre) if np.any(centre) else 0.0),
        one.attitude(),
        sway=(one.sway_x, one.sway_y, one.sway_z),
        period=one.period,
        phase=math.radians(one.phase_deg),
        ramp=one.ramp_s,
        air=0.5 * one.drag_coefficient * one.mean_area(),
        belt=(one.belt_x, one.belt_y, 0.0),
        velocity=(one.speed_x, one.speed_y, one.speed_z) if one.moves == "free" else (0.0, 0.0, 0.0),
        spin=np.radians([one.spin_x_deg, one.spin_y_deg, one.spin_z_deg]) if one.moves == "free" else (0.0, 0.0, 0.0),
        asleep=one.rests,
        catches=one.catches,
    )


def shot_of(shot: Shot, names: list[str]) -> Solid:
    """A shot that waits in its slot."""
    radius = 0.5 * shot.size
    return Solid(
        [shapes.ball(radius)],
        shot.mass,
        shapes.ball_inertia(shot.mass, radius),
        records.PARKED,
        names.index(shot.material if shot.material in names else TIMBER),
        gravity_scale=shot.gravity_scale,
    )


def carried_of(job: Job, rider: bodynames.Rider) -> Solid:
    """A body that a part carries, where its craft starts and moving with it."""
    craft, start = job.actors[rider.who].craft, job.starts[rider.who]
    carried = rider.carried
    radius = 0.5 * carried.size
    axes = np.zeros((3, 3))
    spatial.axes_of(start[3:7], axes)
    lever = axes @ (np.array(carried.at) - np.array(craft.body.centre()))
    return Solid(
        [shapes.ball(radius)],
        carried.mass,
        shapes.ball_inertia(carried.mass, radius),
        records.FREE,
        1,
        start[:3] + lever,
        start[3:7],
        gravity_scale=craft.body.gravity_scale,
        velocity=start[7:10] + np.cross(start[10:13], lever),
        spin=start[10:13],
        layer=bodynames.layer_number(job.ground, craft.body.layer),
    )


def _mesh_pieces(one: Block) -> tuple[Sequence[Piece], Floats, Floats]:
    if one.is_laid:
        return (), np.eye(3), np.zeros(3)
    fitted, centre = one.fitted(), np.array(one.centre())
    return tuple(piece.moved(np.eye(3), -centre) for piece in fitted.pieces), fitted.bulk.inertia, centre


@functools.lru_cache(maxsize=256)
def _pieces(shape: str, half: tuple[float, float, float]) -> tuple[Sequence[Piece], Floats, Floats]:
    """The pieces of a solid shape about its centre of mass, its inertia for a mass of 1 kg, and that centre, m from its
    middle (any table of moments of inertia). Kept, so that blocks of one shape share their pieces."""
    centre = np.zeros(3)
    if shape == "ball":
        piece, inertia = shapes.ball(half[0]), shapes.ball_inertia(1.0, half[0])
    elif shape == "cylinder":
        r2, h2 = half[0] ** 2, half[2] ** 2
        piece, inertia = shapes.cylinder(half[0], half[2]), np.diag([r2 / 4 + h2 / 3, r2 / 4 + h2 / 3, r2 / 2])
    elif shape == "capsule":
        piece = shapes.capsule(half[1], half[0] - half[1])
        inertia = shapes.capsule_inertia(1.0, half[1], half[0] - half[1])
    elif shape == "wedge":
        a, b, c = half
        inertia = np.diag([b * b / 3 + 2 * c * c / 9, 2 * (a * a + c * c) / 9, b * b / 3 + 2 * a * a / 9])
        inertia[0, 2] = inertia[2, 0] = -a * c / 9
        centre = np.array([a / 3.0, 0.0, -c / 3.0])
        piece = shapes.wedge(half).moved(np.eye(3), -centre)
    else:
        piece, inertia = shapes.box(half), shapes.box_inertia(1.0, half)
    return (piece,), inertia, centre
