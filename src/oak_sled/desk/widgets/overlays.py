"""Overlays of the bench: the sheet of keys, and lines said in place."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Protocol

from PyQt6.QtCore import QPoint, QRectF, Qt, QTimer, pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QAction, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from oak_sled.desk.widgets import theme

SAID_MS, FAULT_MS = 4500, 12000
SOON_MS = 400
"""ms of work beside the window after which it is shown."""


class KeySheet(QWidget):
    """Every shortcut, on one sheet over the window; a click, its key or Escape closes it."""

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
            ("close, leave a mode, drop a drag", "Escape"),
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
    """A line in place, over the foot of the yard view or of the page that is shown, with up to three answers.

    With answers it is a question, which stays until it is answered, in a row of its own. Signals: changed() when it
    comes, goes or grows.
    """

    changed = pyqtSignal()

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 8, 5)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setTextFormat(Qt.TextFormat.PlainText)  # names come from files
        row.addWidget(self.words, 1)
        self.buttons = [QPushButton(), QPushButton(), QPushButton()]
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
        self.show()
        self.raise_()
        self.update()
        self._timer.stop()
        if not answers:
            self._timer.start(FAULT_MS if fault else SAID_MS)
        self.changed.emit()

    def answer_last(self) -> None:
        """Gives the last answer, which leaves all as it is."""
        shown = [button for button in self.buttons if button.isVisible()]
        if shown:
            shown[-1].click()

    def height_for(self, width: int) -> int:
        """px of height that its text needs at a width."""
        return max(34, self.heightForWidth(width) if self.hasHeightForWidth() else self.sizeHint().height())

    def hideEvent(self, event: object) -> None:
        self.changed.emit()

    def mousePressEvent(self, event: object) -> None:
        if not any(button.isVisible() for button in self.buttons):
            self.hide()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("desk"))
        painter.fillRect(QRectF(0, 0, 4, self.height()), theme.colour("warning" if self.fault else "oak"))


class Working(Protocol):
    """Work that goes on beside the window. Signals: changed()."""

    changed: pyqtBoundSignal

    @property
    def shown(self) -> str:
        """The present work in words; "" when there is nothing to show."""

    @property
    def progress(self) -> tuple[int, int]:
        """Amount done, and of how much."""

    def cancel(self) -> None:
        """Ends it."""


class Progress(Notice):
    """Progress of the work beside the window: words, how far it is, what is left, and a way to cancel it."""

    def __init__(self, parent: QWidget, background: Working):
        super().__init__(parent)
        self.background = background
        self._began = 0.0
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._appear)
        background.changed.connect(self._follow)

    def _follow(self) -> None:
        if not self.background.shown:
            self._soon.stop()
            self.hide()
        elif self.isVisible():
            self.words.setText(self.text())
        elif not self._soon.isActive():
            self._began = time.perf_counter()
            self._soon.start()

    def _appear(self) -> None:
        if self.background.shown:
            self.tell(self.text(), False, ((("Cancel"), self.background.cancel),))

    def text(self) -> str:
        """The present work, and the time that it still takes."""
        done, of = self.background.progress
        if not of or not done:
            return f"{self.background.shown}..."
        left = (time.perf_counter() - self._began) * (of - done) / done
        return f"{self.background.shown}: {100 * done // of} %, about {max(1, round(left))} s left"


def stack(overlays: Sequence[Notice], over: QWidget, parent: QWidget) -> int:
    """Puts the visible overlays one above the other at the foot of what they lie over; px that they take."""
    corner = over.mapTo(parent, QPoint(0, 0))
    width = min(over.width() - 16, 760)
    taken = 8
    for one in overlays:
        if one.isVisibleTo(parent):
            height = one.height_for(width)
            taken += height
            one.setGeometry(corner.x() + 8, corner.y() + over.height() - taken, width, height)
            taken += 4
    return taken if taken > 8 else 0
