"""Drawing of what holds the bodies of a craft together on the Build page, and of where they are taken hold of."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from oak_sled.core.parts.context import Spot
from oak_sled.core.yard.hinge import Jointed
from oak_sled.core.yard.tie import Stretched, Tie
from oak_sled.desk.craftpage.buildpaint import Sheet
from oak_sled.desk.widgets import theme

AXIS_PX = 26.0
"""px of the axis of a joint, to each side."""


def paint_grip(painter: QPainter, view: Sheet, spot: Spot, tie: bool, chosen: bool) -> None:
    """The point at which a further body (a square on its tip) or a tie (a ring) is taken hold of."""
    at, wide = view.at(spot), 9.0 if chosen else 6.0
    ink = theme.family("tie") if tie else theme.colour("oak_deep")
    painter.setPen(QPen(ink, 3.0 if chosen else 1.8))
    painter.setBrush(theme.colour("card"))
    if tie:
        painter.drawEllipse(at, wide, wide)
    else:
        corners = (QPointF(wide, 0), QPointF(0, wide), QPointF(-wide, 0), QPointF(0, -wide))
        painter.drawPolygon(QPolygonF([at + corner for corner in corners]))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_tie(painter: QPainter, view: Sheet, tie: Tie, chosen: bool) -> None:
    """A tie between two bodies: its line, or its axis, and its name where it is selected."""
    ink = theme.family("tie")
    painter.setPen(QPen(ink, 2.4 if chosen else 1.6))
    at = view.at(tie.begin)
    if isinstance(tie, Jointed) and not isinstance(tie, Stretched):
        way = tie.way()
        reach = AXIS_PX / view.scale
        tips = [tuple((np.array(tie.begin) + side * reach * way).tolist()) for side in (-1.0, 1.0)]
        painter.setPen(QPen(ink, 1.6, Qt.PenStyle.DashDotLine))
        painter.drawLine(view.at(tips[0]), view.at(tips[1]))
    else:
        painter.drawLine(at, view.at(tie.end))
    if chosen and view.up == 1:
        words = tie.heading
        painter.setFont(theme.font(theme.SMALL))
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        box = QRectF(at.x() + 12, at.y() - 30, width, 20)
        painter.fillRect(box, theme.colour("strip"))
        painter.setPen(theme.colour("desk_text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
