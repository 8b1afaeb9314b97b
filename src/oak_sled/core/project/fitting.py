"""Fits a new part to a craft: its place on that body, and the channels that it needs, with keys that are free."""

from __future__ import annotations

from typing import Any

from oak_sled.core.base.faults import refuse
from oak_sled.core.parts.common import Part
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.naming import free_name

KEY_PAIRS = {
    "pitch": (("Down", "Up"), ("S", "W"), ("K", "I")),
    "roll": (("Right", "Left"), ("D", "A"), ("L", "J")),
    "yaw": (("A", "D"), ("Q", "E"), ("U", "O")),
}
"""Keys that a channel of this name gets when it is made for a part: the first pair that is free."""


def with_channels(craft: Craft, names: list[str]) -> Craft:
    """The craft with the channels of these names that it lacks."""
    for name in names:
        if not name or name in [channel.id for channel in craft.channels]:
            continue
        taken = {key for channel in craft.channels for key in (*channel.plus_keys, *channel.minus_keys)}
        pair = next((one for one in KEY_PAIRS.get(name, ()) if not taken & set(one)), ("", ""))
        keys = {"plus_keys": (pair[0],), "minus_keys": (pair[1],)} if pair[0] else {}
        made = Channel(id=name, title=name, rise=2.5, fall=3.5, **keys)
        craft = craft.replace(channels=(*craft.channels, made))
    return craft


FREE_KEYS = ("Space", "B", "X", "C")
"""Keys that a fitted brake gets, the first that is free."""


def fitted(craft: Craft, kind: type[Part], body: str = "") -> tuple[Craft, Part]:
    """A craft with the channels that a new part of a kind needs, and that part; raises `Refused` where there is its one
    already. body : the further body for it."""
    name = free_name(kind.TITLE, (*craft.parts, *craft.bodies))
    settings: dict[str, Any] = {"id": name, "carried_by": body}
    names = [channel.id for channel in craft.channels]
    guess = kind.CHANNEL_GUESS
    if guess in names:
        settings["channel"] = guess
    elif kind.MAKES_CHANNEL:
        taken = {key for channel in craft.channels for key in (*channel.plus_keys, *channel.minus_keys)}
        free = tuple(key for key in FREE_KEYS if key not in taken)[:1]
        made = Channel(id=guess, title=guess, two_sided=False, plus_keys=free)
        craft = craft.replace(channels=(*craft.channels, made))
        settings["channel"] = guess
    carrier = craft.single(body)
    check_single(carrier, kind)
    settings |= kind.fitted_to(carrier.body.half_extents())
    for axis, middle in zip("xyz", carrier.body.middle(), strict=True):
        if middle and axis in kind.model_fields:
            settings[axis] = settings.get(axis, kind.model_fields[axis].default) + middle
    settings |= kind.fitted_beside(carrier)
    craft = with_channels(craft, [value for field, value in settings.items() if field.endswith("channel")])
    return craft, kind(**settings)


def check_single(craft: Craft, kind: type[Part]) -> None:
    """Raises `Refused` where a body has the one part that answers walls, or mixes, and this kind is another."""
    walls = kind.ANSWERS_WALLS and any(part.ANSWERS_WALLS for part in craft.parts)
    mixes = kind.MIXES and any(part.MIXES for part in craft.parts)
    if walls or mixes:
        what = "answers every wall" if walls else "commands every actuator"
        raise refuse("parts", f"this body has a {kind.TITLE.lower()} already", f"one part that {what}")
