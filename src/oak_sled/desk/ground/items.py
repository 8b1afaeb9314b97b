"""Things of a ground as documents: the lists they stand in, and what moves them."""

from __future__ import annotations

from typing import Any

from oak_sled.core.geometry.terrain import Patch
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Gate, Wall
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Stretched
from oak_sled.core.yard.ties import TIES
from oak_sled.core.yard.volume import Volume
from oak_sled.desk.drawing.grid import rounded
from oak_sled.desk.ground.groundsection import Item

LISTS: dict[type, str] = {
    **{Block: "blocks", Wall: "walls", Gate: "gates", Patch: "patches", Joint: "joints", Volume: "volumes"},
    Rail: "rails",
    **dict.fromkeys(TIES, "ties"),
}


def moved_by(item: Item, dx: float, dy: float, step: float = 0.0) -> dict[str, Any]:
    """The fields of an object that is moved, rounded to `step` m (0: as it is): a tie goes with both ends, a rail with
    all its knots."""
    if isinstance(item, Rail):
        first = item.knots[0]
        return {"knots": item.moved(rounded(first.x + dx, step) - first.x, rounded(first.y + dy, step) - first.y).knots}
    fields = {"x": rounded(item.x + dx, step), "y": rounded(item.y + dy, step)}
    if isinstance(item, Stretched):
        dx, dy = fields["x"] - item.x, fields["y"] - item.y
        fields |= {"end_x": item.end_x + dx, "end_y": item.end_y + dy}
    return fields


def item_fields(item: Any) -> str:
    """The list of the ground an object stands in."""
    return LISTS[type(item)]
