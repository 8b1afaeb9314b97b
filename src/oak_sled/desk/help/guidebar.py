"""A guided start in the window: a row above the work with the present step, which is judged from what is there."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from oak_sled.core.project.conditions import Seen
from oak_sled.core.project.guides import Guide
from oak_sled.desk.widgets import accessibility, theme


class GuideBar(QWidget):
    """The present step of a guide. see : the present. Signals: left() when it is left."""

    left = pyqtSignal()

    def __init__(self, see: Callable[[], Seen], parent: QWidget | None = None):
        super().__init__(parent)
        self._see = see
        self.guide: Guide | None = None
        self.place = 0
        self.setObjectName("page")
        self.setAutoFillBackground(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 10, 6)
        row.setSpacing(12)
        self.count = QLabel()
        self.count.setFont(theme.font(theme.READING, bold=True))
        column = QVBoxLayout()
        column.setSpacing(1)
        self.do, self.why = QLabel(), QLabel()
        for label in (self.do, self.why):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.MarkdownText)
            label.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
            column.addWidget(label)
        self.do.setFont(theme.font(theme.HEADING))
        self.why.setFont(theme.font(theme.SMALL))
        self.leave = QPushButton("leave")
        self.leave.setObjectName("plain")
        self.leave.setMinimumHeight(28)
        self.leave.setToolTip(theme.in_tip("leaves the guided start (Escape); the yard can be kept"))
        self.leave.clicked.connect(lambda: self.left.emit())
        row.addWidget(self.count)
        row.addLayout(column, 1)
        row.addWidget(self.leave)
        self.hide()

    def begin(self, guide: Guide) -> None:
        """Begins a guide at its first step."""
        self.guide = guide
        self.show()
        self.judge()

    def end(self) -> None:
        """No guide any more."""
        self.guide = None
        self.hide()

    def judge(self) -> None:
        """Finds the present step anew."""
        if self.guide is None:
            return
        self.place = self.guide.place(self._see())
        steps = self.guide.steps
        if self.place < len(steps):
            step = steps[self.place]
            self.count.setText(f"{self.place + 1} of {len(steps)}")
            self.do.setText(step.do)
            self.why.setText(step.why)
        else:
            self.count.setText("done")
            self.do.setText(f"**{self.guide.title}**: that was all of it.")
            self.why.setText("Leave it, and keep the yard to go on with, or begin another (Ctrl+B).")
        accessibility.describe(self, self.guide.title, f"{self.count.text()}: {self.do.text()}")
