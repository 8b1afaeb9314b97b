"""Lines of words that keep their room: a label asks for its layout anew with every text, these only for more lines."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from oak_sled.desk.widgets import accessibility, theme

_FLAGS = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft


class Words(QWidget):
    """Plain text, wrapped, that stands on its lower edge. least : px of height that it keeps free."""

    def __init__(self, least: int, parent: QWidget | None = None):
        super().__init__(parent)
        self._text, self._tone, self._least = "", "good_light", least
        self._needed: tuple[tuple[str, int], int] = (("", 0), 0)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def text(self) -> str:
        """Its text."""
        return self._text

    def say(self, text: str, tone: str) -> None:
        """Says something in a colour."""
        if (text, tone) == (self._text, self._tone):
            return
        before = self.heightForWidth(self.width())
        self._text, self._tone = text, tone
        if self.heightForWidth(self.width()) != before:
            self.updateGeometry()
        accessibility.describe(self, "outlook", text)
        self.update()

    def heightForWidth(self, width: int) -> int:
        key = (self._text, width)
        if self._needed[0] != key:
            box = QRect(0, 0, max(width, 1), 2000)
            tall = theme.metrics(theme.font(10)).boundingRect(box, int(_FLAGS), self._text).height()
            self._needed = (key, max(tall, self._least))
        return self._needed[1]

    def minimumSizeHint(self) -> QSize:
        return QSize(40, self._least)

    def sizeHint(self) -> QSize:
        return QSize(120, self.heightForWidth(max(self.width(), 40)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour(self._tone))
        painter.drawText(self.rect(), int(_FLAGS), self._text)
