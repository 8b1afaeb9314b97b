"""Line: a hook that is thrown, catches, and holds the craft by a rope that bends round bodies and ground."""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.contact import hook
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting, Spot, Thrown

RECORD = np.dtype([("link", "i8")])  # the rope among those of the scene; -1: it is muted
HOLDS, FLIES, OFF = 1.0, 0.5, 0.0
"""Activities of a line: it holds something, its hook flies or is on its way back, or neither."""
PHASE = 4
"""Place of that in the memory of the part."""


class Line(Part):
    """A thrown line. A press of its channel throws the hook, the next lets go; what it pulls stands on its ledger
    line."""

    TITLE: ClassVar[str] = "Line"
    EXPLAINS: ClassVar[str] = "a hook on a rope: thrown, caught, reeled in, swung on, let go"
    FAMILY: ClassVar[Family] = "tie"
    GROUP: ClassVar[Group] = "impulses and shots"
    SHOWS: ClassVar[Shown] = "ahead"
    EVENT: ClassVar[str] = "caught"
    EVENT_FROM: ClassVar[float] = 0.75
    CHANNEL_GUESS: ClassVar[str] = "line"

    kind: Literal["line"] = "line"
    channel: str = Field("", description="the channel that throws the hook, and lets go of what it caught")
    throw_speed: float = dial(
        30.0, "m/s", "speed of the hook relative to the craft", low=0.1, high=2e3, slider=(5.0, 120.0), main=True,
        title="throw speed",
    )  # fmt: skip
    longest: float = dial(
        30.0, "m", "length of the rope: the hook comes back past it", low=0.5, high=1e4, slider=(2.0, 100.0), main=True,
        title="rope length",
    )  # fmt: skip
    elevation_deg: float = dial(
        10.0, "°", "direction of the throw: 90 straight up", low=-90.0, high=90.0, main=True, title="elevation"
    )
    azimuth_deg: float = dial(
        0.0, "°", "direction of the throw: 0 forward, 90 left", low=-180.0, high=180.0, main=True, title="azimuth"
    )
    hook_mass: float = dial(
        1.0,
        "kg",
        "mass of the hook, whose throw has recoil",
        low=0.0,
        high=1e4,
        slider=(0.0, 20.0),
        title="hook mass",
    )
    returns_after: float = dial(
        0.5, "s", "time until a hook that missed is back", low=0.0, high=60.0, slider=(0.0, 3.0), title="return time"
    )
    reel_channel: str = Field("", description="the channel that reels it in, below 0 out; empty: no reel")
    reel_speed: float = dial(4.0, "m/s", "speed of the reel", low=0.0, high=1e3, slider=(0.0, 20.0), title="reel speed")
    reel_force: float = dial(
        5000.0, "N", "greatest pull of the reel; past that it stands, and holds", low=0.0, high=1e9,
        slider=(10.0, 1e5), scale="log", title="reel force",
    )  # fmt: skip
    shortest: float = dial(1.0, "m", "length to which it is reeled in", low=0.0, high=1e4, slider=(0.0, 10.0))
    wrap_friction: float = dial(
        0.2, "", "friction where it bends round something", low=0.0, high=10.0, slider=(0.0, 1.0), title="bend friction"
    )
    breaks_at: float = dial(
        0.0, "N", "tension at which it breaks; 0: never", low=0.0, high=1e9, slider=(0.0, 50_000.0), title="breaks at"
    )
    pump: float = dial(
        0.0, "", "aid: share by which it is shortened while a swing rises, and let out while it falls",
        low=0.0, high=0.5, slider=(0.0, 0.2), title="swing pump",
    )  # fmt: skip
    swing_cap: float = dial(
        0.0, "m/s", "aid: speed to which it slows a swing; 0: none", low=0.0, high=1e4, slider=(0.0, 60.0),
        title="swing cap",
    )  # fmt: skip
    release_boost: float = dial(
        0.0, "m/s", "aid: speed that letting go adds along the way", low=0.0, high=1e3, slider=(0.0, 20.0),
        title="release boost",
    )  # fmt: skip
    x: float = dial(0.0, "m", "forward of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "left of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.3, "m", "above the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {"link": pack.links.get(self.id, -1)}

    def way(self) -> Spot:
        """The direction of the throw, a unit vector, craft axes."""
        turn, rise = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        return (math.cos(rise) * math.cos(turn), math.cos(rise) * math.sin(turn), math.sin(rise))

    def thrown(self) -> Thrown:
        reels = bool(self.reel_channel) or self.pump > 0.0
        return Thrown(
            at=(self.x, self.y, self.z),
            channels=(self.reel_channel, self.channel),
            limit=self.trim * self.breaks_at,
            numbers={
                "way": self.way(), "speed": self.trim * self.throw_speed, "most": self.longest,
                "recoil": self.hook_mass,
                "back": self.returns_after, "reel": self.reel_speed if reels else 0.0, "strong": self.reel_force,
                "shortest": self.shortest, "friction": self.wrap_friction, "breaks": self.trim * self.breaks_at,
                "pump": self.pump, "cap": self.swing_cap, "boost": self.release_boost, "phase": hook.READY,
            },
        )  # fmt: skip

    def mounts(self) -> list[Spot]:
        return [(self.x, self.y, self.z)]

    def channels_used(self) -> tuple[str, ...]:
        return tuple(one for one in (self.channel, self.reel_channel) if one)

    def is_triggered(self) -> bool:
        return True

    def summary(self) -> str:
        aids = [
            word for word, on in (("pump", self.pump), ("cap", self.swing_cap), ("boost", self.release_boost)) if on
        ]
        words = f"{show(self.longest, 'm')} of rope"
        return f"{words} · aid: {', '.join(aids)}" if aids else words

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        time = self.longest / self.throw_speed
        drop = 0.5 * STANDARD_GRAVITY * time * time
        kick = self.hook_mass * self.throw_speed / setting.mass
        swing = math.tau * math.sqrt(self.longest / STANDARD_GRAVITY)
        return (
            f"at its end in {show(time, 's')}, {show(drop, 'm')} low",
            f"recoil {show(kick, 'm/s')}; swings in {show(swing, 's')}",
        )

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.never_fired(case)
        if not case.catches:
            yield self.caution(
                "nothing_to_catch",
                "channel",
                "nothing here is marked to catch lines",
                "a block that catches lines (Ground page), or a craft (Build page, body)",
            )


@unit
def act(part, gain, p, body, ground, supports, now):
    """Returns whether it holds, flies, or neither; what it pulls is booked with the contacts."""
    return now.memory[p, PHASE]


@unit
def act_on_others(crafts, parts, c, p, scene, shot_memory, nows):
    """Takes over whether its line holds, flies, or neither; an event presses its channel."""
    part, now = parts[crafts[c].first_part + p].line, nows[c]
    if part.link < 0:
        return
    link = scene.links[part.link]
    if link.channels[1] < 0:
        link.drives[1] = 0.0
    if now.trigger[p] == 1.0:
        link.drives[1], now.trigger[p] = 1.0, 0.0
    phase = link.shown[4]
    now.memory[p, PHASE] = OFF
    if phase == hook.TIED and link.shown[link.shows - 1] == 0.0:
        now.memory[p, PHASE] = HOLDS
    elif phase == hook.FLIES or phase == hook.RETURNS:
        now.memory[p, PHASE] = FLIES


KIND = Kind(Line, RECORD, act=act, others=act_on_others)
