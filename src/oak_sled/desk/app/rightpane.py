"""The right half of the bench: a row of names, the pane that one of them shows, and the clock."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from oak_sled.core.base import units
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.shown import Shown


class RightPane(QWidget):
    """The panes beside the view, one at a time. tabs : the button of each, by its name; stack : the panes."""

    def __init__(self, shown: Shown, panes: Mapping[str, QWidget]):
        super().__init__()
        self.shown = shown
        self.setObjectName("page")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 2, 10, 0)
        self.tabs: dict[str, QPushButton] = {}
        self.stack = QStackedWidget()
        for name, pane in panes.items():
            button = QPushButton(name)
            button.setObjectName("quiet")
            button.setCheckable(True)
            button.setMinimumHeight(28)
            button.clicked.connect(lambda _, name=name: self.show_pane(name))
            bar.addWidget(button)
            self.tabs[name] = button
            self.stack.addWidget(pane)
        bar.addStretch(1)
        self.clock = QLabel()  # its ink is the palette's
        self.clock.setFont(theme.font(theme.READING))
        bar.addWidget(self.clock)
        column.addLayout(bar)
        column.addWidget(self.stack, 1)
        self.panes = panes
        self.show_pane(next(iter(panes)))

    def show_pane(self, name: str) -> None:
        """Shows one of the panes."""
        self.stack.setCurrentWidget(self.panes[name])
        for other, button in self.tabs.items():
            button.setChecked(other == name)

    def show_clock(self) -> None:
        """The time of the cursor, and whose pictures these are where a run has several crafts."""
        run = self.shown.run
        time = run.duration if run is not None and self.shown.live_on else self.shown.time
        who = ""
        if run is not None and len(run.job.actors) > 1:  # what traces, ledger, plan and measures are of
            who = f"{theme.elide(run.job.single.heading, 150, self.clock.font())} · "
        self.clock.setText(f"{who}t {units.fixed(time, 's', 3)}")
