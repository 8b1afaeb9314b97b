"""Attitude holder: roll, pitch and yaw each free, level, at an angle or a rate of a channel, or along the way."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import environment, seams, spatial
from oak_sled.core.kernel.state import WISH_LEAN, WISH_TORQUE
from oak_sled.core.parts.actuator import Axis
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Kind, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.holders import limitcycle, loop
from oak_sled.core.parts.holders.loop import Loop

Roll = Literal["free", "level", "angle", "rate"]
Pitch = Literal["free", "level", "angle", "rate", "velocity", "against", "target"]
Yaw = Literal["free", "rate", "heading", "turned", "velocity", "against", "target"]
ORDER = ("free", "level", "angle", "rate", "heading", "turned", "velocity", "against", "target")
FREE, LEVEL, ANGLE, RATE, HEADING, TURNED, VELOCITY, AGAINST, TARGET = range(len(ORDER))
STILL = 0.5
"""m/s below which a velocity has no direction to hold the nose along."""
LEASH = 1.2
"""rad by which a heading that a channel turns may run ahead of the nose."""
RECORD = np.dtype(
    [
        ("switch", "i8"),
        ("modes", "i8", (3,)),  # of roll, pitch and yaw
        ("channels", "i8", (3,)),
        ("most", "f8", (3,)),  # rad, or rad/s, at a full channel
        ("target", "i8"),  # its body; -1: none
        ("relative_to", "i8"),  # the body against which its velocity counts; -1: the world
        ("by_mixer", "i8"),
        ("spring", "f8"),
        ("damper", "f8"),
        ("yaw_spring", "f8"),
        ("yaw_damper", "f8"),
        ("integral", "f8"),
        ("made_up", "f8"),  # rad that the integral may stand for
        ("limit", "f8"),  # N m
    ]
)


class AttitudeHolder(Loop):
    """Torque J (P e - D (w - w wanted)) in craft axes: J the inertia, e the turn from the attitude that is to one whose
    free axes are where they are, w the spin. An axis that holds a rate has J D (w wanted - w) only."""

    TITLE: ClassVar[str] = "Attitude holder"
    EXPLAINS: ClassVar[str] = "holds roll, pitch and yaw: level, at an angle, a rate, a heading, or along the way"
    SHOWS: ClassVar[Shown] = "roll"
    STAGE: ClassVar[float] = 1.2
    HOLDS: ClassVar[str] = "attitude"

    kind: Literal["attitude"] = "attitude"
    roll: Roll = Field("level", description="how roll is held")
    pitch: Pitch = Field("level", description="how pitch is held")
    yaw: Yaw = Field("free", description="how yaw is held; heading: a channel turns it at a rate; turned: by angles")
    frequency: float = dial(
        1.0, "Hz", "natural frequency of roll and pitch", low=0.001, high=50.0, slider=(0.05, 5.0), scale="log",
        main=True, title="natural frequency",
    )  # fmt: skip
    yaw_frequency: float = dial(
        0.5, "Hz", "natural frequency of yaw, with the same damping ratio", low=0.001, high=50.0, slider=(0.05, 5.0),
        scale="log", title="yaw frequency",
    )  # fmt: skip
    roll_channel: str = Field("", description="the channel that rolls it right; empty: none")
    pitch_channel: str = Field("", description="the channel that raises its nose; empty: none")
    yaw_channel: str = Field("", description="the channel that yaws it left; empty: none")
    max_roll_deg: float = dial(30.0, "°", "roll at a full channel", low=0.0, high=180.0, slider=(0.0, 90.0), main=True)
    max_pitch_deg: float = dial(20.0, "°", "pitch at a full channel", low=0.0, high=90.0, slider=(0.0, 60.0))
    roll_rate_deg: float = dial(
        120.0, "°/s", "roll rate at a full channel", low=0.0, high=3600.0, slider=(0.0, 360.0), title="roll rate"
    )
    pitch_rate_deg: float = dial(
        90.0, "°/s", "pitch rate at a full channel", low=0.0, high=3600.0, slider=(0.0, 360.0), title="pitch rate"
    )
    yaw_rate_deg: float = dial(
        60.0, "°/s", "yaw rate at a full channel", low=0.0, high=3600.0, slider=(0.0, 360.0), title="yaw rate"
    )
    turn_deg: float = dial(
        30.0, "°", "by which a movement of 1 of its channel turns the heading (of a pointer: 100 px)", low=-3600.0,
        high=3600.0, slider=(-90.0, 90.0), title="turn by movement",
    )  # fmt: skip
    target: str = reference("block", "the block that the nose is held toward; empty: none")
    relative_to: str = reference("block", "the block against which its velocity counts; empty: the world")
    integral_deg: float = dial(
        5.0, "°", "that the integral makes up for at most", low=0.0, high=90.0, slider=(0.0, 30.0),
        title="integral limit",
    )  # fmt: skip
    max_torque: float = dial(
        0.0, "N m", "greatest torque; 0: no limit", low=0.0, high=1e9, slider=(0.0, 1e5), title="maximum torque"
    )

    def yaw_loop(self) -> tuple[float, float]:
        """Gains about the upright axis, 1/s2 and 1/s."""
        if self.given == "gains":
            return self.loop()
        rate = math.tau * self.yaw_frequency
        return rate * rate, 2.0 * self.damping_ratio * rate

    def record(self, pack: Pack) -> dict[str, Any]:
        yaw = self.yaw_loop()
        modes = [ORDER.index(one) for one in (self.roll, self.pitch, self.yaw)]
        rates = (self.roll_rate_deg, self.pitch_rate_deg, self.yaw_rate_deg)
        angles = (self.max_roll_deg, self.max_pitch_deg, self.turn_deg if self.yaw == "turned" else self.yaw_rate_deg)
        return {
            **self.loop_record(pack),
            "modes": modes,
            "channels": [pack.channel(one) for one in (self.roll_channel, self.pitch_channel, self.yaw_channel)],
            "most": [
                math.radians(rate if mode == RATE else angle)
                for mode, rate, angle in zip(modes, rates, angles, strict=True)
            ],
            "target": pack.bodies.get(self.target, -1),
            "relative_to": pack.bodies.get(self.relative_to, -1),
            "yaw_spring": yaw[0],
            "yaw_damper": yaw[1],
            "made_up": math.radians(self.integral_deg),
            "limit": self.max_torque if self.max_torque > 0.0 else 1e300,
        }

    def channels_used(self) -> tuple[str, ...]:
        pairs = (
            (self.roll_channel, self.roll in ("angle", "rate")),
            (self.pitch_channel, self.pitch in ("angle", "rate")),
            (self.yaw_channel, self.yaw in ("rate", "heading", "turned")),
        )
        names = (name for name, used in pairs if name and used)
        return tuple(dict.fromkeys((*super().channels_used(), *names)))

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        for axis, angle in (("roll", "max_roll_deg"), ("pitch", "max_pitch_deg")):
            mode = getattr(self, axis)
            if mode != "angle":
                found[angle] = f"{axis} follows no angle"
            if mode != "rate":
                found[f"{axis}_rate_deg"] = f"{axis} follows no rate"
            if mode not in ("angle", "rate"):
                found[f"{axis}_channel"] = f"{axis} follows no channel"
        if self.yaw not in ("rate", "heading"):
            found["yaw_rate_deg"] = "yaw follows no rate"
        if self.yaw != "turned":
            found["turn_deg"] = "yaw is not turned by angles"
        if self.yaw not in ("rate", "heading", "turned"):
            found["yaw_channel"] = "yaw follows no channel"
        if self.yaw == "free" or self.given == "gains":
            found["yaw_frequency"] = "yaw is free" if self.yaw == "free" else "its loop is given as gains"
        if not {"velocity", "against"} & {self.pitch, self.yaw}:
            found["relative_to"] = "its nose follows no velocity"
        if "target" not in (self.pitch, self.yaw):
            found["target"] = "its nose follows no target"
        if self.integral == 0.0:
            found["integral_deg"] = "it has no integral"
        return found

    def wishes(self) -> tuple[Axis, ...]:
        if self.acts != "mixer":
            return ()
        axes: tuple[tuple[Axis, str], ...] = (("roll", self.roll), ("pitch", self.pitch), ("yaw", self.yaw))
        return tuple(axis for axis, mode in axes if mode != "free")

    def shows(self) -> Shown:
        return "yaw" if self.roll == "free" and self.pitch == "free" else "roll"

    def summary(self) -> str:
        held = [f"{axis} {getattr(self, axis)}" for axis in ("roll", "pitch", "yaw") if getattr(self, axis) != "free"]
        return f"{', '.join(held) or 'holds nothing'} · {super().summary()}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        spring = self.trim * self.loop()[0]
        torque = spring * math.radians(10.0) * setting.roll_inertia
        found = (self.loop_words(), self.margin_words(setting), f"{show(torque, 'N m')} for 10° of roll")
        swing = self.limit_cycle(setting) if self.acts == "mixer" else None
        if swing is None:
            return found
        hour = f"{show(3600.0 * swing.burns, 'kg')} of fuel an hour" if setting.fuel > 0.0 else "no fuel counted"
        return (*found, f"its pulses swing it by {show(math.degrees(swing.angle), '°')} to each side: {hour}")

    def limit_cycle(self, setting: Setting) -> limitcycle.Swing | None:
        """The widest limit cycle of the axes that it holds, with the fuel of all of them; None without pulses."""
        inertias = (setting.roll_inertia, setting.pitch_inertia, setting.yaw_inertia)
        found = []
        for axis, (mode, inertia) in enumerate(zip((self.roll, self.pitch, self.yaw), inertias, strict=True)):
            loop_of = self.yaw_loop() if axis == 2 else self.loop()
            spring, damper = (self.trim * gain for gain in loop_of)
            if mode in ("free", "rate") or spring <= 0.0:
                continue
            swing = limitcycle.of_axis(setting.actuators, setting.centre, axis, inertia, (spring, damper), setting.dt)
            found += [swing] if swing is not None else []
        if not found:
            return None
        return max(found)._replace(burns=sum(one.burns for one in found))

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from super().cautions(case)
        if self.relative_to and self.relative_to not in case.others:
            right = f"one of {', '.join(case.others)}, or none" if case.others else "none: the world"
            yield self.caution("no_body", "relative_to", f"there is no body {self.relative_to!r} to measure by", right)
        if "target" in (self.pitch, self.yaw) and self.target not in case.others:
            right = f"one of {', '.join(case.others)}" if case.others else "a block on the ground first"
            yield self.caution("no_target", "target", f"there is no body {self.target!r} to point at", right)
        for axis in ("roll", "pitch", "yaw"):
            mode, channel = getattr(self, axis), getattr(self, f"{axis}_channel")
            if mode == "angle" and not channel:
                says = f"its {axis} follows the {mode} of no channel"
                yield self.caution("no_channel", f"{axis}_channel", says, "a channel, or level")
        if self.acts == "mixer":
            yield from self._without_authority(case)

    def _without_authority(self, case: Case) -> Iterator[Caution]:
        found = [one.about(case.setting.centre) for part in case.parts.values() for one in part.actuators()]
        if not found or not any(part.MIXES for part in case.parts.values()):
            return
        most = np.abs(np.array(found)).sum(axis=0)
        for number, axis in enumerate(("roll", "pitch", "yaw")):
            if getattr(self, axis) != "free" and most[3 + number] < 1e-9:
                yield self.caution(
                    "no_authority", axis, f"no actuator of the mixer can turn the craft in {axis}",
                    "an actuator beside the centre of mass, or let that axis be free",
                )  # fmt: skip


@unit
def command(part, gain, p, body, solids, ground, supports, now):
    """The torque of this tick, craft axes. memory : 0 to 2 that torque, N m; 3 to 5 the integral, rad s; 6 the heading
    that is held; 7 whether it is set."""
    memory, a = now.memory[p], now.tilt
    if loop.is_off(part, now):
        for i in range(8):
            memory[i] = 0.0
        return
    in_level(body, now)
    rate = (0.0, 0.0, 0.0)
    x, y, z = 0.0, 0.0, 0.0
    if part.channels[0] >= 0:
        x = part.most[0] * now.channels[part.channels[0]]
    if part.channels[1] >= 0:
        y = part.most[1] * now.channels[part.channels[1]]
    if part.channels[2] >= 0:
        z = part.most[2] * now.channels[part.channels[2]]
    roll, pitch = math.atan2(a[2, 1], a[2, 2]), math.asin(min(max(a[2, 0], -1.0), 1.0))
    heading = math.atan2(now.heading_y, now.heading_x)
    ahead, side, up = environment.to_level(now, bearing(part, body, solids, ground))
    flat = math.hypot(ahead, side)
    known = flat * flat + up * up > 0.0
    if part.modes[0] == LEVEL or part.modes[0] == ANGLE:
        roll = now.wish[WISH_LEAN] + (x if part.modes[0] == ANGLE else 0.0)
    if part.modes[1] == LEVEL or part.modes[1] == ANGLE:
        pitch = now.wish[WISH_LEAN + 1] + (y if part.modes[1] == ANGLE else 0.0)
    elif part.modes[1] >= VELOCITY and known:
        pitch = math.atan2(up, flat)
    if part.modes[2] == HEADING:
        heading = turned_heading(memory, heading, z * now.dt)
    elif part.modes[2] == TURNED:
        heading = turned_heading(memory, heading, z)
    elif part.modes[2] >= VELOCITY and flat > 0.0:
        heading = math.atan2(side, ahead)
    off = error(a, roll, pitch, heading)
    if part.modes[2] == RATE or part.modes[2] == HEADING:
        if part.modes[0] == RATE and part.modes[1] == RATE:
            rate = (0.0, 0.0, z)
        else:
            rate = (z * a[2, 0], z * a[2, 1], z * a[2, 2])
    if part.modes[0] == RATE:
        rate = (x, rate[1], rate[2])
    if part.modes[1] == RATE:
        rate = (rate[0], -y, rate[2])
    turns = (body.spin[0], body.spin[1], body.spin[2])
    if now.tipped == 1 and part.modes[0] != RATE and part.modes[1] != RATE:
        turns = spatial.minus(turns, (now.tipping[0], now.tipping[1], now.tipping[2]))  # what is level turns too
    spin = spatial.to_craft(body.axes, turns)
    wanted = (
        asked(part, memory, 0, off[0], rate[0] - spin[0], part.spring, part.damper),
        asked(part, memory, 1, off[1], rate[1] - spin[1], part.spring, part.damper),
        asked(part, memory, 2, off[2], rate[2] - spin[2], part.yaw_spring, part.yaw_damper),
    )
    torque = spatial.times(body.inertia, wanted)
    size = gain * spatial.length(torque)
    share = gain
    if size > part.limit:
        share *= part.limit / size
    for i in range(3):
        memory[i] = share * torque[i]
        if size <= part.limit and part.integral > 0.0 and part.modes[i] != FREE and part.modes[i] != RATE:
            most = part.made_up / part.integral
            memory[3 + i] = min(max(memory[3 + i] + off[i] * now.dt, -most), most)
        if part.by_mixer == 1:
            now.wish[WISH_TORQUE + i] += memory[i]


@compiled
def in_level(body, now):
    """Writes the axes of a body in its level frame into `now.tilt`."""
    for k in range(3):
        way = environment.to_level(now, (body.axes[0, k], body.axes[1, k], body.axes[2, k]))
        for i in range(3):
            now.tilt[i, k] = way[i]


@compiled
def asked(part, memory, axis, off, slower, spring, damper):
    """rad/s2 about an axis of the craft. off : rad. slower : rad/s below the rate that is wanted."""
    if part.modes[axis] == FREE:
        return 0.0
    if part.modes[axis] == RATE:
        return damper * slower
    return spring * (off + part.integral * memory[3 + axis]) + damper * slower


@compiled
def bearing(part, body, solids, ground):
    """The way that the nose is held along, world axes, of any length; zero where there is none."""
    if part.modes[1] == TARGET or part.modes[2] == TARGET:
        if part.target >= 0:
            to = solids[part.target].position
            at = body.position
            return seams.way(ground.period, (at[0], at[1], at[2]), (to[0], to[1], to[2]))
    elif part.modes[1] >= VELOCITY or part.modes[2] >= VELOCITY:
        v = (body.velocity[0], body.velocity[1], body.velocity[2])
        if part.relative_to >= 0:
            other = solids[part.relative_to].velocity
            v = spatial.minus(v, (other[0], other[1], other[2]))
        if v[0] * v[0] + v[1] * v[1] + v[2] * v[2] > STILL * STILL:
            if part.modes[1] == AGAINST or part.modes[2] == AGAINST:
                return -v[0], -v[1], -v[2]
            return v
    return 0.0, 0.0, 0.0


@compiled
def turned_heading(memory, heading, step):
    """The heading that is held, rad, turned by a step, and never far from where the nose is."""
    if memory[7] == 0.0:
        memory[6], memory[7] = heading, 1.0
    ahead = memory[6] + step - heading
    ahead -= 2.0 * math.pi * math.floor(ahead / (2.0 * math.pi) + 0.5)
    memory[6] = heading + min(max(ahead, -LEASH), LEASH)
    return memory[6]


@compiled
def error(a, roll, pitch, heading):
    """The turn from axes `a` to an attitude, rad, craft axes. roll : right, pitch : nose up, heading : left of east."""
    sr, cr, sp, cp = math.sin(roll), math.cos(roll), math.sin(pitch), math.cos(pitch)
    sh, ch = math.sin(heading), math.cos(heading)
    nose = (cp * ch, cp * sh, sp)
    left = (-cr * sh - sr * sp * ch, cr * ch - sr * sp * sh, sr * cp)
    up = (sr * sh - cr * sp * ch, -sr * ch - cr * sp * sh, cr * cp)
    ahead, aside, above = spatial.to_craft(a, nose), spatial.to_craft(a, left), spatial.to_craft(a, up)
    axis = (0.5 * (aside[2] - above[1]), 0.5 * (above[0] - ahead[2]), 0.5 * (ahead[1] - aside[0]))
    sine = spatial.length(axis)
    angle = math.atan2(sine, 0.5 * (ahead[0] + aside[1] + above[2] - 1.0))
    if sine < 1e-9:
        return (angle, 0.0, 0.0) if angle > 1.0 else (axis[0], axis[1], axis[2])
    return (axis[0] * angle / sine, axis[1] * angle / sine, axis[2] * angle / sine)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the torque where it is its own; returns its share of the greatest."""
    memory = now.memory[p]
    if part.by_mixer == 0:
        torque = spatial.to_world(body.axes, (memory[0], memory[1], memory[2]))
        for i in range(3):
            now.lines[p, 3 + i] = torque[i]
    size = math.sqrt(memory[0] * memory[0] + memory[1] * memory[1] + memory[2] * memory[2])
    return min(size / part.limit, 1.0) if part.limit < 1e299 else (1.0 if size > 0.0 else 0.0)


KIND = Kind(AttitudeHolder, RECORD, command=command, act=act)
