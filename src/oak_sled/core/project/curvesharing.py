"""Edits of curves that parts share: made of a part's own, taken by another, changed for all, or made own again."""

from __future__ import annotations

from typing import Any

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.document import member
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.curvefield import CurveField, Points
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.yard import Yard


def followers(craft: Craft, name: str) -> list[tuple[Part, CurveField]]:
    """The parts of a craft that follow a shared curve, each with its field."""
    return [(part, field) for part in craft.parts for field in part.CURVE_FIELDS if getattr(part, field.shared) == name]


def touched(craft: Craft, name: str) -> str:
    """The parts that follow a shared curve, in words, wheels counted."""
    found = followers(craft, name)
    known = bodynames.wheels(craft)
    wheels = sum(len(part.wheels_of(known)) or sum(one.part == part.id for one in known) for part, _ in found)
    parts = ", ".join(part.heading.lower() for part, _ in found) or "no part"
    return f"{wheels} wheels: {parts}" if wheels else parts


def joined(yard: Yard, craft: Craft, part: Part, field: CurveField, straight: bool) -> Yard:
    """The yard in which the points of a curve are joined by straight lines, or smoothly, for all that share it."""
    name, path = getattr(part, field.shared), f"crafts.{craft.id}"
    return yard.edit(f"{path}.curves.{name}.straight" if name else f"{path}.parts.{part.id}.{field.straight}", straight)


def beside(craft: Craft, name: str, field: CurveField) -> tuple[tuple[str, Points, bool], ...]:
    """The curves of other parts over the same as that of a part, with what those parts are called, and whether straight
    lines join their points."""
    mine = field.points(member(craft.working_parts, name, "parts"))
    return tuple(
        (part.heading.lower(), other.points(part), getattr(part, other.straight))
        for part in craft.working_parts
        for other in part.curves()
        if part.id != name and other.x == field.x and other.name == field.name and other.points(part) != mine
    )


def path_of(craft: Craft, part: Part, field: CurveField) -> str:
    """The path at which the points of a curve are edited, below the craft: in the part, or in the curve that it
    shares."""
    name = getattr(part, field.shared)
    return f"curves.{name}.points" if name else f"parts.{part.id}.{field.name}"


def edited(craft: Craft, part: Part, field: CurveField, points: Points) -> tuple[dict[str, float], ...]:
    """The value that an edit writes there."""
    if getattr(part, field.shared):
        return tuple({"x": x, "y": y} for x, y in sorted(points))
    return field.knots(points)


def turned_on(yard: Yard, craft: Craft, part: Part) -> Yard:
    """The yard in which a part follows its drawn curves: as its numbers have it where they were never drawn."""
    path, fresh = f"crafts.{craft.id}.parts.{part.id}", type(part)
    never = all(
        not getattr(part, field.shared) and getattr(part, field.name) == fresh.model_fields[field.name].default
        for field in part.CURVE_FIELDS
    )
    begins = part.first_drawn() if never else {}
    return yard.edit_all([(f"{path}.{name}", value) for name, value in (begins or {"drawn": True}).items()])


def shared(yard: Yard, craft: Craft, part: Part, field: CurveField) -> Yard:
    """The yard in which a part's own curve is one that others may share."""
    now = member(craft.working_parts, part.id, "parts")
    name = free_name(f"{part.id}_{field.name}"[:30], craft.curves)
    made = {
        "id": name,
        "over": field.x,
        "straight": getattr(now, field.straight),
        "points": [{"x": x, "y": y} for x, y in field.points(now)],
    }
    path = f"crafts.{craft.id}"
    return yard.edit_all([(f"{path}.curves", (*craft.curves, made)), (f"{path}.parts.{part.id}.{field.shared}", name)])


def taken(yard: Yard, craft: Craft, part: Part, field: CurveField, name: str) -> Yard:
    """The yard in which a part follows a shared curve."""
    return yard.edit(f"crafts.{craft.id}.parts.{part.id}.{field.shared}", name)


def own(yard: Yard, craft: Craft, part: Part, field: CurveField) -> Yard:
    """The yard in which a part has a curve of its own, as it is now; a shared curve that none follows any more goes."""
    name, path = getattr(part, field.shared), f"crafts.{craft.id}"
    now = member(craft.working_parts, part.id, "parts")
    changes: list[tuple[str, Any]] = [
        (f"{path}.parts.{part.id}.{field.name}", field.knots(field.points(now))),
        (f"{path}.parts.{part.id}.{field.straight}", getattr(now, field.straight)),
        (f"{path}.parts.{part.id}.{field.shared}", ""),
    ]
    if len(followers(craft, name)) == 1:
        changes.append((f"{path}.curves", tuple(one for one in craft.curves if one.id != name)))
    return yard.edit_all(changes)
