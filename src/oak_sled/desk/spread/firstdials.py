"""The first step of the page Spread, where nothing is varied yet: the dials that matter most for the drill."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from oak_sled.core.base import document
from oak_sled.core.results import measures
from oak_sled.core.study import sensitivity
from oak_sled.core.study.sensitivity import Sensitivity
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session

MOST = 6
EMPTY = """Nothing is varied yet.

Right-click any dial on the bench and choose "Vary this in a spread",
or press "spreads" above and begin with a dial of this craft."""
LOST = "Undo brings it back; remove takes the spread out of the yard."


class FirstDials(QWidget):
    """Words, a button that finds the dials, and then one for each. Signals: chosen(path) of a dial to vary."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.buttons: list[QPushButton] = []
        column = QVBoxLayout(self)
        column.addStretch(1)
        self.words = QLabel(EMPTY)
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(self.words)
        column.addSpacing(14)
        self.seeker = self._button("", self.seek)
        column.addWidget(self.seeker, 0, Qt.AlignmentFlag.AlignHCenter)
        self._list = QVBoxLayout()
        column.addLayout(self._list)
        column.addStretch(2)
        self._of: tuple[str, str] = ("", "")

    def _button(self, words: str, act: object) -> QPushButton:
        made = QPushButton(words)
        made.setObjectName("plain")
        made.setMinimumHeight(30)
        made.setMinimumWidth(460)
        if callable(act):
            made.clicked.connect(lambda _=False: act())
        return made

    def show_words(self, gone: str, begins: bool) -> None:
        """Says that nothing is varied, or what a spread has lost. begins : whether one can be begun here."""
        self.words.setText(f"This spread has lost what it varies.\n\n{gone}\n\n{LOST}" if gone else EMPTY)
        now = (self.session.craft.id, self.session.drill.id)
        if now != self._of:
            self._of = now
            self._clear()
        self.seeker.setText(f"find the dials that matter most in {self.session.drill.heading}")
        self.seeker.setVisible(begins and not self.buttons)
        for button in self.buttons:
            button.setVisible(begins)

    def seek(self) -> None:
        """Finds them beside the window."""
        yard, drill, craft = self.session.yard, self.session.drill.id, self.session.craft.id
        self.seeker.setEnabled(False)
        self.session.beside(
            "finding what matters",
            lambda: sensitivity.compute(yard, drill, craft),
            partial(self._offer, (craft, drill)),
        )

    def _offer(self, of: tuple[str, str], found: Sensitivity) -> None:
        """A button for each of the dials to which a measure of the drill answers most."""
        self.seeker.setEnabled(True)
        if of != self._of:
            return
        self._clear()
        asked = [one.measure for one in self.session.drill.targets]
        columns = [found.measures.index(name) for name in asked if name in found.measures]
        rows = [row for row in found.telling(columns) if not found.dials[row].endswith(".trim")]
        for row in rows[:MOST]:
            path = found.dials[row]
            button = self._button(theme.in_menu(self._told(found, row, columns)), partial(self.chosen.emit, path))
            button.setAccessibleName(f"vary {path}")
            self._list.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)
            self.buttons.append(button)
        self.seeker.setVisible(not self.buttons)
        if not self.buttons:
            self.session.say("no measure of this drill answers to a dial: vary one by hand")

    def _told(self, found: Sensitivity, row: int, columns: list[int]) -> str:
        """A dial, and what answers most to it."""
        pieces = found.dials[row].split(".")
        dial = document.dial_at(self.session.yard, found.dials[row])
        title = dial.heading if dial is not None else pieces[-1]
        of = "body" if pieces[2] == "body" else next(
            (part.heading.lower() for part in self.session.craft.parts if part.id == pieces[3]), pieces[3]
        )  # fmt: skip
        among = columns or list(range(len(found.measures)))
        told = [(abs(found.answers[row, k]), k) for k in among if math.isfinite(found.answers[row, k])]
        most = max(told, default=(0.0, among[0]))[1]
        answer = found.answers[row, most]
        return f"vary {title} of {of}: {measures.known(found.measures[most]).title} {answer:+.2g} % for each %"

    def _clear(self) -> None:
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = []
