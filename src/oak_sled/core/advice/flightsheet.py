"""The flight sheet of a craft: its speeds, climb, turns, balance, trim and modes, or how it hovers."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from oak_sled.core.advice import balance, flightmodes, outlook
from oak_sled.core.advice.balance import Balance
from oak_sled.core.advice.flightmodes import FlightMode
from oak_sled.core.assembly import trim as trims
from oak_sled.core.assembly.trim import Trim
from oak_sled.core.base.faults import Refused
from oak_sled.core.base.units import show
from oak_sled.core.parts.context import Setting
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground

CRUISE = 1.4
"""Times the stall speed, at which the trim and the modes are told."""
FLIES = 1.03
"""Times the stall speed, below which nothing is told of a level flight."""
BANK = math.radians(45.0)
"""rad of the bank at which a turn is told."""


@dataclass(frozen=True)
class Speeds:
    """Of level flight, m/s. stall; least_drag, where a glide goes farthest, and its ratio; climb : the greatest, and
    climb_at, where that is; top, infinite where nothing slows it."""

    stall: float
    least_drag: float
    glide: float
    climb: float
    climb_at: float
    top: float


@dataclass(frozen=True)
class Sheet:
    """rows : a name and a sentence each. balance, trim : None where there are none. modes : fastest first."""

    rows: tuple[tuple[str, str], ...]
    speeds: Speeds | None
    balance: Balance | None
    trim: Trim | None
    modes: tuple[FlightMode, ...]


def flies(craft: Craft) -> bool:
    """True if wings carry a craft of one body, or actuators that a holder of its height commands."""
    if craft.bodies:
        return False
    fitted = [part for part in craft.working_parts if craft.gain_of(part) > 0.0]
    return any(part.most_lift(1.0) > 0.0 for part in fitted) or _hovers(craft)


def _hovers(craft: Craft) -> bool:
    """True if the height of a craft is held through actuators."""
    return any("lift" in part.wishes() for part in craft.working_parts if craft.gain_of(part) > 0.0)


def speeds_of(craft: Craft, ground: Ground, setting: Setting) -> Speeds | None:
    """The speeds of a craft that wings carry, in closed form; None without such wings, air or weight."""
    fitted = [part for part in craft.working_parts if craft.gain_of(part) > 0.0]
    most = sum(part.most_lift(ground.air_density) for part in fitted)
    if most <= 0.0 or setting.weight <= 0.0:
        return None
    stall = math.sqrt(setting.weight / most)
    speed = np.linspace(FLIES * stall, 8.0 * stall, 1401)
    drag = np.array([drag_at(setting, one) for one in speed.tolist()])
    push = np.array(
        [sum(part.thrust_ahead(one, ground.air_density, setting.mass) for part in fitted) for one in speed.tolist()]
    )
    least = int(np.argmin(drag))
    climbs = (push - drag) * speed / setting.weight
    best = int(np.argmax(climbs))
    above = np.flatnonzero(push >= drag)
    top = math.inf if len(above) and above[-1] == len(speed) - 1 else float(speed[above[-1]]) if len(above) else 0.0
    return Speeds(
        stall, float(speed[least]), setting.weight / float(drag[least]), float(climbs[best]), float(speed[best]), top
    )


def drag_at(setting: Setting, speed: float) -> float:
    """N of all drag in level flight at a speed, m/s."""
    # friction on the ground counts there, and what flies gives it back in `setting.drag_at`
    found = (
        setting.friction
        + setting.square_drag * speed**2
        + (setting.linear_drag + setting.damping * setting.mass) * speed
    )
    return found + (setting.drag_at(speed) if setting.drag_at is not None else 0.0)


def of(craft: Craft, ground: Ground, ticks: int) -> Sheet | None:
    """The sheet of a craft in the still air of a ground; None for one that does not fly."""
    if not flies(craft) or ground.air_density <= 0.0:
        return None
    setting = outlook.setting_of(craft, ground, ticks, None)
    if _hovers(craft):
        return _hovering(craft, ground, setting)
    return _winged(craft, ground, ticks, setting)


def _hovering(craft: Craft, ground: Ground, setting: Setting) -> Sheet:
    fitted = [part for part in craft.working_parts if craft.gain_of(part) > 0.0]
    lift = sum(gain * max(one.about(setting.centre)[2], 0.0) for gain, one in setting.actuators)
    rows: list[tuple[str, str]] = []
    if lift > 0.0 and setting.weight > 0.0:
        share = setting.weight / lift
        power = sum(part.hover_power_at(share) for part in fitted)
        if share < 1.0 and power > 0.0:
            rows.append((f"hovers at {100.0 * share:.0f} % of its lift", f"takes {show(power, 'W')} in still air"))
    modes = _found(lambda: flightmodes.of_hover(craft, ground))
    rows += [(mode.name, mode.words()) for mode in modes]
    return Sheet(tuple(rows), None, None, None, modes)


def _winged(craft: Craft, ground: Ground, ticks: int, setting: Setting) -> Sheet:
    speeds = speeds_of(craft, ground, setting)
    rows: list[tuple[str, str]] = []
    trim: Trim | None = None
    modes: tuple[FlightMode, ...] = ()
    found = balance.of(craft)
    if found is not None:
        where = "behind" if found.margin > 0.0 else "ahead of"
        feel = "nose-heavy" if found.share > 0.4 else "steady" if found.share > 0.05 else "touchy"
        feel = feel if found.margin > 0.0 else "turns over by itself"
        rows.append(
            (
                f"static margin {100.0 * found.share:.0f} % of the chord: {feel}",
                f"neutral point {show(abs(found.margin), 'm')} {where} the centre of mass",
            )
        )
    if speeds is not None:
        sinks = show(speeds.least_drag / speeds.glide, "m/s")
        top = f"tops out at {show(speeds.top, 'm/s')}" if math.isfinite(speeds.top) else "no top speed"
        rows += [
            (f"stalls at {show(speeds.stall, 'm/s')}", top if speeds.top > 0.0 else "has no thrust to stay up"),
            (
                f"glides {speeds.glide:.3g} to 1 at {show(speeds.least_drag, 'm/s')}",
                f"sinks {sinks} there, with least drag",
            ),
        ]
        if speeds.climb > 0.0:
            fast = CRUISE * speeds.stall
            banked = speeds.stall / math.sqrt(math.cos(BANK))
            rate = setting.weight / setting.mass * math.tan(BANK) / fast
            rows += [
                (f"climbs {show(speeds.climb, 'm/s')} at {show(speeds.climb_at, 'm/s')}", "at full thrust"),
                (
                    f"turns {show(math.degrees(rate), '°/s')} at 45° of bank and {show(fast, 'm/s')}",
                    f"radius {show(fast / rate, 'm')}; stalls at {show(banked, 'm/s')}",
                ),
            ]
        if setting.fuel > 0.0 and setting.burns > 0.0 and setting.thrust > 0.0:
            flow = setting.burns * drag_at(setting, speeds.least_drag) / setting.thrust
            rows.append((f"stays up {show(setting.fuel / flow, 's')}", "on all its fuel at the speed of least drag"))
        trim = _trimmed(craft, ground, ticks, CRUISE * speeds.stall)
    if trim is not None:
        rows.append((f"trim at {show(trim.speed, 'm/s')}", trim.words()))
        if trim.is_steady:
            steady = trim
            rate, channel = trims.rolls(craft, ground, ticks, steady)
            if channel:
                rows.append((f"rolls {show(math.degrees(rate), '°/s')}", f"with {channel} fully over"))
            modes = _found(lambda: flightmodes.of_trim(craft, ground, steady))
            rows += [(mode.name, mode.words()) for mode in modes]
    return Sheet(tuple(rows), speeds, found, trim, modes)


def _trimmed(craft: Craft, ground: Ground, ticks: int, speed: float) -> Trim | None:
    try:
        return trims.find(craft, ground, ticks, speed)
    except Refused:
        return None


def _found(find: Callable[[], tuple[FlightMode, ...]]) -> tuple[FlightMode, ...]:
    try:
        return find()
    except np.linalg.LinAlgError:
        return ()
