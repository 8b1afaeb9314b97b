"""The variants of a spread: the documents and the job of each, disturbed or not, and what cannot be varied."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any, Literal, get_args, get_origin

import numpy as np

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base import document, units
from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Fault, Refused, refuse
from oak_sled.core.parts.common import Part
from oak_sled.core.results import measures
from oak_sled.core.results.measure import Measure
from oak_sled.core.study.batch import late_ticks
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.spreads import CARD, CRAFT, MOST_CARDS, TICKS, Scatter, Spread, SpreadAxis, SpreadCard
from oak_sled.core.yard.yard import Yard

# what a user writes


def read_axis(entry: str, yard: Yard) -> SpreadAxis:
    """An axis written as PATH=LO:HI:N, PATH=LO:HI:N:log, or PATH=a,b,c, the numbers with units if any; raises
    `Refused`. yard : what the path leads into."""
    path, equals, stretch = entry.partition("=")
    pieces = stretch.split(":")
    where, right = f"--vary {entry}", "such as crafts.fan_sled.parts.fan.thrust=400:900:6, or =a,b,c"
    if not equals or not path.strip() or not stretch.strip():
        raise refuse(where, "is not PATH=LO:HI:N", right)
    if len(pieces) == 1:
        listed = tuple(_value(yard, path.strip(), piece.strip()) for piece in stretch.split(",") if piece.strip())
        fields: dict[str, Any] = {"listed": listed}
    elif len(pieces) in (3, 4) and (len(pieces) == 3 or pieces[3].strip() in ("log", "linear")):
        low, high = (document.read_at(yard, path.strip(), piece) for piece in pieces[:2])
        if not re.fullmatch("[0-9]{1,9}", pieces[2].strip()):
            raise refuse(where, f"{pieces[2].strip()!r} is no number of values", "N a whole number, such as 6")
        count = int(pieces[2])
        fields = {"low": low, "high": high, "count": count, "scale": (*pieces, "linear")[3].strip()}
    else:
        raise refuse(where, "is not PATH=LO:HI:N", right)
    try:
        made: SpreadAxis = document.checked(SpreadAxis, {"path": path.strip(), **fields})
    except Refused as refused:
        raise Refused([Fault(f"{where}: {one.where}", one.what, one.right) for one in refused.faults]) from None
    return made


def _value(yard: Yard, path: str, text: str) -> float | str:
    """A value of a list: a number, with its unit where a dial stands there, or a word."""
    if document.dial_at(yard, path) is not None:
        return document.read_at(yard, path, text)
    try:
        return float(text)
    except ValueError:
        return text


# variants


def drill_of(yard: Yard, plan: Spread) -> str:
    """The drill that its variants run."""
    return plan.drill or yard.bench.drill


def varied(yard: Yard, plan: Spread, values: Sequence[float | str]) -> Yard:
    """The yard of a variant; raises `Refused` where a value is none for its place."""
    changes: list[tuple[str, Any]] = []
    for axis, value in zip(plan.axes, values, strict=True):
        if axis.path == CARD:
            craft = plan.card(value).craft
            yard.craft(craft.id)
            yard = yard.edit("crafts", tuple(craft if one.id == craft.id else one for one in yard.crafts))
    for axis, value in zip(plan.axes, values, strict=True):
        if axis.path == CARD:
            continue
        if axis.path == CRAFT:
            yard.craft(str(value))
        elif axis.path == TICKS:
            if not isinstance(value, float) or value != round(value):
                raise refuse("ticks", f"{value} is no number of ticks", "a whole number")
            changes.append((TICKS, int(value)))
        else:
            changes.append((axis.path, _fitting(yard, axis.path, value)))
    return yard.edit_all(changes) if changes else yard


def _fitting(yard: Yard, path: str, value: float | str) -> Any:
    """A value for a place: numbers in its unit, choices and names as they stand in the file."""
    now = document.get(yard, path)
    if isinstance(now, bool):
        known = {"yes": True, "true": True, "1.0": True, "no": False, "false": False, "0.0": False}
        if str(value).lower() not in known:
            raise refuse(path, f"{value!r} is neither yes nor no", "yes or no")
        return known[str(value).lower()]
    if isinstance(now, int) and isinstance(value, float) and value == round(value):
        return int(value)
    if isinstance(now, float) and isinstance(value, str):
        return document.read_at(yard, path, value)
    return value


def job_for(yard: Yard, plan: Spread, values: Sequence[float | str]) -> Job:
    """The job of a variant."""
    made = varied(yard, plan, values)
    return job_of(made, made.drill(drill_of(yard, plan)), craft_of(plan, values) or plan.craft)


def craft_of(plan: Spread, values: Sequence[float | str]) -> str:
    """The craft that an axis names for a variant, or ""."""
    for axis, value in zip(plan.axes, values, strict=True):
        if axis.path == CRAFT:
            return str(value)
        if axis.path == CARD:
            return plan.card(value).craft.id
    return ""


class Variants:
    """The jobs of a spread. Where only dials of parts are varied, a part is made and checked once for each value, and
    the craft of a variant is put together from them: nothing else of its documents is checked again, since no check of
    a craft or a yard asks for such a number."""

    def __init__(self, yard: Yard, plan: Spread):
        self._yard, self._plan = yard, plan
        self._base = job_for(yard, plan, plan.values_of(0))
        self._fields = [self._field_of(axis.path) for axis in plan.axes]
        self._parts: dict[tuple[int, tuple[tuple[str, float], ...]], Part] = {}

    def _field_of(self, path: str) -> tuple[int, str] | None:
        """The number of the part of the craft under the dial of an axis, and its field; None for anything else."""
        pieces, craft = path.split("."), self._base.craft
        if len(pieces) != 5 or pieces[:3] != ["crafts", craft.id, "parts"]:
            return None
        place = next((k for k, part in enumerate(craft.parts) if part.id == pieces[3]), None)
        known = place is not None and pieces[4] in [one.name for one in dials(craft.parts[place])]
        return (place, pieces[4]) if known and place is not None else None

    def job(self, number: int) -> Job:
        """The job of a variant; raises `Refused`."""
        values = self._plan.values_of(number)
        if not all(self._fields) or not all(isinstance(value, float) for value in values):
            return job_for(self._yard, self._plan, values)
        by_part: dict[int, list[tuple[str, float]]] = {}
        for field, value in zip(self._fields, values, strict=True):
            assert field is not None
            by_part.setdefault(field[0], []).append((field[1], float(value)))
        parts = list(self._base.craft.parts)
        for place, fields in by_part.items():
            key = (place, tuple(fields))
            if key not in self._parts:
                self._parts[key] = self._part(place, fields)
            parts[place] = self._parts[key]
        old = self._base.craft
        kept = {name: getattr(old, name) for name in type(old).model_fields}
        return replace(self._base, craft=type(old).model_construct(**{**kept, "parts": tuple(parts)}))

    def _part(self, place: int, fields: list[tuple[str, float]]) -> Part:
        part = self._base.craft.parts[place]
        path = f"crafts.{self._base.craft.id}.parts.{part.id}"
        made = self._yard.edit_all([(f"{path}.{name}", value) for name, value in fields])
        return made.craft(self._base.craft.id).parts[place]


def disturbed(job: Job, scatter: Scatter, repeat: int) -> tuple[Job, int]:
    """A job as a repeat disturbs it, and by how many ticks its inputs are late; repeat 0 disturbs nothing."""
    if repeat == 0:
        return job, 0
    rng = np.random.default_rng([scatter.seed, repeat])
    late, grip, mass, along, across, turn, speed = rng.uniform(-1.0, 1.0, 7).tolist()
    start, body = job.drill.start, job.craft.body
    drill = job.drill.replace(
        start=start.replace(
            x=start.x + along * scatter.place,
            y=start.y + across * scatter.place,
            heading_deg=start.heading_deg + turn * scatter.heading_deg,
            speed=start.speed * (1.0 + speed * scatter.speed),
        )
    )
    craft, ground = job.craft, job.ground
    if scatter.mass > 0.0 and body.mass_from == "given":
        craft = craft.replace(body=body.replace(mass=body.mass * (1.0 + mass * scatter.mass)))
    if scatter.friction > 0.0:
        ground = ground.replace(grip=ground.grip * (1.0 + grip * scatter.friction))
    made = replace(job, craft=craft, ground=ground, drill=drill)
    return made, late_ticks(0.5 * (late + 1.0) * 1e-3 * scatter.late_ms, job)


def check(yard: Yard, plan: Spread) -> list[Measure]:
    """The measures of a spread; raises `Refused`, with every fault, where it cannot be computed as it is set."""
    faults: list[Fault] = []
    found: list[Measure] = []
    yard.drill(drill_of(yard, plan))
    for name in plan.measures:
        try:
            found.append(measures.measure(name, [one.id for craft in yard.crafts for one in craft.singles]))
        except Refused as refused:
            faults += refused.faults
    for axis in plan.axes:
        bounds = axis.values if axis.listed else (axis.values[0], axis.values[-1])
        alone = plan.replace(axes=(axis,), results=None)
        if len(axis.values) < 2:
            faults.append(Fault(f"axes.{axis.path}", "it has one value", "two values or more, to compare"))
        for value in bounds:
            try:
                job_for(yard, alone, (value,))
            except Refused as refused:
                faults += [fault for fault in refused.faults if fault not in faults]
    if faults:
        raise Refused(faults)
    for axis in plan.axes:
        if axis.path not in (CRAFT, TICKS, CARD) and _is_bound(yard, axis.path):
            raise refuse(axis.path, "a formula or a shared curve takes its place", "a dial that acts")
    return found


def _is_bound(yard: Yard, path: str) -> bool:
    """True if a dial of a part does nothing as the part is set."""
    pieces = path.split(".")
    if len(pieces) != 5 or pieces[0] != "crafts" or pieces[2] != "parts":
        return False
    part = document.get(yard, ".".join(pieces[:4]))
    return "formula" in part.idle().get(pieces[4], "")


# plans that begin with a dial

ABOUT, BEGIN_WITH = 0.5, 17
"""Share of its value by which a dial is varied to either side where a spread begins with it, and the values of it."""
FACTOR = 3.0
"""The same as a factor for a dial whose slider is logarithmic."""


def unit_of(yard: Yard, path: str) -> str:
    """The unit of the dial at a path; "" where none stands there."""
    known = document.dial_at(yard, path)
    return "ticks/s" if path == TICKS else "" if known is None else str(known.unit)


def sign_of(yard: Yard, path: str) -> float:
    """-1.0 where the dial at a path is told the other way round (`Dial.sign`)."""
    known = document.dial_at(yard, path)
    return 1.0 if known is None else known.sign


def shown_at(yard: Yard, path: str, value: float) -> str:
    """A value of the dial at a path, with its unit."""
    return units.show(sign_of(yard, path) * value, unit_of(yard, path))


def axis_about(yard: Yard, path: str, count: int = BEGIN_WITH) -> SpreadAxis:
    """An axis about the present value of a dial, within its bounds; of a dial at 0 the stretch of its slider. Raises
    `Refused` where there is no dial."""
    known = document.dial_at(yard, path)
    if known is None:
        raise refuse(path, "there is no dial", "a dial of a craft, a ground or a drill")
    value = float(document.get(yard, path))
    log = known.scale == "log" and value > 0.0
    if value == 0.0:
        low, high = known.slider or (known.low, known.high)
    elif log:
        low, high = value / FACTOR, value * FACTOR
    else:
        low, high = sorted((value * (1.0 - ABOUT), value * (1.0 + ABOUT)))
    low, high = (float(f"{min(max(end, known.low), known.high):.3g}") for end in (low, high))
    if low >= high:
        low, high = known.low, known.high
    return SpreadAxis(path=path, low=low, high=high, count=count, scale="log" if log and low > 0.0 else "linear")


def choices_of(part: Part, path: str) -> list[SpreadAxis]:
    """An axis for each choice of a part that has several, such as its law. path : of the part."""
    found = []
    for name, field in type(part).model_fields.items():
        listed = get_args(field.annotation) if get_origin(field.annotation) is Literal else ()
        if len(listed) > 1:
            found.append(SpreadAxis(path=f"{path}.{name}", listed=tuple(str(one) for one in listed)))
    return found


def cards_axis(cards: Iterable[tuple[str, Craft]]) -> tuple[SpreadAxis, tuple[SpreadCard, ...]]:
    """An axis over cards of the shelf, each its heading and its craft; one of several with equal settings is enough."""
    found: list[SpreadCard] = []
    for title, craft in cards:
        if all(one.craft != craft for one in found):
            found.append(SpreadCard(id=f"card_{len(found) + 1}", title=title[:200], craft=craft))
    if len(found) < 2:
        raise refuse(
            "card", f"{len(found)} of the cards differ in their craft", "two cards or more with other settings"
        )
    kept = tuple(found[:MOST_CARDS])
    return SpreadAxis(path=CARD, listed=tuple(one.id for one in kept)), kept


def plan_over(yard: Yard, axis: SpreadAxis, name: str, craft: str = "", cards: tuple[SpreadCard, ...] = ()) -> Spread:
    """A spread of the drill on the bench over one axis, with the measures of its targets, and the top speed."""
    drill = yard.drill()
    wanted = [measures.asked_of(drill, target.measure) for target in drill.targets]
    found = tuple(dict.fromkeys([*wanted, "top_speed"]))[:6]
    craft = "" if axis.path in (CRAFT, CARD) else craft
    return Spread(id=name, drill=drill.id, craft=craft, axes=(axis,), cards=cards, measures=found)


def place_in(axis: SpreadAxis, value: Any) -> float | None:
    """Position of a value on an axis: 0 at its first value, 1 at the second ...; None if it lies outside."""
    if axis.listed:
        return float(axis.listed.index(value)) if value in axis.listed else None
    if not isinstance(value, int | float) or not axis.low <= value <= axis.high or axis.count < 2:
        return None
    values = np.array(axis.values, float)
    if axis.scale == "log":
        return float(np.interp(np.log(value), np.log(values), np.arange(axis.count)))
    return float(np.interp(value, values, np.arange(axis.count)))


def lost(yard: Yard, plan: Spread) -> Fault | None:
    """The thing that a spread names and its yard has no more: a dial, a drill, a craft or a measure; None where all is
    there."""
    try:
        job_for(yard, plan, plan.values_of(0))
        for name in plan.measures:
            measures.measure(name, [one.id for craft in yard.crafts for one in craft.singles])
    except Refused as refused:
        return refused.faults[0]
    return None


def now_in(yard: Yard, plan: Spread) -> tuple[float, ...] | None:
    """Position of the present yard in a spread, a place on each axis; None if it lies outside."""
    if lost(yard, plan) is not None:
        return None
    found = []
    for axis in plan.axes:
        if axis.path == TICKS:
            value: Any = float(yard.ticks)
        elif axis.path == CARD:
            value = next((one.id for one in plan.cards if one.craft == yard.craft(one.craft.id)), "")
        else:
            value = yard.bench.craft if axis.path == CRAFT else document.get(yard, axis.path)
        place = place_in(axis, value)
        if place is None:
            return None
        found.append(place)
    return tuple(found)


def taken(yard: Yard, plan: Spread, number: int) -> Yard:
    """The yard with the settings of a variant; a craft becomes the one on the bench. Raises `Refused`."""
    values = plan.values_of(number)
    made, named = varied(yard, plan, values), craft_of(plan, values)
    return made.edit("bench.craft", named) if named else made


def words_of(yard: Yard, plan: Spread, number: int) -> str:
    """The values of a variant in words."""
    found = []
    for axis, value in zip(plan.axes, plan.values_of(number), strict=True):
        name = axis.path.rpartition(".")[2].removesuffix("_deg").replace("_", " ")
        shown = shown_at(yard, axis.path, value) if isinstance(value, float) else plan.shown(axis, value)
        found.append(shown if axis.path == CARD else f"{name} {shown}")
    return " · ".join(found)
