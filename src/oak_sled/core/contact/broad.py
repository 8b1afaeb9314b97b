"""Which pairs can touch at all: boxes along the axes, sorted along x and swept; triangles by a grid from above.

One file, since the sweep, the lists of neighbours and the pairs of pieces are steps of one search.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import closest, grid, manifold
from oak_sled.core.contact.records import (
    ACTIVE,
    CYLINDER,
    DRIVEN,
    FIXED,
    FOUND,
    FREE,
    GROUND,
    HUNG,
    LOST,
    MARGIN,
    MET,
    PARKED,
    PASSES,
    REPORTING,
    REPORTS,
    RESERVE,
    RESERVE_S,
    STALE,
    TICKS,
    TOUCHING,
    TRIGGER,
)
from oak_sled.core.kernel import spatial

SAME, ALIKE = 0.05, 0.995
"""m and cosine within which points of two triangles are one point."""
FASTEST_TURNING = 20.0
"""m/s at most by which turning widens what a body may touch in a tick."""
CLEAR_OF_MUZZLE = 0.25
"""s in which a shot does not touch the craft that fired it."""


@compiled
def box(solid, dt):
    """Writes the box round a solid as it stands and where its speed takes it in this tick."""
    axes, half = solid.axes, solid.half
    middle = spatial.to_world(axes, (solid.middle[0], solid.middle[1], solid.middle[2]))
    turning = dt * spatial.length((solid.spin[0], solid.spin[1], solid.spin[2])) * solid.reach
    for i in range(3):
        at, go = solid.position[i] + middle[i], solid.velocity[i] * dt
        wide = abs(axes[i, 0]) * half[0] + abs(axes[i, 1]) * half[1] + abs(axes[i, 2]) * half[2] + turning
        wide = min(wide, solid.reach) + MARGIN
        solid.low[i] = at - wide + min(go, 0.0)
        solid.high[i] = at + wide + max(go, 0.0)


@compiled
def sort(order, solids):
    """Insertion sort along x: nearly sorted from the time before."""
    for k in range(1, order.shape[0]):
        one = order[k]
        x = solids[one].near_low[0]
        j = k - 1
        while j >= 0 and solids[order[j]].near_low[0] > x:
            order[j + 1] = order[j]
            j -= 1
        order[j + 1] = one


@compiled
def may_move(solid):
    """Whether it is or can become a body that is pushed."""
    return solid.kind == FREE or solid.kind == HUNG


@compiled
def is_met(solid):
    """Whether anything can touch it at all."""
    return solid.pieces > 0 and solid.kind != PARKED


@compiled
def overlap(a_low, a_high, b_low, b_high):
    """Whether two boxes overlap."""
    for i in range(3):  # noqa: SIM110 - the language of the kernel has no any()
        if a_low[i] > b_high[i] or b_low[i] > a_high[i]:
            return False
    return True


@compiled
def leaves(solid):
    """Whether the box of this tick reaches out of the one for which its neighbours are known."""
    for i in range(3):
        if solid.low[i] - solid.feel < solid.near_low[i] or solid.high[i] + solid.feel > solid.near_high[i]:
            return True
    return False


@compiled
def widen(solid):
    """Lays the box for which neighbours are sought round that of this tick, farther where its speed takes it."""
    for i in range(3):
        spare, ahead = solid.feel, 0.0
        if solid.active == 1:
            spare, ahead = RESERVE * solid.reach + MARGIN + solid.feel, RESERVE_S * solid.velocity[i]
        solid.near_low[i] = solid.low[i] - spare + min(ahead, 0.0)
        solid.near_high[i] = solid.high[i] + spare + max(ahead, 0.0)


@unit
def seek_neighbours(scene, dt):
    """Which bodies are active, and for each body all that can come near it for a while, both in their order.

    What is far away changes neither, so that it changes no bit of what the solver does.
    """
    solids, counts = scene.solids, scene.counts
    counts[ACTIVE], counts[STALE] = 0, 0
    for s in range(solids.shape[0]):
        one = solids[s]
        one.near_first, one.near_last = 0, 0
        moves = (one.kind == FREE and one.asleep == 0) or one.kind == DRIVEN or one.kind == TRIGGER
        one.active = 1 if moves and is_met(one) else 0
        if one.active == 1:
            scene.active[counts[ACTIVE]] = s
            counts[ACTIVE] += 1
        for i in range(3):
            one.shift[i], one.twist[i] = 0.0, 0.0
        if is_met(one):
            box(one, dt)
        widen(one)
    sort(scene.order, solids)
    found, place = couple(scene), 0
    for s in range(solids.shape[0]):
        one = solids[s]
        wide = one.near_last
        one.near_first, one.near_last = place, place
        place += wide
    for k in range(found):
        s, t = scene.couples[k, 0], scene.couples[k, 1]
        insert(scene.near, solids[s], t)
        insert(scene.near, solids[t], s)


@compiled
def couple(scene):
    """Writes the pairs of bodies whose wide boxes overlap, sweeping along x, and counts them for each; how many."""
    solids, order, found = scene.solids, scene.order, 0
    for k in range(order.shape[0]):
        s = order[k]
        one = solids[s]
        if s == GROUND or not is_met(one):
            continue
        for j in range(k + 1, order.shape[0]):
            t = order[j]
            other = solids[t]
            if other.near_low[0] > one.near_high[0]:
                break
            if t == GROUND or not is_met(other) or not (may_move(one) or may_move(other)):
                continue
            if not overlap(one.near_low, one.near_high, other.near_low, other.near_high):
                continue
            if found >= scene.couples.shape[0]:
                scene.counts[LOST] += 1
                continue
            scene.couples[found, 0], scene.couples[found, 1] = s, t
            one.near_last += 1
            other.near_last += 1
            found += 1
    return found


@compiled
def insert(near, solid, t):
    """Puts a neighbour into the stretch of a body, in order."""
    place = solid.near_last
    while place > solid.near_first and near[place - 1] > t:
        near[place] = near[place - 1]
        place -= 1
    near[place] = t
    solid.near_last += 1


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


@unit
def sweep(scene, dt):
    """Narrow phase of every pair that can collide: writes the contacts."""
    solids, counts = scene.solids, scene.counts
    counts[FOUND], counts[MET] = 0, 0
    counts[TICKS] += 1
    stale = counts[STALE] == 1 or counts[TICKS] == 1
    if counts[REPORTING] > 0:
        for s in range(solids.shape[0]):
            solids[s].inside = 0
    for k in range(counts[ACTIVE]):
        one = solids[scene.active[k]]
        one.inside = 0
        box(one, dt)
        stale = stale or leaves(one)
    if stale:
        seek_neighbours(scene, dt)
    k = 0
    while k < counts[ACTIVE]:  # what is woken on the way comes behind the others
        s = scene.active[k]
        k += 1
        one = solids[s]
        one.looked = counts[TICKS]
        below = scene.layers[one.layer, solids[GROUND].layer]
        # what is held at its height, the hold carries
        if one.kind == FREE and one.inverse_mass[2] != 0.0 and below != PASSES:
            since = counts[FOUND]
            if scene.grid[0].plane == 1 and one.low[2] < 0.0:
                collide_plane(scene, s, dt)
            if scene.grid[0].cells[0] > 0:
                collide_triangles(scene, s, dt, since)
            if below == REPORTS:
                report_ground(scene, one, since)
        for place in range(one.near_first, one.near_last):
            t = scene.near[place]
            other = solids[t]
            if other.looked == counts[TICKS] or other.kind == PARKED or (one.kind != FREE and other.kind != FREE):
                continue  # a pair is met from the one that is looked at first
            if not overlap(one.low, one.high, other.low, other.high):
                continue
            if scene.layers[one.layer, other.layer] == PASSES:
                continue
            if scene.joints.shape[0] > 0 and hangs_by_joint(scene, s, t):
                continue
            if (one.owner == t and young(one)) or (other.owner == s and young(other)):
                continue
            collide_pair(scene, min(s, t), max(s, t), dt)


@compiled
def report_ground(scene, one, since):
    """Takes the contacts of a body with the ground back from number `since` on, and counts the ground if it touches."""
    for c in range(since, scene.counts[FOUND]):
        if scene.contacts[c].gap <= 0.0:
            one.inside += 1
            break
    scene.counts[FOUND] = since


@compiled
def hangs_by_joint(scene, s, t):
    """Whether two bodies hang together by a joint: they do not touch each other."""
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if (joint.a == s and joint.b == t) or (joint.a == t and joint.b == s):
            return True
    return False


@compiled
def young(solid):
    """Whether it is a shot that has hardly left the muzzle: it does not touch the craft that fired it."""
    return solid.shot > 0 and solid.age < CLEAR_OF_MUZZLE


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
    """Every piece of one solid against every piece of another. The lower number is a, but a fixed one is b."""
    solids = scene.solids
    if solids[s].kind != FREE:
        s, t = t, s
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
            write(scene, s, t, p, q, found, nx, ny, nz, scene.pieces[p].rub * scene.pieces[q].rub)


@compiled
def is_overlapped(scene, found):
    """Whether one of the points found lies inside the other piece."""
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
        write(scene, s, GROUND, p, 0, found, 0.0, 0.0, 1.0, scene.pieces[p].rub)


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
                    if manifold.over_triangle(piece, one, scene.corners, triangle) > margin:
                        continue  # all of it lies above the plane of the triangle
                    if manifold.beyond_face(scene, piece, one, triangle, margin):
                        continue
                    take_in_hand(scene, triangle)
                    scene.counts[MET] += 1
                    found, nx, ny, nz = manifold.touch(
                        piece, one, scene.pieces[0], ground, scene.corners, scene.faces, scene.outline,
                        scene.work, margin, 8 + triangle.sharp,
                    )  # fmt: skip
                    found = leave_out_shared(scene, since, p, found, nx, ny, nz, min(SAME, 0.1 * one.reach))
                    write(scene, s, GROUND, p, 1 + number, found, nx, ny, nz, piece.rub)


@compiled
def hangs_over(scene, one, dt):
    """Whether all triangles round a solid lie below it: its box, wider by no less than `reach_of` the ground, holds all
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
    """How far a piece reaches along an axis of the world, or against it, m."""
    way = (sign if axis == 0 else 0.0, sign if axis == 1 else 0.0, sign if axis == 2 else 0.0)
    point = closest.support(piece, solid, corners, way)
    return point[0] if axis == 0 else (point[1] if axis == 1 else point[2])


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
def write(scene, a, b, p, key, found, nx, ny, nz, rub):
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
        contact.gap = work[manifold.GAPS + k, 0]
        contact.friction = rub
        if contact.gap < TOUCHING:
            if solids[b].kind == FREE and solids[a].asleep == 0:
                wake(scene, b)
            if solids[a].kind == FREE and b != GROUND and solids[b].kind != FIXED:
                wake(scene, a)
        scene.counts[FOUND] = place + 1
