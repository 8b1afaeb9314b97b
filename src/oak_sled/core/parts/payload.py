"""Payload: a mass that rides with the craft, is moved along a line by a channel, and can be dropped."""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts import push
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Carried, Pack, Setting, Spot

RECORD = np.dtype(
    [
        ("joint", "i8"),  # that holds it, among those of the scene; -1: it is not carried
        ("channel", "i8"),
        ("start", "f8"),
        ("rate", "f8"),  # 1/s, of the whole way
        ("near", "f8", (3,)),  # m from the centre of mass of the craft alone, craft axes
        ("far", "f8", (3,)),
        ("fill_channel", "i8"),
        ("mass", "f8"),
        ("full", "f8"),  # kg
        ("fill_rate", "f8"),  # kg/s
    ]
)
SHARE, MOVED, DROPPED, FILLED = 4, 5, 6, 7
"""Places in the memory of the part: how far along its line it is, whether that is set, whether it was dropped, and kg
that it has taken on. The first ones belong to `push`."""


class Payload(Part):
    """A body of its own, held to its craft at a point as by a ball joint, so that mass, centre of mass and inertia of
    both together follow by themselves (a point mass: m and m r2). What the joint gives the craft stands on its line."""

    TITLE: ClassVar[str] = "Payload"
    EXPLAINS: ClassVar[str] = "a mass at a place, moved along a line by a channel, dropped by an event"
    FAMILY: ClassVar[Family] = "gravity"
    GROUP: ClassVar[Group] = "mass"
    SHOWS: ClassVar[Shown] = "up"

    kind: Literal["payload"] = "payload"
    mass: float = dial(100.0, "kg", "its mass", low=0.01, high=1e6, slider=(1.0, 5000.0), scale="log", main=True)
    size: float = dial(0.4, "m", "its diameter", low=0.02, high=20.0, slider=(0.1, 3.0), title="diameter")
    channel: str = Field("", description="the channel that moves it from here to there; empty: it stays")
    rate: float = dial(
        0.5, "m/s", "speed at full input", low=0.0, high=100.0, slider=(0.05, 5.0), scale="log",
        main=True,
    )  # fmt: skip
    start_share: float = dial(
        0.0, "", "position at the start: 0 here, 1 there", low=0.0, high=1.0, title="start position"
    )
    fill_channel: str = Field("", description="channel that fills and empties it; empty: none")
    fill_rate: float = dial(
        0.0, "kg/s", "mass flow at full input", low=0.0, high=1e6, slider=(0.0, 100.0), title="fill rate"
    )
    full_mass: float = dial(
        0.0,
        "kg",
        "mass when full; 0: as at the start",
        low=0.0,
        high=1e6,
        slider=(0.0, 5000.0),
        title="when full",
    )
    x: float = dial(0.0, "m", "here: forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "here: left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(
        0.5, "m", "here: above the origin", low=-1e3, high=1e3, slider=(-1.0, 5.0), main=True, title="height"
    )
    to_x: float = dial(0.0, "m", "there: forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    to_y: float = dial(0.0, "m", "there: left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    to_z: float = dial(0.5, "m", "there: above the origin", low=-1e3, high=1e3, slider=(-1.0, 8.0))

    def way(self) -> float:
        """m from here to there."""
        return math.dist((self.x, self.y, self.z), (self.to_x, self.to_y, self.to_z))

    def load_path(self) -> tuple[tuple[float, float, float], tuple[float, float, float]] | None:
        if self.way() == 0.0:
            return None
        return (self.x, self.y, self.z), (self.to_x, self.to_y, self.to_z)

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "joint": pack.joints.get(self.id, -1),
            "channel": pack.channel(self.channel),
            "start": self.start_share,
            "rate": self.rate / self.way() if self.way() > 1e-9 else 0.0,
            "near": pack.point(self.x, self.y, self.z),
            "far": pack.point(self.to_x, self.to_y, self.to_z),
            "fill_channel": pack.channel(self.fill_channel),
            "mass": self.trim * self.mass,
            "full": self.trim * max(self.full_mass, self.mass),
            "fill_rate": self.trim * self.fill_rate if self.fill_channel else 0.0,
        }

    def carried(self) -> Carried:
        share = self.start_share
        near, far = (self.x, self.y, self.z), (self.to_x, self.to_y, self.to_z)
        at = tuple(a + share * (b - a) for a, b in zip(near, far, strict=True))
        return Carried(self.trim * self.mass, self.size, (at[0], at[1], at[2]))

    def mounts(self) -> list[Spot]:
        here = [(self.x, self.y, self.z)]
        return [*here, (self.to_x, self.to_y, self.to_z)] if self.channel else here

    def with_mount(self, number: int, at: Spot) -> dict[str, float]:
        return dict(zip(("to_x", "to_y", "to_z") if number == 1 else "xyz", at, strict=True))

    def channels_used(self) -> tuple[str, ...]:
        return tuple(one for one in (self.channel, self.fill_channel) if one)

    def is_triggered(self) -> bool:
        return True

    def summary(self) -> str:
        return f"moved over {show(self.way(), 'm')}" if self.channel and self.way() > 0.0 else "stays where it is"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        share = self.trim * self.mass / setting.mass
        lines = f"{100.0 * share:.0f} % of the whole mass"
        if self.fill_channel and self.fill_rate > 0.0 and self.full_mass > self.mass:
            full = show((self.full_mass - self.mass) / self.fill_rate, "s")
            lines = f"{lines}, full ({show(self.trim * self.full_mass, 'kg')}) after {full}"
        if self.way() > 0.0 and self.channel and self.rate > 0.0:
            moves = show(share * self.way(), "m")
            return (lines, f"moves the centre of mass by {moves} in {show(self.way() / self.rate, 's')}")
        return (lines, f"raises the centre of mass by {show(share * (self.carried().at[2] - setting.centre[2]), 'm')}")

    def cautions(self, case: Case) -> Iterator[Caution]:
        if self.trim * self.mass > 20.0 * (case.setting.mass - self.trim * self.mass):
            yield self.caution(
                "payload_far_heavier",
                "mass",
                "it is more than twenty times heavier than its craft",
                "a lighter payload, or a heavier craft",
            )
        if self.fill_channel and (self.fill_rate == 0.0 or self.full_mass <= self.mass):
            yield self.caution(
                "never_fills",
                "full_mass",
                "a channel fills it, but it takes nothing on",
                "a rate, and more when full",
            )
        if self.channel and (self.way() == 0.0 or self.rate == 0.0):
            yield self.caution(
                "goes_nowhere", "to_z", "a channel moves it, but both ends are one place, or its rate is 0",
                "another place there",
            )  # fmt: skip


@compiled
def place(part, share, axis):
    """Position on its line, m along one craft axis from the centre of mass of the craft alone."""
    return part.near[axis] + share * (part.far[axis] - part.near[axis])


@unit
def act(part, gain, p, body, ground, supports, now):
    """Returns how far along its line it is; what it gives the craft is booked with the contacts."""
    return now.memory[p, SHARE]


@compiled
def fill(part, p, body, now):
    """Lets it take on mass, or give it off, by its channel; what it takes on moves as it does already."""
    if now.memory[p, DROPPED] == 0.0:
        more = now.memory[p, FILLED] + now.channels[part.fill_channel] * part.fill_rate * now.dt
        now.memory[p, FILLED] = min(max(more, 0.0), part.full - part.mass)
    body_module.weigh_anew(body, part.mass + now.memory[p, FILLED])


@unit
def act_on_others(crafts, parts, c, p, scene, shot_memory, nows):
    """Moves the point at which the craft holds it, by its channel, and lets go where an event says so."""
    part, now = parts[crafts[c].first_part + p].payload, nows[c]
    if part.joint < 0:
        return
    joint = scene.joints[part.joint]
    if part.fill_rate > 0.0:
        fill(part, p, scene.solids[joint.b], now)
    triggered, value, _ = push.read_input(part.channel, p, now)
    if now.memory[p, MOVED] == 0.0:
        now.memory[p, MOVED], now.memory[p, SHARE] = 1.0, part.start
    if triggered:
        now.memory[p, DROPPED] = 1.0
    if now.memory[p, DROPPED] == 1.0:
        if joint.a != joint.b:
            joint.a = joint.b  # a joint of a body with itself holds nothing
            for i in range(3):
                joint.at_a[i], joint.impulse[i], joint.drive[i] = 0.0, 0.0, 0.0
        return
    share = now.memory[p, SHARE]
    moved = min(max(share + value * part.rate * now.dt, 0.0), 1.0)
    now.memory[p, SHARE] = moved
    speed = (moved - share) / now.dt
    along = (
        speed * (part.far[0] - part.near[0]),
        speed * (part.far[1] - part.near[1]),
        speed * (part.far[2] - part.near[2]),
    )
    drive = spatial.to_world(scene.solids[crafts[c].body].axes, along)
    for i in range(3):
        joint.at_a[i], joint.drive[i] = place(part, share, i), drive[i]


KIND = Kind(Payload, RECORD, act=act, others=act_on_others)
