"""Documents of layers: groups of bodies, and which of them collide, are only reported, or pass each other."""

from collections.abc import Collection, Iterable
from typing import TYPE_CHECKING, Literal

import numpy as np
from pydantic import Field, field_validator

from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.base.faults import close_match

if TYPE_CHECKING:
    from oak_sled.core.base.arrays import Ints

GROUND, BODIES = "ground", "bodies"
BUILT_IN_LAYERS = (GROUND, BODIES)
"""Layers every ground has: its surface, edges and walls, and every body that names no layer."""

Response = Literal["collide", "report", "pass"]
RESPONSES: tuple[Response, ...] = ("collide", "report", "pass")


class Layer(Frozen):
    """A group of bodies; it collides with every layer, itself too, unless a pair of layers says otherwise."""

    id: str = name_field("the name by which bodies, launchers and knockbacks refer to it")


class LayerPair(Frozen):
    """Answer of the bodies of two layers where they overlap."""

    id: str = name_field("its name")
    one: str = reference("layer", "a layer", ...)
    other: str = reference("layer", "the other layer, or the same", ...)
    then: Response = Field("pass", description="collide, only report overlaps, or ignore each other")

    @field_validator("then", mode="before")
    @classmethod
    def _by_its_word_of_today(cls, then: object) -> object:
        return "collide" if then == "meet" else then  # in files of before


def check(layers: Iterable[Layer], pairs: Iterable[LayerPair], used: Collection[tuple[str, str]]) -> None:
    """Raises ValueError for a layer that is built in already, that is not there, or a pair that stands twice.

    used : (where, name) of every body that names a layer.
    """
    own = [one.id for one in layers]
    for name in set(own) & set(BUILT_IN_LAYERS):
        raise ValueError(f"layers.{name}: every ground has it already (choose another id)")
    names, seen = [*BUILT_IN_LAYERS, *own], set()
    for pair in pairs:
        used = [*used, (f"layer_pairs.{pair.id}.one", pair.one), (f"layer_pairs.{pair.id}.other", pair.other)]
        both = frozenset((pair.one, pair.other))
        if both in seen:
            raise ValueError(
                f"layer_pairs.{pair.id}: {pair.one} and {pair.other} have a pair already (one for each two layers)"
            )
        seen.add(both)
    for where, name in used:
        if name not in names:
            raise ValueError(f"{where}: there is no layer {name!r} ({close_match(name, names)})")


def table(layers: Iterable[Layer], pairs: Iterable[LayerPair]) -> "tuple[list[str], Ints]":
    """Names of all layers, the built-in ones first, and what each does with each: places in RESPONSES, shape (n, n)."""
    names = [*BUILT_IN_LAYERS, *(one.id for one in layers)]
    made = np.zeros((len(names), len(names)), np.int64)
    for pair in pairs:
        a, b = names.index(pair.one), names.index(pair.other)
        made[a, b] = made[b, a] = RESPONSES.index(pair.then)
    return names, made
