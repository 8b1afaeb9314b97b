"""The heaviest yard that is allowed to be easy: a drill of 300 s, 500 blocks, and a relief of 256 x 256."""

from __future__ import annotations

import numpy as np

from oak_sled.core.geometry.terrain import Relief, pack
from oak_sled.core.project import demos
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.yard import Yard

BLOCKS, SECONDS, RELIEF = 500, 300.0, 256


def heavy_yard(seconds: float = SECONDS, blocks: int = BLOCKS, relief: int = RELIEF) -> Yard:
    """The demo's sled on a ground of many fixed blocks and uneven ice, far from its path."""
    yard = demos.load("fan-sled")
    drill = yard.drill("straight_pull").replace(duration=seconds)
    ground = yard.ground_of(drill)
    heights = np.random.default_rng(3).integers(0, 65535, (relief, relief)).astype(np.uint16)
    many = tuple(
        Block(id=f"block_{k}", moves="fixed", x=3.0 * (k % 50), y=60.0 + 3.0 * (k // 50), heading_deg=float(k % 90))
        for k in range(blocks)
    )
    uneven = Relief(columns=relief, rows=relief, data=pack(heights.astype("<u2")), y=-150.0, high=2.0)
    ground = ground.replace(blocks=many, relief=uneven, width=800.0)
    return yard.replace(
        drills=tuple(drill if one.id == drill.id else one for one in yard.drills),
        grounds=tuple(ground if one.id == ground.id else one for one in yard.grounds),
        bench=yard.bench.replace(drill=drill.id, ground=ground.id),
    )
