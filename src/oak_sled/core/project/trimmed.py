"""A drill that begins trimmed: attitude and channels by which the craft flies steadily at the speed of its start."""

from __future__ import annotations

import math

from oak_sled.core.advice import flightsheet, outlook
from oak_sled.core.assembly import trim as trims
from oak_sled.core.assembly.trim import Trim
from oak_sled.core.base.faults import refuse
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Yard

ALOFT = 100.0
"""m of height at which a drill begins that began lower."""


def trimmed(yard: Yard, drill: Drill, speed: float = 0.0, climb: float | None = None) -> tuple[Yard, Trim]:
    """The yard in which a drill begins in a steady flight, and that flight; raises `Refused` where there is none.

    speed : m/s of airspeed; 0: that of its start, else 1.4 times the stall. climb : m/s; None: that of its start.
    Levers begin where they must be, and what returns gets its trim wheel.
    """
    craft, ground = yard.craft(yard.craft_for(drill)), yard.ground_of(drill)
    climb = drill.start.rise_speed if climb is None else climb
    own = drill.start.speed or _cruise(craft, ground, yard.ticks)
    found = trims.find(craft, ground, yard.ticks, speed or math.hypot(own, climb), climb)
    if not found.is_steady:
        raise refuse("trim", found.words(), "another speed, more thrust or less weight")
    channels = tuple(_set(one, found.channels[one.id]) for one in craft.channels)
    level = math.sqrt(max(found.speed**2 - climb**2, 0.0))
    start = drill.start.replace(
        height=max(drill.start.height, ALOFT), pitch_deg=-math.degrees(found.pitch), roll_deg=0.0,
        heading_deg=_within(drill.start.heading_deg + math.degrees(found.slip)),
        speed=level * math.cos(found.slip), side_speed=-level * math.sin(found.slip), rise_speed=climb,
        roll_rate_deg=0.0, pitch_rate_deg=0.0, yaw_rate_deg=0.0,
    )  # fmt: skip
    return yard.edit_all(
        [(f"crafts.{craft.id}.channels", channels), (f"drills.{drill.id}.start", _rounded(start))]
    ), found


def _cruise(craft: Craft, ground: Ground, ticks: int) -> float:
    """m/s at which a craft is trimmed where nobody says it."""
    speeds = flightsheet.speeds_of(craft, ground, outlook.setting_of(craft, ground, ticks, None))
    if speeds is None:
        raise refuse("trim", f"{craft.id} has no wings that carry it", "a speed, or wings")
    return flightsheet.CRUISE * speeds.stall


def _set(channel: Channel, value: float) -> Channel:
    """A channel that gives a value without input."""
    if channel.stays == "no":
        return channel.replace(offset=round(value, 6))
    return channel.replace(start=round(value, 6), offset=0.0)


def _within(degrees: float) -> float:
    return (degrees + 180.0) % 360.0 - 180.0


def _rounded(start: Start) -> Start:
    """A start whose numbers are those that a person would read: a millionth is no matter."""
    return start.replace(**{name: round(getattr(start, name), 6) for name in Start.model_fields})
