"""Spheres that are swept along a ray: how far the middle of one goes until it touches anything, and where.

Against a plane, a triangle and the flat faces of a hull in closed form: the face moved out by the radius, else the
cylinders about its edges and the balls about its corners (any text on collision detection, such as Ericson, Real-Time
Collision Detection, 2005, section 5.5). Balls and rods grow by the radius. The distance to a cylinder is known in
closed form, and along a line it is convex: Newton's method from the start never goes past where it is touched.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import grid, sight
from oak_sled.core.contact.records import CYLINDER
from oak_sled.core.kernel import spatial

FAR = sight.FAR
BESIDE = 1e-6
"""m beside a ray within which a triangle is looked at: more than the hair that belongs to it."""
STEPS, CLOSE = 64, 1e-10
"""Steps toward a cylinder at most, and m at which it is touched."""


@compiled
def along(o, d, t):
    """o + t d."""
    return (o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2])


@compiled
def at_edge(o, d, p, q, radius):
    """Contact of a sphere with the edge from p to q: the distance it goes, FAR for never, and the point of the edge."""
    t, at = sight.through_ball(o, d, p[0], p[1], p[2], radius), 0.0
    rod = spatial.minus(q, p)
    long = spatial.length(rod)
    other = sight.through_ball(o, d, q[0], q[1], q[2], radius)
    if other < t:
        t, at = other, 1.0
    if long > 1e-12:
        axis = (rod[0] / long, rod[1] / long, rod[2] / long)
        out = spatial.minus(o, p)
        side = sight.through_side(out, d, axis, radius)
        place = spatial.dot(out, axis) + side * spatial.dot(d, axis)
        if side < t and 0.0 <= place <= long:
            t, at = side, place / long
    return t, along(p, rod, at)


@compiled
def is_left_of(p, q, n, x):
    """True if x lies on the inner side of the edge from p to q of a face with normal n, anticlockwise from outside."""
    return spatial.dot(spatial.cross(spatial.minus(q, p), spatial.minus(x, p)), n) >= -1e-12


@compiled
def at_triangle(triangle, o, d, radius):
    """Contact of a sphere with the front of a triangle: the distance it goes, FAR for never, and the point."""
    a = (triangle.corners[0, 0], triangle.corners[0, 1], triangle.corners[0, 2])
    b = (triangle.corners[1, 0], triangle.corners[1, 1], triangle.corners[1, 2])
    c = (triangle.corners[2, 0], triangle.corners[2, 1], triangle.corners[2, 2])
    n = (triangle.normal[0], triangle.normal[1], triangle.normal[2])
    ahead, away = spatial.dot(d, n), spatial.dot(spatial.minus(o, a), n)
    if ahead >= 0.0 or away < -radius:
        return FAR, a
    t = max((away - radius) / -ahead, 0.0)
    middle = along(o, d, t)
    x = along(middle, n, -spatial.dot(spatial.minus(middle, a), n))
    if is_left_of(a, b, n, x) and is_left_of(b, c, n, x) and is_left_of(c, a, n, x):
        return t, x
    found, point = at_edge(o, d, a, b, radius)
    t, x = at_edge(o, d, b, c, radius)
    if t < found:
        found, point = t, x
    t, x = at_edge(o, d, c, a, radius)
    if t < found:
        found, point = t, x
    return found, point


@compiled
def at_faces(scene, piece, o, d, radius):
    """Contact of a sphere with a hull of flat faces: the distance it goes, FAR for never, and the point; 0 and its own
    middle where it begins in it."""
    found, point, inside = FAR, o, 1
    for f in range(piece.first_face, piece.first_face + piece.faces):
        face = scene.faces[f]
        n = (face.normal[0], face.normal[1], face.normal[2])
        first = scene.outline[face.first]
        a = (first[0], first[1], first[2])
        away, ahead = spatial.dot(spatial.minus(o, a), n), spatial.dot(d, n)
        if away > 0.0:
            inside = 0
        if ahead < 0.0 and away >= 0.0:
            t = max((away - radius) / -ahead, 0.0)
            middle = along(o, d, t)
            x = along(middle, n, -spatial.dot(spatial.minus(middle, a), n))
            within = 1
            for k in range(face.count):
                p = scene.outline[face.first + k]
                q = scene.outline[face.first + (k + 1) % face.count]
                if not is_left_of((p[0], p[1], p[2]), (q[0], q[1], q[2]), n, x):
                    within = 0
            if within == 1 and t < found:
                found, point = t, x
        for k in range(face.count):
            p = scene.outline[face.first + k]
            q = scene.outline[face.first + (k + 1) % face.count]
            t, x = at_edge(o, d, (p[0], p[1], p[2]), (q[0], q[1], q[2]), radius)
            if t < found:
                found, point = t, x
    if inside == 1:
        return 0.0, o
    return found, point


@compiled
def at_cylinder(piece, o, d, radius, reach):
    """Contact of a sphere with a cylinder: the distance it goes, FAR for never, and the point."""
    axis = (piece.axis[0], piece.axis[1], piece.axis[2])
    t, x = 0.0, o
    for _ in range(STEPS):
        middle = along(o, d, t)
        out = spatial.minus(middle, (piece.centre[0], piece.centre[1], piece.centre[2]))
        up = spatial.dot(out, axis)
        flat = along(out, axis, -up)
        size = spatial.length(flat)
        held, share = min(max(up, -piece.full_half), piece.full_half), 1.0
        if size > piece.full_disc:
            share = piece.full_disc / size
        x = (
            piece.centre[0] + held * axis[0] + share * flat[0],
            piece.centre[1] + held * axis[1] + share * flat[1],
            piece.centre[2] + held * axis[2] + share * flat[2],
        )
        way_out = spatial.minus(middle, x)
        size = spatial.length(way_out)
        apart, rate = size - radius, spatial.dot(d, way_out)
        if apart <= CLOSE:
            return t, x
        if rate >= 0.0:
            return FAR, x  # it is as near as it comes
        t += apart * size / -rate
        if t > reach:
            return FAR, x
    return FAR, x


@compiled
def at_round(scene, piece, o, d, radius):
    """Contact of a sphere with a ball or a rod: the distance it goes, FAR for never, and the point."""
    t, n = sight.through_round(scene, piece, o, d, radius)
    if t >= FAR:
        return FAR, o
    return t, along(along(o, d, t), n, -radius)


@compiled
def at_pieces(scene, solid, origin, way, reach, radius):
    """First contact of a sphere with a solid: the distance it goes, FAR for never, and the point, world axes."""
    o = spatial.to_craft(solid.axes, spatial.minus(origin, (solid.position[0], solid.position[1], solid.position[2])))
    d = spatial.to_craft(solid.axes, way)
    found, point = FAR, o
    for k in range(solid.first_piece, solid.first_piece + solid.pieces):
        piece = scene.pieces[k]
        t, x = FAR, o
        if piece.kind == CYLINDER:
            t, x = at_cylinder(piece, o, d, radius, reach)
        elif piece.faces > 0:
            t, x = at_faces(scene, piece, o, d, radius)
        else:
            t, x = at_round(scene, piece, o, d, radius)
        if t < found and t <= reach:
            found, point = t, x
    place = spatial.to_world(solid.axes, point)
    return found, (place[0] + solid.position[0], place[1] + solid.position[1], place[2] + solid.position[2])


@compiled
def normal_at(middle, point, way):
    """The unit normal from what a sphere touches toward its middle; against its way where the middle is on it."""
    out = spatial.minus(middle, point)
    size = spatial.length(out)
    if size < 1e-9:
        return (-way[0], -way[1], -way[2])
    return (out[0] / size, out[1] / size, out[2] / size)


@compiled
def among_triangles(scene, origin, way, reach, radius):
    """The triangle of the ground that a sphere touches first, or a ray of radius 0 meets from its front: how far it
    goes, the triangle (-1: none), and the point."""
    columns = scene.grid[0].cells[0]
    found, number, point = reach, -1, origin
    end, wide = along(origin, way, reach), max(radius, BESIDE)
    lowest = min(origin[2], end[2]) - radius
    west, east = min(origin[0], end[0]) - wide, max(origin[0], end[0]) + wide
    south, north = min(origin[1], end[1]) - wide, max(origin[1], end[1]) + wide
    first_x, last_x, first_y, last_y = grid.cells_under(scene, west, south, east, north)
    for cy in range(first_y, last_y + 1):
        for cx in range(first_x, last_x + 1):
            cell = cy * columns + cx
            if scene.grid_top[cell] < lowest:
                continue
            for place in range(scene.grid_first[cell], scene.grid_first[cell + 1]):
                k = scene.grid_items[place]
                box = scene.triangles[k]
                if box.high[0] < west or box.low[0] > east or box.high[1] < south or box.low[1] > north:
                    continue
                t, x = FAR, origin
                if radius > 0.0:
                    t, x = at_triangle(box, origin, way, radius)
                else:
                    t = sight.through_triangle(box, origin, way)
                if t < found:
                    found, number, point = t, k, x
    return found, number, point
