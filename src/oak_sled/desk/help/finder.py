"""Find anything: commands, places, dials, parts, drills, measures and help, by name or by a plain word."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from oak_sled.core.project import topics
from oak_sled.core.project.topics import Topic
from oak_sled.desk.widgets import accessibility, theme

MOST = 60
WIDE, HIGH = 620, 420


@dataclass(frozen=True)
class Goal:
    """Something that can be found: its topic, by which it is searched, and what going there does."""

    topic: Topic
    go: Callable[[], object]


class Finder(QWidget):
    """A line to type in and what it finds; Return goes there, Escape closes."""

    def __init__(self, goals: Callable[[], Iterable[Goal]], parent: QWidget):
        super().__init__(parent)
        self._gather = goals
        self.goals: dict[str, Goal] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.setSpacing(6)
        self.line = QLineEdit()
        self.line.setMinimumHeight(30)
        self.line.setPlaceholderText("find a command, a dial, a part, a drill, a measure, or a word: bouncy, too fast")
        self.line.textChanged.connect(self._look)
        self.line.installEventFilter(self)
        self.list = QListWidget()
        self.list.setUniformItemSizes(True)
        self.list.itemActivated.connect(lambda _: self.go())
        self.list.itemClicked.connect(lambda _: self.go())
        column.addWidget(self.line)
        column.addWidget(self.list, 1)
        accessibility.describe(self.line, "find anything")
        accessibility.describe(self.list, "what was found")
        self.resize(WIDE, HIGH)
        self.hide()

    def begin(self) -> None:
        """Opens it, with all that there is now."""
        self.goals = {goal.topic.name: goal for goal in self._gather()}
        self.line.clear()
        self._look("")
        self.show()
        self.raise_()
        self.line.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _look(self, text: str) -> None:
        self.list.clear()
        every = [goal.topic for goal in self.goals.values()]
        for one in topics.search(text, every, MOST) if text.strip() else every[:MOST]:
            told = f"{one.title}   ·   {one.kind}" + (f"   ·   {one.says}" if one.says else "")
            item = QListWidgetItem(told)
            item.setData(Qt.ItemDataRole.UserRole, one.name)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def go(self) -> None:
        """Goes to what is chosen."""
        item = self.list.currentItem()
        if item is None:
            return
        goal = self.goals[str(item.data(Qt.ItemDataRole.UserRole))]
        self.hide()
        goal.go()

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        """Up and down choose, Return goes, while the line keeps the focus."""
        if watched is not self.line or not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 10, Qt.Key.Key_PageUp: -10}
        if event.key() in steps:
            row = self.list.currentRow() + steps[Qt.Key(event.key())]
            self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
            return True
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go()
            return True
        return False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("card", 252))
        painter.setPen(theme.pen("oak"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
