"""Force arrows: a colour and a shape for each family, so that nothing depends on colour alone."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from oak_sled.desk.widgets import theme

LEAST = 7.0
"""px below which an arrow is not drawn."""


def draw(painter: QPainter, start: QPointF, end: QPointF, family: str, still: bool = True) -> bool:
    """Draws an arrow in px, on a pale edge where the picture stands still; False when it is too short to be seen."""
    dx, dy = end.x() - start.x(), end.y() - start.y()
    size = math.hypot(dx, dy)
    if size < LEAST:
        return False
    ux, uy = dx / size, dy / size
    ink = theme.family(family)
    head = min(13.0, 0.5 * size + 3.0)
    neck = QPointF(end.x() - ux * head, end.y() - uy * head)
    width = 1.4 if family == "gravity" else 3.4
    if still:
        painter.setPen(QPen(theme.colour("paper", 200), width + 2.4))
        painter.drawLine(start, neck)
    painter.setPen(theme.pen_in(ink, width))
    painter.drawLine(start, neck)
    if family == "support":  # stands on a bar at its foot
        painter.drawLine(
            QPointF(start.x() - uy * 8, start.y() + ux * 8), QPointF(start.x() + uy * 8, start.y() - ux * 8)
        )
    _head(painter, family, neck, end, ux, uy, head, ink)
    return True


def _head(
    painter: QPainter, family: str, neck: QPointF, end: QPointF, ux: float, uy: float, head: float, ink: QColor
) -> None:
    px, py = -uy, ux
    half = head * 0.46

    def triangle(base: QPointF, tip: QPointF, wide: float) -> QPolygonF:
        return QPolygonF(
            [
                tip,
                QPointF(base.x() + px * wide, base.y() + py * wide),
                QPointF(base.x() - px * wide, base.y() - py * wide),
            ]
        )

    painter.setPen(theme.pen_in(ink, 2.0))
    painter.setBrush(ink)
    if family == "air":  # open cone
        painter.setBrush(theme.colour("paper"))
        painter.drawPolygon(triangle(neck, end, half))
    elif family == "grip":  # flat arrow
        painter.setPen(theme.pen_in(ink, 3.4))
        painter.drawLine(QPointF(neck.x() + px * half, neck.y() + py * half), end)
        painter.drawLine(QPointF(neck.x() - px * half, neck.y() - py * half), end)
        painter.drawLine(neck, end)
    elif family == "holder":  # square end
        middle = QPointF((neck.x() + end.x()) / 2, (neck.y() + end.y()) / 2)
        painter.drawRect(QRectF(middle.x() - 5, middle.y() - 5, 10, 10))
    elif family == "impulse":  # double cone
        painter.drawPolygon(triangle(neck, end, half))
        back = QPointF(neck.x() - ux * head * 0.8, neck.y() - uy * head * 0.8)
        painter.drawPolygon(triangle(back, neck, half))
    elif family == "tie":  # beads
        painter.drawEllipse(neck, 4, 4)
        painter.drawEllipse(end, 4, 4)
    else:  # drive and support: solid cone; gravity: the same, thin
        painter.drawPolygon(triangle(neck, end, half if family != "gravity" else half * 0.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def turn(painter: QPainter, centre: QPointF, radius: float, torque: float, family: str) -> None:
    """A torque about the upright axis, as an arc with an end of its family; positive turns left."""
    ink = theme.family(family)
    span = math.copysign(110.0, torque)
    box = QRectF(centre.x() - radius, centre.y() - 0.42 * radius, 2 * radius, 0.84 * radius)
    painter.setPen(theme.pen_in(ink, 3.0))
    painter.drawArc(box, int(-90 * 16 - span * 8), int(span * 16))
    angle = math.radians(-90.0 + span / 2.0)
    end = QPointF(centre.x() + radius * math.cos(angle), centre.y() - 0.42 * radius * math.sin(angle))
    painter.setBrush(ink)
    painter.drawRect(QRectF(end.x() - 4, end.y() - 4, 8, 8))
    painter.setBrush(Qt.BrushStyle.NoBrush)


class Labels:
    """Places labels beside points so that none covers another."""

    def __init__(self, width: float, height: float):
        # numbers, not boxes of Qt: each label is held against all of them in up to 54 places
        self._taken: list[tuple[float, float, float, float]] = []
        self._right, self._bottom = width - 2.0, height - 2.0

    def block(self, box: QRectF) -> None:
        """Keeps labels out of a box."""
        self._taken.append((box.left(), box.top(), box.right(), box.bottom()))

    def draw(self, painter: QPainter, at: QPointF, text: str, ink: QColor) -> None:
        """Draws `text` on a slip of paper near `at`."""
        chosen = theme.font(theme.SMALL)
        wide = theme.width(text, chosen) + 12
        place = self._free(at.x(), at.y(), wide)
        if place is None:
            return  # better no label than one that hides the craft
        left, top = place
        self._taken.append((left, top, left + wide, top + 18.0))
        painter.fillRect(QRectF(left, top, wide, 18.0), theme.colour("card", 232))
        painter.fillRect(QRectF(left, top, 3.0, 18.0), ink)
        painter.setFont(chosen)
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(left + 7.0, top + 13.0), text)

    def _free(self, x: float, y: float, wide: float) -> tuple[float, float] | None:
        """Free place of a label near a point: its left and its top, px."""
        lefts = (x + 9, x - 9 - wide, x + 60, x - 60 - wide, x + 110, x - 110 - wide)
        for shift in (0, -20, 20, -40, 40, -60, 60, -80, 80):
            top = y - 9.0 + shift
            if top < 2.0 or top + 18.0 > self._bottom:
                continue
            level = [one for one in self._taken if one[1] < top + 18.0 and top < one[3]]
            for left in lefts:
                if left < 2.0 or left + wide > self._right:
                    continue
                for taken in level:
                    if taken[0] < left + wide and left < taken[2]:
                        break
                else:
                    return left, top
        return None
