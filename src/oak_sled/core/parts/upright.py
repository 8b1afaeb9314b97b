"""Upright holder: a torque that turns the craft's up toward upright, or toward the normal of what carries it."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.swing import Swing, overshoot

Toward = Literal["upright", "ground"]

RECORD = np.dtype([("toward", "i8"), ("stiffness", "f8"), ("damping", "f8"), ("most", "f8")])


class Upright(Part):
    """Torque k a n - c w about level axes: a the angle between the craft's up and where it should point, n the axis
    that closes it, w the spin without what of it turns about that direction. Yaw stays free."""

    TITLE: ClassVar[str] = "Upright holder"
    EXPLAINS: ClassVar[str] = "turns back to upright, or to the ground normal, by a spring with damping"
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    SHOWS: ClassVar[Shown] = "roll"

    WAS: ClassVar[Mapping[str, str]] = {"most": "max_torque"}

    kind: Literal["upright"] = "upright"
    toward: Toward = Field("upright", description="world up, or the mean normal of the ground below")
    stiffness: float = dial(
        2000.0, "N m/rad", "torque per radian of lean", low=0.0, high=1e8, slider=(10.0, 1e5), scale="log",
        main=True,
    )  # fmt: skip
    damping: float = dial(
        300.0, "N m s/rad", "damping of roll and pitch", low=0.0, high=1e7, slider=(1.0, 1e4), scale="log",
        main=True,
    )  # fmt: skip
    max_torque: float = dial(
        0.0, "N m", "maximum torque; 0: no limit", low=0.0, high=1e8, slider=(0.0, 1e4), title="maximum torque"
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "toward": get_args(Toward).index(self.toward),
            "stiffness": self.stiffness,
            "damping": self.damping,
            "most": self.max_torque if self.max_torque > 0.0 else 1e300,
        }

    def summary(self) -> str:
        return "toward upright" if self.toward == "upright" else "toward the normal of the ground"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        roll = setting.roll_inertia
        stiffness, damping = self.trim * self.stiffness, self.trim * self.damping
        if stiffness <= 0.0 or roll <= 0.0:
            return ("no spring",)
        swing = Swing.of(stiffness, damping, roll)
        times = "swings for ever" if swing.share == 0.0 else f"{100.0 * swing.share:.0f} % of critical damping"
        return (f"roll swings at {show(swing.rate / math.tau, 'Hz')}", times)

    def cautions(self, case: Case) -> Iterator[Caution]:
        roll, dt = case.setting.roll_inertia, case.setting.dt
        stiffness, damping = self.trim * self.stiffness, self.trim * self.damping
        limit = overshoot(stiffness, damping, roll, dt) if roll > 0.0 else None
        if limit is not None:
            yield self.caution(
                "too_stiff_for_the_tick",
                "stiffness" if limit.by_spring else "damping",
                f"its torque overshoots in a tick of {show(dt, 's')}, and is unstable",
                f"below {show(limit.spring, 'N m/rad')}, or {show(limit.damper, 'N m s/rad')}",
            )


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the torque on its ledger line; returns its share of the greatest, or 1 where there is no limit."""
    up = (body.axes[0, 2], body.axes[1, 2], body.axes[2, 2])
    wanted = environment.from_level(now, (0.0, 0.0, 1.0))
    if part.toward == 1:
        wanted = (now.up[0], now.up[1], now.up[2])
    axis = spatial.cross(up, wanted)
    sine, cosine = spatial.length(axis), spatial.dot(up, wanted)
    angle = math.atan2(sine, cosine)
    # upside down no way is nearer: it rolls
    n = (body.axes[0, 0], body.axes[1, 0], body.axes[2, 0])
    if sine > 1e-9:
        n = (axis[0] / sine, axis[1] / sine, axis[2] / sine)
    elif cosine > 0.0:
        angle = 0.0
    turning = (body.spin[0], body.spin[1], body.spin[2])
    about = spatial.dot(turning, wanted)
    x = gain * (part.stiffness * angle * n[0] - part.damping * (turning[0] - about * wanted[0]))
    y = gain * (part.stiffness * angle * n[1] - part.damping * (turning[1] - about * wanted[1]))
    z = gain * (part.stiffness * angle * n[2] - part.damping * (turning[2] - about * wanted[2]))
    size = math.sqrt(x * x + y * y + z * z)
    share = 1.0
    if size > part.most:
        share = part.most / size
    now.lines[p, 3], now.lines[p, 4], now.lines[p, 5] = share * x, share * y, share * z
    return min(size / part.most, 1.0) if part.most < 1e299 else (1.0 if size > 0.0 else 0.0)


KIND = Kind(Upright, RECORD, act=act)
