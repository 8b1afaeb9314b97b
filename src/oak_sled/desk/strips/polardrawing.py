"""The picture of a wing on its open strip: lift and drag over angle of attack, with where each panel is on them."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.advice.polars import ANGLES_DEG, Panel
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.desk.widgets import theme


class PolarDrawing(QWidget):
    """Coefficients of lift (line) and drag (dashes), and a mark on each for every panel at the cursor."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.lift: Floats = np.zeros(len(ANGLES_DEG))
        self.drag: Floats = np.zeros(len(ANGLES_DEG))
        self.panels: list[Panel] = []
        self.setMinimumSize(240, 112)
        self.setToolTip(
            "coefficients of lift (line) and drag (dashes) over angle of attack, surfaces at rest; the marks are the "
            "panels at the cursor, red where they are stalled"
        )

    def show_polar(self, lift: Floats, drag: Floats, panels: list[Panel]) -> None:
        """Shows both curves over `polars.ANGLES_DEG`, shape (201,) each, and the panels at the cursor."""
        self.lift, self.drag, self.panels = lift, drag, panels
        self.update()

    def words(self) -> str:
        """The picture in words, for a screen reader."""
        return "; ".join(
            f"{units.fixed(one.angle_deg, '°', 1)}, lift {one.lift:.2f}, drag {one.drag:.3f}"
            + (", stalled" if one.stalled else "")
            for one in self.panels
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(34, 8, self.width() - 44, self.height() - 28)
        high = 1.12 * max(0.5, float(self.lift.max()), float(self.drag.max()))
        low = min(-0.3, 1.12 * float(self.lift.min()))
        first, last = float(ANGLES_DEG[0]), float(ANGLES_DEG[-1])

        def at(angle: float, value: float) -> QPointF:
            x = box.left() + (min(max(angle, first), last) - first) / (last - first) * box.width()
            return QPointF(x, box.bottom() - (min(max(value, low), high) - low) / (high - low) * box.height())

        painter.setPen(theme.pen("desk_soft", 1))
        painter.drawLine(at(first, 0.0), at(last, 0.0))
        painter.drawLine(at(0.0, low), at(0.0, high))
        ink = theme.family("air", on_desk=True)
        for values, style in ((self.lift, Qt.PenStyle.SolidLine), (self.drag, Qt.PenStyle.DashLine)):
            path = QPainterPath(at(first, float(values[0])))
            for angle, value in zip(ANGLES_DEG[1:].tolist(), values[1:].tolist(), strict=True):
                path.lineTo(at(angle, value))
            pen = theme.pen_in(ink, 1.6)
            pen.setStyle(style)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        painter.setPen(Qt.PenStyle.NoPen)
        for one in self.panels:
            painter.setBrush(theme.colour("warning_light" if one.stalled else "oak_light"))
            painter.drawEllipse(at(one.angle_deg, one.lift), 3.5, 3.5)
            painter.drawEllipse(at(one.angle_deg, one.drag), 2.5, 2.5)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("desk_soft"))
        painter.drawText(QPointF(0, box.top() + 8), f"{high:.2f}")
        painter.drawText(QPointF(0, at(0.0, 0.0).y() + 4), "0")
        for angle in (-30, 0, 30, 60):
            words = f"{angle}°"
            place = at(float(angle), low)
            painter.drawText(QRectF(place.x() - 20, box.bottom() + 2, 40, 14), Qt.AlignmentFlag.AlignCenter, words)
