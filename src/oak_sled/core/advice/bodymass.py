"""Mass of a body of a ground by its name."""

from __future__ import annotations

from collections.abc import Sequence

from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground


def of(ground: Ground, name: str, crafts: Sequence[Craft]) -> float | None:
    """kg of a body that moves; None for the world and what stands."""
    block = next((one for one in ground.blocks if one.id == name), None)
    if block is not None:
        return block.mass if block.moves == "free" else None
    craft = next((one for one in crafts if one.id == name), None)
    return None if craft is None else craft.body.true_mass() + craft.carried_mass()
