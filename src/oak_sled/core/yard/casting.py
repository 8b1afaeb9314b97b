"""The cast of a drill: crafts taken into it, and out of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Start
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.tie import Stretched, Tie

GAP = 1.5
"""m between the sides of crafts that are put beside one another."""


def with_member(drill: Drill, lead: Craft, craft: Craft) -> Drill:
    """The drill with one craft more, which begins beside the others, to the left of the start.

    lead : the craft under test, should the drill not name one.
    """
    angle = math.radians(drill.start.heading_deg)
    reach = lead.body.half_extents()[1] + craft.body.half_extents()[1] + GAP
    away = reach * (1 + len(drill.cast))
    start = drill.start.replace(x=drill.start.x - math.sin(angle) * away, y=drill.start.y + math.cos(angle) * away)
    named = drill.craft or lead.id
    return drill.replace(craft=named, cast=(*drill.cast, Member(id=craft.id, start=start)))


def shared_keys(crafts: Iterable[Craft]) -> dict[str, list[tuple[Craft, Channel]]]:
    """Keys that drive more than one channel when these crafts are driven at once, with those channels."""
    users: dict[str, list[tuple[Craft, Channel]]] = {}
    for craft in crafts:
        for channel in craft.channels:
            for key in (*channel.plus_keys, *channel.minus_keys):
                users.setdefault(key, []).append((craft, channel))
    return {key: those for key, those in users.items() if len(those) > 1}


def shared_controls(crafts: Iterable[Craft]) -> dict[str, list[tuple[Craft, Channel]]]:
    """Controls of pointers and pads that drive more than one channel when these crafts are driven at once, in words,
    with those channels."""
    users: dict[str, list[tuple[Craft, Channel]]] = {}
    for craft in crafts:
        for channel in craft.channels:
            for one in channel.controls:
                users.setdefault(one.words, []).append((craft, channel))
    return {words: those for words, those in users.items() if len(those) > 1}


def is_member(drill: Drill, craft: str) -> bool:
    """True if a craft is one of the cast beside the craft under test."""
    return any(member.id == craft for member in drill.cast)


def seen_from(drill: Drill, craft: str) -> Drill:
    """The drill as a craft of it sees it: with its own start and tracks for those of the craft under test."""
    member = next((one for one in drill.cast if one.id == craft), None)
    return drill if member is None else drill.replace(start=member.start, tracks=member.tracks)


def folded(drill: Drill, craft: str, seen: Drill) -> Drill:
    """The drill that `seen` was before it was looked at from a craft, with what was changed in it."""
    if not is_member(drill, craft):
        return seen
    cast = tuple(one.replace(start=seen.start, tracks=seen.tracks) if one.id == craft else one for one in seen.cast)
    return seen.replace(start=drill.start, tracks=drill.tracks, cast=cast)


def own_path(drill: Drill, craft: str, path: str) -> str:
    """The path to the start or the tracks of the drill for a craft of its cast."""
    for field in ("start", "tracks"):
        whole = f"drills.{drill.id}.{field}"
        if is_member(drill, craft) and (path == whole or path.startswith(whole + ".")):
            return f"drills.{drill.id}.cast.{craft}.{path[len(f'drills.{drill.id}.') :]}"
    return path


def without(drill: Drill, name: str) -> Drill:
    """The drill without a craft, and without what tied it: the first of the cast takes the place of the craft under
    test if that is taken out."""
    ties = tuple(tie for tie in drill.ties if name not in (tie.one.partition(".")[0], tie.other.partition(".")[0]))
    drill = drill if len(ties) == len(drill.ties) else drill.replace(ties=ties)
    cast = tuple(member for member in drill.cast if member.id != name)
    if drill.craft != name:
        return drill if cast == drill.cast else drill.replace(cast=cast)
    if not cast:
        return drill.replace(craft="")
    first = cast[0]
    return drill.replace(craft=first.id, start=first.start, tracks=first.tracks, cast=cast[1:])


def tied(
    drill: Drill, kind: type[Tie], one: tuple[Craft, Start], other: tuple[Craft, Start], **more: Any
) -> tuple[Drill, str]:
    """The drill with a tie more between two bodies that take part, each with the start of its craft: from the end of
    the first that is nearer to the other, to the end of that which is nearer; and its name. more : fields of it."""
    (a, start), (b, there) = one, other
    angle = math.radians(start.heading_deg)
    dx, dy = there.x - start.x, there.y - start.y
    ahead = dx * math.cos(angle) + dy * math.sin(angle)
    turned = math.radians(there.heading_deg)
    back = -dx * math.cos(turned) - dy * math.sin(turned)
    here, end = _end_of(a, ahead), _end_of(b, back)
    fields = {name: round(value, 2) for name, value in kind.between(here, end).items()}
    if not issubclass(kind, Stretched):  # at one point: at the end of the first
        fields = {name: round(value, 2) for name, value in kind.between(here, here).items()}
    name = free_name(kind.TITLE, drill.ties)
    return drill.replace(ties=(*drill.ties, kind(id=name, one=a.id, other=b.id, **fields, **more))), name


def _end_of(craft: Craft, ahead: float) -> tuple[float, float, float]:
    """The front of a hull, or its back where `ahead` is below 0, m from the origin of its body."""
    x, y, z = craft.body.middle()
    return x + math.copysign(craft.body.half_extents()[0], ahead), y, z
