"""Names that a part on a strip may refer to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from oak_sled.core.parts.common import Part
from oak_sled.core.parts.layer import BUILT_IN_LAYERS
from oak_sled.core.yard.block import BUILT_IN
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground

COUNTS = {"in_flight": (1, 2, 4, 6, 8, 12, 16, 24, 32, 48, 64), "seed": tuple(range(1, 9))}
"""Whole numbers that a part is given by choice."""


@dataclass(frozen=True)
class Names:
    """Names that a part may refer to: channels, knockbacks, what stands on rays, and formulas (with their places) of
    its craft; dynamic blocks, materials and layers here."""

    channels: tuple[str, ...] = ()
    blasts: tuple[str, ...] = ()
    blocks: tuple[str, ...] = ()
    materials: tuple[str, ...] = ()
    layers: tuple[str, ...] = ()
    carriers: tuple[str, ...] = ()
    laws: tuple[tuple[str, str], ...] = ()
    wheels: tuple[str, ...] = ()
    lifting: tuple[str, ...] = ()
    washing: tuple[str, ...] = ()

    @classmethod
    def of_bench(cls, craft: Craft, ground: Ground) -> Names:
        """Those of the craft and the ground on the bench."""
        return cls(
            tuple(channel.id for channel in craft.channels),
            tuple(part.id for part in craft.parts if part.BURSTS),
            tuple(one.id for one in ground.blocks if one.moves == "free"),
            (*BUILT_IN, *(material.id for material in ground.materials)),
            (*BUILT_IN_LAYERS, *(one.id for one in ground.layers)),
            tuple(part.id for part in craft.parts if part.legs()),
            tuple((law.id, law.place) for law in craft.laws),
            tuple(part.id for part in craft.parts if any(ray.wheel > 0.0 for ray in part.rays())),
            tuple(part.id for part in craft.parts if part.SENDS_DOWN),
            tuple(part.id for part in craft.parts if part.WASHES),
        )

    def of(self, part: Part | Body, field: str) -> tuple[Any, ...] | None:
        """The choices of a field of a part that holds a name or several; None for any other field."""
        for place in part.PLACES if isinstance(part, Part) else ():
            if place.field == field:
                fitting = tuple(name for name, where in self.laws if where == place.name)
                return ("", *fitting) if fitting else None
        if field.endswith("channel"):
            return ("", *self.channels)
        known = {"blast": ("", *self.blasts), "homes_on": ("", *self.blocks), "material": ("", *self.materials)}
        known |= {"layer": ("", *self.layers), "joins": ("", *self.carriers), "wheels": ("", *self.wheels)}
        own = part.id if isinstance(part, Part) else ""
        known |= {"behind": ("", *(one for one in self.lifting if one != own)), "wash_of": ("", *self.washing)}
        return {**known, "spares": self.blocks, **COUNTS}.get(field)
