"""Who takes part in a drill: crafts taken into its cast, and out of it."""

from __future__ import annotations

import math

from oak_sled.core.craft import Craft
from oak_sled.core.yard import Drill, Member

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


def without(drill: Drill, name: str) -> Drill:
    """The drill without a craft: the first of the cast takes the place of the craft under test if that is taken out."""
    cast = tuple(member for member in drill.cast if member.id != name)
    if drill.craft != name:
        return drill if cast == drill.cast else drill.replace(cast=cast)
    if not cast:
        return drill.replace(craft="")
    first = cast[0]
    return drill.replace(craft=first.id, start=first.start, tracks=first.tracks, cast=cast[1:])
