"""A world that wraps: its seams, the nearest image of a place, and bodies that go on at the other side.

A place and its images, a whole size of the world apart, are one. Bodies stay between the edges; what is tied to another
stays by the nearest image of that. What two bodies are to each other is counted from nearest images.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, inlined


@inlined
def wraps(period):
    """True if the world has seams. period : m from edge to edge along each axis, shape (3,); 0: it goes on for ever."""
    return period[0] + period[1] + period[2] > 0.0


@compiled
def image(period, v):
    """The way by which a vector has to be moved to be the shortest of its images, m."""
    x, y, z = 0.0, 0.0, 0.0
    if period[0] > 0.0:
        x = -period[0] * math.floor(v[0] / period[0] + 0.5)
    if period[1] > 0.0:
        y = -period[1] * math.floor(v[1] / period[1] + 0.5)
    if period[2] > 0.0:
        z = -period[2] * math.floor(v[2] / period[2] + 0.5)
    return (x, y, z)


@inlined
def shortest(period, v):
    """The shortest image of a vector from one place to another, m."""
    if wraps(period):
        by = image(period, v)
        return (v[0] + by[0], v[1] + by[1], v[2] + by[2])
    return (v[0], v[1], v[2])


@inlined
def way(period, start, end):
    """m from a place to the nearest image of another: moved there first, so that no bit of what is near is lost."""
    off = (end[0] - start[0], end[1] - start[1], end[2] - start[2])
    if wraps(period):
        by = image(period, off)
        return (end[0] + by[0] - start[0], end[1] + by[1] - start[1], end[2] + by[2] - start[2])
    return off


@compiled
def fold(ground, body):
    """Puts a body that left the world at an edge to the other one."""
    for i in range(3):
        size = ground.period[i]
        if size > 0.0 and (body.position[i] < ground.low[i] or body.position[i] > ground.high[i]):
            body.position[i] -= size * math.floor((body.position[i] - ground.low[i]) / size)


@compiled
def follow(ground, body, place):
    """Puts a body to its image that is nearest to a place, m."""
    v = (body.position[0] - place[0], body.position[1] - place[1], body.position[2] - place[2])
    by = image(ground.period, v)
    for i in range(3):
        if by[i] != 0.0:
            body.position[i] += by[i]
