"""Paths that are not run yet: where a sling would throw the craft, and where a launcher's next shot would fly.

Both are made with the very steps of a run, so that they agree with it as long as nothing is met.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from oak_sled.core.assembly import bodynames, ground_shape, groundrows, scenecache, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.contact import broad, hook, loosebodies, records
from oak_sled.core.kernel import environment, spatial, state
from oak_sled.core.kernel.state import COLLIDE
from oak_sled.core.parts import shots
from oak_sled.core.parts.common import Part
from oak_sled.core.results.record import Layout
from oak_sled.core.results.run import Run
from oak_sled.core.tick import rowlayout, step
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground

LOOK_AHEAD_S = 6.0
"""s of a preview, at most."""
STRIDE = 6
"""Rows of a path between two looks at the height of uneven ground below it."""


def sling_path(
    job: Job, sling: Part, at: Floats, pull: tuple[float, float, float], seconds: float = LOOK_AHEAD_S
) -> Floats:
    """The path on which a sling that is released now throws the craft, m, world axes, shape (rows, 3).

    at : the pose the craft is held in, position and attitude (the front of a recorded row). The craft goes alone: off
    walls if its height is held; else through the air until it is down to the ground again. Loose blocks are left out.
    """
    craft, ground = job.single, job.ground
    if bodynames.launchers(craft):
        craft = craft.with_only(tuple(part for part in craft.parts if part.shot() is None))
    if ground.blocks:
        ground = ground.replace(blocks=())
    x, y, z = pull
    released = Event(id="released", what="release", target=sling.id, x=x, y=y, z=z)
    drill = job.drill.replace(events=(released,), tracks=(), twins=(), targets=(), end="time", duration=seconds)
    made = replace(job, craft=craft, ground=ground, drill=drill.replace(cast=(), ties=()), others=(), body="")
    machine = Machine.of(made)
    put(machine, at)
    flies = craft.can_leave_ground()
    if flies:  # nothing is met but the air
        machine.world.calls[COLLIDE] = 0
        machine.nows["on_ground"], machine.nows["load"] = 0.0, 0.0
        machine.world.supports["load"] = 0.0
    ticks = math.ceil(seconds * job.ticks)
    rows = np.empty((ticks, Layout.of(made).width))
    _, done = machine.advance(np.zeros((ticks, len(craft.channels))), rows)
    found = np.concatenate([np.asarray(at[:3])[None], rows[:done, :3]])
    if not flies:
        return found
    if not job.ground.is_level:
        return landed(found, job.ground, craft.foot_depth())
    down = np.flatnonzero(found[1:, 2] < craft.foot_depth() - 1e-9)
    return found[: int(down[0]) + 2] if len(down) else found


def landed(path: Floats, ground: Ground, above: float) -> Floats:
    """A path, shape (rows, 3), up to where it comes lower than `above` m over uneven ground; where there is none, it
    falls on."""

    def is_down(row: int) -> bool:
        x, y, z = path[row]
        height = ground_shape.height_at(ground, float(x), float(y))
        return height is not None and z - height < above - 1e-9

    for last in range(STRIDE, len(path) + STRIDE - 1, STRIDE):
        if is_down(min(last, len(path) - 1)):
            first = next(row for row in range(last - STRIDE + 1, len(path)) if is_down(row))
            return path[: first + 1]
    return path


def put(machine: Machine, at: Floats) -> None:
    """Puts the first craft to a pose, at rest. at : position (m) and quaternion, shape (7,) or a longer row."""
    body = machine.scene.solids[1]
    body["position"], body["attitude"] = at[:3], at[3:7]
    body["velocity"], body["spin"] = 0.0, 0.0


class Throw(NamedTuple):
    """The flight of a hook that would be thrown: its path, m, world axes, shape (rows, 3), and what it would catch; ""
    for nothing."""

    path: Floats
    catches: str


def throw_path(run: Run, row: int, part: int) -> Throw:
    """The flight of the hook of the line `part` of the craft that is looked at, thrown at a row, while that goes
    straight on and all else stands still."""
    job, layout, numbers = run.job, run.layout, run.record.row(row)
    thrown = job.single.parts[part].thrown()
    if thrown is None:
        raise ValueError(f"part {part} throws no line (a part of the kind line)")
    scene = scenecache.scene_of(job)
    places = [(1 + who, layout.first_of(who)) for who in range(len(layout.crafts))]
    places += [(bodynames.solid_number(job, name), layout.place(f"block.{name}.position.x")) for name in layout.blocks]
    for solid, place in places:
        if solid > 0:
            scene.solids["position"][solid] = numbers[place : place + 3]
            scene.solids["attitude"][solid] = numbers[place + 3 : place + 7]
    loosebodies.refresh_all(scene.solids)
    broad.seek_neighbours(scene, job.dt)  # boxes round what stands
    own = numbers[layout.first_of(job.who) :]
    axes = np.zeros((3, 3))
    spatial.axes_of(own[3:7], axes)
    lever = axes @ (np.array(thrown.at) - np.array(job.single.body.centre()))
    way = axes @ np.array(thrown.numbers["way"])
    carried = own[7:10] + np.cross(own[10:13], lever)
    velocity = carried + thrown.numbers["speed"] * way
    muzzle = own[:3] + lever
    fall = environment.gravity_at(groundrows.ground_record(job.ground)[0], *muzzle.tolist())
    out = np.empty((math.ceil(LOOK_AHEAD_S * job.ticks), 3))
    count, caught = hook.trace(
        scene, 1 + job.who, np.concatenate([muzzle, velocity]), fall,
        tuple(carried.tolist()), thrown.numbers["most"], job.dt, out,
    )  # fmt: skip
    names = bodynames.solid_names(job)
    return Throw(out[:count], names[caught] if caught >= 0 else "")


def shot_path(job: Job, part: int, at: Moment, seconds: float = 0.0) -> Floats:
    """The path of the next shot of launcher `part` without its spread, m, world axes, shape (rows, 3).

    at : what the craft does. It ends at the level ground, or with the shot's lifetime.
    """
    launcher = job.single.parts[part]
    shot = launcher.shot()
    arrays = world.build(job)
    first = sum(len(one.craft.parts) for one in job.actors[: job.who])
    record = arrays.parts[first + part][launcher.kind]
    body, now = at.body, at.now
    axes = body["axes"]
    if now["tipped"]:
        environment.tip(arrays.ground[0], body, now)
    step.read_motion(body, now)
    way = np.array(shots.line_of(record, body, now))
    lever = axes @ record["point"]
    speed = record["muzzle"] * job.single.gain_of(launcher)
    velocity = body["velocity"] + np.cross(body["spin"], lever) + speed * way
    left, up = (np.array(vector) for vector in environment.across(now, tuple(way)))
    spin = record["twist"] * up - record["backspin"] * left
    out = np.empty((math.ceil((seconds or float(record["lifetime"])) * job.ticks), 3))
    start = np.concatenate([body["position"] + lever, velocity])
    floor = 0.5 * shot.size if job.ground.is_level else -1e30
    path = out[: shots.path(record, arrays.ground[0], start, tuple(spin), job.dt, floor, out)]
    return path if job.ground.is_level else landed(path, job.ground, 0.5 * shot.size)


class Moment(NamedTuple):
    """The state of a craft at a moment: the record of its body, and that of NOW with its channels."""

    body: np.void
    now: np.void


def state_of(run: Run, row: int) -> Moment:
    """The motion and the channels of a run at a row."""
    numbers = run.own_row(row)
    body, now = np.zeros(1, records.SOLID)[0], np.zeros(1, state.NOW)[0]
    body["position"], body["attitude"], body["velocity"], body["spin"] = (
        numbers[:3],
        numbers[3:7],
        numbers[7:10],
        numbers[10:13],
    )
    spatial.axes_of(body["attitude"], body["axes"])
    now["level"], now["heading_x"] = np.eye(3), 1.0
    now["tipped"] = int(run.job.ground.is_bent)
    count = len(run.layout.channels)
    now["channels"][:count] = numbers[rowlayout.HEAD : rowlayout.HEAD + count]
    return Moment(body, now)
