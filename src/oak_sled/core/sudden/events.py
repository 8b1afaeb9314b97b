"""Events of a drill in the kernel: what is fired, held, let go, dropped or poked at its moment."""

from __future__ import annotations

from oak_sled.core import spatial
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import solver
from oak_sled.core.contact.things import CRAFT, FREE, HUNG
from oak_sled.core.state import DROP, HOLD, LOOSE, POKE, PUSHED, RELEASE, TRIGGER

HAIR = 1e-9
"""s of slack, so that an event at a tick's own time happens in that tick."""


@compiled
def is_due(events, now):
    """Whether the next event happens in this tick."""
    return now.next_event < events.shape[0] and events[now.next_event].time <= now.time + HAIR


@compiled
def take_next(events, parts, now):
    """What the next event does to the craft; returns its number. Pokes are booked on their own line."""
    number = now.next_event
    event = events[number]
    now.next_event += 1
    if event.what == TRIGGER and event.part >= 0:
        now.trigger[event.part] = 1.0
    elif event.what == HOLD and event.part >= 0:
        now.held = float(parts[event.part].sling.hold)
    elif event.what == RELEASE and event.part >= 0:
        now.held = float(LOOSE)
        now.trigger[event.part] = 1.0
        for i in range(3):
            now.pull[i] = event.vector[i]
    elif event.what == PUSHED and event.solid == CRAFT:
        poke(event.vector, event.point, now)
    return number


@compiled
def poke(impulse, point, now):
    """An impulse, N s in world axes, at a point of the craft, m from its centre of mass in craft axes."""
    lever = spatial.to_world(now.axes, (point[0], point[1], point[2]))
    moment = spatial.cross(lever, (impulse[0], impulse[1], impulse[2]))
    k = now.parts + POKE
    for i in range(3):
        now.velocity[i] += impulse[i] / now.mass
        now.momentum[i] += moment[i]
        now.lines[k, i] += impulse[i] / now.dt
        now.lines[k, 3 + i] += moment[i] / now.dt
        now.points[k, i] = now.position[i] + lever[i]
    spin = spatial.times(now.inverse_inertia, (now.momentum[0], now.momentum[1], now.momentum[2]))
    for i in range(3):
        now.spin[i] = spin[i]


@compiled
def take_among(event, solids):
    """What an event does to a thing on the ground: a hung one falls, a loose one is poked."""
    if event.solid <= CRAFT or event.solid >= solids.shape[0]:
        return
    solid = solids[event.solid]
    if event.what == DROP and solid.kind == HUNG:
        set_free(solid)
    elif event.what == PUSHED and solid.kind == FREE:
        lever = spatial.to_world(solid.axes, (event.point[0], event.point[1], event.point[2]))
        give(solid, lever, (event.vector[0], event.vector[1], event.vector[2]))


@compiled
def set_free(solid):
    """From now on it moves as it is pushed."""
    solid.kind = FREE
    for i in range(3):
        solid.inverse_mass[i] = 1.0 / solid.mass
    solid.asleep, solid.still = 0, 0.0
    solver.refresh(solid)


@compiled
def give(solid, lever, impulse):
    """Gives a loose solid an impulse at a lever, N s and m in world axes, and wakes it."""
    solver.push(solid, lever, impulse, 1.0)
    solid.asleep, solid.still = 0, 0.0


@compiled
def hold_in_place(now, k):
    """Takes all motion from a craft that a sling holds, booked on line `k`."""
    for i in range(3):
        now.lines[k, i] -= now.mass * now.velocity[i] / now.dt
        now.lines[k, 3 + i] -= now.momentum[i] / now.dt
        now.velocity[i], now.spin[i], now.momentum[i] = 0.0, 0.0, 0.0


@unit
def take_all(events, parts, now):
    """Every event of this tick, for a craft that is not among things."""
    while is_due(events, now):
        take_next(events, parts, now)


@unit
def take_all_among(events, parts, solids, now):
    """Every event of this tick, on the craft and on the things around it."""
    while is_due(events, now):
        take_among(events[take_next(events, parts, now)], solids)
