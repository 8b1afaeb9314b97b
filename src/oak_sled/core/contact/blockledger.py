"""The ledger of blocks that a drill watches: what each stage of a tick did to their speed and spin, as impulses."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact.records import AIR, BOOKED, FREE, PUSHES, WEIGHT
from oak_sled.core.kernel import environment, spatial


@compiled
def clear(scene):
    """Empty ledgers, at the start of a tick; what was done to a block since the last one still counts as pushes."""
    for w in range(scene.watched.shape[0]):
        for k in range(BOOKED):
            for i in range(6):
                scene.watched[w].lines[k, i] = 0.0


@compiled
def book(scene, line):
    """Books what has changed since the last booking: N s, and N m s about the centre of mass, world axes."""
    for w in range(scene.watched.shape[0]):
        watched = scene.watched[w]
        one = scene.solids[watched.solid]
        gained = (one.spin[0] - watched.spin[0], one.spin[1] - watched.spin[1], one.spin[2] - watched.spin[2])
        moment = spatial.to_world(one.axes, spatial.times(one.inertia, spatial.to_craft(one.axes, gained)))
        for i in range(3):
            watched.lines[line, i] += one.mass * (one.velocity[i] - watched.velocity[i])
            watched.lines[line, 3 + i] += moment[i]
    mark(scene)


@compiled
def book_forces(scene, ground, dt):
    """Books gravity, and what else forces gave as drag of the air."""
    book(scene, AIR)
    for w in range(scene.watched.shape[0]):
        watched = scene.watched[w]
        one = scene.solids[watched.solid]
        if one.kind == FREE and one.asleep == 0:
            pull = environment.gravity_at(ground, one.position[0], one.position[1], one.position[2])
            for i in range(3):
                weight = one.mass * pull[i] * one.gravity_scale * dt
                watched.lines[WEIGHT, i] += weight
                watched.lines[AIR, i] -= weight


@compiled
def book_pushes(scene):
    """Books what parts of crafts, shots, events and a hand did."""
    book(scene, PUSHES)


@compiled
def mark(scene):
    """The speeds from which the next booking counts; turning alone changes a spin, and is no torque."""
    for w in range(scene.watched.shape[0]):
        watched = scene.watched[w]
        one = scene.solids[watched.solid]
        for i in range(3):
            watched.velocity[i], watched.spin[i] = one.velocity[i], one.spin[i]
