"""Jet: thrust over airspeed with a spool that takes its time, and fuel burnt by thrust; or a rocket."""

import math
from collections.abc import Iterator, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts import burning, curvefield, speedcurve
from oak_sled.core.parts.actuator import Actuator, direction, speed_along
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.propeller import SEA_LEVEL
from oak_sled.core.parts.speedcurve import SPEEDS, SpeedKnot
from oak_sled.core.parts.thruster import written_top_speed_words

FLAT = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=200.0, share=1.0))
OVER_AIRSPEED = CurveField(
    "curve", "share of the thrust over airspeed", "speed", "share", "m/s", 200.0,
    {
        "the same at every airspeed": ((0.0, 1.0), (200.0, 1.0)),
        "a jet with a wide fan, less the faster it flies": ((0.0, 1.0), (100.0, 0.72), (200.0, 0.55), (300.0, 0.45)),
        "a slim jet, which the ram of the air helps": ((0.0, 1.0), (100.0, 0.93), (200.0, 0.95), (300.0, 1.05)),
    },
)  # fmt: skip
RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("mixed", "i8"),
        ("thrust", "f8"),
        ("idle", "f8"),  # share of the thrust
        ("up", "f8"),  # s
        ("down", "f8"),
        ("breathes", "i8"),
        ("burns", "f8"),  # kg/s for each N; 0: nothing
        ("way", "f8", (3,)),
        ("point", "f8", (3,)),
        ("top", "f8"),
        ("curve", "f8", (SPEEDS,)),
    ]
)


class Jet(Part):
    """Thrust by its spool, which follows its channel as a first-order lag, times a curve over airspeed and, where it
    breathes, the density of the air. What it burns leaves the tanks of its craft; without fuel it gives nothing."""

    TITLE: ClassVar[str] = "Jet"
    EXPLAINS: ClassVar[str] = "thrust over airspeed that spools up, and burns fuel; without air, a rocket"
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"
    CHANNEL_GUESS: ClassVar[str] = "throttle"
    MAKES_CHANNEL: ClassVar[bool] = True
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (OVER_AIRSPEED,)

    kind: Literal["jet"] = "jet"
    channel: str = Field("", description="the channel of its spool; empty: always full")
    mixed: bool = Field(False, description="commanded by the mixer of the craft, beside its channel")
    thrust: float = dial(
        3000.0, "N", "at full spool at rest, in air of 1.225 kg/m3", low=0.0, high=1e8, slider=(10.0, 50_000.0),
        scale="log", main=True,
    )  # fmt: skip
    curve: tuple[SpeedKnot, ...] = Field(
        FLAT, min_length=1, max_length=64, description="factor on it over the airspeed along it"
    )
    curve_straight: bool = curvefield.joined_straight()
    curve_of: str = curvefield.follows_shared()
    idle_share: float = dial(0.03, "", "share of the thrust without input", low=0.0, high=1.0, title="idle thrust")
    spools_up: float = dial(
        2.0, "s", "time constant of its spool, upward", low=0.0, high=100.0, slider=(0.0, 8.0), main=True,
        title="spool-up time",
    )  # fmt: skip
    spools_down: float = dial(
        1.5, "s", "time constant of its spool, downward", low=0.0, high=100.0, slider=(0.0, 8.0),
        title="spool-down time",
    )  # fmt: skip
    breathes: bool = Field(True, description="its thrust goes with the density of the air; off: a rocket")
    exhaust: float = dial(
        0.0, "m/s", "thrust over the flow of fuel: a rocket 3000, a jet 30,000; 0: it burns nothing", low=0.0, high=1e6,
        slider=(0.0, 60_000.0), title="exhaust speed",
    )  # fmt: skip
    azimuth_deg: float = dial(0.0, "°", "direction of its thrust: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "direction of its thrust: 90 straight up", low=-90.0, high=90.0)
    x: float = dial(0.0, "m", "nozzle, ahead of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    y: float = dial(0.0, "m", "nozzle, left of the origin", low=-1e3, high=1e3, slider=(-5.0, 5.0))
    z: float = dial(0.0, "m", "nozzle, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speedcurve.check("curve", self.curve)
        return self

    def way(self) -> tuple[float, float, float]:
        """The direction of its thrust, craft axes."""
        return direction(self.azimuth_deg, self.elevation_deg)

    def record(self, pack: Pack) -> dict[str, Any]:
        top, samples = speedcurve.record(self.curve, self.curve_straight)
        return {
            "channel": pack.channel(self.channel),
            "mixed": int(self.mixed),
            "thrust": self.thrust,
            "idle": self.idle_share,
            "up": self.spools_up,
            "down": self.spools_down,
            "breathes": int(self.breathes),
            "burns": 1.0 / self.exhaust if self.exhaust > 0.0 else 0.0,
            "way": self.way(),
            "point": pack.point(self.x, self.y, self.z),
            "top": top,
            "curve": samples,
        }

    def actuators(self) -> list[Actuator]:
        if not self.mixed:
            return []
        x, y, z = (self.thrust * one for one in self.way())
        return [Actuator((x, y, z), (self.x, self.y, self.z), lag=self.spools_up, burns=self.burns())]

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def most_thrust(self) -> float:
        return self.trim * self.thrust if self.exhaust > 0.0 else 0.0

    def burns(self) -> float:
        return self.trim * self.thrust / self.exhaust if self.exhaust > 0.0 else 0.0

    def forward_thrust(self, mass: float) -> float:
        return self.trim * self.thrust * self.way()[0] * self.left_at(0.0)

    def left_at(self, speed: float) -> float:
        """The share of the thrust that is left at an airspeed along it, m/s."""
        return speedcurve.share_at(self.curve, max(speed, 0.0), self.curve_straight)

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        return np.maximum(speed_along(run, self.way(), in_air=True), 0.0)

    def thrust_at(self, speed: float, air_density: float) -> float:
        """N along its way at full spool at an airspeed, m/s."""
        thin = air_density / SEA_LEVEL if self.breathes else 1.0
        return self.trim * self.thrust * thin * self.left_at(speed)

    def thrust_ahead(self, speed: float, air_density: float, mass: float) -> float:
        return self.way()[0] * self.thrust_at(speed, air_density)

    def without_lag(self) -> Part:
        return self.replace(spools_up=0.0, spools_down=0.0, exhaust=0.0)

    def looks(self) -> str:
        return "nozzle"

    def drawn_by(self) -> tuple[float, ...]:
        return (self.azimuth_deg, self.elevation_deg)

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        return {"x": round(-half[0], 2)}

    def summary(self) -> str:
        what = "jet" if self.breathes else "rocket"
        return f"{what} · {show(self.burns(), 'kg/s')} at full" if self.exhaust > 0.0 else f"{what} · burns nothing"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        ahead = self.way()[0]
        weight = self.trim * self.thrust / setting.weight if setting.weight > 0.0 else math.inf
        first = written_top_speed_words(lambda speed: ahead * self.thrust_at(speed, setting.air_density), setting)
        found = [first if ahead > 0.5 else f"pushes {show(weight, '')} of the weight"]
        if self.exhaust > 0.0 and setting.fuel > 0.0:
            lasts = show(setting.fuel / self.burns(), "s")
            change = burning.velocity_change(self.exhaust, setting)
            found.append(f"{show(setting.fuel, 'kg')} of fuel last {lasts} at full: {show(change, 'm/s')} by itself")
        elif weight < math.inf:
            found.append(f"{show(weight * STANDARD_GRAVITY, 'm/s2')} by itself")
        return tuple(found)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from burning.no_fuel(self, self.exhaust, case.setting)
        if self.breathes and case.setting.air_density == 0.0:
            yield self.caution(
                "nothing_to_breathe", "breathes", "it breathes air, and the ground has none",
                "an air density, or a rocket", "make it a rocket", {"breathes": False},
            )  # fmt: skip


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the thrust at its mount; returns the share of its full spool. memory : 0 its spool, 1 whether it has begun,
    2 kg/s that it burns."""
    wanted = 1.0
    if part.channel >= 0:
        wanted = max(now.channels[part.channel], 0.0)
    elif part.mixed == 1:
        wanted = 0.0
    if part.mixed == 1:
        wanted += now.asked[p, 0]
    wanted = part.idle + (1.0 - part.idle) * min(max(wanted, 0.0), 1.0)
    runs = part.burns == 0.0 or now.fuel > 0.0
    if not runs:
        wanted = 0.0
    memory = now.memory[p]
    if memory[1] == 0.0:
        memory[0], memory[1] = 0.0, 1.0
        if runs:
            stood = max(now.before[part.channel], 0.0) if part.channel >= 0 else 0.0
            memory[0] = part.idle + (1.0 - part.idle) * stood
    lag = part.up if wanted > memory[0] else part.down
    kept = math.exp(-now.dt / lag) if lag > 0.0 else 0.0
    spool = wanted + kept * (memory[0] - wanted)
    memory[0], memory[2] = spool, 0.0
    if not runs:
        return 0.0
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    way = spatial.to_world(body.axes, (part.way[0], part.way[1], part.way[2]))
    against, density = environment.met_at(ground, body, lever)
    push = gain * part.thrust * spool
    push *= speedcurve.at(part.curve, part.top, max(spatial.dot(against, way), 0.0))
    if part.breathes == 1:
        push *= density / SEA_LEVEL
    memory[2] = push * part.burns
    now.burn += memory[2]
    body_module.book_at(now, p, body, lever, (push * way[0], push * way[1], push * way[2]))
    return spool


KIND = Kind(Jet, RECORD, act=act)
