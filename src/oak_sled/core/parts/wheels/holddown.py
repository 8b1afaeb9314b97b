"""Hold-down: pulls the craft toward the ground where a wheel of it hangs below full droop; an aid.

One file, as every kind of part is: its document, record, equation, closed forms and cautions.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting, WheelAt
from oak_sled.core.parts.wheels import rolling
from oak_sled.core.parts.wheels.onwheels import WHEELS, OnWheels

RECORD = np.dtype([WHEELS, ("count", "i8"), ("reach", "f8"), ("pull", "f8")])


class HoldDown(OnWheels):
    """F = pull x / reach toward the ground, x the gap between a wheel at full droop and the ground, up to the reach;
    past that it lets go. Its wheels look so much farther for the ground. It keeps a craft from tipping or taking off
    where its springs push no more, as no spring of a real craft does.
    """

    TITLE: ClassVar[str] = "Hold-down"
    EXPLAINS: ClassVar[str] = "aid: pulls the craft down while a wheel is just above the ground"
    FAMILY: ClassVar[Family] = "holder"
    STAGE: ClassVar[float] = 3.45
    SHOWS: ClassVar[Shown] = "up"
    EVENT: ClassVar[str] = "holding down"
    EVENT_FLASHES: ClassVar[bool] = False

    kind: Literal["hold_down"] = "hold_down"
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")
    pull: float = dial(
        2000.0, "N", "maximum pull of each wheel", low=0.0, high=1e7, slider=(10.0, 20000.0),
        scale="log", main=True,
    )  # fmt: skip
    reach: float = dial(
        0.2, "m", "range below full droop within which it pulls", low=0.001, high=10.0,
        slider=(0.01, 0.5), main=True,
    )  # fmt: skip

    def record(self, pack: Pack) -> dict[str, Any]:
        return {**self.wheels_record(pack), "reach": self.reach, "pull": self.pull}

    def looks_farther(self, wheels: Sequence[WheelAt]) -> Mapping[int, float]:
        return {one.ray: self.reach for one in self.wheels_of(wheels)}

    def summary(self) -> str:
        return self.where()

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.trim * self.pull <= 0.0:
            return ("pulls nothing",)
        pull, weight = self.trim * self.pull, max(setting.weight, 1e-9)
        return (
            f"up to {show(pull, 'N')} a wheel, {show(100.0 * pull / weight, '%')} of the weight",
            f"over the last {show(self.reach, 'm')} before a wheel is off the ground",
        )

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the pull of its wheels on its ledger line; returns how far one hangs at most, as a share of its reach."""
    hangs = 0.0
    for k in range(part.count):
        support = supports[part.wheels[k]]
        if support.below < 0:
            continue
        past = support.gap - (support.reach - support.axle.farther)
        if past <= 0.0:
            continue
        share = min(past / part.reach, 1.0)
        hangs = max(hangs, share)
        pull = -gain * part.pull * share / rolling.lean(support)
        n = support.normal
        force = (pull * n[0], pull * n[1], pull * n[2])
        body_module.add_at_support(now, p, body, support, force)
        support.load += pull
    return hangs


KIND = Kind(HoldDown, RECORD, act=act)
