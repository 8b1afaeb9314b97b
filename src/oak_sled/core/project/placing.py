"""The place of a new block: clear of what stands there already."""

from __future__ import annotations

import math
from typing import Any

from oak_sled.core.yard.block import Block
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Start
from oak_sled.core.yard.ground import Ground

APART = 0.5
"""m that is kept between what is placed and what stands there."""
TRIES = 100


def clear_of(item: Any, ground: Ground, craft: Craft, start: Start) -> Any:
    """A thing to be placed on a ground; a block that can be pushed is moved ahead in the direction of the start until
    it is clear of the craft there and of the blocks that can be pushed; not where that takes too many steps."""
    if not isinstance(item, Block) or item.moves != "free":
        return item
    taken = [(start.x, start.y, _reach(craft))]
    taken += [(one.x, one.y, _half(one)) for one in ground.blocks if one.moves == "free"]
    own, step = _half(item), 0.5
    angle = math.radians(start.heading_deg)
    for k in range(TRIES):
        x, y = item.x + k * step * math.cos(angle), item.y + k * step * math.sin(angle)
        if all(math.hypot(x - at_x, y - at_y) >= own + far + APART for at_x, at_y, far in taken):
            return item.replace(x=round(x, 2), y=round(y, 2)) if k else item
    return item


def _half(block: Block) -> float:
    """m from the middle of a block to its farthest corner, seen from above."""
    return 0.5 * math.hypot(block.length, block.width)


def _reach(craft: Craft) -> float:
    """m from the origin of a craft to its farthest corner, seen from above."""
    found = 0.0
    for body in (craft.body, *craft.bodies):
        half, middle = body.half_extents(), body.middle()
        at = (getattr(body, "x", 0.0) + middle[0], getattr(body, "y", 0.0) + middle[1])
        found = max(found, math.hypot(*at) + math.hypot(half[0], half[1]))
    return found
