"""Paths that are not run yet: where a sling would throw the craft, and where a launcher's next shot would fly.

Both are made with the very steps of a run, so that they agree with it as long as nothing is met.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from oak_sled.core import among, loop, spatial, state, world
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

    at : the state the craft is held in, position and attitude first (a recorded row). The craft flies alone, through
    walls if its height is held and over bare ground else: what else lies about is left out.
    """
    ground = job.ground.replace(blocks=())
    alone = job.craft.replace(parts=tuple(part for part in job.craft.parts if not isinstance(part, Launcher)))
    x, y, z = pull
    let_go = Event(id="let_go", what="release", target=sling.id, x=x, y=y, z=z)
    drill = job.drill.replace(events=(let_go,), tracks=(), twins=(), targets=(), end="time", duration=seconds)
    made = replace(job, craft=alone, ground=ground, drill=drill)
    arrays = world.build(made)
    now = world.begin(arrays, made)
    put(now[0], at)
    ticks = math.ceil(seconds * job.ticks)
    rows = np.empty((ticks, Layout.of(alone, ground).width))
    told = np.zeros((ticks, len(alone.channels)))
    _, done = loop.advance(arrays, now, told, rows, 1) if "z" in alone.body.held else (0, 0)
    if done == 0:
        return _fall(made, arrays, now, told, rows)
    return np.concatenate([np.asarray(at[:3])[None], rows[:done, :3]])


def _fall(job: Job, arrays: state.World, now: state.Records, told: Floats, rows: Floats) -> Floats:
    """The same for a craft whose height is free: until it comes down to where it began, or lower."""
    start = now["position"][0].copy()
    now["among"] = 0.0  # nothing is met: the air and its own forces alone
    now["on_ground"], now["load"] = 0.0, 0.0
    _, done = loop.advance(arrays, now, told, rows, 1)
    found = np.concatenate([start[None], rows[:done, :3]])
    floor = job.craft.foot_depth() if job.ground.floor else -math.inf
    below = np.flatnonzero(found[1:, 2] < min(floor, start[2]) - 1e-9)
    return found[: below[0] + 2] if len(below) else found


def put(now: np.void, at: Floats) -> None:
    """Sets place, attitude, velocity and spin of a state from a recorded row; at rest if it has only a pose."""
    now["position"], now["attitude"] = at[:3], at[3:7]
    if len(at) >= 13:
        now["velocity"], now["spin"] = at[7:10], at[10:13]


def shot_path(job: Job, part: int, at: np.void, seconds: float = 0.0) -> Floats:
    """Where the next shot of launcher `part` would fly without its spread, m, world axes, shape (rows, 3).

    at : the state of the craft, a record of NOW. It ends at the level ground, or with the shot's lifetime.
    """
    craft = job.craft
    launcher = craft.parts[part]
    assert isinstance(launcher, Launcher)
    arrays = world.build(job)
    record = arrays.parts[part]["launcher"]
    axes = np.zeros((3, 3))
    spatial.axes_of(at["attitude"], axes)
    now = np.zeros(1, state.NOW)
    now[0] = at
    now["axes"] = axes
    size = math.hypot(axes[0, 0], axes[1, 0])
    now["heading_x"], now["heading_y"] = (axes[0, 0] / size, axes[1, 0] / size) if size > 1e-9 else (1.0, 0.0)
    way = np.array(shots.line_of(record, now[0]))
    lever = axes @ record["point"]
    speed = launcher.muzzle_speed * float(world.gains(craft)[part])
    velocity = at["velocity"] + np.cross(at["spin"], lever) + speed * way
    left, up = (np.array(vector) for vector in shots.across(tuple(way)))
    spin = launcher.side_spin * up - launcher.backspin * left
    ticks = math.ceil((seconds or launcher.lifetime) * job.ticks)
    out = np.empty((ticks, 3))
    start = np.concatenate([at["position"] + lever, velocity])
    floor = 0.5 * launcher.shot_size if job.ground.floor else -1e30
    done = shots.path(record, arrays.ground[0], start, tuple(spin), job.dt, floor, out)
    return out[:done]


def begin_of(made: Run) -> Floats:
    """The row a run starts from."""
    return np.asarray(made.record.row(0))


def is_light(job: Job) -> bool:
    """Whether a preview of the craft is the run itself: nothing else is met."""
    return not among.is_among(job.craft, job.ground)
