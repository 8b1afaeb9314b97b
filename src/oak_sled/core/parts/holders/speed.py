"""Speed holder: a speed along the nose that a channel sets, held by a force of its own or through the mixer."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import WISH_FORCE
from oak_sled.core.parts.actuator import Axis
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.holders import loop
from oak_sled.core.parts.holders.loop import Loop

RECORD = np.dtype(
    [
        ("switch", "i8"),
        ("channel", "i8"),
        ("speed", "f8"),
        ("by_mixer", "i8"),
        ("spring", "f8"),
        ("damper", "f8"),  # 1/s
        ("integral", "f8"),
        ("made_up", "f8"),  # m/s that the integral may stand for
        ("limit", "f8"),  # N
    ]
)


class SpeedHolder(Loop):
    """Force m D (v wanted - v) along the nose, and the integral beside it, times D as well."""

    TITLE: ClassVar[str] = "Speed holder"
    EXPLAINS: ClassVar[str] = "holds a speed along the nose, which a channel sets"
    SHOWS: ClassVar[Shown] = "ahead"
    STAGE: ClassVar[float] = 1.2
    HOLDS: ClassVar[str] = "speed"

    kind: Literal["speed"] = "speed"
    channel: str = Field("", description="the channel that sets the speed; empty: always the full one")
    speed: float = dial(10.0, "m/s", "at a full channel", low=0.0, high=1e4, slider=(0.0, 80.0), main=True)
    settles_in: float = dial(
        1.0, "s", "time constant: after three of them 5 % of a step are left", low=0.01, high=1e4, slider=(0.1, 20.0),
        scale="log", main=True, title="time constant",
    )  # fmt: skip
    integral_speed: float = dial(
        2.0, "m/s", "that the integral makes up for at most", low=0.0, high=1e3, slider=(0.0, 20.0),
        title="integral limit",
    )  # fmt: skip
    max_force: float = dial(
        0.0, "N", "greatest force; 0: no limit", low=0.0, high=1e9, slider=(0.0, 1e5), title="maximum force"
    )

    def loop(self) -> tuple[float, float]:
        return 0.0, 1.0 / self.settles_in if self.given == "frequency" else self.gain_d

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            **self.loop_record(pack),
            "channel": pack.channel(self.channel),
            "speed": self.speed,
            "made_up": self.integral_speed,
            "limit": self.max_force if self.max_force > 0.0 else 1e300,
        }

    def channels_used(self) -> tuple[str, ...]:
        return (*super().channels_used(), *((self.channel,) if self.channel else ()))

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        found |= dict.fromkeys(("frequency", "damping_ratio", "gain_p"), "a speed is held without a spring")
        if self.given == "gains":
            found["settles_in"] = "its loop is given as gains"
        if self.integral == 0.0:
            found["integral_speed"] = "it has no integral"
        return found

    def wishes(self) -> tuple[Axis, ...]:
        return ("ahead",) if self.acts == "mixer" else ()

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        gain = self.trim * self.loop()[1]
        if gain <= 0.0:
            return ("holds nothing",)
        off = gain * setting.mass
        return (f"{show(off, 'N')} for each m/s off; 95 % of a step after {show(3.0 / gain, 's')}",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        gain = self.trim * self.loop()[1]
        yield from self.too_quick(
            case, gain * gain, gain, "gain_d" if self.given == "gains" else "settles_in"
        )  # as quick as a spring of that rate


@unit
def command(part, gain, p, body, solids, ground, supports, now):
    """The force of this tick. memory : 0 that force along the nose, N; 1 the integral, m."""
    memory = now.memory[p]
    if loop.is_off(part, now):
        memory[0], memory[1] = 0.0, 0.0
        return
    wanted = part.speed
    if part.channel >= 0:
        wanted *= now.channels[part.channel]
    ahead = (body.axes[0, 0], body.axes[1, 0], body.axes[2, 0])
    off = wanted - spatial.dot((body.velocity[0], body.velocity[1], body.velocity[2]), ahead)
    force = gain * body.mass * part.damper * (off + part.integral * memory[1])
    if abs(force) > part.limit:
        force = part.limit if force > 0.0 else -part.limit
    elif part.integral > 0.0:
        most = part.made_up / part.integral
        memory[1] = min(max(memory[1] + off * now.dt, -most), most)
    memory[0] = force
    if part.by_mixer == 1:
        now.wish[WISH_FORCE] += force


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the force where it is its own; returns its share of the greatest."""
    force = now.memory[p, 0]
    if part.by_mixer == 0:
        for i in range(3):
            now.lines[p, i] = force * body.axes[i, 0]
    return min(abs(force) / part.limit, 1.0) if part.limit < 1e299 else (1.0 if force != 0.0 else 0.0)


KIND = Kind(SpeedHolder, RECORD, command=command, act=act)
