"""Drift holder: takes drift away, relative to the world or to a body, and keeps a distance from that body."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import seams, spatial
from oak_sled.core.kernel.state import WISH_FORCE
from oak_sled.core.parts.actuator import Axis
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.holders import loop
from oak_sled.core.parts.holders.loop import Loop

Holds = Literal["velocity", "distance", "place"]
VELOCITY, DISTANCE, PLACE = range(3)
RECORD = np.dtype(
    [
        ("switch", "i8"),
        ("by_mixer", "i8"),
        ("keeps", "i8"),  # VELOCITY, DISTANCE or PLACE
        ("target", "i8"),  # its body; -1: the world
        ("distance", "f8"),  # m
        ("place", "f8", (3,)),  # m from the centre of mass of the target, its axes
        ("channels", "i8", (3,)),  # ahead, to the left, up
        ("most", "f8", (3,)),  # m/s
        ("spring", "f8"),
        ("damper", "f8"),
        ("integral", "f8"),
        ("limit", "f8"),  # m/s2
    ]
)


class DriftHolder(Loop):
    """Acceleration -D (v - v of the target - v wanted) in all three axes, v wanted along the axes of the craft as its
    channels say; where it keeps a distance, P (d - d wanted) toward the target beside it; where it keeps a place
    beside the target, in the axes of that, P times the way there, and channels move the place. Without it drift
    stays."""

    TITLE: ClassVar[str] = "Drift holder"
    EXPLAINS: ClassVar[str] = "stops drift against the world or a body, matches its velocity, keeps a distance"
    SHOWS: ClassVar[Shown] = "ahead"
    STAGE: ClassVar[float] = 1.1
    HOLDS: ClassVar[str] = "drift"

    kind: Literal["drift"] = "drift"
    holds: Holds = Field(
        "velocity",
        description="what it holds: the velocity of its target, a distance from it too, or a place in its axes",
    )
    target: str = reference("block", "the body whose velocity it matches; empty: the world, at rest")
    distance: float = dial(10.0, "m", "between both centres of mass", low=0.0, high=1e5, slider=(0.0, 100.0), main=True)
    place_x: float = dial(
        0.0, "m", "place in the axes of the target, forward", low=-1e4, high=1e4, slider=(-50.0, 50.0)
    )
    place_y: float = dial(0.0, "m", "place in the axes of the target, left", low=-1e4, high=1e4, slider=(-50.0, 50.0))
    place_z: float = dial(0.0, "m", "place in the axes of the target, up", low=-1e4, high=1e4, slider=(-50.0, 50.0))
    frequency: float = dial(
        0.05, "Hz", "natural frequency", low=0.001, high=50.0, slider=(0.005, 1.0), scale="log", main=True,
        title="natural frequency",
    )  # fmt: skip
    ahead_channel: str = Field("", description="the channel that moves it ahead; empty: none")
    left_channel: str = Field("", description="the channel that moves it to the left; empty: none")
    lift_channel: str = Field("", description="the channel that moves it up; empty: none")
    channel_speed: float = dial(
        2.0,
        "m/s",
        "at a full channel; below 0 the other way",
        low=-1e3,
        high=1e3,
        slider=(-20.0, 20.0),
        title="speed at a full channel",
    )
    max_acceleration: float = dial(
        0.5, "m/s2", "greatest acceleration that it asks for", low=0.0, high=1e3, slider=(0.01, 10.0), scale="log",
        main=True, title="maximum acceleration",
    )  # fmt: skip

    def record(self, pack: Pack) -> dict[str, Any]:
        names = (self.ahead_channel, self.left_channel, self.lift_channel)
        target = pack.bodies.get(self.target, -1)
        return {
            **self.loop_record(pack),
            "keeps": get_args(Holds).index(self.holds) if target >= 0 else VELOCITY,
            "target": target,
            "distance": self.distance,
            "place": (self.place_x, self.place_y, self.place_z),
            "channels": [pack.channel(name) for name in names],
            "most": [self.channel_speed] * 3,
            "limit": self.max_acceleration,
        }

    def channels_used(self) -> tuple[str, ...]:
        names = (*super().channels_used(), self.ahead_channel, self.left_channel, self.lift_channel)
        return tuple(dict.fromkeys(name for name in names if name))

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if self.holds != "distance":
            found["distance"] = "it keeps no distance"
        if self.holds != "place":
            found |= dict.fromkeys(("place_x", "place_y", "place_z"), "it keeps no place")
        if not (self.ahead_channel or self.left_channel or self.lift_channel):
            found["channel_speed"] = "it follows no channel"
        found["integral"] = "drift is held without an integral"
        return found

    def wishes(self) -> tuple[Axis, ...]:
        return ("ahead", "left", "lift") if self.acts == "mixer" else ()

    def summary(self) -> str:
        what = {"distance": "keeps a distance from", "place": "keeps a place beside"}.get(
            self.holds, "stops drift against"
        )
        return f"{what} {self.target or 'the world'}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        damper = self.trim * self.loop()[1]
        if damper <= 0.0:
            return ("takes no drift away",)
        first = f"95 % of a small drift gone in {show(3.0 / damper, 's')}"
        most = self.trim * self.max_acceleration
        if most <= 0.0:
            return (first, self.margin_words(setting))
        return (
            first,
            self.margin_words(setting),
            f"{show(10.0, 'm/s')} take {show(10.0 / most, 's')} and {show(50.0 / most, 'm')} to stop",
        )

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from super().cautions(case)
        if self.target and self.target not in case.others:
            right = f"one of {', '.join(case.others)}, or none" if case.others else "none: the world"
            yield self.caution("no_body", "target", f"there is no body {self.target!r} to match", right)
        elif self.holds != "velocity" and not self.target:
            yield self.caution(
                "no_body", "target", f"it is to keep a {self.holds} beside a body, and none is named",
                "a body, or velocity alone", "hold the velocity alone", {"holds": "velocity"},
            )  # fmt: skip


@unit
def command(part, gain, p, body, solids, ground, supports, now):
    """The acceleration of this tick. memory : 0 to 2 that acceleration, m/s2, world axes; 3 to 5 m by which channels
    have moved the place."""
    memory = now.memory[p]
    if loop.is_off(part, now):
        for i in range(6):
            memory[i] = 0.0
        return
    moves = (body.velocity[0], body.velocity[1], body.velocity[2])
    pull = (0.0, 0.0, 0.0)
    if part.target >= 0:
        other = solids[part.target]
        moves = spatial.minus(moves, (other.velocity[0], other.velocity[1], other.velocity[2]))
        at, to = body.position, other.position
        away = seams.way(ground.period, (at[0], at[1], at[2]), (to[0], to[1], to[2]))
        size = spatial.length(away)
        if part.keeps == DISTANCE and size > 0.0:
            share = part.spring * (size - part.distance) / size
            pull = (share * away[0], share * away[1], share * away[2])
        elif part.keeps == PLACE:
            for i in range(3):
                memory[3 + i] += now.dt * asked(part, now, i)
            lever = spatial.to_world(
                other.axes,
                (part.place[0] + memory[3], part.place[1] + memory[4], part.place[2] + memory[5]),
            )
            there = spatial.plus(away, lever)
            pull = (part.spring * there[0], part.spring * there[1], part.spring * there[2])
            turn = (other.spin[0], other.spin[1], other.spin[2])
            moves = spatial.minus(moves, spatial.cross(turn, lever))
    wanted = (asked(part, now, 0), asked(part, now, 1), asked(part, now, 2))
    if part.keeps == PLACE:
        wanted = spatial.to_world(solids[part.target].axes, wanted)
    else:
        wanted = spatial.to_world(body.axes, wanted)
    off = spatial.minus(wanted, moves)
    d = part.damper
    a = (pull[0] + d * off[0], pull[1] + d * off[1], pull[2] + d * off[2])
    size = gain * spatial.length(a)
    share = gain
    if size > part.limit:
        share *= part.limit / size
    for i in range(3):
        memory[i] = share * a[i]
    if part.by_mixer == 1:
        force = spatial.to_craft(body.axes, (body.mass * memory[0], body.mass * memory[1], body.mass * memory[2]))
        for i in range(3):
            now.wish[WISH_FORCE + i] += force[i]


@compiled
def asked(part, now, axis):
    """m/s that the channel of an axis asks for."""
    if part.channels[axis] < 0:
        return 0.0
    return part.most[axis] * now.channels[part.channels[axis]]


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the force where it is its own; returns its share of the greatest."""
    memory = now.memory[p]
    if part.by_mixer == 0:
        for i in range(3):
            now.lines[p, i] = body.mass * memory[i]
    size = spatial.length((memory[0], memory[1], memory[2]))
    return min(size / part.limit, 1.0) if part.limit > 0.0 else 0.0


KIND = Kind(DriftHolder, RECORD, command=command, act=act)
