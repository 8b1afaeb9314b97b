"""Edits of the formulas and numbers of a craft, with all that names them."""

from __future__ import annotations

import re
from typing import Any

from oak_sled.core.base import units
from oak_sled.core.base.document import ID_PATTERN
from oak_sled.core.base.faults import refuse
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.law import Number
from oak_sled.core.yard.yard import Yard

_WRITTEN = re.compile(r"^\s*(?P<name>\w+)\s*=\s*(?P<value>[^,]+?)\s*(?:,\s*(?P<low>[^,]+?)\s+to\s+(?P<high>.+?))?\s*$")
_VALUE = re.compile(r"^(?P<number>[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*(?P<unit>.*)$")
EXAMPLE = "stiff = 8 kN/m, 0 to 20"


def number_of(text: str) -> Number:
    """The number written as `name = value unit, low to high`, where the stretch of its dial may be left out; raises
    `Refused`."""
    found = _WRITTEN.match(text)
    value = _VALUE.match(found["value"]) if found else None
    if found is None or value is None:
        raise refuse("number", f"{text.strip()!r} cannot be read", f"name = value unit, such as {EXAMPLE}")
    name, unit = found["name"].lower(), value["unit"].strip()
    if not re.match(ID_PATTERN, name):
        raise refuse("number", f"{name!r} cannot be a name", "a lower-case letter, then letters, digits and _")
    units.parse_unit(unit)
    size = float(value["number"])
    low, high = (0.0, 2.5 * size) if size >= 0.0 else (2.5 * size, 0.0)
    if found["low"]:
        low, high = units.read(found["low"], unit), units.read(found["high"], unit)
    if high <= low:
        high = low + 1.0
    return Number(id=name, unit=unit, value=size, least=low, most=high)


def written(number: Number) -> str:
    """A number as `number_of` reads it."""
    unit = f" {number.unit}" if number.unit else ""
    return f"{number.id} = {number.value:g}{unit}, {number.least:g} to {number.most:g}"


def with_number(yard: Yard, craft: Craft, number: Number, old: str = "") -> Yard:
    """The yard in which a craft has a number more, or in the place of `old`: formulas that name that follow. Raises
    `Refused`."""
    path = f"crafts.{craft.id}"
    if number.id != old and number.id in [one.id for one in craft.numbers]:
        raise refuse(f"{path}.numbers.{number.id}", f"the name {number.id!r} is taken", "another name")
    if not old:
        return yard.edit(f"{path}.numbers", (*craft.numbers, number))
    numbers = tuple(number if one.id == old else one for one in craft.numbers)
    changes: list[tuple[str, Any]] = [(f"{path}.numbers", numbers)]
    for law in craft.laws:
        text = re.sub(rf"\b{old}\b", number.id, law.text)
        if text != law.text:
            changes.append((f"{path}.laws.{law.id}.text", text))
    return yard.edit_all(changes)


def renamed_law(yard: Yard, craft: Craft, old: str, new: str) -> Yard:
    """The yard in which a formula of a craft is called `new`, and its parts follow it; raises `Refused`."""
    path = f"crafts.{craft.id}"
    if new in [law.id for law in craft.laws]:
        raise refuse(f"{path}.laws.{old}.id", f"the name {new!r} is taken", "another name")
    return yard.edit_all([(f"{path}.laws.{old}.id", new), *_followed(craft, old, new)])


def without_law(yard: Yard, craft: Craft, name: str) -> Yard:
    """The yard without a formula of a craft: what followed it takes its built-in law."""
    left = tuple(law for law in craft.laws if law.id != name)
    return yard.edit_all([(f"crafts.{craft.id}.laws", left), *_followed(craft, name, "")])


def _followed(craft: Craft, old: str, new: str) -> list[tuple[str, Any]]:
    return [
        (f"crafts.{craft.id}.parts.{part.id}.{place.field}", new)
        for part in craft.parts
        for place in part.PLACES
        if getattr(part, place.field) == old
    ]
