"""Rays that find what lies under a craft: the level plane, triangles of the ground, and other bodies.

A ray begins at its mount, and what it finds becomes a support: gap, point, normal, and the velocity of the surface
there. Parts decide what force that gives; what they push a body with, that body feels.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import Address, compiled, inlined, unit
from oak_sled.core.compiler.types import NOTHING, Array, Record
from oak_sled.core.contact import broad, narrow, sight, spheres
from oak_sled.core.contact.records import COLLIDES, CYLINDER, FIXED, FREE, GROUND, PARKED, TICKS, TRIGGER
from oak_sled.core.kernel import environment, seams, spatial, state
from oak_sled.core.kernel.state import CONTACT

AIM_CRAFT, AIM_WORLD, AIM_GROUND = range(3)
"""Directions of a ray: down in craft axes, down in world axes, or against the normal of what carries the craft."""
FAR = sight.FAR


@unit
def cast_all(crafts, scene, supports, nows):
    """Casts the rays of all crafts as the world stands, and writes their supports; loads are left to the parts."""
    if scene.counts[TICKS] == 0:
        broad.seek_neighbours(scene, nows[0].dt)
    for c in range(crafts.shape[0]):
        first = crafts[c].first_support + crafts[c].supports
        last = first + crafts[c].rays
        seen = collect_supports(scene, crafts[c].body)
        for k in range(first, last):
            cast(scene, crafts[c].body, supports[k], nows[c], seen)
            if supports[k].axle.radius > 0.0:
                ask_nothing(supports[k].axle)


@compiled
def collect_supports(scene, b):
    """Writes the bodies that rays of a body may see, and how many: neighbours within a ball that holds all its rays."""
    body, count = scene.solids[b], 0
    wide = body.ball + body.feel  # from its centre of mass, which need not be the middle of its hull
    place = (body.position[0], body.position[1], body.position[2])
    for k in range(body.near_first, body.near_last):
        other = scene.solids[scene.near[k]]
        if other.kind == PARKED or other.kind == TRIGGER:
            continue
        if not passes_near(other, origin_for(scene, other, place), (0.0, 0.0, 0.0), 0.0, wide):
            continue
        scene.sighted[count] = scene.near[k]
        count += 1
    return count


@compiled
def ask_nothing(axle):
    """Nothing is asked of a wheel yet in this tick."""
    axle.steer, axle.drive, axle.brake, axle.grip = 0.0, 0.0, 0.0, 1.0
    axle.spin_limit, axle.lock_limit, axle.binding = 0.0, 0.0, 0.0


@compiled
def cast(scene, b, support, now, seen):
    """Casts one ray of body `b`; a support that finds nothing keeps its reach as its gap, and -1 as what is below.
    seen : how many bodies of `scene.sighted` it may find."""
    body = scene.solids[b]
    lever, origin, way = aim(body, support, now)
    found, below, n = FAR, -1, (0.0, 0.0, 1.0)
    point = origin
    if support.muted == 0 and support.radius > 0.0:
        found, below, point, n = touched(scene, support.layer, origin, way, support.reach, support.radius, seen)
    elif support.muted == 0:
        found, below, n = nearest(scene, support.layer, origin, way, support.reach, seen)
        point = (origin[0] + found * way[0], origin[1] + found * way[1], origin[2] + found * way[2])
    if below < 0:
        find_nothing(support, origin, way)
        return
    other = scene.solids[below]
    vx, vy, vz = 0.0, 0.0, 0.0
    if below != GROUND:  # which never moves
        at = origin_for(scene, other, point)
        arm = (at[0] - other.position[0], at[1] - other.position[1], at[2] - other.position[2])
        swing = spatial.cross((other.spin[0], other.spin[1], other.spin[2]), arm)
        vx, vy, vz = other.velocity[0] + swing[0], other.velocity[1] + swing[1], other.velocity[2] + swing[2]
    belt = (0.0, 0.0, 0.0)
    if other.belt[0] != 0.0 or other.belt[1] != 0.0 or other.belt[2] != 0.0:
        belt = spatial.to_world(other.axes, (other.belt[0], other.belt[1], other.belt[2]))
    find(body, support, lever, way, found, point, n, (vx, vy, vz))
    support.velocity[0], support.velocity[1], support.velocity[2] = vx + belt[0], vy + belt[1], vz + belt[2]
    support.below, support.material = below, other.material


@compiled
def aim(body, support, now):
    """From where and which way a ray looks in this tick: m from the centre of mass to it, m, and a unit vector, world
    axes. What its support found in the tick before is put aside."""
    support.before = support.gap if support.below >= 0 else -1.0
    support.loaded = support.load
    support.load = 0.0
    lever = spatial.to_world(body.axes, (support.at[0], support.at[1], support.at[2]))
    origin = (body.position[0] + lever[0], body.position[1] + lever[1], body.position[2] + lever[2])
    way = (-body.axes[0, 2], -body.axes[1, 2], -body.axes[2, 2])
    if support.aim == AIM_WORLD:
        way = environment.from_level(now, (0.0, 0.0, -1.0))
    elif support.aim == AIM_GROUND:
        way = (-now.up[0], -now.up[1], -now.up[2])
    for i in range(3):
        support.way[i], support.force[i] = way[i], 0.0
    return lever, origin, way


@compiled
def find_nothing(support, origin, way):
    """A ray that meets nothing keeps its reach as its gap, and -1 as what is below."""
    support.gap, support.below, support.rate = support.reach, -1, 0.0
    for i in range(3):
        support.normal[i], support.velocity[i] = -way[i], 0.0
        support.point[i] = origin[i] + support.reach * way[i]


@compiled
def find(body, support, lever, way, found, point, n, moves):
    """Writes what a ray met: m to it, where, the normal there, and how fast the surface moves, m/s."""
    turning = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    rate = (body.velocity[0] + turning[0] - moves[0]) * way[0] + (body.velocity[1] + turning[1] - moves[1]) * way[1]
    rate += (body.velocity[2] + turning[2] - moves[2]) * way[2]
    for i in range(3):
        support.point[i], support.normal[i] = point[i], n[i]
    support.gap, support.rate = found, -rate


@unit
def hear_all(crafts, scene, supports, nows):
    """`cast_all` for a craft in a game, which casts the rays itself: what they met stands in `hit` of each support."""
    for c in range(crafts.shape[0]):
        first = crafts[c].first_support + crafts[c].supports
        for k in range(first, first + crafts[c].rays):
            hear(scene.solids[crafts[c].body], supports[k], nows[c])
            if supports[k].axle.radius > 0.0:
                ask_nothing(supports[k].axle)


@compiled
def hear(body, support, now):
    """Takes what a game says that a ray met."""
    lever, origin, way = aim(body, support, now)
    if support.muted == 1 or support.hit[0] < 0.0:
        find_nothing(support, origin, way)
        return
    n = (support.hit[1], support.hit[2], support.hit[3])
    moves = (support.hit[4], support.hit[5], support.hit[6])
    point = (support.hit[7], support.hit[8], support.hit[9])
    find(body, support, lever, way, support.hit[0], point, n, moves)
    for i in range(3):
        support.velocity[i] = moves[i]
    support.below, support.material = GROUND, 0


@compiled
def nearest(scene, layer, origin, way, reach, seen):
    """The first hit of a ray within `reach` m: the distance (m), the body (-1: none), and the normal there.

    layer : it sees what this layer collides with. origin : m, way : unit vector, world axes. seen : how many bodies of
    `scene.sighted` it may meet.
    """
    found, below = reach, -1
    nx, ny, nz = -way[0], -way[1], -way[2]
    if scene.layers[layer, scene.solids[GROUND].layer] == COLLIDES:
        if scene.grid[0].plane == 1 and way[2] < 0.0:
            t = max(origin[2], 0.0) / -way[2]
            if t < found:
                found, below, nx, ny, nz = t, GROUND, 0.0, 0.0, 1.0
        if scene.grid[0].cells[0] > 0:
            t, k, _ = spheres.among_triangles(scene, origin, way, found, 0.0)
            if k >= 0:
                triangle = scene.triangles[k]
                found, below = t, GROUND
                nx, ny, nz = triangle.normal[0], triangle.normal[1], triangle.normal[2]
    for place in range(seen):
        s = scene.sighted[place]
        other = scene.solids[s]
        if scene.layers[layer, other.layer] != COLLIDES:
            continue
        begin = origin_for(scene, other, origin)
        if not passes_near(other, begin, way, found, 0.0):
            continue
        t, n = through_pieces(scene, other, begin, way, found)
        if t < found:
            found, below, nx, ny, nz = t, s, n[0], n[1], n[2]
    return found, below, (nx, ny, nz)


@compiled
def touched(scene, layer, origin, way, reach, radius, seen):
    """The first hit of a sphere swept along a ray: the gap from the mount to its far side (m), the body (-1:
    none), the point, and the normal there. reach : of its far side. The rest is as for `nearest`."""
    found, below, point = reach - radius, -1, origin
    nx, ny, nz = -way[0], -way[1], -way[2]
    if scene.layers[layer, scene.solids[GROUND].layer] == COLLIDES:
        if scene.grid[0].plane == 1 and way[2] < 0.0:
            t = max(origin[2] - radius, 0.0) / -way[2]
            if t < found:
                found, below, nx, ny, nz = t, GROUND, 0.0, 0.0, 1.0
                point = (origin[0] + t * way[0], origin[1] + t * way[1], 0.0)
        if scene.grid[0].cells[0] > 0:
            t, k, x = spheres.among_triangles(scene, origin, way, found, radius)
            if k >= 0:
                found, below, point = t, GROUND, x
                nx, ny, nz = spheres.normal_at(spheres.along(origin, way, t), x, way)
    for place in range(seen):
        s = scene.sighted[place]
        other = scene.solids[s]
        if scene.layers[layer, other.layer] != COLLIDES:
            continue
        begin = origin_for(scene, other, origin)
        if not passes_near(other, begin, way, found, radius):
            continue
        t, x = spheres.at_pieces(scene, other, begin, way, found, radius)
        if t < found:
            found, below = t, s
            nx, ny, nz = spheres.normal_at(spheres.along(begin, way, t), x, way)
            point = spatial.plus(x, spatial.minus(origin, begin))
    return found + radius, below, point, (nx, ny, nz)


@inlined
def origin_for(scene, solid, place):
    """A place, m, as it is to a body: its image that is nearest to that."""
    if seams.wraps(scene.period):
        off = (place[0] - solid.position[0], place[1] - solid.position[1], place[2] - solid.position[2])
        return spatial.plus(place, seams.image(scene.period, off))
    return (place[0], place[1], place[2])


@compiled
def passes_near(solid, origin, way, reach, radius):
    """True if a ray of that radius comes into the ball round a solid, and into the box round one that never moves."""
    if solid.kind == FIXED:
        for i in range(3):
            end = origin[i] + reach * way[i]
            if max(origin[i], end) + radius < solid.low[i] or min(origin[i], end) - radius > solid.high[i]:
                return False
    x, y, z = solid.position[0] - origin[0], solid.position[1] - origin[1], solid.position[2] - origin[2]
    along = min(max(x * way[0] + y * way[1] + z * way[2], 0.0), reach)
    x, y, z = x - along * way[0], y - along * way[1], z - along * way[2]
    wide = solid.ball + radius
    return x * x + y * y + z * z <= wide * wide


@compiled
def through_pieces(scene, solid, origin, way, reach):
    """The first hit of a ray on the pieces of a solid: the distance (m), FAR for nowhere, and the normal, world
    axes."""
    out = (origin[0] - solid.position[0], origin[1] - solid.position[1], origin[2] - solid.position[2])
    o, d = spatial.to_craft(solid.axes, out), spatial.to_craft(solid.axes, way)
    found, x, y, z = FAR, 0.0, 0.0, 0.0
    for k in range(solid.first_piece, solid.first_piece + solid.pieces):
        piece = scene.pieces[k]
        t, n = FAR, (0.0, 0.0, 0.0)
        if piece.kind == CYLINDER:
            t, n = sight.through_cylinder(piece, o, d)
        elif piece.faces > 0:
            t, n = sight.through_faces(scene, piece, o, d)
        else:
            t, n = sight.through_round(scene, piece, o, d, 0.0)
        if t < found and t <= reach:
            found, x, y, z = t, n[0], n[1], n[2]
    return found, spatial.to_world(solid.axes, (x, y, z))


@unit
def push_back(crafts, scene, supports, nows):
    """Pushes the bodies below with the forces that rays gave their crafts, the other way."""
    for c in range(crafts.shape[0]):
        first = crafts[c].first_support + crafts[c].supports
        for k in range(first, first + crafts[c].rays):
            support = supports[k]
            if support.below <= GROUND or support.load == 0.0:
                continue
            other = scene.solids[support.below]
            if other.kind != FREE:
                continue
            narrow.wake(scene, support.below)
            at = origin_for(scene, other, (support.point[0], support.point[1], support.point[2]))
            push(other, support, at, nows, nows[c].dt)


@compiled
def push(body, support, at, nows, dt):
    """Gives a body the impulse of a support, N s, at a place, m; that of a craft is booked on its ledger as a
    contact."""
    lever = (at[0] - body.position[0], at[1] - body.position[1], at[2] - body.position[2])
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
