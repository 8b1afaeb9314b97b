"""A panel that is shown in the place of the drill, and what such panels draw alike."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.planpaint import Frame


class StandIn(QWidget):
    """A panel that takes the place of other widgets while it is shown."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._hidden: tuple[QWidget, ...] = ()
        self.setObjectName("page")

    def stand_in_for(self, *parts: QWidget) -> None:
        """The widgets in whose place it is shown."""
        self._hidden = parts

    def leave(self) -> None:
        """The drill again."""
        self.swap(False)

    def swap(self, shown: bool) -> None:
        """Shows it in their place, or them in its."""
        self.setVisible(shown)
        for part in self._hidden:
            part.setVisible(not shown)


def paint_scale(painter: QPainter, frame: Frame, box: QRectF) -> None:
    """Draws a round length as long as it is on a plan, at its lower left."""
    metre = 10.0 ** np.floor(np.log10(max(120.0 / frame.scale, 1e-6)))
    left, base = box.left() + 14, box.bottom() - 14
    painter.setPen(QPen(theme.colour("ink"), 1.5))
    painter.drawLine(QPointF(left, base), QPointF(left + metre * frame.scale, base))
    painter.drawText(QPointF(left, base - 6), units.show(float(metre), "m"))
