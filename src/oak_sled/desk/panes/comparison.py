"""The comparison of two kept runs: which settings differ, and which measures."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.project import changelist, shelf
from oak_sled.core.project.shelf import Card
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.buttons import quiet


class Comparison(QWidget):
    """The difference list of two cards, over the yard view; a click closes it. cards : the shelf that they are of."""

    closed = pyqtSignal()

    def __init__(self, old: Card, new: Card, parent: QWidget, cards: Sequence[Card] = ()):
        super().__init__(parent)
        self.old, self.new = old, new
        self.copy_button = quiet("copy as a change list", "what was changed and why, as Markdown", self.copy, 24)
        self.copy_button.setParent(self)
        self.copy_button.move(460 - self.copy_button.sizeHint().width() - 8, 32)
        self._cards = tuple(cards)
        self.settings = shelf.changes(old.job, new.job)
        self.measured = shelf.measure_changes(old, new)
        rows = max(len(self.settings), 1) + len(self.measured)
        self.resize(460, min(96 + 20 * rows, max(160, parent.height() - 80)))

    def copy(self) -> None:
        """The change list to the clipboard."""
        board = QGuiApplication.clipboard()
        if board is not None:
            board.setText(changelist.page(self.old, self.new, self._cards))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.closed.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("card"))
        painter.setPen(theme.pen("oak"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        bold = theme.font(theme.TEXT, bold=True)
        painter.setFont(bold)
        painter.setPen(theme.colour("ink"))
        painter.drawText(14, 22, theme.elide(f"{self.old.heading}   against   {self.new.heading}", 430, bold))
        top = 46
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        painter.drawText(14, top, "settings")
        painter.drawText(QRectF(86, top - 12, 130, 16), Qt.AlignmentFlag.AlignLeft, "a click closes this")
        top += 18
        painter.setPen(theme.colour("ink"))
        for change in self.settings or ():
            painter.drawText(22, top, str(change))
            top += 20
        if not self.settings:
            painter.drawText(22, top, "the same")
            top += 20
        painter.setPen(theme.colour("soft"))
        painter.drawText(14, top + 4, "measures")
        top += 22
        for known, before, after in self.measured:
            if top > self.height() - 8:
                break
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.colour("ink"))
            painter.drawText(22, top, known.title)
            ink = theme.colour("ink")
            for value, right in ((before, 300.0), (after, 440.0)):
                number, unit = ("—", "") if value is None else units.reading(value, known.unit)
                theme.number(painter, right, top, number, unit, 12, ink, theme.colour("soft"))
            top += 20
