"""Events of a drill in the kernel: what is fired, held, let go, dropped or poked at its moment."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import narrow, pairs, solver
from oak_sled.core.contact.records import FREE, HUNG, STALE
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import DROP, HOLD, LOOSE, POKE, PUSHED, RELEASE, TRIGGER

HAIR = 1e-9
"""s of slack, so that an event at a tick's own time happens in that tick."""


@compiled
def is_due(events, first):
    """Whether the next event happens in this tick. first : NOW of the first craft, which counts the events."""
    return first.next_event < events.shape[0] and events[first.next_event].time <= first.time + HAIR


@unit
def take_all(events, crafts, parts, scene, nows):
    """Every event of this tick."""
    while is_due(events, nows[0]):
        event = events[nows[0].next_event]
        nows[0].next_event += 1
        if event.what == DROP or event.what == PUSHED:
            happen_to_body(event, scene, nows)
        elif event.part >= 0:
            happen_to_part(event, crafts, parts, nows[event.craft])


@compiled
def happen_to_part(event, crafts, parts, now):
    """A part is triggered, or a sling holds or releases its craft."""
    if event.what == TRIGGER:
        now.trigger[event.part] = 1.0
    elif event.what == HOLD:
        now.held = float(parts[crafts[event.craft].first_part + event.part].sling.hold)
    elif event.what == RELEASE:
        now.held = float(LOOSE)
        now.trigger[event.part] = 1.0
        for i in range(3):
            now.pull[i] = event.vector[i]


@compiled
def happen_to_body(event, scene, nows):
    """A body that hung falls, or one that moves is poked at a point given in its own axes."""
    if event.solid < 0 or event.solid >= scene.solids.shape[0]:
        return
    body = scene.solids[event.solid]
    if event.what == DROP and body.kind == HUNG:
        set_free(scene, event.solid)
    elif event.what == PUSHED and body.kind == FREE:
        lever = spatial.to_world(body.axes, (event.point[0], event.point[1], event.point[2]))
        give(scene, event.solid, lever, (event.vector[0], event.vector[1], event.vector[2]), nows)


@compiled
def set_free(scene, s):
    """From now on a body moves as it is pushed."""
    body = scene.solids[s]
    body.kind = FREE
    for i in range(3):
        body.inverse_mass[i] = 1.0 / body.mass
    body.asleep, body.still = 0, 0.0
    scene.counts[STALE] = 1
    solver.refresh(body)


@compiled
def give(scene, s, lever, impulse, nows):
    """Gives a body an impulse at a lever, N s and m in world axes, and wakes it; a craft books it as a push from
    outside."""
    body = scene.solids[s]
    if body.craft < 0:
        pairs.push(body, lever, impulse, 1.0)
        body.still = 0.0
        narrow.wake(scene, s)
        return
    now = nows[body.craft]
    moment = spatial.cross(lever, impulse)
    k = now.parts + POKE
    for i in range(3):
        body.velocity[i] += impulse[i] / body.mass
        now.momentum[i] += moment[i]
        now.lines[k, i] += impulse[i] / now.dt
        now.lines[k, 3 + i] += moment[i] / now.dt
    spin_of(body, now)


@compiled
def give_spin(body, change, nows):
    """Adds to the spin of a body, rad/s in world axes; a craft books the torque that this takes."""
    if body.craft < 0:
        for i in range(3):
            body.spin[i] += change[i]
        return
    now = nows[body.craft]
    moment = spatial.times(now.inertia, change)
    for i in range(3):
        now.momentum[i] += moment[i]
        now.lines[now.parts + POKE, 3 + i] += moment[i] / now.dt
    spin_of(body, now)


@compiled
def spin_of(body, now):
    """The spin of a craft that its angular momentum means."""
    spin = spatial.times(body.inverse_inertia, (now.momentum[0], now.momentum[1], now.momentum[2]))
    for i in range(3):
        body.spin[i] = spin[i]


@compiled
def hold_in_place(body, now, k):
    """Takes all motion from a craft that a sling holds, booked on line `k`."""
    for i in range(3):
        now.lines[k, i] -= body.mass * body.velocity[i] / now.dt
        now.lines[k, 3 + i] -= now.momentum[i] / now.dt
        body.velocity[i], body.spin[i], now.momentum[i] = 0.0, 0.0, 0.0
