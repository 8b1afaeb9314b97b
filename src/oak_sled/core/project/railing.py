"""Acts on rails, by hand or by script: new ones, bodies put on them, cars laid along them, knots cut in."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from oak_sled.core.assembly import railways
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.geometry.railpath import Path
from oak_sled.core.project import trains
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.drill import Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.rail import MOST_KNOTS, Rail, RailKnot

Side = Literal["on", "under"]
WHEELBASE = 0.7
"""Share of the length of a body between its two bogies."""
FIT = 0.05
"""m by which cars on a rail may stand off the gap that is asked for."""


def line(name: str, x: float, y: float) -> Rail:
    """An open rail of four knots with a bend, round a place, m."""
    spots = ((-24.0, -4.0), (-8.0, -4.0), (8.0, 4.0), (24.0, 4.0))
    return Rail(id=name, lies="level", knots=tuple(RailKnot(x=x + dx, y=y + dy, z=0.5) for dx, dy in spots))


def ring(name: str, x: float, y: float, radius: float = 20.0) -> Rail:
    """A closed rail round a place, m."""
    turns = np.linspace(0.0, math.tau, 8, endpoint=False)
    spots = [(round(x + radius * math.cos(turn), 2), round(y + radius * math.sin(turn), 2)) for turn in turns]
    return Rail(id=name, lies="level", closed=True, knots=tuple(RailKnot(x=px, y=py, z=0.5) for px, py in spots))


def cut_in(ground: Ground, name: str, x: float, y: float) -> tuple[Rail, int]:
    """A rail of the ground with one more knot where it passes a point of the plan, m; and the number of that knot."""
    rail, path = _rail_of(ground, name)
    if len(rail.knots) >= MOST_KNOTS:
        raise refuse(f"rails.{name}.knots", f"has {MOST_KNOTS} knots already", f"at most {MOST_KNOTS}")
    k = int(np.argmin(np.hypot(path.points[:, 0] - x, path.points[:, 1] - y)))
    place = k * path.step
    after = [number for number, at in enumerate(path.knots) if at > place]
    number = min(after, key=lambda n: float(path.knots[n])) if after else len(rail.knots)
    before = rail.knots[number - 1]
    at = path.points[k]
    height = before.z if rail.lies != "free" else round(float(at[2]), 2)
    new = RailKnot(x=round(float(at[0]), 2), y=round(float(at[1]), 2), z=height, bank_deg=before.bank_deg)
    return rail.replace(knots=(*rail.knots[:number], new, *rail.knots[number:])), number


def put_on(ground: Ground, block: str, rail: str, bogies: int = 1, side: Side = "on") -> Ground:
    """The ground with a dynamic block put on a rail, or hung under it, where that passes it nearest, on new bogies."""
    one = _block_of(ground, block)
    _, path = _rail_of(ground, rail)
    place = path.nearest(one.middle())
    return _placed(ground, one, path, place, rail, bogies, side)


def put_craft_on(ground: Ground, craft: str, start: Start, rail: str) -> tuple[Ground, Start]:
    """The ground with a bogie under a craft, and its start on the rail, where that passes it nearest."""
    _, path = _rail_of(ground, rail)
    place = path.nearest((start.x, start.y, 0.0))
    at, way, _ = path.at(place)
    heading = math.degrees(math.atan2(way[1], way[0]))
    off = (heading - start.heading_deg + 180.0) % 360.0 - 180.0
    if abs(off) > 90.0:
        heading -= 180.0
    turned = (heading + 180.0) % 360.0 - 180.0
    moved = start.replace(
        x=round(float(at[0]), 3), y=round(float(at[1]), 3), heading_deg=round(turned, 2),
        height=max(round(float(at[2]), 3), 0.0),
    )  # fmt: skip
    return ground.replace(ties=(*_without(ground, craft), _bogie(ground, craft, rail, at, "along"))), moved


def lay_cars(
    ground: Ground, lead: str, count: int, rail: str, gap: float = 0.6, like: Coupling | None = None
) -> Ground:
    """The ground with a block on a rail and `count` more like it behind it along that, coupled, on two bogies each.

    gap : m along the rail between two of them. Raises `Refused` where the rail has no room for them.
    """
    first = _block_of(ground, lead)
    _, path = _rail_of(ground, rail)
    if count < 1:
        raise refuse("cars", f"{count} cars make no train", "1 or more")
    place, step = path.nearest(first.middle()), first.length + gap
    way = path.at(place)[1]
    turn = math.radians(first.heading_deg)
    sense = 1.0 if way[0] * math.cos(turn) + way[1] * math.sin(turn) >= 0.0 else -1.0
    room = path.length if path.closed else (place if sense > 0.0 else path.length - place) + 0.5 * step
    if (count + (1 if path.closed else 0)) * step > room + FIT:
        most = max(int((room + FIT) / step) - (1 if path.closed else 0), 0)
        raise refuse(
            "cars", f"{count} more cars are longer than the {units.show(room, 'm')} of rail behind the first",
            f"at most {most}",
        )  # fmt: skip
    made, before = put_on(ground, lead, rail, 2), None
    for number in range(count + 1):
        if number:
            car = first.replace(id=free_name(first.id, made.blocks), title="")
            made = made.replace(blocks=(*made.blocks, car))
            made = _placed(made, car, path, place - sense * number * step, rail, 2, "on", sense)
        now = _block_of(made, lead if number == 0 else made.blocks[-1].id)
        if before is not None:
            name = free_name(f"{now.id}_coupling", made.ties)
            made = made.replace(ties=(*made.ties, trains.coupled(before, now, name, like)))
        before = now
    return made


def _placed(
    ground: Ground, one: Block, path: Path, place: float, rail: str, bogies: int, side: Side, sense: float = 0.0
) -> Ground:
    """The ground with a block at a place of a rail, on new bogies. sense : 1 along it, -1 against it, 0 as it lies."""
    at, way, top = path.at(place)
    turn = math.radians(one.heading_deg)
    if (sense or way[0] * math.cos(turn) + way[1] * math.sin(turn)) < 0.0:
        way = -way
    half = 0.5 * one.height
    middle = at + (half if side == "on" else -half) * top
    level = math.hypot(way[0], way[1])
    given = np.array([one.speed_x, one.speed_y, one.speed_z])
    along = math.copysign(float(np.linalg.norm(given)), float(np.dot(given, way))) * way
    far = 0.5 * path.step
    before, ahead, after = (path.at(place + off)[1] for off in (-far, 0.0, far))
    turning = np.cross(before, after) / (2.0 * far)  # rad for each m
    spin = np.degrees(float(np.dot(along, ahead)) * turning)
    right = np.cross(way, top)
    moved = one.replace(
        x=round(float(middle[0]), 4), y=round(float(middle[1]), 4), z=round(float(middle[2]) - half, 4),
        heading_deg=round(math.degrees(math.atan2(way[1], way[0])), 4),
        pitch_deg=round(-math.degrees(math.atan2(way[2], level)), 4),
        speed_x=round(float(along[0]), 4), speed_y=round(float(along[1]), 4), speed_z=round(float(along[2]), 4),
        spin_x_deg=round(float(spin[0]), 4), spin_y_deg=round(float(spin[1]), 4), spin_z_deg=round(float(spin[2]), 4),
        roll_deg=round(math.degrees(math.asin(min(max(-float(right[2]) / max(level, 1e-9), -1.0), 1.0))), 4),
    )  # fmt: skip
    far = 0.5 * WHEELBASE * one.length
    spots = [path.at(place + share * far)[0] for share in ((1.0, -1.0) if bogies == 2 else (0.0,))]
    kept = _without(ground, one.id)
    made = ground.replace(blocks=tuple(moved if each.id == one.id else each for each in ground.blocks), ties=kept)
    for number, spot in enumerate(spots):
        alone = bogies == 1 and side == "on"
        new = _bogie(made, one.id, rail, spot, "along" if alone else "free")
        new = new.replace(roll="held" if side == "on" and number == 0 else "free")  # of two, one holds the roll
        made = made.replace(ties=(*made.ties, new))
    return made


def _bogie(ground: Ground, body: str, rail: str, at: Floats, turns: Literal["along", "free"]) -> Bogie:
    x, y, z = (round(float(one), 4) for one in at)
    return Bogie(id=free_name(f"{body}_bogie", ground.ties), one=body, rail=rail, x=x, y=y, z=z, turns=turns)


def _without(ground: Ground, body: str) -> tuple[object, ...]:
    """The ties of a ground but the bogies of a body, which is put on a rail anew."""
    return tuple(tie for tie in ground.ties if not (isinstance(tie, Bogie) and tie.one == body))


def _block_of(ground: Ground, name: str) -> Block:
    one = next((one for one in ground.blocks if one.id == name), None)
    if one is None or one.moves != "free":
        raise refuse(f"blocks.{name}", "is no dynamic block that could run on a rail", "a dynamic block")
    return one


def _rail_of(ground: Ground, name: str) -> tuple[Rail, Path]:
    made = railways.of(ground)
    number = made.number(name)
    if number < 0:
        raise refuse(f"rails.{name}", "there is no such rail", close_match(name, [one.id for one in ground.rails]))
    return made.rails[number], made.paths[number]
