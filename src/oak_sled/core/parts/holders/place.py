"""Place holder: stops drifting, and follows speeds that channels ask for, by a force, the mixer, or leaning."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import environment, seams, spatial
from oak_sled.core.kernel.state import WISH_FORCE, WISH_LEAN
from oak_sled.core.parts.actuator import Axis
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.holders import loop
from oak_sled.core.parts.holders.loop import Loop

By = Literal["own", "mixer", "lean"]
OWN, MIXER, LEAN = range(3)
RECORD = np.dtype(
    [
        ("switch", "i8"),
        ("by", "i8"),
        ("channels", "i8", (2,)),  # ahead, to the left
        ("most", "f8", (2,)),  # m/s
        ("against", "i8"),  # the body beside which it stays; -1: the world
        ("spring", "f8"),
        ("damper", "f8"),
        ("integral", "f8"),
        ("made_up", "f8"),  # m
        ("leash", "f8"),  # m
        ("limit", "f8"),  # m/s2
        ("lean", "f8"),  # tangent of the greatest lean
    ]
)


class PlaceHolder(Loop):
    """Level acceleration P e - D (v - v wanted): e the way to the place that is held, which moves with the speed that
    channels ask for, in the level frame of the heading."""

    TITLE: ClassVar[str] = "Place holder"
    EXPLAINS: ClassVar[str] = "stops drifting: holds the place over the world or beside a body, channels move it"
    SHOWS: ClassVar[Shown] = "ahead"
    STAGE: ClassVar[float] = 1.1
    HOLDS: ClassVar[str] = "place"

    kind: Literal["place"] = "place"
    acts: By = Field(  # type: ignore[assignment]  # one way more than other holders have
        "own", description="by a force of its own (an aid), through the mixer, or by the lean that the attitude takes"
    )
    frequency: float = dial(
        0.15, "Hz", "natural frequency", low=0.001, high=50.0, slider=(0.02, 2.0), scale="log", main=True,
        title="natural frequency",
    )  # fmt: skip
    ahead_channel: str = Field("", description="the channel that moves it ahead; empty: none")
    left_channel: str = Field("", description="the channel that moves it to the left; empty: none")
    ahead_speed: float = dial(8.0, "m/s", "at a full channel", low=0.0, high=1e3, slider=(0.0, 30.0), main=True)
    left_speed: float = dial(6.0, "m/s", "at a full channel", low=0.0, high=1e3, slider=(0.0, 30.0))
    against: str = reference("block", "the block beside which it stays; empty: the world")
    integral_m: float = dial(
        3.0, "m", "that the integral makes up for at most", low=0.0, high=1e3, slider=(0.0, 20.0),
        title="integral limit",
    )  # fmt: skip
    leash: float = dial(
        6.0, "m", "that the held place may run ahead of the craft", low=0.01, high=1e4, slider=(0.1, 40.0)
    )
    max_acceleration: float = dial(
        4.0, "m/s2", "greatest acceleration that it asks for", low=0.0, high=1e3, slider=(0.1, 20.0),
        title="maximum acceleration",
    )  # fmt: skip
    max_lean_deg: float = dial(25.0, "°", "greatest lean", low=0.0, high=80.0, slider=(0.0, 60.0), title="maximum lean")

    def record(self, pack: Pack) -> dict[str, Any]:
        spring, damper = self.loop()
        return {
            "switch": pack.channel(self.switch),
            "by": get_args(By).index(self.acts),
            "channels": [pack.channel(self.ahead_channel), pack.channel(self.left_channel)],
            "most": [self.ahead_speed, self.left_speed],
            "against": pack.bodies.get(self.against, -1),
            "spring": spring,
            "damper": damper,
            "integral": self.integral,
            "made_up": self.integral_m,
            "leash": self.leash,
            "limit": self.max_acceleration,
            "lean": math.tan(math.radians(self.max_lean_deg)),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (*super().channels_used(), *(name for name in (self.ahead_channel, self.left_channel) if name))

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        for way in ("ahead", "left"):
            if not getattr(self, f"{way}_channel"):
                found[f"{way}_speed"] = "it follows no channel"
        if self.acts != "lean":
            found["max_lean_deg"] = "it does not act by leaning"
        if self.integral == 0.0:
            found["integral_m"] = "it has no integral"
        return found

    def summary(self) -> str:
        if self.acts == "lean":
            return "by leaning"
        return super().summary()

    def wishes(self) -> tuple[Axis, ...]:
        return ("ahead", "left") if self.acts == "mixer" else ()

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        metre = self.trim * self.loop()[0]
        lean = math.degrees(math.atan(metre * setting.mass / setting.weight)) if setting.weight > 0.0 else 90.0
        what = show(lean, "°") + " of lean" if self.acts == "lean" else show(metre * setting.mass, "N")
        return (self.loop_words(), self.margin_words(setting), f"{what} for a metre off")

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from super().cautions(case)
        if self.against and self.against not in case.others:
            right = f"one of {', '.join(case.others)}, or none" if case.others else "none: the world"
            yield self.caution("no_body", "against", f"there is no body {self.against!r} to stay beside", right)
        holders = [
            part
            for part in case.parts.values()
            if getattr(part, "HOLDS", "") == "attitude" and not part.mute
        ]  # fmt: skip
        if self.acts == "lean" and not holders:
            yield self.caution(
                "nothing_leans", "acts", "it acts by leaning, and nothing holds the attitude of its craft",
                "fit an attitude holder with roll and pitch level, or let it act by a force of its own",
                "let it act by itself", {"acts": "own"},
            )  # fmt: skip


@unit
def command(part, gain, p, body, solids, ground, supports, now):
    """The acceleration of this tick. memory : 0 and 1 that acceleration, m/s2, east and north; 2 and 3 the place that
    is held, m, world axes, from the body it stays beside, and 7 its height; 4 whether it is set; 5 and 6 the integral,
    m s, east and north."""
    memory = now.memory[p]
    if loop.is_off(part, now):
        memory[0], memory[1], memory[4] = 0.0, 0.0, 0.0
        return
    wanted = (0.0, 0.0)
    moves = (body.velocity[0], body.velocity[1], body.velocity[2])
    place = (body.position[0], body.position[1], body.position[2])
    if part.against >= 0:
        other = solids[part.against]
        moves = spatial.minus(moves, (other.velocity[0], other.velocity[1], other.velocity[2]))
        place = spatial.minus(place, (other.position[0], other.position[1], other.position[2]))
    speed = environment.to_level(now, moves)
    if part.channels[0] >= 0:
        ahead = part.most[0] * now.channels[part.channels[0]]
        wanted = (ahead * now.heading_x, ahead * now.heading_y)
    if part.channels[1] >= 0:
        left = part.most[1] * now.channels[part.channels[1]]
        wanted = (wanted[0] - left * now.heading_y, wanted[1] + left * now.heading_x)
    if memory[4] == 0.0:
        memory[2], memory[3], memory[7], memory[4] = place[0], place[1], place[2], 1.0
    step = environment.from_level(now, (wanted[0] * now.dt, wanted[1] * now.dt, 0.0))
    held = spatial.plus((memory[2], memory[3], memory[7]), step)
    x, y, _ = environment.to_level(now, seams.shortest(ground.period, spatial.minus(held, place)))
    away = math.hypot(x, y)
    if away > part.leash:
        x, y = x * part.leash / away, y * part.leash / away
    off = environment.from_level(now, (x, y, 0.0))
    memory[2], memory[3], memory[7] = place[0] + off[0], place[1] + off[1], place[2] + off[2]
    a = part.spring * (x + part.integral * memory[5]) + part.damper * (wanted[0] - speed[0])
    b = part.spring * (y + part.integral * memory[6]) + part.damper * (wanted[1] - speed[1])
    size = gain * math.hypot(a, b)
    share = gain
    if size > part.limit:
        share *= part.limit / size
    elif part.integral > 0.0:
        memory[5], memory[6] = memory[5] + x * now.dt, memory[6] + y * now.dt
        far = part.integral * math.hypot(memory[5], memory[6])
        if far > part.made_up:
            memory[5], memory[6] = memory[5] * part.made_up / far, memory[6] * part.made_up / far
    memory[0], memory[1] = share * a, share * b
    if part.by == MIXER:
        flat = environment.from_level(now, (body.mass * memory[0], body.mass * memory[1], 0.0))
        force = spatial.to_craft(body.axes, flat)
        for i in range(3):
            now.wish[WISH_FORCE + i] += force[i]
    elif part.by == LEAN:
        lean(part, body, ground, now, memory)


@compiled
def lean(part, body, ground, now, memory):
    """Asks for the roll and the pitch at which the lift of a craft gives the acceleration beside carrying it."""
    pull = environment.strength_at(ground, body.position[0], body.position[1], body.position[2])
    if pull <= 0.0:
        return
    ahead = (memory[0] * now.heading_x + memory[1] * now.heading_y) / pull
    left = (memory[1] * now.heading_x - memory[0] * now.heading_y) / pull
    size = math.hypot(ahead, left)
    if size > part.lean:
        ahead, left = ahead * part.lean / size, left * part.lean / size
    pitch = -math.atan(ahead)
    now.wish[WISH_LEAN] -= math.atan(left * math.cos(pitch))
    now.wish[WISH_LEAN + 1] += pitch


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the force where it is its own; returns its share of the greatest."""
    memory = now.memory[p]
    if part.by == OWN:
        force = environment.from_level(now, (body.mass * memory[0], body.mass * memory[1], 0.0))
        for i in range(3):
            now.lines[p, i] = force[i]
    return min(math.hypot(memory[0], memory[1]) / part.limit, 1.0) if part.limit > 0.0 else 0.0


KIND = Kind(PlaceHolder, RECORD, command=command, act=act)
