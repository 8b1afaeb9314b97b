"""A coupling: two points that play freely between two distances, drawn back by a spring and a damper past the greater,
held off by a buffer past the lesser.

Its force is that of the place at the end of the tick, as far as the tick is too long for the place at its start: F = k
(e + t dt v) + c v, with e what it is drawn or pressed at the start, v the speed of the end of the tick, and t = max(1 -
m / (2 k dt2), 0), m the effective mass. So it is exact in its energy while it is soft for the tick, and never too stiff
for it: what it loses then is that of an implicit step (any text on them, such as Hairer and Wanner's). Both bodies take
its impulse along one line, so that a free pair keeps its momenta.
"""

from __future__ import annotations

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import linkkind, pairs, rope
from oak_sled.core.contact.linkkind import LinkKind, Shown

COUPLING = np.dtype(
    [
        ("at_a", "f8", (3,)),  # m, of its end from the centre of mass, own axes
        ("at_b", "f8", (3,)),
        ("least", "f8"),  # m between its ends, below which the buffer pushes
        ("most", "f8"),  # m, past which it draws
        ("draws", "f8"),  # N/m
        ("pushes", "f8"),  # N/m
        ("damping", "f8"),  # N s/m, of both
        ("breaks", "f8"),  # N of pull; 0: never
        ("lever_a", "f8", (3,)),  # m, the same ends in world axes
        ("lever_b", "f8", (3,)),
        ("normal", "f8", (3,)),  # unit, from b to a
        ("apart", "f8"),  # m between its ends at the start of the tick
        ("mass", "f8"),  # kg, effective along it
        ("pull", "f8"),  # N s in this tick, below 0 for a push: the first guess of the next
    ]
)


@compiled
def speed_of(own, link, scene):
    """m/s at which its ends part along its line, as the bodies move now."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    n = pairs.triple(own.normal)
    return pairs.speed_along(one, other, pairs.triple(own.lever_a), pairs.triple(own.lever_b), n)


@unit
def reach(own, link, scene, dt):
    """1 if it is drawn or pressed at the start or at the end of the tick, or was in the one before."""
    rope.lay(own, link, scene)
    after = own.apart + dt * speed_of(own, link, scene)
    if own.pull != 0.0 or not own.least < own.apart < own.most:
        return 1
    return 0 if own.least < after < own.most else 1


@unit
def prepare(own, link, scene, dt):
    """Its effective mass, and what it gave in the tick before."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    n = pairs.triple(own.normal)
    give = rope.given(one, pairs.triple(own.lever_a), n) + rope.given(other, pairs.triple(own.lever_b), n)
    own.mass = 1.0 / give if give > 0.0 else 0.0
    rope.pull_both(own, link, scene, own.pull)


@compiled
def wanted(own, stiffness, over, speed, dt):
    """N s of a spring that is drawn by `over` m, and its damper, if its ends would part at `speed` m/s without it."""
    early = max(1.0 - 0.5 * own.mass / max(stiffness * dt * dt, 1e-300), 0.0)
    if over < 0.0:
        early = 1.0  # it is met within the tick
    answers = dt * (early * dt * stiffness + own.damping)
    return (dt * stiffness * over + answers * speed) / (1.0 + answers / own.mass)


@unit
def solve(own, link, scene, dt):
    """One round: the impulse of its springs and dampers at the speeds that the rounds have reached."""
    if own.mass == 0.0 or own.apart == 0.0:
        return 0.0
    speed = speed_of(own, link, scene) + own.pull / own.mass
    total = max(wanted(own, own.draws, own.apart - own.most, speed, dt), 0.0)
    if total == 0.0:
        total = -max(wanted(own, own.pushes, own.least - own.apart, -speed, dt), 0.0)
    change, own.pull = total - own.pull, total
    rope.pull_both(own, link, scene, change)
    return abs(change) / own.mass


@unit
def correct(own, link, scene, dt):
    """Nothing is shifted: it gives way."""
    return 0.0


@unit
def finish(own, link, scene, dt):
    """Load, distance and what its damper takes; past its breaking load it breaks."""
    if link.acts == 0:
        own.pull = 0.0
    speed = speed_of(own, link, scene)
    rope.lay(own, link, scene)
    link.shown[0], link.shown[1] = own.pull / dt, own.apart
    link.shown[2] = own.damping * speed * speed if own.pull != 0.0 else 0.0
    if own.breaks > 0.0 and own.pull > own.breaks * dt:
        linkkind.break_off(link)


KIND = LinkKind(
    "coupling",
    COUPLING,
    reach,
    prepare,
    solve,
    correct,
    finish,
    (
        Shown("load", "N", "load, below 0 on its buffer"),
        Shown("length", "m", "distance of its ends"),
        Shown("damped", "W", "power that its damper takes"),
        Shown("broken", "", "broken or let go"),
    ),
)
