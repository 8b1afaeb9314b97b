"""Mixer: commands the actuators of a craft for the forces and moments that its holders and channels ask for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.kernel.state import MOST_ACTUATORS
from oak_sled.core.parts.actuator import AXES
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.holders import authority, mixing

GivesUp = Literal["yaw", "lift", "tilt"]
WEIGHTS: dict[str, tuple[float, ...]] = {
    "yaw": (5.0, 5.0, 5.0, 25.0, 25.0, 1.0),
    "lift": (1.0, 1.0, 1.0, 25.0, 25.0, 5.0),
    "tilt": (5.0, 5.0, 25.0, 1.0, 1.0, 5.0),
}
"""Weights of forces and moments, each over the most that the actuators can give, by what is given up first."""
UNMET = 1e-3
"""Share of the most that the actuators can give, past which a wish counts as unmet."""
RECORD = np.dtype(
    [
        ("count", "i8"),
        ("parts", "i8", (MOST_ACTUATORS,)),
        ("slots", "i8", (MOST_ACTUATORS,)),
        ("by_pressure", "i8", (MOST_ACTUATORS,)),
        ("gives", "f8", (MOST_ACTUATORS, 6)),  # at a full command, craft axes
        ("low", "f8", (MOST_ACTUATORS,)),
        ("high", "f8", (MOST_ACTUATORS,)),
        ("cost", "f8", (MOST_ACTUATORS,)),  # fuel of a full command, over the most of all
        ("thrifty", "i8"),  # 1 where any burns fuel
        ("weights", "f8", (6,)),
        ("channels", "i8", (6,)),
        ("share", "f8"),  # of the most they give, that a full channel asks for
        ("level", "i8"),  # 1 where the channels of forces count in the level frame of the heading
        ("solves_again", "i8"),
        ("feels_air", "i8"),
    ]
)


class Mixer(Part):
    """The commands that come nearest to what is asked, by least squares within their bounds (see `mixing`), each force
    and moment over the most that the actuators can give of it. What neither a holder
    nor a channel asks for is left free."""

    TITLE: ClassVar[str] = "Mixer"
    EXPLAINS: ClassVar[str] = "commands rotors, propellers and control surfaces together for what is asked of the craft"
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    SHOWS: ClassVar[Shown] = "up"
    STAGE: ClassVar[float] = 1.9
    MIXES: ClassVar[bool] = True
    EVENT: ClassVar[str] = "saturated"
    EVENT_FROM: ClassVar[float] = UNMET

    kind: Literal["mixer"] = "mixer"
    gives_up: GivesUp = Field("yaw", description="what is given up first where the actuators cannot give all")
    solves_again: bool = Field(True, description="counts on a part that has failed no more; off: as if it still worked")
    ahead_channel: str = Field("", description="the channel of the force ahead; empty: none")
    left_channel: str = Field("", description="the channel of the force to the left; empty: none")
    lift_channel: str = Field("", description="the channel of the lift; empty: none")
    roll_channel: str = Field("", description="the channel of the moment that rolls right; empty: none")
    pitch_channel: str = Field("", description="the channel of the moment that raises the nose; empty: none")
    yaw_channel: str = Field("", description="the channel of the moment that yaws left; empty: none")
    share: float = dial(
        0.5, "", "of the most that the actuators can give, which a full channel asks for", low=0.0, high=2.0,
        slider=(0.0, 1.0), main=True,
    )  # fmt: skip
    frame: Literal["craft", "level"] = Field(
        "craft",
        description="whether its channels of forces count along the craft, or in the level frame of its heading",
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        names = [getattr(self, f"{axis}_channel") for axis in AXES]
        found = pack.actuators[:MOST_ACTUATORS]
        spare = [0.0] * (MOST_ACTUATORS - len(found))
        gives = np.zeros((MOST_ACTUATORS, 6))
        burns = max((gain * one.burns for _, gain, one in found), default=0.0) or 1.0
        for row, (_, gain, one) in zip(gives, found, strict=False):
            row[:] = gain * np.array(one.about(pack.centre))
        return {
            "count": len(found),
            "parts": [place for place, _, _ in found] + [-1] * len(spare),
            "slots": [one.slot for _, _, one in found] + [0] * len(spare),
            "by_pressure": [int(one.by_pressure) for _, _, one in found] + [0] * len(spare),
            "gives": gives,
            "low": [one.low for _, _, one in found] + spare,
            "high": [one.high for _, _, one in found] + spare,
            "cost": [gain * one.burns / burns for _, gain, one in found] + spare,
            "thrifty": int(any(one.burns > 0.0 for _, _, one in found)),
            "weights": [
                weight if axis in pack.wishes or getattr(self, f"{axis}_channel") else 0.0
                for axis, weight in zip(AXES, WEIGHTS[self.gives_up], strict=True)
            ],
            "channels": [pack.channel(name) for name in names],
            "share": self.trim * self.share,
            "level": int(self.frame == "level"),
            "solves_again": int(self.solves_again),
            "feels_air": int(any(one.by_pressure for _, _, one in found)),
        }

    def channels_used(self) -> tuple[str, ...]:
        names = (getattr(self, f"{axis}_channel") for axis in AXES)
        return tuple(dict.fromkeys(name for name in names if name))

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        found = dict(super().idle(setting))
        if not self.channels_used():
            found["share"] = "it follows no channel, only holders"
        if not (self.ahead_channel or self.left_channel or self.lift_channel):
            found["frame"] = "it follows no channel of a force"
        return found

    def summary(self) -> str:
        return f"gives up {self.gives_up} first"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if not setting.actuators:
            return ("it commands nothing yet",)
        gives = [0.0] * 6
        for gain, one in setting.actuators:
            if not one.by_pressure:
                about = one.about(setting.centre)
                gives = [
                    a + gain * max(abs(one.low), abs(one.high)) * abs(b) for a, b in zip(gives, about, strict=True)
                ]
        lifts = f"{len(setting.actuators)} actuators lift {show(gives[2], 'N')}"
        if setting.weight > 0.0:
            lifts = f"{lifts}, {gives[2] / setting.weight:.2f} of the weight"
        roll, pitch, yaw = (show(one, "N m") for one in gives[3:])
        turns = f"and turn it with up to {roll} in roll, {pitch} in pitch, {yaw} in yaw"
        if not any(one.burns > 0.0 for _, one in setting.actuators):
            return (lifts, turns)
        return (lifts, turns, authority.weakest(authority.commands(setting.actuators, setting.centre)))

    def cautions(self, case: Case) -> Iterator[Caution]:
        found = [one for part in case.parts.values() if not part.mute for one in part.actuators()]
        if not found:
            yield self.caution(
                "no_actuators",
                "",
                "no part of its craft is commanded by the mixer",
                "fit lift rotors, or switch on 'commanded by the mixer' of propellers and wings",
            )
            return
        if len(found) > MOST_ACTUATORS:
            yield self.caution(
                "too_many_actuators",
                "",
                f"{len(found)} commands, and it mixes {MOST_ACTUATORS}; the last are left alone",
                f"at most {MOST_ACTUATORS}; an actuator that swivels counts twice",
            )
        most = np.abs(np.array([one.about(case.setting.centre) for one in found])).sum(axis=0)
        for axis, gives in zip(AXES, most.tolist(), strict=True):
            if getattr(self, f"{axis}_channel") and gives < 1e-9:
                what = {"ahead": "push it ahead", "left": "push it to the left", "lift": "lift it"}
                yield self.caution(
                    "cannot_make",
                    f"{axis}_channel",
                    f"no actuator can {what.get(axis, f'turn it in {axis}')}",
                    "an actuator that points another way or stands elsewhere, or no channel there",
                )
        yield from self._one_sided(case)
        if case.acted is not None and case.acted > 0.05:
            yield self.caution(
                "mixer_saturated",
                "",
                f"its actuators could not give what was asked in {100.0 * case.acted:.0f} % of the last run",
                "stronger or more actuators, gentler holders, or a lighter craft",
            )

    def _one_sided(self, case: Case) -> Iterator[Caution]:
        """Cautions of ways that are asked for, and that jets do not push without doing something else beside it."""
        found = case.setting.actuators[:MOST_ACTUATORS]
        if not any(one.burns > 0.0 for _, one in found):
            return
        asked = {axis for axis in AXES if getattr(self, f"{axis}_channel")}
        asked |= {axis for part in case.parts.values() if not part.mute for axis in part.wishes()}
        lacks = [
            one for one in authority.commands(found, case.setting.centre) if one.pure == 0.0 and AXES[one.axis] in asked
        ]
        if lacks:
            more = f", and {len(lacks) - 1} more" if len(lacks) > 1 else ""
            yield self.caution(
                "no_pure_push", "", f"{authority.lack(lacks[0])}{more}",
                "a jet on the other side, or one that points the other way",
            )  # fmt: skip


@unit
def command(part, gain, p, body, solids, ground, supports, now):
    """Writes `now.asked`. memory : 0 the greatest unmet share, 1 the pivots it took."""
    memory, room = now.memory[p], now.mixing
    gone = 0
    for i in range(part.count):
        gone = 2 * gone + (1 if part.solves_again == 1 and now.lost[part.parts[i]] != 0.0 else 0)
    if part.thrifty == 0 or part.feels_air == 1 or room.ready != 1 + gone:
        lay(part, body, ground, now, room)
        room.ready = 1 + gone
    own, scale = by_channels(part, body, now, room), room.scale
    demand = (
        scale[0] * (now.wish[0] + own[0]), scale[1] * (now.wish[1] + own[1]), scale[2] * (now.wish[2] + own[2]),
        scale[3] * (now.wish[3] + own[3]), scale[4] * (now.wish[4] + own[4]), scale[5] * (now.wish[5] + own[5]),
    )  # fmt: skip
    pivots = 0
    if part.thrifty == 1:
        pivots = mixing.solve_exactly(room, part.count, demand)
    else:
        pivots = mixing.solve(room, part.count, demand)
    unmet = 0.0
    for k in range(6):
        left = demand[k]
        for i in range(part.count):
            left -= room.columns[i, k] * room.value[i]
        if scale[k] > 0.0:
            unmet = max(unmet, abs(left) / part.weights[k])
    memory[0], memory[1] = unmet, float(pivots)
    for i in range(part.count):
        if part.slots[i] == 1:
            now.asked[part.parts[i], 1] += room.value[i]
        else:
            now.asked[part.parts[i], 0] += room.value[i]


@compiled
def lay(part, body, ground, now, room):
    """Writes what each actuator gives now, weighted, and its bounds. Where that stays as it is, once is enough."""
    press = 1.0
    if part.feels_air == 1:
        press = pressure(body, ground)
    for i in range(part.count):
        room.low[i], room.high[i] = part.low[i], part.high[i]
        for k in range(6):
            room.columns[i, k] = part.gives[i, k] * (press if part.by_pressure[i] == 1 else 1.0)
        if part.solves_again == 1 and now.lost[part.parts[i]] != 0.0:
            room.low[i], room.high[i] = 0.0, 0.0
        room.cost[i] = part.cost[i]
        if part.thrifty == 0:
            room.value[i] = 0.0  # else it begins where it was, which is near
    for k in range(6):
        room.most[k] = most(part, room, k)
        room.scale[k] = part.weights[k] / room.most[k] if room.most[k] > 1e-9 else 0.0
    for i in range(part.count):
        for k in range(6):
            room.columns[i, k] *= room.scale[k]
    if part.thrifty == 1:
        mixing.square(room, part.count)


@compiled
def most(part, room, axis):
    """N or N m: the most that all actuators give along or about an axis."""
    found = 0.0
    for i in range(part.count):
        found += max(abs(room.columns[i, axis] * part.low[i]), abs(room.columns[i, axis] * part.high[i]))
    return found


@compiled
def by_channels(part, body, now, room):
    """Force and moment that channels ask for, N and N m, craft axes."""
    fx, fy, fz = asked_by(part, room, now, 0), asked_by(part, room, now, 1), asked_by(part, room, now, 2)
    if part.level == 1:
        flat = (now.heading_x * fx - now.heading_y * fy, now.heading_y * fx + now.heading_x * fy, fz)
        fx, fy, fz = spatial.to_craft(body.axes, environment.from_level(now, flat))
    return (
        fx, fy, fz, asked_by(part, room, now, 3), -asked_by(part, room, now, 4), asked_by(part, room, now, 5)
    )  # fmt: skip


@compiled
def asked_by(part, room, now, axis):
    """N or N m that the channel of an axis asks for."""
    if part.channels[axis] < 0:
        return 0.0
    return part.share * room.most[axis] * now.channels[part.channels[axis]]


@compiled
def pressure(body, ground):
    """Pa of the air that meets the nose."""
    wind, density = environment.air_at(ground, body.position[0], body.position[1], body.position[2])
    against = (body.velocity[0] - wind[0], body.velocity[1] - wind[1], body.velocity[2] - wind[2])
    ahead = spatial.dot(against, (body.axes[0, 0], body.axes[1, 0], body.axes[2, 0]))
    return 0.5 * density * ahead * ahead


@unit
def act(part, gain, p, body, ground, supports, now):
    """Pushes nothing by itself; returns the greatest share of what was asked that is unmet."""
    return min(now.memory[p, 0], 1.0)


KIND = Kind(Mixer, RECORD, command=command, act=act)
