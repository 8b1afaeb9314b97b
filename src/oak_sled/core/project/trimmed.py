"""A drill that begins trimmed: attitude and channels by which the craft flies steadily at the speed and bank of its
start."""

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


def trimmed(
    yard: Yard, drill: Drill, speed: float = 0.0, climb: float | None = None, bank: float | None = None
) -> tuple[Yard, Trim]:
    """The yard in which a drill begins in a steady flight, and that flight; raises `Refused` where there is none.

    speed : m/s in the air; 0: that of its start, else 1.4 times the stall. climb : m/s; None: that of its start.
    bank : rad, right side down; None: that of its start. Levers begin where they must be, what returns gets its trim
    wheel, and the wind carries all of it along.
    """
    craft, ground = yard.craft(yard.craft_for(drill)), yard.ground_of(drill)
    begins = drill.start
    climb = begins.rise_speed if climb is None else climb
    bank = math.radians(begins.roll_deg) if bank is None else bank
    if not speed:
        ahead, left = _wind(ground, begins.heading_deg)
        in_air = math.hypot(begins.speed - ahead, begins.side_speed - left) if begins.speed else 0.0
        speed = math.hypot(in_air or _cruise(craft, ground, yard.ticks), climb)
    found = trims.find(craft, ground, yard.ticks, speed, climb, bank)
    if not found.is_steady:
        raise refuse("trim", found.words(), "another speed, more thrust or less weight")
    channels = tuple(_set(one, found.channels[one.id]) for one in craft.channels)
    level = math.sqrt(max(found.speed**2 - climb**2, 0.0))
    heading = _within(begins.heading_deg + math.degrees(found.slip))
    ahead, left = _wind(ground, heading)
    start = begins.replace(
        height=max(begins.height, ALOFT), pitch_deg=-math.degrees(found.pitch), roll_deg=math.degrees(bank),
        heading_deg=heading, speed=level * math.cos(found.slip) + ahead,
        side_speed=-level * math.sin(found.slip) + left, rise_speed=climb,
        roll_rate_deg=0.0, pitch_rate_deg=0.0, yaw_rate_deg=math.degrees(found.turn),
    )  # fmt: skip
    return yard.edit_all(
        [(f"crafts.{craft.id}.channels", channels), (f"drills.{drill.id}.start", _rounded(start))]
    ), found


def _wind(ground: Ground, heading_deg: float) -> tuple[float, float]:
    """m/s of the wind along a heading and to its left."""
    angle = math.radians(ground.wind_to_deg - heading_deg)
    return ground.wind_speed * math.cos(angle), ground.wind_speed * math.sin(angle)


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
    numbers = [name for name in Start.model_fields if isinstance(getattr(start, name), float)]
    return start.replace(**{name: round(getattr(start, name), 6) for name in numbers})
