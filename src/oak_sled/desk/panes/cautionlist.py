"""The cautions about a craft and its run, each with a button that mends it where a remedy is known."""

from __future__ import annotations

import functools

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from oak_sled.core.parts.caution import Caution
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session


class CautionList(QWidget):
    """Lines of text with buttons. A remedy is one step, which can be undone."""

    def __init__(self, session: Session, parent: QWidget):
        super().__init__(parent)
        self.session = session
        self.shown: tuple[Caution, ...] = ()
        self.buttons: list[QPushButton] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 14, 4)
        column.setSpacing(4)
        self._column = column
        accessibility.describe(self, "cautions")

    def refresh(self) -> None:
        """Takes the cautions of the session, where they are others than before."""
        warned = tuple(self.session.shown.warned)
        if warned == self.shown:
            return
        self.shown, self.buttons = warned, []
        while (item := self._column.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.hide()
                old.deleteLater()
        if warned:
            head = QLabel("cautions" if len(warned) > 1 else "caution")
            head.setFont(theme.font(theme.SMALL))
            self._column.addWidget(head)
        for caution in warned:
            self._column.addWidget(self._line(caution))

    def _line(self, caution: Caution) -> QWidget:
        line = QWidget(self)
        line.setProperty("help_topic", f"caution:{caution.name}")
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        words = QLabel(str(caution))
        words.setWordWrap(True)
        words.setTextFormat(Qt.TextFormat.PlainText)  # names come from files
        words.setFont(theme.font(theme.SMALL))
        words.setObjectName("caution")
        words.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        row.addWidget(words, 1)
        if caution.remedy is not None:
            button = QPushButton(caution.remedy.words)
            button.setObjectName("plain")
            button.setMinimumHeight(24)
            button.setToolTip(theme.in_tip("mends this in one step; undo takes it back"))
            button.clicked.connect(functools.partial(self._mend, caution))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            self.buttons.append(button)
        return line

    def _mend(self, caution: Caution, _: bool = False) -> None:
        self.session.mend(caution)

    def focus_first(self) -> None:
        """Puts the focus on the first remedy."""
        if self.buttons:
            self.buttons[0].setFocus(Qt.FocusReason.OtherFocusReason)
