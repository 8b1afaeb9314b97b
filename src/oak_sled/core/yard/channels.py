"""Edits of the channels of a craft, with all that names them: parts, and the tracks of drills."""

from __future__ import annotations

from typing import Any

from oak_sled.core.base.faults import refuse
from oak_sled.core.yard import renaming
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Track
from oak_sled.core.yard.motionstate import CHANNEL
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.yard import Yard


def with_channel(yard: Yard, craft: Craft) -> tuple[Yard, str]:
    """The yard in which a craft has a channel more, without keys; and its name."""
    name = free_name("channel", craft.channels)
    return yard.edit(f"crafts.{craft.id}.channels", (*craft.channels, Channel(id=name))), name


def renamed(yard: Yard, craft: Craft, old: str, new: str) -> Yard:
    """The yard in which a channel of a craft is called `new`; what names it follows. Raises `Refused`."""
    path = f"crafts.{craft.id}"
    if new == old:
        return yard
    if new in [channel.id for channel in craft.channels]:
        raise refuse(f"{path}.channels.{old}.id", f"the name {new!r} is taken", "a name that no other channel has")
    changes: list[tuple[str, Any]] = [(f"{path}.channels.{old}.id", new), *_in_parts(craft, old, new)]
    changes += _in_states(craft, old, new)
    for drill in yard.drills:
        changes += _in_drill(yard, drill, craft, old, new)
    changes += renaming.in_spreads(yard, f"{path}.channels.{old}", f"{path}.channels.{new}")
    return yard.edit_all(changes)


def without(yard: Yard, craft: Craft, name: str) -> Yard:
    """The yard without a channel of a craft: parts that listened to it listen to none, and its tracks go."""
    left = tuple(channel for channel in craft.channels if channel.id != name)
    changes: list[tuple[str, Any]] = [(f"crafts.{craft.id}.channels", left), *_in_parts(craft, name, "")]
    changes += _in_states(craft, name, "")
    for drill in yard.drills:
        changes += _in_drill(yard, drill, craft, name, "")
    return yard.edit_all(changes)


def _in_states(craft: Craft, old: str, new: str) -> list[tuple[str, Any]]:
    """The states of motion of a craft that watch one of its channels; without a new name they watch it no more."""
    watched, changes = f"{CHANNEL}{old}", []
    for state in craft.states:
        if watched in [one.trace for one in state.conditions]:
            kept = [
                one.replace(trace=f"{CHANNEL}{new}") if one.trace == watched else one
                for one in state.conditions
                if new or one.trace != watched
            ]
            changes.append((f"crafts.{craft.id}.states.{state.id}.conditions", tuple(kept)))
    return changes


def _in_parts(craft: Craft, old: str, new: str) -> list[tuple[str, Any]]:
    """The fields of the parts and the ties of a craft that name one of its channels."""
    return [
        (f"crafts.{craft.id}.{where}.{one.id}.{field}", new)
        for where, owners in (("parts", craft.parts), ("ties", craft.ties))
        for one in owners
        for field in type(one).model_fields
        if field.endswith("channel") and getattr(one, field) == old
    ]


def _in_drill(yard: Yard, drill: Drill, craft: Craft, old: str, new: str) -> list[tuple[str, Any]]:
    """The tracks of a drill that tell the channel of a craft: those of its own start, and those of the craft under test
    where that is this one, or no other craft has such a channel."""
    changes: list[tuple[str, Any]] = []
    for member in drill.cast:
        if member.id == craft.id and any(track.channel == old for track in member.tracks):
            changes.append((f"drills.{drill.id}.cast.{member.id}.tracks", _told(member.tracks, old, new)))
    others = [one for one in yard.crafts if one.id != craft.id and old in [channel.id for channel in one.channels]]
    in_cast = craft.id in [member.id for member in drill.cast]
    own = drill.craft == craft.id if drill.cast and drill.craft else not others
    if own and not in_cast and any(track.channel == old for track in drill.tracks):
        changes.append((f"drills.{drill.id}.tracks", _told(drill.tracks, old, new)))
    return changes


def _told(tracks: tuple[Track, ...], old: str, new: str) -> tuple[Track, ...]:
    if not new:
        return tuple(track for track in tracks if track.channel != old)
    return tuple(track.replace(channel=new) if track.channel == old else track for track in tracks)
