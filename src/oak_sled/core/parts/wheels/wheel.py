"""Sprung wheel: carries its craft on a spring with bump and rebound damping, rolls freely and holds sideways.

One file, as every kind of part is: its document, record, equation, closed forms and cautions.
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
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts import dryfriction, speedcurve
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown, corners
from oak_sled.core.parts.context import Pack, Ray, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.search import area, crossing
from oak_sled.core.parts.speedcurve import SPEEDS, SpeedKnot
from oak_sled.core.parts.swing import Swing
from oak_sled.core.parts.wheels import rolling

Finds = Literal["ray", "sphere"]
HANGS = 1e30
"""What stands for the speed of a hub that has no ground below: it moves with the craft."""

RECORD = np.dtype(
    [
        ("stiffness", "f8"),
        ("progression", "f8"),
        ("preload", "f8"),
        ("travel", "f8"),
        ("bump_stop", "f8"),
        ("bump", "f8"),
        ("rebound", "f8"),
        ("radius", "f8"),
        ("side_grip", "f8"),
        ("rolling", "f8"),
        ("steer_channel", "i8"),
        ("steer", "f8"),
        ("first_ray", "i8"),
        ("rays", "i8"),
        ("first_of_all", "i8"),  # of the rays of the craft, and behind the last of them
        ("last_of_all", "i8"),
        ("unsprung", "f8"),  # kg of a wheel and its hub; 0: they weigh nothing, and the tire does not give
        ("tire", "f8"),  # N/m
        ("bends", "i8"),  # 1 where the damping changes with speed, by the curve
        ("top", "f8"),
        ("damper_curve", "f8", (SPEEDS,)),
        ("spring_formula", FORMULA),
        ("damper_formula", FORMULA),
    ]
)


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
    damper_curve_straight: bool = Field(False, description="join its knots by straight lines, not by a smooth curve")
    damper_curve_of: str = Field("", max_length=60, description="the shared curve that it follows; empty: its own")
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
        """How many wheels there are."""
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

    def span(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
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
            slides = setting.handling.most_g
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
        yield from self.too_stiff(setting, "bump", "a wheel")


def _root(square: float, linear: float, value: float) -> float:
    """x > 0 with square x2 + linear x = value > 0; inf where there is none."""
    if square <= 0.0:
        return value / linear if linear > 0.0 else math.inf
    return 2.0 * value / (linear + math.sqrt(linear * linear + 4.0 * square * value))


@compiled
def spring_force(part, gain, squeeze, closing):
    """N that a wheel pushes up at a compression (m) that grows by `closing` m/s."""
    if squeeze < 0.0:
        return 0.0
    still = still_force(part, squeeze)
    damped = damper_force(part, squeeze, closing)
    return max(gain * (still + damped), 0.0)


@compiled
def still_force(part, squeeze):
    """N of a spring at a compression, m."""
    if part.spring_formula.at != 0:
        part.spring_formula.given[0] = squeeze
        return machine.value_of(part.spring_formula)
    force = part.preload + part.stiffness * squeeze * (1.0 + part.progression * squeeze / part.travel)
    return force + part.bump_stop * max(squeeze - part.travel, 0.0)


@compiled
def damper_force(part, squeeze, closing):
    """N of a damper at a speed of compression, m/s."""
    if part.damper_formula.at != 0:
        part.damper_formula.given[0], part.damper_formula.given[1] = closing, squeeze
        return machine.value_of(part.damper_formula)
    damping = part.bump if closing > 0.0 else part.rebound
    return damping * closing * (speedcurve.at(part.damper_curve, part.top, closing) if part.bends == 1 else 1.0)


@compiled
def hub(part, gain, memory, foot, whole, closing, weight, first, dt):
    """A wheel with a mass of its own, between its spring and its tire: N that its strut pushes the craft up with, and N
    of its tire on the ground.

    whole : m by which spring and tire are squeezed together. closing : m/s of the mount toward the ground. weight : N
    of the wheel along its strut. first : 1 in the first tick of a run, where it stands at rest. memory : 0 to 3 keep m
    of the tire, 4 to 7 m/s of the hub toward the ground. The hub's speed is implicit, so that no tire is too stiff.
    """
    tire = memory[foot]
    if first == 1:
        low, high = 0.0, max(whole, 0.0)
        for _ in range(50):
            middle = 0.5 * (low + high)
            force = still_force(part, middle)
            if gain * force + weight > part.tire * (whole - middle):
                high = middle
            else:
                low = middle
        tire = whole - high
    tire = min(tire, whole)  # the strut ends at full droop
    squeeze, before = whole - tire, memory[4 + foot] if memory[4 + foot] < HANGS else closing
    still, ahead = still_force(part, squeeze), still_force(part, squeeze + 1e-5)
    rises = closing - before
    damped = damper_force(part, squeeze, rises if abs(rises) > 1e-6 else 1e-6)
    rate = gain * max(ahead - still, 0.0) / 1e-5
    damping = gain * max(damped / (rises if abs(rises) > 1e-6 else 1e-6), 0.0)
    stiff = rate * dt + damping
    pushed = part.unsprung * before + dt * (weight + gain * still + stiff * closing)
    slows = part.unsprung + dt * stiff
    speed = (pushed - dt * part.tire * tire) / (slows + dt * dt * part.tire)
    if tire + dt * speed < 0.0:
        speed = pushed / slows
    tire += dt * speed
    # the craft feels the spring as it stands and the damper at the new speed of the hub: with k dt in it too, which
    # the hub has, its own bounce would be damped by the tick
    push = gain * still + damping * (closing - speed)
    if squeeze + dt * (closing - speed) < 0.0:
        speed = closing
    memory[foot], memory[4 + foot] = tire, speed
    return push, part.tire * max(tire, 0.0)


@unit
def law_spring(part, given):
    """The force of a spring at the quantities of its place: see SPRING."""
    if given[0] <= 0.0:
        return 0.0
    return still_force(part, given[0])


@unit
def law_damper(part, given):
    """The force of a damper at the quantities of its place: see DAMPER."""
    return damper_force(part, given[1], given[0])


@compiled
def contact_friction(part, gain, share, grip, lever, support, body, now):
    """Rolling resistance along a wheel and side force to its left, N, its ways, and whether it slides sideways.

    Both are dry friction: never more than stops the wheel's own share of the craft in this tick, counted with what the
    parts before it push and with the friction of the tick before (see `dryfriction`).
    """
    turn, load = support.axle.steer, support.load
    if part.steer_channel >= 0:
        turn += part.steer * now.channels[part.steer_channel]
    ahead, left = rolling.ways(support, turn, body)
    swing = spatial.cross((now.next_spin[0], now.next_spin[1], now.next_spin[2]), lever)
    u = (
        now.next_velocity[0] + swing[0] - support.velocity[0],
        now.next_velocity[1] + swing[1] - support.velocity[1],
        now.next_velocity[2] + swing[2] - support.velocity[2],
    )
    along, side = spatial.dot(u, ahead), spatial.dot(u, left)
    most = gain * part.side_grip * grip * load
    mass_side = share * dryfriction.mass_of_all(support, body, lever, left, True)
    mass_along = share * dryfriction.mass_of_all(support, body, lever, ahead, True)
    holds = dryfriction.holding(support, left, mass_side, side, now.dt)
    slows = dryfriction.holding(support, ahead, mass_along, along, now.dt)
    resists = gain * part.rolling * load
    return min(max(slows, -resists), resists), min(max(holds, -most), most), ahead, left, abs(holds) > most


@compiled
def strut(part, gain, p, foot, support, ground, now):
    """N that the strut of a wheel pushes its craft with, and N that the ground carries beside that, along the strut."""
    squeeze = part.travel + part.radius - support.gap
    push, extra = 0.0, 0.0
    if part.unsprung > 0.0:
        pull = environment.gravity_at(ground, support.point[0], support.point[1], support.point[2])
        weight, first = 0.0, 1 if now.time == 0.0 else 0
        for i in range(3):
            weight += part.unsprung * pull[i] * support.way[i]
        push, tread = hub(part, gain, now.memory[p], foot, squeeze, -support.rate, weight, first, now.dt)
        extra = tread - push
    else:
        push = spring_force(part, gain, squeeze, -support.rate)
    if squeeze >= 0.0:
        push = max(push, -support.load - extra)  # what a bar lifts it by: the ground does not pull
    return push, extra


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books what the struts of all wheels push on its ledger line; their friction comes behind all parts."""
    x, y, z, weights = 0.0, 0.0, 0.0, 0.0
    for i in range(6):
        now.lines[p, i] = 0.0
    for foot in range(part.rays):
        support = supports[part.first_ray + foot]
        if support.axle.tired == 1 and part.steer_channel >= 0:
            support.axle.steer += part.steer * now.channels[part.steer_channel]
        if support.below < 0:
            now.memory[p, 4 + foot] = HANGS
            continue
        push, extra = strut(part, gain, p, foot, support, ground, now)
        load = support.load + push + extra
        if push == 0.0 and load == 0.0:
            continue
        n = (support.normal[0], support.normal[1], support.normal[2])
        leans = rolling.lean(support)
        push, extra = push / leans, extra / leans
        load = max(support.load + push + extra, min(support.load, 0.0)) if part.unsprung > 0.0 else support.load + push
        support.load = load
        lever = dryfriction.found_lever(support, body)
        force = (push * n[0], push * n[1], push * n[2])
        torque = spatial.cross(lever, force)
        size = abs(push)
        for i in range(3):
            support.force[i] += force[i] + extra * n[i]
            now.lines[p, i] += force[i]
            now.lines[p, 3 + i] += torque[i]
        x, y, z, weights = x + size * lever[0], y + size * lever[1], z + size * lever[2], weights + size
    if weights > 0.0:
        now.points[p, 0] = body.position[0] + x / weights
        now.points[p, 1] = body.position[1] + y / weights
        now.points[p, 2] = body.position[2] + z / weights
    return 0.0


@unit
def friction_of_all(part, gain, p, body, ground, supports, now):
    """Adds the friction of all wheels without tires to the ledger line of their struts; returns 1 while one of them
    slides sideways."""
    standing, sliding, pending = 0.0, 0.0, (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    for k in range(part.first_of_all, part.last_of_all):
        if supports[k].below >= 0:
            standing += max(supports[k].load, 0.0)
            if k >= part.first_ray and supports[k].axle.tired == 0:
                pending = dryfriction.add_pending(pending, supports[k], dryfriction.found_lever(supports[k], body))
    dryfriction.add_predicted(pending, body, now)
    for foot in range(part.rays):
        support = supports[part.first_ray + foot]
        if support.below < 0 or support.load <= 0.0 or support.axle.tired == 1:
            dryfriction.keep(support, (0.0, 0.0, 0.0))
            continue
        grip, _ = rolling.surface_at(ground, support)
        lever = dryfriction.found_lever(support, body)
        drag, bite, ahead, left, slides = contact_friction(
            part, gain, support.load / standing, grip, lever, support, body, now
        )
        if slides:
            sliding = 1.0
        force = (
            drag * ahead[0] + bite * left[0],
            drag * ahead[1] + bite * left[1],
            drag * ahead[2] + bite * left[2],
        )
        dryfriction.keep(support, force)
        body_module.add_at_support(now, p, body, support, force)
    return sliding


KIND = Kind(
    Wheel, RECORD, act=act, dry_friction=friction_of_all, laws={SPRING.name: law_spring, DAMPER.name: law_damper}
)
