"""Trade-off: the variants of a spread by two of its measures, with those that no other beats in both."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.measure import Measure
from oak_sled.core.study import maps
from oak_sled.core.yard.spreads import Spread
from oak_sled.desk.widgets import accessibility, theme

LEFT, TOP, RIGHT, BOTTOM = 56, 40, 14, 34
NEAR = 9.0
"""px within which a point is meant."""


class TradeOff(QWidget):
    """Draws two measures of all variants against each other. Signals: taken(number), looked(number, or -1)."""

    taken = pyqtSignal(int)
    looked = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.plan: Spread | None = None
        self.known: tuple[Measure, Measure] | None = None
        self.across: Floats = np.zeros(0)
        self.up: Floats = np.zeros(0)
        self.less = (True, True)
        """True if less of each measure is better."""
        self.front: list[int] = []
        self.now = -1
        self.chosen = -1
        self.setMinimumSize(240, 150)
        self.setMouseTracking(True)
        self.setToolTip("every variant by two measures; those that none beats in both are joined; a click takes one")

    def show_measures(
        self, plan: Spread | None, known: tuple[Measure, Measure] | None, x: Floats, y: Floats,
        less: tuple[bool, bool], now: int,
    ) -> None:  # fmt: skip
        """Shows two measures, one value a variant. now : the variant that is set, or -1."""
        self.plan, self.known, self.across, self.up, self.less, self.now = plan, known, x, y, less, now
        self.front = maps.unbeaten(x, y, *less) if plan is not None else []
        accessibility.describe(self, "trade-off", self.words())
        self.update()

    def words(self) -> str:
        """The picture in words."""
        if self.known is None:
            return "two measures are needed"
        both = int((np.isfinite(self.across) & np.isfinite(self.up)).sum())
        return f"{self.known[0].title} against {self.known[1].title}: {both} variants, {len(self.front)} unbeaten"

    def mark(self, number: int) -> None:
        """Marks a variant that is looked at elsewhere."""
        if number != self.chosen:
            self.chosen = number
            self.update()

    def _box(self) -> QRectF:
        return QRectF(LEFT, TOP, max(self.width() - LEFT - RIGHT, 20), max(self.height() - TOP - BOTTOM, 20))

    def _ends(self) -> tuple[tuple[float, float], tuple[float, float]]:
        both = np.isfinite(self.across) & np.isfinite(self.up)
        found = []
        for values in (self.across[both], self.up[both]):
            low, high = (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)
            spare = 0.06 * (high - low) or 0.5
            found.append((low - spare, high + spare))
        return found[0], found[1]

    def place_of(self, number: int) -> QPointF:
        """Position of a variant, px."""
        box, (across, up) = self._box(), self._ends()
        return QPointF(
            box.left() + (float(self.across[number]) - across[0]) / (across[1] - across[0]) * box.width(),
            box.bottom() - (float(self.up[number]) - up[0]) / (up[1] - up[0]) * box.height(),
        )

    def _known_numbers(self) -> list[int]:
        return np.flatnonzero(np.isfinite(self.across) & np.isfinite(self.up)).tolist()

    def number_at(self, at: QPointF) -> int:
        """The variant at a place; -1 for none."""
        near = [((self.place_of(k) - at).manhattanLength(), k) for k in self._known_numbers()]
        found = [one for one in near if one[0] <= NEAR]
        return min(found)[1] if found else -1

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.known is not None:
            number = self.number_at(event.position())
            if number != self.chosen:
                self.mark(number)
                self.looked.emit(number)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.known is not None and (number := self.number_at(event.position())) >= 0:
            self.taken.emit(number)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("desk"))
        painter.setFont(theme.font(theme.HEADING, bold=True))
        painter.setPen(theme.colour("desk_text"))
        painter.drawText(QPointF(12, 20), "Trade-off")
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("desk_soft"))
        if self.known is None:
            painter.drawText(QPointF(86, 20), "needs two measures: add one above")
            return
        better = [f"{'less' if less else 'more'} {one.title}" for less, one in zip(self.less, self.known, strict=True)]
        says = f"better: {better[0]}, {better[1]}"
        painter.drawText(QPointF(86, 20), theme.elide(says, self.width() - 96, theme.font(theme.SMALL)))
        box, (across, up) = self._box(), self._ends()
        painter.setPen(theme.pen("desk_soft", 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.drawLine(box.bottomLeft(), box.topLeft())
        for value in maps.levels(*across, 4):
            x = box.left() + (value - across[0]) / (across[1] - across[0]) * box.width()
            words = units.tick(value, self.known[0].unit)
            painter.drawText(QRectF(x - 30, box.bottom() + 2, 60, 14), Qt.AlignmentFlag.AlignCenter, words)
        for value in maps.levels(*up, 3):
            y = box.bottom() - (value - up[0]) / (up[1] - up[0]) * box.height()
            words = units.tick(value, self.known[1].unit)
            painter.drawText(QRectF(0, y - 7, LEFT - 5, 14), Qt.AlignmentFlag.AlignRight, words)
        right, top = (f"{one.title}, {units.pretty(units.name_of(one.unit))}".rstrip(", ") for one in self.known)
        painter.drawText(QRectF(box.left(), box.bottom() + 16, box.width(), 14), Qt.AlignmentFlag.AlignRight, right)
        painter.drawText(QPointF(8, TOP - 6), theme.elide(top, self.width() - 16, theme.font(theme.SMALL)))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("desk_soft", 130))
        for number in self._known_numbers():
            painter.drawEllipse(self.place_of(number), 2.4, 2.4)
        painter.setPen(theme.pen("oak_light", 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([self.place_of(number) for number in self.front]))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("oak_light"))
        for number in self.front:
            painter.drawEllipse(self.place_of(number), 3.4, 3.4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for number, ink in ((self.now, "warning_light"), (self.chosen, "desk_text")):
            if 0 <= number < len(self.across) and np.isfinite(self.across[number]) and np.isfinite(self.up[number]):
                painter.setPen(theme.pen(ink, 1.8))
                painter.drawEllipse(self.place_of(number), 6.5, 6.5)
