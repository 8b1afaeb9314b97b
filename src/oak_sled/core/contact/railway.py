"""Rails in the kernel: point, tangent and top at a place of its arc length, and which rail comes behind a switch.

A rail is a table of points at equal steps of arc length with a cubic (Hermite) between two; straight on past its ends.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import spatial

STOPS, OPEN = range(2)
"""At the open ends of a rail: a buffer, or nothing."""
ROUNDS = 8
"""Rounds of Newton's method for the place that is nearest to a point."""

RAIL = np.dtype(
    [
        ("first", "i8"),  # row of its first point among all tables
        ("nodes", "i8"),
        ("closed", "i8"),
        ("ends", "i8"),  # STOPS or OPEN
        ("step", "f8"),  # m of arc length between two points
        ("length", "f8"),  # m
        ("onto", "i8", (2,)),  # the rail that its first and last point lie on; -1: none
        ("at", "f8", (2,)),  # m of arc length there
        ("way", "f8", (2,)),  # 1 where both run the same way, else -1
        ("switched", "i8", (2,)),  # 1 where that switch leads onto this rail
    ]
)


@compiled
def wrapped(rail, place):
    """m of arc length within a closed rail."""
    return place - rail.length * math.floor(place / rail.length) if rail.closed == 1 else place


@compiled
def row_of(rail, place):
    """The row of the point before a place, among all tables."""
    k = math.floor(place / rail.step)
    return rail.first + min(max(k, 0), rail.nodes - 2)


@compiled
def point_at(rail, nodes, place):
    """Point at m of arc length, m."""
    s = wrapped(rail, place)
    if s < 0.0 or s > rail.length:
        k, over = (rail.first, s) if s < 0.0 else (rail.first + rail.nodes - 1, s - rail.length)
        return (
            nodes[k, 0] + over * nodes[k, 3],
            nodes[k, 1] + over * nodes[k, 4],
            nodes[k, 2] + over * nodes[k, 5],
        )
    k = row_of(rail, s)
    u = s / rail.step - (k - rail.first)
    h = (2.0 * u - 3.0) * u * u + 1.0
    a, b = rail.step * ((u - 2.0) * u + 1.0) * u, rail.step * (u - 1.0) * u * u
    return (
        h * nodes[k, 0] + (1.0 - h) * nodes[k + 1, 0] + a * nodes[k, 3] + b * nodes[k + 1, 3],
        h * nodes[k, 1] + (1.0 - h) * nodes[k + 1, 1] + a * nodes[k, 4] + b * nodes[k + 1, 4],
        h * nodes[k, 2] + (1.0 - h) * nodes[k + 1, 2] + a * nodes[k, 5] + b * nodes[k + 1, 5],
    )


@compiled
def tangent_at(rail, nodes, place):
    """Unit tangent at m of arc length."""
    s = wrapped(rail, place)
    if s < 0.0 or s > rail.length:
        k = rail.first if s < 0.0 else rail.first + rail.nodes - 1
        return (nodes[k, 3], nodes[k, 4], nodes[k, 5])
    k = row_of(rail, s)
    u = s / rail.step - (k - rail.first)
    h = 6.0 * (u - 1.0) * u / rail.step
    a, b = (3.0 * u - 4.0) * u + 1.0, (3.0 * u - 2.0) * u
    return unit_of(
        (
            h * (nodes[k, 0] - nodes[k + 1, 0]) + a * nodes[k, 3] + b * nodes[k + 1, 3],
            h * (nodes[k, 1] - nodes[k + 1, 1]) + a * nodes[k, 4] + b * nodes[k + 1, 4],
            h * (nodes[k, 2] - nodes[k + 1, 2]) + a * nodes[k, 5] + b * nodes[k + 1, 5],
        )
    )


@compiled
def top_at(rail, nodes, place, way):
    """The unit upward direction at m of arc length. way : the tangent there."""
    s = wrapped(rail, place)
    k = row_of(rail, s)
    u = min(max(s / rail.step - (k - rail.first), 0.0), 1.0)
    up = (
        (1.0 - u) * nodes[k, 6] + u * nodes[k + 1, 6],
        (1.0 - u) * nodes[k, 7] + u * nodes[k + 1, 7],
        (1.0 - u) * nodes[k, 8] + u * nodes[k + 1, 8],
    )
    along = spatial.dot(up, way)
    return unit_of((up[0] - along * way[0], up[1] - along * way[1], up[2] - along * way[2]))


@compiled
def unit_of(v):
    """A vector at length 1."""
    size = spatial.length(v)
    return (v[0] / size, v[1] / size, v[2] / size)


@compiled
def nearest(rail, nodes, place, point):
    """m of arc length nearest to a point, by Newton's method from a place near it."""
    for _ in range(ROUNDS):
        off = spatial.minus(point, point_at(rail, nodes, place))
        ahead = spatial.dot(off, tangent_at(rail, nodes, place))
        place += ahead
        if abs(ahead) < 1e-13 * (1.0 + abs(place)):
            break
    return place


@compiled
def course(rails, number, before, place):
    """The rail, place and way (1, or -1 where it runs against the first) that lie `place` m along a rail on which a
    body was `before` m along: it follows switches, and comes off a branch onto the rail that that lies on."""
    rail = rails[number]
    if rail.closed == 0:
        end = 0 if place < 0.0 else 1
        if (place < 0.0 or place > rail.length) and rail.onto[end] >= 0:
            over = place if place < 0.0 else place - rail.length
            return rail.onto[end], rail.at[end] + rail.way[end] * over, rail.way[end]
    for k in range(rails.shape[0]):
        other = rails[k]
        for end in range(2):
            if other.onto[end] != number or other.switched[end] == 0:
                continue
            way = other.way[end] if end == 0 else -other.way[end]
            now, was = way * apart(rail, place, other.at[end]), way * apart(rail, before, other.at[end])
            if now >= 0.0 and was < 0.0:
                return k, now if end == 0 else other.length - now, other.way[end]
    return number, place, 1.0


@compiled
def apart(rail, place, other):
    """m from one place of a rail on to another, the shorter way round a closed one."""
    off = place - other
    return off - rail.length * math.floor(off / rail.length + 0.5) if rail.closed == 1 else off
