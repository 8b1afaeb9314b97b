"""Drive: torque on wheels by a channel, over speed, through a differential from open to locked."""

from collections.abc import Iterator, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.parts import curvefield, speedcurve
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.speedcurve import SPEEDS, SpeedKnot
from oak_sled.core.parts.wheels.onwheels import WHEELS, OnWheels

HALF_LOCKED = 100.0
"""N m for each rad/s of difference by which a differential that is half locked holds a wheel."""

RECORD = np.dtype(
    [
        WHEELS,
        ("count", "i8"),
        ("channel", "i8"),
        ("torque", "f8"),
        ("reverse", "f8"),
        ("coast", "f8"),
        ("binding", "f8"),
        ("top", "f8"),
        ("curve", "f8", (SPEEDS,)),
    ]
)


OVER_SPEED = CurveField(
    "curve", "share of the torque over wheel speed", "speed", "share", "m/s", 20.0,
    {
        "the same at every speed": ((0.0, 1.0), (40.0, 1.0)),
        "an engine with one gear": ((0.0, 0.85), (6.0, 1.0), (16.0, 0.75), (34.0, 0.0)),
        "an electric motor": ((0.0, 1.0), (8.0, 1.0), (16.0, 0.5), (32.0, 0.25), (50.0, 0.0)),
    },
)  # fmt: skip


class Drive(OnWheels):
    """Torque = channel x torque x share at the speed at which its wheels turn, in equal parts on all of them. The
    differential holds each wheel to the mean turn rate of all: not at all where it is open, fast where it is locked.
    """

    TITLE: ClassVar[str] = "Wheel drive"
    EXPLAINS: ClassVar[str] = "torque on wheels over speed, through a differential from open to locked"
    FAMILY: ClassVar[Family] = "drive"
    STAGE: ClassVar[float] = 3.2
    SHOWS: ClassVar[Shown] = "drive"
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (OVER_SPEED,)
    CHANNEL_GUESS: ClassVar[str] = "throttle"
    MAKES_CHANNEL: ClassVar[bool] = True

    kind: Literal["drive"] = "drive"
    channel: str = Field("", description="the channel that drives; empty: none")
    torque: float = dial(
        1500.0, "N m", "total torque on its wheels at full input", low=0.0, high=1e8, slider=(10.0, 2e4),
        scale="log", main=True,
    )  # fmt: skip
    curve: tuple[SpeedKnot, ...] = Field(
        (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=12.0, share=0.9), SpeedKnot(speed=40.0, share=0.0)),
        min_length=1, max_length=64, description="factor on the torque over wheel speed",
    )  # fmt: skip
    curve_straight: bool = curvefield.joined_straight()
    curve_of: str = curvefield.follows_shared()
    reverse_share: float = dial(
        0.5, "", "factor on the torque in reverse", low=0.0, high=10.0, slider=(0.0, 1.0), title="reverse"
    )
    coast: float = dial(
        0.0, "N m", "engine braking torque without input", low=0.0, high=1e8, slider=(0.0, 1000.0),
        title="engine braking",
    )  # fmt: skip
    lock: float = dial(
        0.0,
        "",
        "locking share of the differential: 0 open, 1 locked",
        low=0.0,
        high=1.0,
        main=True,
        title="differential lock",
    )

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speedcurve.check("curve", self.curve)
        return self

    def record(self, pack: Pack) -> dict[str, Any]:
        top, samples = speedcurve.record(self.curve, self.curve_straight)
        return {
            **self.wheels_record(pack),
            "channel": pack.channel(self.channel),
            "torque": self.torque,
            "reverse": self.reverse_share,
            "coast": self.coast,
            "binding": self.binding(),
            "top": top,
            "curve": samples,
        }

    def binding(self) -> float:
        """N m s/rad by which the differential holds a wheel to the mean of all."""
        return min(HALF_LOCKED * self.lock / max(1.0 - self.lock, 1e-9), 1e7)

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        radii = {part.id: getattr(part, "radius", 0.0) for part in run.job.single.parts}
        rolled = [run.column(f"{name}.turn") * radii[name.rpartition(".")[0]] for name in wheels]
        return np.mean(rolled, axis=0) if rolled else None

    def summary(self) -> str:
        ends = {0.0: "open", 1.0: "locked"}
        return f"{self.where()} · {ends.get(self.lock, f'{100.0 * self.lock:.0f} % locked')}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        top, samples = speedcurve.record(self.curve, self.curve_straight)
        speeds = np.linspace(0.0, top, SPEEDS)
        return (f"up to {show(self.trim * self.torque * float(samples.max()), 'N m')} on its wheels",
                f"most power of it near {show(float(speeds[int(np.argmax(samples * speeds))]), 'm/s')}")  # fmt: skip

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)
        yield from self.without_tires(case)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Asks its torque of its wheels; returns how far it is open, 0 to 1."""
    if part.count == 0:
        return 0.0
    throttle = 0.0
    if part.channel >= 0:
        throttle = now.channels[part.channel]
    speed = 0.0
    for k in range(part.count):
        axle = supports[part.wheels[k]].axle
        speed += axle.turn * axle.radius / part.count
    whole = gain * part.torque * throttle * speedcurve.at(part.curve, part.top, speed)
    if throttle < 0.0:
        whole *= part.reverse
    for k in range(part.count):
        axle = supports[part.wheels[k]].axle
        axle.drive += whole / part.count
        axle.brake += gain * part.coast * (1.0 - abs(throttle)) / part.count
    if part.binding > 0.0 and part.count > 1:
        bind(part, supports, now.dt)
    return abs(throttle)


@compiled
def bind(part, supports, dt):
    """Holds its wheels to the turn rate that they will have in the mean, by what their tires answered in the last
    tick: w = (G + c mean) / (D + c) for each, with D = I / dt + slope and G = I w / dt + drive - rest."""
    moved, resists = 0.0, 0.0
    for k in range(part.count):
        axle = supports[part.wheels[k]].axle
        if axle.tired == 0:
            return
        d = axle.inertia / dt + axle.slope
        g = axle.inertia * axle.turn / dt + axle.drive - axle.rest
        moved += g / (d + part.binding)
        resists += d / (d + part.binding)
    mean = moved / resists
    for k in range(part.count):
        axle = supports[part.wheels[k]].axle
        axle.binding, axle.bound = part.binding, mean


KIND = Kind(Drive, RECORD, act=act)
