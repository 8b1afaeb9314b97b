"""Yaw damper: a torque against turning faster than a craft is asked to; an aid."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import spatial
from oak_sled.core.parts.common import Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting

RECORD = np.dtype([("damping", "f8"), ("free", "f8"), ("most", "f8"), ("ground", "i8")])


class YawDamper(Part):
    """Torque -c (w - free) about the craft's up axis while it yaws faster than the free rate, up to a largest one; it
    never turns the craft the other way in a tick."""

    TITLE: ClassVar[str] = "Yaw damper"
    EXPLAINS: ClassVar[str] = "aid: damps yaw above a rate"
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    SHOWS: ClassVar[Shown] = "yaw"

    WAS: ClassVar[Mapping[str, str]] = {"most": "max_torque"}

    kind: Literal["yaw_damper"] = "yaw_damper"
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")
    damping: float = dial(
        2000.0, "N m s/rad", "torque per rad/s above the free rate", low=0.0, high=1e8, slider=(10.0, 1e5),
        scale="log", main=True,
    )  # fmt: skip
    free_deg: float = dial(
        40.0, "°/s", "yaw rate below which it does not act", low=0.0, high=1e4, slider=(0.0, 120.0), main=True,
        title="free rate",
    )  # fmt: skip
    max_torque: float = dial(
        0.0, "N m", "maximum torque; 0: no limit", low=0.0, high=1e8, slider=(0.0, 2e4), title="maximum torque"
    )
    on_ground: bool = Field(True, description="act only on the ground")

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "damping": self.damping,
            "free": math.radians(self.free_deg),
            "most": self.max_torque if self.max_torque > 0.0 else 1e300,
            "ground": int(self.on_ground),
        }

    def summary(self) -> str:
        return "on the ground" if self.on_ground else "always"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        rate = self.trim * self.damping / setting.yaw_inertia
        if rate <= 0.0:
            return ("damps nothing",)
        return (f"what is past {show(self.free_deg, '°/s')} halves in {show(math.log(2.0) / rate, 's')}",)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books its torque; returns the share of the largest one, or whether it acts."""
    if part.ground == 1 and now.on_ground == 0.0:
        return 0.0
    up = (body.axes[0, 2], body.axes[1, 2], body.axes[2, 2])
    rate = up[0] * body.spin[0] + up[1] * body.spin[1] + up[2] * body.spin[2]
    past = abs(rate) - part.free
    if past <= 0.0:
        return 0.0
    inertia = spatial.dot(up, spatial.times(now.inertia, up))
    size = min(min(gain * part.damping * past, part.most), inertia * past / now.dt)
    for i in range(3):
        now.lines[p, 3 + i] = (-size if rate > 0.0 else size) * up[i]
    return 1.0


KIND = Kind(YawDamper, RECORD, act=act)
