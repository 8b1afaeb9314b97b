"""The list of laws beside a chart: each with its line, whether it is drawn, and the button that takes it over."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from oak_sled.core.advice.laws import Candidate
from oak_sled.desk.laws.chart import pen_of
from oak_sled.desk.widgets import accessibility, theme

KINDS = {"in force": "in force", "built-in": "built-in", "formula": "formula", "kept": "kept run"}


class LawRow(QWidget):
    """A law. Signals: drawn(place, whether), wanted(place) to take it over, edited(place) for a formula."""

    drawn = pyqtSignal(int, bool)
    wanted = pyqtSignal(int)
    edited = pyqtSignal(int)

    def __init__(
        self, place: int, candidate: Candidate, is_drawn: bool, is_formula: bool, parent: QWidget | None = None
    ):
        super().__init__(parent)
        self.place, self.candidate, self.is_drawn, self.is_formula = place, candidate, is_drawn, is_formula
        self.is_chosen = False
        self.setFixedHeight(22 if place == 0 and not is_formula else 46)
        row = QHBoxLayout(self)
        row.setContentsMargins(34, 21, 2, 1)
        row.setSpacing(2)
        self.buttons: dict[str, QPushButton] = {}
        if place:
            self._button(row, "hide" if is_drawn else "show", "draw it in the chart or not", self._toggle)
        if is_formula:
            self._button(row, "edit", "write its formula below", lambda: self.edited.emit(place))
        if place:
            says = "the part follows this law from now on: one step, which Undo takes back"
            self._button(row, "use", says, lambda: self.wanted.emit(place))
        row.addStretch(1)
        accessibility.describe(self, f"law {candidate.name}", candidate.kind)
        self.setToolTip(theme.in_tip(f"{candidate.name}: {candidate.kind}"))

    def _button(self, row: QHBoxLayout, words: str, tip: str, action: Callable[[], object]) -> None:
        button = QPushButton(words)
        button.setObjectName("quiet")
        button.setMinimumHeight(24)
        button.setMaximumWidth(46)
        button.setToolTip(tip)
        button.setAccessibleName(f"{words} {self.candidate.name}")
        button.clicked.connect(lambda _=False: action())
        row.addWidget(button)
        self.buttons[words] = button

    def _toggle(self) -> None:
        self.drawn.emit(self.place, not self.is_drawn)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if self.is_formula:
            self.edited.emit(self.place)
        elif self.place:
            self._toggle()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.is_chosen:
            painter.fillRect(self.rect(), theme.colour("shade"))
        if self.is_drawn:
            painter.setPen(pen_of(self.place))
            painter.drawLine(QPointF(6, 11), QPointF(32, 11))
        name_font = theme.font(theme.TEXT, bold=self.place == 0)
        kind_font = theme.font(10)
        room = self.width() - 42
        name = theme.elide(self.candidate.name, room, name_font)
        painter.setFont(name_font)
        painter.setPen(theme.colour("ink" if self.is_drawn else "soft"))
        painter.drawText(QPointF(38, 15), name)
        left = room - theme.metrics(name_font).horizontalAdvance(name) - 8
        painter.setFont(kind_font)
        painter.setPen(theme.colour("soft"))
        kind = KINDS[self.candidate.kind]
        box = QRectF(self.width() - 4 - left, 2, left, 18)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight, theme.elide(kind, left, kind_font))
