"""Bodies that move against a rope with mass: what each node would touch in a tick is part of the solve of its chain.

A body that a node would meet goes along with the node in the direction of their normal, with its mass there shared out
among all nodes that touch it (mass splitting: each share keeps its momentum, and the body has what the shares have
together, so that no energy is made). Nodes that would draw a body along let it go, and the chain is solved anew.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import chainsolve, pairs, rays, rope
from oak_sled.core.contact.chainsolve import CLOSES, LEVER, LOAD, MEETS, NORMAL, PLACE, RIGHT, SPEED
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

NEAR = 2.0
"""Radii of a rope within which a node that hardly moves is looked at from where it touched before."""


@compiled
def velocity_at(solid, lever):
    """m/s of a point of a body."""
    swing = spatial.cross(pairs.triple(solid.spin), lever)
    return spatial.plus(pairs.triple(solid.velocity), swing)


@compiled
def is_loose(scene, link, s):
    """True for a body that moves freely, is awake, and does not hold the rope."""
    return scene.solids[s].kind == FREE and scene.solids[s].asleep == 0 and s != link.a and s != link.b


@compiled
def sense(own, link, scene, dt):
    """Finds the bodies that nodes would meet in this tick, and how much of each goes along."""
    g, first, last = scene.chain, own.first + 1, own.first + own.nodes - 1
    any_moves = False
    for s in range(1, scene.solids.shape[0]):
        any_moves = any_moves or is_loose(scene, link, s)
    for r in range(first, last):
        before = int(g[r, MEETS])
        g[r, MEETS], g[r, LOAD] = 0.0, 0.0
        if not any_moves:
            continue
        nearest = 1e30
        for s in range(1, scene.solids.shape[0]):
            if is_loose(scene, link, s):
                nearest = look(own, link, scene, r, dt, s, s == before, nearest)
    for r in range(first, last):
        s = int(g[r, MEETS])
        if s == 0:
            continue
        gives, count = rope.given(scene.solids[s], chainsolve.three(g, r, LEVER), chainsolve.three(g, r, NORMAL)), 0.0
        for k in range(first, last):
            if g[k, MEETS] == g[r, MEETS]:
                count += 1.0
        if gives > 0.0:
            g[r, LOAD] = 1.0 / (gives * count)


@compiled
def look(own, link, scene, r, dt, s, touched, nearest):
    """Looks from a node for one body, along the motion of both and, where it touched it before, along the normal of
    then; notes it if it is nearer than `nearest` m. Returns how near the nearest is."""
    g, one = scene.chain, scene.solids[s]
    x = chainsolve.three(g, r, PLACE)
    base = velocity_at(one, spatial.minus(x, pairs.triple(one.position)))
    slip = spatial.minus(chainsolve.three(g, r, SPEED), base)
    speed = spatial.length(slip)
    if not rays.passes_near(one, x, (0.0, 0.0, 1.0), 0.0, dt * speed + 4.0 * own.radius):
        return nearest
    layer = scene.solids[link.a].layer
    scene.sighted[0] = s
    for k in range(2):
        if k == 1 and not touched:
            continue
        way, begin, reach = (0.0, 0.0, 1.0), x, dt * speed + NEAR * own.radius
        if k == 0:
            if speed == 0.0:
                continue
            way = (slip[0] / speed, slip[1] / speed, slip[2] / speed)
        else:
            n = chainsolve.three(g, r, NORMAL)
            way = (-n[0], -n[1], -n[2])
            begin = spatial.plus(x, (own.radius * n[0], own.radius * n[1], own.radius * n[2]))
            reach = 2.0 * NEAR * own.radius
        far, below, found = rays.nearest(scene, layer, begin, way, reach, 1)
        if below != s:
            continue
        gap = -far * spatial.dot(way, found) - own.radius
        if k == 1:
            gap -= own.radius
        if gap < nearest:
            nearest = gap
            place = spatial.plus(begin, (far * way[0], far * way[1], far * way[2]))
            lever = spatial.minus(place, pairs.triple(one.position))
            g[r, MEETS] = s
            g[r, CLOSES] = spatial.dot(found, velocity_at(one, lever)) - max(gap, 0.0) / dt
            for i in range(3):
                g[r, NORMAL + i], g[r, LEVER + i] = found[i], lever[i]
    return nearest


@compiled
def let_go(own, scene):
    """Lets those bodies go that nodes would draw along; True if there were none."""
    g, good = scene.chain, True
    for r in range(own.first + 1, own.first + own.nodes - 1):
        if g[r, LOAD] > 0.0:
            away = spatial.dot(chainsolve.three(g, r, NORMAL), chainsolve.three(g, r, RIGHT)) - g[r, CLOSES]
            if away > 0.0:
                g[r, LOAD], good = 0.0, False
    return good


@compiled
def press(own, scene, r):
    """Gives a node and the body that it touches what keeps them from one another, and what friction is between them."""
    g = scene.chain
    if g[r, LOAD] == 0.0:
        return
    n, s, lever = chainsolve.three(g, r, NORMAL), int(g[r, MEETS]), chainsolve.three(g, r, LEVER)
    size = g[r, LOAD] * (g[r, CLOSES] - spatial.dot(n, chainsolve.three(g, r, RIGHT)))
    give(own, scene, r, s, lever, (size * n[0], size * n[1], size * n[2]))
    slip = spatial.minus(chainsolve.three(g, r, SPEED), velocity_at(scene.solids[s], lever))
    closing = spatial.dot(slip, n)
    slip = (slip[0] - closing * n[0], slip[1] - closing * n[1], slip[2] - closing * n[2])
    speed = spatial.length(slip)
    if speed > 0.0:
        way = (slip[0] / speed, slip[1] / speed, slip[2] / speed)
        together = 1.0 / (1.0 / own.mass + rope.given(scene.solids[s], lever, way))
        rub = -min(own.grip * size, together * speed)
        give(own, scene, r, s, lever, (rub * way[0], rub * way[1], rub * way[2]))


@compiled
def give(own, scene, r, s, lever, impulse):
    """Gives a node an impulse, N s, and takes it from a body."""
    pairs.push(scene.solids[s], lever, impulse, -1.0)
    for i in range(3):
        scene.chain[r, SPEED + i] += impulse[i] / own.mass
