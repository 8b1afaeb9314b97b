"""The chart of force laws over one quantity: curves, working points, what the last run used, and where none holds."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from oak_sled.core.advice.laws import Chart, Curve
from oak_sled.core.base import units
from oak_sled.desk.panes.traceplot import nice_step
from oak_sled.desk.widgets import accessibility, theme

LEFT, TOP, RIGHT, BOTTOM = 58, 16, 12, 36
FAMILIES = ("holder", "drive", "impulse", "air", "grip", "tie")
DASHES = (Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine, Qt.PenStyle.DashDotDotLine)
NEAR = 8.0
"""px from a curve within which a click means it."""


def pen_of(place: int) -> QPen:
    """The pen of the curve in that place: the law in force in ink, each other by a colour and a dash of its own."""
    if place == 0:
        return theme.pen("ink", 2.2)
    made = QPen(theme.family(FAMILIES[(place - 1) % len(FAMILIES)]), 1.6)
    made.setStyle(DASHES[(place - 1) % len(DASHES)])
    return made


def shown_unit(unit: str) -> tuple[float, str]:
    """(factor, unit) in which a quantity is shown: angles in degrees."""
    return (180.0 / math.pi, "°") if unit == "rad" else (1.0, unit)


def value_range(curves: Sequence[Curve], x: np.ndarray, used: tuple[float, float] | None) -> tuple[float, float]:
    """The stretch of values that is drawn: what the law in force does where it is used, and the others beside it.

    A law that goes up without bound somewhere, or another that does, leaves the view and does not flatten the rest.
    """
    own = curves[0].values
    inside = np.ones(len(x), bool) if used is None else (x >= used[0]) & (x <= used[1])
    core = own[inside] if inside.any() else own
    low, high = min(0.0, float(core.min())), max(0.0, float(core.max()))
    span = max(high - low, 1e-9)
    for curve in curves:
        low = min(low, max(float(curve.values.min()), low - 0.25 * span))
        high = max(high, min(float(curve.values.max()), high + 0.25 * span))
    margin = 0.06 * max(high - low, 1e-9)
    return low - margin * (low < 0.0), high + margin


class LawChart(QWidget):
    """Draws a chart. Signals: picked(place of a curve) when one is clicked."""

    picked = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.chart: Chart | None = None
        self.places: list[int] = []
        """The place of each curve among the candidates, which decides its pen."""
        self._hover: float | None = None
        self.setMinimumHeight(96)
        self.setMouseTracking(True)

    def show_chart(self, chart: Chart | None, places: list[int]) -> None:
        """Shows a chart, or nothing."""
        self.chart, self.places = chart, places
        self.update()
        if chart is not None:
            accessibility.describe(self, f"{chart.place.title} over {chart.quantity}", self.words())

    def words(self) -> str:
        """The chart in words: the working point, the slope there, and what the last run used."""
        chart = self.chart
        if chart is None:
            return ""
        of = chart.place.quantity(chart.quantity)
        factor, unit = shown_unit(of.unit)
        said = []
        if chart.middle is not None:
            x, y = chart.middle
            said.append(f"at the cursor {units.show(y, chart.place.gives)} at {units.show(x * factor, unit)}")
            per = f"{chart.place.gives or '1'}/({unit})" if "/" in unit else f"{chart.place.gives or '1'}/{unit or '1'}"
            per = {"N/(m/s)": "N s/m"}.get(per, per)
            said.append(f"slope {units.show(chart.slope / factor, per)}")
        elif chart.used is not None:
            said.append("does not act at the cursor")
        if chart.used is not None:
            low, high = (value * factor for value in chart.used)
            said.append(f"the run used {units.show(low, unit)} to {units.show(high, unit)}")
        return " · ".join(said)

    # places

    def _box(self) -> QRectF:
        return QRectF(LEFT, TOP, max(20, self.width() - LEFT - RIGHT), max(20, self.height() - TOP - BOTTOM))

    def _scales(self) -> tuple[float, float, float, float]:
        assert self.chart is not None
        low, high = value_range(self.chart.curves, self.chart.x, self.chart.used)
        return float(self.chart.x[0]), float(self.chart.x[-1]), low, high

    def at(self, x: float, y: float) -> QPointF:
        """The px of a quantity and a value."""
        first, last, low, high = self._scales()
        box = self._box()
        return QPointF(
            box.left() + (x - first) / (last - first) * box.width(),
            box.bottom() - (y - low) / (high - low) * box.height(),
        )

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        chart = self.chart
        if chart is None or not chart.curves:
            painter.setPen(theme.colour("soft"))
            painter.setFont(theme.font(theme.TEXT))
            words = "No part of this craft has a law to draw: fit hover pads, wheels, a thruster, drag or runners."
            painter.drawText(self.rect().adjusted(16, 0, -16, 0), Qt.AlignmentFlag.AlignCenter, words)
            return
        painter.fillRect(box, theme.colour("card"))
        self._paint_used(painter, box, chart)
        self._paint_rules(painter, box, chart)
        painter.save()
        painter.setClipRect(box.adjusted(0, -1, 0, 1))
        for place, curve in reversed(list(zip(self.places, chart.curves, strict=True))):
            painter.setPen(pen_of(place))
            painter.drawPath(self._path(curve))
        self._paint_points(painter, chart)
        painter.restore()
        self._paint_hover(painter, box, chart)

    def _path(self, curve: Curve) -> QPainterPath:
        assert self.chart is not None
        first, last, low, high = self._scales()
        box = self._box()
        xs = box.left() + (self.chart.x - first) / (last - first) * box.width()
        ys = box.bottom() - (curve.values - low) / (high - low) * box.height()
        ys = np.clip(ys, box.top() - 2000.0, box.bottom() + 2000.0)
        path = QPainterPath(QPointF(float(xs[0]), float(ys[0])))
        for x, y in zip(xs[1:].tolist(), ys[1:].tolist(), strict=True):
            path.lineTo(x, y)
        return path

    def _paint_used(self, painter: QPainter, box: QRectF, chart: Chart) -> None:
        """The stretch that the last run used, and those where the law in force cannot hold."""
        if chart.used is not None:
            left, right = (self.at(value, 0.0).x() for value in chart.used)
            painter.fillRect(QRectF(left, box.top(), max(right - left, 2.0), box.height()), theme.colour("shade", 120))
            painter.fillRect(QRectF(left, box.bottom() - 3, max(right - left, 2.0), 3), theme.colour("oak"))
        small = theme.font(10)
        for place, (first, last, why) in enumerate(chart.unstable):
            left, right = self.at(first, 0.0).x(), self.at(last, 0.0).x()
            stretch = QRectF(left, box.top(), max(right - left, 2.0), box.height())
            warns = QColor(theme.colour("warning"))
            warns.setAlpha(60)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(Qt.BrushStyle.BDiagPattern)
            brush = painter.brush()
            brush.setColor(warns)
            painter.setBrush(brush)
            painter.drawRect(stretch)
            painter.setFont(small)
            painter.setPen(theme.colour("warning"))
            wide = theme.metrics(small).horizontalAdvance(why)
            x = min(max(left + 4, box.left() + 4), box.right() - wide - 4)
            painter.drawText(QPointF(x, box.top() + 12 + 13 * (place % 3)), why)

    def _paint_rules(self, painter: QPainter, box: QRectF, chart: Chart) -> None:
        first, last, low, high = self._scales()
        of = chart.place.quantity(chart.quantity)
        factor, unit = shown_unit(of.unit)
        in_use, unit = units.in_use().shown(1.0, unit)
        factor *= in_use
        small = theme.font(10)
        painter.setFont(small)
        step = nice_step((last - first) * factor / 5.0)
        for k in range(math.ceil(first * factor / step - 1e-9), math.floor(last * factor / step + 1e-9) + 1):
            x = self.at(k * step / factor, 0.0).x()
            painter.setPen(theme.pen("rule"))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(x - 40, box.bottom() + 3, 80, 14), Qt.AlignmentFlag.AlignCenter, f"{k * step:g}")
        given = units.in_use().shown(1.0, chart.place.gives)[0]
        step = nice_step((high - low) * given / 4.0) / given
        for k in range(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1):
            y = self.at(first, k * step).y()
            painter.setPen(theme.pen("ink" if k == 0 else "rule"))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(theme.colour("soft"))
            number = units.show(k * step, chart.place.gives) if k else "0"
            beside = QRectF(0, y - 8, LEFT - 5, 16)
            painter.drawText(beside, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, number)
        painter.setPen(theme.colour("ink"))
        words = f"{chart.quantity} [{units.pretty(unit)}]" if unit else chart.quantity
        painter.drawText(QRectF(box.left(), box.bottom() + 17, box.width(), 15), Qt.AlignmentFlag.AlignCenter, words)
        held = ", ".join(
            f"{name} {_shown(value, chart.place.quantity(name).unit)}"
            for name, value in chart.held.items()
            if name != chart.quantity and name in chart.place.names
        )
        if held:
            painter.setPen(theme.colour("soft"))
            painter.drawText(QPointF(box.left(), 11), theme.elide(f"at {held}", box.width(), small))

    def _paint_points(self, painter: QPainter, chart: Chart) -> None:
        """Paints where the law works at the cursor, and its slope there."""
        if chart.middle is not None:
            x, y = chart.middle
            reach = 0.09 * float(chart.x[-1] - chart.x[0])
            painter.setPen(theme.pen("oak_deep", 1.4))
            painter.drawLine(self.at(x - reach, y - chart.slope * reach), self.at(x + reach, y + chart.slope * reach))
        painter.setPen(theme.pen("card", 1.2))
        painter.setBrush(theme.colour("oak_deep"))
        for x, y in chart.points.tolist():
            painter.drawEllipse(self.at(x, y), 4.5, 4.5)

    def _paint_hover(self, painter: QPainter, box: QRectF, chart: Chart) -> None:
        """The values of every curve under the pointer."""
        if self._hover is None or not box.left() <= self._hover <= box.right():
            return
        first, last, _, _ = self._scales()
        x = first + (self._hover - box.left()) / box.width() * (last - first)
        painter.setPen(theme.pen("soft"))
        painter.drawLine(QPointF(self._hover, box.top()), QPointF(self._hover, box.bottom()))
        small = theme.font(10)
        lines = [f"{chart.quantity} {_shown(x, chart.place.quantity(chart.quantity).unit)}"]
        values = [float(np.interp(x, chart.x, curve.values)) for curve in chart.curves]
        for curve, value in zip(chart.curves, values, strict=True):
            lines.append(f"{curve.candidate.name}  {units.show(value, chart.place.gives)}")
        lines = lines[:9]
        wide = max(theme.metrics(small).horizontalAdvance(line) for line in lines) + 22
        left = self._hover + 10 if self._hover + 10 + wide < box.right() else self._hover - 10 - wide
        card = QRectF(left, box.top() + 4, wide, 15 * len(lines) + 8)
        painter.fillRect(card, theme.colour("paper", 235))
        painter.setPen(theme.pen("rule"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(card)
        painter.setFont(small)
        for k, line in enumerate(lines):
            y = card.top() + 15 * (k + 1)
            if k:
                painter.setPen(pen_of(self.places[k - 1]))
                painter.drawLine(QPointF(card.left() + 4, y - 4), QPointF(card.left() + 16, y - 4))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(card.left() + (20 if k else 5), y), line)

    # pointer

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._hover = event.position().x()
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._hover = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.chart is None or not self.chart.curves:
            return
        first, last, _, _ = self._scales()
        box = self._box()
        x = first + (event.position().x() - box.left()) / box.width() * (last - first)
        away = [
            abs(self.at(x, float(np.interp(x, self.chart.x, curve.values))).y() - event.position().y())
            for curve in self.chart.curves
        ]
        nearest = int(np.argmin(away))
        if away[nearest] <= NEAR:
            self.picked.emit(self.places[nearest])


def _shown(value: float, unit: str) -> str:
    factor, name = shown_unit(unit)
    return units.show(value * factor, name)
