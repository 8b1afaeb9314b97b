"""Trains: so many blocks of a kind laid in a row, straight or on a curve, each coupled to the one before."""

from __future__ import annotations

import math

from oak_sled.core.base import units
from oak_sled.core.base.faults import refuse
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.naming import free_name

GAP = 0.6
"""m between two cars."""
HIGH = 0.4
"""Share of the height of a car at which it is coupled."""


def lay(
    ground: Ground, lead: str, count: int, gap: float = GAP, radius: float = 0.0, like: Coupling | None = None
) -> Ground:
    """The ground with `count` more blocks like `lead` behind it, aligned and coupled.

    gap : m between two of them. radius : m of the curve on which they stand, to the left ahead of the lead, below 0 to
    the right; 0 is straight. like : a coupling with the numbers of those between them. Raises `Refused` where they
    find no room.
    """
    first = next((one for one in ground.blocks if one.id == lead), None)
    if first is None or first.moves != "free":
        raise refuse(f"blocks.{lead}", "is no dynamic block that could lead a train", "a dynamic block")
    if count < 1:
        raise refuse("cars", f"{count} cars make no train", "1 or more")
    step = first.length + gap
    if radius != 0.0 and (count + 1) * step > math.tau * abs(radius):
        fit = int(math.tau * abs(radius) / step) - 1
        raise refuse(
            "radius",
            f"{count + 1} cars are longer than a circle of {units.show(abs(radius), 'm')}",
            f"at most {fit} more",
        )
    blocks, ties, before = list(ground.blocks), list(ground.ties), first
    for number in range(1, count + 1):
        x, y, heading = _place(first, number * step, radius)
        car = first.replace(id=free_name(first.id, blocks), title="", x=x, y=y, heading_deg=heading)
        blocks.append(car)
        ties.append(coupled(before, car, free_name(f"{car.id}_coupling", ties), like))
        before = car
    return ground.replace(blocks=tuple(blocks), ties=tuple(ties))


def lay_behind(
    ground: Ground, lead: str, count: int, craft: str, rear: tuple[float, float, float], heading_deg: float
) -> Ground:
    """The ground with a block and `count` - 1 more like it in a row behind a craft, coupled to it and to each other.

    craft : the name of the body that pulls, CRAFT or CRAFT.BODY. rear : its place of coupling at the start, m, world.
    heading_deg : the way it faces. Raises `Refused` as `lay`, and where something holds the block already.
    """
    first = next((one for one in ground.blocks if one.id == lead), None)
    if first is None or first.moves != "free":
        raise refuse(f"blocks.{lead}", "is no dynamic block that could be pulled", "a dynamic block")
    tied = next((one for one in (*ground.ties, *ground.joints) if lead in (one.one, one.other)), None)
    if tied is not None:
        raise refuse(f"blocks.{lead}", f"is held by {tied.heading}, which would not follow it", "a block that is free")
    angle, back = math.radians(heading_deg), GAP + 0.5 * first.length
    x, y = round(rear[0] - back * math.cos(angle), 4), round(rear[1] - back * math.sin(angle), 4)
    moved = first.replace(x=x, y=y, heading_deg=heading_deg)
    blocks = tuple(moved if one is first else one for one in ground.blocks)
    hook = {"x": round(rear[0], 4), "y": round(rear[1], 4), "z": round(rear[2], 4)}
    ends = dict(zip(("end_x", "end_y", "end_z"), end_of(moved, 0.5), strict=True))
    tie = Coupling(id=free_name(f"{lead}_coupling", ground.ties), one=craft, other=lead, **hook, **ends)
    made = ground.replace(blocks=blocks, ties=(*ground.ties, tie))
    return lay(made, lead, count - 1) if count > 1 else made


def coupled(ahead: Block, behind: Block, name: str, like: Coupling | None = None) -> Coupling:
    """A coupling from the rear of one car to the front of the next."""
    (x, y, z), (to_x, to_y, to_z) = end_of(ahead, -0.5), end_of(behind, 0.5)
    ends = {"one": ahead.id, "other": behind.id, "x": x, "y": y, "z": z, "end_x": to_x, "end_y": to_y, "end_z": to_z}
    made = like or Coupling(id=name, one=ahead.id, other=behind.id)
    return made.replace(id=name, length=0.0, **ends)


def end_of(block: Block, share: float) -> tuple[float, float, float]:
    """The place where a car is coupled, m: so many lengths ahead of its middle."""
    angle, fall = math.radians(block.heading_deg), math.radians(block.pitch_deg)
    far, up = share * block.length, (HIGH - 0.5) * block.height
    ahead, high = far * math.cos(fall) + up * math.sin(fall), up * math.cos(fall) - far * math.sin(fall)
    return (
        round(block.x + ahead * math.cos(angle), 4),
        round(block.y + ahead * math.sin(angle), 4),
        round(block.z + 0.5 * block.height + high, 4),
    )


def _place(first: Block, back: float, radius: float) -> tuple[float, float, float]:
    """x, y (m) and heading (degrees) of the car whose middle is so many m behind that of the first, along the curve."""
    heading = math.radians(first.heading_deg)
    if radius == 0.0:
        return (
            round(first.x - back * math.cos(heading), 4),
            round(first.y - back * math.sin(heading), 4),
            first.heading_deg,
        )
    turned = heading - back / radius
    x = first.x - radius * (math.sin(heading) - math.sin(turned))
    y = first.y + radius * (math.cos(heading) - math.cos(turned))
    return round(x, 4), round(y, 4), round(math.degrees(turned), 4)
