"""Base of the pages beside the bench: a bar of buttons, a working drawing, and a column of numbers."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from oak_sled.desk.drawing.numberpanel import NumberPanel
from oak_sled.desk.work.session import Session


class DrawingPage(QWidget):
    """A page that shows the numbers of what is selected on its drawing; it follows the yard while it is in sight."""

    def __init__(self, session: Session, stem: str, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.setObjectName("page")
        self.numbers = NumberPanel(session, stem)
        self.dials, self.choices = self.numbers.dials, self.numbers.choices
        self._shown: tuple[object, ...] = ()

    def lay_out(self, bar: QHBoxLayout, drawing: QWidget) -> None:
        """The bar above the drawing, the numbers beside both."""
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(bar)
        column.addWidget(drawing, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(column, 1)
        row.addWidget(self.numbers)
        self.session.yard_changed.connect(lambda _: self.refresh() if self.isVisible() else None)

    @staticmethod
    def empty_bar() -> QHBoxLayout:
        """A bar without buttons."""
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 2, 8, 2)
        bar.setSpacing(4)
        return bar

    @staticmethod
    def add_buttons(bar: QHBoxLayout, actions: Iterable[tuple[str, str, Callable[[], object]]]) -> None:
        """Quiet buttons: words, tip, and what each does."""
        for words, tip, action in actions:
            button = QPushButton(words)
            button.setObjectName("quiet")
            button.setToolTip(tip)
            button.setMinimumHeight(28)
            button.clicked.connect(lambda _=False, action=action: action())
            bar.addWidget(button)

    def refresh(self) -> None:
        """Shows the numbers of the selection."""
        raise NotImplementedError

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.numbers.restyle()
        self._shown = ()

    def showEvent(self, event: object) -> None:
        self.refresh()
