"""The pure forces and moments that the jets of a craft make, on the Build page, and the weakest way."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from oak_sled.core.base import units
from oak_sled.core.parts.actuator import AXES
from oak_sled.core.parts.context import Setting
from oak_sled.core.parts.holders import authority
from oak_sled.core.parts.holders.authority import Command
from oak_sled.core.yard.craft import Craft
from oak_sled.desk.craftpage.buildpaint import Sheet
from oak_sled.desk.widgets import theme

LONGEST = 62.0
"""px of the arrow of the strongest way."""


def commands_of(craft: Craft, setting: Setting) -> tuple[Command, ...]:
    """The pure commands of the mixer of a craft; empty for one without jets that it opens."""
    mixed = any(part.MIXES and not part.mute for part in craft.parts)
    if not mixed or not any(one.burns > 0.0 for _, one in setting.actuators):
        return ()
    return authority.commands(setting.actuators, setting.centre)


def rows(found: tuple[Command, ...]) -> list[tuple[str, str]]:
    """Each axis with what it makes both ways, a name and a sentence each."""
    made = []
    for axis in range(6):
        both = [one for one in found if one.axis == axis]
        title = ", ".join(f"{one.words} {units.show(one.pure, one.unit)}" for one in both)
        lacks = [authority.lack(one) for one in both if one.pure == 0.0]
        made.append((title, "; ".join(lacks) if lacks else f"pure, with nothing beside it ({AXES[axis]})"))
    return made


def paint(painter: QPainter, view: Sheet, found: tuple[Command, ...], centre: tuple[float, float, float]) -> None:
    """From the centre of mass an arrow each way that a pure force is made along, as long as it is strong, and words for
    the moments about the axis that is seen; the weakest of each, and what cannot be made, in the colour of warnings."""
    forces = [one for one in found if one.axis < 3]
    most = max((one.pure for one in forces), default=0.0)
    if most <= 0.0:
        return
    least = min(one.pure for one in forces)
    start = view.at(centre)
    painter.setFont(theme.font(10))
    for one in forces:
        if one.axis not in (view.across, view.up):
            continue
        step = [0.0, 0.0, 0.0]
        step[one.axis] = float(one.sign)
        to = view.at((centre[0] + step[0], centre[1] + step[1], centre[2] + step[2])) - start
        size = max(math.hypot(to.x(), to.y()), 1e-9)
        ahead = to / size
        weak = one.pure == 0.0 or one.pure <= 1.001 * least
        ink = theme.colour("warning") if weak else theme.family("holder")
        tip = start + ahead * (LONGEST * one.pure / most)
        painter.setPen(QPen(ink, 2.4))
        painter.drawLine(start, tip)
        across = QPointF(-ahead.y(), ahead.x())
        painter.setBrush(ink)
        painter.drawPolygon(QPolygonF([tip + ahead * 7, tip + across * 4, tip - across * 4]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        words = units.show(one.pure, "N") if one.pure else f"no {one.words}"
        aside = 0.5 * painter.fontMetrics().horizontalAdvance(words) * abs(ahead.x())
        _label(painter, view, tip + ahead * (18.0 + aside), words, ink)
    normal = 3 - view.across - view.up
    turns = [one for one in found if one.axis == 3 + normal]
    words = " · ".join(f"{one.words} {units.show(one.pure, 'N m')}" for one in turns)
    weak = any(one.pure <= 1.001 * min(each.pure for each in found if each.axis >= 3) for one in turns)
    at = QPointF(view.box.center().x(), view.box.top() + 32.0)
    _label(painter, view, at, words, theme.colour("warning") if weak else theme.family("holder"))


def _label(painter: QPainter, view: Sheet, at: QPointF, words: str, ink: QColor) -> None:
    wide = painter.fontMetrics().horizontalAdvance(words) + 8
    box = QRectF(at.x() - 0.5 * wide, at.y() - 8.0, wide, 15.0)
    box.moveLeft(max(min(box.left(), view.box.right() - wide - 4), view.box.left() + 4))
    box.moveTop(max(min(box.top(), view.box.bottom() - 19.0), view.box.top() + 22.0))
    painter.fillRect(box, theme.colour("card", 225))
    painter.setPen(ink)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
