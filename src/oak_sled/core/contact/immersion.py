"""Volumes that push: what one does to a body in a tick, and the part of a body that lies under water.

Buoyancy is that of the real submerged shape: the triangles of its hull are cut by the surface of the water, and the
tetrahedra between what lies below and a point of the surface are summed (the cut itself lies in the surface and adds
nothing), which is exact for flat faces.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import environment, spatial, volumes
from oak_sled.core.kernel.volumes import BOOST, DRAG, LAUNCH, RETURN, WATER


@compiled
def push(scene, ground, s, j, dt):
    """Force, N, and torque, N m about the centre of mass, world axes, that pushing volume `j` gives body `s` in a tick,
    and kg of what moves along with it. Notes how long the body has been in it."""
    volume, one, kept = ground.volumes[j], scene.solids[s], scene.immersed[s, j]
    nothing = (0.0, 0.0, 0.0)
    v = (one.velocity[0], one.velocity[1], one.velocity[2])
    if volume.does == WATER:
        return in_water(scene, ground, volume, s, dt)
    share = volumes.share_at(volume, one.position[0], one.position[1], one.position[2])
    before = kept[0]
    kept[0] = kept[0] + dt if share > 0.0 else 0.0
    kept[1] = max(kept[1] - dt, 0.0)
    if share == 0.0:
        return nothing, nothing, 0.0
    if volume.does == DRAG:
        force, torque = slowed(volume, one, share, one.mass, dt)
        return force, torque, 0.0
    if volume.does == BOOST:
        way = turned(volume, one)
        size = spatial.length(way)
        if volume.top_speed > 0.0 and spatial.dot(v, way) >= volume.top_speed * size:
            return nothing, nothing, 0.0
        push_by = share * one.mass
        return (push_by * way[0], push_by * way[1], push_by * way[2]), nothing, 0.0
    if volume.does == LAUNCH and before == 0.0 and kept[1] == 0.0:
        kept[1] = volume.rest
        way, hit = turned(volume, one), one.mass / dt
        return (hit * way[0], hit * way[1], hit * way[2]), nothing, 0.0
    return nothing, nothing, 0.0


@compiled
def turned(volume, one):
    """The vector of a volume, world axes, counted from the heading of a body where it is set so."""
    vector = (volume.vector[0], volume.vector[1], volume.vector[2])
    if volume.along == 0:
        return vector
    hx, hy = one.axes[0, 0], one.axes[1, 0]
    size = math.sqrt(hx * hx + hy * hy)
    if size < 1e-9:
        return vector
    hx, hy = hx / size, hy / size
    return (hx * vector[0] - hy * vector[1], hy * vector[0] + hx * vector[1], vector[2])


@compiled
def slowed(volume, one, share, mass, dt):
    """Force and torque by which speed and spin decay, implicit, so that they never turn round. mass : kg that drags."""
    v = (one.velocity[0], one.velocity[1], one.velocity[2])
    taken = share * dt * (volume.linear + volume.square * spatial.length(v))
    back = -mass * taken / (1.0 + taken) / dt
    spin = (one.spin[0], one.spin[1], one.spin[2])
    turning = spatial.to_world(one.axes, spatial.times(one.inertia, spatial.to_craft(one.axes, spin)))
    slower = share * dt * volume.linear
    stop = -slower / (1.0 + slower) / dt
    return (
        (back * v[0], back * v[1], back * v[2]),
        (stop * turning[0], stop * turning[1], stop * turning[2]),
    )


@compiled
def in_water(scene, ground, volume, s, dt):
    """Buoyancy against gravity at the middle of what is below the surface, and drag by the share that is."""
    one, nothing = scene.solids[s], (0.0, 0.0, 0.0)
    top = volume.middle[2] + volume.half[2]
    whole = scene.wet_volume[s]
    if whole <= 0.0 or not is_over(volume, one.position[0], one.position[1], one.position[2]):
        return nothing, nothing, 0.0
    inside, at = submerged(scene, s, top)
    if inside <= 0.0:
        return nothing, nothing, 0.0
    pull = environment.gravity_at(ground, one.position[0], one.position[1], one.position[2])
    pushed = volume.density * inside
    lift = (-pushed * pull[0], -pushed * pull[1], -pushed * pull[2])
    moment = spatial.cross(at, lift)
    force, torque = slowed(volume, one, min(inside / whole, 1.0), one.mass, dt)
    return spatial.plus(lift, force), spatial.plus(moment, torque), volume.added * pushed


@compiled
def is_over(volume, x, y, z):
    """True where water may reach a body at a place: within its edges, however deep it is between its ends."""
    if volume.everywhere == 1:
        return True
    middle = volume.middle[2]
    return volumes.share_at(volume, x, y, middle) > 0.0 and z > middle - 2.0 * volume.half[2]


@compiled
def submerged(scene, s, top):
    """m3 of a body below the height `top`, and the middle of that from its centre of mass, m, world axes."""
    one = scene.solids[s]
    high = top - one.position[2]
    volume, x, y, z = 0.0, 0.0, 0.0, 0.0
    for t in range(scene.wet_first[s], scene.wet_first[s + 1]):
        a, b, c = corner(scene, one, t, 0, high), corner(scene, one, t, 1, high), corner(scene, one, t, 2, high)
        below = int(a[2] < 0.0) + int(b[2] < 0.0) + int(c[2] < 0.0)
        if below == 0:
            continue
        if below == 1:  # the one below comes first
            if b[2] < 0.0:
                a, b, c = b, c, a
            elif c[2] < 0.0:
                a, b, c = c, a, b
            b, c = cut(a, b), cut(a, c)
        elif below == 2:  # the one above comes last
            if a[2] >= 0.0:
                a, b, c = b, c, a
            elif b[2] >= 0.0:
                a, b, c = c, a, b
            p, q = cut(b, c), cut(a, c)
            more = spatial.dot(a, spatial.cross(p, q)) / 6.0
            volume += more
            x += 0.25 * more * (a[0] + p[0] + q[0])
            y += 0.25 * more * (a[1] + p[1] + q[1])
            z += 0.25 * more * (a[2] + p[2] + q[2])
            c = p
        more = spatial.dot(a, spatial.cross(b, c)) / 6.0
        volume += more
        x += 0.25 * more * (a[0] + b[0] + c[0])
        y += 0.25 * more * (a[1] + b[1] + c[1])
        z += 0.25 * more * (a[2] + b[2] + c[2])
    if volume <= 0.0:
        return 0.0, (0.0, 0.0, 0.0)
    return volume, (x / volume, y / volume, z / volume + high)


@compiled
def corner(scene, one, t, k, high):
    """A corner of a wet triangle from the point of the surface over the centre of mass, m, world axes."""
    own = scene.wet[t, k]
    at = spatial.to_world(one.axes, (own[0], own[1], own[2]))
    return (at[0], at[1], at[2] - high)


@compiled
def cut(below, above):
    """The point in which an edge comes through the surface."""
    share = below[2] / (below[2] - above[2])
    return (
        below[0] + share * (above[0] - below[0]),
        below[1] + share * (above[1] - below[1]),
        0.0,
    )


@compiled
def has_to_return(scene, ground, s):
    """The pushing volume that brings body `s` back now; -1 for none."""
    for j in range(ground.pushing):
        waited = scene.immersed[s, j, 0]
        if ground.volumes[j].does == RETURN and waited > 0.0 and waited >= ground.volumes[j].rest:
            return j
    return -1


@compiled
def forget(scene, s):
    """A body is where it began: it is in no volume yet."""
    for j in range(scene.immersed.shape[1]):
        scene.immersed[s, j, 0] = 0.0


@compiled
def push_loose(scene, ground, s, dt):
    """Puts what all pushing volumes give a body that belongs to no craft into its speeds."""
    one = scene.solids[s]
    fx, fy, fz, tx, ty, tz, along = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for j in range(ground.pushing):
        force, torque, added = push(scene, ground, s, j, dt)
        fx, fy, fz = fx + force[0], fy + force[1], fz + force[2]
        tx, ty, tz = tx + torque[0], ty + torque[1], tz + torque[2]
        along += added
    gained = spatial.times(one.inverse_inertia, (dt * tx, dt * ty, dt * tz))
    kept = one.mass / (one.mass + along)
    if fx != 0.0 or fy != 0.0 or fz != 0.0:
        one.still = 0.0
    for i in range(3):
        one.gained[i] = kept * (one.gained[i] + dt * (fx if i == 0 else fy if i == 1 else fz) / one.mass)
        one.spin[i] += gained[i]


@compiled
def bring_back(scene, ground, s):
    """Puts a loose body back to where it began, at rest, where a volume asks for it."""
    one = scene.solids[s]
    if one.kind != FREE or one.shot != 0 or has_to_return(scene, ground, s) < 0:
        return
    origin = scene.origins[s]
    for i in range(3):
        one.position[i] = origin[i]
        one.velocity[i], one.spin[i] = 0.0, 0.0
    for i in range(4):
        one.attitude[i] = origin[3 + i]
    forget(scene, s)
