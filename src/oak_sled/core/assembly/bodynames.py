"""The bodies of a job by name and number: the ground, crafts, walls, blocks, and shots in their slots."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from oak_sled.core.assembly import starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.contact import records
from oak_sled.core.parts import layer
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import Carried, WheelAt
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.singles import FIRST
from oak_sled.core.yard.thrownline import ThrownLine
from oak_sled.core.yard.tie import Between, Stretched, Tie

EDGE_WALL, EDGE_TOP = 20.0, 1e4
"""m of thickness and of height of the walls that stand at the edges of a ground."""


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
    return layer_names(ground).index(layer_name(ground, name or otherwise))


def layer_names(ground: Ground) -> list[str]:
    """The names of all layers of a ground, by number."""
    return [*layer.BUILT_IN_LAYERS, *(one.id for one in ground.layers)]


def shot_names(craft: Craft) -> tuple[str, ...]:
    """A name for every shot that can be in flight: its launcher and its number."""
    return tuple(f"{part.id}.{k + 1}" for part in craft.parts for k in range(in_flight(part)))


def in_flight(part: Part) -> int:
    """The bodies that a part sends out."""
    shot = part.shot()
    return 0 if shot is None else shot.in_flight


def ray_names(craft: Craft) -> tuple[str, ...]:
    """A name for every ray of a craft: its part and its number."""
    return craft.ray_names


def wheels(craft: Craft, ray: int = 0) -> tuple[WheelAt, ...]:
    """The wheels of a craft that carry; its first ray is support `ray`."""
    return craft.wheels if ray == 0 else tuple(replace(one, ray=ray + one.ray) for one in craft.wheels)


def tired(craft: Craft) -> dict[int, float]:
    """The rays of a craft whose wheels have tires, by number among its rays, in order; and the inertia of each wheel,
    kg m2."""
    return craft.tired


def wheel_names(craft: Craft, part: Part) -> tuple[str, ...]:
    """The names of the rays of the wheels with tires on which a part of the craft acts."""
    return craft.wheel_names.get(part.id, ())


def tire_names(craft: Craft) -> tuple[str, ...]:
    """The names of the rays of a craft whose wheels have tires."""
    return tuple(craft.ray_names[ray] for ray in craft.tired)


def front_and_rear(wheels: Iterable[WheelAt]) -> tuple[list[WheelAt], list[WheelAt]]:
    """Wheels before and behind the middle between the first and the last of them; those in one line count as rear."""
    own = list(wheels)
    places = [one.at[0] for one in own]
    middle = 0.5 * (max(places, default=0.0) + min(places, default=0.0))
    return [one for one in own if one.at[0] > middle], [one for one in own if one.at[0] <= middle]


def launchers(craft: Craft) -> list[Part]:
    """The parts that send out bodies, in their order."""
    return [part for part in craft.parts if part.shot() is not None]


def first_block(job: Job) -> int:
    """The number of the first block among the bodies: behind the ground, the crafts and the walls."""
    return 1 + len(job.actors) + len(walls_of(job.ground))


def solid_number(job: Job, name: str) -> int:
    """The number of a block or a craft among the bodies of a job; -1 when there is none of that name."""
    return solid_numbers(job).get(name, -1)


def solid_numbers(job: Job) -> dict[str, int]:
    """The numbers of the crafts, of their further bodies as CRAFT.BODY, and of the blocks among the bodies of a job; a
    block hides a craft of its name."""
    crafts = {one.craft.id: 1 + place for place, one in enumerate(job.actors)}
    first = first_block(job)
    return crafts | {one.id: first + place for place, one in enumerate(job.ground.blocks)}


def first_slot(job: Job, who: int, name: str) -> int:
    """The number of the first shot of a launcher of craft `who` among the bodies: shots stand behind the blocks."""
    place = first_block(job) + len(job.ground.blocks)
    place += sum(len(shot_names(one.craft)) for one in job.actors[:who])
    own = launchers(job.actors[who].craft)
    return place + sum(in_flight(part) for part in own[: [part.id for part in own].index(name)])


class Rider(NamedTuple):
    """A body that a part carries: its actor, its part, that part's number, its number among the bodies, its joint."""

    who: int
    part: Part
    carried: Carried
    place: int
    solid: int
    joint: int


def riders(job: Job) -> list[Rider]:
    """The bodies that parts carry, behind the shots; a part that is muted carries none."""
    solid = first_block(job) + len(job.ground.blocks) + sum(len(shot_names(one.craft)) for one in job.actors)
    joint = len(joints_of(job))
    found: list[Rider] = []
    for who, one in enumerate(job.actors):
        for place, part in enumerate(one.craft.parts):
            carried = part.carried()
            if carried is not None and one.craft.gain_of(part) > 0.0:
                found.append(Rider(who, part, carried, place, solid + len(found), joint + len(found)))
    return found


def rider_names(job: Job) -> tuple[str, ...]:
    """Names in a record of the bodies that parts carry."""
    return tuple(f"{job.actors[one.who].craft.id.replace('.', '_')}_{one.part.id}" for one in riders(job))


class Held(NamedTuple):
    """A joint or a tie of a job: the numbers of its two bodies, and of the actor whose channels drive it; its places
    and its ends are of the world. turn : the axes that its own directions are in, shape (3, 3), world axes; None for
    those of the world. part : the number of the part that it is of; -1 for none. turn_of_other : the same of its second
    body, where it tells directions in the axes of each; None: those of the first."""

    tie: Any
    a: int
    b: int
    who: int = 0
    turn: Floats | None = None
    part: int = -1
    turn_of_other: Floats | None = None


def joints_of(job: Job) -> list[Held]:
    """The joints of the ground whose bodies are there."""
    return _between(job, job.ground.joints)


def ties_of(job: Job) -> list[Held]:
    """The ties whose bodies are there: of the ground, of the crafts, of the cast of the drill, and the lines that parts
    throw."""
    found = _between(job, job.ground.ties)
    if any(one.whole.ties for one in job.actors):
        found += _of_crafts(job)
    if job.drill.ties:
        found += _of_cast(job, [one.tie.id for one in found])
    return [*found, *lines_of(job)]


def _of_crafts(job: Job) -> Iterator[Held]:
    """The ties of crafts between bodies of them."""
    for who, one in enumerate(job.actors):
        if one.lead != who:
            continue
        numbers = {FIRST: 1 + who} | {body.id: 2 + who + k for k, body in enumerate(one.whole.bodies)}
        names = {FIRST: one.craft.id} | {body.id: f"{one.craft.id}.{body.id}" for body in one.whole.bodies}
        origin, axes = starts.origin_of(one.craft, job.starts[who])
        for tie in one.whole.ties:
            placed = _placed(tie, f"{one.craft.id}_{tie.id}", names[tie.one], names[tie.other], (origin, axes))
            yield Held(placed, numbers[tie.one], numbers[tie.other], who, axes)


def _of_cast(job: Job, taken: list[str]) -> Iterator[Held]:
    """The ties of a drill between those who take part in it, and what is on the ground."""
    numbers = solid_numbers(job)
    for tie in job.drill.ties:
        if tie.one not in numbers or (tie.other and tie.other not in numbers):
            continue
        frames = [_frame_of(job, numbers.get(name, 0)) for name in (tie.one, tie.other)]
        name = tie.id if tie.id not in taken else f"{tie.id}_{1 + taken.count(tie.id)}"
        placed = _placed(tie, name, tie.one, tie.other, *frames)
        if placed.flaw():
            continue  # where its crafts begin it can be none, which a caution tells
        apart = frames[1][1] if tie.AXIS_OF_EACH else None
        yield Held(
            placed, numbers[tie.one], numbers.get(tie.other, records.GROUND), 0, frames[0][1], turn_of_other=apart
        )


def flawed(job: Job) -> Iterator[tuple[Tie, str]]:
    """The ties of a drill that can be none where its crafts begin, which are left out of a run, each with its fault."""
    numbers = solid_numbers(job)
    for tie in job.drill.ties:
        if tie.one in numbers and (not tie.other or tie.other in numbers):
            frames = [_frame_of(job, numbers.get(name, 0)) for name in (tie.one, tie.other)]
            fault = _placed(tie, tie.id, tie.one, tie.other, *frames).flaw()
            if fault:
                yield tie, fault


def _frame_of(job: Job, number: int) -> tuple[Floats, Floats]:
    """The origin and the axes of a body at the start, in which ties of a cast tell their places: those of the world for
    all but crafts."""
    if not 1 <= number <= len(job.actors):
        return np.zeros(3), np.eye(3)
    return starts.origin_of(job.actors[number - 1].craft, job.starts[number - 1])


Frame = tuple[Floats, Floats]


def _placed(tie: Tie, name: str, one: str, other: str, here: Frame, there: Frame | None = None) -> Tie:
    """A tie whose places, told in the axes of a craft, are of the world. here, there : the origin and the axes, m, of
    its first place, and of its other end where those are others."""

    def world(frame: Frame, point: Sequence[float]) -> list[float]:
        return (frame[0] + frame[1] @ np.array(point)).tolist()

    fields = dict(zip("xyz", world(here, tie.begin), strict=True))
    if isinstance(tie, Stretched):
        fields |= dict(zip(("end_x", "end_y", "end_z"), world(there or here, tie.end), strict=True))
    # no document: it is made of what was checked in one
    return tie.model_copy(update={"id": name[:40], "title": tie.heading, "one": one, "other": other, **fields})


def lines_of(job: Job) -> list[Held]:
    """The lines that parts throw; a part that is muted throws none."""
    found = []
    for who, one in enumerate(job.actors):
        for place, part in enumerate(one.craft.parts):
            thrown = part.thrown()
            if thrown is None or one.craft.gain_of(part) == 0.0:
                continue
            origin, axes = starts.origin_of(one.craft, job.starts[who])
            x, y, z = (origin + axes @ np.array(thrown.at)).tolist()
            name = f"{one.craft.id.replace('.', '_')}_{part.id}"[:40]
            fields = {"thrown": thrown, "x": x, "y": y, "z": z}
            line = ThrownLine.model_construct(id=name, one=one.craft.id, other="", **fields)
            found.append(Held(line, 1 + who, records.GROUND, who, part=place))
    return found


def line_numbers(job: Job, who: int) -> dict[str, int]:
    """The numbers of the lines of a craft among all ties, by their parts."""
    parts = job.actors[who].craft.parts
    return {parts[one.part].id: k for k, one in enumerate(ties_of(job)) if one.part >= 0 and one.who == who}


def _between(job: Job, ties: Sequence[Between]) -> list[Held]:
    found = []
    for one in ties:
        a = solid_number(job, one.one)
        b = solid_number(job, one.other) if one.other else records.GROUND
        if a > 0 and b >= 0:
            found.append(Held(one, a, b))
    return found


def watched(job: Job) -> tuple[str, ...]:
    """The dynamic blocks whose ledger a run of the job keeps: those that its drill watches."""
    loose = [one.id for one in moving(job.ground) if one.moves == "free"]
    return tuple(name for name in dict.fromkeys(job.drill.watch) if name in loose)


def solid_names(job: Job) -> list[str]:
    """Names of the bodies of a job, in their order."""
    walls = [wall.id.replace("_", " ") for wall in job.ground.walls]
    edges = ["the edge"] * (len(walls_of(job.ground)) - len(walls))
    shots = [
        f"a shot of {name.rpartition('.')[0].replace('_', ' ')}" for one in job.actors for name in shot_names(one.craft)
    ]
    crafts = [one.craft.heading.lower() for one in job.actors]
    carried = [one.part.heading.lower() for one in riders(job)]
    return ["the ground", *crafts, *walls, *edges, *(one.heading for one in job.ground.blocks), *shots, *carried]


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


def volume_lines(ground: Ground) -> tuple[str, ...]:
    """The ledger lines of the volumes of a ground that push, in their order."""
    return tuple(one.line for one in ground.volumes if one.pushes)
