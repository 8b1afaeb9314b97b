"""What lies over the bench for a while: the sheet of keys, and lines said in place."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QRectF, Qt, QTimer
from PyQt6.QtGui import QAction, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from oak_sled.desk import theme

SAID_MS, FAULT_MS = 4500, 12000


class KeySheet(QWidget):
    """Every shortcut, on one sheet over the window; a click or F1 closes it."""

    def __init__(self, actions: list[QAction], parent: QWidget):
        super().__init__(parent)
        self.lines = [
            (a.text().replace("&", ""), a.shortcut().toString()) for a in actions if not a.shortcut().isEmpty()
        ]
        self.lines += [
            ("dial: finer, coarser", "Shift-drag, Ctrl-drag"),
            ("dial: type a value", "Return, or a digit"),
            ("dial: back to default", "double click, or Delete"),
            ("dial: up, down", "arrow keys, wheel"),
            ("traces: second cursor", "Shift-drag"),
            ("traces: zoom, pan", "wheel, right-drag"),
            ("card: load, pin, rename", "Return, P, F2"),
        ]
        self.resize(640, 70 + 21 * ((len(self.lines) + 1) // 2))

    def mousePressEvent(self, event: object) -> None:
        self.hide()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("card", 250))
        painter.setPen(theme.pen("oak"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.setFont(theme.font(theme.HEADING, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(18, 30, "Keys")
        half = (len(self.lines) + 1) // 2
        for place, (words, keys) in enumerate(self.lines):
            x, y = 18 + 312 * (place // half), 58 + 21 * (place % half)
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.colour("ink"))
            painter.drawText(x, y, words)
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.colour("oak_deep"))
            painter.drawText(QRectF(x, y - 12, 286, 16), Qt.AlignmentFlag.AlignRight, keys)


class Notice(QWidget):
    """A line in place, over the foot of the yard view or of the page that is shown, with up to two answers."""

    def __init__(self, parent: QWidget, over: QWidget):
        super().__init__(parent)
        self.over = over
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 8, 5)
        self.words = QLabel()
        self.words.setWordWrap(True)
        row.addWidget(self.words, 1)
        self.buttons = [QPushButton(), QPushButton()]
        for button in self.buttons:
            button.setObjectName("plain")
            row.addWidget(button)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.fault = False
        self.hide()

    def tell(self, text: str, fault: bool, answers: tuple[tuple[str, Callable[[], object]], ...] = ()) -> None:
        """Shows a line; with answers it stays until one is given."""
        self.fault = fault
        self.words.setText(text)
        self.words.setStyleSheet(f"color: {theme.colour('desk_text').name()};")
        for button in self.buttons:
            button.hide()
            try:
                button.clicked.disconnect()
            except TypeError:
                pass  # nothing was connected
        for button, (words, action) in zip(self.buttons, answers, strict=False):
            button.setText(words)
            button.clicked.connect(self.hide)
            button.clicked.connect(action)
            button.show()
        self.place()
        self.show()
        self.raise_()
        self._timer.stop()
        if not answers:
            self._timer.start(FAULT_MS if fault else SAID_MS)

    def place(self) -> None:
        """Takes its place at the foot of what it lies over."""
        parent = self.parentWidget()
        if parent is not None:
            corner = self.over.mapTo(parent, QPoint(0, 0))
            width = min(self.over.width() - 16, 760)
            height = max(34, self.heightForWidth(width) if self.hasHeightForWidth() else self.sizeHint().height())
            self.setGeometry(corner.x() + 8, corner.y() + self.over.height() - height - 8, width, height)

    def mousePressEvent(self, event: object) -> None:
        if not any(button.isVisible() for button in self.buttons):
            self.hide()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("desk"))
        painter.fillRect(QRectF(0, 0, 4, self.height()), theme.colour("warning" if self.fault else "oak"))
