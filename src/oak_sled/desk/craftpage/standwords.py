"""Words on how a craft stands, on the Build page: loads, swings, what it holds up to; masses, keys."""

from __future__ import annotations

import math

from oak_sled.core.advice import outlook
from oak_sled.core.advice.modes import Standing
from oak_sled.core.base import units
from oak_sled.core.parts.swing import Swing
from oak_sled.core.yard.craft import Craft
from oak_sled.desk.drawing.grid import GRID
from oak_sled.desk.work.session import Session


def lines(craft: Craft, session: Session, stands: Standing | None) -> list[tuple[str, str]]:
    """Stand and swings of the craft, a name and a sentence each."""
    if not any(part.legs() for part in craft.parts):
        return [
            (
                "no hover pads or wheels",
                "fit some, or wings or lift rotors with a mixer, and what comes of it stands here",
            )
        ]
    if "z" in craft.body.held:
        return [("its height is held", "let z, roll and pitch move freely (body, held axes): then they carry it")]
    if stands is None:
        return [("not known", "it finds no place to stand, or its run is not in yet")]
    roll, pitch = (units.fixed(math.degrees(angle), "°", 2) for angle in (stands.roll, stands.pitch))
    lean = f"roll {roll}, pitch {pitch}"
    found = [
        (f"loads {units.show(min(stands.loads), 'N')} to {units.show(max(stands.loads), 'N')}", f"rests at {lean}")
    ]
    for mode in stands.modes:
        rate = units.show(mode.rate / math.tau, "Hz")
        words = "unstable at this tick rate" if mode.grows else Swing(mode.rate, mode.share).words()
        found.append((f"{mode.name} {rate}, {100.0 * mode.share:.0f} % of critical damping", words))
    setting = outlook.setting_of(craft, session.ground, session.yard.ticks, session.shown.run)
    tips = setting.tips()
    if math.isfinite(tips):
        found.append((f"tips at {units.show(tips, 'g')} sideways", "pushed slowly, with the lean of its springs"))
    stiffest = min((mode.stiffest for mode in stands.modes), default=math.inf)
    strongest = min((mode.strongest for mode in stands.modes), default=math.inf)
    if math.isfinite(stiffest):
        most = f"springs × {stiffest:.3g}" + (f" or dampers × {strongest:.3g}" if math.isfinite(strongest) else "")
        found.append((f"at {session.yard.ticks} ticks/s it holds up to", most))
    return found


def whole(craft: Craft, session: Session, stands: Standing | None) -> list[str]:
    """Two lines about the whole craft: masses, weight and swings; channels and their keys."""
    hull, load = craft.body.true_mass(), craft.carried_mass()
    weight = (hull + load) * session.ground.gravity * craft.body.gravity_scale
    first = [f"{units.show(hull, 'kg')} hull"]
    first += [f"{units.show(load, 'kg')} payload", f"{units.show(hull + load, 'kg')} in all"] if load else []
    if craft.bodies:
        whole = craft.whole_mass()
        first = [f"{len(craft.bodies) + 1} bodies of {units.show(whole, 'kg')}: {first[0]}"]
        first += [f"{units.show(one.true_mass(), 'kg')} {one.heading.lower()}" for one in craft.bodies]
        weight = whole * session.ground.gravity * craft.body.gravity_scale
    rays = sum(len(part.legs()) for part in craft.parts)
    first.append(f"weight {units.show(weight, 'N')}" + (f" on {rays} supports" if rays else ""))
    if stands is not None:
        first += [f"{mode.name} {units.show(mode.rate / math.tau, 'Hz')}" for mode in stands.modes]
    keys = [
        f"{channel.heading} {' '.join((*channel.plus_keys, *channel.minus_keys)) or 'without keys'}"
        for channel in craft.channels
    ]
    held = f"held: {', '.join(craft.body.held)}" if craft.body.held else "free in all axes"
    return [
        " · ".join(first),
        f"keys: {' · '.join(keys) or 'no channels'} · {held} · snap {units.plain(GRID, 'm')}, Alt: free",
    ]
