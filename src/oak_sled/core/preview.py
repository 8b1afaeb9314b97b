"""Paths that are not run yet: where a sling would throw the craft, and where a launcher's next shot would fly.

Both are made with the very steps of a run, so that they agree with it as long as nothing is met.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from oak_sled.core import loop, spatial, state, world
from oak_sled.core.event import Event
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.sling import Sling
from oak_sled.core.record import Layout
from oak_sled.core.run import Run
from oak_sled.core.state import Floats
from oak_sled.core.sudden import shots
from oak_sled.core.world import Job

LOOK_AHEAD_S = 6.0
"""s of a preview, at most."""


def sling_path(
    job: Job, sling: Sling, at: Floats, pull: tuple[float, float, float], seconds: float = LOOK_AHEAD_S
) -> Floats:
    """Where a sling that is let go now throws the craft, m, world axes, shape (rows, 3).

    at : the pose the craft is held in, position and attitude (the front of a recorded row). The craft goes alone: off
    walls if its height is held; else through the air until it is down to the ground again. Loose things are left out.
    """
    craft, ground = job.craft, job.ground
    if any(part.kind == "launcher" for part in craft.parts):
        craft = craft.replace(parts=tuple(part for part in craft.parts if part.kind != "launcher"))
    if ground.blocks:
        ground = ground.replace(blocks=())
    x, y, z = pull
    let_go = Event(id="let_go", what="release", target=sling.id, x=x, y=y, z=z)
    drill = job.drill.replace(events=(let_go,), tracks=(), twins=(), targets=(), end="time", duration=seconds)
    made = replace(job, craft=craft, ground=ground, drill=drill)
    arrays = world.build(made)
    now = world.begin(arrays, made)
    put(now[0], at)
    flies = "z" not in craft.body.held
    if flies:  # nothing is met but the air
        now["among"], now["on_ground"], now["load"] = 0.0, 0.0, 0.0
        arrays.body["foot"] = -1e30
    ticks = math.ceil(seconds * job.ticks)
    rows = np.empty((ticks, Layout.of(craft, made.ground).width))
    _, done = loop.advance(arrays, now, np.zeros((ticks, len(craft.channels))), rows, 1)
    found = np.concatenate([np.asarray(at[:3])[None], rows[:done, :3]])
    if not (flies and job.ground.floor):
        return found
    down = np.flatnonzero(found[1:, 2] < craft.foot_depth() - 1e-9)
    return found[: int(down[0]) + 2] if len(down) else found


def put(now: np.void, at: Floats) -> None:
    """Puts a state to a pose, at rest."""
    now["position"], now["attitude"] = at[:3], at[3:7]
    now["velocity"], now["spin"] = 0.0, 0.0


def shot_path(job: Job, part: int, at: np.void, seconds: float = 0.0) -> Floats:
    """Where the next shot of launcher `part` would fly without its spread, m, world axes, shape (rows, 3).

    at : the state of the craft, a record of NOW. It ends at the level ground, or with the shot's lifetime.
    """
    launcher = job.craft.parts[part]
    assert isinstance(launcher, Launcher)
    arrays = world.build(job)
    record = arrays.parts[part]["launcher"]
    now = np.zeros(1, state.NOW)
    now[0] = at
    spatial.axes_of(now["attitude"][0], now["axes"][0])
    axes = now["axes"][0]
    size = math.hypot(axes[0, 0], axes[1, 0])
    now["heading_x"], now["heading_y"] = (axes[0, 0] / size, axes[1, 0] / size) if size > 1e-9 else (1.0, 0.0)
    way = np.array(shots.line_of(record, now[0]))
    lever = axes @ record["point"]
    speed = launcher.muzzle_speed * float(world.gains(job.craft)[part])
    velocity = at["velocity"] + np.cross(at["spin"], lever) + speed * way
    left, up = (np.array(vector) for vector in shots.across(tuple(way)))
    spin = launcher.side_spin * up - launcher.backspin * left
    out = np.empty((math.ceil((seconds or launcher.lifetime) * job.ticks), 3))
    start = np.concatenate([at["position"] + lever, velocity])
    floor = 0.5 * launcher.shot_size if job.ground.floor else -1e30
    return out[: shots.path(record, arrays.ground[0], start, tuple(spin), job.dt, floor, out)]


def state_of(run: Run, row: int) -> np.void:
    """The motion and the channels of a run at a row, as a record of NOW."""
    numbers = run.record.row(row)
    now = np.zeros(1, state.NOW)
    now["position"], now["attitude"], now["velocity"], now["spin"] = (
        numbers[:3],
        numbers[3:7],
        numbers[7:10],
        numbers[10:13],
    )
    count = len(run.layout.channels)
    now["channels"][0, :count] = numbers[loop.HEAD : loop.HEAD + count]
    found: np.void = now[0]
    return found
