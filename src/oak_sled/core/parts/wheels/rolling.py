"""Shared by all wheels on the ground: the ways they roll and slide, and the surface below them."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import spatial, surface

LEAST_COSINE = 0.3
"""Between a strut and the normal of the ground, below which the load on a wheel grows no more."""


@compiled
def lean(support):
    """The cosine between a strut and the normal of the ground: the ground pushes along its normal, and what the strut
    leans by, the links of the wheel carry."""
    n = (support.normal[0], support.normal[1], support.normal[2])
    return max(-spatial.dot(n, (support.way[0], support.way[1], support.way[2])), LEAST_COSINE)


@compiled
def ways(support, turn, body):
    """Along a wheel that is turned by `turn` rad to the left, and to its left: unit vectors in the plane of what it
    stands on, world axes."""
    x, y, z = body.axes[0, 0], body.axes[1, 0], body.axes[2, 0]
    n = (support.normal[0], support.normal[1], support.normal[2])
    if turn != 0.0:
        cos, sin = math.cos(turn), math.sin(turn)
        x, y, z = (
            cos * x + sin * body.axes[0, 1],
            cos * y + sin * body.axes[1, 1],
            cos * z + sin * body.axes[2, 1],
        )
    into = x * n[0] + y * n[1] + z * n[2]
    ahead = (x - into * n[0], y - into * n[1], z - into * n[2])
    size = max(spatial.length(ahead), 1e-9)
    ahead = (ahead[0] / size, ahead[1] / size, ahead[2] / size)
    return ahead, spatial.cross(n, ahead)


@compiled
def surface_at(ground, support):
    """The grip below a support, and how its rolling resistance is scaled there."""
    if ground.patch_count > 0:
        k = surface.under(ground.patches, ground.patch_count, support.point[0], support.point[1])
        if k >= 0:
            return ground.grip * ground.patches[k].grip, ground.patches[k].glide
    return ground.grip, 1.0
