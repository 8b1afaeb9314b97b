"""Pictures of a tuning: how it gets on, the trade-off of terms that fight, and the moves that came of it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.feel.explained import Point
from oak_sled.core.project import shelf
from oak_sled.core.study import variants
from oak_sled.desk.feel.tuning import TRIES, Tuning
from oak_sled.desk.widgets import accessibility, keys, theme

ROW = 34


class Curve(QWidget):
    """The part of the goal that is left over the tries, or the points of a trade-off. Signals: taken(point)."""

    taken = pyqtSignal(object)

    def __init__(self, tuning: Tuning, parent: QWidget | None = None):
        super().__init__(parent)
        self.tuning = tuning
        self.setFixedHeight(120)
        self._spots: list[tuple[QPointF, Point]] = []

    def tell(self) -> None:
        """Says it as it is now."""
        progress = self.tuning.progress
        told = (
            f"{progress.tries} tries, {progress.met} of {progress.terms} met" if progress is not None else "not begun"
        )
        accessibility.describe(self, "progress of the tuning", told)
        self.setToolTip("a click on a point takes it" if self.tuning.front is not None else "")
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for spot, point in self._spots:
                if (spot - event.position()).manhattanLength() < 14:
                    self.taken.emit(point)
                    return

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(40, 8, self.width() - 52, self.height() - 30)
        painter.fillRect(box, theme.colour("card"))
        painter.setPen(theme.pen("rule"))
        painter.drawRect(box)
        painter.setFont(theme.font(10))
        self._spots = []
        if self.tuning.front is not None:
            self._paint_front(painter, box)
        else:
            self._paint_history(painter, box)

    def _paint_history(self, painter: QPainter, box: QRectF) -> None:
        history = self.tuning.history
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(0, box.top() - 4, 36, 12), Qt.AlignmentFlag.AlignRight, "missed")
        painter.drawText(QRectF(0, box.bottom() - 9, 36, 12), Qt.AlignmentFlag.AlignRight, "0")
        painter.drawText(QPointF(box.left(), self.height() - 6), "0")
        most = max(TRIES // 4, history[-1][0] if history else 0)
        painter.drawText(
            QRectF(box.left(), self.height() - 18, box.width(), 14), Qt.AlignmentFlag.AlignRight, f"{most} tries"
        )
        if not history:
            return
        top = max(history[0][1], 1e-9)
        path = QPainterPath()
        for k, (tries, left) in enumerate(history):
            at = QPointF(box.left() + tries / most * box.width(), box.bottom() - (left / top) ** 0.5 * box.height())
            if k == 0:
                path.moveTo(at)
            else:
                path.lineTo(at.x(), path.currentPosition().y())
                path.lineTo(at)
        painter.setPen(theme.pen("oak_deep", 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _paint_front(self, painter: QPainter, box: QRectF) -> None:
        assert self.tuning.front is not None
        fight, points = self.tuning.front
        shown = [
            (point.one, point.other, point) for point in points if point.one is not None and point.other is not None
        ]
        if not shown:
            return
        inner = box.adjusted(12, 12, -12, -12)
        ends = []
        for term, values in ((fight.one, [a for a, _, _ in shown]), (fight.other, [b for _, b, _ in shown])):
            marks = [*values, *(end for end in (term.band.low, term.band.high) if end is not None)]
            ends.append((min(marks), max(max(marks), min(marks) + 1e-9)))
        (low_x, high_x), (low_y, high_y) = ends
        for one, other, point in shown:
            x = inner.left() + (one - low_x) / (high_x - low_x) * inner.width()
            y = inner.bottom() - (other - low_y) / (high_y - low_y) * inner.height()
            self._spots.append((QPointF(x, y), point))
        painter.setPen(theme.pen("good", 1.5))
        for end in (fight.one.band.low, fight.one.band.high):
            if end is not None:
                x = inner.left() + (end - low_x) / (high_x - low_x) * inner.width()
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        for end in (fight.other.band.low, fight.other.band.high):
            if end is not None:
                y = inner.bottom() - (end - low_y) / (high_y - low_y) * inner.height()
                painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        painter.setPen(theme.pen("card"))
        painter.setBrush(theme.colour("oak_deep"))
        for spot, _ in self._spots:
            painter.drawEllipse(spot, 5.5, 5.5)
        painter.setPen(theme.colour("soft"))
        small = theme.font(10)
        label = QRectF(box.left(), self.height() - 18, box.width(), 14)
        painter.drawText(label, Qt.AlignmentFlag.AlignRight, theme.elide(f"{fight.one.title} →", box.width(), small))
        painter.save()
        painter.translate(30, box.bottom())
        painter.rotate(-90)
        painter.drawText(QPointF(0, 0), theme.elide(f"{fight.other.title} →", box.height(), small))
        painter.restore()


class Moves(QWidget):
    """The moves that are looked at, each with what it bought, and a slider of how many there are. Signals: chosen(place
    among the fewest)."""

    PROMISED = keys.Keys.of(Qt.Key.Key_Left, Qt.Key.Key_Right)

    chosen = pyqtSignal(int)

    def __init__(self, tuning: Tuning, parent: QWidget | None = None):
        super().__init__(parent)
        self.tuning = tuning
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(60)

    def tell(self) -> None:
        """Says it as it is now."""
        looked = self.tuning.looked_at
        self.setMinimumHeight(58 + ROW * len(looked.moves) if looked is not None else 40)
        told = self.tuning.told
        words = (
            f"{len(looked.moves)} moves, {looked.met} of {len(told.tuned.terms)} met" if looked and told else "none yet"
        )
        accessibility.describe(self, "moves of the tuning", words, "left and right choose how many")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(320, self.minimumHeight())

    def dot(self, place: int) -> QPointF:
        """Place of the dot of an entry of the slider: all moves at the left, none at the right."""
        told = self.tuning.told
        count = len(told.fewest) if told is not None else 1
        return QPointF(18 + place * (self.width() - 36) / max(count - 1, 1), 24)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        told = self.tuning.told
        if event is None or told is None or event.position().y() > 44 or not told.fewest:
            return
        away = [abs(self.dot(k).x() - event.position().x()) for k in range(len(told.fewest))]
        self.chosen.emit(away.index(min(away)))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self.mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.chosen.emit(self.tuning.chosen + (1 if event.key() == Qt.Key.Key_Right else -1))
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        told, looked = self.tuning.told, self.tuning.looked_at
        small = theme.font(theme.SMALL)
        painter.setFont(small)
        painter.setPen(theme.colour("soft"))
        if told is None or looked is None:
            painter.drawText(QRectF(8, 4, self.width() - 16, 40), int(Qt.TextFlag.TextWordWrap), self._hint())
            return
        painter.drawText(QPointF(8, 12), "all moves")
        painter.drawText(QRectF(0, 1, self.width() - 8, 14), Qt.AlignmentFlag.AlignRight, "none")
        painter.setPen(theme.pen("rule", 2.0))
        painter.drawLine(self.dot(0), self.dot(len(told.fewest) - 1))
        whole = len(told.tuned.terms)
        for place, one in enumerate(told.fewest):
            at, here = self.dot(place), place == self.tuning.chosen
            painter.setPen(theme.pen("ink" if here else "card", 2.0 if here else 1.0))
            painter.setBrush(theme.colour("good" if one.met == whole else "oak"))
            painter.drawEllipse(at, 8.0 if here else 6.0, 8.0 if here else 6.0)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.drawText(QPointF(8, 50), f"{len(looked.moves)} moves meet {looked.met} of {whole}")
        bought = {one.move.path: one for one in told.bought}
        yard = self.tuning.session.yard
        most = max((one.left for one in told.bought), default=1.0) or 1.0
        for k, move in enumerate(looked.moves):
            top = 58 + ROW * k
            painter.setFont(theme.font(theme.TEXT))
            painter.setPen(theme.colour("ink"))
            name = shelf.words_of(shelf.words_path(yard, move.path).split(".", 2)[-1])
            unit, sign = variants.unit_of(yard, move.path), variants.sign_of(yard, move.path)
            numbers = f"{units.show(sign * move.before, unit)} → {units.show(sign * move.value, unit)}"
            room = self.width() - 24 - theme.width(numbers, theme.font(theme.TEXT))
            painter.drawText(QPointF(8, top + 13), theme.elide(name, room, theme.font(theme.TEXT)))
            painter.drawText(QRectF(0, top, self.width() - 8, 16), Qt.AlignmentFlag.AlignRight, numbers)
            price = bought.get(move.path)
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("soft"))
            lost = ", ".join(term.title for term in price.lost) if price is not None else ""
            says = f"without it: {lost}" if lost else ""
            painter.drawText(QPointF(8, top + 27), theme.elide(says, self.width() - 80, theme.font(10)))
            if price is not None:
                bar = QRectF(self.width() - 68, top + 20, 60 * min(price.left / most, 1.0) ** 0.5, 6)
                painter.fillRect(bar, theme.colour("oak"))

    def _hint(self) -> str:
        if self.tuning.is_on:
            return "the best so far drives as the pale ghost in the yard view"
        return "star words at the left, then tune: dials are moved until the craft fits them"
