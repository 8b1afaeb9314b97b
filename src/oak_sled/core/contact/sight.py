"""Lines of sight: where a ray meets triangles, faces, balls, rods and cylinders. All in the axes of what it meets."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import spatial

FAR = 1e30
"""m: nothing is met."""


@compiled
def through_triangle(triangle, origin, way):
    """The distance at which a ray meets a triangle from its front, m; FAR where it does not."""
    a, b, c = triangle.corners[0], triangle.corners[1], triangle.corners[2]
    one, two = (b[0] - a[0], b[1] - a[1], b[2] - a[2]), (c[0] - a[0], c[1] - a[1], c[2] - a[2])
    across = spatial.cross(way, two)
    size = spatial.dot(one, across)
    if size <= 1e-12:
        return FAR
    out = (origin[0] - a[0], origin[1] - a[1], origin[2] - a[2])
    u = spatial.dot(out, across)
    if u < -1e-9 * size or u > (1.0 + 1e-9) * size:
        return FAR  # a hair beside it belongs to it, so that nothing falls through a common edge
    turned = spatial.cross(out, one)
    v = spatial.dot(way, turned)
    if v < -1e-9 * size or u + v > (1.0 + 1e-9) * size:
        return FAR
    t = spatial.dot(two, turned) / size
    return t if t >= 0.0 else FAR


@compiled
def through_faces(scene, piece, o, d):
    """Distance at which a ray enters a convex solid of flat faces; 0 if it begins in it."""
    enters, leaves = -FAR, FAR
    x, y, z = -d[0], -d[1], -d[2]
    for f in range(piece.first_face, piece.first_face + piece.faces):
        face = scene.faces[f]
        p = scene.outline[face.first]
        n = face.normal
        away = n[0] * (o[0] - p[0]) + n[1] * (o[1] - p[1]) + n[2] * (o[2] - p[2])
        rate = n[0] * d[0] + n[1] * d[1] + n[2] * d[2]
        if rate == 0.0:
            if away > 0.0:
                return FAR, (x, y, z)
        elif rate < 0.0:
            t = away / -rate
            if t > enters:
                enters, x, y, z = t, n[0], n[1], n[2]
        else:
            leaves = min(leaves, away / -rate)
    if enters > leaves or leaves < 0.0:
        return FAR, (x, y, z)
    return max(enters, 0.0), (x, y, z)


@compiled
def through_ball(o, d, x, y, z, radius):
    """Distance at which a ray enters a ball round a point; 0 if it begins in it, FAR if it misses."""
    p = (o[0] - x, o[1] - y, o[2] - z)
    b, c = spatial.dot(p, d), spatial.dot(p, p) - radius * radius
    if c <= 0.0:
        return 0.0
    root = b * b - c
    if b >= 0.0 or root < 0.0:
        return FAR
    return -b - math.sqrt(root)


@compiled
def through_round(scene, piece, o, d, wide):
    """A ball, or a rod with half balls at its ends, grown by `wide` m."""
    radius = piece.radius + wide
    a = scene.corners[piece.first]
    t = through_ball(o, d, a[0], a[1], a[2], radius)
    x, y, z = a[0], a[1], a[2]
    if piece.count == 2:
        b = scene.corners[piece.first + 1]
        other = through_ball(o, d, b[0], b[1], b[2], radius)
        if other < t:
            t, x, y, z = other, b[0], b[1], b[2]
        rod = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
        long = spatial.length(rod)
        if long > 1e-12:
            axis = (rod[0] / long, rod[1] / long, rod[2] / long)
            p = (o[0] - a[0], o[1] - a[1], o[2] - a[2])
            side = through_side(p, d, axis, radius)
            at = spatial.dot(p, axis) + side * spatial.dot(d, axis)
            if side < t and 0.0 <= at <= long:
                t = side
                x, y, z = a[0] + at * axis[0], a[1] + at * axis[1], a[2] + at * axis[2]
    if t >= FAR:
        return FAR, (-d[0], -d[1], -d[2])
    n = (o[0] + t * d[0] - x, o[1] + t * d[1] - y, o[2] + t * d[2] - z)
    size = max(spatial.length(n), 1e-12)
    return t, (n[0] / size, n[1] / size, n[2] / size)


@compiled
def through_side(p, d, axis, radius):
    """Distance at which a ray enters an endless cylinder round an axis through 0; 0 if it begins in it, FAR if it
    misses."""
    up, ahead = spatial.dot(p, axis), spatial.dot(d, axis)
    q = (p[0] - up * axis[0], p[1] - up * axis[1], p[2] - up * axis[2])
    e = (d[0] - ahead * axis[0], d[1] - ahead * axis[1], d[2] - ahead * axis[2])
    a, b, c = spatial.dot(e, e), spatial.dot(q, e), spatial.dot(q, q) - radius * radius
    if c <= 0.0:
        return 0.0
    root = b * b - a * c
    if b >= 0.0 or root < 0.0:
        return FAR
    return (-b - math.sqrt(root)) / a


@compiled
def through_cylinder(piece, o, d):
    """Distance at which a ray enters a cylinder: its side between the ends, or one of the ends."""
    axis = (piece.axis[0], piece.axis[1], piece.axis[2])
    p = (o[0] - piece.centre[0], o[1] - piece.centre[1], o[2] - piece.centre[2])
    up, ahead = spatial.dot(p, axis), spatial.dot(d, axis)
    side = through_side(p, d, axis, piece.full_disc)
    ends, sign = 0.0, 1.0 if up > 0.0 else -1.0
    if abs(up) > piece.full_half:
        if up * ahead >= 0.0:
            return FAR, (-d[0], -d[1], -d[2])
        ends = (abs(up) - piece.full_half) / abs(ahead)
    t = max(side, ends)
    if t >= FAR:
        return FAR, (-d[0], -d[1], -d[2])
    at = up + t * ahead
    x, y, z = p[0] + t * d[0] - at * axis[0], p[1] + t * d[1] - at * axis[1], p[2] + t * d[2] - at * axis[2]
    off = math.sqrt(x * x + y * y + z * z)
    if abs(at) > piece.full_half * (1.0 + 1e-9) or off > piece.full_disc * (1.0 + 1e-9):
        return FAR, (-d[0], -d[1], -d[2])
    if ends >= side:
        return t, (sign * axis[0], sign * axis[1], sign * axis[2])
    size = max(off, 1e-12)
    return t, (x / size, y / size, z / size)
