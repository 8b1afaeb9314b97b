"""The hook of a thrown line, and what helps a swing on it.

A hook flies as a mass in gravity alone, pays the line out, and catches where it, or the line to it, meets a body that
lines catch on; where the line is too short, or it meets anything else, it has missed, and is back at its thrower after
a while.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import narrow, pairs, rays, spheres
from oak_sled.core.contact.records import FREE, GROUND, PARKED, TRIGGER
from oak_sled.core.kernel import spatial

TIED, READY, FLIES, RETURNS = range(4)
"""Phases: it holds, its hook is at its thrower, flies, or is on its way back."""
PRESSED = 0.5
"""Level of a channel from which on it is pressed."""
HOOK = 0.05
"""m that the hook reaches ahead of itself."""


@compiled
def lets_go(own, link, scene):
    """A line whose channel is pressed anew lets go of what it has caught; False for one that is not thrown."""
    if own.speed == 0.0:
        return False
    pressed = 1 if link.drives[1] >= PRESSED else 0
    anew, own.pressed = pressed == 1 and own.pressed == 0, pressed
    if anew:
        own.phase, own.wraps, own.known, own.pull, own.pull_b = READY, 0, 0, 0.0, 0.0
        one = scene.solids[link.a]
        v = pairs.triple(one.velocity)
        size = spatial.length(v)
        if own.boost > 0.0 and size > 0.0:
            quicken(link, one, (v[0] / size, v[1] / size, v[2] / size), own.boost)
        return True
    return False


@compiled
def quicken(link, solid, way, speed):
    """Gives a body so many m/s along a way, and counts that as given by the line."""
    for i in range(3):
        change = speed * way[i] if solid.inverse_mass[i] > 0.0 else 0.0
        solid.velocity[i] += change
        link.given[i] += solid.mass * change


@compiled
def aid(own, link, scene):
    """The aids of a swing: shortened while it rises and let out while it falls, and slowed past its cap."""
    one = scene.solids[link.a]
    if one.kind != FREE:
        return
    if own.pump > 0.0 and own.pull > 0.0:
        rises = one.velocity[2] > 0.0
        if rises and own.length > own.whole * (1.0 - own.pump):
            link.drives[0] = 1.0
        elif not rises and own.length < own.whole:
            link.drives[0] = -1.0
        else:
            link.drives[0] = 0.0
    speed = spatial.length(pairs.triple(one.velocity))
    if own.cap > 0.0 and own.pull > 0.0 and speed > own.cap:
        v = pairs.triple(one.velocity)
        quicken(link, one, (v[0] / speed, v[1] / speed, v[2] / speed), own.cap - speed)


@compiled
def throw(own, link, scene, dt):
    """The hook: at its thrower until it is thrown, in flight until it catches or misses, and back after a while."""
    one = scene.solids[link.a]
    lever = spatial.to_world(one.axes, pairs.triple(own.at_a))
    muzzle = spatial.plus(pairs.triple(one.position), lever)
    pressed = 1 if link.drives[1] >= PRESSED else 0
    anew, own.pressed = pressed == 1 and own.pressed == 0, pressed
    if own.phase == RETURNS:
        own.waits -= dt
        if own.waits > 0.0:
            return
        own.phase = READY
    if own.phase == READY:
        for i in range(3):
            own.hook[i] = muzzle[i]
        if not anew:
            return
        way = spatial.to_world(one.axes, pairs.triple(own.way))
        swing = spatial.cross(pairs.triple(one.spin), lever)
        for i in range(3):
            own.flight[i] = one.velocity[i] + swing[i] + own.speed * way[i]
        if one.kind == FREE and own.recoil > 0.0:
            pairs.push(one, lever, way, -own.recoil * own.speed)
        own.phase = FLIES
        return
    fly(own, link, scene, muzzle, dt)


@compiled
def fly(own, link, scene, muzzle, dt):
    """A tick of the hook: it falls, and what it or the line to it meets is caught, or it has missed."""
    begin = pairs.triple(own.hook)
    for i in range(3):
        own.flight[i] += dt * link.fall[i]
        own.hook[i] += dt * own.flight[i]
    end = pairs.triple(own.hook)
    caught, at = met_by_either(scene, link.a, begin, end, muzzle)
    if caught >= 0 and scene.solids[caught].catches == 1:
        hold(own, link, scene, caught, at, muzzle)
        return
    if caught >= 0 or spatial.length(spatial.minus(end, muzzle)) > own.most:
        own.phase, own.waits = RETURNS, own.back


@compiled
def met_by_either(scene, thrower, begin, end, muzzle):
    """The first body that the hook meets on its way, or the line to it where that catches; -1 for none, and where."""
    caught, at = met(scene, thrower, begin, end)
    if caught < 0:
        caught, at = met(scene, thrower, muzzle, end)
        if caught >= 0 and scene.solids[caught].catches == 0:
            caught = -1  # the line may lie on what it does not catch on
    return caught, at


@compiled
def met(scene, thrower, begin, end):
    """The first body between two points, -1 for none, and the point there, m; the ground is 0."""
    off = spatial.minus(end, begin)
    size = spatial.length(off)
    if size == 0.0:
        return -1, end
    way = (off[0] / size, off[1] / size, off[2] / size)
    reach, seen = size + HOOK, 0
    for s in range(1, scene.solids.shape[0]):
        other = scene.solids[s]
        if s == thrower or other.kind == PARKED or other.kind == TRIGGER:
            continue
        if rays.passes_near(other, begin, way, reach, 0.0):
            scene.sighted[seen] = s
            seen += 1
    found, below, _ = rays.nearest(scene, scene.solids[thrower].layer, begin, way, reach, seen)
    if below == GROUND and found <= 0.0:
        return -1, end  # it began on the ground
    return below, spheres.along(begin, way, found)


@compiled
def hold(own, link, scene, caught, at, muzzle):
    """The hook holds a body at a point, m, from now on; the line is as long as it is now."""
    other = scene.solids[caught]
    link.b = caught
    own_at = spatial.to_craft(other.axes, spatial.minus(at, pairs.triple(other.position)))
    for i in range(3):
        own.at_b[i], own.hook[i] = own_at[i], at[i]
    own.length = spatial.length(spatial.minus(at, muzzle))
    own.whole = own.length
    own.phase, own.wraps, own.known, own.pull, own.pull_b = TIED, 0, 0, 0.0, 0.0
    if other.kind == FREE:
        narrow.wake(scene, caught)


@compiled
def trace(scene, thrower, start, fall, carried, most, dt, out):
    """The flight of a hook that is thrown now, step by step as `fly` does it while its thrower goes straight on and all
    else stands still: the points that it passes, m, shape (n, 3) into `out`; how many, and the body that it catches
    on, -1 for none.

    start : place and velocity, shape (6,). carried : m/s of its thrower, where the line leaves it. most : m of line.
    """
    muzzle = (start[0], start[1], start[2])
    x, v = (start[0], start[1], start[2]), (start[3], start[4], start[5])
    for k in range(out.shape[0]):
        v = (v[0] + dt * fall[0], v[1] + dt * fall[1], v[2] + dt * fall[2])
        end = (x[0] + dt * v[0], x[1] + dt * v[1], x[2] + dt * v[2])
        muzzle = (muzzle[0] + dt * carried[0], muzzle[1] + dt * carried[1], muzzle[2] + dt * carried[2])
        caught, at = met_by_either(scene, thrower, x, end, muzzle)
        x = at if caught >= 0 else end
        for i in range(3):
            out[k, i] = x[i]
        if caught >= 0:
            return k + 1, caught if scene.solids[caught].catches == 1 else -1
        if spatial.length(spatial.minus(end, muzzle)) > most:
            return k + 1, -1
    return out.shape[0], -1
