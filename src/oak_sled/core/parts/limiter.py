"""Speed limit: on the whole speed or one part of it; cut off hard, dragged back, or thrust faded."""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.lawful import ActsIf

Limits = Literal["total", "horizontal", "vertical", "forward", "reverse", "spin"]
TOTAL, HORIZONTAL, VERTICAL, FORWARD, REVERSE, SPIN = range(6)
Style = Literal["hard", "soft", "fade"]
HARD, SOFT, FADE = range(3)
RATE_UNITS = {name: "rad/s" if name == "spin" else "m/s" for name in get_args(Limits)}

RECORD = np.dtype([("limits", "i8"), ("style", "i8"), ("limit", "f8"), ("knee", "f8"), ("rate", "f8")])


class Limiter(Part):
    """Keeps a speed under a limit, last of all in the tick."""

    TITLE: ClassVar[str] = "Speed limit"
    EXPLAINS: ClassVar[str] = "keeps a speed below a limit"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = ((("knee",), "style", ("soft", "fade"), "a hard limit has no knee"),)
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    STAGE: ClassVar[float] = 7
    EVENT: ClassVar[str] = "at limit"
    EVENT_FLASHES: ClassVar[bool] = False
    FLASH: ClassVar[str] = "AT LIMIT"
    EVENT_FROM: ClassVar[float] = 0.5
    LIMITS: ClassVar[bool] = True

    kind: Literal["limiter"] = "limiter"
    limits: Limits = Field("total", description="the speed it limits")
    style: Style = Field("hard", description="clamp the speed, add drag above a knee, or reduce the thrust")
    limit: float = dial(
        25.0, "m/s", "the limit", low=0.0, high=1e5, slider=(0.0, 60.0), main=True,
        unit_by=("limits", RATE_UNITS), slider_by={"spin": (0.0, 10.0)},
    )  # fmt: skip
    knee: float = dial(
        2.0,
        "m/s",
        "soft and fade: distance below the limit at which it begins",
        low=0.0,
        high=1e5,
        slider=(0.0, 20.0),
        main=True,
        unit_by=("limits", RATE_UNITS),
        slider_by={"spin": (0.0, 5.0)},
    )
    rate: float = dial(
        4.0, "1/s", "soft: rate at which the excess is removed", low=0.0, high=1e4, slider=(0.1, 30.0), scale="log"
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "limits": get_args(Limits).index(self.limits),
            "style": get_args(Style).index(self.style),
            "limit": self.limit,
            "knee": self.knee,
            "rate": self.rate,
        }

    def shows(self) -> Shown:
        return "yaw" if self.limits == "spin" else "ahead"

    def summary(self) -> str:
        return f"{self.style} · {'whole speed' if self.limits == 'total' else self.limits}"

    def binds(self) -> str:
        """Directions that it limits."""
        return {
            "total": "binds every direction, falling too",
            "horizontal": "binds level motion, not falling",
            "vertical": "binds rise and fall only",
            "forward": "binds forward motion only",
            "reverse": "binds backward motion only",
            "spin": "binds turning about every axis",
        }[self.limits]

    def cautions(self, case: Case) -> Iterator[Caution]:
        if case.acted == 0.0:
            says = "the limit never acted in this run"
            yield self.caution(
                "limit_never_acts", "", says, "lower it, or leave it out", "leave it out", {"mute": True}
            )
        elif case.acted is not None and case.acted > 0.6:
            says = f"the limit acted in {100 * case.acted:.0f} % of the run, so it and not the forces sets the speed"
            yield self.caution("limit_mostly_acts", "", says, "raise it, or lower the thrust")
        if case.acted is not None and self.limits in ("total", "horizontal", "forward"):
            yield from self._out_of_reach(case.top_speed)

    def _out_of_reach(self, top: float) -> Iterator[Caution]:
        if math.isfinite(top) and 0.0 < 2.0 * top < self.limit:
            yield self.caution(
                "limit_out_of_reach",
                "",
                f"thrust tops out at {show(top, 'm/s')}, far below the limit of {show(self.limit, 'm/s')}",
                f"a limit near {show(top, 'm/s')} would act",
                f"set the limit to {show(top, 'm/s')}",
                {"limit": float(f"{top:.3g}")},
            )
        elif top > 5.0 * self.limit > 0.0:
            words = "has no top speed" if math.isinf(top) else f"would reach {show(top, 'm/s')}"
            yield self.caution(
                "top_speed_far_above_limit",
                "",
                f"the craft {words}, far above the limit of {show(self.limit, 'm/s')}",
                "less thrust or more drag, so that the limit is not all that slows it",
            )

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        unit = RATE_UNITS[self.limits]
        if self.limits not in setting.range_of:
            return (self.binds(),)
        low, high, usual = setting.range_of[self.limits]
        acted = setting.acted.get(self.id, 0)
        share = f"acted in {acted} of {setting.ticks} ticks" if acted else "never acted in the last run"
        return (f"was {low:.3g} to {show(high, unit)}, 95 % under {usual:.3g}", share)


@compiled
def limited(part, body, now):
    """The speed that is limited and the world direction it is counted along."""
    v = (body.velocity[0], body.velocity[1], body.velocity[2])
    if part.limits == SPIN:
        v = (body.spin[0], body.spin[1], body.spin[2])
    elif part.limits == HORIZONTAL:
        flat = environment.to_level(now, v)
        v = environment.from_level(now, (flat[0], flat[1], 0.0))
    elif part.limits == VERTICAL:
        _, _, rise = environment.to_level(now, v)
        v = environment.from_level(now, (0.0, 0.0, rise))
    elif part.limits == FORWARD or part.limits == REVERSE:
        sign = 1.0 if part.limits == FORWARD else -1.0
        way = (sign * body.axes[0, 0], sign * body.axes[1, 0], sign * body.axes[2, 0])
        return spatial.dot(v, way), way
    speed = spatial.length(v)
    if speed == 0.0:
        return 0.0, v
    return speed, (v[0] / speed, v[1] / speed, v[2] / speed)


@unit
def act(part, gain, p, body, now):
    """Takes speed past the limit away, books it on its ledger line, and returns 1 if it acted, else 0.

    Hard cuts the vector off and keeps its direction; soft takes the excess over the knee with an
    exact exponential. A trim below 1 takes only that share.
    """
    if part.style == FADE:
        return 0.0
    speed, way = limited(part, body, now)
    if part.style == HARD:
        taken = speed - part.limit
    else:
        taken = (speed - (part.limit - part.knee)) * (1.0 - math.exp(-part.rate * now.dt))
    if taken <= 0.0 or gain <= 0.0:
        return 0.0
    taken *= min(gain, 1.0)
    book(part.limits == SPIN, taken, way, p, body, now)
    return 1.0


@compiled
def book(is_spin, taken, way, p, body, now):
    """Takes `taken` of speed along `way` and writes what that was as a force or a torque."""
    if is_spin:
        change = (-taken * way[0], -taken * way[1], -taken * way[2])
        moment = spatial.times(now.inertia, change)
        for i in range(3):
            body.spin[i] += change[i]
            now.momentum[i] += moment[i]
            now.lines[p, 3 + i] += moment[i] / now.dt
        return
    for i in range(3):
        body.velocity[i] -= taken * way[i]
        now.lines[p, i] -= body.mass * taken * way[i] / now.dt


@unit
def fade(part, gain, parts, first, p, body, now):
    """Removes the share of the thrust that drives past the knee; returns 1 if it did, else 0.

    parts : the records of all parts, those of this craft from `first` on; those that drive count as thrust. Their own
    lines stay as they are, so that the ledger shows both what they gave and what the limit took.
    """
    if part.style != FADE:
        return 0.0
    speed, way = limited(part, body, now)
    left = 1.0
    if part.knee > 0.0:
        left = min(max((part.limit - speed) / part.knee, 0.0), 1.0)
    elif speed >= part.limit:
        left = 0.0
    if left == 1.0:
        return 0.0
    column = 3 if part.limits == SPIN else 0
    pushed = 0.0
    for k in range(now.parts):
        if parts[first + k].drives > 0.0:
            for i in range(3):
                pushed += now.lines[k, column + i] * way[i]
    if pushed <= 0.0:
        return 0.0
    for i in range(3):
        now.lines[p, column + i] -= (1.0 - left) * min(gain, 1.0) * pushed * way[i]
    return 1.0


KIND = Kind(Limiter, RECORD, limit=act, fade=fade)
