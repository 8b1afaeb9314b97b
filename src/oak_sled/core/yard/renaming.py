"""Renaming of what stands on a ground: every document that names it goes with it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from oak_sled.core.base import renames
from oak_sled.core.base.faults import refuse
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.tie import Tie
from oak_sled.core.yard.yard import Yard

KINDS = {"blocks": "block", "materials": "material", "layers": "layer", "ties": "tie", "rails": "rail"}
"""The fields of a ground whose members are named elsewhere, and as what; see `document.reference`."""


def renamed(yard: Yard, ground: str, field: str, old: str, new: str) -> Yard:
    """The yard in which the member `old` of a field of a ground, such as "blocks", is called `new`.

    What names it follows: all of that ground, the drills that run on it, and the parts of crafts, unless another
    ground has one of the old name too. Raises `Refused` where the new name is taken, or is none.
    """
    place = yard.ground(ground)
    path = f"grounds.{ground}.{field}.{old}"
    if new == old:
        return yard
    if new in {one.id for one in getattr(place, field)} | ({c.id for c in yard.crafts} if field == "blocks" else set()):
        raise refuse(f"{path}.id", f"the name {new!r} is taken", "a name that nothing else on this ground has")
    elsewhere = any(old in [one.id for one in getattr(other, field)] for other in yard.grounds if other is not place)
    changes: list[tuple[str, Any]] = [(f"{path}.id", new)]
    for where, owner, name in _named(yard, place, KINDS.get(field, ""), elsewhere):
        value = getattr(owner, name)
        if isinstance(value, str) and value == old:
            changes.append((where, new))
        elif isinstance(value, tuple) and old in value:
            changes.append((where, tuple(new if one == old else one for one in value)))
    changes += in_spreads(yard, path, f"grounds.{ground}.{field}.{new}")
    return yard.edit_all(changes)


def in_spreads(yard: Yard, old: str, new: str) -> list[tuple[str, Any]]:
    """Changes of the spreads that vary something at or below a path that becomes another."""
    kept = tuple(
        one.replace(
            axes=tuple(
                axis.replace(path=new + axis.path[len(old) :]) if f"{axis.path}.".startswith(f"{old}.") else axis
                for axis in one.axes
            )
        )
        for one in yard.spreads
    )
    return [("spreads", kept)] if kept != yard.spreads else []


def _named(yard: Yard, ground: Ground, what: str, elsewhere: bool) -> Iterator[tuple[str, Any, str]]:
    """Every field that may name a thing of a ground: (path, owner, field). elsewhere : another ground has one of that
    name."""
    yield from renames.references(ground, what, f"grounds.{ground.id}")
    if not elsewhere:
        in_crafts = renames.references(yard.crafts, what, "crafts")
        yield from (found for found in in_crafts if not isinstance(found[1], Tie))  # those name bodies of their craft
    for drill in yard.drills:
        if drill.ground == ground.id or not (drill.ground or elsewhere):
            yield from _of_drill(drill, what)


def _of_drill(drill: Drill, what: str) -> Iterator[tuple[str, Any, str]]:
    if what in ("tie", "rail"):
        yield from (
            (f"drills.{drill.id}.events.{one.id}.target", one, "target") for one in drill.events if one.aims_at == what
        )
    for found in renames.references(drill, what, f"drills.{drill.id}"):
        if not isinstance(found[1], Event) or found[1].aims_at == "block":
            yield found
