"""The narrow phase: pieces of bodies against one another, against the level ground and against its triangles. Writes
the contacts, and wakes what is met in motion."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import closest, grid, manifold
from oak_sled.core.contact.records import (
    ACTIVE,
    CYLINDER,
    FIXED,
    FOUND,
    FREE,
    GROUND,
    LOST,
    MARGIN,
    MET,
    REPORTS,
    STALE,
    TOUCHING,
    TRIGGER,
)
from oak_sled.core.kernel import seams, spatial

SAME, ALIKE = 0.05, 0.995
"""m and cosine within which points of two triangles are one point."""
FASTEST_TURNING = 20.0
"""m/s at most by which turning widens what a body may touch in a tick."""


@compiled
def reach_of(one, other, dt):
    """m of gap within which two bodies can touch in this tick."""
    total = 0.0
    for i in range(3):
        total += (one.velocity[i] - other.velocity[i]) ** 2
    turning = spatial.length((one.spin[0], one.spin[1], one.spin[2])) * one.reach
    turning += spatial.length((other.spin[0], other.spin[1], other.spin[2])) * other.reach
    return MARGIN + dt * (total**0.5 + min(turning, FASTEST_TURNING))


@compiled
def collide_pair(scene, s, t, dt):
    """Every piece of one solid against every piece of another. The lower number is a, but a fixed one is b; b is met at
    its image that is nearest to a."""
    solids = scene.solids
    if solids[s].kind != FREE:
        s, t = t, s
    if not seams.wraps(scene.period):
        collide_pieces(scene, s, t, dt)
        return
    other, since = solids[t], scene.counts[FOUND]
    at = (other.position[0], other.position[1], other.position[2])
    seam = seam_of(scene, solids[s], other)
    for i in range(3):
        other.position[i] = at[i] + seam[i]
    collide_pieces(scene, s, t, dt)
    for i in range(3):
        other.position[i] = at[i]
    for c in range(since, scene.counts[FOUND]):
        for i in range(3):
            scene.contacts[c].seam[i] = seam[i]


@compiled
def seam_of(scene, one, other):
    """m by which one body has to be moved to be beside the other by its nearest image."""
    return seams.image(
        scene.period,
        (
            other.position[0] - one.position[0],
            other.position[1] - one.position[1],
            other.position[2] - one.position[2],
        ),
    )


@compiled
def collide_pieces(scene, s, t, dt):
    """`collide_pair` of bodies as they stand, `s` the first."""
    solids = scene.solids
    one, other = solids[s], solids[t]
    margin = reach_of(one, other, dt)
    only_reports = scene.layers[one.layer, other.layer] == REPORTS
    senses = other.kind == TRIGGER or one.kind == TRIGGER or only_reports
    for i in range(one.pieces):
        for j in range(other.pieces):
            scene.counts[MET] += 1
            p, q = one.first_piece + i, other.first_piece + j
            found, nx, ny, nz = manifold.touch(
                scene.pieces[p], one, scene.pieces[q], other, scene.corners, scene.faces, scene.outline, scene.work,
                margin, 0,
            )  # fmt: skip
            if senses:
                if is_overlapped(scene, found):
                    report(scene, s, t)
                    return
                continue
            write(scene, s, t, p, q, found, nx, ny, nz, scene.pieces[p].friction_scale * scene.pieces[q].friction_scale)


@compiled
def is_overlapped(scene, found):
    """True if one of the points found lies inside the other piece."""
    for k in range(found):  # noqa: SIM110 - the language of the kernel has no any()
        if scene.work[manifold.GAPS + k, 0] <= 0.0:
            return True
    return False


@compiled
def report(scene, s, t):
    """Counts a body that is inside another where that is recorded; what reports is kept awake meanwhile."""
    one, other = scene.solids[s], scene.solids[t]
    for side in range(2):
        holder = one if side == 0 else other
        if holder.kind == TRIGGER or holder.reports == 1:
            holder.inside += 1
            if holder.kind == FREE:
                wake(scene, s if side == 0 else t)


@compiled
def collide_plane(scene, s, dt):
    """A solid against the level ground."""
    one = scene.solids[s]
    margin = reach_of(one, scene.solids[GROUND], dt)
    for i in range(one.pieces):
        p = one.first_piece + i
        scene.counts[MET] += 1
        found = manifold.stand_on_plane(
            scene.pieces[p], one, scene.corners, scene.faces, scene.outline, scene.work, margin
        )
        write(scene, s, GROUND, p, 0, found, 0.0, 0.0, 1.0, scene.pieces[p].friction_scale)


@compiled
def collide_triangles(scene, s, dt, since):
    """A solid against the triangles of the ground round each of its pieces; its contacts begin at `since`."""
    one, ground, columns = scene.solids[s], scene.solids[GROUND], scene.grid[0].cells[0]
    if hangs_over(scene, one, dt):
        return
    margin = reach_of(one, ground, dt)
    for i in range(one.pieces):
        p = one.first_piece + i
        piece = scene.pieces[p]
        low, high = bounds_of(piece, one, scene.corners, margin)
        lowest, facing = low, (0.0, 0.0, 0.0)
        low_x, low_y, low_z = low
        high_x, high_y, high_z = high
        first_x, last_x, first_y, last_y = grid.cells_under(scene, low_x, low_y, high_x, high_y)
        for cy in range(first_y, last_y + 1):
            for cx in range(first_x, last_x + 1):
                cell = cy * columns + cx
                if scene.grid_top[cell] < low_z:
                    continue  # all of it lies below the piece
                for place in range(scene.grid_first[cell], scene.grid_first[cell + 1]):
                    number = scene.grid_items[place]
                    triangle = scene.triangles[number]
                    if triangle.high[2] < low_z or triangle.low[2] > high_z:
                        continue
                    if triangle.low[0] > high_x or triangle.low[1] > high_y:
                        continue
                    if triangle.high[0] < low_x or triangle.high[1] < low_y:
                        continue
                    # a triangle in several cells is met in the first of them that the piece reaches
                    if cx != max(first_x, triangle.home[0]) or cy != max(first_y, triangle.home[1]):
                        continue
                    n = triangle.normal
                    if n[0] != facing[0] or n[1] != facing[1] or n[2] != facing[2]:  # level ground has one
                        facing = (n[0], n[1], n[2])
                        lowest = closest.support(piece, one, scene.corners, (-n[0], -n[1], -n[2]))
                    if height_over(lowest, triangle) - piece.radius > margin:
                        continue  # all of it lies above the plane of the triangle
                    if beyond_face(scene, piece, one, triangle, margin):
                        continue
                    take_in_hand(scene, triangle)
                    scene.counts[MET] += 1
                    found, nx, ny, nz = manifold.touch(
                        piece, one, scene.pieces[0], ground, scene.corners, scene.faces, scene.outline,
                        scene.work, margin, 8 + triangle.sharp,
                    )  # fmt: skip
                    found = leave_out_shared(scene, since, p, found, nx, ny, nz, min(SAME, 0.1 * one.reach))
                    write(scene, s, GROUND, p, 1 + number, found, nx, ny, nz, piece.friction_scale)


@compiled
def hangs_over(scene, one, dt):
    """True if all triangles round a solid lie below it: its box, wider by no less than `reach_of` the ground, holds all
    of its pieces with their margins."""
    low, high, v = one.low, one.high, one.velocity
    margin = MARGIN + dt * (abs(v[0]) + abs(v[1]) + abs(v[2]) + FASTEST_TURNING)
    west, south, east, north = low[0] - margin, low[1] - margin, high[0] + margin, high[1] + margin
    return grid.all_lies_below(scene, west, south, east, north, low[2] - margin)


@compiled
def bounds_of(piece, solid, corners, margin):
    """The box along the axes of the world that a piece fills, with a margin all round: its low and high corner, m."""
    x, y, z = solid.position[0], solid.position[1], solid.position[2]
    wide = piece.radius + margin
    if piece.kind == CYLINDER:
        east, west = far_of(piece, solid, corners, 0, 1.0), far_of(piece, solid, corners, 0, -1.0)
        north, south = far_of(piece, solid, corners, 1, 1.0), far_of(piece, solid, corners, 1, -1.0)
        up, down = far_of(piece, solid, corners, 2, 1.0), far_of(piece, solid, corners, 2, -1.0)
        return (west - wide, south - wide, down - wide), (east + wide, north + wide, up + wide)
    a = solid.axes
    c = corners[piece.first]
    west, south, down = spatial.to_world(a, (c[0], c[1], c[2]))
    east, north, up = west, south, down
    for k in range(piece.first + 1, piece.first + piece.count):
        px, py, pz = spatial.to_world(a, (corners[k, 0], corners[k, 1], corners[k, 2]))
        west, east = min(west, px), max(east, px)
        south, north = min(south, py), max(north, py)
        down, up = min(down, pz), max(up, pz)
    low = (west + x - wide, south + y - wide, down + z - wide)
    return low, (east + x + wide, north + y + wide, up + z + wide)


@compiled
def far_of(piece, solid, corners, axis, sign):
    """The extent of a piece along an axis of the world, or against it, m."""
    way = (sign if axis == 0 else 0.0, sign if axis == 1 else 0.0, sign if axis == 2 else 0.0)
    point = closest.support(piece, solid, corners, way)
    return point[0] if axis == 0 else (point[1] if axis == 1 else point[2])


@compiled
def height_over(low, triangle):
    """m by which a point lies over the plane of a triangle."""
    n = triangle.normal
    high = (low[0] - triangle.corners[0, 0]) * n[0] + (low[1] - triangle.corners[0, 1]) * n[1]
    return high + (low[2] - triangle.corners[0, 2]) * n[2]


@compiled
def beyond_face(scene, piece, solid, triangle, margin):
    """True if a triangle of the ground lies farther than `margin` beyond one of the faces of a piece, so that they do
    not touch: quickly told, where most triangles near a wide hull do not."""
    c, place = triangle.corners, (solid.position[0], solid.position[1], solid.position[2])
    a = spatial.to_craft(solid.axes, (c[0, 0] - place[0], c[0, 1] - place[1], c[0, 2] - place[2]))
    b = spatial.to_craft(solid.axes, (c[1, 0] - place[0], c[1, 1] - place[1], c[1, 2] - place[2]))
    d = spatial.to_craft(solid.axes, (c[2, 0] - place[0], c[2, 1] - place[1], c[2, 2] - place[2]))
    for k in range(piece.first_face, piece.first_face + piece.faces):
        n, start = scene.faces[k].normal, scene.outline[scene.faces[k].first]
        out = (n[0], n[1], n[2])
        past = spatial.dot(out, (start[0], start[1], start[2])) + piece.radius + margin
        if min(spatial.dot(out, a), spatial.dot(out, b), spatial.dot(out, d)) > past:
            return True
    return False


@compiled
def take_in_hand(scene, triangle):
    """Puts a triangle where pieces, faces and outline keep room for one."""
    for k in range(3):
        scene.faces[0].normal[k] = triangle.normal[k]
        scene.pieces[0].centre[k] = (triangle.corners[0, k] + triangle.corners[1, k] + triangle.corners[2, k]) / 3.0
        for i in range(3):
            scene.corners[k, i] = triangle.corners[k, i]
            scene.outline[k, i] = triangle.corners[k, i]


@compiled
def leave_out_shared(scene, since, p, found, nx, ny, nz, near):
    """Drops the points that a neighbour of a triangle has found already, where it is as deep; how many are left.

    Triangles side by side touch a piece at the same points of their common edge: each once is enough to stand on.
    """
    work, left = scene.work, 0
    for k in range(found):
        known = False
        for c in range(since, scene.counts[FOUND]):
            other = scene.contacts[c]
            if other.piece != p or other.gap > work[manifold.GAPS + k, 0] + 1e-6:
                continue
            if other.normal[0] * nx + other.normal[1] * ny + other.normal[2] * nz < ALIKE:
                continue
            away = 0.0
            for i in range(3):
                away += (other.point[i] - work[manifold.FOUND + k, i]) ** 2
            known = known or away < near * near
        if not known:
            for i in range(3):
                work[manifold.FOUND + left, i] = work[manifold.FOUND + k, i]
            work[manifold.GAPS + left, 0] = work[manifold.GAPS + k, 0]
            left += 1
    return left


@compiled
def report_ground(scene, one, since):
    """Takes the contacts of a body with the ground back from number `since` on, and counts the ground if it touches."""
    for c in range(since, scene.counts[FOUND]):
        if scene.contacts[c].gap <= 0.0:
            one.inside += 1
            break
    scene.counts[FOUND] = since


@compiled
def write(scene, a, b, p, key, found, nx, ny, nz, friction_scale):
    """Puts the points found into the list of contacts, and wakes what is met in motion."""
    solids, work = scene.solids, scene.work
    for k in range(found):
        place = scene.counts[FOUND]
        if place >= scene.contacts.shape[0]:
            scene.counts[LOST] += found - k
            return
        contact = scene.contacts[place]
        contact.a, contact.b, contact.piece, contact.key = a, b, p, key
        contact.normal[0], contact.normal[1], contact.normal[2] = nx, ny, nz
        for i in range(3):
            contact.point[i] = work[manifold.FOUND + k, i]
            contact.seam[i] = 0.0
        contact.gap = work[manifold.GAPS + k, 0]
        contact.friction = friction_scale
        if contact.gap < TOUCHING:
            if solids[b].kind == FREE and solids[a].asleep == 0:
                wake(scene, b)
            if solids[a].kind == FREE and b != GROUND and solids[b].kind != FIXED:
                wake(scene, a)
        scene.counts[FOUND] = place + 1


@compiled
def wake(scene, s):
    """Wakes a body that sleeps: its contacts are sought from now on."""
    one = scene.solids[s]
    if one.asleep == 0:
        return
    one.asleep, one.still = 0, 0.0
    scene.counts[STALE] = 1
    if one.active == 0:
        one.active = 1
        scene.active[scene.counts[ACTIVE]] = s
        scene.counts[ACTIVE] += 1
