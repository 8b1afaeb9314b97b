"""Tire: what a sprung wheel pushes along and sideways, by the slip of its contact with the ground.

One file, the document with its closed forms and cautions; record and equations stand in `tireforce`, its laws in
`tirelaws`, and what it does in a tick in `slip`.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self, get_args

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.parts import breakaway, curvefield, slipcurve
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting, WheelAt
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.slipcurve import DEFAULT_CURVE, GripKnot
from oak_sled.core.parts.speedcurve import MOST_IN_TABLE
from oak_sled.core.parts.wheels import tirecurve, tirelaws
from oak_sled.core.parts.wheels.onwheels import MOST_WHEELS, OnWheels
from oak_sled.core.parts.wheels.tirecurve import ALONG_CURVE, SlipKnot
from oak_sled.core.parts.wheels.tireforce import RECORD, act, law_along, law_side
from oak_sled.core.parts.wheels.tirelaws import Numbers, TireLaw
from oak_sled.core.parts.wheels.writtentire import written_shape, wrong_slip

Acts = Literal["contact", "height", "craft_axis"]


SIDE_CURVE = CurveField("curve", "friction factor over slip angle", "slip_deg", "grip", "°", 45.0, slipcurve.PRESETS)
OVER_RATIO = CurveField("along_curve", "friction factor over slip ratio", "slip", "grip", "", 1.0, tirecurve.PRESETS)


SIDE = Place(
    "tire_side",
    "factor on the lateral friction coefficient",
    "",
    "formula",
    (Quantity("slip", "rad", "slip angle"),),
    replaces=("stiffness", "share"),
    sampled=True,
)
ALONG = Place(
    "tire_along",
    "share of the grip along",
    "",
    "along_formula",
    (Quantity("slip", "", "slip ratio"),),
    replaces=("along_stiffness", "along_share"),
    sampled=True,
)


class Tire(OnWheels):
    """The tires of sprung wheels. Side force follows the slip angle and force along the wheel the slip ratio, each by
    a law of its own, both together within the friction ellipse; the wheel turns by what drives, brakes and pushes it.
    """

    TITLE: ClassVar[str] = "Tires"
    EXPLAINS: ClassVar[str] = "grip by slip angle and slip ratio, within a friction ellipse; the wheels turn"
    FAMILY: ClassVar[Family] = "grip"
    STAGE: ClassVar[float] = 3.6
    SHOWS: ClassVar[Shown] = "left"
    EVENT: ClassVar[str] = "sliding"
    EVENT_FLASHES: ClassVar[bool] = False
    EVENT_FROM: ClassVar[float] = 0.5
    FLASH: ClassVar[str] = "SLIDING"
    SLIDES: ClassVar[bool] = True
    CURVES: ClassVar[Literal["", "slip", "wheels", "polar"]] = "wheels"
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (SIDE_CURVE, OVER_RATIO)
    PLACES: ClassVar[tuple[Place, ...]] = (SIDE, ALONG)

    WAS: ClassVar[Mapping[str, str]] = {"load_loss": "load_sensitivity"}

    kind: Literal["tire"] = "tire"
    law: tirelaws.Name = Field("sine_arctangent", description="how side force follows the slip angle")
    formula: str = Field("", max_length=60, description="the formula of its side grip; empty: the law")
    along_formula: str = Field(
        "", max_length=60, description="the formula of the share of its grip along; empty: the law"
    )
    side_grip: float = dial(
        0.9, "", "lateral friction coefficient", low=0.0, high=10.0, slider=(0.0, 1.5), main=True,
        title="lateral friction",
    )  # fmt: skip
    stiffness: float = dial(
        12.0, "1/rad", "side force over load and slip angle, at no slip", low=0.1, high=1e3, slider=(1.0, 40.0),
        scale="log", main=True, title="cornering stiffness",
    )  # fmt: skip
    share: float = dial(
        0.5, "1/tick", "share of lateral speed cancelled per tick (share law)", low=0.0, high=1.0, title="lateral share"
    )
    curve: tuple[GripKnot, ...] = Field(
        DEFAULT_CURVE, min_length=2, max_length=64, description="the drawn curve, by slip angle"
    )
    curve_straight: bool = curvefield.joined_straight()
    curve_of: str = curvefield.follows_shared()
    relaxation: float = dial(
        0.3, "m", "way rolled until a slip angle has built up its force", low=0.0, high=20.0, slider=(0.0, 1.0),
        title="lateral relaxation",
    )  # fmt: skip
    along_law: tirelaws.Name = Field(
        "sine_arctangent", description="how the force along the wheel follows the slip ratio"
    )
    along_grip: float = dial(
        0.95, "", "greatest force along the wheel as a share of the load", low=0.0, high=10.0, slider=(0.0, 1.5),
        main=True, title="friction along",
    )  # fmt: skip
    along_stiffness: float = dial(
        14.0, "", "force along over load and slip ratio, at no slip", low=0.1, high=1e3, slider=(1.0, 40.0),
        scale="log", title="stiffness along",
    )  # fmt: skip
    along_share: float = dial(
        0.5,
        "1/tick",
        "share of the slip speed taken a tick, in the share law",
        low=0.0,
        high=1.0,
        title="share along",
    )
    along_curve: tuple[SlipKnot, ...] = Field(
        ALONG_CURVE, min_length=2, max_length=64, description="the drawn curve, by slip ratio"
    )
    along_curve_straight: bool = curvefield.joined_straight()
    along_curve_of: str = curvefield.follows_shared()
    along_relaxation: float = dial(
        0.1, "m", "way rolled until a slip ratio has built up its force", low=0.0, high=20.0, slider=(0.0, 1.0),
        title="relaxation along",
    )  # fmt: skip
    factor: float = dial(
        1.4, "", "shape of the sine of arctangent: below 1 it has no peak", low=0.5, high=2.0, title="shape factor"
    )
    curvature: float = dial(0.0, "", "curvature of the sine of arctangent about its peak", low=-10.0, high=1.0)
    nominal_load: float = dial(
        4000.0, "N", "load at which the grip is what is set", low=1.0, high=1e8, slider=(100.0, 2e4), scale="log"
    )
    load_sensitivity: float = dial(
        0.0,
        "",
        "share of the grip lost at twice that load",
        low=0.0,
        high=1.0,
        slider=(0.0, 0.4),
        title="load sensitivity",
    )
    slides_past_deg: float = dial(
        20.0, "°", "slip at which the second set of grip begins", low=0.0, high=90.0, title="slide angle"
    )
    grips_below_deg: float = dial(
        10.0, "°", "slip below which the first set is back", low=0.0, high=90.0, title="grip angle"
    )
    slide_grip: float = dial(
        1.0, "", "share of the grip that the second set has", low=0.0, high=2.0, slider=(0.2, 1.2), main=True,
        title="sliding grip",
    )  # fmt: skip
    slide_slip: float = dial(
        1.0, "", "share of the slip at which the second set gives its most", low=0.1, high=10.0, slider=(0.5, 3.0),
        title="sliding slip",
    )  # fmt: skip
    blend_s: float = dial(
        0.2, "s", "time from one set to the other", low=0.0, high=10.0, slider=(0.0, 1.0), title="blend time"
    )
    inertia: float = dial(
        1.2, "kg m2", "of a wheel and what turns with it", low=1e-3, high=1e6, slider=(0.1, 20.0), scale="log",
        title="wheel inertia",
    )  # fmt: skip
    marks_fade_s: float = dial(
        8.0, "s", "until a mark that it left on the ground is half gone", low=0.01, high=1e6, slider=(0.5, 120.0),
        scale="log", title="marks fade in",
    )  # fmt: skip
    rolling: float = dial(
        0.015, "", "rolling resistance coefficient", low=0.0, high=5.0, slider=(0.0, 0.2), title="rolling resistance"
    )
    acts: Acts = Field("contact", description="where and which way the side force acts on the craft")
    acts_height: float = dial(
        0.3, "m", "above the ground, where the side force acts at a height: less roll", low=0.0, high=20.0,
        slider=(0.0, 1.0), title="force height",
    )  # fmt: skip

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        for name, slips in (
            ("curve", [knot.slip_deg for knot in self.curve]),
            ("along_curve", [knot.slip for knot in self.along_curve]),
        ):
            if sorted(set(slips)) != slips:
                raise ValueError(f"{name}: slips must rise from knot to knot (order the knots by their slip)")
            if max(knot.grip for knot in getattr(self, name)) <= 0.0:
                raise ValueError(f"{name}: it has no peak, since no knot has any grip (a share of 1 at one of them)")
        breakaway.check(self)
        return self

    def side_shape(self) -> tuple[float, float, Floats]:
        """The tangent of the slip angle at which the side force is at its most, that most over the side grip, and its
        shape."""
        if (written := self.formula_of(SIDE)) is not None:
            return written_shape(written, True)
        return tirecurve.shape(self.law, self.side_numbers(), True)

    def along_shape(self) -> tuple[float, float, Floats]:
        """The same along the wheel, by the slip ratio: the last of shape (SAMPLES,)."""
        if (written := self.formula_of(ALONG)) is not None:
            return written_shape(written, False)
        return tirecurve.shape(self.along_law, self.along_numbers(), False)

    def side_numbers(self) -> Numbers:
        """The numbers of its law by slip angle."""
        knots = tuple((math.radians(knot.slip_deg), knot.grip) for knot in self.curve)
        return Numbers(self.side_grip, self.stiffness, self.factor, self.curvature, knots, self.curve_straight)

    def along_numbers(self) -> Numbers:
        """The numbers of its law by slip ratio."""
        knots = tuple((knot.slip, knot.grip) for knot in self.along_curve)
        return Numbers(
            self.along_grip, self.along_stiffness, self.factor, self.curvature, knots, self.along_curve_straight
        )

    @property
    def chosen(self) -> TireLaw:
        """Its law by slip angle."""
        return tirelaws.BY_NAME[self.law]

    @property
    def chosen_along(self) -> TireLaw:
        """Its law by slip ratio."""
        return tirelaws.BY_NAME[self.along_law]

    def curves(self) -> tuple[CurveField, ...]:
        side, along = self.law == "curve" and not self.formula, self.along_law == "curve" and not self.along_formula
        return tuple(field for field, acts in ((SIDE_CURVE, side), (OVER_RATIO, along)) if acts)

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        if not wheels:
            return None
        what = "slip_angle" if field is SIDE_CURVE else "slip_ratio"
        found = np.stack([run.column(f"{name}.{what}") for name in wheels], axis=1)
        loads = np.stack([run.column(f"{name}.force") for name in wheels], axis=1)
        return np.where(loads > 0.0, np.degrees(found) if field is SIDE_CURVE else found, np.nan)

    def keeps_stiffness(self) -> bool:
        """True if less grip moves the slip at which it gives its most, and leaves its cornering stiffness."""
        return self.chosen.keeps_stiffness and not self.formula

    def record(self, pack: Pack) -> dict[str, Any]:
        side_scale, side_most, side = self.side_shape()
        along_scale, along_most, along = self.along_shape()
        return {
            **self.wheels_record(pack),
            "first_of_all": min(pack.rays.values(), default=0),
            "last_of_all": pack.last_ray,
            "side_law": tirelaws.INDEX["curve" if self.formula else self.law],
            "side_grip": self.side_grip * side_most,
            "side_most": side_most,
            "side_share": self.share,
            "side_scale": side_scale,
            "side_keeps": int(self.keeps_stiffness()),
            "side_relaxation": self.relaxation,
            "along_law": tirelaws.INDEX["curve" if self.along_formula else self.along_law],
            "along_grip": self.along_grip * along_most,
            "along_most": along_most,
            "along_share": self.along_share,
            "along_scale": along_scale,
            "along_keeps": int(self.chosen_along.keeps_stiffness and not self.along_formula),
            "along_relaxation": self.along_relaxation,
            "nominal": self.nominal_load,
            "fades": self.load_sensitivity,
            "slide_slip": self.slide_slip,
            **breakaway.record(self),
            "inertia": self.inertia,
            "rolling": self.rolling,
            "acts": get_args(Acts).index(self.acts),
            "height": self.acts_height,
            "side_shape": side,
            "along_shape": along,
        }

    def grips(self, wheels: Sequence[WheelAt]) -> Mapping[int, float]:
        return {one.ray: self.inertia for one in self.wheels_of(wheels)[:MOST_WHEELS]}

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        both = ((self.chosen, self.formula, ""), (self.chosen_along, self.along_formula, "along_"))
        used = {name for law, formula, _ in both if not formula for name in law.uses}
        for name in ("factor", "curvature"):
            if name not in used:
                owners = " or ".join(law.words for law in tirelaws.LAWS if name in law.uses)
                found[name] = f"of the {owners}, which no law of it is"
        for law, formula, front in both:
            for name in ("stiffness", "share"):
                if not formula and name not in law.uses:  # a formula takes its place
                    found[f"{front}{name}"] = f"the law {law.words} has none"
        if self.acts != "height":
            found["acts_height"] = "where the side force acts at a height"
        return found

    def at_rest(self) -> Part:
        return self.replace(side_grip=0.0, along_grip=0.0, rolling=0.0)

    def sliding_friction(self, weight: float, grip: float) -> float:
        return self.rolling * weight * self.trim

    def side_capacity(self, weight: float, grip: float) -> float:
        return self.side_grip * weight * grip * self.trim

    def summary(self) -> str:
        law = f"formula {self.formula}".replace("_", " ") if self.formula else self.chosen.words
        return f"{self.where()} · {law}"

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        law, formula = ("law", "formula") if place is SIDE else ("along_law", "along_formula")
        return [(one.words, {law: one.name, formula: ""}) for one in tirelaws.LAWS if not one.each_tick]

    def written_as(self, place: Place) -> str:
        if place is SIDE:
            knots = ", ".join(f"{knot.slip_deg:g} [deg]: {knot.grip:g}" for knot in self.curve[:MOST_IN_TABLE])
            return self.chosen.text(self.side_numbers(), knots)
        knots = ", ".join(f"{knot.slip:g}: {knot.grip:g}" for knot in self.along_curve[:MOST_IN_TABLE])
        return self.chosen_along.text(self.along_numbers(), knots)

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        if setting is None:
            return {}
        return {"slip": math.radians(5.0) if place is SIDE else 0.05}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        return (0.0, math.radians(45.0) if place is SIDE else 1.0)

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        field = SIDE_CURVE if place is SIDE else OVER_RATIO
        found = self.curve_reads(field, run, run.job.single.wheel_names.get(self.id, ()))
        if found is None:
            return {}
        return {"slip": np.minimum(np.abs(np.radians(found) if place is SIDE else found), self.span_most(place))}

    def span_most(self, place: Place) -> float:
        """The greatest slip that a chart goes to: a spinning wheel slips without bound."""
        return math.radians(90.0) if place is SIDE else 3.0

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        scale, most, _ = self.side_shape()
        grip = self.side_grip * most * setting.grip * self.trim
        if self.keeps_stiffness():
            scale *= setting.grip * self.trim
        peaks = not self.chosen.each_tick or self.formula
        peak = f", most at {show(math.degrees(math.atan(scale)), '°')}" if peaks else ""
        handling = setting.handling
        if handling is None:
            return (f"hold {show(grip, 'g')} at most{peak}", self._tips(setting, grip))
        slides = "all wheels slide" if handling.first == "all" else f"the {handling.first} slides"
        gravity = setting.weight / max(setting.mass, 1e-9)
        first = f"corners at {show(handling.limit_g, 'g')} at most, then {slides}{peak}"
        return (first, f"{handling.words(gravity)}; {self._tips(setting, handling.limit_g)}")

    def _tips(self, setting: Setting, grip: float) -> str:
        tips = setting.tips()
        if math.isinf(tips):
            return "cannot tip"
        return "slides before it tips" if grip < tips else f"tips at {show(tips, 'g')} before it slides"

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)
        for place, shape in ((SIDE, self.side_shape), (ALONG, self.along_shape)):
            if self.formula_of(place) is not None and shape()[1] <= 0.0:
                name = place.field
                says = f"the formula {getattr(self, name)} gives no grip at any slip"
                yield self.caution("no_grip_by_formula", name, says, "a share above 0, most of it 1 where it peaks")
            if (written := self.formula_of(place)) is not None and (
                slip := wrong_slip(written, place is SIDE)
            ) is not None:
                at = show(math.degrees(slip), "°") if place is SIDE else f"{slip:.3g}"
                name = getattr(self, place.field)
                says = f"the formula {name} is not finite at a slip of {at}; it counts as 0 there"
                yield self.caution("formula_not_finite", place.field, says, "a formula that holds at every slip")
        if self.chosen.each_tick and self.share > 0.0 and not self.formula:
            yield breakaway.by_tick(self, "brush")


KIND = Kind(Tire, RECORD, act=act, laws={SIDE.name: law_side, ALONG.name: law_along}, predicts=True)
