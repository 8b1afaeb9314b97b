"""The picture of side force over slip angle on an open strip."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.advice.probe import SLIPS_DEG
from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.register import AnyPart
from oak_sled.desk.widgets import theme


class GripCurve(QWidget):
    """A runner's grip curve with the slip angle it works at now."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.part: AnyPart = None
        self.grips: Floats = np.zeros(len(SLIPS_DEG))
        self.slip, self.grip = 0.0, 0.0
        self.setMinimumSize(190, 96)
        self.setToolTip(
            "side force as a share of the load, over slip angle, at 10 m/s; the mark is what it does at the cursor"
        )

    def show_part(self, part: AnyPart, curve: Floats, slip_deg: float, grip: float) -> None:
        """Shows the grip over `probe.SLIPS_DEG`, and the working point: slip angle and side force over load."""
        self.part, self.grips, self.slip, self.grip = part, curve, slip_deg, grip
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.part is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(30, 8, self.width() - 40, self.height() - 28)
        most, widest = max(0.1, float(self.grips.max()) * 1.15), float(SLIPS_DEG[-1])

        def at(slip: float, grip: float) -> QPointF:
            height = min(grip / most, 1.0) * box.height()
            return QPointF(box.left() + min(slip / widest, 1.0) * box.width(), box.bottom() - height)

        painter.setPen(theme.pen("desk_soft", 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.drawLine(box.bottomLeft(), box.topLeft())
        path = QPainterPath(at(0.0, float(self.grips[0])))
        for slip, grip in zip(SLIPS_DEG[1:], self.grips[1:], strict=True):
            path.lineTo(at(float(slip), float(grip)))
        pen = theme.pen_in(theme.family("grip", on_desk=True), 1.6)
        painter.setPen(pen)
        painter.drawPath(path)
        dashed = theme.pen("desk_soft", 1)
        dashed.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(dashed)
        for slip in (self.part.grips_below_deg, self.part.slides_past_deg):
            painter.drawLine(at(slip, 0.0), at(slip, most))
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("desk_soft"))
        painter.drawText(QPointF(2, box.top() + 8), f"{most:.2f}")
        painter.drawText(QPointF(box.left() - 3, box.bottom() + 13), "0")
        painter.drawText(QPointF(box.right() - 52, box.bottom() + 13), "45° slip")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("oak_light"))
        painter.drawEllipse(at(abs(self.slip), self.grip), 4, 4)
