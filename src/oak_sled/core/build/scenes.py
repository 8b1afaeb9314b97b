"""The contact scene of a job: all its bodies, from its documents."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from oak_sled.core.build import ground_shape
from oak_sled.core.build.jobs import Job
from oak_sled.core.compiler import types
from oak_sled.core.contact import records, scenery, stage
from oak_sled.core.contact.records import Scene
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.documents import layer
from oak_sled.core.documents.block import TIMBER, Block, Material
from oak_sled.core.documents.craft import Craft
from oak_sled.core.documents.yard import Ground
from oak_sled.core.geometry import shapes
from oak_sled.core.geometry.shapes import Piece
from oak_sled.core.impulses import knockbacks, shots
from oak_sled.core.impulses.shots import NOTES, Sudden
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import COLLIDE, FLY, GROUND, LAND, OTHERS, Floats, Ints, Records, World
from oak_sled.core.parts import register
from oak_sled.core.parts.common import Pack, Part
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.runner import Runner

SKID = 0.05
"""m, radius of the rod that stands for a runner in contacts; its friction is the runner's business."""
EDGE_WALL, EDGE_TOP = 20.0, 1e4
"""m of thickness and of height of the walls that stand at the edges of a ground."""
TALLEST = 100.0
"""m of height of a wall in a scene: a far taller box would be near everything."""
KINDS = {"free": records.FREE, "fixed": records.FIXED, "driven": records.DRIVEN, "trigger": records.TRIGGER}


def can_collide(job: Job) -> bool:
    """Whether anything can be met in a job: other bodies, or ground by a craft whose height is free."""
    ground = job.ground
    if (
        ground.blocks
        or ground.joints
        or walls_of(ground)
        or len(job.actors) > 1
        or any(launchers(one.craft) for one in job.actors)
    ):
        return True
    carries = ground.floor or ground.relief is not None
    return carries and any("z" not in one.craft.body.held for one in job.actors)


def can_leave_ground(craft: Craft) -> bool:
    """Whether its height is free, so that what carries it is what it touches."""
    return "z" not in craft.body.held


def moving(ground: Ground) -> tuple[Block, ...]:
    """The blocks whose places are recorded."""
    return tuple(one for one in ground.blocks if one.moves in ("free", "driven"))


def reporters(job: Job) -> tuple[str, ...]:
    """The bodies of which it is recorded how many others are in them, in the order of the bodies, as craft.NAME or
    block.NAME: triggers, and those whose layer has one that it only reports."""
    names, table = layer.table(job.ground.layers, job.ground.layer_pairs)
    some = {name for name, row in zip(names, table, strict=True) if records.REPORTS in row}
    crafts = [f"craft.{one.craft.id}" for one in job.actors if layer_name(job.ground, one.craft.body.layer) in some]
    blocks = [
        f"block.{one.id}"
        for one in job.ground.blocks
        if one.moves == "trigger" or (not one.is_laid and layer_name(job.ground, one.layer) in some)
    ]
    return (*crafts, *blocks)


def layer_name(ground: Ground, name: str) -> str:
    """The layer of a craft, a block or a shot on a ground: one that the ground does not have counts as bodies."""
    return name if name in (*layer.BUILT_IN_LAYERS, *(one.id for one in ground.layers)) else layer.BODIES


def layer_number(ground: Ground, name: str, otherwise: str = layer.BODIES) -> int:
    """The number of that layer, or of the one it is `otherwise`, where it is empty."""
    names = [*layer.BUILT_IN_LAYERS, *(one.id for one in ground.layers)]
    return names.index(layer_name(ground, name or otherwise))


def shot_names(craft: Craft) -> tuple[str, ...]:
    """A name for every shot that can be in flight: its launcher and its number."""
    return tuple(f"{part.id}.{k + 1}" for part in launchers(craft) for k in range(part.in_flight))


def launchers(craft: Craft) -> list[Launcher]:
    """The parts that fire shots, in their order."""
    return [part for part in craft.parts if isinstance(part, Launcher)]


def first_block(job: Job) -> int:
    """The number of the first block among the bodies: behind the ground, the crafts and the walls."""
    return 1 + len(job.actors) + len(walls_of(job.ground))


def solid_number(job: Job, name: str) -> int:
    """The number of a block or a craft among the bodies of a job; -1 when there is none of that name."""
    place = next((k for k, one in enumerate(job.ground.blocks) if one.id == name), None)
    if place is not None:
        return first_block(job) + place
    return next((1 + k for k, one in enumerate(job.actors) if one.craft.id == name), -1)


def first_slot(job: Job, who: int, name: str) -> int:
    """The number of the first shot of a launcher of craft `who` among the bodies: shots stand behind the blocks."""
    place = first_block(job) + len(job.ground.blocks)
    place += sum(len(shot_names(one.craft)) for one in job.actors[:who])
    own = launchers(job.actors[who].craft)
    return place + sum(part.in_flight for part in own[: [part.id for part in own].index(name)])


def build(job: Job) -> Scene:
    """All bodies of a job: the ground, crafts, walls, blocks, and shots in their slots."""
    names, pairs = materials(job.ground)
    ground = job.ground
    solids = [_wall(*wall) for wall in walls_of(ground)]
    for solid, wall in zip(solids, ground.walls, strict=False):
        solid.layer = layer_number(ground, wall.layer, layer.GROUND)
    for solid in solids[len(ground.walls) :]:
        solid.layer = 0
    solids += [replace(_solid(one, names), layer=layer_number(ground, one.layer)) for one in ground.blocks]
    for one in job.actors:
        for part in launchers(one.craft):
            solids += [replace(_shot(part, names), layer=layer_number(ground, part.layer))] * part.in_flight
    made = scenery.scene(
        solids,
        plane=job.ground.is_level,
        triangles=ground_shape.laid_on(job.ground),
        materials=pairs,
        crafts=[replace(_hull(one.craft), layer=layer_number(ground, one.craft.body.layer)) for one in job.actors],
        patches=ground_shape.patch_rows(job.ground),
        layers=layer.table(ground.layers, ground.layer_pairs)[1],
        reports=[*range(1, 1 + len(job.actors)), *range(first_block(job), first_block(job) + len(ground.blocks))],
    )
    for who, one in enumerate(job.actors):
        bumper = next((part for part in one.craft.parts if part.ANSWERS_WALLS and gain_of(one.craft, part)), None)
        if bumper is not None:
            made.answer[who] = list(bumper.record(Pack((), one.craft.body.centre())).values())
        first = sum(len(before.craft.parts) for before in job.actors[:who])
        for part in launchers(one.craft):
            rows = made.solids[first_slot(job, who, part.id) :][: part.in_flight]
            rows["shot"], rows["age"], rows["owner"] = 1 + first + one.craft.parts.index(part), -1.0, 1 + who
    made = made._replace(joints=_joints(job, made), watched=_watched(job, made))
    for event in job.drill.events:
        number = solid_number(job, event.target)
        if event.what == "drop" and number >= first_block(job) and made.solids[number]["kind"] == records.FREE:
            made.solids[number]["kind"], made.solids[number]["inverse_mass"] = records.HUNG, 0.0
            made.solids[number]["inverse_inertia"] = 0.0
    recorded, counted, slots = _in_rows(made, len(job.actors))
    return made._replace(recorded=recorded, counted=counted, slots=slots)


def _in_rows(scene: Scene, crafts: int) -> tuple[Ints, Ints, Ints]:
    """Which solids stand in a recorded row: those that move, those that report what is in them, and shots."""
    solids, number = scene.solids, np.arange(len(scene.solids))
    moves = np.isin(solids["kind"], (records.FREE, records.DRIVEN, records.HUNG)) & (number > crafts)
    reports = ((solids["kind"] == records.TRIGGER) | (solids["reports"] == 1)) & (number > 0)
    recorded, counted, slots = (
        np.flatnonzero(which) for which in (moves & (solids["shot"] == 0), reports, solids["shot"] > 0)
    )
    return recorded, counted, slots


def gain_of(craft: Craft, part: Part) -> float:
    """Trim, mute and solo of a part as one number."""
    if part.mute or (not part.solo and any(other.solo for other in craft.parts)):
        return 0.0
    return part.trim


def watched(job: Job) -> tuple[str, ...]:
    """The loose blocks whose ledger a run of the job keeps: those that its drill watches."""
    loose = [one.id for one in moving(job.ground) if one.moves == "free"]
    return tuple(name for name in dict.fromkeys(job.drill.watch) if name in loose)


def _watched(job: Job, scene: Scene) -> Records:
    rows = np.zeros(len(watched(job)), records.WATCHED)
    for row, name in zip(rows, watched(job), strict=True):
        row["solid"] = solid_number(job, name)
        row["velocity"], row["spin"] = (scene.solids[row["solid"]][one] for one in ("velocity", "spin"))
    return rows


def _joints(job: Job, scene: Scene) -> Records:
    """The joints of the ground whose bodies are there, as the bodies stand at the start."""
    found = []
    for joint in job.ground.joints:
        a, b = solid_number(job, joint.one), solid_number(job, joint.other) if joint.other else records.GROUND
        if a > 0 and b >= 0:
            found.append((joint, a, b))
    rows = np.zeros(len(found), records.JOINT)
    for row, (joint, a, b) in zip(rows, found, strict=True):
        row["a"], row["b"] = a, b
        for name, number in (("at_a", a), ("at_b", b)):
            row[name] = world_point(job, scene, number, (joint.x, joint.y, joint.z))
    return rows


def world_point(job: Job, scene: Scene, number: int, point: Sequence[float]) -> Floats:
    """A point of the world in the axes of a body as it stands at the start, m from its centre of mass, shape (3,)."""
    solid = scene.solids[number]
    if 1 <= number <= len(job.actors):  # where a craft begins is put into its body later
        start = job.starts[number - 1]
        axes = np.zeros((3, 3))
        spatial.axes_of(start[3:7], axes)
        return np.asarray(axes.T @ (np.array(point) - start[:3]))
    return np.asarray(solid["axes"].T @ (np.array(point) - solid["position"]))


def _hull(craft: Craft) -> Solid:
    body, centre = craft.body, np.array(craft.body.centre())
    return Solid(
        tuple(piece.moved(np.eye(3), -centre) for piece in pieces_of(craft)),
        body.true_mass(),
        body.inertia_matrix(),
        material=1,
        free=[0.0 if axis in body.held else 1.0 for axis in ("x", "y", "z")],
        free_spin=[0.0 if axis in body.held else 1.0 for axis in ("roll", "pitch", "yaw")],
    )


def sudden_of(job: Job, scene: Scene) -> Sudden:
    """What shots and knockbacks of a job remember, before anything has happened."""
    owned = [(one.craft, part) for one in job.actors for part in one.craft.parts]
    parts, solids = max(1, len(owned)), len(scene.solids)
    made = Sudden(
        last=np.full((parts, solids), knockbacks.NEVER),
        rounds=np.zeros((parts, solids)),
        spared=np.zeros((parts, solids), np.int64),
        notes=np.zeros((parts, NOTES)),
        course=np.zeros((solids, 3)),
    )
    for place, (_, part) in enumerate(owned):
        if isinstance(part, Knockback):
            found = [solid_number(job, name) for name in part.spares]
            made.spared[place, [number for number in found if number >= 0]] = 1
    return made


def connect(arrays: World, scene: Scene, sudden: Sudden, nows: Records, job: Job) -> None:
    """Writes into the records of a run where the units are that only some runs need: contacts, shots, knockbacks."""
    crafts, parts = types.of_value(arrays.crafts), types.of_value(arrays.parts)
    world_of, others = types.of_value(scene), (types.of_value(scene), types.of_value(sudden))
    now, supports = types.of_value(nows), types.of_value(arrays.supports)
    place = 0
    for one in job.actors:
        for part in one.craft.parts:
            kind = register.kind_of(part)
            if kind.others is not None:
                taken = (crafts, parts, types.INT, types.INT, *others, now)
                arrays.parts[place]["others"] = kind.others.address(taken)
                arrays.calls[OTHERS] = 1
            place += 1
    if any(launchers(one.craft) for one in job.actors):
        arrays.calls[FLY] = shots.fly.address((parts, types.Record(GROUND), *others, types.FLOAT))
        arrays.calls[LAND] = shots.land.address((crafts, parts, *others, now))
    if can_collide(job):
        arrays.calls[COLLIDE] = stage.meet.address((crafts, world_of, supports, types.Record(GROUND), now))


def solid_names(job: Job) -> list[str]:
    """What the bodies of a job are called, in their order."""
    walls = [wall.id.replace("_", " ") for wall in job.ground.walls]
    edges = ["the edge"] * (len(walls_of(job.ground)) - len(walls))
    shots = [
        f"a shot of {name.rpartition('.')[0].replace('_', ' ')}" for one in job.actors for name in shot_names(one.craft)
    ]
    crafts = [one.craft.heading.lower() for one in job.actors]
    return ["the ground", *crafts, *walls, *edges, *(one.heading for one in job.ground.blocks), *shots]


def carried_on(fresh: Scene, old: Scene, crafts: int) -> Scene:
    """A scene of changed settings whose bodies go on from where those of `old` are. crafts : how many they are."""
    if len(fresh.solids) != len(old.solids):
        return fresh
    for name in ("kind", "inverse_mass", "age"):  # what was dropped or fired goes on
        loose = np.isin(old.solids["kind"], (records.FREE, records.PARKED)) & (fresh.solids["kind"] != records.FIXED)
        loose[: 1 + crafts] = False
        fresh.solids[name][loose] = old.solids[name][loose]
    fresh.solids["inverse_inertia"][1 + crafts :] = old.solids["inverse_inertia"][1 + crafts :]
    for name in ("position", "attitude", "velocity", "spin", "axes", "asleep", "still", "calm", "time"):
        fresh.solids[name][1:] = old.solids[name][1:]
    for name in ("velocity", "spin"):
        fresh.watched[name] = fresh.solids[name][fresh.watched["solid"]]
    return fresh


def materials(ground: Ground) -> tuple[list[str], Floats]:
    """Names of all materials (ground, hull, timber first), and friction and bounce of every pair, shape (m, m, 2)."""
    known = [
        Material(id="ground", friction=ground.friction, bounce=ground.bounce),
        Material(id="hull", friction=0.3, bounce=0.05),
        Material(id=TIMBER),
        *ground.materials,
    ]
    names = [one.id for one in known]
    rub = np.array([one.friction for one in known])
    back = np.array([one.bounce for one in known])
    pairs = np.stack([np.sqrt(np.outer(rub, rub)), np.maximum.outer(back, back)], axis=2)
    for pair in ground.pairs:
        a, b = names.index(pair.one), names.index(pair.other)
        pairs[a, b] = pairs[b, a] = (pair.friction, pair.bounce)
    return names, pairs


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
    for place, part in enumerate(craft.parts):
        if isinstance(part, Runner) and gain_of(craft, part) > 0.0 and part.z - 1e-6 < -half[2]:
            for row, side in enumerate((part.spread_y, -part.spread_y) if part.spread_y > 0.0 else (0.0,)):
                rod = shapes.capsule(SKID, part.spread_x) if part.spread_x > 0.0 else shapes.ball(SKID)
                foot = np.array([part.x, part.y + side, part.z + SKID])
                found.append(rod.moved(np.eye(3), foot).rod_of(place, row))
    return found


def walls_of(ground: Ground) -> list[tuple[float, float, float, float, float, float]]:
    """Walls and walled edges: x, y, heading (deg), length, width, height."""
    found = [(w.x, w.y, w.heading_deg, w.length, w.width, w.height) for w in ground.walls]
    if ground.edges == "wall":
        low_x, low_y, high_x, high_y = ground.edges_at()
        out = 0.5 * EDGE_WALL
        across, along = ground.length + 2 * EDGE_WALL, ground.width + 2 * EDGE_WALL
        found += [(ground.middle_x, y, 0.0, across, EDGE_WALL, EDGE_TOP) for y in (low_y - out, high_y + out)]
        found += [(x, ground.middle_y, 90.0, along, EDGE_WALL, EDGE_TOP) for x in (low_x - out, high_x + out)]
    return found


def _wall(x: float, y: float, heading_deg: float, length: float, width: float, height: float) -> Solid:
    turn = 0.5 * math.radians(heading_deg)
    half = (0.5 * length, 0.5 * width, 0.5 * min(height, TALLEST))
    attitude = (math.cos(turn), 0.0, 0.0, math.sin(turn))
    return Solid([shapes.box(half)], kind=records.FIXED, position=(x, y, half[2]), attitude=attitude)


def _solid(one: Block, names: list[str]) -> Solid:
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
        air=0.5 * one.drag_figure * one.mean_area(),
        belt=(one.belt_x, one.belt_y, 0.0),
        velocity=(one.speed_x, one.speed_y, one.speed_z) if one.moves == "free" else (0.0, 0.0, 0.0),
        spin=np.radians([one.spin_x_deg, one.spin_y_deg, one.spin_z_deg]) if one.moves == "free" else (0.0, 0.0, 0.0),
        asleep=one.rests,
    )


def _shot(part: Launcher, names: list[str]) -> Solid:
    """A shot that waits in its slot."""
    radius = 0.5 * part.shot_size
    return Solid(
        [shapes.ball(radius)],
        part.shot_mass,
        shapes.ball_inertia(part.shot_mass, radius),
        records.PARKED,
        names.index(part.material if part.material in names else TIMBER),
        gravity_scale=part.gravity_scale,
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
