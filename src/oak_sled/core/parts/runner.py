"""Runner: glides forward and bites sideways, slides past a slip angle and bites again below another.

Its document, closed forms and cautions; record and equations stand in `runnerforce`.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.geometry import shapes
from oak_sled.core.geometry.shapes import Piece
from oak_sled.core.parts import breakaway, curvefield, runnerlaws, slipcurve
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.lawful import ActsIf
from oak_sled.core.parts.runnerforce import CREEP, act, law_grip
from oak_sled.core.parts.runnerlaws import RECORD, RunnerLaw
from oak_sled.core.parts.slipcurve import DEFAULT_CURVE, GripKnot
from oak_sled.core.parts.spots import corners

SKID = 0.05
"""m, radius of the rod that stands for a runner in contacts; its friction is the runner's business."""


GRIP = Place(
    "grip_share",
    "factor on the lateral friction coefficient",
    "",
    "formula",
    (
        Quantity("slip", "rad", "slip angle"),
        Quantity("speed", "m/s", "of the foot along the ground"),
        Quantity("load", "N", "on the foot"),
    ),
    replaces=("stiffness", "share"),
)


SIDE_CURVE = CurveField("curve", "friction factor over slip angle", "slip_deg", "grip", "°", 45.0, slipcurve.PRESETS)


class Runner(Part):
    """One, two or four linked runners on the ground."""

    TITLE: ClassVar[str] = "Runners"
    EXPLAINS: ClassVar[str] = "slide forward, grip sideways, break loose and recover"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        (("share",), "law", runnerlaws.uses("share"), "of the share law"),
        (("stiffness",), "law", runnerlaws.uses("stiffness"), "of the linear law"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "grip"
    GROUP: ClassVar[Group] = "ground"
    STAGE: ClassVar[float] = 3.5
    SHOWS: ClassVar[Shown] = "left"
    EVENT: ClassVar[str] = "sliding"
    EVENT_FLASHES: ClassVar[bool] = False
    EVENT_FROM: ClassVar[float] = 0.5
    FLASH: ClassVar[str] = "SLIDING"
    SLIDES: ClassVar[bool] = True
    CURVES: ClassVar[Literal["", "slip", "wheels", "polar"]] = "slip"
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (SIDE_CURVE,)
    PLACES: ClassVar[tuple[Place, ...]] = (GRIP,)

    WAS: ClassVar[Mapping[str, str]] = {"bites_at_deg": "grips_below_deg"}

    kind: Literal["runner"] = "runner"
    law: runnerlaws.Name = Field("curve", description="law of lateral force over slip")
    side_grip: float = dial(
        0.6,
        "",
        "lateral friction coefficient",
        low=0.0,
        high=10.0,
        slider=(0.0, 1.5),
        main=True,
        title="lateral friction",
    )
    glide: float = dial(
        0.02,
        "",
        "sliding resistance coefficient",
        low=0.0,
        high=5.0,
        slider=(0.0, 0.2),
        main=True,
        title="resistance",
    )
    share: float = dial(
        0.3, "1/tick", "share of lateral speed cancelled per tick (share law)", low=0.0, high=1.0, title="share a tick"
    )
    stiffness: float = dial(
        6.0,
        "1/rad",
        "cornering stiffness per load (linear law)",
        low=0.0,
        high=1e3,
        slider=(0.5, 40.0),
        scale="log",
        title="cornering stiffness",
    )
    curve: tuple[GripKnot, ...] = Field(
        DEFAULT_CURVE, min_length=2, max_length=64, description="grip over slip angle (curve law)"
    )
    curve_straight: bool = curvefield.joined_straight()
    curve_of: str = curvefield.follows_shared()
    formula: str = Field("", max_length=60, description="formula for grip over slip; empty: the law")
    slides_past_deg: float = dial(
        14.0, "°", "slip angle above which it slides", low=0.0, high=90.0, title="slide angle"
    )
    grips_below_deg: float = dial(
        8.0,
        "°",
        "slip angle below which it stops sliding",
        low=0.0,
        high=90.0,
        slider=(0.0, 30.0),
        main=True,
        title="grip angle",
    )
    slide_grip: float = dial(0.7, "", "factor on lateral grip while sliding", low=0.0, high=2.0, title="sliding grip")
    blend_s: float = dial(
        0.15,
        "s",
        "transition time between gripping and sliding",
        low=0.0,
        high=10.0,
        slider=(0.0, 1.0),
        title="blend time",
    )
    steer_channel: str = Field("", description="the channel that turns the runners; empty: they stay straight")
    steer_deg: float = dial(
        0.0, "°", "steering angle at full input", low=-90.0, high=90.0, slider=(-40.0, 40.0), title="steering angle"
    )
    x: float = dial(0.0, "m", "middle of the runners, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "middle of the runners, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(-0.4, "m", "foot of the runners, above the origin", low=-1e3, high=1e3, slider=(-2.0, 0.0))
    spread_x: float = dial(0.0, "m", "half the wheelbase", low=0.0, high=1e3, slider=(0.0, 3.0))
    spread_y: float = dial(0.0, "m", "half the track width", low=0.0, high=1e3, slider=(0.0, 3.0))

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        slips = [knot.slip_deg for knot in self.curve]
        if any(later <= sooner for sooner, later in zip(slips, slips[1:], strict=False)):
            raise ValueError("curve: slip angles must rise from knot to knot (order the knots by slip_deg)")
        breakaway.check(self)
        return self

    def curves(self) -> tuple[CurveField, ...]:
        return (SIDE_CURVE,) if self.law == "curve" and not self.formula else ()

    def sampled_curve(self) -> np.ndarray:
        """Share of the side grip at SAMPLES slip angles from 0 to 90 degrees, shape (SAMPLES,)."""
        return slipcurve.sampled(tuple((knot.slip_deg, knot.grip) for knot in self.curve), self.curve_straight)

    @property
    def chosen(self) -> RunnerLaw:
        """Its law."""
        return runnerlaws.BY_NAME[self.law]

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "law": runnerlaws.INDEX[self.law],
            "each_tick": int(self.chosen.each_tick),
            "side_grip": self.side_grip,
            "share": self.share,
            "stiffness": self.stiffness,
            "curve": self.sampled_curve(),
            "glide": self.glide,
            **breakaway.record(self),
            "steer_channel": pack.channel(self.steer_channel),
            "steer": math.radians(self.steer_deg),
            "point": pack.point(self.x, self.y, self.z),
            "spread_x": self.spread_x,
            "spread_y": self.spread_y,
            "columns": 2 if self.spread_x > 0.0 else 1,
            "rows": 2 if self.spread_y > 0.0 else 1,
            "first_support": pack.supports.get(self.id, 0),
            "last_support": pack.last_support,
            "formula": pack.formula(self.formula),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.steer_channel,) if self.steer_channel else ()

    def feet(self) -> list[tuple[float, float, float]]:
        return corners(self)

    def skids(self) -> list[tuple[int, Piece]]:
        found = []
        for row, side in enumerate((self.spread_y, -self.spread_y) if self.spread_y > 0.0 else (0.0,)):
            rod = shapes.capsule(SKID, self.spread_x) if self.spread_x > 0.0 else shapes.ball(SKID)
            foot = np.array([self.x, self.y + side, self.z + SKID])
            found.append((row, rod.moved(np.eye(3), foot)))
        return found

    def cautions(self, case: Case) -> Iterator[Caution]:
        if self.chosen.each_tick and self.share > 0.0 and not self.formula:
            yield breakaway.by_tick(self, "curve")

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"z": -half[2], "spread_x": round(0.5 * half[0], 2), "spread_y": round(0.8 * half[1], 2)}

    def at_rest(self) -> Part | None:
        return None

    def summary(self) -> str:
        linked = self.contact_count()
        law = f"formula {self.formula}".replace("_", " ") if self.formula else self.chosen.words
        return f"{f'{linked} linked' if linked > 1 else 'one'} · {law}"

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        return [(law.words, {"law": law.name, "formula": ""}) for law in runnerlaws.LAWS if not law.each_tick]

    def written_as(self, place: Place) -> str:
        knots = ", ".join(f"{knot.slip_deg:g} [deg]: {knot.grip:g}" for knot in self.curve[:20])
        return self.chosen.text(self, knots)

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        if setting is None:
            return {}
        return {"slip": math.radians(5.0), "speed": 10.0, "load": setting.weight / max(setting.contacts, 1)}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        if quantity == "slip":
            return (0.0, math.radians(45.0))
        return (0.0, 20.0) if quantity == "speed" else (0.0, 2.0 * setting.weight / max(setting.contacts, 1))

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        loaded = run.column("load") > 0.0
        along = np.linalg.norm(run.columns("velocity.x", "velocity.y"), axis=1)
        w, x, y, z = (run.column(f"rotation.{axis}") for axis in "wxyz")
        heading = np.arctan2(2.0 * (x * y + w * z), 1.0 - 2.0 * (y * y + z * z))
        course = np.arctan2(run.column("velocity.y"), run.column("velocity.x"))
        off = np.abs((course - heading + np.pi) % (2.0 * np.pi) - np.pi)
        slip = np.where(along > CREEP, np.minimum(off, np.pi - off), np.nan)  # the same backward
        return {"slip": np.where(loaded, slip, np.nan), "speed": np.where(loaded, along, np.nan)}

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        return np.degrees(self.used(GRIP, run)["slip"])

    def sliding_friction(self, weight: float, grip: float) -> float:
        return self.glide * weight * grip * self.trim

    def side_capacity(self, weight: float, grip: float) -> float:
        return self.side_grip * weight * grip * self.trim * self.greatest_share()

    def greatest_share(self) -> float:
        """The greatest share of the side grip that a formula gives over all slip angles, at 10 m/s; 1 without one."""
        written = self.formula_of(GRIP)
        if written is None:
            return 1.0
        shares = (written.finite(math.radians(slip), 10.0, 1000.0) for slip in range(91))
        return min(max(shares), 1.0)

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        side = (
            self.greatest_share()
            * self.side_grip
            * setting.grip
            * self.trim
            * setting.weight
            / (setting.mass * STANDARD_GRAVITY)
        )
        first = f"side limit {show(side, 'g')}"
        if self.chosen.each_tick and not self.formula:
            rate = -math.log(1.0 - self.share) / setting.dt if self.share < 1.0 else math.inf
            half = f"side speed halves in {show(math.log(2.0) / rate, 's')}" if rate > 0 else "no side bite"
            return (first, half)
        if setting.last_speed > 0.0 and side > 0.0:
            radius = setting.last_speed**2 / (side * STANDARD_GRAVITY)
            first += f": {show(radius, 'm')} radius at top speed"
        return (
            first,
            f"slides past {units.plain(self.slides_past_deg, '°')}, "
            f"grips below {units.plain(self.grips_below_deg, '°')}",
        )


KIND = Kind(Runner, RECORD, act=act, predicts=True, laws={GRIP.name: law_grip})
