"""Targets of the events of a drill: parts, blocks, ties and rails that are there."""

from __future__ import annotations

from oak_sled.core.assembly import bodynames
from oak_sled.desk.work.session import Session


def of(session: Session, what: str) -> tuple[str, ...]:
    """Targets of an event of that kind, on the craft and the ground on the bench."""
    parts, blocks = session.craft.parts, session.ground.blocks
    if what in ("hold", "release"):
        return tuple(part.id for part in parts if what in part.OBEYS)
    if what == "let_go":
        return tuple(one.tie.id for one in bodynames.ties_of(session.job()) if one.part < 0)
    if what == "switch":
        return tuple(one.id for one in session.ground.rails if any(one.joins))
    if what == "fail":
        return tuple(part.id for part in parts)
    if what == "trigger":
        return tuple(part.id for part in parts if part.is_triggered())
    loose = tuple(one.id for one in blocks if one.moves == "free")
    return loose if what == "drop" else ("", *loose, *(one.id for one in session.job().bodies[1:]))
