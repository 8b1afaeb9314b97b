"""The map of a spread over two dials, or its curve over one: drawn, hovered, crossed by a line, and taken from."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.measure import Measure
from oak_sled.core.study import maps, variants
from oak_sled.core.yard.spreads import Spread
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.spread import mappaint
from oak_sled.desk.spread.mappaint import BOTTOM, LEFT, PROFILE
from oak_sled.desk.widgets import accessibility, keys, theme

TOP, RIGHT = 34, 92
HELP = (
    "point at a variant for its values; a click takes its settings\n"
    "drag a line across to see the measure along it\n"
    "keys: arrows choose, Return takes"
)


class SpreadMap(QWidget):
    """Draws one measure of a spread. Signals: taken(number of a variant), looked(number, or -1 for none)."""

    PROMISED = keys.Keys.of(*keys.ARROWS, *keys.RETURN)

    taken = pyqtSignal(int)
    looked = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.yard: Yard | None = None
        self.plan: Spread | None = None
        self.measure = 0
        self.known: Measure | None = None
        self.values: Floats = np.zeros((0, 1, 1))
        self.met: np.ndarray | None = None
        self.now: tuple[float, ...] | None = None
        self.fresh = True
        """True if the values are of the yard as it is."""
        self.chosen = -1
        self.line: tuple[tuple[float, float], tuple[float, float]] | None = None
        self._pressed: QPointF | None = None
        self._begins = (0.0, 0.0)
        self.setMinimumSize(320, 260)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(HELP)

    def show_spread(
        self,
        yard: Yard,
        plan: Spread | None,
        known: Measure | None,
        measure: int,
        values: Floats,
        met: np.ndarray | None,
        fresh: bool,
    ) -> None:
        """Shows a measure of a spread. values : shape (variants, 1 + repeats, measures), NaN where none is known."""
        if plan is None or self.plan is None or plan.axes != self.plan.axes:
            self.line, self.chosen = None, -1
        self.yard, self.plan, self.known, self.measure = yard, plan, known, measure
        self.values, self.met, self.fresh = values, met, fresh
        self.now = variants.now_in(yard, plan) if plan is not None else None
        self._tell()
        self.update()

    def words(self) -> str:
        """The map in words."""
        if self.plan is None or self.known is None:
            return "nothing is varied yet"
        done = int(np.isfinite(self.values[:, 0, self.measure]).sum())
        at = f"; {self.said(self.chosen)}" if self.chosen >= 0 else ""
        return f"{self.known.title}: {done} of {self.plan.variants} variants{at}"

    def _tell(self) -> None:
        accessibility.describe(self, "map of the spread", self.words(), HELP)

    # places

    def box(self) -> QRectF:
        """Rectangle of the map, px."""
        foot = PROFILE if self.line is not None and self.flat() else 0
        return QRectF(LEFT, TOP, max(self.width() - LEFT - RIGHT, 40), max(self.height() - TOP - BOTTOM - foot, 40))

    def flat(self) -> bool:
        """True if it is a map, over two dials."""
        return self.plan is not None and len(self.plan.axes) == 2

    def shape(self) -> tuple[int, int]:
        """Values upward and to the right; 1 upward for a curve."""
        assert self.plan is not None
        shape = self.plan.shape
        return (shape[0], shape[1]) if len(shape) == 2 else (1, shape[0])

    def place_of(self, number: int) -> QPointF:
        """The middle of a variant, px; for a curve, on it."""
        rows, columns = self.shape()
        i, j = divmod(number, columns)
        box = self.box()
        x = box.left() + (j + 0.5) * box.width() / columns
        if rows == 1 and not self.flat():
            value = maps.grid_of(self.plan, self.measure, self.values)[number] if self.plan else 0.0
            return QPointF(x, self.height_of(float(value)))
        return QPointF(x, box.bottom() - (i + 0.5) * box.height() / rows)

    def number_at(self, at: QPointF) -> int:
        """The variant under a place; -1 for none."""
        box = self.box()
        if self.plan is None or not box.contains(at):
            return -1
        i, j = self._grid_at(at)
        rows, columns = self.shape()
        row = min(max(round(i), 0), rows - 1) if self.flat() else 0
        return row * columns + min(max(round(j), 0), columns - 1)

    def _grid_at(self, at: QPointF) -> tuple[float, float]:
        """A place of the map in values of its axes: 0 in the middle of the first."""
        box, (rows, columns) = self.box(), self.shape()
        return (
            (box.bottom() - at.y()) / box.height() * rows - 0.5,
            (at.x() - box.left()) / box.width() * columns - 0.5,
        )

    def px(self, i: float, j: float) -> QPointF:
        """A place in values of its axes, px."""
        box, (rows, columns) = self.box(), self.shape()
        return QPointF(box.left() + (j + 0.5) * box.width() / columns, box.bottom() - (i + 0.5) * box.height() / rows)

    def ends(self) -> tuple[float, float]:
        """The least and the greatest value that is drawn."""
        found = self.values[:, :, self.measure] if self.plan is not None else np.zeros((0, 1))
        found = found[np.isfinite(found)]
        if not len(found):
            return 0.0, 1.0
        low, high = float(found.min()), float(found.max())
        if high <= low:
            return low - 0.5 * max(abs(low), 1.0), high + 0.5 * max(abs(high), 1.0)
        spare = 0.0 if self.flat() else 0.05 * (high - low)
        return low - spare, high + spare

    def height_of(self, value: float) -> float:
        """Height of a value on a curve, px."""
        low, high = self.ends()
        box = self.box()
        return box.bottom() - (value - low) / (high - low) * box.height()

    # hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton and self.plan is not None:
            self._pressed = event.position()
            self._begins = self._grid_at(event.position())  # before a curve below makes the map smaller

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.plan is None:
            return
        at = event.position()
        if self._pressed is not None and self.flat() and (at - self._pressed).manhattanLength() > 8:
            self.line = (self._begins, self._grid_at(at))
            self.update()
            return
        self.look(self.number_at(at))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        pressed, self._pressed = self._pressed, None
        if event is None or pressed is None or (event.position() - pressed).manhattanLength() > 8:
            return
        if self.line is not None and not self.box().contains(event.position()):
            self.line = None
            self.update()
            return
        number = self.number_at(event.position())
        if number >= 0:
            self.look(number)
            self.taken.emit(number)

    def leaveEvent(self, event: object) -> None:
        if not self.hasFocus():
            self.look(-1)

    def look(self, number: int) -> None:
        """Looks at a variant; -1 for none."""
        if number != self.chosen:
            self.chosen = number
            self._tell()
            self.looked.emit(number)
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.plan is None:
            return
        rows, columns = self.shape()
        i, j = divmod(max(self.chosen, 0), columns)
        moves = {
            Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (1, 0), Qt.Key.Key_Down: (-1, 0)
        }  # fmt: skip
        if event.key() in moves:
            up, right = moves[Qt.Key(event.key())]
            self.look(min(max(i + up, 0), rows - 1) * columns + min(max(j + right, 0), columns - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen >= 0:
            self.taken.emit(self.chosen)
        elif event.key() == Qt.Key.Key_Escape and self.line is not None:
            self.line = None
            self.update()
        else:
            super().keyPressEvent(event)

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("paper"))
        if self.plan is None or self.known is None or self.yard is None:
            return
        mappaint.paint(painter, self)

    def said(self, number: int) -> str:
        """A variant in words: its values, and what the measure is there."""
        assert self.plan is not None
        assert self.known is not None
        assert self.yard is not None
        found = self.values[number, :, self.measure]
        known = found[np.isfinite(found)]
        if not len(known):
            value = "not shown, diverged, or not there yet"
        else:
            value = units.show(float(np.median(known)), self.known.unit)
            if len(found) > 1:
                value += f" ({units.show(float(known.min()), '')} to {units.show(float(known.max()), self.known.unit)})"
        return f"{variants.words_of(self.yard, self.plan, number)}\n{self.known.title} {value}"
