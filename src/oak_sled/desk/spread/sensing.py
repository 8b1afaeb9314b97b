"""Sensitivity: how much every measure answers to every dial, as bars in which the eye finds what is large."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.results import measures
from oak_sled.core.study.sensitivity import TELLING, Sensitivity
from oak_sled.desk.widgets import accessibility, theme

NAME, CELL, LINE, HEAD = 120, 99, 19, 56
FIGURE = 33
"""Width of the longest figure at a bar, px."""
GAP = 2


class SensingPicture(QWidget):
    """A row a dial, a column a measure, a bar to the right where it grows. Signals: chosen(path) when a dial is
    clicked."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.found: Sensitivity | None = None
        self.drill = ""
        self.rows: list[int] = []
        self.columns: list[int] = []
        self.setMinimumSize(300, 150)
        self.setMouseTracking(True)
        self.setToolTip(
            "% of each measure for each % of a dial, by steps of 10 % up and down; ? marks what a step of 1 % "
            "contradicts, or another slope to either side; a click on a dial goes to it"
        )

    def show_found(self, found: Sensitivity | None, wanted: tuple[str, ...], drill: str) -> None:
        """Shows what was found under a drill of that heading; the measures of the spread first."""
        self.found, self.drill = found, drill
        names = found.measures if found is not None else ()
        first = [names.index(name) for name in wanted if name in names]
        self.rows = found.telling(first)[:40] if found is not None else []
        self.columns = [*first, *(k for k in range(len(names)) if k not in first)]
        self.setMinimumHeight(HEAD + LINE * len(self.rows) + 28 if self.rows else 150)
        accessibility.describe(self, "what matters", self.words())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(420, self.minimumHeight())

    def words(self) -> str:
        """The first dials, and what answers to them most."""
        if self.found is None or not self.rows:
            return "not computed"
        found = []
        for row in self.rows[:5]:
            answers = np.nan_to_num(self.found.answers[row])
            place = int(np.argmax(np.abs(answers)))
            name = measures.measure(self.found.measures[place].partition("@")[0]).title
            found.append(f"{_name(self.found.dials[row])}: {name} {answers[place]:+.2g} % for each %")
        return "; ".join(found)

    def path_at(self, at: QPointF) -> str:
        """The dial in whose row a place lies; "" for none."""
        place = int((at.y() - HEAD) // LINE)
        return self.found.dials[self.rows[place]] if self.found is not None and 0 <= place < len(self.rows) else ""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (path := self.path_at(event.position())):
            self.chosen.emit(path)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            there = bool(self.path_at(event.position()))
            self.setCursor(Qt.CursorShape.PointingHandCursor if there else Qt.CursorShape.ArrowCursor)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("desk"))
        painter.setFont(theme.font(theme.HEADING, bold=True))
        painter.setPen(theme.colour("desk_text"))
        painter.drawText(QPointF(12, 20), "What matters")
        small = theme.font(10)
        painter.setFont(small)
        painter.setPen(theme.colour("desk_soft"))
        if self.found is None:
            says = "press what matters: every dial is moved by 10 %"
            painter.drawText(QPointF(114, 20), theme.elide(says, self.width() - 120, small))
            return
        painter.drawText(QPointF(114, 20), theme.elide(f"under {self.drill}", self.width() - 120, small))
        painter.drawText(QPointF(12, 36), "% for each % of a dial, by steps of 10 %")
        rest = len(self.found.dials) - len(self.rows)
        says = f"{rest} dials do not matter to these"
        painter.drawText(QPointF(12, HEAD + LINE * len(self.rows) + 16), says)
        shown = self.columns[: max(1, int((self.width() - NAME) // CELL))]
        for place, column in enumerate(shown):
            x = NAME + place * CELL
            title = measures.measure(self.found.measures[column].partition("@")[0]).title
            painter.setPen(theme.colour("desk_soft"))
            box = QRectF(x, 40, CELL - 4, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, theme.elide(title, CELL - 4, small))
        sizes = np.nan_to_num(np.abs(self.found.answers[self.rows]))
        most = np.maximum(sizes.max(axis=0, initial=0.0), 1e-9).tolist()
        for line, row in enumerate(self.rows):
            top = HEAD + line * LINE
            painter.setPen(theme.colour("desk_text"))
            painter.drawText(QPointF(12, top + 13), theme.elide(_name(self.found.dials[row]), NAME - 20, small))
            for place, column in enumerate(shown):
                value, doubt = float(self.found.answers[row, column]), self.found.doubt(row, column)
                self._paint_answer(painter, NAME + place * CELL, top, value, most[column], "?" if doubt else "")

    def _paint_answer(
        self, painter: QPainter, x: float, top: float, value: float, most: float, doubt: str = ""
    ) -> None:
        middle = x + 0.5 * CELL
        painter.fillRect(QRectF(middle - 0.5, top + 2, 1, LINE - 4), theme.colour("desk_soft"))
        if math.isnan(value) or abs(value) < TELLING:
            return
        bar, box = places(x, top, value, most)
        painter.fillRect(bar, theme.family("drive" if value > 0.0 else "air", on_desk=True))
        painter.setPen(theme.colour("desk_text"))
        text = (f"{value:+.2f}" if abs(value) < 10.0 else f"{value:+.0f}") + doubt
        side = Qt.AlignmentFlag.AlignLeft if value > 0.0 else Qt.AlignmentFlag.AlignRight
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, text)


def places(x: float, top: float, value: float, most: float) -> tuple[QRectF, QRectF]:
    """Places of the bar of an answer and of its figure, both inside the cell at (x, top)."""
    middle = x + 0.5 * CELL
    # of the root, so that small ones are seen beside large
    reach = math.sqrt(min(abs(value) / most, 1.0)) * (0.5 * CELL - FIGURE - 2 * GAP)
    if value > 0.0:
        return QRectF(middle, top + 5, reach, LINE - 10), QRectF(middle + reach + GAP, top, FIGURE, LINE)
    left = middle - reach
    return QRectF(left, top + 5, reach, LINE - 10), QRectF(left - GAP - FIGURE, top, FIGURE, LINE)


def _name(path: str) -> str:
    pieces = path.split(".")
    name = pieces[-1].removesuffix("_deg").replace("_", " ")
    owner = pieces[-2] if pieces[-2] != "body" or len(pieces) < 4 else "body"
    return f"{owner.replace('_', ' ')}: {name}" if name != "value" else owner.replace("_", " ")
