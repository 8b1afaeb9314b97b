"""Pushes on bodies outside the solver: an impulse or a spin given at once, booked where the body is a craft."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import loosebodies, narrow, pairs
from oak_sled.core.contact.records import FREE, STALE
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import POKE


@compiled
def set_free(scene, s):
    """From now on a body moves as it is pushed."""
    body = scene.solids[s]
    body.kind = FREE
    for i in range(3):
        body.inverse_mass[i] = 1.0 / body.mass
    body.asleep, body.still = 0, 0.0
    scene.counts[STALE] = 1
    loosebodies.refresh(body)


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
