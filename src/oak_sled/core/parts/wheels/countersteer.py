"""Counter-steer: turns wheels toward where the craft slides; an aid."""

import math
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
from oak_sled.core.parts.wheels.onwheels import WHEELS, OnWheels, Which

RECORD = np.dtype([WHEELS, ("count", "i8"), ("share", "f8"), ("most", "f8"), ("from_slip", "f8"), ("from_speed", "f8")])


class CounterSteer(OnWheels):
    """Adds share x the sideslip of the craft past a threshold to the angle of its wheels, up to a largest angle."""

    TITLE: ClassVar[str] = "Counter-steer"
    EXPLAINS: ClassVar[str] = "aid: turn the wheels toward where the craft slides"
    FAMILY: ClassVar[Family] = "holder"
    STAGE: ClassVar[float] = 3.1
    SHOWS: ClassVar[Shown] = "steer"

    WAS: ClassVar[Mapping[str, str]] = {"most_deg": "max_angle_deg"}

    kind: Literal["counter_steer"] = "counter_steer"
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")
    on: Which = Field("front", description="which wheels: all, at one end, on one side, or at one corner")
    share: float = dial(
        0.6, "", "share of the sideslip that it steers", low=0.0, high=2.0, slider=(0.0, 1.0), main=True
    )
    max_angle_deg: float = dial(
        25.0,
        "°",
        "largest angle that it adds",
        low=0.0,
        high=90.0,
        slider=(0.0, 45.0),
        main=True,
        title="maximum angle",
    )
    from_deg: float = dial(
        3.0, "°", "sideslip below which it does not act", low=0.0, high=90.0, slider=(0.0, 15.0), title="from angle"
    )
    from_speed: float = dial(3.0, "m/s", "forward speed below which it does nothing", low=0.1, high=100.0,
                             slider=(0.5, 10.0))  # fmt: skip

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            **self.wheels_record(pack),
            "share": self.share,
            "most": math.radians(self.max_angle_deg),
            "from_slip": math.radians(self.from_deg),
            "from_speed": self.from_speed,
        }

    def summary(self) -> str:
        return self.where()

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.share <= 0.0:
            return ("adds nothing",)
        full = self.from_deg + self.max_angle_deg / (self.share * max(self.trim, 1e-9))
        return (f"adds its {show(self.max_angle_deg, '°')} from {show(full, '°')} of sideslip",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Turns its wheels; returns how far, 0 to 1."""
    if now.forward < part.from_speed:
        return 0.0
    slip = math.atan2(now.side, now.forward)
    past = max(abs(slip) - part.from_slip, 0.0)
    turn = min(gain * part.share * past, part.most)
    for k in range(part.count):
        supports[part.wheels[k]].axle.steer += turn if slip > 0.0 else -turn
    return turn / part.most if part.most > 0.0 else 0.0


KIND = Kind(CounterSteer, RECORD, act=act)
