"""Wheel brake: torque against the turning of wheels, with a balance; as a handbrake it may also lower their grip."""

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.wheels.onwheels import MOST_WHEELS, WHEELS, OnWheels, fitting

RECORD = np.dtype(
    [
        WHEELS,
        ("count", "i8"),
        ("torque", "f8", (MOST_WHEELS,)),  # N m of each
        ("channel", "i8"),
        ("rise", "f8"),  # 1/s
        ("recovery", "f8"),
        ("grip", "f8"),
    ]
)


class WheelBrake(OnWheels):
    """Dry friction on wheels: it slows their turning and holds them once they stand. Its effect rises and recovers by
    times of its own, and while it is pulled the grip of its wheels may be less: how a handbrake lets a tail go."""

    TITLE: ClassVar[str] = "Wheel brakes"
    EXPLAINS: ClassVar[str] = "slow or lock wheels, with a balance; as a handbrake also lower their grip"
    FAMILY: ClassVar[Family] = "grip"
    STAGE: ClassVar[float] = 3.3
    SHOWS: ClassVar[Shown] = "brake"
    CHANNEL_GUESS: ClassVar[str] = "brake"
    MAKES_CHANNEL: ClassVar[bool] = True

    WAS: ClassVar[Mapping[str, str]] = {"grip_left": "grip_kept"}

    kind: Literal["wheel_brake"] = "wheel_brake"
    channel: str = Field("", description="the channel that presses it; empty: always on")
    torque: float = dial(
        4000.0, "N m", "total torque on its wheels at full input", low=0.0, high=1e8, slider=(10.0, 4e4),
        scale="log", main=True,
    )  # fmt: skip
    balance: float = dial(
        0.6, "", "share of it on the front wheels, where it acts on both ends", low=0.0, high=1.0, main=True,
        title="front share",
    )  # fmt: skip
    grip_kept: float = dial(
        1.0, "", "share of their grip that its wheels keep while it is pulled", low=0.0, high=1.0, title="grip left"
    )
    rise_s: float = dial(0.05, "s", "until it acts in full", low=0.0, high=10.0, slider=(0.0, 1.0), title="rise time")
    recovery_s: float = dial(
        0.05, "s", "until it has let go", low=0.0, high=10.0, slider=(0.0, 1.0), title="recovery time"
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            **self.wheels_record(pack),
            "torque": self._torques([one.at for one in self.wheels_of(pack.wheels)]),
            "channel": pack.channel(self.channel),
            "rise": 1.0 / max(self.rise_s, 1e-4),
            "recovery": 1.0 / max(self.recovery_s, 1e-4),
            "grip": self.grip_kept,
        }

    def _torques(self, spots: list[tuple[float, float, float]]) -> list[float]:
        """N m of each of its wheels."""
        spots = spots[:MOST_WHEELS]
        front = fitting(spots, "front")
        found = [self.torque / max(len(spots), 1)] * len(spots)
        if any(front) and not all(front):
            ends = {True: self.balance / sum(front), False: (1.0 - self.balance) / (len(front) - sum(front))}
            found = [self.torque * ends[one] for one in front]
        return [*found, *[0.0] * (MOST_WHEELS - len(spots))]

    def asks(self, activity: Any) -> Any:
        return self.trim * self.torque * activity

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def summary(self) -> str:
        return f"{self.where()}" + (" · lowers their grip" if self.grip_kept < 1.0 else "")

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        return (f"{show(self.trim * self.torque, 'N m')} on its wheels",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)
        yield from self.without_tires(case)
        if not self.channel:
            yield self.caution("always_on", "channel", "no channel presses it, so it is always on", "give it a channel")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Asks its torque of its wheels; returns how far it is on, 0 to 1. memory : 0, how far it is on."""
    wanted = 1.0
    if part.channel >= 0:
        wanted = abs(now.channels[part.channel])
    level = now.memory[p, 0]
    level += min(max(wanted - level, -part.recovery * now.dt), part.rise * now.dt)
    now.memory[p, 0] = level
    for k in range(part.count):
        axle = supports[part.wheels[k]].axle
        axle.brake += gain * level * part.torque[k]
        axle.grip *= 1.0 - min(gain, 1.0) * level * (1.0 - part.grip)
    return level


KIND = Kind(WheelBrake, RECORD, act=act)
