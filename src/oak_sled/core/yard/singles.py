"""The bodies of a craft apart: each with the parts on it, as a craft of a single body."""

from __future__ import annotations

from typing import TYPE_CHECKING

from oak_sled.core.base.faults import close_match

if TYPE_CHECKING:
    from oak_sled.core.yard.craft import Craft

FIRST = "body"
"""The name of the first body of a craft in its ties."""


def singles_of(craft: Craft) -> tuple[Craft, ...]:
    """A craft of a single body for each body of a craft, all with its channels, the first with its name, the others
    called CRAFT.BODY."""
    return tuple(_single(craft, name) for name in ("", *(one.id for one in craft.bodies)))


def _single(craft: Craft, name: str) -> Craft:
    body = next((one for one in craft.bodies if one.id == name), craft.body)
    parts = tuple(part for part in craft.parts if part.carried_by == name)
    if any(part.solo for part in craft.parts) and not any(part.solo for part in parts):
        # a solo anywhere silences what stands on the other bodies too
        parts = tuple(part.model_copy(update={"mute": True}) for part in parts)
        body = body.model_copy(update={"damping": 0.0, "spin_damping": 0.0})
    fields = {one: getattr(craft, one) for one in ("title", "channels", "numbers", "laws", "curves")}
    if name:
        title = next(one.heading for one in craft.bodies if one.id == name)
        fields |= {"id": f"{craft.id}.{name}", "title": title}
    else:
        fields["id"] = craft.id
    # no document: it is made of what was checked in one
    return type(craft).model_construct(body=body, parts=parts, bodies=(), ties=(), **fields)


def whole_name(single: str) -> str:
    """The id of the craft that a single body is of."""
    return single.partition(".")[0]


def check(craft: Craft) -> None:
    """Raises ValueError where a part or a tie of a craft names a body that it lacks, or ties what no craft can."""
    names = [one.id for one in craft.bodies]
    if FIRST in names:
        raise ValueError(f"bodies.{FIRST}: this name means the first body in ties (another name)")
    for part in craft.parts:
        if part.id in names:
            raise ValueError(f"bodies.{part.id}: a part has this name (another name)")
        if part.carried_by and part.carried_by not in names:
            right = close_match(part.carried_by, names) if names else "empty: it has one body"
            raise ValueError(f"parts.{part.id}.carried_by: there is no body {part.carried_by!r} ({right})")
    known = [FIRST, *names]
    channels = [channel.id for channel in craft.channels]
    for tie in craft.ties:
        where = f"ties.{tie.id}"
        for side in ("one", "other"):
            name = getattr(tie, side)
            if name not in known:
                what = f"there is no body {name!r}" if name else "names no body of the craft"
                raise ValueError(f"{where}.{side}: {what} ({close_match(name, known)})")
        if flaw := tie.flaw():
            raise ValueError(f"{where}.{flaw}")
        if tie.on_rail():
            raise ValueError(f"{where}.rail: a craft has no rails (a bogie among the ties of the ground)")
        for name in tie.driven_by():
            if name and name not in channels:
                raise ValueError(f"{where}.channel: there is no channel {name!r} ({close_match(name, channels)})")
