"""Slip limit: takes drive or brake torque back where wheels would spin or lock; an aid."""

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Kind
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.wheels.onwheels import WHEELS, OnWheels

RECORD = np.dtype([WHEELS, ("count", "i8"), ("spin_limit", "f8"), ("lock_limit", "f8")])


class SlipLimit(OnWheels):
    """A traction limit and a lock limit that never err: drive torque never turns its wheels past the one slip ratio,
    and brakes never slow them below the other. It pushes nothing by itself."""

    TITLE: ClassVar[str] = "Slip limit"
    EXPLAINS: ClassVar[str] = "aid: keep driven wheels from spinning and braked ones from locking"
    FAMILY: ClassVar[Family] = "holder"
    STAGE: ClassVar[float] = 3.4

    WAS: ClassVar[Mapping[str, str]] = {"most_spin": "spin_limit", "most_lock": "lock_limit"}

    kind: Literal["slip_limit"] = "slip_limit"
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")
    spin_limit: float = dial(
        0.12, "", "slip ratio past which drive torque is taken back; 0: never", low=0.0, high=10.0, slider=(0.0, 0.5),
        main=True, title="traction limit",
    )  # fmt: skip
    lock_limit: float = dial(
        0.12, "", "slip ratio past which brakes let go; 0: never", low=0.0, high=1.0, slider=(0.0, 0.5), main=True,
        title="lock limit",
    )  # fmt: skip

    def record(self, pack: Pack) -> dict[str, Any]:
        return {**self.wheels_record(pack), "spin_limit": self.spin_limit, "lock_limit": self.lock_limit}

    def summary(self) -> str:
        return self.where()

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        spins = f"turn at most {100.0 * self.spin_limit:.0f} % too fast" if self.spin_limit > 0.0 else "may spin"
        locks = f"at most {100.0 * self.lock_limit:.0f} % too slow" if self.lock_limit > 0.0 else "may lock"
        return (f"its wheels {spins}, {locks}",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.without_wheels(case)
        yield from self.without_tires(case)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Tells its wheels how far they may slip; returns 0. Its gain does not matter beyond on and off."""
    for k in range(part.count):
        axle = supports[part.wheels[k]].axle
        axle.spin_limit, axle.lock_limit = part.spin_limit, part.lock_limit
    return 0.0


KIND = Kind(SlipLimit, RECORD, act=act)
"""Its limits act where the wheels turn: see `slip.spin`."""
