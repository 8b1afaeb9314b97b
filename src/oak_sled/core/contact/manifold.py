"""The contact of two pieces: a normal, and up to four points with their gap.

The normal comes from the closest points of the cores, or, when the cores overlap, from the face along which they
part soonest (separating axes over faces; Ericson, section 5.2.1). Faces that lie flat on each other are clipped against
each other (Sutherland and Hodgman, Comm. ACM 17, 1974), so that a box stands on four corners and not on one.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import closest
from oak_sled.core.contact.records import CYLINDER, MOST_POINTS
from oak_sled.core.geometry.shapes import MOST_OUTLINE
from oak_sled.core.kernel import spatial

FLAT = 0.999
"""Cosine of the angle to the normal within which a face meets flat."""
RIM = 12
"""Corners that the round face of a cylinder is clipped with."""
POLYGON, OTHER, SPARE, FOUND = 20, 50, 80, 110
"""Rows of the scratch: outlines while they are clipped, and the points found (with their gap in the next rows)."""
GAPS = 140
SCRATCH = 170


@compiled
def toward(solid, v):
    """A direction in the axes of a solid, in world axes."""
    return spatial.to_world(solid.axes, (v[0], v[1], v[2]))


@compiled
def outline_of(piece, solid, corners, faces, outline, way, work, at):
    """Writes the face, edge or point of a piece that looks along `way` into rows `at`, world axes.

    Returns (corners written, cosine of the face to `way`, radius round them): a face has three or more.
    """
    d = spatial.to_craft(solid.axes, way)
    if piece.kind == CYLINDER:
        return rim_of(piece, solid, d, work, at)
    if piece.faces == 0:
        for k in range(piece.count):
            p = piece.first + k
            w = spatial.to_world(solid.axes, (corners[p, 0], corners[p, 1], corners[p, 2]))
            for i in range(3):
                work[at + k, i] = w[i] + solid.position[i]
        return piece.count, 0.0, piece.radius
    best, most = piece.first_face, -2.0
    for f in range(piece.first_face, piece.first_face + piece.faces):
        n = faces[f].normal
        facing = n[0] * d[0] + n[1] * d[1] + n[2] * d[2]
        if facing > most:
            best, most = f, facing
    face = faces[best]
    for k in range(face.count):
        p = face.first + k
        w = spatial.to_world(solid.axes, (outline[p, 0], outline[p, 1], outline[p, 2]))
        for i in range(3):
            work[at + k, i] = w[i] + solid.position[i]
    return face.count, most, 0.0


@compiled
def rim_of(piece, solid, d, work, at):
    """The same for a cylinder: its round face, the line of its side, or the point of its rim. d : its own axes."""
    axis, centre = piece.axis, piece.centre
    along = d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2]
    up = piece.full_half if along >= 0.0 else -piece.full_half
    rest = (d[0] - along * axis[0], d[1] - along * axis[1], d[2] - along * axis[2])
    size = spatial.length(rest)
    if abs(along) > 0.9:
        # a ring that begins at the lowest point of the rim, so that a leaning cylinder keeps that point
        if size > 1e-6:
            u = (rest[0] / size, rest[1] / size, rest[2] / size)
        else:
            u = (axis[1], axis[2], axis[0])
            off = spatial.dot(u, (axis[0], axis[1], axis[2]))
            u = (u[0] - off * axis[0], u[1] - off * axis[1], u[2] - off * axis[2])
            far = spatial.length(u)
            u = (u[0] / far, u[1] / far, u[2] / far)
        side = 1.0 if along >= 0.0 else -1.0
        v = spatial.cross((side * axis[0], side * axis[1], side * axis[2]), u)
        for k in range(RIM):
            c, s = math.cos(k * math.tau / RIM) * piece.full_disc, math.sin(k * math.tau / RIM) * piece.full_disc
            p = (
                centre[0] + up * axis[0] + c * u[0] + s * v[0],
                centre[1] + up * axis[1] + c * u[1] + s * v[1],
                centre[2] + up * axis[2] + c * u[2] + s * v[2],
            )
            w = spatial.to_world(solid.axes, p)
            for i in range(3):
                work[at + k, i] = w[i] + solid.position[i]
        return RIM, abs(along), 0.0
    out = piece.full_disc / size
    ends = 2 if abs(along) < 0.2 else 1
    for k in range(ends):
        h = up if k == 0 else -up
        p = (
            centre[0] + h * axis[0] + out * rest[0],
            centre[1] + h * axis[1] + out * rest[1],
            centre[2] + h * axis[2] + out * rest[2],
        )
        w = spatial.to_world(solid.axes, p)
        for i in range(3):
            work[at + k, i] = w[i] + solid.position[i]
    return ends, 0.0, 0.0


@compiled
def clip(work, face, face_count, shape, count, nx, ny, nz):
    """Cuts the outline in rows `shape` by the sides of the face in rows `face`; returns (corners left, where).

    A face's corners run anticlockwise seen against its normal (nx, ny, nz).
    """
    source, target = shape, SPARE
    for k in range(face_count):
        p, q = face + k, face + (k + 1) % face_count
        ex, ey, ez = work[q, 0] - work[p, 0], work[q, 1] - work[p, 1], work[q, 2] - work[p, 2]
        # inward of the side
        sx, sy, sz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
        left = 0
        pieces = count if count > 2 else count - 1  # a line has one stretch, a point none
        if count == 1:
            far = (work[source, 0] - work[p, 0]) * sx + (work[source, 1] - work[p, 1]) * sy
            far += (work[source, 2] - work[p, 2]) * sz
            if far < 0.0:
                return 0, source
            continue
        for j in range(pieces):
            a, b = source + j, source + (j + 1) % count
            da = (work[a, 0] - work[p, 0]) * sx + (work[a, 1] - work[p, 1]) * sy + (work[a, 2] - work[p, 2]) * sz
            db = (work[b, 0] - work[p, 0]) * sx + (work[b, 1] - work[p, 1]) * sy + (work[b, 2] - work[p, 2]) * sz
            if da >= 0.0:
                for i in range(3):
                    work[target + left, i] = work[a, i]
                left += 1
            if da * db < 0.0:
                t = da / (da - db)
                for i in range(3):
                    work[target + left, i] = work[a, i] + t * (work[b, i] - work[a, i])
                left += 1
            if count == 2 and db >= 0.0:
                for i in range(3):
                    work[target + left, i] = work[b, i]
                left += 1
        source, target = target, (shape if target == SPARE else SPARE)
        count = min(left, MOST_OUTLINE)
        if count == 0:
            return 0, source
    return count, source


@compiled
def parting(piece_a, solid_a, piece_b, solid_b, corners, faces, work):
    """The direction along which overlapping pieces part soonest: (depth, x, y, z), from b to a."""
    best, nx, ny, nz = 1e300, 0.0, 0.0, 1.0
    towards = centre_way(piece_a, solid_a, piece_b, solid_b, corners)
    total = piece_a.faces + piece_b.faces
    extra = 1 + (1 if piece_a.kind == CYLINDER else 0) + (1 if piece_b.kind == CYLINDER else 0)
    for k in range(total + extra):
        if k < piece_a.faces:
            n = toward(solid_a, faces[piece_a.first_face + k].normal)
        elif k < total:
            n = toward(solid_b, faces[piece_b.first_face + k - piece_a.faces].normal)
        elif k == total:
            n = towards
        elif k == total + 1 and piece_a.kind == CYLINDER:
            n = toward(solid_a, piece_a.axis)
        else:
            n = toward(solid_b, piece_b.axis)
        if spatial.dot(n, towards) < 0.0:
            n = (-n[0], -n[1], -n[2])
        a = closest.support(piece_a, solid_a, corners, (-n[0], -n[1], -n[2]))
        b = closest.support(piece_b, solid_b, corners, n)
        depth = spatial.dot(b, n) - spatial.dot(a, n) + piece_a.radius + piece_b.radius
        if depth < best:
            best, nx, ny, nz = depth, n[0], n[1], n[2]
    a = closest.support(piece_a, solid_a, corners, (-nx, -ny, -nz))
    b = closest.support(piece_b, solid_b, corners, (nx, ny, nz))
    for i in range(3):
        work[16, i], work[17, i] = a[i], b[i]
    return best, nx, ny, nz


@compiled
def middle_of(piece, solid, corners):
    """The middle of a core, world axes."""
    x, y, z = piece.centre[0], piece.centre[1], piece.centre[2]
    w = spatial.to_world(solid.axes, (x, y, z))
    return (w[0] + solid.position[0], w[1] + solid.position[1], w[2] + solid.position[2])


@compiled
def centre_way(piece_a, solid_a, piece_b, solid_b, corners):
    """Unit vector from the middle of b to that of a; up when they are on one spot."""
    a, b = middle_of(piece_a, solid_a, corners), middle_of(piece_b, solid_b, corners)
    d = (a[0] - b[0], a[1] - b[1], a[2] - b[2])
    size = spatial.length(d)
    if size < 1e-9:
        return (0.0, 0.0, 1.0)
    return (d[0] / size, d[1] / size, d[2] / size)


@unit
def touch(piece_a, solid_a, piece_b, solid_b, corners, faces, outline, work, margin, one_sided):
    """Up to four points of contact in rows FOUND of `work`, gaps in rows GAPS; (count, normal x, y, z).

    margin : m of gap within which there is a contact. one_sided : b is a triangle of the ground, which pushes to
    the side it faces, and aslant only over an edge that stands out: 8, and 1, 2 and 4 for such edges.
    """
    round_a, round_b = piece_a.radius, piece_b.radius
    apart = closest.closest(piece_a, solid_a, piece_b, solid_b, corners, work, margin + round_a + round_b)
    gap = apart - round_a - round_b
    if gap > margin:
        return 0, 0.0, 0.0, 1.0
    if one_sided > 0:
        face = toward(solid_b, faces[piece_b.first_face].normal)
    else:
        face = (0.0, 0.0, 0.0)
    if apart > 1e-7:
        nx = (work[16, 0] - work[17, 0]) / apart
        ny = (work[16, 1] - work[17, 1]) / apart
        nz = (work[16, 2] - work[17, 2]) / apart
        facing = nx * face[0] + ny * face[1] + nz * face[2]
        if one_sided > 0 and facing > 0.9999:
            nx, ny, nz = face
        elif one_sided > 0 and (facing < 0.0 or not stands_out(piece_b, faces, outline, one_sided, work)):
            return 0, 0.0, 0.0, 1.0  # beside a triangle its neighbour answers
    elif one_sided > 0:
        nx, ny, nz = face
        gap = along_face(piece_a, solid_a, piece_b, corners, outline, faces, face) - round_a
        low = closest.support(piece_a, solid_a, corners, (-nx, -ny, -nz))
        for i in range(3):
            work[16, i], work[17, i] = low[i], low[i]
    else:
        depth, nx, ny, nz = parting(piece_a, solid_a, piece_b, solid_b, corners, faces, work)
        gap = -depth
    return points(piece_a, solid_a, piece_b, solid_b, corners, faces, outline, work, (margin, gap), (nx, ny, nz))


@compiled
def stands_out(piece, faces, outline, edges, work):
    """True if the nearest point of a triangle, in row 17, lies only on edges that stand out."""
    first = faces[piece.first_face].first
    n = faces[piece.first_face].normal
    bit = 1
    for k in range(3):
        p, q = first + k, first + (k + 1) % 3
        ex, ey, ez = outline[q, 0] - outline[p, 0], outline[q, 1] - outline[p, 1], outline[q, 2] - outline[p, 2]
        sx, sy, sz = n[1] * ez - n[2] * ey, n[2] * ex - n[0] * ez, n[0] * ey - n[1] * ex
        far = (work[17, 0] - outline[p, 0]) * sx + (work[17, 1] - outline[p, 1]) * sy
        far += (work[17, 2] - outline[p, 2]) * sz
        if far < 1e-6 * math.sqrt(sx * sx + sy * sy + sz * sz) and (edges & bit) == 0:
            return False
        bit *= 2
    return True


@compiled
def along_face(piece_a, solid_a, piece_b, corners, outline, faces, face):
    """Height of the core of a over the plane of a triangle, m."""
    low = closest.support(piece_a, solid_a, corners, (-face[0], -face[1], -face[2]))
    p = faces[piece_b.first_face].first
    return (low[0] - outline[p, 0]) * face[0] + (low[1] - outline[p, 1]) * face[1] + (low[2] - outline[p, 2]) * face[2]


@compiled
def points(piece_a, solid_a, piece_b, solid_b, corners, faces, outline, work, gaps, normal):
    """The points of a contact whose normal is known; see `touch`. gaps : m within which a point counts, and between the
    nearest points."""
    margin, gap = gaps
    nx, ny, nz = normal
    count_a, flat_a, round_a = outline_of(piece_a, solid_a, corners, faces, outline, (-nx, -ny, -nz), work, POLYGON)
    count_b, flat_b, round_b = outline_of(piece_b, solid_b, corners, faces, outline, (nx, ny, nz), work, OTHER)
    found = 0
    if flat_a >= FLAT or flat_b >= FLAT:
        if flat_b >= flat_a:
            face, face_count, shape, count, rounding, sign = OTHER, count_b, POLYGON, count_a, round_a, 1.0
        else:
            face, face_count, shape, count, rounding, sign = POLYGON, count_a, OTHER, count_b, round_b, -1.0
        # the face's own normal: that of the closest points wavers in its last digits
        nx, ny, nz = plane_of(work, face, face_count, sign)
        left, at = clip(work, face, face_count, shape, count, sign * nx, sign * ny, sign * nz)
        for k in range(left):
            p = at + k
            high = (work[p, 0] - work[face, 0]) * nx + (work[p, 1] - work[face, 1]) * ny
            high = sign * (high + (work[p, 2] - work[face, 2]) * nz) - rounding
            if high < margin:
                # half way between the surfaces
                off = sign * (0.5 * high + rounding)
                work[FOUND + found, 0] = work[p, 0] - off * nx
                work[FOUND + found, 1] = work[p, 1] - off * ny
                work[FOUND + found, 2] = work[p, 2] - off * nz
                work[GAPS + found, 0] = high
                found += 1
    if found == 0:
        for i in range(3):
            n = nx if i == 0 else ny if i == 1 else nz
            on_a, on_b = work[16, i] - n * piece_a.radius, work[17, i] + n * piece_b.radius
            work[FOUND, i] = 0.5 * (on_a + on_b)
        work[GAPS, 0] = gap
        return 1, nx, ny, nz
    left = thin_out(work, found, nx, ny, nz)
    return left, nx, ny, nz


@compiled
def plane_of(work, face, count, sign):
    """Unit normal of the outline in rows `face`, times `sign` (Newell's sum)."""
    x, y, z = 0.0, 0.0, 0.0
    for k in range(count):
        p, q = face + k, face + (k + 1) % count
        ax, ay, az = work[p, 0] - work[face, 0], work[p, 1] - work[face, 1], work[p, 2] - work[face, 2]
        bx, by, bz = work[q, 0] - work[face, 0], work[q, 1] - work[face, 1], work[q, 2] - work[face, 2]
        x += ay * bz - az * by
        y += az * bx - ax * bz
        z += ax * by - ay * bx
    size = sign / math.sqrt(x * x + y * y + z * z)
    return x * size, y * size, z * size


@compiled
def swap(work, i, j):
    """Changes two found points over."""
    for k in range(3):
        work[FOUND + i, k], work[FOUND + j, k] = work[FOUND + j, k], work[FOUND + i, k]
    work[GAPS + i, 0], work[GAPS + j, 0] = work[GAPS + j, 0], work[GAPS + i, 0]


@compiled
def thin_out(work, found, nx, ny, nz):
    """Keeps four points: the deepest, the one farthest from it, and the widest to either side of that line."""
    if found <= MOST_POINTS:
        return found
    best = 0
    for k in range(1, found):
        if work[GAPS + k, 0] < work[GAPS + best, 0] - 1e-6:
            best = k
    swap(work, 0, best)
    best, most = 1, -1.0
    for k in range(1, found):
        d = 0.0
        for i in range(3):
            d += (work[FOUND + k, i] - work[FOUND, i]) ** 2
        if d > most:
            best, most = k, d
    swap(work, 1, best)
    ex = work[FOUND + 1, 0] - work[FOUND, 0]
    ey = work[FOUND + 1, 1] - work[FOUND, 1]
    ez = work[FOUND + 1, 2] - work[FOUND, 2]
    sx, sy, sz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
    left, right, most, least = 2, 2, -1e300, 1e300
    for k in range(2, found):
        d = (work[FOUND + k, 0] - work[FOUND, 0]) * sx + (work[FOUND + k, 1] - work[FOUND, 1]) * sy
        d += (work[FOUND + k, 2] - work[FOUND, 2]) * sz
        if d > most:
            left, most = k, d
        if d < least:
            right, least = k, d
    if left == right:
        swap(work, 2, left)
        return 3
    swap(work, 2, left)
    swap(work, 3, left if right == 2 else right)
    return MOST_POINTS


@compiled
def stand_on_plane(piece, solid, corners, faces, outline, work, margin):
    """The same against the level ground at height 0: (count); the normal is up."""
    low = closest.support(piece, solid, corners, (0.0, 0.0, -1.0))
    gap = low[2] - piece.radius
    if gap > margin:
        return 0
    count, _, rounding = outline_of(piece, solid, corners, faces, outline, (0.0, 0.0, -1.0), work, POLYGON)
    found = 0
    for k in range(count):
        high = work[POLYGON + k, 2] - rounding
        if high < margin:
            work[FOUND + found, 0], work[FOUND + found, 1] = work[POLYGON + k, 0], work[POLYGON + k, 1]
            work[FOUND + found, 2] = 0.5 * high
            work[GAPS + found, 0] = high
            found += 1
    if found == 0:
        work[FOUND, 0], work[FOUND, 1], work[FOUND, 2] = low[0], low[1], 0.5 * gap
        work[GAPS, 0] = gap
        return 1
    return thin_out(work, found, 0.0, 0.0, 1.0)
