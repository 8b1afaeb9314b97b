"""Materials of a ground, and what two of them do together."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.block import TIMBER, Material
from oak_sled.core.yard.ground import Ground


def materials(ground: Ground) -> tuple[list[str], Floats]:
    """Names of all materials (ground, hull, timber first), and friction and bounce of every pair, shape (m, m, 2)."""
    known = [
        Material(id="ground", friction=ground.friction, restitution=ground.restitution),
        Material(id="hull", friction=0.3, restitution=0.05),
        Material(id=TIMBER),
        *ground.materials,
    ]
    names = [one.id for one in known]
    friction = np.array([one.friction for one in known])
    back = np.array([one.restitution for one in known])
    pairs = np.stack([np.sqrt(np.outer(friction, friction)), np.maximum.outer(back, back)], axis=2)
    for pair in ground.pairs:
        a, b = names.index(pair.one), names.index(pair.other)
        pairs[a, b] = pairs[b, a] = (pair.friction, pair.restitution)
    return names, pairs
