"""Points at which a taut line bends round bodies: they come where it is cut off, and go where it would lift off.

A line between two points that was free a tick before and is not now has been swept over an edge: the ends are taken
back along their ways until it is free again, and there the line touches. The point is set a hair outside of that, so
that the line is free of it; and it goes again when the line on both sides of it is straight or bends the other way. On
a round body the points follow one another as far as the hair allows.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import rays, spheres
from oak_sled.core.contact.records import FIXED, FREE, GROUND, PARKED, TRIGGER
from oak_sled.core.kernel import spatial

MOST = 12
"""Points of one line."""
SKIN = 0.01
"""m by which a point is set outside of what the line bends round."""
HALVINGS = 24
"""Steps by which the moment is found at which a line was cut off."""
EACH_TICK = 3
"""Points that come in one tick at each end."""
FREE_ENDS = 0.02
"""m at each end of a line that are not looked at: it is fixed to something there."""


@compiled
def cast(scene, layer, a, b, origin, target):
    """The first thing between two points: how far it is, m, or -1 for nothing, its normal, and the body.

    layer : it meets what this layer collides with. a, b : bodies that it is fixed to, which it passes.
    """
    off = spatial.minus(target, origin)
    size = spatial.length(off)
    if size < 3.0 * FREE_ENDS:
        return -1.0, (0.0, 0.0, 1.0), 0
    way = (off[0] / size, off[1] / size, off[2] / size)
    begin = spheres.along(origin, way, FREE_ENDS)
    reach, seen = size - 2.0 * FREE_ENDS, 0
    for s in range(1, scene.solids.shape[0]):
        one = scene.solids[s]
        if one.kind == PARKED or one.kind == TRIGGER:
            continue
        if s != a and s != b and rays.passes_near(one, begin, way, reach, 0.0):
            scene.sighted[seen] = s
            seen += 1
    found, below, normal = rays.nearest(scene, layer, begin, way, reach, seen)
    if below < 0 or (below == GROUND and (a == GROUND or b == GROUND) and found > reach - FREE_ENDS):
        return -1.0, normal, 0
    return found + FREE_ENDS, normal, below


@compiled
def between(p, q, share):
    """The point that lies a share of the way from one to another."""
    return (p[0] + share * (q[0] - p[0]), p[1] + share * (q[1] - p[1]), p[2] + share * (q[2] - p[2]))


@compiled
def point_of(own, k):
    """The place of point k of a line, m."""
    return (own.points[k, 0], own.points[k, 1], own.points[k, 2])


@compiled
def bends(own, k, before, after):
    """Above 0 while the line bends at point k the way that it did when that came."""
    here = point_of(own, k)
    turned = spatial.cross(spatial.minus(here, before), spatial.minus(after, here))
    return turned[0] * own.turns[k, 0] + turned[1] * own.turns[k, 1] + turned[2] * own.turns[k, 2]


@compiled
def drop(own, k):
    """Takes point k out of a line."""
    for m in range(k, own.wraps - 1):
        own.on[m] = own.on[m + 1]
        for i in range(3):
            own.points[m, i], own.turns[m, i] = own.points[m + 1, i], own.turns[m + 1, i]
            own.places[m, i], own.axes[m, i] = own.places[m + 1, i], own.axes[m + 1, i]
    own.wraps -= 1


@compiled
def follow(own, scene):
    """Brings the points to where the bodies that they are on hold them now."""
    for k in range(own.wraps):
        one = scene.solids[own.on[k]]
        if own.on[k] == GROUND or one.kind == FIXED:
            continue
        at = spatial.to_world(one.axes, (own.places[k, 0], own.places[k, 1], own.places[k, 2]))
        turned = spatial.to_world(one.axes, (own.axes[k, 0], own.axes[k, 1], own.axes[k, 2]))
        for i in range(3):
            own.points[k, i], own.turns[k, i] = one.position[i] + at[i], turned[i]


@compiled
def lever_of(own, scene, k):
    """m from the centre of mass of the body that point k is on to there."""
    one = scene.solids[own.on[k]]
    return (
        own.points[k, 0] - one.position[0], own.points[k, 1] - one.position[1], own.points[k, 2] - one.position[2]
    )  # fmt: skip


@compiled
def is_carried(own, scene, k):
    """True if point k is on a body that moves freely."""
    return own.on[k] != GROUND and scene.solids[own.on[k]].kind == FREE


@compiled
def velocity_of(own, scene, k):
    """m/s of the body at point k."""
    one = scene.solids[own.on[k]]
    if own.on[k] == GROUND or one.kind == FIXED:
        return (0.0, 0.0, 0.0)
    spin = (one.spin[0], one.spin[1], one.spin[2])
    swing = spatial.cross(spin, lever_of(own, scene, k))
    return (one.velocity[0] + swing[0], one.velocity[1] + swing[1], one.velocity[2] + swing[2])


@compiled
def moved_along(solid, point, dt):
    """A point of a tick before, carried along as if it were fixed to a body, m."""
    off = (point[0] - solid.position[0], point[1] - solid.position[1], point[2] - solid.position[2])
    swing = spatial.cross((solid.spin[0], solid.spin[1], solid.spin[2]), off)
    return (
        point[0] + dt * (solid.velocity[0] + swing[0]),
        point[1] + dt * (solid.velocity[1] + swing[1]),
        point[2] + dt * (solid.velocity[2] + swing[2]),
    )


@compiled
def leave_out(own, k):
    """Takes out a point between two others; what that saves of the way is kept, so that the line does not go slack."""
    one, here, two = point_of(own, k - 1), point_of(own, k), point_of(own, k + 1)
    own.spare += spatial.length(spatial.minus(here, one)) + spatial.length(spatial.minus(two, here))
    own.spare -= spatial.length(spatial.minus(two, one))
    drop(own, k)


@compiled
def let_off(own, a, b):
    """Takes out the points at which the line no longer bends. a, b : its ends, m."""
    while own.wraps > 0:
        after = point_of(own, 1) if own.wraps > 1 else b
        if bends(own, 0, a, after) > 0.0:
            break
        drop(own, 0)
    while own.wraps > 0:
        last = own.wraps - 1
        before = point_of(own, last - 1) if last > 0 else a
        if bends(own, last, before, b) > 0.0:
            break
        drop(own, last)


@compiled
def catch_on(own, link, scene, a, b, was_a, was_b, dt):
    """Puts points in where something is in the way of an end of the line. a, b : its ends, m; was_a, was_b : the same a
    tick before."""
    layer = scene.solids[link.a].layer
    for _ in range(EACH_TICK):
        other, was = b, was_b
        if own.wraps > 0:
            other = point_of(own, 0)
            was = other
        if not bend_round(own, link, scene, layer, 0, a, was_a, other, was, a, other, dt):
            break
    for _ in range(EACH_TICK):
        if own.wraps == 0:
            break
        other = point_of(own, own.wraps - 1)
        if not bend_round(own, link, scene, layer, own.wraps, b, was_b, other, other, other, b, dt):
            break


@compiled
def bend_round(own, link, scene, layer, k, end, was, other, other_was, before, after, dt):
    """Puts a point in at place k where something is between an end and the next point of the line; False where nothing
    is. before, after : the neighbours of that point along the line."""
    far, _normal, below = cast(scene, layer, link.a, link.b, other, end)
    if far < 0.0:
        return False
    solid = scene.solids[below]
    if below != GROUND and solid.kind != FIXED:  # seen from a body that moves, the line has moved
        was, other_was = moved_along(solid, was, dt), moved_along(solid, other_was, dt)
        if own.wraps > 0 and own.on[0 if k == 0 else own.wraps - 1] == below:
            other_was = other
    free, cut = 0.0, 1.0
    far, _normal, _body = cast(scene, layer, link.a, link.b, other_was, was)
    if far >= 0.0:
        return False  # it was cut off before: what is there came by itself
    for _ in range(HALVINGS):
        half = 0.5 * (free + cut)
        one, two = between(other_was, other, half), between(was, end, half)
        far, _normal, _body = cast(scene, layer, link.a, link.b, one, two)
        if far < 0.0:
            free = half
        else:
            cut = half
    one, two = between(other_was, other, cut), between(was, end, cut)
    far, normal, below = cast(scene, layer, link.a, link.b, one, two)
    back, opposite, _body = cast(scene, layer, link.a, link.b, two, one)
    if far < 0.0 or back < 0.0:
        return False
    whole = spatial.length(spatial.minus(two, one))
    share = 0.5 * (far + whole - back) / whole
    out = spatial.plus(normal, opposite)
    size = spatial.length(out)
    if size < 1e-6:  # it lies flat against a face: at the edge that comes first, and to where it came from
        share = far / whole
        out = between(spatial.minus(other_was, other), spatial.minus(was, end), share)
        size = spatial.length(out)
        if size < 1e-12:
            return False
    touch = between(one, two, share)
    at = spheres.along(touch, (out[0] / size, out[1] / size, out[2] / size), SKIN)
    turned = spatial.cross(spatial.minus(at, before), spatial.minus(after, at))
    size = spatial.length(turned)
    if size < 1e-12:
        return False
    if own.wraps == MOST:
        k -= thin_out(own, k)
    insert(own, scene, k, at, (turned[0] / size, turned[1] / size, turned[2] / size), below)
    # on a round body the one before it is needed no more, where the line is free without it
    if k == 0 and own.wraps > 2:
        far, _normal, _body = cast(scene, layer, link.a, link.b, at, point_of(own, 2))
        if far < 0.0:
            leave_out(own, 1)
    elif k > 1 and k == own.wraps - 1:
        far, _normal, _body = cast(scene, layer, link.a, link.b, at, point_of(own, k - 2))
        if far < 0.0:
            leave_out(own, k - 1)
    return True


@compiled
def insert(own, scene, k, at, turned, s):
    """Puts a point in at place k, on body `s`."""
    for past in range(own.wraps - k):
        m = own.wraps - past
        own.on[m] = own.on[m - 1]
        for i in range(3):
            own.points[m, i], own.turns[m, i] = own.points[m - 1, i], own.turns[m - 1, i]
            own.places[m, i], own.axes[m, i] = own.places[m - 1, i], own.axes[m - 1, i]
    one = scene.solids[s]
    off = (at[0] - one.position[0], at[1] - one.position[1], at[2] - one.position[2])
    place, axis = spatial.to_craft(one.axes, off), spatial.to_craft(one.axes, turned)
    own.on[k] = s
    for i in range(3):
        own.points[k, i], own.turns[k, i] = at[i], turned[i]
        own.places[k, i], own.axes[k, i] = place[i], axis[i]
    own.wraps += 1


@compiled
def thin_out(own, k):
    """Takes out the point between the first and the last at which the line bends least, where all are in use; 1 where
    that stood before place k, else 0."""
    least, which = math.inf, 1
    for m in range(1, own.wraps - 1):
        here = point_of(own, m)
        angle = angle_of(spatial.minus(here, point_of(own, m - 1)), spatial.minus(point_of(own, m + 1), here))
        if angle < least:
            least, which = angle, m
    leave_out(own, which)
    return 1 if which < k else 0


@compiled
def length_between(own):
    """m of the line from its first point to its last."""
    total = own.spare
    for k in range(own.wraps - 1):
        total += spatial.length(spatial.minus(point_of(own, k + 1), point_of(own, k)))
    return total


@compiled
def turning(own, a, b):
    """rad by which the line turns at its points, all together. a, b : its ends, m."""
    total = 0.0
    for k in range(own.wraps):
        total += turning_at(own, a, b, k)
    return total


@compiled
def turning_at(own, a, b, k):
    """rad by which the line turns at point k."""
    before = a
    if k > 0:
        before = point_of(own, k - 1)
    after = b
    if k < own.wraps - 1:
        after = point_of(own, k + 1)
    here = point_of(own, k)
    return angle_of(spatial.minus(here, before), spatial.minus(after, here))


@compiled
def angle_of(one, two):
    """rad between two vectors."""
    return math.atan2(spatial.length(spatial.cross(one, two)), spatial.dot(one, two))
