"""Steering: turns wheels by a channel, with rates, a limit over speed, and the angles of a common turn centre."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.parts import curvefield, speedcurve
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.parts.speedcurve import SPEEDS, SpeedKnot
from oak_sled.core.parts.wheels.onwheels import MOST_WHEELS, WHEELS, OnWheels

RECORD = np.dtype(
    [
        WHEELS,
        ("count", "i8"),
        ("ahead", "f8", (MOST_WHEELS,)),  # m, of each wheel before the line about which the craft turns
        ("left", "f8", (MOST_WHEELS,)),  # m, of each to the left of the middle
        ("base", "f8"),  # m, from that line to the steered wheels
        ("channel", "i8"),
        ("most", "f8"),
        ("rate", "f8"),
        ("return_rate", "f8"),
        ("ackermann", "f8"),
        ("top", "f8"),
        ("limit", "f8", (SPEEDS,)),
    ]
)


LIMIT = CurveField(
    "limit", "share of the largest angle over speed", "speed", "share", "m/s", 20.0,
    {
        "the same at every speed": ((0.0, 1.0), (20.0, 1.0)),
        "calm at speed": ((0.0, 1.0), (8.0, 0.7), (20.0, 0.32), (35.0, 0.2)),
    },
)  # fmt: skip


class Steering(OnWheels):
    """The wheels turn toward channel x largest angle x share at this speed, at a rate in and another back. With the
    Ackermann share at 1 each wheel points along its own circle about one centre, at 0 all are parallel. Wheels behind
    the line of the others turn the other way."""

    TITLE: ClassVar[str] = "Steering"
    EXPLAINS: ClassVar[str] = "turn wheels by a channel, less at speed, each along its own circle"
    FAMILY: ClassVar[Family] = "holder"
    STAGE: ClassVar[float] = 3.1
    SHOWS: ClassVar[Shown] = "steer"
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = (LIMIT,)
    CHANNEL_GUESS: ClassVar[str] = "steer"
    MAKES_CHANNEL: ClassVar[bool] = True

    WAS: ClassVar[Mapping[str, str]] = {"most_deg": "max_angle_deg"}

    kind: Literal["steering"] = "steering"
    on: Literal["all", "front", "rear", "left", "right", "front_left", "front_right", "rear_left", "rear_right"] = (
        Field("front", description="which wheels: all, at one end, on one side, or at one corner")
    )
    channel: str = Field("", description="the channel that turns them; empty: they stay straight")
    max_angle_deg: float = dial(
        32.0, "°", "maximum steering angle, at standstill", low=-90.0, high=90.0, slider=(0.0, 45.0), main=True,
        title="maximum angle",
    )  # fmt: skip
    rate_deg: float = dial(
        120.0, "°/s", "steering rate", low=0.1, high=1e5, slider=(10.0, 1000.0), scale="log",
        main=True, title="steering rate",
    )  # fmt: skip
    return_rate_deg: float = dial(
        240.0, "°/s", "return rate", low=0.1, high=1e5, slider=(10.0, 1000.0), scale="log", title="return rate"
    )
    ackermann: float = dial(
        1.0, "", "1: each wheel along its own circle, 0: all parallel", low=-1.0, high=2.0, slider=(0.0, 1.0),
        title="Ackermann share",
    )  # fmt: skip
    limit: tuple[SpeedKnot, ...] = Field(
        (SpeedKnot(speed=0.0, share=1.0),), min_length=1, max_length=64,
        description="factor on the maximum angle over forward speed",
    )  # fmt: skip

    limit_straight: bool = curvefield.joined_straight()
    limit_of: str = curvefield.follows_shared()

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        speedcurve.check("limit", self.limit)
        return self

    def record(self, pack: Pack) -> dict[str, Any]:
        own = self.wheels_of(pack.wheels)[:MOST_WHEELS]
        line, middle = self._line(pack)
        spare = [0.0] * (MOST_WHEELS - len(own))
        ahead = [one.at[0] - line for one in own]
        top, samples = speedcurve.record(self.limit, self.limit_straight)
        return {
            **self.wheels_record(pack),
            "ahead": [*ahead, *spare],
            "left": [*(one.at[1] - middle for one in own), *spare],
            "base": max((abs(x) for x in ahead), default=1.0) or 1.0,
            "channel": pack.channel(self.channel),
            "most": math.radians(self.max_angle_deg),
            "rate": math.radians(self.rate_deg),
            "return_rate": math.radians(self.return_rate_deg),
            "ackermann": self.ackermann,
            "top": top,
            "limit": samples,
        }

    def _line(self, pack: Pack) -> tuple[float, float]:
        """Position of the line about which the craft turns, m forward of the origin, and its middle, m to the left: by
        the wheels that are not steered, the middle of all where each is."""
        own = {one.ray for one in self.wheels_of(pack.wheels)}
        rest = [one.at[0] for one in pack.wheels if one.ray not in own] or [one.at[0] for one in pack.wheels]
        sides = [one.at[1] for one in pack.wheels]
        return (sum(rest) / len(rest), sum(sides) / len(sides)) if rest else (0.0, 0.0)

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def summary(self) -> str:
        return self.where()

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        most, speed = abs(self.max_angle_deg) * self.trim, setting.last_speed
        lines = [f"over in {show(most / self.rate_deg, 's')}, back in {show(most / self.return_rate_deg, 's')}"]
        left = most * speedcurve.share_at(self.limit, speed, self.limit_straight)
        if setting.handling is not None and speed > 0.0:
            gravity = setting.weight / max(setting.mass, 1e-9)
            holds = math.degrees(setting.handling.largest_steer(speed, gravity))
            lines.append(
                f"at {show(speed, 'm/s')} {show(left, '°')}; {show(max(holds, 0.0), '°')} hold without sliding"
            )
        elif len(self.limit) > 1 and speed > 0.0:
            lines.append(f"{show(left, '°')} at most at {show(speed, 'm/s')}")
        return tuple(lines)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)
        if not self.channel:
            yield self.caution("nothing_steers_it", "channel", "no channel turns its wheels", "give it a channel")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Turns its wheels; returns how far, 0 to 1. memory : 0, rad of the turn so far."""
    wanted = 0.0
    if part.channel >= 0:
        wanted = now.channels[part.channel]
    wanted *= gain * part.most * speedcurve.at(part.limit, part.top, now.forward)
    turn = now.memory[p, 0]
    if turn * wanted < 0.0:
        wanted = 0.0  # it returns through straight before it turns to the other side
    step = now.dt * (part.rate if abs(wanted) > abs(turn) else part.return_rate)
    turn += min(max(wanted - turn, -step), step)
    now.memory[p, 0] = turn
    for k in range(part.count):
        supports[part.wheels[k]].axle.steer += angle_of(part, k, turn)
    return min(abs(turn) / max(abs(part.most), 1e-9), 1.0)


@compiled
def angle_of(part, k, turn):
    """The angle of wheel `k`, rad, for a turn of a wheel in the middle at the end that steers most."""
    bend = math.tan(min(max(turn, -1.5), 1.5)) / part.base
    own = math.atan2(part.ahead[k] * bend, 1.0 - part.left[k] * bend)
    if abs(own) > 0.5 * math.pi:
        own -= math.pi if own > 0.0 else -math.pi
    same = math.atan(part.ahead[k] * bend)
    return same + part.ackermann * (own - same)


KIND = Kind(Steering, RECORD, act=act)
