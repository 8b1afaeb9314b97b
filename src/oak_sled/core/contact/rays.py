"""Rays that find what lies under a craft: the level plane, triangles of the ground, and other bodies.

A ray begins at its mount, and what it finds becomes a support: gap, point, normal, and the velocity of the surface
there. Parts decide what force that gives; what they push a body with, that body feels.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import Address, compiled, unit
from oak_sled.core.compiler.types import NOTHING, Array, Record
from oak_sled.core.contact import broad
from oak_sled.core.contact.records import COLLIDES, CYLINDER, FREE, GROUND, PARKED, TICKS, TRIGGER
from oak_sled.core.kernel import spatial, state
from oak_sled.core.kernel.state import CONTACT

AIM_CRAFT, AIM_WORLD, AIM_GROUND = range(3)
"""Where a ray points: down in craft axes, down in world axes, or against the normal of what carries the craft."""
FAR = 1e30
BESIDE = 1e-6
"""m beside a ray within which a triangle is looked at: more than the hair that belongs to it."""


@unit
def cast_all(crafts, scene, supports, nows):
    """Casts the rays of all crafts as the world stands, and writes their supports; loads are left to the parts."""
    if scene.counts[TICKS] == 0:
        broad.seek_neighbours(scene, nows[0].dt)
    for c in range(crafts.shape[0]):
        first = crafts[c].first_support + crafts[c].supports
        for k in range(first, first + crafts[c].rays):
            cast(scene, crafts[c].body, supports[k], nows[c])


@compiled
def cast(scene, b, support, now):
    """Casts one ray of body `b`; a support that finds nothing keeps its reach as its gap, and -1 as what is below."""
    body = scene.solids[b]
    support.before = support.gap if support.below >= 0 else -1.0
    support.gap, support.below, support.load, support.rate = support.reach, -1, 0.0, 0.0
    lever = spatial.to_world(body.axes, (support.at[0], support.at[1], support.at[2]))
    origin = (body.position[0] + lever[0], body.position[1] + lever[1], body.position[2] + lever[2])
    way = (-body.axes[0, 2], -body.axes[1, 2], -body.axes[2, 2])
    if support.aim == AIM_WORLD:
        way = (0.0, 0.0, -1.0)
    elif support.aim == AIM_GROUND:
        way = (-now.up[0], -now.up[1], -now.up[2])
    for i in range(3):
        support.way[i], support.normal[i], support.force[i] = way[i], -way[i], 0.0
        support.point[i], support.velocity[i] = origin[i] + support.reach * way[i], 0.0
    if support.muted == 1:
        return
    found, below, n = nearest(scene, b, support.layer, origin, way, support.reach)
    if below < 0:
        return
    other = scene.solids[below]
    point = (origin[0] + found * way[0], origin[1] + found * way[1], origin[2] + found * way[2])
    arm = (point[0] - other.position[0], point[1] - other.position[1], point[2] - other.position[2])
    swing = spatial.cross((other.spin[0], other.spin[1], other.spin[2]), arm)
    belt = spatial.to_world(other.axes, (other.belt[0], other.belt[1], other.belt[2]))
    turning = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    closing = 0.0
    for i in range(3):
        support.point[i], support.normal[i] = point[i], n[i]
        support.velocity[i] = other.velocity[i] + swing[i] + belt[i]
        closing += (body.velocity[i] + turning[i] - other.velocity[i] - swing[i]) * way[i]
    support.gap, support.below, support.material, support.rate = found, below, other.material, -closing


@compiled
def nearest(scene, b, layer, origin, way, reach):
    """What a ray meets first within `reach` m: the distance (m), the body (-1: none), and the normal there.

    b : the body that casts it, which it does not see. layer : it sees what this layer collides with. origin : m,
    way : unit vector, world axes.
    """
    found, below = reach, -1
    nx, ny, nz = -way[0], -way[1], -way[2]
    if scene.layers[layer, scene.solids[GROUND].layer] == COLLIDES:
        if scene.grid[0].plane == 1 and way[2] < 0.0:
            t = max(origin[2], 0.0) / -way[2]
            if t < found:
                found, below, nx, ny, nz = t, GROUND, 0.0, 0.0, 1.0
        if scene.grid[0].nx > 0:
            t, k = among_triangles(scene, origin, way, found)
            if k >= 0:
                triangle = scene.triangles[k]
                found, below = t, GROUND
                nx, ny, nz = triangle.normal[0], triangle.normal[1], triangle.normal[2]
    for place in range(scene.solids[b].near_first, scene.solids[b].near_last):
        s = scene.near[place]
        other = scene.solids[s]
        if other.kind == PARKED or other.kind == TRIGGER or scene.layers[layer, other.layer] != COLLIDES:
            continue
        if not passes_near(other, origin, way, found):
            continue
        t, n = through_pieces(scene, other, origin, way, found)
        if t < found:
            found, below, nx, ny, nz = t, s, n[0], n[1], n[2]
    return found, below, (nx, ny, nz)


@compiled
def passes_near(solid, origin, way, reach):
    """Whether a ray comes into the ball round a solid."""
    middle = spatial.to_world(solid.axes, (solid.middle[0], solid.middle[1], solid.middle[2]))
    x = solid.position[0] + middle[0] - origin[0]
    y = solid.position[1] + middle[1] - origin[1]
    z = solid.position[2] + middle[2] - origin[2]
    along = min(max(x * way[0] + y * way[1] + z * way[2], 0.0), reach)
    x, y, z = x - along * way[0], y - along * way[1], z - along * way[2]
    return x * x + y * y + z * z <= solid.reach * solid.reach


@compiled
def among_triangles(scene, origin, way, reach):
    """The nearest triangle that a ray meets from its front: the distance, and its number; -1 for none.

    Moeller and Trumbore, Fast, minimum storage ray/triangle intersection, 1997.
    """
    grid = scene.grid[0]
    found, number = reach, -1
    end_x, end_y = origin[0] + reach * way[0], origin[1] + reach * way[1]
    lowest = min(origin[2], origin[2] + reach * way[2])
    west, east = min(origin[0], end_x) - BESIDE, max(origin[0], end_x) + BESIDE
    south, north = min(origin[1], end_y) - BESIDE, max(origin[1], end_y) + BESIDE
    first_x = min(max(int((min(origin[0], end_x) - grid.x) / grid.cell), 0), grid.nx - 1)
    last_x = min(max(int((max(origin[0], end_x) - grid.x) / grid.cell), 0), grid.nx - 1)
    first_y = min(max(int((min(origin[1], end_y) - grid.y) / grid.cell), 0), grid.ny - 1)
    last_y = min(max(int((max(origin[1], end_y) - grid.y) / grid.cell), 0), grid.ny - 1)
    for cy in range(first_y, last_y + 1):
        for cx in range(first_x, last_x + 1):
            cell = cy * grid.nx + cx
            if scene.grid_top[cell] < lowest:
                continue
            for place in range(scene.grid_first[cell], scene.grid_first[cell + 1]):
                k = scene.grid_items[place]
                box = scene.triangles[k]
                if box.high[0] < west or box.low[0] > east or box.high[1] < south or box.low[1] > north:
                    continue
                t = through_triangle(scene.triangles[k], origin, way)
                if t < found:
                    found, number = t, k
    return found, number


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
    turned = spatial.cross(out, one)
    v = spatial.dot(way, turned)
    if u < -1e-9 * size or v < -1e-9 * size or u + v > (1.0 + 1e-9) * size:
        return FAR  # a hair beside it belongs to it, so that nothing falls through a common edge
    t = spatial.dot(two, turned) / size
    return t if t >= 0.0 else FAR


@compiled
def through_pieces(scene, solid, origin, way, reach):
    """Where a ray meets the pieces of a solid first: the distance (m), FAR for nowhere, and the normal, world axes."""
    out = (origin[0] - solid.position[0], origin[1] - solid.position[1], origin[2] - solid.position[2])
    o, d = spatial.to_craft(solid.axes, out), spatial.to_craft(solid.axes, way)
    found, x, y, z = FAR, 0.0, 0.0, 0.0
    for k in range(solid.first_piece, solid.first_piece + solid.pieces):
        piece = scene.pieces[k]
        t, n = FAR, (0.0, 0.0, 0.0)
        if piece.kind == CYLINDER:
            t, n = through_cylinder(piece, o, d)
        elif piece.faces > 0:
            t, n = through_faces(scene, piece, o, d)
        else:
            t, n = through_round(scene, piece, o, d)
        if t < found and t <= reach:
            found, x, y, z = t, n[0], n[1], n[2]
    return found, spatial.to_world(solid.axes, (x, y, z))


@compiled
def through_faces(scene, piece, o, d):
    """Where a ray enters a convex solid of flat faces; 0 where it begins in it."""
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
    """Where a ray enters a ball round a point; 0 where it begins in it, FAR where it misses."""
    p = (o[0] - x, o[1] - y, o[2] - z)
    b, c = spatial.dot(p, d), spatial.dot(p, p) - radius * radius
    if c <= 0.0:
        return 0.0
    root = b * b - c
    if b >= 0.0 or root < 0.0:
        return FAR
    return -b - math.sqrt(root)


@compiled
def through_round(scene, piece, o, d):
    """A ball, or a rod with half balls at its ends."""
    a = scene.corners[piece.first]
    t = through_ball(o, d, a[0], a[1], a[2], piece.radius)
    x, y, z = a[0], a[1], a[2]
    if piece.count == 2:
        b = scene.corners[piece.first + 1]
        other = through_ball(o, d, b[0], b[1], b[2], piece.radius)
        if other < t:
            t, x, y, z = other, b[0], b[1], b[2]
        rod = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
        long = spatial.length(rod)
        if long > 1e-12:
            axis = (rod[0] / long, rod[1] / long, rod[2] / long)
            p = (o[0] - a[0], o[1] - a[1], o[2] - a[2])
            side = through_side(p, d, axis, piece.radius)
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
    """Where a ray enters an endless cylinder round an axis through 0; 0 where it begins in it, FAR where it misses."""
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
    """Where a ray enters a cylinder: its side between the ends, or one of the ends."""
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


@unit
def push_back(crafts, scene, supports, nows):
    """What the bodies below feel of the forces that rays gave their crafts: the same, the other way."""
    for c in range(crafts.shape[0]):
        first = crafts[c].first_support + crafts[c].supports
        for k in range(first, first + crafts[c].rays):
            support = supports[k]
            if support.below <= GROUND or support.load == 0.0:
                continue
            other = scene.solids[support.below]
            if other.kind != FREE:
                continue
            broad.wake(scene, support.below)
            push(other, support, nows, nows[c].dt)


@compiled
def push(body, support, nows, dt):
    """Gives a body the impulse of a support, N s; that of a craft is booked on its ledger as a contact."""
    lever = (
        support.point[0] - body.position[0],
        support.point[1] - body.position[1],
        support.point[2] - body.position[2],
    )
    force = (-support.force[0], -support.force[1], -support.force[2])
    torque = spatial.cross(lever, force)
    if body.craft >= 0:
        now = nows[body.craft]
        k = now.parts + CONTACT
        for i in range(3):
            now.lines[k, i] += force[i] * (1.0 if body.inverse_mass[i] > 0.0 else 0.0)
            now.lines[k, 3 + i] += torque[i] * body.free_spin[i]
            now.momentum[i] += dt * torque[i] * body.free_spin[i]
    turned = spatial.times(body.inverse_inertia, torque)
    for i in range(3):
        body.pushed[i] += dt * force[i] * body.inverse_mass[i]
        body.velocity[i] += dt * force[i] * body.inverse_mass[i]
        body.spin[i] += dt * turned[i]


_TAKEN = (
    Array(Record(state.CRAFT), (None,)),
    None,
    Array(Record(state.SUPPORT), (None,)),
    Array(Record(state.NOW), (None,)),
)
CAST = Address(_TAKEN, NOTHING)
"""`cast_all` by its address."""
PUSH_BACK = Address(_TAKEN, NOTHING)
"""`push_back` by its address."""
