"""Impulse: a push within one tick, once a press, a release or a charge."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts import push
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.lawful import MOUNT_ACTS, ActsIf

Fires = Literal["on_press", "on_release", "on_charge", "on_event"]
Way = Literal["impulse", "speed_change"]
UNITS = {"impulse": "N s", "speed_change": "m/s"}
PRESS, RELEASE, CHARGE, EVENT = range(4)

LIFTS = 0.5
"""s after an impulse within which a craft that leaves the ground does so by it."""

RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("fires", "i8"),
        ("way", "i8"),
        ("size", "f8"),
        ("lasts", "f8"),
        ("charge", "f8"),
        ("least", "f8"),
        ("curve", "f8"),
        ("cool_down", "f8"),
        ("gate", "i8"),
        ("gate_speed", "f8"),
        ("grace", "f8"),
        ("frame", "i8"),
        ("line", "f8", (3,)),
        ("at_point", "i8"),
        ("point", "f8", (3,)),
    ]
)


class Impulse(Part):
    """One push at a time: on press, on release, charged while held, or when an event of the drill fires it."""

    TITLE: ClassVar[str] = "Impulse"
    EXPLAINS: ClassVar[str] = "one impulse: on press, on release, or charged while held"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        *push.GATED, MOUNT_ACTS,
        (("charge_s", "minimum_charge", "charge_curve"), "fires", ("on_charge",), "it is not charged up"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "impulse"
    GROUP: ClassVar[Group] = "impulses and shots"
    EVENT: ClassVar[str] = "push"
    EVENT_FROM: ClassVar[float] = 0.5
    LAUNCHES: ClassVar[bool] = True

    WAS: ClassVar[Mapping[str, str]] = {"least_share": "minimum_charge"}

    kind: Literal["impulse"] = "impulse"
    channel: str = Field("", description="the channel that fires it; empty: only an event does")
    fires: Fires = Field("on_press", description="when it fires")
    way: Way = Field("impulse", description="an impulse (mass counts), or a change of speed")
    size: float = dial(
        600.0, "N s", "impulse at full charge", low=0.0, high=1e7, slider=(1.0, 10000.0), scale="log", main=True,
        unit_by=("way", UNITS), slider_by={"speed_change": (0.1, 100.0)},
    )  # fmt: skip
    lasts: float = dial(
        0.0, "s", "duration; 0: one tick", low=0.0, high=10.0, slider=(0.0, 1.0), main=True, title="duration"
    )
    charge_s: float = dial(
        0.8, "s", "time to full charge", low=0.0, high=60.0, slider=(0.05, 3.0), main=True, title="charge time"
    )
    minimum_charge: float = dial(0.2, "", "minimum charge", low=0.0, high=1.0, title="minimum charge")
    charge_curve: float = dial(
        1.0, "", "1: linear; above: slow start", low=0.1, high=8.0, slider=(0.5, 4.0), title="charge curve"
    )
    cool_down: float = dial(
        0.5, "s", "cool-down before it can fire again", low=0.0, high=600.0, slider=(0.0, 5.0), title="cool-down"
    )
    gate: push.Gate = Field("always", description="condition under which it may act")
    gate_speed: float = dial(5.0, "m/s", "speed at which the condition changes", low=0.0, high=1e4, slider=(0.0, 40.0))
    grace_s: float = dial(
        0.0, "s", "grace time after leaving the ground", low=0.0, high=10.0, slider=(0.0, 0.5),
        title="grace",
    )  # fmt: skip
    frame: push.Frame = Field("craft", description="frame of its direction")
    azimuth_deg: float = dial(0.0, "°", "direction: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "direction: 90 straight up", low=-90.0, high=90.0)
    at_point: bool = Field(
        False, description="act at the mount, with the resulting spin, instead of at the centre of mass"
    )
    x: float = dial(0.0, "m", "mount, forward of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "mount, left of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.0, "m", "mount, above the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        azimuth, elevation = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        flat = math.cos(elevation)
        return {
            "channel": pack.channel(self.channel),
            "fires": get_args(Fires).index(self.fires),
            "way": get_args(Way).index(self.way),
            "size": self.size,
            "lasts": self.lasts,
            "charge": self.charge_s,
            "least": self.minimum_charge,
            "curve": self.charge_curve,
            "cool_down": self.cool_down,
            "gate": get_args(push.Gate).index(self.gate),
            "gate_speed": self.gate_speed,
            "grace": self.grace_s,
            "frame": get_args(push.Frame).index(self.frame),
            "line": (flat * math.cos(azimuth), flat * math.sin(azimuth), math.sin(elevation)),
            "at_point": int(self.at_point),
            "point": pack.point(self.x, self.y, self.z),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def is_triggered(self) -> bool:
        return True

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.never_fired(case)
        yield from self.short_cool_down(self.cool_down, case)

    def summary(self) -> str:
        words = {"on_press": "a press", "on_release": "a release", "on_charge": "a charge", "on_event": "an event"}
        return f"{self.way.replace('_', ' ')} · once {words[self.fires]}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        gained = self.trim * self.size / (setting.mass if self.way == "impulse" else 1.0)
        first = f"{show(gained, 'm/s')} a push"
        if self.fires == "on_charge":
            first += f", {show(gained * self.minimum_charge, 'm/s')} for a tap"
        if self.lasts > 0.0:
            return (first, f"{show(gained / self.lasts / STANDARD_GRAVITY, 'g')} for {show(self.lasts, 's')}")
        high = (gained * math.sin(math.radians(self.elevation_deg))) ** 2 / (2.0 * STANDARD_GRAVITY)
        return (
            (first, f"rises {show(high, 'm')}") if high > 0.01 else (first, f"in one tick of {show(setting.dt, 's')}")
        )


@compiled
def strength(part, p, now):
    """The share of its size that is released in this tick, 0 for none.

    Memory 0: s it has been charged; 1: s until it can be given again.
    """
    memory = now.memory[p]
    memory[1] -= now.dt
    triggered, value, before = push.read_input(part.channel, p, now)
    value, before = abs(value), abs(before)
    pressed = value >= push.PRESSED and before < push.PRESSED
    released = value < push.PRESSED and before >= push.PRESSED
    share = 0.0
    if triggered or (part.fires == PRESS and pressed) or (part.fires == RELEASE and released):
        share = 1.0
    elif part.fires == CHARGE and value >= push.PRESSED:
        memory[0] += now.dt
    elif part.fires == CHARGE and released:
        full = 1.0 if part.charge <= 0.0 else min(memory[0] / part.charge, 1.0)
        share = part.least + (1.0 - part.least) * full**part.curve
    if value < push.PRESSED:
        memory[0] = 0.0
    if share == 0.0 or memory[1] > 0.5 * now.dt or not push.allowed(part, now) or left_by_it(part, memory, now):
        return 0.0
    memory[1], memory[4] = part.cool_down, 1.0 + now.time
    return share


@compiled
def left_by_it(part, memory, now):
    """True if it is this impulse that took the craft off the ground: the time of grace is for an edge, not for a second
    leap. memory 4: one more than the s at which it was given last; 0: never."""
    if part.gate != push.GATE_GROUND or now.on_ground > 0.0 or memory[4] == 0.0:
        return False
    return now.time + 1.0 - memory[4] - now.aloft < LIFTS


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the push of impulse `p` on its ledger line; returns its share, or how far it is charged.

    Memory 2: share being given; 3: s of it left, carried in parts of a tick so that the whole is given at any rate.
    """
    memory = now.memory[p]
    share = strength(part, p, now)
    if share > 0.0:
        memory[2], memory[3] = share, part.lasts
        if part.lasts <= now.dt:
            memory[3] = now.dt
    if memory[3] <= 0.0:
        return min(memory[0] / part.charge, 1.0) * 0.5 if part.charge > 0.0 else 0.0
    spent = min(now.dt, memory[3])
    memory[3] -= spent
    if memory[3] < 1e-9:
        memory[3] = 0.0
    size = gain * memory[2] * part.size * spent / max(part.lasts, now.dt) / now.dt
    if part.way == 1:
        size *= body.mass
    line = push.aimed(part, (part.line[0], part.line[1], part.line[2]), body, now)
    force = (size * line[0], size * line[1], size * line[2])
    if part.at_point == 1:
        body_module.book_at(now, p, body, spatial.to_world(body.axes, part.point), force)
    else:
        body_module.book(now, p, force)
    return memory[2]


KIND = Kind(Impulse, RECORD, act=act)
