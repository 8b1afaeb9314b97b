"""Points at which a taut line bends round what stands: they come where it is cut off, and go where it would lift off.

A line between two points that was free a tick before and is not now has been swept over an edge: the ends are taken
back along their ways until it is free again, and there the line touches. The point is set a hair outside of that, so
that the line is free of it; and it goes again when the line on both sides of it is straight or bends the other way. On
a round body the points follow one another as far as the hair allows.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import rays, spheres
from oak_sled.core.contact.records import FIXED, GROUND
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
    """The first thing that stands between two points: how far it is, m, or -1 for nothing, and its normal.

    layer : it meets what this layer collides with. a, b : bodies that it is fixed to, which it passes.
    """
    off = spatial.minus(target, origin)
    size = spatial.length(off)
    if size < 3.0 * FREE_ENDS:
        return -1.0, (0.0, 0.0, 1.0)
    way = (off[0] / size, off[1] / size, off[2] / size)
    begin = spheres.along(origin, way, FREE_ENDS)
    reach, seen = size - 2.0 * FREE_ENDS, 0
    for s in range(1, scene.solids.shape[0]):
        one = scene.solids[s]
        if one.kind == FIXED and s != a and s != b and rays.passes_near(one, begin, way, reach, 0.0):
            scene.sighted[seen] = s
            seen += 1
    found, below, normal = rays.nearest(scene, layer, begin, way, reach, seen)
    if below < 0 or (below == GROUND and (a == GROUND or b == GROUND) and found > reach - FREE_ENDS):
        return -1.0, normal
    return found + FREE_ENDS, normal


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
        for i in range(3):
            own.points[m, i], own.turns[m, i] = own.points[m + 1, i], own.turns[m + 1, i]
    own.wraps -= 1


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
def catch_on(own, link, scene, a, b, was_a, was_b):
    """Puts points in where something stands in the way of an end of the line. a, b : its ends, m; was_a, was_b : the
    same a tick before."""
    layer = scene.solids[link.a].layer
    for _ in range(EACH_TICK):
        other, was = b, was_b
        if own.wraps > 0:
            other = point_of(own, 0)
            was = other
        if not bend_round(own, link, scene, layer, 0, a, was_a, other, was, a, other):
            break
    for _ in range(EACH_TICK):
        if own.wraps == 0:
            break
        other = point_of(own, own.wraps - 1)
        if not bend_round(own, link, scene, layer, own.wraps, b, was_b, other, other, other, b):
            break


@compiled
def bend_round(own, link, scene, layer, k, end, was, other, other_was, before, after):
    """Puts a point in at place k where something stands between an end and the next point of the line; False where
    nothing does. before, after : the neighbours of that point along the line."""
    far, _normal = cast(scene, layer, link.a, link.b, other, end)
    if far < 0.0:
        return False
    free, cut = 0.0, 1.0
    far, _normal = cast(scene, layer, link.a, link.b, other_was, was)
    if far >= 0.0:
        return False  # it was cut off before: what stands there came by itself
    for _ in range(HALVINGS):
        half = 0.5 * (free + cut)
        far, _normal = cast(scene, layer, link.a, link.b, between(other_was, other, half), between(was, end, half))
        if far < 0.0:
            free = half
        else:
            cut = half
    one, two = between(other_was, other, cut), between(was, end, cut)
    far, normal = cast(scene, layer, link.a, link.b, one, two)
    back, opposite = cast(scene, layer, link.a, link.b, two, one)
    if far < 0.0 or back < 0.0:
        return False
    out = spatial.plus(normal, opposite)
    size = spatial.length(out)
    if size < 1e-6:
        return False
    whole = spatial.length(spatial.minus(two, one))
    touch = between(one, two, 0.5 * (far + whole - back) / whole)
    at = spheres.along(touch, (out[0] / size, out[1] / size, out[2] / size), SKIN)
    turned = spatial.cross(spatial.minus(at, before), spatial.minus(after, at))
    size = spatial.length(turned)
    if size < 1e-12:
        return False
    if own.wraps == MOST:
        k -= thin_out(own, k)
    insert(own, k, at, (turned[0] / size, turned[1] / size, turned[2] / size))
    # on a round body the one before it is needed no more, where the line is free without it
    if k == 0 and own.wraps > 2:
        far, _normal = cast(scene, layer, link.a, link.b, at, point_of(own, 2))
        if far < 0.0:
            leave_out(own, 1)
    elif k > 1 and k == own.wraps - 1:
        far, _normal = cast(scene, layer, link.a, link.b, at, point_of(own, k - 2))
        if far < 0.0:
            leave_out(own, k - 1)
    return True


@compiled
def insert(own, k, at, turned):
    """Puts a point in at place k."""
    for past in range(own.wraps - k):
        m = own.wraps - past
        for i in range(3):
            own.points[m, i], own.turns[m, i] = own.points[m - 1, i], own.turns[m - 1, i]
    for i in range(3):
        own.points[k, i], own.turns[k, i] = at[i], turned[i]
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
        before = a
        if k > 0:
            before = point_of(own, k - 1)
        after = b
        if k < own.wraps - 1:
            after = point_of(own, k + 1)
        here = point_of(own, k)
        one, two = spatial.minus(here, before), spatial.minus(after, here)
        total += angle_of(one, two)
    return total


@compiled
def angle_of(one, two):
    """rad between two vectors."""
    return math.atan2(spatial.length(spatial.cross(one, two)), spatial.dot(one, two))
