"""The bends of a line on bodies that move: where they go in a tick, and what the line pulls on both sides of them."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import linkkind, narrow, pairs, rope, ties, wraps
from oak_sled.core.kernel import spatial


@compiled
def note_bodies(own, link, scene):
    """Tells the solver which bodies it bends round that move freely, and wakes them where it pulls."""
    count = 0
    for i in range(linkkind.ALSO):
        link.also[i] = 0
    for k in range(own.wraps):
        if not wraps.is_carried(own, scene, k):
            continue
        known = False
        for i in range(count):
            known = known or link.also[i] == own.on[k]
        if not known and count < linkkind.ALSO:
            link.also[count] = own.on[k]
            count += 1
        if own.pull > 0.0 or own.pull_b > 0.0:
            narrow.wake(scene, own.on[k])


@compiled
def bend_after(own, scene, k, dt):
    """The place of a bend after the tick, m."""
    p, v = wraps.point_of(own, k), wraps.velocity_of(own, scene, k)
    return (p[0] + dt * v[0], p[1] + dt * v[1], p[2] + dt * v[2])


@compiled
def given_at(own, scene, k, way):
    """The speed that an impulse of 1 N s along a way gives the body at a bend, 1/kg; 0 for one that stands."""
    if not wraps.is_carried(own, scene, k):
        return 0.0
    return rope.given(scene.solids[own.on[k]], wraps.lever_of(own, scene, k), way)


@compiled
def push_bend(own, scene, k, way, size):
    """Gives the body at a bend an impulse along a way, N s."""
    if wraps.is_carried(own, scene, k):
        pairs.push(scene.solids[own.on[k]], wraps.lever_of(own, scene, k), way, size)


@compiled
def draw_between(own, scene, change_a, change_b):
    """Gives the bodies at its bends what the pieces between these pull more, N s, by what both ends do."""
    for k in range(own.wraps - 1):
        if own.on[k] == own.on[k + 1] or not (wraps.is_carried(own, scene, k) or wraps.is_carried(own, scene, k + 1)):
            continue
        off = spatial.minus(wraps.point_of(own, k + 1), wraps.point_of(own, k))
        size = spatial.length(off)
        if size > 0.0:
            way = (off[0] / size, off[1] / size, off[2] / size)
            change = change_a + own.over[k] * (change_b - change_a)
            push_bend(own, scene, k, way, change)
            push_bend(own, scene, k + 1, way, -change)


@compiled
def shifted(own, scene, k, way):
    """m/s along a way by which the body at a bend is shifted there."""
    if not wraps.is_carried(own, scene, k):
        return 0.0
    one = scene.solids[own.on[k]]
    swing = spatial.cross(pairs.triple(one.twist), wraps.lever_of(own, scene, k))
    return spatial.dot(way, spatial.plus(pairs.triple(one.shift), swing))


@compiled
def shift_bend(own, scene, k, way, size):
    """Shifts the body at a bend."""
    if wraps.is_carried(own, scene, k):
        ties.shift_body(scene.solids[own.on[k]], wraps.lever_of(own, scene, k), way, size)
