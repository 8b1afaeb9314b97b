"""The outlook of rails and bogies: bends, slopes, the side load of a speed, where it derails, and how it stops."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from oak_sled.core.advice import bodymass
from oak_sled.core.assembly import railways
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.units import show
from oak_sled.core.geometry.railpath import Path
from oak_sled.core.parts.caution import Caution
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rail import Rail

FAR = 0.5
"""m from its rail at which the point of a bogie is told to be off it."""
TRIED = 10.0
"""m/s of which load and stopping are told."""


def of_rail(ground: Ground, rail: Rail) -> tuple[str, ...]:
    """Lines about a rail: its length, its sharpest bend and its steepest slope."""
    path = _path(ground, rail.id)
    if path is None:
        return ()
    lines = [f"{show(path.length, 'm')}{' round' if rail.closed else ' long'}"]
    if math.isfinite(path.smallest_radius):
        across = TRIED**2 / path.smallest_radius
        lines.append(
            f"sharpest bend {show(path.smallest_radius, 'm')}: {show(across, 'm/s2')} across at {show(TRIED, 'm/s')}"
        )
    rise = float(np.ptp(path.points[:, 2]))
    if rise > 1e-3:
        steep = math.degrees(math.asin(min(float(np.abs(path.tangents[:, 2]).max()), 1.0)))
        lines.append(f"rises {show(rise, 'm')}, at most {show(steep, '°')} steep")
    return tuple(lines)


def of_bogie(ground: Ground, bogie: Bogie, crafts: Sequence[Craft]) -> tuple[str, ...]:
    """Lines about a bogie: what a bend loads it with, where it derails, what its drive climbs, how its brake stops."""
    path, mass = _path(ground, bogie.rail), bodymass.of(ground, bogie.one, crafts)
    if path is None or mass is None:
        return ()
    share = mass / max(sum(isinstance(one, Bogie) and one.one == bogie.one for one in ground.ties), 1)
    lines = []
    if math.isfinite(path.smallest_radius):
        side = share * TRIED**2 / path.smallest_radius
        lines.append(
            f"{show(side, 'N')} of side load at {show(TRIED, 'm/s')} in its sharpest bend, "
            f"{show(path.smallest_radius, 'm')}"
        )
        if bogie.derails_at > 0.0:
            fast = math.sqrt(bogie.derails_at * path.smallest_radius / share)
            lines.append(f"it derails there from {show(fast, 'm/s')} on, where the bend is not banked")
    weight = mass * ground.gravity
    held = (bogie.resistance + bogie.friction * weight) / weight if weight > 0.0 else 0.0
    if held > 0.0:
        lines.append(f"it stands on slopes up to {show(math.degrees(math.asin(min(held, 1.0))), '°')}")
    if bogie.channel and weight > 0.0:
        climbs = (bogie.drive_force - bogie.resistance - bogie.friction * weight) / weight
        steep = math.degrees(math.asin(min(max(climbs, 0.0), 1.0)))
        told = f"it climbs {show(steep, '°')}" if climbs > 0.0 else "it does not move off"
        lines.append(f"driven, {told}; {show(max(climbs, 0.0) * ground.gravity, 'm/s2')} on the level")
    if rests(ground, bogie):
        lines.append(f"nothing moves it yet: name a channel that drives it, or give {bogie.one} a speed")
    if bogie.brake_channel:
        force = bogie.brake_force + bogie.resistance + bogie.friction * weight
        if force > 0.0:
            lines.append(f"braked, it stops from {show(TRIED, 'm/s')} in {show(0.5 * mass * TRIED**2 / force, 'm')}")
    return tuple(lines)


def rests(ground: Ground, bogie: Bogie) -> bool:
    """True if a block stays where a bogie puts it, as far as the ground tells: it has no speed, no bogie of it has a
    channel, no tie but bogies holds it, and its rail is level."""
    block = next((one for one in ground.blocks if one.id == bogie.one), None)
    path = _path(ground, bogie.rail)
    if block is None or path is None or float(np.ptp(path.points[:, 2])) > 1e-3:
        return False
    held = [one for one in (*ground.ties, *ground.joints) if bogie.one in (one.one, one.other)]
    at_rest = block.speed_x == block.speed_y == block.speed_z == 0.0
    return at_rest and all(isinstance(one, Bogie) and not one.channel for one in held)


def cautions(job: Job) -> Iterator[Caution]:
    """The cautions of bogies: a point that is far from its rail."""
    for tie in job.ground.ties:
        path = _path(job.ground, tie.on_rail()) if tie.on_rail() else None
        if path is None:
            continue
        off = math.dist(tie.begin, path.at(path.nearest(tie.begin))[0].tolist())
        if off > FAR:
            yield Caution(
                "bogie_off_its_rail",
                "",
                f"{tie.heading} stands {show(off, 'm')} from its rail, whose nearest point it takes",
                "its body put on the rail (Ground page), or its point moved there",
            )


def _path(ground: Ground, rail: str) -> Path | None:
    made = railways.of(ground)
    number = made.number(rail)
    return made.paths[number] if number >= 0 else None
