"""Height holder: a height that a climb channel moves, held by a force of its own or through the mixer."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.kernel.state import WISH_FORCE
from oak_sled.core.parts.actuator import Axis
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Kind, Shown
from oak_sled.core.parts.context import Pack, Ray, Setting
from oak_sled.core.parts.holders import loop
from oak_sled.core.parts.holders.loop import Loop

Along = Literal["craft", "held", "world"]
CRAFT, HELD, WORLD = range(3)
STEEPEST = 0.2
"""Cosine of the lean up to which a thrust is raised to hold the height."""
RECORD = np.dtype(
    [
        ("switch", "i8"),
        ("channel", "i8"),
        ("climb", "f8"),
        ("by_mixer", "i8"),
        ("along", "i8"),
        ("carries", "f8"),  # share of the weight
        ("spring", "f8"),
        ("damper", "f8"),
        ("integral", "f8"),
        ("made_up", "f8"),  # m that the integral may stand for
        ("leash", "f8"),  # m that the held height may run ahead
        ("limit", "f8"),  # N
        ("ray", "i8"),  # the support that looks for the ground; -1: the height is that of the world
    ]
)


class HeightHolder(Loop):
    """Force m (P e - D (v - v wanted)) up, and the weight beside it: e the height that is missing, v the climb."""

    TITLE: ClassVar[str] = "Height holder"
    EXPLAINS: ClassVar[str] = "holds the height of the centre of mass, which a climb channel moves"
    SHOWS: ClassVar[Shown] = "up"
    STAGE: ClassVar[float] = 1.2
    HOLDS: ClassVar[str] = "height"

    kind: Literal["height"] = "height"
    channel: str = Field("", description="the channel that climbs; empty: the height of the start is held")
    climb: float = dial(2.0, "m/s", "climb at a full channel", low=0.0, high=1e3, slider=(0.0, 20.0), main=True)
    along: Along = Field(
        "held",
        description="through the mixer, the way of the force: the lift of the craft as it leans, that lift over "
        "the cosine of the lean, which holds the height, or straight up",
    )
    above: Literal["world", "ground"] = Field(
        "world", description="the height it holds: that of the world, or over what lies below, which a ray looks for"
    )
    reach: float = dial(
        60.0, "m", "down to which it looks for the ground", low=0.1, high=1e4, slider=(1.0, 200.0), scale="log"
    )
    carries: float = dial(
        1.0, "", "share of the weight that it adds", low=0.0, high=2.0, slider=(0.0, 1.2), title="weight carried"
    )
    integral_m: float = dial(
        1.0, "m", "that the integral makes up for at most", low=0.0, high=1e3, slider=(0.0, 10.0),
        title="integral limit",
    )  # fmt: skip
    leash: float = dial(
        3.0, "m", "that the held height may run ahead of the craft", low=0.01, high=1e4, slider=(0.1, 20.0)
    )
    max_force: float = dial(
        0.0, "N", "greatest force; 0: no limit", low=0.0, high=1e9, slider=(0.0, 1e5), title="maximum force"
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            **self.loop_record(pack),
            "channel": pack.channel(self.channel),
            "climb": self.climb,
            "along": get_args(Along).index(self.along),
            "carries": self.carries * pack.gravity_scale,
            "made_up": self.integral_m,
            "leash": self.leash,
            "limit": self.max_force if self.max_force > 0.0 else 1e300,
            "ray": pack.rays.get(self.id, -1),
        }

    def rays(self) -> list[Ray]:
        return [Ray((0.0, 0.0, 0.0), "world", self.reach, senses=True)] if self.above == "ground" else []

    def channels_used(self) -> tuple[str, ...]:
        return (*super().channels_used(), *((self.channel,) if self.channel else ()))

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if self.acts == "own":
            found["along"] = "its own force points straight up"
        if self.above == "world":
            found["reach"] = "it holds the height of the world"
        if not self.channel:
            found["climb"] = "it follows no channel"
        if self.integral == 0.0:
            found["integral_m"] = "it has no integral"
        return found

    def wishes(self) -> tuple[Axis, ...]:
        if self.acts != "mixer":
            return ()
        return ("ahead", "left", "lift") if self.along == "world" else ("lift",)

    def lifts(self, weight: float) -> float:
        return min(self.trim * self.carries, 1.0) * weight if self.acts == "own" else 0.0

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        metre = self.trim * self.loop()[0] * setting.mass
        what = f"{show(metre, 'N')} for a metre off; the weight is {show(setting.weight, 'N')}"
        return (self.loop_words(), self.margin_words(setting), what)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from super().cautions(case)
        if self.acts == "mixer" and any(part.MIXES for part in case.parts.values()):
            yield from self._too_heavy(case)

    def _too_heavy(self, case: Case) -> Iterator[Caution]:
        found = [one.about(case.setting.centre) for part in case.parts.values() for one in part.actuators()]
        most = sum(max(one[2], 0.0) for one in found)
        needed = self.trim * self.carries * case.setting.weight
        if found and most < needed:
            yield self.caution(
                "too_weak_to_hover",
                "",
                f"its actuators lift {show(most, 'N')}, and it is to carry {show(needed, 'N')}",
                f"{show(1.5 * needed, 'N')} or more, a lighter craft, or a smaller share of the weight",
            )


@unit
def command(part, gain, p, body, solids, ground, supports, now):
    """The force of this tick. memory : 0 to 2 that force, N, craft axes; 3 the height that is held, m; 4 whether it is
    set; 5 the integral, m s."""
    memory = now.memory[p]
    if loop.is_off(part, now):
        for i in range(6):
            memory[i] = 0.0
        return
    high = environment.height_at(ground, body.position[0], body.position[1], body.position[2])
    _, _, rise = environment.to_level(now, (body.velocity[0], body.velocity[1], body.velocity[2]))
    if part.ray >= 0:
        high = supports[part.ray].gap
    if memory[4] == 0.0:
        memory[3], memory[4] = high, 1.0
    climb = 0.0
    if part.channel >= 0:
        climb = part.climb * now.channels[part.channel]
    ahead = memory[3] + climb * now.dt - high
    off = min(max(ahead, -part.leash), part.leash)
    memory[3] = high + off
    pull = environment.strength_at(ground, body.position[0], body.position[1], body.position[2])
    wanted = part.spring * (off + part.integral * memory[5]) + part.damper * (climb - rise)
    force = gain * body.mass * (wanted + part.carries * pull)
    if abs(force) > part.limit:
        force = part.limit if force > 0.0 else -part.limit
    elif part.integral > 0.0:
        most = part.made_up / part.integral
        memory[5] = min(max(memory[5] + off * now.dt, -most), most)
    way = turned(part, body, now)
    for i in range(3):
        memory[i] = force * way[i]
        if part.by_mixer == 1:
            now.wish[WISH_FORCE + i] += memory[i]


@compiled
def turned(part, body, now):
    """The way of a force upward, craft axes; longer than 1 where a leaning thrust is to hold the height."""
    up = spatial.to_craft(body.axes, environment.from_level(now, (0.0, 0.0, 1.0)))
    if part.by_mixer == 0 or part.along == WORLD:
        return up
    if part.along == HELD:
        return (0.0, 0.0, 1.0 / max(up[2], STEEPEST))
    return (0.0, 0.0, 1.0)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the force where it is its own; returns its share of the greatest."""
    memory = now.memory[p]
    if part.by_mixer == 0:
        force = spatial.to_world(body.axes, (memory[0], memory[1], memory[2]))
        for i in range(3):
            now.lines[p, i] = force[i]
    size = math.sqrt(memory[0] * memory[0] + memory[1] * memory[1] + memory[2] * memory[2])
    return min(size / part.limit, 1.0) if part.limit < 1e299 else (1.0 if size > 0.0 else 0.0)


KIND = Kind(HeightHolder, RECORD, command=command, act=act)
