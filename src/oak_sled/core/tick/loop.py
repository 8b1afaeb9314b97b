"""The loop over ticks: each one done, recorded in a row (see `rowlayout`), and asked whether the run is over."""

from __future__ import annotations

from typing import NamedTuple

from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import blockledger
from oak_sled.core.contact.records import ACTIVE
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel.state import COLLIDE, DIVERGED, ENDED, RUNNING, STOPPED
from oak_sled.core.tick import rowlayout, step

SLOWEST = 0.05
"""m/s under which a craft that has moved counts as stopped."""
WILD = 1e5
"""m/s past which a run has diverged."""


@compiled
def ended(drill, ground, gates, body, now):
    """True if the end condition of the drill is met, for the craft under test."""
    if drill.end_kind == 1:
        return now.moved >= drill.end_value
    if drill.end_kind == 2:
        return now.moved > 0.5 and now.speed < SLOWEST and now.time >= drill.end_value
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
    """True if it is past the edge of the ground."""
    x, y = body.position[0], body.position[1]
    return x < ground.low[0] or x > ground.high[0] or y < ground.low[1] or y > ground.high[1]


@compiled
def is_wild(body):
    """True if a number is out of bounds: not finite, or faster than anything means."""
    total = 0.0
    for i in range(3):
        total += abs(body.velocity[i]) + abs(body.spin[i]) + 1e-3 * abs(body.position[i])
    return not total < WILD


@compiled
def is_still(world, scene):
    """True if nothing that stands in a row beside the crafts can have changed in this tick: all of it sleeps, none of
    it tells how many are in it, is a shot, or is watched."""
    if world.calls[COLLIDE] == 0:
        return False
    if scene.counted.shape[0] + scene.slots.shape[0] + scene.watched.shape[0] + scene.links.shape[0] > 0:
        return False
    for k in range(scene.counts[ACTIVE]):  # noqa: SIM110 - the language of the kernel has no all()
        if scene.solids[scene.active[k]].craft < 0:
            return False
    return True


@compiled
def tick_into(world, scene, shot_memory, nows, raw, row, substeps, no_ledger):
    """One tick in its substeps, and the crafts into `row`; (whether nothing beside them can have changed, whether a
    number is out of bounds). raw : shape (channels,)."""
    crafts, bodies = world.crafts, scene.solids
    blockledger.clear(scene)
    still, wild = True, False
    for s in range(substeps):
        step.tick(world, scene, shot_memory, nows, raw)
        if no_ledger:
            finite = rowlayout.write_without_ledger(crafts, bodies, nows, world.supports, row)
            wild = wild or not finite
        else:
            rowlayout.write_crafts(crafts, bodies, nows, world.supports, row, 1.0 / substeps, s == 0)
        still = still and is_still(world, scene)
    for c in range(crafts.shape[0]):
        wild = wild or is_wild(bodies[crafts[c].body])
    return still, wild


@compiled
def is_over(world, scene, nows):
    """True if the drill ends with the tick that was done."""
    body = scene.solids[world.crafts[0].body]
    step.read_motion(body, nows[0])
    return ended(world.drill[0], world.ground[0], world.gates.shape[0], body, nows[0])


@compiled
def begin(world, scene, nows):
    """Prepares every craft for a loop over ticks, before the first."""
    for c in range(world.crafts.shape[0]):
        body_module.refresh(scene.solids[world.crafts[c].body], nows[c])


@unit
def is_stopped(word, done):
    """True if a run is to end; `done` ticks of it are: see `stopping`. A unit, so that it is asked anew each time: what
    a loop reads by itself may be taken for what nobody else writes."""
    word[1] = done
    return word[0] != 0


@compiled
def advance(world, scene, shot_memory, nows, inputs, out, beside, which, substeps, word):
    """Runs as many ticks as `out` has rows, or fewer when the drill ends.

    nows : a record of NOW for every craft, changed in place, as the bodies of `scene` and `shot_memory` are.
    inputs : shape (ticks, channels), raw channel values of all crafts. out : shape (ticks, width), the crafts, written
    row by row: without their ledgers where it has no room for them. beside : shape (ticks, width), what is beside them,
    a row only where something of it may have changed. which : shape (ticks,), the row of `beside` that holds for each
    tick. word : see `stopping`. Returns (status, ticks done).
    """
    begin(world, scene, nows)
    no_ledger = out.shape[1] < rowlayout.whole_width(world.crafts, nows)
    last = -1
    for k in range(out.shape[0]):
        if is_stopped(word, k):
            return STOPPED, k
        still, wild = tick_into(world, scene, shot_memory, nows, inputs[k], out[k], substeps, no_ledger)
        if beside.shape[1] > 0:
            if last < 0 or not still:
                last += 1
                rowlayout.write_others(scene, nows[0].nominal_dt, beside[last])
            which[k] = last
        if wild:
            return DIVERGED, k + 1
        if is_over(world, scene, nows):
            return ENDED, k + 1
    return RUNNING, out.shape[0]


class Room(NamedTuple):
    """Room in which `advance_keeping` writes. row, beside : shape (width,), room for one row: of the crafts, without
    their ledgers where it has no room for them, and of what is beside them. kept : shape (n,), the columns that are
    kept, counted through both. out : shape (ticks + 1, n), the first for the start."""

    row: Floats
    beside: Floats
    kept: Ints
    out: Floats


@compiled
def advance_keeping(world, scene, shot_memory, nows, inputs, room, substeps, word):
    """Runs a drill from its start and keeps only some columns of its rows: what a run is measured by.

    inputs : shape (ticks, channels). room : see `Room`. word : see `stopping`. Returns (status, ticks done); a row with
    a number that is not finite ends it as diverged.
    """
    row, beside, kept, out = room.row, room.beside, room.kept, room.out
    rowlayout.first_row(world, scene, nows, row, beside)
    rowlayout.keep(row, beside, kept, out[0])
    begin(world, scene, nows)
    no_ledger = row.shape[0] < rowlayout.whole_width(world.crafts, nows)
    for k in range(inputs.shape[0]):
        if is_stopped(word, k):
            return STOPPED, k
        still, wild = tick_into(world, scene, shot_memory, nows, inputs[k], row, substeps, no_ledger)
        wild = wild or not rowlayout.is_finite(row)
        if beside.shape[0] > 0 and not (still and k > 0):
            rowlayout.write_others(scene, nows[0].nominal_dt, beside)
            wild = wild or not rowlayout.is_finite(beside)
        rowlayout.keep(row, beside, kept, out[k + 1])
        if wild:
            return DIVERGED, k + 1
        if is_over(world, scene, nows):
            return ENDED, k + 1
    return RUNNING, inputs.shape[0]
