"""Sprung wheel: carries its craft on a spring with bump and rebound damping, rolls freely and holds sideways.

One file, the document with its closed forms and cautions; record and equations stand in `strut`.
"""

import functools
import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.parts import curvefield, speedcurve, stiffness
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Ray, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.search import area, crossing
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.spots import corners
from oak_sled.core.parts.swing import Swing
from oak_sled.core.parts.wheels.strut import RECORD, _root, act, friction_of_all, law_damper, law_spring

Finds = Literal["ray", "sphere"]


SPRING = Place(
    "wheel_spring",
    "spring of a wheel",
    "N",
    "spring_formula",
    (
        Quantity("squeeze", "m", "compression from full droop", "spring"),
        Quantity("travel", "m", "travel from full droop to the bump stop"),
    ),
    replaces=("stiffness", "progression", "preload", "bump_stop"),
)
DAMPER = Place(
    "wheel_damper",
    "damper of a wheel",
    "N",
    "damper_formula",
    (
        Quantity("closing", "m/s", "speed of compression", "damper"),
        Quantity("squeeze", "m", "compression from full droop", "spring"),
        Quantity("travel", "m", "travel from full droop to the bump stop"),
    ),
    replaces=("bump", "rebound"),
)
OVER_STRUT_SPEED = CurveField(
    "damper_curve", "share of the damping over strut speed", "speed", "share", "m/s", 1.0,
    {
        "the same at every speed": ((0.0, 1.0), (1.0, 1.0)),
        "digressive: firm when slow, gives on a blow": ((0.0, 1.0), (0.1, 1.0), (0.3, 0.55), (1.0, 0.3), (2.0, 0.22)),
        "progressive: soft when slow, firm on a blow": ((0.0, 0.4), (0.2, 0.5), (0.6, 1.0), (1.5, 1.6)),
        "free about standstill": ((0.0, 0.0), (0.05, 0.1), (0.15, 1.0), (1.0, 1.0)),
    },
)  # fmt: skip


class Wheel(Part):
    """One, two or four linked wheels, each on a spring; a ray down in craft axes finds the ground, or a sphere of
    its radius, which rolls over steps and edges where a ray drops past them.

    With compression x from full droop: push = preload + k x (1 + b x / travel), past the travel a bump stop on top;
    damped by the speed of the mount, more or less in bump than in rebound, and by a curve over that speed; never below
    0. Sideways each wheel takes the slip of its contact point up to its grip times the load; along it rolls, but for
    its rolling resistance. The load acts along the normal of the ground.
    """

    TITLE: ClassVar[str] = "Sprung wheels"
    EXPLAINS: ClassVar[str] = "carry on springs with bump and rebound damping; roll freely, hold sideways"
    FAMILY: ClassVar[Family] = "support"
    GROUP: ClassVar[Group] = "wheels"
    STAGE: ClassVar[float] = 3.5
    SHOWS: ClassVar[Shown] = "up"
    EVENT: ClassVar[str] = "sliding"
    EVENT_FLASHES: ClassVar[bool] = False
    EVENT_FROM: ClassVar[float] = 0.5
    FLASH: ClassVar[str] = "SLIDING"
    PLACES: ClassVar[tuple[Place, ...]] = (SPRING, DAMPER)
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (OVER_STRUT_SPEED,)

    kind: Literal["wheel"] = "wheel"
    finds: Finds = Field("ray", description="ground detection: a ray below the hub, or a sphere as large as the wheel")
    stiffness: float = dial(
        20000.0, "N/m", "spring rate of a wheel", low=0.0, high=1e8, slider=(500.0, 3e5), scale="log", main=True
    )
    bump: float = dial(
        1500.0, "N s/m", "compression damping of each wheel", low=0.0, high=1e7, slider=(10.0, 2e4),
        scale="log", main=True,
    )  # fmt: skip
    rebound: float = dial(
        2500.0, "N s/m", "rebound damping of each wheel", low=0.0, high=1e7, slider=(10.0, 2e4),
        scale="log", main=True,
    )  # fmt: skip
    damper_curve: tuple[SpeedKnot, ...] = Field(
        speedcurve.FLAT, min_length=1, max_length=64, description="factor on damping over the speed of the strut"
    )
    damper_curve_straight: bool = curvefield.joined_straight()
    damper_curve_of: str = curvefield.follows_shared()
    travel: float = dial(0.3, "m", "travel from full droop to the bump stop", low=0.01, high=10.0, slider=(0.05, 1.0))
    preload: float = dial(0.0, "N", "spring force at full droop", low=0.0, high=1e7, slider=(0.0, 10000.0))
    progression: float = dial(
        0.0, "", "progressive spring: 1 doubles the force at full travel", low=0.0, high=100.0, slider=(0.0, 3.0)
    )
    bump_stop: float = dial(
        200000.0, "N/m", "spring rate of the bump stop", low=0.0, high=1e9, slider=(1000.0, 1e6), scale="log",
        title="bump stop",
    )  # fmt: skip
    radius: float = dial(0.4, "m", "of the wheel", low=0.02, high=20.0, slider=(0.1, 1.5), title="wheel radius")
    unsprung: float = dial(
        0.0, "kg", "unsprung mass of each wheel, in addition to the body; 0: massless wheel, rigid tire",
        low=0.0, high=1e6, slider=(0.0, 100.0), title="unsprung mass",
    )  # fmt: skip
    tire_stiffness: float = dial(
        200000.0, "N/m", "radial tire stiffness, with unsprung mass", low=1.0, high=1e9, slider=(1e4, 1e6), scale="log",
        title="tire stiffness",
    )  # fmt: skip
    side_grip: float = dial(
        0.9, "", "lateral friction coefficient", low=0.0, high=10.0, slider=(0.0, 1.5), main=True,
        title="lateral friction",
    )  # fmt: skip
    rolling: float = dial(
        0.015, "", "rolling resistance coefficient", low=0.0, high=5.0, slider=(0.0, 0.2), title="rolling resistance"
    )
    steer_channel: str = Field("", description="the channel that turns the wheels; empty: they stay straight")
    steer_deg: float = dial(
        0.0, "°", "steering angle at full input", low=-90.0, high=90.0, slider=(-45.0, 45.0), title="steering angle"
    )
    spring_formula: str = Field("", max_length=60, description="formula for its spring; empty: rate and preload")
    damper_formula: str = Field("", max_length=60, description="formula for its damper; empty: bump and rebound")
    layer: str = reference("layer", "collision layer of its rays; empty: that of its craft")
    x: float = dial(0.0, "m", "middle of the wheels, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "middle of the wheels, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(
        -0.5, "m", "hubs of the wheels at full droop, above the origin", low=-1e3, high=1e3, slider=(-2.0, 1.0)
    )
    spread_x: float = dial(0.0, "m", "half the wheelbase", low=0.0, high=1e3, slider=(0.0, 3.0))
    spread_y: float = dial(0.0, "m", "half the track width", low=0.0, high=1e3, slider=(0.0, 3.0))

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speedcurve.check("damper_curve", self.damper_curve)
        return self

    def curves(self) -> tuple[CurveField, ...]:
        return () if self.damper_formula else (OVER_STRUT_SPEED,)

    def record(self, pack: Pack) -> dict[str, Any]:
        top, samples = speedcurve.record(self.damper_curve, self.damper_curve_straight)
        return {
            "stiffness": self.stiffness,
            "progression": self.progression,
            "preload": self.preload,
            "travel": self.travel,
            "bump_stop": self.bump_stop,
            "bump": self.bump,
            "rebound": self.rebound,
            "radius": self.radius,
            "side_grip": self.side_grip,
            "rolling": self.rolling,
            "steer_channel": pack.channel(self.steer_channel),
            "steer": math.radians(self.steer_deg),
            "first_ray": pack.rays.get(self.id, 0),
            "rays": self.count(),
            "first_of_all": min(pack.rays.values(), default=0),
            "last_of_all": pack.last_ray,
            "unsprung": self.unsprung,
            "tire": self.tire_stiffness,
            "bends": int(not speedcurve.is_flat(self.damper_curve)),
            "top": top,
            "damper_curve": samples,
            "spring_formula": pack.formula(self.spring_formula, {1: self.travel}),
            "damper_formula": pack.formula(self.damper_formula, {2: self.travel}),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.steer_channel,) if self.steer_channel else ()

    def count(self) -> int:
        """Number of wheels."""
        return len(corners(self))

    def is_unsprung(self) -> bool:
        return self.unsprung > 0.0

    def hubs(self) -> list[tuple[float, float, float]]:
        """The hubs at full droop, m from the origin, craft axes."""
        return corners(self)

    def rays(self) -> list[Ray]:
        return list(self.rays_found)

    @functools.cached_property
    def rays_found(self) -> tuple[Ray, ...]:
        """See `rays`: asked dozens of times a run, and found once."""
        reach = self.travel + self.radius
        round_ = self.radius if self.finds == "sphere" else 0.0
        return tuple(
            [Ray((x, y, z + self.travel), "craft", reach, self.layer, round_, self.radius) for x, y, z in self.hubs()]
        )

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        radius = round(max(0.6 * half[2], 0.1), 2)
        return {
            "z": round(-half[2] - 0.5 * radius, 2),
            "radius": radius,
            "spread_x": round(0.7 * half[0], 2),
            "spread_y": round(0.9 * half[1], 2),
        }

    def looks(self) -> str:
        return "wheels"

    def push_at(self, squeeze: float) -> float:
        """N of a wheel that does not move, at a compression from full droop, m."""
        if squeeze <= 0.0:
            return 0.0
        written = self.formula_of(SPRING)
        if written is not None:
            return max(written.finite(squeeze, self.travel), 0.0)
        force = self.preload + self.stiffness * squeeze * (1.0 + self.progression * squeeze / self.travel)
        return force + self.bump_stop * max(squeeze - self.travel, 0.0)

    def stored(self, gap: float) -> float:
        whole = self.travel + self.radius - gap
        if whole <= 0.0:
            return 0.0
        squeeze, tire = self._split(whole)
        return self._stored_in_spring(squeeze) + 0.5 * self.tire_stiffness * tire**2 / max(self.trim, 1e-9)

    def _split(self, whole: float) -> tuple[float, float]:
        """m by which spring and tire are squeezed together, told apart where both push alike; the tire of a wheel that
        weighs nothing is rigid."""
        if self.unsprung <= 0.0:
            return whole, 0.0
        places = np.linspace(0.0, whole, 65)
        found = crossing(lambda x: self.trim * self.push_at(x) - self.tire_stiffness * (whole - x), 0.0, places)
        squeeze = whole if found is None else found
        return squeeze, whole - squeeze

    def _stored_in_spring(self, squeeze: float) -> float:
        if self.formula_of(SPRING) is not None:
            return area(self.push_at, 1e-12, squeeze)
        bend, past = self.progression / self.travel, max(squeeze - self.travel, 0.0)
        spring = self.preload * squeeze + self.stiffness * squeeze**2 * (0.5 + bend * squeeze / 3.0)
        return spring + 0.5 * self.bump_stop * past**2

    def squeeze_of(self, load: float) -> float:
        """The compression from full droop at which a wheel carries `load` N, m, past the bump stop too; of a formula by
        halving."""
        most = self.travel + self.radius
        if self.formula_of(SPRING) is not None:
            found = crossing(self.push_at, load, np.linspace(0.0, most, 65)) if load > 0.0 else 0.0
            return most if found is None else found
        left = load - self.preload
        if left <= 0.0:
            return 0.0
        bend = self.stiffness * self.progression / self.travel
        squeeze = _root(bend, self.stiffness, left)
        if squeeze > self.travel:
            squeeze = _root(bend, self.stiffness + self.bump_stop, left + self.bump_stop * self.travel)
        return min(squeeze, most)

    def rest_gap(self, load: float) -> float:
        return self.travel + self.radius - self.squeeze_of(load) - self.tire_squeeze(load)

    def tire_squeeze(self, load: float) -> float:
        """m by which a tire gives under what its spring carries, N, and its own weight."""
        if self.unsprung <= 0.0 or load <= 0.0:
            return 0.0
        return (self.trim * load + self.unsprung * STANDARD_GRAVITY) / self.tire_stiffness

    def springs(self, load: float) -> tuple[float, float]:
        squeeze = self.squeeze_of(load / self.trim if self.trim > 0.0 else 0.0)
        rate = self.stiffness * (1.0 + 2.0 * self.progression * squeeze / self.travel)
        rate += self.bump_stop if squeeze > self.travel else 0.0
        damping = 0.5 * (self.bump + self.rebound) * speedcurve.share_at(self.damper_curve, 0.0)
        if self.formula_of(SPRING) is not None:
            step = 1e-4 * self.travel
            rate = (self.push_at(squeeze + step) - self.push_at(squeeze - step)) / (2.0 * step)
        if (written := self.formula_of(DAMPER)) is not None:
            up, down = (written.finite(closing, squeeze, self.travel) for closing in (1e-3, -1e-3))
            damping = (up - down) / 2e-3
        rate, damping = self.trim * rate, self.trim * damping
        if self.unsprung > 0.0:  # two springs one behind the other, and the damper over its share of the movement
            share = self.tire_stiffness / (rate + self.tire_stiffness)
            rate, damping = rate * share, damping * share * share
        return self.count() * rate, self.count() * damping

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        rigid = {} if self.unsprung > 0.0 else {"tire_stiffness": "without an unsprung mass the tire is rigid"}
        tired = setting is not None and self.id in setting.tired
        theirs = dict.fromkeys(("side_grip", "rolling"), "their tires take its place") if tired else {}
        return {**super().idle(setting), **rigid, **theirs}

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        if place is DAMPER:
            same = 0.5 * (self.bump + self.rebound)
            flat: dict[str, Any] = {"damper_formula": "", "damper_curve": speedcurve.FLAT, "damper_curve_of": ""}
            found = [("bump and rebound", flat), ("one damping", {**flat, "bump": same, "rebound": same})]
            if speedcurve.is_flat(self.damper_curve):
                return found
            drawn: dict[str, Any] = {"damper_curve": self.damper_curve, "damper_curve_of": self.damper_curve_of}
            return [("drawn curve", {"damper_formula": "", **drawn}), *found]
        linear = ("linear", {"spring_formula": "", "progression": 0.0})
        return [linear, ("progressive", {"spring_formula": "", "progression": self.progression or 1.0})]

    def written_as(self, place: Place) -> str:
        if place is DAMPER:
            damping = f"if(closing > 0, {self.bump:.6g} [N s/m], {self.rebound:.6g} [N s/m]) * closing"
            if speedcurve.is_flat(self.damper_curve):
                return damping
            return f"{damping} * {speedcurve.as_table(self.damper_curve, 'abs(closing)')}"
        bends = f" * (1 + {self.progression:g} * squeeze / travel)" if self.progression else ""
        preload = f"{self.preload:.6g} [N] + " if self.preload else ""
        stop = f" + {self.bump_stop:.6g} [N/m] * max(squeeze - travel, 0)"
        return f"{preload}{self.stiffness:.6g} [N/m] * squeeze{bends}{stop}"

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        fixed = {"travel": self.travel}
        if setting is None:
            return fixed
        load = setting.carried / max(setting.rays, 1) / max(self.trim, 1e-9)
        return {**fixed, "squeeze": self.squeeze_of(load), "closing": 0.0}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        if quantity == "closing":
            return (-1.0, 1.0)
        return (-0.1 * self.travel, 1.2 * self.travel) if quantity == "squeeze" else (0.1, 2.0 * self.travel)

    def law_scale(self, place: Place, setting: Setting) -> float:
        return self.trim * self.count()

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        gap, rate = (
            np.stack([run.column(f"{self.id}.{k + 1}.{what}") for k in range(self.count())], axis=1)
            for what in ("gap", "rate")
        )
        squeeze = self.travel + self.radius - gap
        if self.unsprung > 0.0:  # the rest of it is the tire's, which carries what the ray says
            load = np.stack([run.column(f"{self.id}.{k + 1}.force") for k in range(self.count())], axis=1)
            squeeze = squeeze - load / self.tire_stiffness
        stands = squeeze > 0.0
        return {"squeeze": np.where(stands, squeeze, np.nan), "closing": np.where(stands, -rate, np.nan)}

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        return self.used(DAMPER, run)["closing"]

    def at_rest(self) -> Part:
        return self.replace(side_grip=0.0, rolling=0.0)

    def sliding_friction(self, weight: float, grip: float) -> float:
        return self.rolling * weight * grip * self.trim

    def side_capacity(self, weight: float, grip: float) -> float:
        return self.side_grip * weight * grip * self.trim

    def summary(self) -> str:
        linked = self.count()
        return f"{f'{linked} linked' if linked > 1 else 'one'} · spring"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.trim <= 0.0 or setting.rays == 0 or setting.spring <= 0.0:
            return ("carries nothing",)
        if self.unsprung > 0.0:
            hop = math.sqrt((self.trim * self.stiffness + self.tire_stiffness) / self.unsprung) / math.tau
            return (*self._outlook(setting), f"its wheels hop at {show(hop, 'Hz')}")
        return self._outlook(setting)

    def _outlook(self, setting: Setting) -> tuple[str, ...]:
        squeeze = self.squeeze_of(setting.carried / setting.rays / self.trim)
        swing = Swing.of(setting.spring, setting.damper, setting.mass)
        tips = setting.tips()
        slides = self.side_grip * setting.grip * self.trim
        if setting.handling is not None and self.id in setting.tired:
            slides = setting.handling.limit_g
        first = "slides before it tips" if slides < tips else f"tips at {show(tips, 'g')} before it slides"
        return (
            f"sags {show(squeeze, 'm')} of {show(self.travel, 'm')}; {first} ({show(slides, 'g')})",
            f"bounces at {show(swing.rate / math.tau, 'Hz')}, {swing.words()}",
        )

    def cautions(self, case: Case) -> Iterator[Caution]:
        setting = case.setting
        if setting.rays == 0 or self.trim <= 0.0 or setting.carried <= 0.0:
            return
        load = setting.carried / setting.rays / self.trim
        squeeze = self.squeeze_of(load)
        if squeeze >= self.travel + self.radius:
            yield self.caution(
                "cannot_carry",
                "stiffness",
                f"its springs cannot carry {show(load, 'N')} a wheel, not even on their bump stops",
                f"more than {show(load / self.travel, 'N/m')}",
                f"set the stiffness to {show(2.0 * load / self.travel, 'N/m')}",
                {"stiffness": float(f"{2.0 * load / self.travel:.3g}")},
            )
        elif squeeze > self.travel:
            yield self.caution(
                "stands_on_its_bump_stops",
                "travel",
                f"at rest its springs sag {show(squeeze, 'm')}, past the travel of {show(self.travel, 'm')}",
                f"more than {show(load / self.travel, 'N/m')}, or a longer travel",
                f"set the stiffness to {show(2.0 * load / self.travel, 'N/m')}",
                {"stiffness": float(f"{2.0 * load / self.travel:.3g}")},
            )
        if self.preload > load:
            yield self.caution(
                "preload_above_the_load",
                "preload",
                f"it is preloaded by {show(self.preload, 'N')}, more than the {show(load, 'N')} it carries: no sag",
                "less, so that the spring can extend into a hole",
                f"set the preload to {show(0.5 * load, 'N')}",
                {"preload": float(f"{0.5 * load:.3g}")},
            )
        yield from stiffness.too_stiff(self, setting, "bump", "a wheel")


KIND = Kind(
    Wheel, RECORD, act=act, dry_friction=friction_of_all, laws={SPRING.name: law_spring, DAMPER.name: law_damper}
)
