"""Channels that are made for a part as it is fitted, with keys that are free."""

from __future__ import annotations

from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft

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
