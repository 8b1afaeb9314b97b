"""The loop over ticks: each one done, recorded in a row, and asked whether the run is over."""

from __future__ import annotations

from oak_sled.core import body as body_module
from oak_sled.core import step
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import things
from oak_sled.core.state import DIVERGED, ENDED, FIXED_LINES, RUNNING

FIXED = len(FIXED_LINES)
HEAD = 19
"""Numbers at the front of a recorded row: position 3, attitude 4, velocity 3, spin 3, then the
load on the ground, whether it touches a wall, the next gate, gates missed, whether it is on the ground and leans."""
STOPPED = 0.05
"""m/s under which a craft that has moved counts as stopped."""
WILD = 1e5
"""m/s past which a run has diverged."""


@unit
def write_row(now, row, share, fresh):
    """Writes the state after a tick into `row`; lines are the mean over its substeps."""
    for i in range(3):
        row[i] = now.position[i]
        row[7 + i] = now.velocity[i]
        row[10 + i] = now.spin[i]
    for i in range(4):
        row[3 + i] = now.attitude[i]
    row[13] = now.load
    row[14] = now.in_wall
    row[15] = now.next_gate
    row[16] = now.gates_missed
    row[17] = now.on_ground
    row[18] = now.leaning
    place = HEAD
    for c in range(now.channel_count):
        row[place + c] = now.channels[c]
    place += now.channel_count
    for k in range(now.parts + FIXED):
        if fresh and share == 1.0:
            for i in range(6):
                row[place + i] = now.lines[k, i]
        else:
            for i in range(6):
                row[place + i] = share * now.lines[k, i] + (0.0 if fresh else row[place + i])
        place += 6
    for p in range(now.parts):
        for i in range(3):
            row[place + i] = now.points[p, i]
        place += 3
    for p in range(now.parts):
        row[place + p] = now.activity[p]


@compiled
def ended(drill, ground, gates, now):
    """Whether the end condition of the drill is met."""
    if drill.end_kind == 1:
        return now.moved >= drill.end_value
    if drill.end_kind == 2:
        return now.moved > 0.5 and now.speed < STOPPED and now.time >= drill.end_value
    if drill.end_kind == 3:
        return now.in_wall > 0.0
    if drill.end_kind == 4:
        return now.next_gate >= gates
    if drill.end_kind == 5:
        now.stood = max(now.stood, now.on_ground)
        return (now.stood == 1.0 and now.on_ground == 0.0) or is_outside(ground, now)
    return False


@compiled
def is_outside(ground, now):
    """Whether it is past the edge of the ground."""
    x, y = now.position[0], now.position[1]
    return x < ground.low[0] or x > ground.high[0] or y < ground.low[1] or y > ground.high[1]


@compiled
def is_wild(now):
    """Whether a number left all sense: not finite, or faster than anything means."""
    total = 0.0
    for i in range(3):
        total += abs(now.velocity[i]) + abs(now.spin[i]) + 1e-3 * abs(now.position[i])
    return not total < WILD


@compiled
def first_row(state, row):
    """Writes the start into `row`: the state, with nothing booked yet."""
    write_row(state[0], row, 1.0, True)


@compiled
def advance(world, state, inputs, out, substeps):
    """Runs as many ticks as `out` has rows, or fewer when the drill ends.

    state : the record of NOW, shape (1,), changed in place. inputs : shape (ticks, channels), raw
    channel values. out : shape (ticks, width), written row by row. Returns (status, ticks done).
    """
    now = state[0]
    body_module.refresh(world.body[0], now)
    for k in range(out.shape[0]):
        for s in range(substeps):
            step.tick(world, now, inputs[k])
            write_row(now, out[k], 1.0 / substeps, s == 0)
        if is_wild(now):
            return DIVERGED, k + 1
        step.read_motion(now)
        if ended(world.drill[0], world.ground[0], world.gates.shape[0], now):
            return ENDED, k + 1
    return RUNNING, out.shape[0]


@unit
def write_things(scene, row, place):
    """Writes where every loose or driven solid is, how many each trigger holds, and where each shot is and how long
    it has flown (-1: not in flight), into `row` from `place` on."""
    for s in range(2, scene.solids.shape[0]):
        one = scene.solids[s]
        moves = one.kind == things.FREE or one.kind == things.DRIVEN or one.kind == things.HUNG
        if moves and one.shot == 0:
            for i in range(3):
                row[place + i] = one.position[i]
            for i in range(4):
                row[place + 3 + i] = one.attitude[i]
            place += 7
    for s in range(2, scene.solids.shape[0]):
        one = scene.solids[s]
        if one.kind == things.TRIGGER:
            row[place] = one.inside
            place += 1
    for s in range(2, scene.solids.shape[0]):
        one = scene.solids[s]
        if one.shot > 0:
            for i in range(3):
                row[place + i] = one.position[i]
            row[place + 3] = one.age
            place += 4


@compiled
def first_row_among(state, scene, row, place):
    """The start of a run among things; place : where their columns begin."""
    write_row(state[0], row, 1.0, True)
    write_things(scene, row, place)


@compiled
def advance_among(world, scene, sudden, state, inputs, out, substeps, place):
    """`advance` for a craft among things; place : where their columns begin in a row."""
    now = state[0]
    body_module.refresh(world.body[0], now)
    for k in range(out.shape[0]):
        for s in range(substeps):
            step.tick_among(world, scene, sudden, now, inputs[k])
            write_row(now, out[k], 1.0 / substeps, s == 0)
        write_things(scene, out[k], place)
        if is_wild(now):
            return DIVERGED, k + 1
        step.read_motion(now)
        if ended(world.drill[0], world.ground[0], world.gates.shape[0], now):
            return ENDED, k + 1
    return RUNNING, out.shape[0]
