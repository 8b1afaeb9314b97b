"""Hull against wall: separating axes between a box or ball hull and an upright box wall.

The place of the general contact solver. Walls stand upright, so the normal is level and lies on an
axis of the wall or of the hull (separating-axis theorem for convex shapes; Ericson, Real-Time
Collision Detection, section 5.2.1).
"""

from __future__ import annotations

import math

from oak_sled.core import body as body_module
from oak_sled.core import spatial
from oak_sled.core.compiler.kernel import compiled

SLOP = 1e-3
"""m of overlap that is left alone, so that a craft leaning on a wall keeps touching it."""
APART = 0.25
"""s clear of every wall after which a touch is a new hit: a craft that scrapes along touches again and again."""
NOTHING = 1e30


@compiled
def touch(body, axes, x, y, z, wall):
    """Overlap of the hull at (x, y, z) with `wall`.

    Returns (depth, normal x, normal y, contact x, contact y): depth in m, positive when they
    overlap; the normal points from the wall to the hull, world axes.
    """
    centre = spatial.to_world(axes, body.hull_centre)
    x, y, z = x + centre[0], y + centre[1], z + centre[2]
    near = body.reach + wall.reach
    if (x - wall.x) ** 2 + (y - wall.y) ** 2 > near * near:
        return -NOTHING, 0.0, 0.0, x, y
    rise = abs(axes[2, 0]) * body.half[0] + abs(axes[2, 1]) * body.half[1] + abs(axes[2, 2]) * body.half[2]
    if body.hull_kind == 1:
        rise = body.half[2]
    if z - rise > wall.top:
        return -NOTHING, 0.0, 0.0, x, y
    if body.hull_kind == 1:
        return touch_ball(body.half[0], x, y, wall)
    return touch_box(body, axes, x, y, wall)


@compiled
def touch_ball(radius, x, y, wall):
    """The same for a ball or an upright cylinder, seen from above as a circle."""
    along = (x - wall.x) * wall.cos + (y - wall.y) * wall.sin
    across = (y - wall.y) * wall.cos - (x - wall.x) * wall.sin
    near_a = min(max(along, -wall.half_length), wall.half_length)
    near_b = min(max(across, -wall.half_width), wall.half_width)
    da, db = along - near_a, across - near_b
    away = math.hypot(da, db)
    if away > 0.0:
        depth = radius - away
        na, nb = da / away, db / away
    elif wall.half_length - abs(along) < wall.half_width - abs(across):
        na, nb = (1.0 if along > 0.0 else -1.0), 0.0
        depth = radius + wall.half_length - abs(along)
    else:
        na, nb = 0.0, (1.0 if across > 0.0 else -1.0)
        depth = radius + wall.half_width - abs(across)
    nx, ny = na * wall.cos - nb * wall.sin, na * wall.sin + nb * wall.cos
    return depth, nx, ny, x - nx * radius, y - ny * radius


@compiled
def span(body, axes, nx, ny):
    """Half the width of the hull along a level direction, m."""
    total = 0.0
    for k in range(3):
        total += abs(axes[0, k] * nx + axes[1, k] * ny) * body.half[k]
    return total


@compiled
def touch_box(body, axes, x, y, wall):
    """The same for a box: the axis of least overlap among those of the wall and of the hull."""
    depth, nx, ny, on_wall = NOTHING, 0.0, 0.0, True
    dx, dy = x - wall.x, y - wall.y
    for k in range(5):
        if k == 0:
            ax, ay = wall.cos, wall.sin
        elif k == 1:
            ax, ay = -wall.sin, wall.cos
        else:
            ax, ay = -axes[1, k - 2], axes[0, k - 2]  # level normal of a hull edge
        size = math.hypot(ax, ay)
        if size < 1e-6:
            continue
        ax, ay = ax / size, ay / size
        apart = dx * ax + dy * ay
        wall_span = wall.half_length * abs(wall.cos * ax + wall.sin * ay)
        wall_span += wall.half_width * abs(wall.cos * ay - wall.sin * ax)
        overlap = span(body, axes, ax, ay) + wall_span - abs(apart)
        if overlap <= 0.0:
            return overlap, 0.0, 0.0, x, y
        # a hull axis must win clearly, so that a flat meeting is always seen from the wall
        if overlap < depth - (1e-6 if k >= 2 else 0.0):
            sign = 1.0 if apart >= 0.0 else -1.0
            depth, nx, ny, on_wall = overlap, sign * ax, sign * ay, k < 2
    if on_wall:
        cx, cy = deepest_corners(body, axes, x, y, nx, ny, wall)
    else:
        cx, cy = wall_corner(wall, nx, ny)
    return depth, nx, ny, cx, cy


@compiled
def deepest_corners(body, axes, x, y, nx, ny, wall):
    """The mean of the hull corners that lie deepest against the normal, held to the wall's length.

    Corners within 5 mm of the deepest count, so that a flat meeting acts at the middle of the face.
    """
    deepest = NOTHING
    for corner in range(8):
        out = corner_offset(body, axes, corner)
        deepest = min(deepest, out[0] * nx + out[1] * ny)
    sum_x, sum_y, count = 0.0, 0.0, 0.0
    for corner in range(8):
        out = corner_offset(body, axes, corner)
        if out[0] * nx + out[1] * ny < deepest + 5e-3:
            along = (x + out[0] - wall.x) * wall.cos + (y + out[1] - wall.y) * wall.sin
            across = (y + out[1] - wall.y) * wall.cos - (x + out[0] - wall.x) * wall.sin
            along = min(max(along, -wall.half_length), wall.half_length)
            across = min(max(across, -wall.half_width), wall.half_width)
            sum_x += wall.x + along * wall.cos - across * wall.sin
            sum_y += wall.y + along * wall.sin + across * wall.cos
            count += 1.0
    return sum_x / count, sum_y / count


@compiled
def corner_offset(body, axes, corner):
    """A corner of the hull from its centre, world axes."""
    sx = body.half[0] if (corner & 1) != 0 else -body.half[0]
    sy = body.half[1] if (corner & 2) != 0 else -body.half[1]
    sz = body.half[2] if (corner & 4) != 0 else -body.half[2]
    return spatial.to_world(axes, (sx, sy, sz))


@compiled
def wall_corner(wall, nx, ny):
    """The corner of the wall that lies farthest along the normal."""
    along = wall.half_length if wall.cos * nx + wall.sin * ny > 0.0 else -wall.half_length
    across = wall.half_width if wall.cos * ny - wall.sin * nx > 0.0 else -wall.half_width
    return (
        wall.x + along * wall.cos - across * wall.sin,
        wall.y + along * wall.sin + across * wall.cos,
    )


@compiled
def push_at(now, lever, impulse, k):
    """Gives the craft an impulse (N s, world axes) at a lever, and books it as a force over the tick."""
    moment = spatial.cross(lever, impulse)
    change = spatial.times(now.inverse_inertia, moment)
    for i in range(3):
        now.velocity[i] += impulse[i] / now.mass
        now.spin[i] += change[i]
        now.momentum[i] += moment[i]
        now.lines[k, i] += impulse[i] / now.dt
        now.lines[k, 3 + i] += moment[i] / now.dt


@compiled
def answer(bumper, now, lever, nx, ny, first, k):
    """The wall response at velocity level: no speed is left that goes into the wall.

    first : whether the craft was clear of walls before, so that this is the hit and not the scraping after it.
    """
    swing = spatial.cross((now.spin[0], now.spin[1], now.spin[2]), lever)
    ux, uy = now.velocity[0] + swing[0], now.velocity[1] + swing[1]
    into = -(ux * nx + uy * ny)
    if into <= 0.0:
        return
    if bumper.wall_response == 2 and first:
        for i in range(3):
            now.lines[k, i] -= now.mass * now.velocity[i] / now.dt
            now.lines[k, 3 + i] -= now.momentum[i] / now.dt
            now.velocity[i] = 0.0
            now.spin[i] = 0.0
            now.momentum[i] = 0.0
        return
    # below a creeping speed nothing bounces, so that a craft pressed to a wall comes to rest there
    back = bumper.bounce if into > 0.2 else 0.0
    normal = body_module.felt_mass(now, lever, (nx, ny, 0.0)) * (1.0 + back) * into
    push_at(now, lever, (normal * nx, normal * ny, 0.0), k)
    tx, ty = -ny, nx
    swing = spatial.cross((now.spin[0], now.spin[1], now.spin[2]), lever)
    along = (now.velocity[0] + swing[0]) * tx + (now.velocity[1] + swing[1]) * ty
    stopping = body_module.felt_mass(now, lever, (tx, ty, 0.0)) * abs(along)
    loss = stopping * (1.0 - bumper.keep_along) if first else min(stopping, bumper.scrape * normal)
    loss = -loss if along > 0.0 else loss
    push_at(now, lever, (loss * tx, loss * ty, 0.0), k)


@compiled
def meet(body, walls, now, k):
    """Step 6: answers every wall the hull touches, booked on line `k`; returns 1 while one is touched, else 0.

    Also takes the overlap out, as a change of place and not of speed, so that it adds no energy.
    """
    bumper = body.bumper
    touching = 0.0
    first = now.clear_for > APART + 0.5 * now.dt  # half a tick of slack: whole ticks, whatever the rounding
    for w in range(walls.shape[0]):
        depth, nx, ny, cx, cy = touch(body, now.axes, now.position[0], now.position[1], now.position[2], walls[w])
        if depth <= 0.0:
            continue
        touching = 1.0
        lever = (cx - now.position[0], cy - now.position[1], 0.0)
        answer(bumper, now, lever, nx, ny, first, k)
        out = max(depth - SLOP, 0.0)
        now.position[0] += out * nx * body.free[0]
        now.position[1] += out * ny * body.free[1]
        now.points[k, 0], now.points[k, 1] = cx, cy
    return touching


@compiled
def clear_way(body, walls, now, dx, dy, dz):
    """Share of a move that is free of walls, so that a fast craft does not pass through a thin one.

    The move is longer than half of the thinnest wall (a shorter one needs no march); it is marched in such
    steps and then halved down to the moment of touch. The hull then stands in the wall by less than
    the slop, and the next tick answers with the full speed.
    """
    move = math.sqrt(dx * dx + dy * dy + dz * dz)
    steps = math.ceil(move / (0.5 * body.thinnest))
    for k in range(1, steps + 1):
        if deepest(body, walls, now, dx, dy, dz, k / steps) > SLOP:
            low, high = (k - 1) / steps, k / steps
            for _ in range(40):
                middle = 0.5 * (low + high)
                if deepest(body, walls, now, dx, dy, dz, middle) > 0.5 * SLOP:
                    high = middle
                else:
                    low = middle
            return high
    return 1.0


@compiled
def deepest(body, walls, now, dx, dy, dz, share):
    """The deepest overlap with any wall after that share of a move, m."""
    most = -NOTHING
    for w in range(walls.shape[0]):
        depth, nx, ny, _, _ = touch(
            body,
            now.axes,
            now.position[0] + share * dx,
            now.position[1] + share * dy,
            now.position[2] + share * dz,
            walls[w],
        )
        # a wall it already leans on and moves along or away from does not hold it back
        if depth > most and dx * nx + dy * ny < 0.0:
            most = depth
    return most
