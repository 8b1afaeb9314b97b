"""The one declaration of a tunable number.

`dial(620.0, "N", "force at full input", low=0, high=1e7, slider=(10, 5000), scale="log")` stands
at the field of a document. From it come validation, the JSON Schema, the dial on the desk,
`--set` on the command line, the table in the docs and the text of an error.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, Literal

from pydantic import BaseModel, Field

from oak_sled.core.base import units

Scale = Literal["linear", "log"]
_COMPONENT = re.compile(r"(?:^|\s)([xyz])$")
_SIZES = ("spread_x", "spread_y", "sway_x", "sway_y", "sway_z")
"""Components without a side: half a width, or how far something swings."""


@dataclass(frozen=True)
class Dial:
    """A declared number: where it may lie, what it is counted in, and what it does.

    low and high are the bounds that are enforced; slider is the stretch a pointer drag covers.
    """

    name: str
    unit: str
    says: str
    default: float
    low: float
    high: float
    slider: tuple[float, float]
    scale: Scale
    main: bool
    title: str

    def clamp(self, value: float) -> float:
        """`value` brought inside the enforced bounds."""
        return min(max(value, self.low), self.high)

    # as it is shown and typed: in the units in use, and along the axis of the game where it is a vector's component

    @property
    def component(self) -> str:
        """Axis of ours along which the number is told: "x", "y" or "z"; "" for a number that stands alone."""
        found = _COMPONENT.search(self.title)
        return found[1] if found else ""

    @property
    def sign(self) -> float:
        """-1.0 where the number is told the other way round."""
        if not self.component or self.name in _SIZES:
            return 1.0
        axes = units.in_use().axes
        return axes.component(self.component)[1] * (axes.mirrors if self.name.startswith("spin_") else 1.0)

    @property
    def heading(self) -> str:
        """The title, with the letter that its axis has in the game."""
        letter = self.component
        return self.title[:-1] + units.in_use().axes.component(letter)[0] if letter else self.title

    def split(self, value: float) -> tuple[str, str]:
        """Number and unit apart, as the dial shows them."""
        return units.split(self.sign * value, self.unit)

    def plain(self, value: float) -> str:
        """The value with its unit, for a sentence."""
        return units.plain(self.sign * value, self.unit)

    def exact(self, value: float) -> str:
        """The value with all its digits and its unit, to be copied and typed again."""
        number, unit = units.in_use().shown(self.sign * value, self.unit)
        return f"{number!r} {unit}".strip()

    def bounds(self) -> str:
        """The enforced bounds, for a sentence."""
        low, high = sorted((self.sign * self.low, self.sign * self.high))
        return units.bounds(low, high, self.unit)

    def read(self, text: str, mass: float | None = None) -> float:
        """The number that was typed; raises `Refused`. mass : kg, for a force in g."""
        return self.sign * units.read(text, self.unit, mass=mass)


def dial(
    default: float,
    unit: str,
    says: str,
    *,
    low: float,
    high: float,
    slider: tuple[float, float] | None = None,
    scale: Scale = "linear",
    main: bool = False,
    title: str = "",
    unit_by: tuple[str, dict[str, str]] | None = None,
    slider_by: dict[str, tuple[float, float]] | None = None,
    own_unit: str = "",
) -> Any:
    """A field that is a dial.

    unit_by : (name of a field, its value -> unit), for a number whose unit follows a choice. slider_by : by values of
    that field, the stretch of a drag where the number is of another size. own_unit : the field that says what it is
    counted in.
    main : whether the dial stands on the closed strip; the others show when it is opened.
    """
    extra: dict[str, Any] = {"unit": unit, "slider": list(slider or (low, high)), "scale": scale, "main": main}
    if title:
        extra["words"] = title
    if unit_by:
        extra["unit_by"] = {"field": unit_by[0], "units": unit_by[1]}
    if slider_by:
        extra["slider_by"] = {choice: list(stretch) for choice, stretch in slider_by.items()}
    if own_unit:
        extra["unit_by"] = {"field": own_unit}
    return Field(default, ge=low, le=high, allow_inf_nan=False, description=says, json_schema_extra={"dial": extra})


def _extra(model: type[BaseModel], name: str) -> dict[str, Any] | None:
    extra = model.model_fields[name].json_schema_extra
    return extra.get("dial") if isinstance(extra, dict) else None  # type: ignore[return-value]


def unit_of(model: type[BaseModel], name: str, choices: dict[str, Any]) -> str | None:
    """The unit of field `name` while the other fields are `choices`; None if it is no dial."""
    extra = _extra(model, name) if name in model.model_fields else None
    if extra is None:
        return None
    by = extra.get("unit_by")
    if by:
        chosen = choices.get(by["field"], model.model_fields[by["field"]].default)
        return str(by["units"].get(chosen, extra["unit"]) if "units" in by else chosen)
    return str(extra["unit"])


def dials(document: BaseModel) -> tuple[Dial, ...]:
    """Every dial declared on `document`, in the order of its fields, with units as chosen now, and over the stretch
    that the document gives them (`sliders`) where it does."""
    model = type(document)
    chosen = tuple(str(getattr(document, name)) for name in _unit_givers(model))
    found = _declared(model, chosen)
    own: dict[str, tuple[float, float]] = getattr(document, "sliders", {})
    return tuple(replace(one, slider=own.get(one.name, one.slider)) for one in found) if own else found


@cache
def _unit_givers(model: type[BaseModel]) -> tuple[str, ...]:
    """The fields whose choice changes the unit of a dial."""
    extras = (_extra(model, name) for name in model.model_fields)
    return tuple(sorted({extra["unit_by"]["field"] for extra in extras if extra and extra.get("unit_by")}))


@cache
def _declared(model: type[BaseModel], choices: tuple[str, ...]) -> tuple[Dial, ...]:
    chosen = dict(zip(_unit_givers(model), choices, strict=True))
    found = []
    for name, field in model.model_fields.items():
        extra = _extra(model, name)
        if extra is None:
            continue
        low = next(mark.ge for mark in field.metadata if hasattr(mark, "ge"))
        high = next(mark.le for mark in field.metadata if hasattr(mark, "le"))
        unit = unit_of(model, name, chosen) or ""
        by = chosen.get(extra["unit_by"]["field"], "") if extra.get("unit_by") else ""
        first, last = extra.get("slider_by", {}).get(by, extra["slider"])
        found.append(
            Dial(
                name,
                unit,
                field.description or "",
                float(field.default),
                low,
                high,
                (first, last),
                extra["scale"],
                extra["main"],
                extra.get("words") or name.removesuffix("_deg").replace("_", " "),
            )
        )
    return tuple(found)
