"""Propeller: thrust and torque over the advance ratio, a rotor with inertia, and the wash behind it."""

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.parts import curvefield, speedcurve
from oak_sled.core.parts.actuator import Actuator, direction, speed_along
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.propellerforce import FASTEST, RECORD, act
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.thruster import written_top_speed_words

SEA_LEVEL = 1.225
"""kg/m3 of the air for which the static thrust is told."""
MOST_TORQUE = 0.7
"""Share of the roll of all control surfaces at the stall that the torque of propellers may take."""
SLIGHT = 0.02
"""Share of the weight on the chord of a wing, as a moment, below which torque is no matter."""
LINE = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=55.0, share=0.0))
"""That of the first pitch speed."""
BY_SPEED = CurveField(
    "curve", "share of the thrust over airspeed", "speed", "share", "m/s", 80.0,
    {
        "a straight line to 55 m/s": ((0.0, 1.0), (55.0, 0.0)),
        "of fine pitch, for take-off and climb": ((0.0, 1.0), (15.0, 0.86), (30.0, 0.5), (45.0, 0.0)),
        "of coarse pitch, which stalls at rest": ((0.0, 0.82), (20.0, 0.84), (40.0, 0.6), (70.0, 0.0)),
        "in a ring, strong at rest": ((0.0, 1.0), (10.0, 0.7), (25.0, 0.32), (40.0, 0.0)),
    },
)  # fmt: skip


class Propeller(Part):
    """T = rho n2 D4 CT(J), Q = rho n2 D5 CP(J) / 2 pi, J = V / (n D) (McCormick, Aerodynamics, Aeronautics and Flight
    Mechanics, chapter 6). CT falls in a straight line from rest to the pitch speed, or as it is drawn; the power at
    rest is that of momentum theory, sqrt(T3 / (2 rho A)), over the figure of merit, and never less than T V. Its rotor
    turns the craft the other way and answers turns as a gyroscope; the air behind it is faster by 2 v, v from momentum
    theory."""

    TITLE: ClassVar[str] = "Propeller"
    EXPLAINS: ClassVar[str] = "thrust that falls with airspeed, torque, gyroscopic moment, and wash"
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"
    CHANNEL_GUESS: ClassVar[str] = "throttle"
    MAKES_CHANNEL: ClassVar[bool] = True
    WASHES: ClassVar[bool] = True
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (BY_SPEED,)

    kind: Literal["propeller"] = "propeller"
    channel: str = Field("", description="the channel of its rate; empty: always full")
    thrust: float = dial(
        2500.0, "N", "at full rate at rest, in air of 1.225 kg/m3", low=0.0, high=1e8, slider=(10.0, 20_000.0),
        scale="log", main=True, title="static thrust",
    )  # fmt: skip
    pitch_speed: float = dial(
        55.0, "m/s", "airspeed at which no thrust is left at full rate", low=0.1, high=1e4, slider=(5.0, 150.0),
        main=True, title="pitch speed",
    )  # fmt: skip
    drawn: bool = Field(
        False, description="its thrust over airspeed follows the drawn curve; off: a straight line to the pitch speed"
    )
    curve: tuple[SpeedKnot, ...] = Field(
        LINE,
        min_length=1,
        max_length=64,
        description="share of the static thrust over the airspeed along it, full rate",
    )
    curve_straight: bool = curvefield.joined_straight()
    curve_of: str = curvefield.follows_shared()
    rate: float = dial(
        40.0, "1/s", "turns a second at a full channel", low=0.1, high=5e3, slider=(5.0, 200.0), scale="log", main=True
    )
    diameter: float = dial(1.8, "m", "across", low=0.02, high=100.0, slider=(0.1, 4.0), scale="log", main=True)
    merit: float = dial(
        0.65, "", "figure of merit: least power at rest over its own", low=0.1, high=1.0, slider=(0.3, 0.9),
        title="figure of merit",
    )  # fmt: skip
    idle_power: float = dial(
        0.3, "", "share of the power that is left at the pitch speed", low=0.0, high=1.0, title="power at pitch speed"
    )
    lag: float = dial(0.5, "s", "time constant of its rate", low=0.0, high=60.0, slider=(0.0, 3.0))
    inertia: float = dial(0.4, "kg m2", "of what turns", low=0.0, high=1e6, slider=(0.0, 10.0), title="rotor inertia")
    mixed: bool = Field(False, description="commanded by the mixer of the craft, beside its channel")
    reverse: float = dial(
        0.0, "", "share of its thrust that it gives backward", low=0.0, high=1.0, title="reverse share"
    )
    swivel_channel: str = Field("", description="the channel that swivels it; empty: none")
    swivels: Literal["up", "left"] = Field("up", description="the way to which its thrust turns as it swivels")
    swivel_deg: float = dial(
        0.0, "°", "largest turn to either side; 0: it is fixed", low=0.0, high=180.0, slider=(0.0, 120.0),
        title="swivel angle",
    )  # fmt: skip
    swivel_rate_deg: float = dial(
        60.0, "°/s", "how fast it swivels", low=0.1, high=1e4, slider=(5.0, 360.0), scale="log", title="swivel rate"
    )
    turns: Literal["right", "left"] = Field("right", description="sense of its turn, seen from behind")
    azimuth_deg: float = dial(0.0, "°", "direction of its thrust: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "direction of its thrust: 90 straight up", low=-90.0, high=90.0)
    x: float = dial(0.0, "m", "hub, ahead of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    y: float = dial(0.0, "m", "hub, left of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    z: float = dial(0.0, "m", "hub, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speedcurve.check("curve", self.curve)
        return self

    def curves(self) -> tuple[CurveField, ...]:
        return (BY_SPEED,) if self.drawn else ()

    def first_drawn(self) -> Mapping[str, Any]:
        return {"drawn": True, "curve": BY_SPEED.knots(((0.0, 1.0), (self.pitch_speed, 0.0))), "curve_straight": True}

    @property
    def disc(self) -> float:
        """m2 of its disc."""
        return 0.25 * math.pi * self.diameter**2

    @property
    def static_power(self) -> float:
        """W at full rate at rest, in air of 1.225 kg/m3."""
        return math.sqrt(self.thrust**3 / (2.0 * SEA_LEVEL * self.disc)) / self.merit

    def way(self) -> tuple[float, float, float]:
        """The direction of its thrust, craft axes."""
        return direction(self.azimuth_deg, self.elevation_deg)

    def across(self) -> tuple[float, float, float]:
        """The direction to which its thrust turns as it swivels, square to where it points at rest, craft axes."""
        azimuth, elevation = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        if self.swivels == "left":
            return -math.sin(azimuth), math.cos(azimuth), 0.0
        steep = math.sin(elevation)
        return -steep * math.cos(azimuth), -steep * math.sin(azimuth), math.cos(elevation)

    def actuators(self) -> list[Actuator]:
        if not self.mixed:
            return []
        at = (self.x, self.y, self.z)
        torque = self.static_power / (math.tau * self.rate) * (-1.0 if self.turns == "right" else 1.0)
        x, y, z = self.way()
        back = -1.0 if self.swivel_deg > 90.0 else -self.reverse
        found = [
            Actuator(
                (self.thrust * x, self.thrust * y, self.thrust * z), at, (torque * x, torque * y, torque * z),
                back * (abs(math.cos(math.radians(self.swivel_deg))) if self.swivel_deg > 90.0 else 1.0), lag=self.lag,
            )
        ]  # fmt: skip
        if self.swivel_deg > 0.0:
            x, y, z = self.across()
            reach = math.sin(math.radians(min(self.swivel_deg, 90.0)))
            found.append(
                Actuator(
                    (self.thrust * x, self.thrust * y, self.thrust * z), at, (torque * x, torque * y, torque * z),
                    -reach, reach, 1, lag=self.lag,
                )
            )  # fmt: skip
        return found

    def record(self, pack: Pack) -> dict[str, Any]:
        top, samples = speedcurve.record(self.curve, self.curve_straight)
        return {
            "drawn": int(self.drawn),
            "top": top,
            "curve": samples,
            "channel": pack.channel(self.channel),
            "mixed": int(self.mixed),
            "reverse": self.reverse,
            "swivel_channel": pack.channel(self.swivel_channel),
            "swivel": math.radians(self.swivel_deg),
            "swivel_rate": math.radians(self.swivel_rate_deg),
            "across": self.across(),
            "rate": math.tau * self.rate,
            "lag": self.lag,
            "diameter": self.diameter,
            "thrust": self.thrust / (SEA_LEVEL * self.rate**2 * self.diameter**4),
            "power": self.static_power / (SEA_LEVEL * self.rate**3 * self.diameter**5),
            "idle": self.idle_power,
            "pitch": self.pitch_speed / (self.rate * self.diameter),
            "inertia": self.inertia,
            "turns": 1.0 if self.turns == "right" else -1.0,
            "way": self.way(),
            "point": pack.point(self.x, self.y, self.z),
        }

    def channels_used(self) -> tuple[str, ...]:
        return tuple(name for name in (self.channel, self.swivel_channel) if name)

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if self.swivel_deg == 0.0:
            found |= dict.fromkeys(("swivel_channel", "swivels", "swivel_rate_deg"), "it is fixed")
        return found

    def forward_thrust(self, mass: float) -> float:
        return self.trim * self.thrust * self.way()[0] * self.left_at(0.0)

    def left_at(self, speed: float) -> float:
        """The share of the static thrust that is left at full rate at an airspeed along it, m/s."""
        if self.drawn:
            return speedcurve.share_at(self.curve, max(speed, 0.0), self.curve_straight)
        return max(1.0 - speed / self.pitch_speed, -FASTEST)

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        turns = np.abs(run.column(f"{self.id}.activity"))
        speed = speed_along(run, self.way(), in_air=True)
        return np.maximum(np.where(turns > 0.01, speed / np.maximum(turns, 0.01), np.nan), 0.0)

    def thrust_at(self, speed: float, air_density: float) -> float:
        """N along its way at full rate at an airspeed, m/s."""
        return self.trim * self.thrust * air_density / SEA_LEVEL * self.left_at(speed)

    def thrust_ahead(self, speed: float, air_density: float, mass: float) -> float:
        return self.way()[0] * self.thrust_at(speed, air_density)

    def turns_craft(self, air_density: float) -> float:
        torque = self.static_power / (math.tau * self.rate) * air_density / SEA_LEVEL
        return self.trim * torque * self.way()[0] * (-1.0 if self.turns == "right" else 1.0)

    def cautions(self, case: Case) -> Iterator[Caution]:
        density = case.setting.air_density
        fitted = case.parts.values()
        most = sum(part.most_lift(density) for part in fitted)
        largest = max(fitted, key=lambda part: abs(part.turns_craft(density)))
        if most <= 0.0 or case.setting.weight <= 0.0 or largest.id != self.id:
            return
        torque = abs(sum(part.turns_craft(density) for part in fitted))
        stall = math.sqrt(case.setting.weight / most)
        against = 0.5 * density * stall**2 * sum(part.roll_by_pressure() for part in fitted)
        slight = SLIGHT * case.setting.weight * max(part.chord() for part in fitted)
        if torque > max(MOST_TORQUE * against, slight):
            holds = show(against, "N m") if against > 0.0 else "nothing"
            yield self.caution(
                "torque_rolls_it", "thrust",
                f"rolls the craft with {show(torque, 'N m')} at full rate, and control surfaces give {holds} against it"
                f" at the stall, {show(stall, 'm/s')}",
                "two that turn opposite ways, a larger disc, less thrust, or larger ailerons",
            )  # fmt: skip

    def without_lag(self) -> Part:
        return self.replace(
            lag=0.0, inertia=0.0
        )  # a rotor turns steadily, and a craft that does not turn feels none of it

    def looks(self) -> str:
        return "propeller"

    def drawn_by(self) -> tuple[float, ...]:
        return (self.diameter, self.azimuth_deg, self.elevation_deg)

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"x": round(half[0], 2), "diameter": round(max(1.2 * half[1], 0.3), 2)}

    def summary(self) -> str:
        return f"turns {self.turns} · {show(self.static_power, 'W')} at rest"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        tip = math.pi * self.rate * self.diameter
        torque = self.static_power / (math.tau * self.rate) if self.rate else 0.0
        ahead = self.way()[0]
        if ahead < 0.5:
            carries = self.trim * self.thrust * setting.air_density / SEA_LEVEL / max(setting.weight, 1e-9)
            first = f"pushes by {show(carries, '')} of the weight at rest"
        else:
            first = written_top_speed_words(lambda speed: ahead * self.thrust_at(speed, setting.air_density), setting)
        return (first, f"turns the craft with {show(torque, 'N m')} at rest; tips at {show(tip, 'm/s')}")


KIND = Kind(Propeller, RECORD, act=act)
