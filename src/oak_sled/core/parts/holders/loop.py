"""The loop of a holder: given as natural frequency and damping ratio or as gains, through actuators or by itself."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, NamedTuple

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Part
from oak_sled.core.parts.context import Pack, Setting

Given = Literal["frequency", "gains"]
ACCURATE = 240.0
"""Ticks in a turn of the natural frequency, above which a step differs from the continuous one by less than 2 %."""
HALF = 0.5
"""Value of a channel past which it switches a holder on."""
QUICK = 0.35
"""Natural frequency, rad/s, times the lag of an actuator, past which the actuator takes the damping away."""


class Loop(Part):
    """The base of holders: acceleration P e - D v, P = w2 and D = 2 z w, and an integral share."""

    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    HOLDS: ClassVar[str] = ""
    """The quantity it holds, in a word, for cautions."""

    aid: bool = Field(True, description="marks a part that departs from physics on purpose")
    acts: Literal["own", "mixer"] = Field(
        "own", description="by a force or torque of its own (an aid), or through the actuators that a mixer commands"
    )
    switch: str = Field("", description="the channel that switches it on past half; empty: always on")
    given: Given = Field("frequency", description="numbers that set it: a natural frequency and a damping, or gains")
    frequency: float = dial(
        0.5, "Hz", "natural frequency", low=0.001, high=50.0, slider=(0.05, 5.0), scale="log", main=True,
        title="natural frequency",
    )  # fmt: skip
    damping_ratio: float = dial(
        0.8, "", "damping over critical damping", low=0.0, high=10.0, slider=(0.0, 2.0), main=True,
        title="damping ratio",
    )  # fmt: skip
    gain_p: float = dial(
        10.0, "1/s2", "acceleration for each unit off", low=0.0, high=1e5, slider=(0.1, 500.0), scale="log",
        title="proportional gain",
    )  # fmt: skip
    gain_d: float = dial(
        5.0, "1/s", "acceleration for each unit a second", low=0.0, high=1e4, slider=(0.1, 50.0), scale="log",
        title="derivative gain",
    )  # fmt: skip
    integral: float = dial(
        0.0, "1/s", "rate at which it makes up for what stays off; 0: never", low=0.0, high=10.0, slider=(0.0, 2.0),
        title="integral rate",
    )  # fmt: skip

    def loop(self) -> tuple[float, float]:
        """Gains, 1/s2 and 1/s."""
        if self.given == "gains":
            return self.gain_p, self.gain_d
        rate = math.tau * self.frequency
        return rate * rate, 2.0 * self.damping_ratio * rate

    def loop_record(self, pack: Pack) -> dict[str, Any]:
        """The fields that its record has for it."""
        spring, damper = self.loop()
        return {
            "switch": pack.channel(self.switch),
            "by_mixer": int(self.acts == "mixer"),
            "spring": spring,
            "damper": damper,
            "integral": self.integral,
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.switch,) if self.switch else ()

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        gone = ("frequency", "damping_ratio") if self.given == "gains" else ("gain_p", "gain_d")
        return found | dict.fromkeys(gone, f"its loop is given as {self.given}")

    def loop_words(self) -> str:
        """The loop in the other numbers, and how long a step of it takes."""
        spring, damper = (self.trim * gain for gain in self.loop())
        if spring <= 0.0:
            return "no spring: it holds nothing"
        rate = math.sqrt(spring)
        ratio = damper / (2.0 * rate)
        past = math.exp(-math.pi * ratio / math.sqrt(1.0 - ratio * ratio)) if ratio < 1.0 else 0.0
        if self.given == "gains":
            first = f"{show(rate / math.tau, 'Hz')}, damping ratio {ratio:.2f}"
        else:
            first = f"gains {show(spring, '1/s2')} and {show(damper, '1/s')}"
        return f"{first}; a step passes its end by {100.0 * past:.0f} %"

    def margin_words(self, setting: Setting) -> str:
        """The phase margin of its loop through the slowest of its actuators, and what delay takes of it."""
        spring, damper = (self.trim * gain for gain in self.loop())
        lag = max((one.lag for _, one in setting.actuators), default=0.0) if self.acts == "mixer" else 0.0
        found = margin_of(spring, damper, lag, 0.5 * setting.dt)
        if found is None:
            return "no damper: it swings for ever"
        if found.phase <= 0.0:
            return f"no phase margin left: it swings ever wider ({show(lag, 's')} of lag)"
        most = show(found.delay, "s")
        return f"phase margin {show(math.degrees(found.phase), '°')}: {most} more delay, and it swings ever wider"

    def summary(self) -> str:
        return "by a force of its own" if self.acts == "own" else "through the mixer"

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.too_quick(case, self.trim * self.loop()[0], self.trim * self.loop()[1])

    def too_quick(self, case: Case, spring: float, damper: float, field: str = "") -> Iterator[Caution]:
        """Cautions of a loop that its tick, or its actuators, cannot follow. spring, damper : 1/s2 and 1/s."""
        field = field or ("gain_p" if self.given == "gains" else "frequency")
        dt, rate = case.setting.dt, math.sqrt(spring)
        if spring * dt * dt + 2.0 * damper * dt >= 4.0:
            yield self.caution(
                "too_stiff_for_the_tick",
                field,
                f"its loop overshoots in a tick of {show(dt, 's')}, and is unstable",
                f"a natural frequency below {show(0.3 / dt / math.tau, 'Hz')}",
            )
        elif self.acts == "own" and rate / math.tau > case.ticks / ACCURATE:
            yield self.caution(
                "quick_for_the_tick",
                field,
                f"{show(rate / math.tau, 'Hz')} at {case.ticks:.0f} ticks/s: a step differs from the true one",
                f"up to {show(case.ticks / ACCURATE, 'Hz')} it is within 2 %; or more ticks/s",
            )
        if self.acts != "mixer":
            return
        mixers = [part for part in case.parts.values() if part.MIXES and not part.mute]
        if not mixers:
            yield self.caution(
                "nothing_to_act_through",
                "acts",
                "it acts through a mixer, and its craft has none",
                "fit a mixer, or let it act by a force of its own",
                "let it act by itself",
                {"acts": "own"},
            )
            return
        lag = max((one.lag for part in case.parts.values() for one in part.actuators()), default=0.0)
        if lag * rate > QUICK:
            yield self.caution(
                "holder_too_quick",
                field,
                f"{show(rate / math.tau, 'Hz')} with actuators that lag {show(lag, 's')}: it will swing",
                f"below {show(QUICK / lag / math.tau, 'Hz')}, or quicker actuators",
            )


class Margin(NamedTuple):
    """The phase margin of a loop, rad, and the rate at which its gain is 1, rad/s."""

    phase: float
    rate: float

    @property
    def delay(self) -> float:
        """s of more delay, past which it swings ever wider."""
        return self.phase / self.rate


def margin_of(spring: float, damper: float, lag: float, delay: float) -> Margin | None:
    """The margin of an acceleration P e + D e' that acts through a first-order lag and a delay, s each; None for a loop
    without a damper, which has none. spring, damper : P, 1/s2, and D, 1/s.

    L(s) = (P + D s) / s2 / (1 + lag s) exp(-delay s), and at |L| = 1 the margin is pi + arg L (any text on loops).
    """
    if damper <= 0.0:
        return None

    def gain(rate: float) -> float:
        return math.hypot(spring, damper * rate) / (rate * rate * math.hypot(1.0, lag * rate))

    low, high = 1e-6, 1e6
    for _ in range(120):  # it falls all the way: halved on a scale of logarithms
        middle = math.sqrt(low * high)
        low, high = (middle, high) if gain(middle) > 1.0 else (low, middle)
    rate = math.sqrt(low * high)
    phase = math.atan2(damper * rate, spring) - math.atan(lag * rate) - delay * rate
    return Margin(phase, rate)


@compiled
def is_off(part, now):
    """True while the channel that switches a holder on does not."""
    return part.switch >= 0 and now.channels[part.switch] <= HALF
