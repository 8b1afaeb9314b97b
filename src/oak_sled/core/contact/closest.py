"""The closest points of two convex cores: Gilbert, Johnson and Keerthi, IEEE J. Robotics and Automation 4 (1988).

The regions of a simplex are those of Ericson, Real-Time Collision Detection (2005), section 5.1.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact.records import CYLINDER
from oak_sled.core.kernel import spatial

ROUNDS = 40
NEAR = 1e-9
"""m below which cores count as touching."""
FAR = 1e30
"""m: farther than was asked."""
W, A, B, SHARES = 0, 4, 8, 12
"""Rows of the scratch: differences, points on a, points on b, shares of each."""


@compiled
def support(piece, solid, corners, way):
    """The point of a core that lies farthest along `way`, world axes."""
    axes = solid.axes
    d = spatial.to_craft(axes, way)
    if piece.kind == CYLINDER:
        axis, centre = piece.axis, piece.centre
        along = d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2]
        rest = (d[0] - along * axis[0], d[1] - along * axis[1], d[2] - along * axis[2])
        size = spatial.length(rest)
        out = piece.disc / size if size > 1e-12 else 0.0
        up = piece.half if along >= 0.0 else -piece.half
        p = (
            centre[0] + up * axis[0] + out * rest[0],
            centre[1] + up * axis[1] + out * rest[1],
            centre[2] + up * axis[2] + out * rest[2],
        )
    else:
        best, most = piece.first, -1e300
        for k in range(piece.first, piece.first + piece.count):
            far = d[0] * corners[k, 0] + d[1] * corners[k, 1] + d[2] * corners[k, 2]
            if far > most:
                best, most = k, far
        p = (corners[best, 0], corners[best, 1], corners[best, 2])
    w = spatial.to_world(axes, p)
    return (w[0] + solid.position[0], w[1] + solid.position[1], w[2] + solid.position[2])


@compiled
def weigh_two(p, q):
    """Shares of p and q in the point of their segment that is nearest to 0."""
    d = (q[0] - p[0], q[1] - p[1], q[2] - p[2])
    size = spatial.dot(d, d)
    if size <= 0.0:
        return 1.0, 0.0
    t = min(max(-spatial.dot(p, d) / size, 0.0), 1.0)
    return 1.0 - t, t


@compiled
def weigh_three(a, b, c):
    """Shares of a, b and c in the point of their triangle that is nearest to 0."""
    ab = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
    ac = (c[0] - a[0], c[1] - a[1], c[2] - a[2])
    d1, d2 = -spatial.dot(ab, a), -spatial.dot(ac, a)
    if d1 <= 0.0 and d2 <= 0.0:
        return 1.0, 0.0, 0.0
    d3, d4 = -spatial.dot(ab, b), -spatial.dot(ac, b)
    if d3 >= 0.0 and d4 <= d3:
        return 0.0, 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        t = d1 / (d1 - d3)
        return 1.0 - t, t, 0.0
    d5, d6 = -spatial.dot(ab, c), -spatial.dot(ac, c)
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        t = d2 / (d2 - d6)
        return 1.0 - t, 0.0, t
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        t = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return 0.0, 1.0 - t, t
    total = va + vb + vc
    if total <= 0.0:
        return 1.0, 0.0, 0.0
    return va / total, vb / total, vc / total


@compiled
def _row(work, k):
    return (work[k, 0], work[k, 1], work[k, 2])


@compiled
def weigh(work, count):
    """Weighs the corners of the simplex for the point nearest to 0, and drops those of no weight.

    Returns how many are left; 4 when 0 lies inside.
    """
    shares = (1.0, 0.0, 0.0, 0.0)
    if count == 2:
        s, t = weigh_two(_row(work, 0), _row(work, 1))
        shares = (s, t, 0.0, 0.0)
    elif count == 3:
        s, t, u = weigh_three(_row(work, 0), _row(work, 1), _row(work, 2))
        shares = (s, t, u, 0.0)
    elif count == 4:
        p, q, r, o = _row(work, 0), _row(work, 1), _row(work, 2), _row(work, 3)
        best, inside = 1e300, True
        for side in range(4):
            if side == 0:
                a, b, c, d = p, q, r, o
            elif side == 1:
                a, b, c, d = p, q, o, r
            elif side == 2:
                a, b, c, d = p, r, o, q
            else:
                a, b, c, d = q, r, o, p
            ab = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
            ac = (c[0] - a[0], c[1] - a[1], c[2] - a[2])
            n = spatial.cross(ab, ac)
            here, there = -spatial.dot(a, n), (d[0] - a[0]) * n[0] + (d[1] - a[1]) * n[1] + (d[2] - a[2]) * n[2]
            if here * there > 0.0:
                continue  # 0 lies on the inner side of this face
            inside = False
            s, t, u = weigh_three(a, b, c)
            x = s * a[0] + t * b[0] + u * c[0]
            y = s * a[1] + t * b[1] + u * c[1]
            z = s * a[2] + t * b[2] + u * c[2]
            size = x * x + y * y + z * z
            if size < best:
                best = size
                if side == 0:
                    shares = (s, t, u, 0.0)
                elif side == 1:
                    shares = (s, t, 0.0, u)
                elif side == 2:
                    shares = (s, 0.0, t, u)
                else:
                    shares = (0.0, s, t, u)
        if inside:
            return 4
    left = 0
    for k in range(count):
        share = shares[k]
        if share > 0.0:
            for i in range(3):
                work[W + left, i] = work[W + k, i]
                work[A + left, i] = work[A + k, i]
                work[B + left, i] = work[B + k, i]
            work[SHARES + left, 0] = share
            left += 1
    return left


@compiled
def write_nearest(work, count):
    """Writes the nearest points on a and on b into rows 16 and 17, from their simplex; returns their distance, m."""
    for i in range(3):
        on_a, on_b = 0.0, 0.0
        for k in range(count):
            on_a += work[SHARES + k, 0] * work[A + k, i]
            on_b += work[SHARES + k, 0] * work[B + k, i]
        work[16, i], work[17, i] = on_a, on_b
    dx, dy, dz = work[16, 0] - work[17, 0], work[16, 1] - work[17, 1], work[16, 2] - work[17, 2]
    return math.sqrt(dx * dx + dy * dy + dz * dz)


@compiled
def closest(piece_a, solid_a, piece_b, solid_b, corners, work, limit):
    """Distance of two cores, m; 0 when they overlap. Rows 16 and 17 of `work` get the points on a and on b.

    limit : m past which the answer is only FAR.

    work : scratch of shape (18 or more, 3).
    """
    way = (
        solid_b.position[0] - solid_a.position[0],
        solid_b.position[1] - solid_a.position[1],
        solid_b.position[2] - solid_a.position[2],
    )
    if spatial.dot(way, way) < 1e-12:
        way = (0.0, 0.0, 1.0)
    count = 0
    size, far = 1e300, 1e300
    for _ in range(ROUNDS):
        a = support(piece_a, solid_a, corners, way)
        b = support(piece_b, solid_b, corners, (-way[0], -way[1], -way[2]))
        w = (a[0] - b[0], a[1] - b[1], a[2] - b[2])
        apart = -spatial.dot(way, w)  # times |way|: no two points are nearer along it
        if apart > 0.0 and apart * apart > limit * limit * spatial.dot(way, way):
            return FAR
        if count > 0:
            # -way is the nearest point so far: no corner lies nearer along it
            gain = size - (-(way[0] * w[0] + way[1] * w[1] + way[2] * w[2]))
            if gain <= 1e-12 * size + 1e-18:
                break
            known = False
            for k in range(count):
                known = known or (work[k, 0] == w[0] and work[k, 1] == w[1] and work[k, 2] == w[2])
            if known:
                break
        for i in range(3):
            work[W + count, i] = w[i]
            work[A + count, i] = a[i]
            work[B + count, i] = b[i]
        count += 1
        if count == 1:
            work[SHARES, 0] = 1.0
        else:
            count = weigh(work, count)
            if count == 4:
                return 0.0
        x, y, z = 0.0, 0.0, 0.0
        for k in range(count):
            share = work[SHARES + k, 0]
            x += share * work[W + k, 0]
            y += share * work[W + k, 1]
            z += share * work[W + k, 2]
        nearer = x * x + y * y + z * z
        if nearer < NEAR * NEAR:
            return 0.0
        if nearer >= size:
            break  # the rounding of floats: the points of the round before were nearer, and stand there still
        size, far = nearer, write_nearest(work, count)
        way = (-x, -y, -z)
    return far
