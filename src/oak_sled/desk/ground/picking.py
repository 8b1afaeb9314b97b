"""Picking on the plan of a ground: the object under the mouse, and the handles of an object there."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt

from oak_sled.core.geometry.terrain import Relief
from oak_sled.core.yard.ground import Gate
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Stretched, Tie
from oak_sled.core.yard.volume import Volume
from oak_sled.desk.ground import groundpaint, railplan
from oak_sled.desk.ground.groundpaint import Plan
from oak_sled.desk.ground.groundsection import Item, heading_of, size_of


def handles(plan: Plan, item: Item) -> dict[str, QPointF]:
    """Handles that turn, size and bend an object, px."""
    if isinstance(item, Rail):
        return railplan.handles(plan, item)
    if isinstance(item, Joint) or (isinstance(item, Volume) and item.everywhere):
        return {}
    if isinstance(item, Stretched):
        return {"end": plan.at(item.end_x, item.end_y)}
    if isinstance(item, Tie):
        return {}
    length, width = size_of(item)
    turn = heading_of(item)
    cos, sin = math.cos(turn), math.sin(turn)
    middle = plan.at(item.x, item.y)
    nose = plan.at(item.x + cos * length / 2, item.y + sin * length / 2)
    side = plan.at(item.x - sin * width / 2, item.y + cos * width / 2)
    away = 22.0
    turn_at = QPointF(nose.x() + cos * away, nose.y() - sin * away)
    found = {"turn": turn_at, "length": nose, "width": side}
    if isinstance(item, Gate):
        found.pop("length")
    if isinstance(item, Relief):
        found.pop("turn")
    if isinstance(item, Volume) and item.shape != "box":
        return {"length": nose}
    if math.hypot(side.x() - middle.x(), side.y() - middle.y()) < groundpaint.HANDLE:
        found["width"] = QPointF(middle.x() - sin * 12.0, middle.y() - cos * 12.0)
    return found


def under(plan: Plan, objects: list[tuple[str, Item]], at: QPointF) -> str | None:
    """The path of the topmost of some objects under a px."""
    shapes = [(path, item, plan.outline(item)) for path, item in reversed(objects)]
    for path, item, shape in shapes:
        if isinstance(item, Rail):
            if railplan.is_near(plan, item, at):
                return path
            continue
        box = shape.boundingRect()
        if isinstance(item, Volume) and not item.everywhere:  # likewise, and by its name
            near = box.adjusted(-6, -6, 6, 6).contains(at) and not box.adjusted(6, 6, -6, -6).contains(at)
            middle = box.center() - at
            if near or (abs(middle.x()) < 40.0 and -6.0 < middle.y() < 22.0):
                return path
            continue
        if isinstance(item, Relief):  # by its edge: what lies on it must stay within reach, and the plan too
            if box.adjusted(-6, -6, 6, 6).contains(at) and not box.adjusted(6, 6, -6, -6).contains(at):
                return path
            continue
        if shape.containsPoint(at, Qt.FillRule.OddEvenFill):
            return path
        if max(box.width(), box.height()) < 14 and box.adjusted(-6, -6, 6, 6).contains(at):
            return path
    return None
