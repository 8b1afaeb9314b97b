"""Knockback: pushes whoever is in a volume in front, or round the spot where a shot bursts."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.base.faults import close_match
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.parts import knockbacks
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.lawful import ActsIf

Timing = Literal["while_held", "on_press", "on_hit"]
Volume = Literal["box", "ball", "cone"]
Direction = Literal["from_source", "facing", "fixed"]
Way = Literal["impulse", "speed_change", "force", "acceleration"]
UNITS = {"impulse": "N s", "speed_change": "m/s", "force": "N", "acceleration": "m/s2"}
FallOff = Literal["none", "linear", "square"]
OUTLINE_SIDES = 28
"""Corners of a circle in the outline of its volume."""

RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("timing", "i8"),
        ("volume", "i8"),
        ("reach", "f8"),
        ("width", "f8"),
        ("height", "f8"),
        ("cos_half", "f8"),
        ("point", "f8", (3,)),
        ("azimuth", "f8"),
        ("elevation", "f8"),
        ("direction", "i8"),
        ("fixed", "f8"),
        ("level", "i8"),
        ("lift", "f8"),
        ("way", "i8"),
        ("size", "f8"),
        ("lasts", "f8"),
        ("rise_time", "f8"),
        ("fall_time", "f8"),
        ("above", "f8"),
        ("fling", "f8"),
        ("twirls", "i8"),
        ("fall_off", "i8"),
        ("cool_down", "f8"),
        ("again", "i8"),
        ("pause", "f8"),
        ("reaction", "f8"),
        ("layer", "i8"),  # it finds those whom this layer meets
    ]
)


class Knockback(Part):
    """Finds whose centre of mass is in its volume and pushes them: which way, how hard, how often."""

    TITLE: ClassVar[str] = "Knockback"
    EXPLAINS: ClassVar[str] = "pushes bodies in a box, ball or cone: strength, elevation, spin, fall-off, cool-down"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (
        (("width", "height"), "volume", ("box",), "only a box has a width and a height"),
        (("angle_deg",), "volume", ("cone",), "only a cone has an angle"),
        (("fixed_deg",), "direction", ("fixed",), "its direction is not fixed"),
        (("pause",), "repeats", ("after_pause",), "it hits each body once"),
        (("rise_time", "fall_time"), "way", ("force", "acceleration"), "it is given at once"),
    )  # fmt: skip
    FAMILY: ClassVar[Family] = "impulse"
    GROUP: ClassVar[Group] = "impulses and shots"
    EVENT: ClassVar[str] = "blow"
    EVENT_FLASHES: ClassVar[bool] = False
    BURSTS: ClassVar[bool] = True

    WAS: ClassVar[Mapping[str, str]] = {
        "swell": "rise_time",
        "fade": "fall_time",
        "fling_deg": "spin_rate_deg",
        "fling_axis": "spin_axis",
    }

    kind: Literal["knockback"] = "knockback"
    channel: str = Field("", description="the channel that sets it off; empty: an event or a shot does")
    timing: Timing = Field(
        "on_press", description="active while held, for a time after a press, or where a shot bursts"
    )
    way: Way = Field("impulse", description="what its size is; mass counts for an impulse and a force only")
    size: float = dial(
        400.0, "N s", "strength", low=0.0, high=1e7, slider=(1.0, 20000.0), scale="log", main=True,
        unit_by=("way", UNITS), title="push",
        slider_by={"speed_change": (0.1, 100.0), "acceleration": (0.1, 200.0)},
    )  # fmt: skip
    lift_deg: float = dial(
        15.0,
        "°",
        "elevation added to its direction",
        low=-90.0,
        high=90.0,
        slider=(-10.0, 80.0),
        main=True,
        title="elevation",
    )
    spin_rate_deg: float = dial(
        0.0, "°/s", "spin given with it; per second for a force", low=-1e5, high=1e5,
        slider=(-2000.0, 2000.0), main=True, title="spin",
    )  # fmt: skip
    spin_axis: Literal["tumble", "twirl"] = Field("tumble", description="about the pitch axis, or about the yaw axis")
    reach: float = dial(5.0, "m", "range", low=0.05, high=1e4, slider=(0.5, 40.0), scale="log", title="range")
    volume: Volume = Field("cone", description="shape of the volume of effect")
    angle_deg: float = dial(
        30.0, "°", "half angle of a cone", low=0.5, high=180.0, slider=(2.0, 90.0), title="half angle"
    )
    width: float = dial(2.0, "m", "width of a box", low=0.01, high=1e4, slider=(0.2, 20.0))
    height: float = dial(2.0, "m", "height of a box", low=0.01, high=1e4, slider=(0.2, 20.0))
    direction: Direction = Field("from_source", description="away from the source, as it faces, or a fixed heading")
    fixed_deg: float = dial(0.0, "°", "heading of the fixed direction", low=-360.0, high=360.0, title="fixed heading")
    level: bool = Field(True, description="project the direction onto the horizontal before the elevation is added")
    above: float = dial(
        0.0,
        "m",
        "height of the push above the centre of mass of what it hits; makes it topple",
        low=-1e3,
        high=1e3,
        slider=(-1.0, 1.0),
        title="push height",
    )
    fall_off: FallOff = Field("none", description="fall-off with distance, to 0 at the range")
    lasts: float = dial(0.2, "s", "duration after the trigger", low=0.0, high=60.0, slider=(0.0, 3.0), title="duration")
    rise_time: float = dial(0.0, "s", "of a force: rise time", low=0.0, high=60.0, slider=(0.0, 1.0), title="rise time")
    fall_time: float = dial(
        0.0, "s", "of a force: fall time at the end", low=0.0, high=60.0, slider=(0.0, 1.0), title="fall time"
    )
    cool_down: float = dial(
        0.5,
        "s",
        "cool-down before it can be triggered again",
        low=0.0,
        high=600.0,
        slider=(0.0, 5.0),
        title="cool-down",
    )
    repeats: Literal["once", "after_pause"] = Field("once", description="hits on one body per trigger")
    pause: float = dial(0.3, "s", "interval between two hits on one body", low=0.0, high=60.0, slider=(0.0, 3.0))
    reaction: float = dial(0.0, "", "factor on the reaction on the craft; 1 conserves momentum", low=0.0, high=2.0)
    spares: tuple[str, ...] = Field(
        (), max_length=100, description="blocks that it spares", json_schema_extra={"names": "block"}
    )
    layer: str = reference("layer", "collision layer of its volume; empty: that of its craft")
    azimuth_deg: float = dial(0.0, "°", "where it faces: 0 forward, 90 left", low=-180.0, high=180.0)
    elevation_deg: float = dial(0.0, "°", "where it faces: 90 straight up", low=-90.0, high=90.0)
    x: float = dial(0.0, "m", "source, forward of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "source, left of the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.0, "m", "source, above the craft's origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "channel": pack.channel(self.channel),
            "timing": get_args(Timing).index(self.timing),
            "volume": get_args(Volume).index(self.volume),
            "reach": self.reach,
            "width": self.width,
            "height": self.height,
            "cos_half": math.cos(math.radians(self.angle_deg)),
            "point": pack.point(self.x, self.y, self.z),
            "azimuth": math.radians(self.azimuth_deg),
            "elevation": math.radians(self.elevation_deg),
            "direction": get_args(Direction).index(self.direction),
            "fixed": math.radians(self.fixed_deg),
            "level": int(self.level),
            "lift": math.radians(self.lift_deg),
            "way": get_args(Way).index(self.way),
            "size": self.size,
            "lasts": self.lasts,
            "rise_time": self.rise_time,
            "fall_time": self.fall_time,
            "above": self.above,
            "fling": math.radians(self.spin_rate_deg),
            "twirls": int(self.spin_axis == "twirl"),
            "fall_off": get_args(FallOff).index(self.fall_off),
            "cool_down": self.cool_down,
            "again": int(self.repeats == "after_pause"),
            "pause": self.pause,
            "reaction": self.reaction,
            "layer": pack.layer(self.layer or pack.own_layer),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def is_triggered(self) -> bool:
        return True

    def spared(self) -> tuple[str, ...]:
        return self.spares

    def cautions(self, case: Case) -> Iterator[Caution]:
        yield from self.never_fired(case)
        yield from self.short_cool_down(self.cool_down, case)
        if not case.dynamic_others:
            yield self.caution(
                "nobody_to_push",
                "",
                "no dynamic body here, and a knockback never pushes its own craft",
                "place a dynamic block on the ground",
            )
        for name in self.spares:
            if name not in case.others:
                says = f"spares: there is no block or craft {name!r} here"
                yield Caution("no_such_target", "", says, close_match(name, case.others))
        if case.notes is None:
            return
        none, rounds = case.notes[knockbacks.FOUND_NONE], case.notes[knockbacks.ROUNDS]
        if none > 0.0:
            yield self.caution(
                "found_nobody",
                "",
                f"it found no body {none:.0f} times out of {rounds:.0f}",
                "a longer reach or a wider volume; the craft itself does not count",
            )
        if case.notes[knockbacks.SAME_SPOT] > 0.0:
            yield self.caution(
                "same_spot",
                "direction",
                "a body stood at the very source, where no direction leads away: it was pushed as the source faces",
                "move the source, or push as it faces",
            )

    def outline(self) -> list[Floats]:
        if self.timing == "on_hit":
            return []
        turn = np.linspace(0.0, 2.0 * math.pi, OUTLINE_SIDES + 1)
        cos, sin, none = np.cos(turn), np.sin(turn), np.zeros(OUTLINE_SIDES + 1)
        reach = self.reach
        if self.volume == "ball":
            rings = [np.stack(axes, axis=1) for axes in ((cos, sin, none), (cos, none, sin), (none, cos, sin))]
            found = [reach * ring for ring in rings]
        elif self.volume == "cone":
            half = math.radians(self.angle_deg)
            far, wide = reach * math.cos(half), reach * math.sin(half)
            found = [np.stack([np.full(OUTLINE_SIDES + 1, far), wide * cos, wide * sin], axis=1)]
            bow = np.linspace(-half, half, 15)
            found.append(reach * np.stack([np.cos(bow), np.sin(bow), 0.0 * bow], axis=1))
            edges = ((far, wide, 0.0), (far, -wide, 0.0), (far, 0.0, wide), (far, 0.0, -wide))
            found += [np.array([[0.0, 0.0, 0.0], edge]) for edge in edges]
        else:
            b, c = 0.5 * self.width, 0.5 * self.height
            ring = np.array([[0, -b, -c], [0, b, -c], [0, b, c], [0, -b, c], [0, -b, -c]], dtype=float)
            found = [ring, ring + [reach, 0.0, 0.0]]
            found += [np.array([corner, corner + [reach, 0.0, 0.0]]) for corner in ring[:4]]
        azimuth, elevation = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        ca, sa, ce, se = math.cos(azimuth), math.sin(azimuth), math.cos(elevation), math.sin(elevation)
        facing = np.array([[ca * ce, -sa, -ca * se], [sa * ce, ca, -sa * se], [se, 0.0, ce]])
        return [line @ facing.T + [self.x, self.y, self.z] for line in found]

    def summary(self) -> str:
        words = {"while_held": "while held", "on_press": "once a press", "on_hit": "where a shot bursts"}
        return f"{self.volume} of {units.plain(self.reach, 'm')} · {words[self.timing]}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        lasts = self.lasts if self.timing != "while_held" else 1.0
        size = self.trim * self.size * (lasts if self.way in ("force", "acceleration") else 1.0)
        where = "" if self.fall_off == "none" else " close by"
        if self.way in ("speed_change", "acceleration"):
            return (f"every body {show(size, 'm/s')}{where}", f"flies {_flight(size, self.lift_deg)}")
        speeds = " · ".join(f"{size / mass:.3g}" for mass in (20, 80, 320))
        return (f"20, 80, 320 kg: {speeds} m/s{where}", f"80 kg flies {_flight(size / 80.0, self.lift_deg)}")


def _flight(speed: float, lift_deg: float) -> str:
    lift = math.radians(max(lift_deg, 0.0))
    return f"{show(speed * speed * math.sin(2.0 * lift) / STANDARD_GRAVITY, 'm')} without air"


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books what the craft felt of a blow in this tick; returns 1 while its volume is open."""
    for i in range(6):
        now.lines[p, i] = now.reaction[p, i]
    return 1.0 if now.memory[p, 0] > 0.0 else 0.0


@unit
def act_on_others(crafts, parts, c, p, scene, shot_memory, nows):
    """Pushes whoever is in its volume in this tick."""
    knockbacks.blow(crafts, parts, c, p, scene, shot_memory, nows)


KIND = Kind(Knockback, RECORD, act=act, others=act_on_others)
