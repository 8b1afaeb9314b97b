"""Force laws side by side: what a part follows, its built-in alternatives, formulas, and the laws of kept runs.

Every curve comes from the kernel: the law as the part's own equation calls it, over one quantity of its place while the
others stay where they are at the moment that is looked at.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.formulas import lawunits, parsed
from oak_sled.core.formulas.code import MOST_GIVEN
from oak_sled.core.formulas.language import FormulaError
from oak_sled.core.formulas.place import Place
from oak_sled.core.parts import register, sweep
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.swing import overshoot
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.naming import free_name

SAMPLES = 241
"""Points of a curve."""


@dataclass(frozen=True)
class Candidate:
    """A law that may stand at a place: what it is called, the fields of the part that set it, and whose it is.

    kind : "in force", "built-in", "formula" or "kept". craft, part : that it is taken from; of a kept run, its own.
    """

    name: str
    kind: str
    fields: Mapping[str, Any]
    craft: Craft
    part: Part

    def is_of(self, part: Part) -> bool:
        """True if a part is as this would make it."""
        return all(getattr(part, name) == value for name, value in self.fields.items())


@dataclass(frozen=True)
class Curve:
    """A law over the quantity of a chart, shape (SAMPLES,), in the unit that its place gives."""

    candidate: Candidate
    values: Floats


@dataclass(frozen=True)
class Chart:
    """Laws of a part over one quantity.

    x : SI, shape (SAMPLES,). points : where the law in force works at the moment that is looked at, shape (n, 2).
    middle : the one of these nearest to their mean; None without any. used : least and greatest that the last run
    made of the quantity; None where the law did not act. slope : of the law in force at the middle point (without
    one, where the quantity is held), per unit of the quantity. held : the other quantities, as they are held.
    unstable : stretches of x where the law in force cannot hold, and why.
    """

    place: Place
    quantity: str
    x: Floats
    curves: tuple[Curve, ...]
    points: Floats
    middle: tuple[float, float] | None
    used: tuple[float, float] | None
    slope: float
    held: Mapping[str, float]
    unstable: tuple[tuple[float, float, str], ...]


def places_of(craft: Craft) -> list[tuple[Part, Place]]:
    """Every law of a craft that can be drawn."""
    return [(part, place) for part in craft.parts for place in part.PLACES]


def candidates(craft: Craft, part: Part, place: Place, kept: Sequence[tuple[str, Craft]] = ()) -> list[Candidate]:
    """The law that a part follows, then those it may follow: built-in ones, formulas, and those of kept runs.

    kept : what each run is called, and its craft.
    """
    found: list[Candidate] = []
    for name, fields in part.alternatives(place):
        found.append(Candidate(name, "built-in", fields, craft, part.replace(**fields)))
    for law in craft.laws:
        if law.place == place.name:
            fields = {place.field: law.id}
            found.append(Candidate(law.heading, "formula", fields, craft, part.replace(**fields)))
    own = next((one for one in found if one.is_of(part)), None)
    now = {place.field: getattr(part, place.field)}
    found = [one for one in found if one is not own]
    found.insert(0, Candidate(own.name if own else "as set", "in force", own.fields if own else now, craft, part))
    for name, other in kept:
        old = next((one for one in other.parts if one.id == part.id and type(one) is type(part)), None)
        if old is not None and (old, _texts(other, old, place)) != (part, _texts(craft, part, place)):
            fields = {one: getattr(old, one) for one in type(old).model_fields if one not in _KEEPS}
            found.append(Candidate(name, "kept", fields, other, old))
    return found


_KEEPS = {"id", "title", "kind", "mute", "solo", "x", "y", "z", "spread_x", "spread_y"}


def _texts(craft: Craft, part: Part, place: Place) -> object:
    """The formula of a part and the numbers it may name; None without one."""
    name = getattr(part, place.field)
    return next(((law.text, craft.numbers) for law in craft.laws if law.id == name), None)


def taken(craft: Craft, part: Part, candidate: Candidate) -> Craft:
    """The craft in which a part follows a candidate; formulas and numbers of a kept run come with it, under a name of
    their own where the craft has others of that name."""
    laws, numbers, fields = list(craft.laws), list(craft.numbers), dict(candidate.fields)
    for place in part.PLACES if candidate.craft is not craft else ():
        law = next((one for one in candidate.craft.laws if one.id == fields.get(place.field)), None)
        if law is None or law in laws:
            continue
        for number in candidate.craft.numbers:
            if number.id not in [one.id for one in numbers] and re.search(rf"\b{number.id}\b", law.text):
                numbers.append(number)
        law = law.replace(id=free_name(law.id, laws))
        laws.append(law)
        fields[place.field] = law.id
    changed = tuple(one.replace(**fields) if one.id == part.id else one for one in craft.parts)
    return craft.replace(parts=changed, laws=tuple(laws), numbers=tuple(numbers))


def follows(craft: Craft, law: str) -> list[Part]:
    """The parts of a craft that follow a formula."""
    return [part for part in craft.parts if law in [getattr(part, place.field) for place in part.PLACES]]


def fault_in(craft: Craft, place: Place, text: str) -> FormulaError | None:
    """The error of a text as a formula of a craft at a place; None if it has none."""
    try:
        parsed.code_of(text, place, tuple((one.id, one.unit) for one in craft.numbers))
    except FormulaError as error:
        return error
    return None


def chart(
    craft: Craft,
    part: Part,
    place: Place,
    quantity: str,
    shown: Sequence[Candidate],
    setting: Setting,
    run: Run | None = None,
    row: int = 0,
) -> Chart:
    """The chart of a law over one of its quantities. run : the last one of this craft. row : the moment in it."""
    working = next(one for one in craft.working_parts if one.id == part.id)
    used = {} if run is None or not run.ticks else _kept(run, working, place)
    held = dict(working.held_at(place, setting))
    for name, values in used.items():
        now = values[min(row, len(values) - 1)]
        if np.any(np.isfinite(now)):
            held[name] = float(np.nanmean(now))
    low, high = working.drawn_over(place, quantity, setting)
    span = None
    if quantity in used and np.any(np.isfinite(used[quantity])):
        span = float(np.nanmin(used[quantity])), float(np.nanmax(used[quantity]))
        low, high = min(low, span[0]), max(high, span[1])
    x = np.linspace(low, high, SAMPLES)
    curves = tuple(Curve(one, _values(one, place, quantity, x, held)) for one in shown)
    own = Candidate("", "in force", {}, craft, part)
    points = _points(own, place, quantity, used, held, row)
    step = 1e-4 * (high - low)
    middle = _middle(points)
    looked = held[quantity] if middle is None else middle[0]
    near = _values(own, place, quantity, np.array([looked - step, looked + step]), held)
    slope = float(near[1] - near[0]) / (2.0 * step)
    unstable = _unstable(working, place, quantity, x, _values(own, place, quantity, x, held), setting)
    return Chart(place, quantity, x, curves, points, middle, span, slope, held, unstable)


def _kept(run: Run, part: Part, place: Place) -> Mapping[str, Floats]:
    """The values that the quantities of a place took in a run; found once a run."""
    found: Mapping[str, Floats] = run.analysis.once(("law", part.id, place.name), lambda: part.used(place, run))
    return found


def _points(
    own: Candidate, place: Place, quantity: str, used: Mapping[str, Floats], held: Mapping[str, float], row: int
) -> Floats:
    """The working points of a law: one for each of linked ones that acts at that row."""
    if quantity not in used:
        return np.zeros((0, 2))
    now = {name: np.atleast_1d(values[min(row, len(values) - 1)]) for name, values in used.items()}
    found = []
    for k, value in enumerate(now[quantity]):
        if np.isfinite(value):
            there = {name: float(one[min(k, len(one) - 1)]) for name, one in now.items()}
            there = {**held, **{name: one for name, one in there.items() if np.isfinite(one)}}
            found.append((value, _values(own, place, quantity, np.array([value]), there)[0]))
    return np.array(found).reshape(-1, 2)


def _middle(points: Floats) -> tuple[float, float] | None:
    if not len(points):
        return None
    x, y = points[int(np.argmin(np.abs(points[:, 0] - points[:, 0].mean())))]
    return float(x), float(y)


def record_of(craft: Craft, part: Part) -> np.void:
    """The record of a part of a craft, as its equation has it."""
    formulas = {law: lawunits.record_of(written.code, written.numbers) for law, written in craft.written.items()}
    pack = Pack(tuple(channel.id for channel in craft.channels), craft.body.centre(), formulas=formulas)
    own: np.void = np.zeros(1, register.kind_of(part).record)[0]
    for name, value in craft.at_work(part).record(pack).items():
        own[name] = value
    return own


def _values(one: Candidate, place: Place, quantity: str, x: Floats, held: Mapping[str, float]) -> Floats:
    """A law over one quantity while the others are held, shape of `x`; never inf or NaN but where a built-in is."""
    kind = register.kind_of(one.part)
    own = record_of(one.craft, one.part)
    given = np.zeros((len(x), MOST_GIVEN))
    for place_of, name in enumerate(place.names):
        given[:, place_of] = x if name == quantity else one.part.held_at(place, None).get(name, held.get(name, 0.0))
    out = np.zeros(len(x))
    sweep.over(register.law_address(register.KINDS.index(kind), place.name), own, given, out)
    return out


def _unstable(
    part: Part, place: Place, quantity: str, x: Floats, values: Floats, setting: Setting
) -> tuple[tuple[float, float, str], ...]:
    """Stretches where the slope of a law pushes the wrong way, or overshoots in a tick with this mass."""
    of = place.quantity(quantity)
    if not of.acts:
        return ()
    slope = of.sign * np.gradient(values, x) * part.law_scale(place, setting)
    most = float(np.max(np.abs(slope), initial=0.0))
    words = np.full(len(x), "", dtype=object)
    words[slope < -1e-6 * max(most, 1e-12)] = "pushes the wrong way"
    share = len(part.legs()) / setting.rays if part.legs() and setting.rays else 1.0  # of the craft that it carries
    for k in np.flatnonzero(slope > 0.0).tolist():
        spring, damper = share * setting.spring, share * setting.damper
        spring, damper = (slope[k], damper) if of.acts == "spring" else (spring, slope[k])
        if overshoot(spring, damper, share * setting.mass, setting.dt) is not None:
            words[k] = "overshoots in a tick"
    found: list[tuple[float, float, str]] = []
    for k, word in enumerate(words):
        if word and found and k and found[-1][2] == word and words[k - 1] == word:
            found[-1] = (found[-1][0], float(x[k]), word)
        elif word:
            found.append((float(x[k]), float(x[k]), word))
    return tuple(one for one in found if one[1] > one[0])
