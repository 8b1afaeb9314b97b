"""The picture of tires on an open strip: their curve with where each wheel is on it, and a friction circle a wheel."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from oak_sled.core.advice.grips import SLIPS_DEG, WheelGrip
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.desk.widgets import theme

CIRCLES = 148
"""px for the friction circles, right of the curve."""


class TireDrawing(QWidget):
    """Side force over load by slip angle: the law, all that the last run made of it (faint), and every wheel now. Right
    of it a friction circle a wheel: up is along it, left is to its left, the rim is the most it can give."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.curve: Floats = np.zeros(len(SLIPS_DEG))
        self.wheels: list[WheelGrip] = []
        self.visited: Floats = np.zeros((0, 2))
        self.setMinimumSize(350, 112)
        self.setToolTip(
            "side force over load by slip angle: the law, what the run made of it, and each wheel at the cursor; "
            "right, a circle a wheel: its rim is the most that its tire can give"
        )

    def show_grips(self, curve: Floats, wheels: list[WheelGrip], visited: Floats) -> None:
        """Shows a law over `grips.SLIPS_DEG`, the wheels at the cursor, and all that was visited, shape (n, 2)."""
        self.curve, self.wheels, self.visited = curve, wheels, visited
        self.update()

    def words(self) -> str:
        """The picture in words, for a screen reader."""
        return "; ".join(
            f"{one.word} {units.show(one.load, 'N')}, {units.fixed(one.slip_deg, '°', 1)}, "
            f"{100 * _used(one):.0f} % of its grip"
            for one in self.wheels
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_curve(painter, QRectF(30, 8, self.width() - CIRCLES - 46, self.height() - 28))
        self._paint_circles(painter, QRectF(self.width() - CIRCLES, 0, CIRCLES, self.height()))

    def _paint_curve(self, painter: QPainter, box: QRectF) -> None:
        tallest = float(np.max(self.visited[:, 1], initial=0.0))
        most = max(0.05, 1.12 * max(float(self.curve.max()), min(tallest, 3.0 * float(self.curve.max()))))
        widest = float(SLIPS_DEG[-1])

        def at(slip: float, share: float) -> QPointF:
            x = box.left() + min(slip / widest, 1.0) * box.width()
            return QPointF(x, box.bottom() - min(share / most, 1.0) * box.height())

        painter.setPen(theme.pen("desk_soft", 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.drawLine(box.bottomLeft(), box.topLeft())
        painter.setPen(theme.pen("desk_soft", 2))
        painter.drawPoints(QPolygonF([at(float(slip), float(share)) for slip, share in self.visited]))
        path = QPainterPath(at(0.0, float(self.curve[0])))
        for slip, share in zip(SLIPS_DEG[1:], self.curve[1:], strict=True):
            path.lineTo(at(float(slip), float(share)))
        pen = theme.pen_in(theme.family("grip", on_desk=True), 1.6)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("oak_light"))
        for one in self.wheels:
            painter.drawEllipse(at(one.slip_deg, one.share), 3.5, 3.5)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("desk_soft"))
        painter.drawText(QPointF(0, box.top() + 8), f"{most:.2f}")
        painter.drawText(QPointF(box.left() - 3, box.bottom() + 13), "0")
        painter.drawText(QRectF(box.right() - 90, box.bottom() + 2, 90, 14), Qt.AlignmentFlag.AlignRight, "45° slip")

    def _paint_circles(self, painter: QPainter, box: QRectF) -> None:
        if not self.wheels:
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("desk_soft"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "no wheel")
            return
        xs, ys = (
            sorted({one.at[0] for one in self.wheels}, reverse=True),
            sorted({one.at[1] for one in self.wheels}, reverse=True),
        )
        wide, tall = box.width() / len(ys), box.height() / len(xs)
        radius = max(min(0.5 * wide - 6.0, 0.5 * tall - 10.0), 8.0)
        for one in self.wheels:
            middle = QPointF(
                box.left() + (ys.index(one.at[1]) + 0.5) * wide, box.top() + (xs.index(one.at[0]) + 0.5) * tall - 6.0
            )
            used = _used(one)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("warning_light" if used > 0.97 else "desk_soft", 1.2))
            painter.drawEllipse(middle, radius, radius)
            tip = middle + QPointF(-one.side * radius, -one.along * radius)
            pen = theme.pen_in(theme.family("grip", on_desk=True), 1.6)
            painter.setPen(pen)
            painter.drawLine(middle, tip)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("oak_light"))
            painter.drawEllipse(tip, 3.0, 3.0)
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("desk_soft"))
            under = QRectF(middle.x() - 0.5 * wide, middle.y() + radius + 1, wide, 13)
            painter.drawText(under, Qt.AlignmentFlag.AlignCenter, units.show(one.load, "N"))


def _used(one: WheelGrip) -> float:
    return float(np.hypot(one.along, one.side))
