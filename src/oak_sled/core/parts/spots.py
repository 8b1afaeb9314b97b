"""Places of linked mounts: the corners of a part, and words that tell them apart."""

from collections.abc import Sequence
from typing import Any

from oak_sled.core.parts.context import Spot


def corners(part: Any) -> list[Spot]:
    """The places of one, two or four linked ones, m from the origin: left before right, front before rear."""
    xs = (part.spread_x, -part.spread_x) if part.spread_x > 0.0 else (0.0,)
    ys = (part.spread_y, -part.spread_y) if part.spread_y > 0.0 else (0.0,)
    return [(part.x + dx, part.y + dy, part.z) for dy in ys for dx in xs]


def words_of(spots: Sequence[Spot]) -> list[str]:
    """Position words of each of several places: front or rear, left or right; "" where it is the only one."""
    wide, long = len({y for _, y, _ in spots}) > 1, len({x for x, _, _ in spots}) > 1
    middle = [sum(spot[axis] for spot in spots) / max(len(spots), 1) for axis in (0, 1)]
    found = []
    for x, y, _ in spots:
        ends, sides = "front" if x > middle[0] else "rear", "left" if y > middle[1] else "right"
        found.append(" ".join(word for word, told in ((ends, long), (sides, wide)) if told))
    return found
