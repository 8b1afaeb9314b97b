"""The document of a craft, which checks its body, channels, parts and curves against one another."""

import functools
from typing import Self

from pydantic import Field, field_validator, model_validator

from oak_sled.core.base.document import Frozen, name_field
from oak_sled.core.base.faults import Refused, close_match
from oak_sled.core.formulas import parsed
from oak_sled.core.formulas.code import Code
from oak_sled.core.formulas.language import FormulaError
from oak_sled.core.formulas.parsed import RESERVED, Written
from oak_sled.core.formulas.place import Place
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import WheelAt
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.register import PLACES, AnyPart
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.law import Law, Number
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.motionstate import CHANNEL, MOST_STATES, WATCHED, MotionState
from oak_sled.core.yard.naming import unique
from oak_sled.core.yard.sharedcurve import SharedCurve
from oak_sled.core.yard.singles import check, singles_of
from oak_sled.core.yard.ties import AnyTie


class Craft(Frozen):
    """A craft: its bodies, what ties them, its channels, and the parts in the order in which they act."""

    id: str = name_field("the name by which paths refer to this craft")
    title: str = Field("", max_length=60, description="display name")
    body: Body = Field(default_factory=Body, description="the rigid body; the first, where there are several")
    bodies: tuple[Limb, ...] = Field((), max_length=7, description="further bodies: a trailer, a jib, a frame")
    ties: tuple[AnyTie, ...] = Field((), max_length=24, description="what ties its bodies; places in its own axes")
    channels: tuple[Channel, ...] = Field((), max_length=16, description="control inputs")
    parts: tuple[AnyPart, ...] = Field((), max_length=64, description="what acts on it")
    numbers: tuple[Number, ...] = Field((), max_length=40, description="named numbers for its formulas")
    laws: tuple[Law, ...] = Field((), max_length=60, description="formulas that its parts may follow")
    curves: tuple[SharedCurve, ...] = Field((), max_length=60, description="curves that its parts may share")
    states: tuple[MotionState, ...] = Field(
        (), max_length=MOST_STATES, description="states of motion for animation and sound, the first that holds counts"
    )

    @field_validator("parts")
    @classmethod
    def _as_they_act(cls, parts: tuple[Part, ...]) -> tuple[Part, ...]:
        """The parts in the order in which they act, however a file lists them; those of one step stay as they are."""
        return tuple(sorted(parts, key=lambda part: part.STAGE))

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.is_known_whole():
            return self
        unique("channels", self.channels)
        unique("parts", self.parts)
        names = [channel.id for channel in self.channels]
        for part in self.parts:
            for used in part.channels_used():
                if used not in names:
                    raise ValueError(f"parts.{part.id}: there is no channel {used!r} ({close_match(used, names)})")
        unique("bodies", self.bodies)
        unique("ties", self.ties)
        check(self)
        for on in ("", *(body.id for body in self.bodies)):
            own = [part for part in self.parts if part.carried_by == on]
            if sum(part.ANSWERS_WALLS for part in own) > 1:
                raise ValueError("parts: two bumpers on one body (one answers every wall)")
            if sum(part.MIXES for part in own) > 1:
                raise ValueError("parts: two mixers on one body (one commands every actuator)")
        unique("numbers", self.numbers)
        unique("laws", self.laws)
        if self.numbers:
            self._check_numbers()
        for law in self.laws:
            self._read(law)
        unique("curves", self.curves)
        unique("states", self.states)
        for state in self.states:
            self._check_state(state)
        for part in self.parts:
            for place in part.PLACES:
                self._check_formula(part, place)
            for field in part.CURVE_FIELDS:
                self._with_shared(part, field)
        return self.found_whole()

    def _check_state(self, state: MotionState) -> None:
        known = [*WATCHED, *(f"{CHANNEL}{channel.id}" for channel in self.channels)]
        for place, one in enumerate(state.conditions):
            if one.trace not in known:
                raise ValueError(
                    f"states.{state.id}.conditions.{place}.trace: cannot watch {one.trace!r} "
                    f"({close_match(one.trace, known)})"
                )

    def _with_shared(self, part: Part, field: CurveField) -> Part:
        """The part with the points of the shared curve that it follows; raises ValueError with the place of a fault."""
        name = getattr(part, field.shared)
        if not name:
            return part
        known = {one.id: one for one in self.curves if one.over == field.x}
        if name not in known:
            right = close_match(name, known) if known else f"a shared curve over {field.x} first"
            raise ValueError(f"parts.{part.id}.{field.shared}: there is no such curve {name!r} ({right})")
        points = [(point.x, point.y) for point in known[name].points]
        try:
            return part.replace(**{field.name: field.knots(points), field.straight: known[name].straight})
        except Refused as refused:
            fault = refused.faults[0]
            raise ValueError(f"curves.{name}: {fault.what} ({fault.right})") from None

    def _check_numbers(self) -> None:
        taken = {*RESERVED, *(name for place in PLACES.values() for name in place.names)}
        for number in self.numbers:
            if number.id in taken:
                raise ValueError(
                    f"numbers.{number.id}: the name {number.id!r} means something else in formulas (another name)"
                )

    def _check_formula(self, part: Part, place: Place) -> None:
        name = getattr(part, place.field)
        if not name:
            return
        known = [law.id for law in self.laws if law.place == place.name]
        if name not in known:
            where = f"parts.{part.id}.{place.field}"
            right = close_match(name, known) if known else f"a formula of place {place.name} first"
            raise ValueError(f"{where}: there is no formula {name!r} for this law ({right})")

    def _read(self, law: Law) -> Code:
        """The steps of a formula of it; raises ValueError with the place of what is wrong."""
        place = PLACES.get(law.place)
        if place is None:
            raise ValueError(
                f"laws.{law.id}.place: there is no law {law.place!r} ({close_match(law.place, list(PLACES))})"
            )
        try:
            return parsed.code_of(law.text, place, tuple((one.id, one.unit) for one in self.numbers))
        except FormulaError as error:
            raise ValueError(f"laws.{law.id}.text: {error}") from None

    @property
    def singles(self) -> "tuple[Craft, ...]":
        """Its bodies, each with the parts on it, as crafts of a single body: what a run is computed of."""
        return self._apart if self.bodies else (self,)  # not kept there: a document that holds itself equals nothing

    @functools.cached_property
    def _apart(self) -> "tuple[Craft, ...]":
        return singles_of(self)

    def with_only(self, parts: "tuple[Part, ...]") -> "Craft":
        """The same with other parts in the order in which they act, which are not checked anew."""
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        return self.model_construct(**{**fields, "parts": parts})

    def single(self, body: str = "") -> "Craft":
        """One of its bodies by name, with the parts on it, as a craft of a single body; the first without a name."""
        name = f"{self.id}.{body}" if body else self.id
        return next(one for one in self.singles if one.id == name)

    @functools.cached_property
    def written(self) -> dict[str, Written]:
        """Its formulas, ready to be asked for values, by name."""
        numbers = {one.id: one.si for one in self.numbers}
        return {law.id: Written(PLACES[law.place], self._read(law), numbers) for law in self.laws}

    @functools.cached_property
    def working_parts(self) -> tuple[Part, ...]:
        """Its parts with the shared curves and the formulas that they follow: what can be asked for forces in closed
        form."""
        return tuple(self.at_work(part) for part in self.parts)

    def at_work(self, part: Part) -> Part:
        """A part as it would work on this craft: with its shared curves, and able to say what its formulas give."""
        made = part
        for field in part.CURVE_FIELDS:
            made = self._with_shared(made, field)
        laws = {one.name: self.written[name] for one in part.PLACES if (name := getattr(part, one.field))}
        return made.working(laws)

    @functools.cached_property
    def own_parts(self) -> tuple[Part, ...]:
        """The parts on its first body: those that what is said of one body counts."""
        return tuple(part for part in self.parts if not part.carried_by) if self.bodies else self.parts

    @functools.cached_property
    def below_centre(self) -> float:
        """See `foot_depth`; found once."""
        lowest = min((foot[2] for foot in self.feet()), default=self.body.shape_z - self.body.half_extents()[2])
        return self.body.centre()[2] - lowest

    @functools.cached_property
    def ray_names(self) -> tuple[str, ...]:
        """A name for every ray: its part and its number."""
        return tuple(f"{part.id}.{k + 1}" for part in self.own_parts for k in range(len(part.rays())))

    @functools.cached_property
    def wheels(self) -> tuple[WheelAt, ...]:
        """The wheels that carry, by the numbers of their rays."""
        found, ray = [], 0
        for part in self.own_parts:
            for place, one in enumerate(part.rays()):
                if one.wheel > 0.0 and self.gain_of(part) > 0.0:
                    found.append(WheelAt(ray + place, part.id, one.at))
            ray += len(part.rays())
        return tuple(found)

    @functools.cached_property
    def tired(self) -> dict[int, float]:
        """The rays whose wheels have tires, in order; and the inertia of each wheel, kg m2."""
        found: dict[int, float] = {}
        for part in self.own_parts:
            if self.gain_of(part) > 0.0:
                found.update(part.grips(self.wheels))
        return dict(sorted(found.items()))

    @functools.cached_property
    def wheel_names(self) -> dict[str, tuple[str, ...]]:
        """The names of the rays of the wheels with tires on which each part acts, by the part."""
        return {
            part.id: tuple(self.ray_names[one.ray] for one in part.wheels_of(self.wheels) if one.ray in self.tired)
            for part in self.own_parts
        }

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")

    def layers_used(self) -> list[tuple[str, str]]:
        """Path and name of every layer it uses: its own, those of its shots, and those that its knockbacks push."""
        own = [
            ("body.layer", self.body.layer),
            # its fields are asked by name: an attribute that is not there takes a model long to deny
            *((f"parts.{part.id}.layer", part.__dict__.get("layer", "")) for part in self.parts),
            *((f"bodies.{body.id}.layer", body.layer) for body in self.bodies),
        ]
        return [(where, name) for where, name in own if name]

    def gain_of(self, part: Part) -> float:
        """Trim, mute and solo of one of its parts as one number."""
        if part.mute or (not part.solo and any(other.solo for other in self.parts)):
            return 0.0
        return part.trim

    def can_leave_ground(self) -> bool:
        """True if its height is free, so that what carries it is what it touches."""
        return "z" not in self.body.held

    def feet(self) -> list[tuple[float, float, float]]:
        """Points where the parts on its first body stand, craft axes, m from the origin."""
        return [foot for part in self.own_parts for foot in part.feet()]

    def foot_depth(self) -> float:
        """m from the centre of mass down to the lowest point of the level craft: runners, else hull."""
        return self.below_centre

    def whole_mass(self) -> float:
        """kg of all its bodies, and of what its parts carry."""
        return sum(one.body.true_mass() + one.carried_mass() for one in self.singles)

    def carried_mass(self) -> float:
        """kg of what the parts on its first body carry."""
        carried = [(part, part.carried()) for part in self.own_parts]
        return sum(one.mass for part, one in carried if one is not None and self.gain_of(part) > 0.0)

    def stands_above(self, gravity: float) -> float:
        """m from the centre of mass down to level ground where the craft stands still at this gravity (m/s2): on its
        feet or hull, or higher where its rays carry it, each an equal share of the weight."""
        own = [part for part in self.working_parts if not (self.bodies and part.carried_by)]
        found, rays = [self.foot_depth()], [(part, ray) for part in own for ray in part.legs()]
        carried = [(part, ray) for part, ray in rays if self.gain_of(part) > 0.0]
        weight = (self.body.true_mass() + self.carried_mass()) * max(gravity * self.body.gravity_scale, 0.0)
        weight = max(weight - sum(one.lifts(weight) for one in self.own_parts if self.gain_of(one) > 0.0), 0.0)
        for part, ray in carried:
            gap = part.rest_gap(weight / len(carried) / self.gain_of(part))
            found.append(self.body.centre()[2] - ray.at[2] + gap)
        return max(found)

    def with_part(self, part: Part) -> Self:
        """The craft with one part more, behind the last one that acts no later."""
        return self.replace(parts=(*self.parts, part))

    def without_part(self, name: str) -> Self:
        """The craft without the part of that id."""
        return self.replace(parts=tuple(part for part in self.parts if part.id != name))
