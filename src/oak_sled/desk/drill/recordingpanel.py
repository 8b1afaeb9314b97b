"""The table of a game that is about to become a drill: its path on a plan as it is taken now, which column is what, and
the units and axes that were guessed, each with its reason and to be chosen otherwise."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import cast

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.axes import WAYS
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import recording_taken
from oak_sled.core.files.recording_table import Guess
from oak_sled.core.yard.game import Way
from oak_sled.core.yard.recording import MOVES, PLACE, Recording
from oak_sled.desk.drill.standin import StandIn, paint_scale
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.yardview.planpaint import Frame

SIDE = 360
"""px of what stands beside the plan."""
CHOICES: dict[str, tuple[str, ...]] = {
    "time": ("s", "ms", "tick"), "length": ("m", "cm", "mm", "px"), "up": WAYS, "forward": WAYS,
    "hand": ("right", "left"),
}  # fmt: skip
"""All that is guessed, and what it may be instead."""
_TITLES = {"time": "time counts", "length": "lengths in", "up": "up is", "forward": "forward is", "hand": "hand"}
CHOSEN = "chosen here"


class RecordingPanel(StandIn):
    """Signals: taken(recording, notes) when it is to become a drill."""

    taken = pyqtSignal(object, object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.guess: Guess | None = None
        self.recording: Recording | None = None
        self.notes: tuple[str, ...] = ()
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 10, 12, 10)
        row.setSpacing(14)
        self.plan = _Plan(self)
        row.addWidget(self.plan, 1)
        side = QVBoxLayout()
        side.setSpacing(6)
        self.title = _label(theme.READING, bold=True)
        side.addWidget(self.title)
        self.buttons: dict[str, QPushButton] = {}
        self.reasons: dict[str, QLabel] = {}
        for name, options in CHOICES.items():
            button = QPushButton()
            button.setObjectName("plain")
            button.setMinimumHeight(28)
            menu = QMenu(button)
            for option in options:
                menu.addAction(option, partial(self.choose, name, option))
            button.setMenu(menu)
            self.buttons[name], self.reasons[name] = button, _label(theme.SMALL)
            side.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
            side.addWidget(self.reasons[name])
        self.says = _label(theme.SMALL)
        around = QScrollArea()
        around.setWidget(self.says)
        around.setWidgetResizable(True)
        around.setFixedWidth(SIDE)
        around.setFrameShape(QScrollArea.Shape.NoFrame)
        side.addWidget(around, 1)
        acts = QHBoxLayout()
        self.take_button, self.leave_button = QPushButton("take it as a drill"), QPushButton("leave it")
        for button in (self.take_button, self.leave_button):
            button.setObjectName("plain")
            button.setMinimumHeight(32)
            acts.addWidget(button)
        acts.addStretch(1)
        self.take_button.setToolTip("a drill with its start and its inputs, held against what the game did")
        self.leave_button.setToolTip("nothing is taken (Escape)")
        self.take_button.clicked.connect(lambda _=False: self._take())
        self.leave_button.clicked.connect(lambda _=False: self.leave())
        side.addLayout(acts)
        row.addLayout(side)
        self.hide()

    def show_guess(self, guess: Guess) -> None:
        """Shows a table, in the place of the drill, until it is taken or left."""
        self._lay(guess)
        self.swap(True)
        self.take_button.setFocus()

    def _lay(self, guess: Guess) -> None:
        """Fills in all of it for a table as it is taken now."""
        self.guess = guess
        self.title.setText(f"{guess.table.name}: {len(guess.table.columns)} columns")
        for name, button in self.buttons.items():
            value = guess.time if name == "time" else getattr(guess.game, name)
            button.setText(f"{_TITLES[name]} {value}")
            mark = "not sure: " if name in guess.unsure else ""
            self.reasons[name].setText(mark + guess.reasons.get(name, ""))
            accessibility.describe(button, f"{_TITLES[name]} {value}", self.reasons[name].text())
        told = [f"{own}: column {name}" for own, name in guess.columns.items()]
        try:
            self.recording, self.notes = recording_taken.taken(guess)
        except Refused as wrong:
            self.recording, self.notes = None, (str(wrong.faults[0]),)
        self.take_button.setEnabled(self.recording is not None)
        lines = [self.plan.words(), *self.notes, "", *told]
        self.says.setText("\n".join(lines))
        accessibility.describe(self.plan, "path of the recording", self.plan.words())
        self.plan.update()

    def choose(self, name: str, value: str) -> None:
        """Takes another unit or axis than was guessed."""
        if self.guess is None:
            return
        reasons = {**self.guess.reasons, name: CHOSEN}
        unsure = tuple(one for one in self.guess.unsure if one != name)
        made = replace(self.guess, reasons=reasons, unsure=unsure)
        if name == "time":
            made = replace(made, time=value)
        elif name in ("up", "forward"):
            made = replace(made, game=made.game.facing(name, cast(Way, value)))
        else:
            made = made.with_game(**{name: value})
        self._lay(made)

    def _take(self) -> None:
        if self.recording is not None:
            self.leave()
            self.taken.emit(self.recording, self.notes)


class _Plan(QWidget):
    """The path of a recording from above."""

    def __init__(self, panel: RecordingPanel):
        super().__init__(panel)
        self.panel = panel
        self.setMinimumSize(QSize(240, 160))

    def words(self) -> str:
        """The length and speed of the way, by which a wrong unit shows."""
        recording = self.panel.recording
        if recording is None:
            return "no path can be taken from it as it is"
        places = np.stack([recording.column(name) for name in PLACE], axis=1)
        steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
        if recording.has(MOVES[0]):
            speed = np.linalg.norm([recording.column(name) for name in MOVES], axis=0)
        else:
            speed = steps / np.diff(recording.t.array)
        high = float(np.ptp(places[:, 2]))
        return (
            f"{units.show(float(steps.sum()), 'm')} in {units.fixed(recording.duration, 's', 1)}, at most "
            f"{units.show(float(speed.max()), 'm/s')}; {units.show(high, 'm')} between its highest and its lowest"
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 0.5, self.width() - 1, self.height() - 1)
        painter.fillRect(box, theme.colour("ice"))
        recording = self.panel.recording
        if recording is None:
            return
        path = np.stack([recording.column(name) for name in PLACE[:2]], axis=1)
        low, high = path.min(axis=0), path.max(axis=0)
        grow = np.maximum(4.0 - (high - low), 1.0) / 2.0
        frame = Frame(box.adjusted(20, 20, -20, -40), low - grow, high + grow)
        painter.setPen(QPen(theme.colour("game"), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(frame.path(path[:: max(1, len(path) // 2000)], float("inf")))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("oak"))
        painter.drawEllipse(frame.at(*path[0]), 5.0, 5.0)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(frame.at(*path[0]) + QPointF(8, -6), "start")
        paint_scale(painter, frame, box)


def _label(size: int, bold: bool = False) -> QLabel:
    made = QLabel()
    made.setFont(theme.font(size, bold=bold))
    made.setWordWrap(True)
    made.setMaximumWidth(SIDE)
    made.setAlignment(Qt.AlignmentFlag.AlignTop)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made
