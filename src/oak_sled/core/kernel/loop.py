"""The loop over ticks: each one done, recorded in a row, and asked whether the run is over."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import records, watch
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import step
from oak_sled.core.kernel.state import DIVERGED, ENDED, FIXED_LINES, RUNNING

FIXED = len(FIXED_LINES)
HEAD = 19
"""Numbers at the front of a recorded row: position 3, attitude 4, velocity 3, spin 3, then the
load on the ground, whether it touches a wall, the next gate, gates missed, whether it is on the ground and leans."""
STOPPED = 0.05
"""m/s under which a craft that has moved counts as stopped."""
WILD = 1e5
"""m/s past which a run has diverged."""


@unit
def write_row(craft, body, now, row, place, share, fresh):
    """Writes the state of a craft after a tick into `row` from `place` on; lines are the mean over its substeps."""
    for i in range(3):
        row[place + i] = body.position[i]
        row[place + 7 + i] = body.velocity[i]
        row[place + 10 + i] = body.spin[i]
    for i in range(4):
        row[place + 3 + i] = body.attitude[i]
    row[place + 13] = now.load
    row[place + 14] = now.in_wall
    row[place + 15] = now.next_gate
    row[place + 16] = now.gates_missed
    row[place + 17] = now.on_ground
    row[place + 18] = now.leaning
    place += HEAD
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
def width_of(now):
    """Numbers of a craft in a row."""
    return HEAD + now.channel_count + (now.parts + FIXED) * 6 + now.parts * 4


@compiled
def write_crafts(crafts, bodies, nows, row, share, fresh):
    """Writes every craft into `row`, one after another; returns the place behind them."""
    place = 0
    for c in range(crafts.shape[0]):
        write_row(crafts[c], bodies[crafts[c].body], nows[c], row, place, share, fresh)
        place += width_of(nows[c])
    return place


@unit
def write_things(scene, dt, row, place):
    """Writes what moves beside the crafts into `row` from `place` on: position, attitude,
    velocity and spin of every loose or driven body, how many are in each that reports (crafts too), where each shot
    is and how long it has flown (-1: not in flight), and the ledgers of the blocks that are watched, N and N m over
    the tick of `dt`."""
    solids = scene.solids
    for k in range(scene.recorded.shape[0]):
        one = solids[scene.recorded[k]]
        for i in range(3):
            row[place + i] = one.position[i]
            row[place + 7 + i] = one.velocity[i]
            row[place + 10 + i] = one.spin[i]
        for i in range(4):
            row[place + 3 + i] = one.attitude[i]
        place += 13
    for k in range(scene.counted.shape[0]):
        row[place] = solids[scene.counted[k]].inside
        place += 1
    for k in range(scene.slots.shape[0]):
        one = solids[scene.slots[k]]
        for i in range(3):
            row[place + i] = one.position[i]
        row[place + 3] = one.age
        place += 4
    for w in range(scene.watched.shape[0]):
        for k in range(records.BOOKED):
            for i in range(6):
                row[place + i] = scene.watched[w].lines[k, i] / dt
            place += 6


@compiled
def ended(drill, ground, gates, body, now):
    """Whether the end condition of the drill is met, for the craft under test."""
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
        return (now.stood == 1.0 and now.on_ground == 0.0) or is_outside(ground, body)
    return False


@compiled
def is_outside(ground, body):
    """Whether it is past the edge of the ground."""
    x, y = body.position[0], body.position[1]
    return x < ground.low[0] or x > ground.high[0] or y < ground.low[1] or y > ground.high[1]


@compiled
def is_wild(body):
    """Whether a number is out of bounds: not finite, or faster than anything means."""
    total = 0.0
    for i in range(3):
        total += abs(body.velocity[i]) + abs(body.spin[i]) + 1e-3 * abs(body.position[i])
    return not total < WILD


@compiled
def first_row(world, scene, nows, row):
    """Writes the start into `row`: the state, with nothing booked yet."""
    place = write_crafts(world.crafts, scene.solids, nows, row, 1.0, True)
    if place < row.shape[0]:
        write_things(scene, nows[0].nominal_dt, row, place)


@compiled
def advance(world, scene, sudden, nows, inputs, out, substeps):
    """Runs as many ticks as `out` has rows, or fewer when the drill ends.

    nows : a record of NOW for every craft, changed in place, as the bodies of `scene` and what `sudden` remembers are.
    inputs : shape (ticks, channels), raw channel values of all crafts. out : shape (ticks, width), written row by row.
    Returns (status, ticks done).
    """
    crafts, bodies = world.crafts, scene.solids
    for c in range(crafts.shape[0]):
        body_module.refresh(bodies[crafts[c].body], nows[c])
    for k in range(out.shape[0]):
        place = 0
        watch.clear(scene)
        for s in range(substeps):
            step.tick(world, scene, sudden, nows, inputs[k])
            place = write_crafts(crafts, bodies, nows, out[k], 1.0 / substeps, s == 0)
        if place < out.shape[1]:
            write_things(scene, nows[0].nominal_dt, out[k], place)
        wild = False
        for c in range(crafts.shape[0]):
            wild = wild or is_wild(bodies[crafts[c].body])
        if wild:
            return DIVERGED, k + 1
        step.read_motion(bodies[crafts[0].body], nows[0])
        if ended(world.drill[0], world.ground[0], world.gates.shape[0], bodies[crafts[0].body], nows[0]):
            return ENDED, k + 1
    return RUNNING, out.shape[0]
