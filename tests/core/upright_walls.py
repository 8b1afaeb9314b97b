"""Hull against wall by separating axes alone: an independent check of the contacts, in plain Python.

Walls stand upright, so the normal is level and lies on an axis of the wall or of the hull (separating-axis theorem for
convex shapes; Ericson, Real-Time Collision Detection, section 5.2.1). `body` has hull_kind (0 box, 1 ball), half,
hull_centre and reach; `wall` has x, y, cos, sin, half_length, half_width, top and reach; both are records.
"""

from __future__ import annotations

import math

import numpy as np

WALL = np.dtype([(name, "f8") for name in ("x", "y", "cos", "sin", "half_length", "half_width", "top", "reach")])
HULL = np.dtype([("hull_kind", "i8"), ("half", "f8", (3,)), ("hull_centre", "f8", (3,)), ("reach", "f8")])
NOTHING = 1e30


def touch(body, axes, x, y, z, wall):
    """Overlap of the hull at (x, y, z) with `wall`.

    Returns (depth, normal x, normal y, contact x, contact y): depth in m, positive when they
    overlap; the normal points from the wall to the hull, world axes.
    """
    centre = axes @ body["hull_centre"]
    x, y, z = x + centre[0], y + centre[1], z + centre[2]
    near = body["reach"] + wall["reach"]
    if (x - wall["x"]) ** 2 + (y - wall["y"]) ** 2 > near * near:
        return -NOTHING, 0.0, 0.0, x, y
    rise = abs(axes[2, 0]) * body["half"][0] + abs(axes[2, 1]) * body["half"][1] + abs(axes[2, 2]) * body["half"][2]
    if body["hull_kind"] == 1:
        rise = body["half"][2]
    if z - rise > wall["top"]:
        return -NOTHING, 0.0, 0.0, x, y
    if body["hull_kind"] == 1:
        return touch_ball(body["half"][0], x, y, wall)
    return touch_box(body, axes, x, y, wall)


def touch_ball(radius, x, y, wall):
    """The same for a ball or an upright cylinder, seen from above as a circle."""
    along = (x - wall["x"]) * wall["cos"] + (y - wall["y"]) * wall["sin"]
    across = (y - wall["y"]) * wall["cos"] - (x - wall["x"]) * wall["sin"]
    near_a = min(max(along, -wall["half_length"]), wall["half_length"])
    near_b = min(max(across, -wall["half_width"]), wall["half_width"])
    da, db = along - near_a, across - near_b
    away = math.hypot(da, db)
    if away > 0.0:
        depth = radius - away
        na, nb = da / away, db / away
    elif wall["half_length"] - abs(along) < wall["half_width"] - abs(across):
        na, nb = (1.0 if along > 0.0 else -1.0), 0.0
        depth = radius + wall["half_length"] - abs(along)
    else:
        na, nb = 0.0, (1.0 if across > 0.0 else -1.0)
        depth = radius + wall["half_width"] - abs(across)
    nx, ny = na * wall["cos"] - nb * wall["sin"], na * wall["sin"] + nb * wall["cos"]
    return depth, nx, ny, x - nx * radius, y - ny * radius


def span(body, axes, nx, ny):
    """Half the width of the hull along a level direction, m."""
    total = 0.0
    for k in range(3):
        total += abs(axes[0, k] * nx + axes[1, k] * ny) * body["half"][k]
    return total


def touch_box(body, axes, x, y, wall):
    """The same for a box: the axis of least overlap among those of the wall and of the hull."""
    depth, nx, ny, on_wall = NOTHING, 0.0, 0.0, True
    dx, dy = x - wall["x"], y - wall["y"]
    for k in range(5):
        if k == 0:
            ax, ay = wall["cos"], wall["sin"]
        elif k == 1:
            ax, ay = -wall["sin"], wall["cos"]
        else:
            ax, ay = -axes[1, k - 2], axes[0, k - 2]  # level normal of a hull edge
        size = math.hypot(ax, ay)
        if size < 1e-6:
            continue
        ax, ay = ax / size, ay / size
        apart = dx * ax + dy * ay
        wall_span = wall["half_length"] * abs(wall["cos"] * ax + wall["sin"] * ay)
        wall_span += wall["half_width"] * abs(wall["cos"] * ay - wall["sin"] * ax)
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
            along = (x + out[0] - wall["x"]) * wall["cos"] + (y + out[1] - wall["y"]) * wall["sin"]
            across = (y + out[1] - wall["y"]) * wall["cos"] - (x + out[0] - wall["x"]) * wall["sin"]
            along = min(max(along, -wall["half_length"]), wall["half_length"])
            across = min(max(across, -wall["half_width"]), wall["half_width"])
            sum_x += wall["x"] + along * wall["cos"] - across * wall["sin"]
            sum_y += wall["y"] + along * wall["sin"] + across * wall["cos"]
            count += 1.0
    return sum_x / count, sum_y / count


def corner_offset(body, axes, corner):
    """A corner of the hull from its centre, world axes."""
    sx = body["half"][0] if (corner & 1) != 0 else -body["half"][0]
    sy = body["half"][1] if (corner & 2) != 0 else -body["half"][1]
    sz = body["half"][2] if (corner & 4) != 0 else -body["half"][2]
    return axes @ np.array([sx, sy, sz])


def wall_corner(wall, nx, ny):
    """The corner of the wall that lies farthest along the normal."""
    along = wall["half_length"] if wall["cos"] * nx + wall["sin"] * ny > 0.0 else -wall["half_length"]
    across = wall["half_width"] if wall["cos"] * ny - wall["sin"] * nx > 0.0 else -wall["half_width"]
    return (
        wall["x"] + along * wall["cos"] - across * wall["sin"],
        wall["y"] + along * wall["sin"] + across * wall["cos"],
    )
