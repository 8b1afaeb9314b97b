"""Hands on the curves of the strips of a desk: bend, share, follow, turn on."""

from __future__ import annotations

from oak_sled.core.parts.common import Part
from oak_sled.core.parts.curvefield import CurveField, Points
from oak_sled.core.project import curvesharing
from oak_sled.desk.strips.strip import Strip
from oak_sled.desk.work.session import Session


def bend(session: Session, name: str, field: CurveField, points: Points, done: bool) -> None:
    """A curve of a part is bent, in itself or for all that share it."""
    craft = session.craft
    part = _part(session, name)
    path = f"{session.craft_path}.{curvesharing.path_of(craft, part, field)}"
    value, shared = curvesharing.edited(craft, part, field, points), getattr(part, field.shared)
    if not done:
        session.preview(path, value)
    elif session.edit(path, value) and shared:
        session.say(f"{shared.replace('_', ' ')} is changed for {curvesharing.touched(craft, shared)}")


def share(session: Session, name: str, field: CurveField, act: str) -> None:
    """A curve of a part is shared, made its own, or exchanged for a shared one."""
    yard, craft, part = session.yard, session.craft, _part(session, name)
    if act == "share":
        session.attempt(lambda: curvesharing.shared(yard, craft, part, field), "share a curve")
    elif act in ("straight", "smooth"):
        session.attempt(lambda: curvesharing.joined(yard, craft, part, field, act == "straight"), f"{act} curve")
    elif act == "own":
        session.attempt(lambda: curvesharing.own(yard, craft, part, field), "own curve")
    else:
        session.attempt(lambda: curvesharing.taken(yard, craft, part, field, act), "follow a curve")


def turn_on(session: Session, path: str, value: object, label: str) -> bool:
    """True if an edit below the craft turns the drawn curves of a part on, which it then does, as one step."""
    _, name, field = f".{path}".rsplit(".", 2)
    if field != "drawn" or value is not True:
        return False
    yard, craft, part = session.yard, session.craft, _part(session, name)
    session.attempt(lambda: curvesharing.turned_on(yard, craft, part), label)
    return True


def show_sharing(session: Session, strip: Strip) -> None:
    """Says on every curve of a strip whose it is."""
    craft = session.craft
    for editor in strip.editors:
        part = next((part for part in craft.parts if part.id == strip.name), None)
        if part is not None:
            name = getattr(part, editor.field.shared)
            known = tuple(one.id for one in craft.curves if one.over == editor.field.x)
            editor.show_sharing(name, curvesharing.touched(craft, name) if name else "", known)
            editor.show_others(curvesharing.beside(craft, strip.name, editor.field))


def _part(session: Session, name: str) -> Part:
    return next(part for part in session.craft.parts if part.id == name)
