"""Torque: turns the craft about one of its axes without pushing it, in any of five ways."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import spatial
from oak_sled.core.parts import push
from oak_sled.core.parts.common import Family, Group, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.lawful import ActsIf

Way = Literal["torque", "spin_acceleration", "spin_impulse", "spin_change", "spin_aim"]
UNITS = {
    "torque": "N m",
    "spin_acceleration": "rad/s2",
    "spin_impulse": "N m s",
    "spin_change": "rad/s",
    "spin_aim": "rad/s",
}
Axis = Literal["roll", "pitch", "yaw"]

RECORD = np.dtype(
    [
        *push.FIELDS,
        ("way", "i8"),
        ("turn", "f8"),
        ("axis", "i8"),
        ("full_effect_speed", "f8"),
        ("flips", "i8"),
        ("aim_limit", "f8"),
    ]
)


class Torque(push.Push):
    """Turns the craft about roll, pitch or yaw."""

    TITLE: ClassVar[str] = "Torque"
    EXPLAINS: ClassVar[str] = "torque about roll, pitch or yaw: rudder, gyro, steering aid"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (*push.TIMED, (("aim_limit",), "way", ("spin_aim",), "it aims at no spin"))
    FAMILY: ClassVar[Family] = "drive"
    GROUP: ClassVar[Group] = "push and turn"
    SHOWS: ClassVar[Shown] = "yaw"
    CHANNEL_GUESS: ClassVar[str] = "steer"

    WAS: ClassVar[Mapping[str, str]] = {"builds_by": "full_effect_speed"}

    kind: Literal["torque"] = "torque"
    way: Way = Field("torque", description="what the number is: a torque, a spin acceleration, an impulse...")
    turn: float = dial(
        300.0,
        "N m",
        "torque at full input; positive yaw is to the left",
        low=-1e7,
        high=1e7,
        slider=(0.0, 2000.0),
        main=True,
        unit_by=("way", UNITS),
        slider_by={"spin_acceleration": (0.0, 20.0), "spin_change": (0.0, 10.0), "spin_aim": (0.0, 10.0)},
        title="torque",
    )
    axis: Axis = Field("yaw", description="the axis it turns about")
    full_effect_speed: float = dial(
        0.0,
        "m/s",
        "forward speed at which it reaches full effect; 0: full at standstill",
        low=0.0,
        high=1e4,
        slider=(0.0, 20.0),
        main=True,
        title="full effect at",
    )
    flips_in_reverse: bool = Field(False, description="reverse it while the craft moves backward")
    aim_limit: float = dial(
        500.0, "N m", "maximum torque of a spin aim", low=0.0, high=1e7, slider=(1.0, 20000.0), scale="log"
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            **self.push_record(pack),
            "way": get_args(Way).index(self.way),
            "turn": self.turn,
            "axis": get_args(Axis).index(self.axis),
            "full_effect_speed": self.full_effect_speed,
            "flips": int(self.flips_in_reverse),
            "aim_limit": self.aim_limit,
        }

    def summary(self) -> str:
        return f"{self.way.replace('_', ' ')} · {self.axis} · {self.timing_words()}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        number = abs(self.turn) * self.trim
        if self.axis != "yaw":
            return (f"turns about {self.axis}",)
        inertia = setting.yaw_inertia
        if self.way in ("spin_impulse", "spin_change"):
            change = number / inertia if self.way == "spin_impulse" else number
            return (f"{show(math.degrees(change), '°/s')} a push",)
        if self.way == "spin_aim":
            rate = self.aim_limit / inertia
            words = "there within a tick: it sets the yaw rate" if number <= rate * setting.dt else ""
            words = words or f"there in {show(number / rate, 's')}" if rate > 0 else "no torque allowed"
            return (f"turns at {show(math.degrees(number), '°/s')}", words)
        rate = number / inertia if self.way == "torque" else number
        if rate == 0.0:
            return ("no turn",)
        full = math.sqrt(4.0 * math.pi / rate)
        return (
            f"{show(math.degrees(rate), '°/s2')} from rest",
            f"full turn in {show(full, 's')} if nothing resists",
        )


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the torque of part `p` on its ledger line; returns how far it is open, 0 to 1."""
    gain = push.in_reach(part, gain, now)
    level = push.level(part, p, now)
    share = level * authority(part, now)
    unit = (0.0, 0.0, 0.0)
    if part.axis == 0:
        unit = (1.0, 0.0, 0.0)
    elif part.axis == 1:
        unit = (0.0, 1.0, 0.0)
    else:
        unit = (0.0, 0.0, 1.0)
    axis = push.aimed(part, unit, body, now)
    inertia = spatial.dot(axis, spatial.times(now.inertia, axis))
    about = axis[0] * body.spin[0] + axis[1] * body.spin[1] + axis[2] * body.spin[2]
    size = push.size_of(part, gain, level, share, part.turn, inertia, about, now)
    for i in range(3):
        now.lines[p, 3 + i] = size * axis[i]
    return abs(level)


@compiled
def authority(part, now):
    """Share of its effect at this forward speed: grows from standstill, may flip in reverse."""
    share = 1.0
    if part.full_effect_speed > 0.0:
        share = min(abs(now.forward) / part.full_effect_speed, 1.0)
    if part.flips == 1 and now.forward < 0.0:
        share = -share
    return share


KIND = Kind(Torque, RECORD, act=act)
