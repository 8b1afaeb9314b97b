"""A rope without mass: it keeps two points from being farther apart than its length, and only pulls.

The distance at the end of a tick is what it bounds, along the line between its points at the start: of two points that
is the method of Ryckaert, Ciccotti and Berendsen (SHAKE, J. Computational Physics 23, 1977), which is of second order
and gains no energy over time. Both bodies take its impulse along that one line, so that a free pair keeps its angular
momentum.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import linkkind, pairs, ties
from oak_sled.core.contact.linkkind import LinkKind, Shown
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

DRAWN = 0.3
"""Share of what it is too long that is taken out in a tick."""
STEEPEST = 0.3
"""Cosine of the turn in a tick past which a round is held back."""

ROPE = np.dtype(
    [
        ("at_a", "f8", (3,)),  # m, of its end from the centre of mass, own axes
        ("at_b", "f8", (3,)),
        ("length", "f8"),  # m
        ("whole", "f8"),  # m, the same at the start
        ("breaks", "f8"),  # N; 0: never
        ("reel", "f8"),  # m/s that it is reeled in, at a full drive
        ("strong", "f8"),  # N up to which it is reeled in
        ("shortest", "f8"),  # m
        ("wound", "f8"),  # m that it was reeled in in this tick
        ("lever_a", "f8", (3,)),  # m, the same in world axes
        ("lever_b", "f8", (3,)),
        ("normal", "f8", (3,)),  # unit, from b to a
        ("apart", "f8"),  # m between its ends at the start of the tick
        ("mass", "f8"),  # kg, effective along it
        ("pull", "f8"),  # N s in this tick, the first guess of the next
        ("drawn", "f8"),  # the same of the shift
    ]
)


@compiled
def lay(own, link, scene):
    """Levers, line and distance as the bodies are now."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    lever_a = spatial.to_world(one.axes, pairs.triple(own.at_a))
    lever_b = spatial.to_world(other.axes, pairs.triple(own.at_b))
    size = 0.0
    for i in range(3):
        own.lever_a[i], own.lever_b[i] = lever_a[i], lever_b[i]
        own.normal[i] = one.position[i] + lever_a[i] - other.position[i] - lever_b[i]
        size += own.normal[i] ** 2
    own.apart = math.sqrt(size)
    for i in range(3):
        own.normal[i] = own.normal[i] / own.apart if own.apart > 0.0 else 0.0


@compiled
def end_of(solid, lever, dt):
    """Position of an end after the tick, m, as its body moves and turns now."""
    turned = pairs.triple(lever)
    if solid.kind == FREE:
        turned = ties.rotated(ties.turned_by(dt * solid.spin[0], dt * solid.spin[1], dt * solid.spin[2]), turned)
    return (
        solid.position[0] + dt * solid.velocity[0] + turned[0],
        solid.position[1] + dt * solid.velocity[1] + turned[1],
        solid.position[2] + dt * solid.velocity[2] + turned[2],
    )


@compiled
def line_after(own, link, scene, dt):
    """The line from its end on b to that on a after the tick, m."""
    return spatial.minus(end_of(scene.solids[link.a], own.lever_a, dt), end_of(scene.solids[link.b], own.lever_b, dt))


@unit
def reach(own, link, scene, dt):
    """1 if it is taut at the end of the tick, or has pulled in the one before. What is reeled in, is so first."""
    own.wound = 0.0
    if own.reel != 0.0:
        step = dt * own.reel * link.drives[0]
        if step > 0.0:
            step = min(step, max(own.length - own.shortest, 0.0))
            own.wound = step
        own.length -= step
    lay(own, link, scene)
    if own.pull > 0.0 or own.apart >= own.length:
        return 1
    return 1 if spatial.length(line_after(own, link, scene, dt)) >= own.length else 0


@unit
def prepare(own, link, scene, dt):
    """Its effective mass, and what it pulled in the tick before."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    n = pairs.triple(own.normal)
    give = given(one, pairs.triple(own.lever_a), n) + given(other, pairs.triple(own.lever_b), n)
    own.mass = 1.0 / give if give > 0.0 else 0.0
    own.drawn = 0.0
    pull_both(own, link, scene, own.pull)


@compiled
def given(solid, lever, n):
    """The speed that an impulse of 1 N s along its line gives a body there, 1/kg."""
    if solid.kind != FREE:
        return 0.0
    arm = spatial.cross(lever, n)
    total = spatial.dot(arm, spatial.times(solid.inverse_inertia, arm))
    for i in range(3):
        total += n[i] * n[i] * solid.inverse_mass[i]
    return total


@compiled
def pull_both(own, link, scene, size):
    """Draws both ends together by an impulse, N s."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    n = pairs.triple(own.normal)
    if one.kind == FREE:
        pairs.push(one, pairs.triple(own.lever_a), n, -size)
    if other.kind == FREE:
        pairs.push(other, pairs.triple(own.lever_b), n, size)
    for i in range(3):
        link.given[i] -= size * n[i]
        link.lever[i] = own.lever_a[i]


@unit
def solve(own, link, scene, dt):
    """One round: no longer at the end of the tick than its length, or than it is where it is too long already."""
    line = line_after(own, link, scene, dt)
    size = spatial.length(line)
    if own.mass == 0.0 or size == 0.0:
        return 0.0
    speed = (size - max(own.length, own.apart - own.wound)) / dt
    along = max(spatial.dot(line, pairs.triple(own.normal)) / size, STEEPEST)
    total = max(own.pull + own.mass * speed / along, 0.0)
    if own.wound > 0.0:  # it is reeled in as far as the reel is strong enough, and held beyond
        held = own.pull + own.mass * (size - max(own.length + own.wound, own.apart)) / dt / along
        total = min(total, max(own.strong * dt, held))
    change, own.pull = total - own.pull, total
    pull_both(own, link, scene, change)
    return abs(change) / own.mass


@unit
def correct(own, link, scene, dt):
    """One round of the shift that takes out a share of what it is too long."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    n, over = pairs.triple(own.normal), own.apart - own.length - own.wound
    if own.mass == 0.0 or over <= 0.0:
        return 0.0
    lever_a, lever_b = pairs.triple(own.lever_a), pairs.triple(own.lever_b)
    swing_a = spatial.cross(pairs.triple(one.twist), lever_a)
    swing_b = spatial.cross(pairs.triple(other.twist), lever_b)
    speed = DRAWN * over / dt
    for i in range(3):
        speed += n[i] * (one.shift[i] - other.shift[i] + swing_a[i] - swing_b[i])
    total = max(own.drawn + own.mass * speed, 0.0)
    change, own.drawn = total - own.drawn, total
    if one.kind == FREE:
        ties.shift_body(one, lever_a, n, -change)
    if other.kind == FREE:
        ties.shift_body(other, lever_b, n, change)
    return abs(change) / own.mass


@unit
def finish(own, link, scene, dt):
    """Tension and length; past its breaking load it breaks, and pulls no more."""
    if link.acts == 0:
        own.pull = 0.0
    lay(own, link, scene)
    if own.wound > 0.0:  # what did not follow is not on the reel
        own.length = min(max(own.length, own.apart), own.length + own.wound)
    link.shown[0], link.shown[1] = own.pull / dt, own.apart
    if own.breaks > 0.0 and own.pull > own.breaks * dt:
        linkkind.break_off(link)


def goes_on(fresh: np.void, old: np.void) -> None:
    """Takes over what has been reeled in or out."""
    fresh["length"] += old["length"] - old["whole"]


KIND = LinkKind(
    "rope",
    ROPE,
    reach,
    prepare,
    solve,
    correct,
    finish,
    (
        Shown("tension", "N", "tension"),
        Shown("length", "m", "distance of its ends"),
        Shown("broken", "", "broken or let go"),
    ),
    goes_on,
)
