"""The contact scene of a job: all its bodies, from its documents."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from oak_sled.core.assembly import bodynames, ground_shape, immersed, railways, solidforms, surfaces
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats, Ints, Records
from oak_sled.core.compiler import types
from oak_sled.core.contact import chain, crossing, linkkind, loosebodies, rays, records, scenery, stage
from oak_sled.core.contact.records import Scene
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import CAST, COLLIDE, COMMAND, FLY, GROUND, LAND, OTHERS, PUSH_BACK, World
from oak_sled.core.parts import knockbacks, layer, register, shots
from oak_sled.core.parts.context import Pack
from oak_sled.core.parts.shots import NOTES, ShotMemory
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground

ABOVE = 0.02
"""m above the ground at which a rope with mass lies at the start."""


def can_collide(job: Job) -> bool:
    """True if anything can be met in a job: other bodies, or ground by a craft whose height is free."""
    ground = job.ground
    if (
        ground.blocks
        or ground.joints
        or bodynames.ties_of(job)
        or bodynames.walls_of(ground)
        or len(job.actors) > 1
        or any(bodynames.launchers(one.craft) for one in job.actors)
        or bodynames.riders(job)
    ):
        return True
    carries = ground.floor or ground.relief is not None
    return carries and any("z" not in one.craft.body.held for one in job.actors)


def build(job: Job) -> Scene:
    """All bodies of a job: the ground, crafts, walls, blocks, and shots in their slots."""
    names, pairs = surfaces.materials(job.ground)
    ground = job.ground
    solids = [solidforms.wall_of(*wall) for wall in bodynames.walls_of(ground)]
    for solid, wall in zip(solids, ground.walls, strict=False):
        solid.layer = bodynames.layer_number(ground, wall.layer, layer.GROUND)
    for solid in solids[len(ground.walls) :]:
        solid.layer = 0
    solids += [
        replace(solidforms.solid_of(one, names), layer=bodynames.layer_number(ground, one.layer))
        for one in ground.blocks
    ]
    for one in job.actors:
        for shot in filter(None, (part.shot() for part in one.craft.parts)):
            solids += [
                replace(solidforms.shot_of(shot, names), layer=bodynames.layer_number(ground, shot.layer))
            ] * shot.in_flight
    solids += [solidforms.carried_of(job, one) for one in bodynames.riders(job)]
    made = scenery.scene(
        solids,
        plane=job.ground.is_level,
        triangles=ground_shape.laid_on(job.ground),
        materials=pairs,
        crafts=[
            replace(solidforms.hull_of(one.craft), layer=bodynames.layer_number(ground, one.craft.body.layer))
            for one in job.actors
        ],
        patches=ground_shape.patch_rows(job.ground),
        layers=layer.table(ground.layers, ground.layer_pairs)[1],
        reports=[
            *range(1, 1 + len(job.actors)),
            *range(bodynames.first_block(job), bodynames.first_block(job) + len(ground.blocks)),
        ],
    )
    for who, one in enumerate(job.actors):
        bumper = next((part for part in one.craft.parts if part.ANSWERS_WALLS and one.craft.gain_of(part)), None)
        if bumper is not None:
            made.answer[who] = list(bumper.record(Pack((), one.craft.body.centre())).values())
        made.solids[1 + who]["feel"] = feel_of(one.craft)
        first = sum(len(before.craft.parts) for before in job.actors[:who])
        for part in bodynames.launchers(one.craft):
            rows = made.solids[bodynames.first_slot(job, who, part.id) :][: bodynames.in_flight(part)]
            rows["shot"], rows["age"], rows["owner"] = 1 + first + one.craft.parts.index(part), -1.0, 1 + who
    rails, rail_points = railways.of(ground).records()
    made = scenery.with_joints(made, _joints(job, made))._replace(watched=_watched(job, made), links=_links(job, made))
    made = made._replace(rails=rails, rail_points=rail_points, chain=_chains(job))
    for number, block in enumerate(ground.blocks, bodynames.first_block(job)):
        if block.rail and block.moves == "driven":
            way = railways.of(ground)
            row, rail = made.solids[number], way.number(block.rail)
            row["rail"], row["rail_speed"] = 1 + rail, block.rail_speed
            row["rail_place"] = way.paths[rail].nearest(row["position"])
    for event in job.drill.events:
        number = bodynames.solid_number(job, event.target)
        if (
            event.what == "drop"
            and number >= bodynames.first_block(job)
            and made.solids[number]["kind"] == records.FREE
        ):
            made.solids[number]["kind"], made.solids[number]["inverse_mass"] = records.HUNG, 0.0
            made.solids[number]["inverse_inertia"] = 0.0
    hulls = [solidforms.hull_of(one.craft).pieces for one in job.actors]
    made = immersed.with_volumes(job, made, hulls, [solid.pieces for solid in solids])
    recorded, counted, slots = _in_rows(made, len(job.actors))
    made = made._replace(recorded=recorded, counted=counted, slots=slots)
    return _with_seams(made, ground) if ground.edges == "wrap" else made


def _with_seams(made: Scene, ground: Ground) -> Scene:
    """The scene of a world that wraps, and what of it goes over a seam together."""
    movable = np.flatnonzero(np.isin(made.solids["kind"], (records.FREE, records.HUNG)))
    held = [(int(one["a"]), int(one["b"])) for ties in (made.joints, made.links) for one in ties]
    follows, ranks = crossing.followed(len(made.solids), [int(one) for one in movable], held)
    return made._replace(period=np.array(ground.period()), follows=follows, ranks=ranks)


def feel_of(craft: Craft) -> float:
    """m from the middle of the hull of a craft to the farthest end of a ray: what lies nearer may be found by one."""
    middle = craft.body.middle()
    rays = [ray for part in craft.parts for ray in part.rays()]
    return max((math.dist(ray.at, middle) + ray.reach + ray.radius for ray in rays), default=0.0)


def _in_rows(scene: Scene, crafts: int) -> tuple[Ints, Ints, Ints]:
    """The solids of a recorded row: those that move, those that report what is in them, and shots."""
    solids, number = scene.solids, np.arange(len(scene.solids))
    moves = np.isin(solids["kind"], (records.FREE, records.DRIVEN, records.HUNG)) & (number > crafts)
    reports = ((solids["kind"] == records.TRIGGER) | (solids["reports"] == 1)) & (number > 0)
    recorded, counted, slots = (
        np.flatnonzero(which) for which in (moves & (solids["shot"] == 0), reports, solids["shot"] > 0)
    )
    return recorded, counted, slots


def _watched(job: Job, scene: Scene) -> Records:
    rows = np.zeros(len(bodynames.watched(job)), records.WATCHED)
    for row, name in zip(rows, bodynames.watched(job), strict=True):
        row["solid"] = bodynames.solid_number(job, name)
        row["velocity"], row["spin"] = (scene.solids[row["solid"]][one] for one in ("velocity", "spin"))
    return rows


def _joints(job: Job, scene: Scene) -> Records:
    """The joints of the ground whose bodies are there, as the bodies stand at the start."""
    found, riders = bodynames.joints_of(job), bodynames.riders(job)
    rows = np.zeros(len(found) + len(riders), records.JOINT)
    rows["part"] = -1
    for rider in riders:
        row, craft = rows[rider.joint], job.actors[rider.who].craft
        row["a"], row["b"], row["part"] = 1 + rider.who, rider.solid, rider.place
        row["at_a"] = np.array(rider.carried.at) - np.array(craft.body.centre())
    for row, (joint, a, b, *_) in zip(rows, found, strict=False):
        row["a"], row["b"] = a, b
        for name, number in (("at_a", a), ("at_b", b)):
            row[name] = world_point(job, scene, number, (joint.x, joint.y, joint.z))
    return rows


def _links(job: Job, scene: Scene) -> Records:
    """The ties of the ground whose bodies are there, as the bodies stand at the start."""
    found = bodynames.ties_of(job)
    rows, first = linkkind.room(len(found)), 0
    for row, held in zip(rows, found, strict=True):
        tie, a, b = held.tie, held.a, held.b
        ends = railways.ends_of(job.ground, tie)
        own = tie.numbers(math.dist(*ends))
        to_own = [functools.partial(world_way, job, scene, number) for number in (a, b)]
        turns = (held.turn, held.turn if held.turn_of_other is None else held.turn_of_other)
        own |= tie.frames(*(functools.partial(_turned_way, *both) for both in zip(turns, to_own, strict=True)))
        if tie.on_rail():
            rails = railways.of(job.ground)
            number = rails.number(tie.on_rail())
            own |= tie.on(rails.paths[number], number, to_own[0], _axes_at_start(job, scene, a)[:, 0])
        own |= {
            name: world_point(job, scene, k, at) for name, k, at in zip(("at_a", "at_b"), (a, b), ends, strict=True)
        }
        linkkind.fill(row, tie.rows(), (a, b), own)
        if tie.nodes():
            given = linkkind.own_of(row, tie.rows())
            given["first"] = first
            row["first_node"], row["nodes"] = first + 1, tie.nodes()
            first += tie.nodes() + 2
        row["fall"] = (0.0, 0.0, -job.ground.gravity)
        row["passes"] = int(tie.passes())
        row["who"], row["part"] = held.who, held.part
        known = [channel.id for channel in job.actors[held.who].whole.channels] if job.actors else []
        for k, name in enumerate(tie.driven_by()):
            if name:
                row["channels"][k] = known.index(name) if name in known else -1
                row["drives"][k] = 0.0  # until its channel says more
        shown = tie.at_start(math.dist(*ends))
        row["shown"][: len(tie.rows().shows)] = [shown.get(one.name, 0.0) for one in tie.rows().shows]
    return rows


def _chains(job: Job) -> Floats:
    """The nodes of all ropes with mass at the start, in the order of their ties: on the ground where they would be in
    it."""
    laid = np.concatenate([np.zeros((0, chain.COLUMNS)), *(one.tie.laid() for one in bodynames.ties_of(job))])
    if len(laid) and (job.ground.floor or job.ground.relief is not None):
        high = np.zeros(len(laid)) if job.ground.is_level else np.full(len(laid), -np.inf)
        over = ground_shape.heights_at(job.ground, laid[:, 0], laid[:, 1])
        laid[:, 2] = np.maximum(laid[:, 2], np.fmax(high, over) + ABOVE)
    return laid


def place_riders(job: Job, scene: Scene) -> None:
    """Puts the bodies that crafts carry where they start, joins them, and ties what is tied. scene : that of the job,
    but for where its crafts start."""
    for rider in bodynames.riders(job):
        solid, row = solidforms.carried_of(job, rider), scene.solids[rider.solid]
        scenery.put(row, solid)
        loosebodies.refresh_all(scene.solids[rider.solid : rider.solid + 1])
    scene.joints[:] = scenery.with_joints(scene, _joints(job, scene)).joints
    scene.links[:] = _links(job, scene)
    scene.chain[:] = _chains(job)
    _connect(job, scene)
    scene.watched[:] = _watched(job, scene)


def world_way(job: Job, scene: Scene, number: int, way: Floats) -> Floats:
    """A direction of the world in the axes of a body as it stands at the start, shape (3,)."""
    return np.asarray(_axes_at_start(job, scene, number).T @ way)


def _turned_way(turn: Floats | None, to_own: Callable[[Floats], Floats], way: Floats) -> Floats:
    """A direction in the axes that a tie tells it in, in those of a body, shape (3,): see `bodynames.Held.turn`."""
    return to_own(way if turn is None else turn @ way)


def world_point(job: Job, scene: Scene, number: int, point: Sequence[float]) -> Floats:
    """A point of the world in the axes of a body as it stands at the start, m from its centre of mass, shape (3,)."""
    is_craft = 1 <= number <= len(job.actors)
    middle = job.starts[number - 1][:3] if is_craft else scene.solids[number]["position"]
    return np.asarray(_axes_at_start(job, scene, number).T @ (np.array(point) - middle))


def _axes_at_start(job: Job, scene: Scene, number: int) -> Floats:
    """The axes of a body at the start, shape (3, 3)."""
    if not 1 <= number <= len(job.actors):
        return np.asarray(scene.solids[number]["axes"])
    axes = np.zeros((3, 3))  # where a craft begins is put into its body later
    spatial.axes_of(job.starts[number - 1][3:7], axes)
    return axes


def shot_memory_of(job: Job, scene: Scene) -> ShotMemory:
    """Memory of the shots and knockbacks of a job before anything has happened."""
    owned = [(one.craft, part) for one in job.actors for part in one.craft.parts]
    parts, solids = max(1, len(owned)), len(scene.solids)
    made = ShotMemory(
        last=np.full((parts, solids), knockbacks.NEVER),
        rounds=np.zeros((parts, solids)),
        spared=np.zeros((parts, solids), np.int64),
        notes=np.zeros((parts, NOTES)),
        course=np.zeros((solids, 3)),
    )
    for place, (_, part) in enumerate(owned):
        found = [bodynames.solid_number(job, name) for name in part.spared()]
        made.spared[place, [number for number in found if number >= 0]] = 1
    return made


def connect(arrays: World, scene: Scene, shot_memory: ShotMemory, nows: Records, job: Job) -> None:
    """Writes into the records of a run where the units are that only some runs need: contacts, shots, knockbacks."""
    crafts, parts = types.of_value(arrays.crafts), types.of_value(arrays.parts)
    world_of, others = types.of_value(scene), (types.of_value(scene), types.of_value(shot_memory))
    now, supports = types.of_value(nows), types.of_value(arrays.supports)
    place = 0
    for one in job.actors:
        for part in one.craft.parts:
            kind = register.kind_of(part)
            if kind.command is not None:
                arrays.calls[COMMAND] = 1
            if kind.others is not None:
                taken = (crafts, parts, types.INT, types.INT, *others, now)
                arrays.parts[place]["others"] = kind.others.address(taken)
                arrays.calls[OTHERS] = 1
            place += 1
    if any(bodynames.launchers(one.craft) for one in job.actors):
        arrays.calls[FLY] = shots.fly.address((parts, types.Record(GROUND), *others, types.FLOAT))
        arrays.calls[LAND] = shots.land.address((crafts, parts, *others, now))
    if any(bodynames.ray_names(one.craft) for one in job.actors):
        below = (crafts, world_of, supports, now)
        arrays.calls[CAST] = rays.cast_all.address(below)
        if job.ground.blocks or len(job.actors) > 1:
            arrays.calls[PUSH_BACK] = rays.push_back.address(below)
    _connect(job, scene)
    if can_collide(job):
        arrays.calls[COLLIDE] = stage.collide.address((crafts, world_of, supports, types.Record(GROUND), now))


def _connect(job: Job, scene: Scene) -> None:
    """Writes into the links of a scene where the units of their kinds are."""
    for row, held in zip(scene.links, bodynames.ties_of(job), strict=True):
        linkkind.connect(row, held.tie.rows(), scene)


def carried_on(fresh: Scene, old: Scene, job: Job) -> Scene:
    """A scene of changed settings whose bodies and ties go on from where those of `old` are. job : that of `fresh`."""
    if len(fresh.solids) != len(old.solids):
        return fresh
    crafts = len(job.actors)
    if fresh.chain.shape == old.chain.shape:
        fresh.chain[:] = old.chain
    if len(fresh.rails) == len(old.rails):
        fresh.rails["switched"] = old.rails["switched"]
    found = bodynames.ties_of(job)
    if len(fresh.links) == len(old.links) == len(found):
        for held, row, before in zip(found, fresh.links, old.links, strict=True):
            for name in ("state", "shown", "drives"):
                row[name] = before[name]
            goes_on = held.tie.rows().goes_on
            if goes_on is not None:
                goes_on(linkkind.own_of(row, held.tie.rows()), linkkind.own_of(before, held.tie.rows()))
            if held.part >= 0:
                row["b"] = before["b"]  # what a line has caught
    for name in ("kind", "inverse_mass", "age"):  # what was dropped or fired goes on
        loose = np.isin(old.solids["kind"], (records.FREE, records.PARKED)) & (fresh.solids["kind"] != records.FIXED)
        loose[: 1 + crafts] = False
        fresh.solids[name][loose] = old.solids[name][loose]
    # inverses go with the masses of the new settings, which a part that fills then scales again
    fresh.solids["inverse_mass"][loose] *= (old.solids["mass"][loose] / fresh.solids["mass"][loose])[:, None]
    for name in (
        "position",
        "attitude",
        "velocity",
        "spin",
        "axes",
        "asleep",
        "still",
        "rest_motion",
        "time",
        "rail_place",
    ):
        fresh.solids[name][1:] = old.solids[name][1:]
    loosebodies.refresh_all(fresh.solids[1 + crafts :])
    for name in ("velocity", "spin"):
        fresh.watched[name] = fresh.solids[name][fresh.watched["solid"]]
    return fresh
