"""The surface under a point: stretches of the ground that grip, glide and shake otherwise than the rest."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled

MOST_PATCHES = 40

PATCH = np.dtype(
    [
        ("x", "f8"),
        ("y", "f8"),
        ("cos", "f8"),
        ("sin", "f8"),
        ("half_length", "f8"),
        ("half_width", "f8"),
        ("grip", "f8"),
        ("glide", "f8"),
        ("roughness", "f8"),
    ]
)


@compiled
def under(patches, count, x, y):
    """The number of the patch at a point, the last one laid there; -1 on bare ground."""
    for k in range(count - 1, -1, -1):
        dx, dy = x - patches[k].x, y - patches[k].y
        u, v = dx * patches[k].cos + dy * patches[k].sin, dy * patches[k].cos - dx * patches[k].sin
        if abs(u) <= patches[k].half_length and abs(v) <= patches[k].half_width:
            return k
    return -1


@compiled
def grip_at(patches, count, x, y):
    """Share of the grip of bare ground at a point."""
    k = under(patches, count, x, y)
    return 1.0 if k < 0 else patches[k].grip


@compiled
def bump(x, y):
    """-1 to 1 over a place: three waves of 0.6, 1.1 and 2.3 m across one another, so that nothing repeats soon."""
    a = math.sin(10.47 * (0.8 * x + 0.6 * y))
    b = math.sin(5.71 * (0.94 * x - 0.34 * y) + 1.3)
    c = math.sin(2.73 * (0.2 * x + 0.98 * y) + 0.4)
    return (a + b + c) / 3.0
