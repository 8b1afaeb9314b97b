"""A craft without its surroundings: what leaves of it, what stays here, and its tick as it is in a game."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from oak_sled.core.assembly import bodynames, tracks
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.compiler import types
from oak_sled.core.contact import rays, stage
from oak_sled.core.kernel import state
from oak_sled.core.parts import register
from oak_sled.core.tick import loop, step


@dataclass
class Alone:
    """A craft without its surroundings: its job, the machine that runs it, and the inputs of its drill, shape (ticks,
    channels)."""

    job: Job
    machine: Machine
    inputs: Floats

    @classmethod
    def of(cls, job: Job) -> Alone:
        """Of a job; raises `Refused` for a craft that cannot leave."""
        stays = list(what_stays(job))
        if stays:
            raise refuse(job.craft.id, f"cannot leave: {'; '.join(stays)}", "a craft without these")
        pulls = tuple(block for block in job.ground.blocks if block.attracts > 0.0)
        ground = job.ground.replace(
            walls=(), gates=(), blocks=pulls, volumes=(), rails=(), joints=(), ties=(), patches=(), edges="open"
        )
        driven = tuple(track for track in job.drill.tracks if track.shape not in ("aim", "pace"))
        drill = job.drill.replace(cast=(), twins=(), events=(), ties=(), craft="", tracks=driven)
        alone = Job(job.craft, ground, drill, job.ticks, job.integrator)
        machine = Machine.of(alone)
        craft = machine.world.crafts[0]
        if craft["rays"] == 0:  # a hull without contacts stands on nothing
            feet = max(1, int(craft["feet"]))
            craft["supports"] = feet
            machine.world = machine.world._replace(supports=machine.world.supports[:feet].copy())
        machine.world.calls[LEFT_OUT] = 0
        below = (machine.world.crafts, machine.scene, machine.world.supports)
        if craft["rays"] > 0:
            kinds = tuple(types.of_value(one) for one in (*below, machine.nows))
            machine.world.calls[state.CAST] = rays.hear_all.address(kinds)
        if craft["free"][2] == 1.0:
            kinds = tuple(types.of_value(one) for one in (*below, machine.world.ground[0], machine.nows))
            machine.world.calls[state.COLLIDE] = stage.touch_none.address(kinds)
        machine.nows[0]["next_event"] = NEVER
        loop.begin(machine.world, machine.scene, machine.nows)
        return cls(alone, machine, tracks.inputs(alone, round(drill.duration * job.ticks)))

    def tick(self, inputs: Floats) -> None:
        """Runs one tick of what leaves. inputs : shape (channels,)."""
        self.cast()
        self.step(inputs)

    def step(self, inputs: Floats) -> None:
        """The same with what rays met already written. inputs : shape (channels,)."""
        step.tick(*self.given(inputs))

    def rays(self) -> range:
        """The supports that are rays."""
        craft = self.machine.world.crafts[0]
        first = int(craft["first_support"] + craft["supports"])
        return range(first, first + int(craft["rays"]))

    def cast(self) -> None:
        """Casts the rays on a level plane at height 0, and writes what they meet, as a game does."""
        world, body, now = self.machine.world, self.machine.scene.solids, self.machine.nows[0]
        solid = body[world.crafts[0]["body"]]
        for ray in self.rays():
            support = world.supports[ray]
            origin, way = ray_of(support, solid, now)
            radius = float(support["radius"])
            far = max(origin[2] - radius, 0.0) / -way[2] + radius if way[2] < 0.0 else math.inf
            support["hit"] = 0.0
            if not far < support["reach"]:
                support["hit"][0] = -1.0
                continue
            t = far - radius
            support["hit"][0], support["hit"][3] = far, 1.0
            support["hit"][7:] = origin[0] + t * way[0], origin[1] + t * way[1], 0.0

    def given(self, inputs: Floats) -> tuple[Any, ...]:
        """The arguments of a tick. inputs : shape (channels,)."""
        return self.machine.world, self.machine.scene, self.machine.shot_memory, self.machine.nows, inputs


def ray_of(support: Any, solid: Any, now: Any) -> tuple[Floats, Floats]:
    """The beginning of a ray, m, and its direction, world axes, each of shape (3,)."""
    axes = solid["axes"]
    origin = solid["position"] + axes @ support["at"]
    way = -axes[:, 2]
    if support["aim"] == rays.AIM_WORLD:
        way = -now["level"][:, 2]
    elif support["aim"] == rays.AIM_GROUND:
        way = -now["up"]
    return origin, way


def left_out(job: Job) -> list[str]:
    """Things of a job that do not leave with its craft, and what the game does instead, a sentence each."""
    carried = [one.part.id for one in bodynames.riders(job) if one.who == 0]
    found = [
        f"{name}: what it carries, with its mass (a body of the game, or its mass added to mass)" for name in carried
    ]
    for part in job.craft.parts:
        if part.id in carried or job.craft.gain_of(part) <= 0.0:
            continue
        if register.kind_of(part).others is not None or part.ANSWERS_WALLS:
            found.append(f"{part.id}: what it does with other bodies (the contacts of the game)")
    ground = job.ground
    for what, items in (
        ("walls", ground.walls), ("blocks", ground.blocks), ("patches", ground.patches), ("volumes", ground.volumes),
        ("rails", ground.rails), ("ties", ground.ties), ("gates", ground.gates),
    ):  # fmt: skip
        if items:
            found.append(f"{what} of the ground {ground.id} (those of the game)")
    if any(track.shape in ("aim", "pace") for track in job.drill.tracks):
        found.append("the driver of the drill (the inputs of the game)")
    return found


LEFT_OUT = [state.OTHERS, state.FLY, state.COLLIDE, state.LAND, state.CAST, state.PUSH_BACK]
"""Stages of a tick that stay here."""
NEVER = 1 << 40
"""Number of the next event of a craft that has none."""


def what_stays(job: Job) -> Iterator[str]:
    """Reasons why a craft cannot leave, a sentence each."""
    craft = job.craft
    for name in sorted(bodynames.line_numbers(job, 0)):
        yield f"{name} holds it by a line or a rail, which the game has (mute it)"
    if len(craft.singles) > 1:
        yield f"it has {len(craft.singles)} bodies (export one of them as a craft of its own)"
    for part in craft.parts:
        if craft.gain_of(part) <= 0.0:
            continue
        if any(getattr(part, place.field) for place in part.PLACES):
            yield f"{part.id} follows a formula (draw it as a curve)"
