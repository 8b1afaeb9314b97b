"""Sling: holds the craft while it is pulled back, and flings it when it is released."""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import HOLDS, Case, Family, Group, Hold, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.impulse import UNITS, Way

RECORD = np.dtype(
    [("way", "i8"), ("size", "f8"), ("cap", "f8"), ("curve", "f8"), ("lift", "f8"), ("hold", "i8")]
)  # fmt: skip


class Sling(Part):
    """Pull the craft back and let go: the impulse goes against the pull, and grows with it up to a cap."""

    TITLE: ClassVar[str] = "Sling"
    EXPLAINS: ClassVar[str] = "pull the craft back in the yard view and release it"
    FAMILY: ClassVar[Family] = "impulse"
    GROUP: ClassVar[Group] = "impulses and shots"
    EVENT: ClassVar[str] = "release"
    LAUNCHES: ClassVar[bool] = True
    OBEYS: ClassVar[tuple[str, ...]] = ("hold", "release")
    PULLED: ClassVar[bool] = True

    kind: Literal["sling"] = "sling"
    way: Way = Field("impulse", description="an impulse (mass counts), or a change of speed")
    size: float = dial(
        600.0, "N s", "impulse at a full pull", low=0.0, high=1e7, slider=(1.0, 10000.0), scale="log", main=True,
        unit_by=("way", UNITS), slider_by={"speed_change": (0.1, 100.0)}, title="impulse",
    )  # fmt: skip
    cap: float = dial(
        4.0,
        "m",
        "pull at which the impulse is greatest",
        low=0.01,
        high=1e3,
        slider=(0.5, 20.0),
        main=True,
        title="full pull",
    )
    curve: float = dial(
        1.0, "", "1: linear; above: slow start", low=0.1, high=8.0, slider=(0.5, 4.0), main=True, title="response"
    )
    lift_deg: float = dial(
        0.0, "°", "elevation added to the launch", low=-90.0, high=90.0, slider=(-10.0, 80.0), title="elevation"
    )
    hold: Hold = Field("in_place", description="craft before release: free, held in place, or weightless")

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "way": get_args(Way).index(self.way),
            "size": self.size,
            "cap": self.cap,
            "curve": self.curve,
            "lift": math.radians(self.lift_deg),
            "hold": HOLDS.index(self.hold),
        }

    def share(self, pull: float) -> float:
        """Share of the full push that a pull of so many m gives."""
        return float(min(pull, self.cap) / self.cap) ** self.curve

    def released(self) -> Hold:
        return self.hold

    def cautions(self, case: Case) -> Iterator[Caution]:
        for name, pull in case.pulls:
            if name == self.id and pull > self.cap * (1.0 + 1e-9):
                yield self.caution(
                    "pull_past_cap",
                    "cap",
                    f"a pull of {show(pull, 'm')} is past the cap of {show(self.cap, 'm')}; the rest adds nothing",
                    "a longer cap, or a shorter pull",
                )
            elif name == self.id and pull == 0.0:
                yield self.caution("no_pull", "", "it is released without a pull", "pull it back on the plan")

    def summary(self) -> str:
        return f"{self.way.replace('_', ' ')} · {self.hold.replace('_', ' ')} until released"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        full = self.trim * self.size / (setting.mass if self.way == "impulse" else 1.0)
        half = full * self.share(0.5 * self.cap)
        first = f"full pull {show(full, 'm/s')}, half of it {show(half, 'm/s')}"
        if setting.friction > 0.0:
            far = full * full / (2.0 * setting.friction / setting.mass)
            return (first, f"slides {show(far, 'm')} if only friction slows it")
        return (first, f"throws {show(full * full / STANDARD_GRAVITY, 'm')} at 45° without drag")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the push of a sling that is released in this tick; returns its share."""
    if now.trigger[p] == 0.0:
        return 0.0
    now.trigger[p] = 0.0
    x, y, z = -now.pull[0], -now.pull[1], -now.pull[2]
    pull = math.sqrt(x * x + y * y + z * z)
    if pull < 1e-9:
        return 0.0
    share = (min(pull, part.cap) / part.cap) ** part.curve
    size = gain * share * part.size / now.dt
    if part.way == 1:
        size *= body.mass
    flat = math.sqrt(x * x + y * y)
    if flat > 1e-9:
        rise = min(max(math.atan2(z, flat) + part.lift, -0.5 * math.pi), 0.5 * math.pi)
        x, y, z = x / flat * math.cos(rise), y / flat * math.cos(rise), math.sin(rise)
    else:
        x, y, z = 0.0, 0.0, z / pull
    now.lines[p, 0], now.lines[p, 1], now.lines[p, 2] = size * x, size * y, size * z
    return share


KIND = Kind(Sling, RECORD, act=act)
