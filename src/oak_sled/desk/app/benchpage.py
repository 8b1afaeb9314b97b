"""The bench: the yard view with its bar, the panes that explain the run, the force desk and the shelf."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from oak_sled.desk.app.places import PANES
from oak_sled.desk.app.playbar import PlayBar
from oak_sled.desk.app.rightpane import RightPane
from oak_sled.desk.panes.shelfpane import ShelfPane
from oak_sled.desk.strips.forcedesk import ForceDesk
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.renderer import Renderer
from oak_sled.desk.yardview.view import YardView


class BenchPage(QWidget):
    """Makes what stands on the bench, and lays it out."""

    def __init__(self, session: Session, renderer: Renderer | None):
        super().__init__()
        self.setObjectName("page")
        self.view = YardView(session, renderer)
        self.playbar = PlayBar(session.shown, self.view)
        self.right = RightPane(session.shown, {pane.name: pane.make(session) for pane in PANES})
        self.desk = ForceDesk(session)
        self.shelf = ShelfPane(session)
        left = QWidget()
        left_column = _column(left)
        left_column.addWidget(self.view, 1)
        left_column.addWidget(self.playbar)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(2)
        self.split.setChildrenCollapsible(False)
        self.split.addWidget(left)
        self.split.addWidget(self.right)
        self.split.setSizes([770, 510])
        self.split.setStretchFactor(0, 3)
        self.split.setStretchFactor(1, 2)
        column = _column(self)
        column.addWidget(self.split, 1)
        column.addWidget(self.desk)
        column.addWidget(self.shelf)


def _column(widget: QWidget) -> QVBoxLayout:
    made = QVBoxLayout(widget)
    made.setContentsMargins(0, 0, 0, 0)
    made.setSpacing(0)
    return made
