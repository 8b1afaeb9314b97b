"""The page where one begins: guided starts, families of crafts, the demos with a picture each, the last files."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QAbstractButton, QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.project import demos, families, guides
from oak_sled.core.project.guides import Guide
from oak_sled.desk.widgets import accessibility, theme

WIDE, PICTURE, LINES, GAP = 232, 118, 72, 12
"""px of a card: its width, the height of its picture, and of its words; and between cards."""


class Card(QAbstractButton):
    """Something to begin with: a picture if there is one, a title and a line."""

    def __init__(self, title: str, says: str, picture: QPixmap | None = None):
        super().__init__()
        self.title, self.says, self.picture = title, says, picture
        self.setFixedSize(self.sizeHint())
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(theme.in_tip(says))
        accessibility.describe(self, title, says)

    def sizeHint(self) -> QSize:
        return QSize(WIDE, (PICTURE if self.picture is not None else 0) + LINES)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("card"))
        if self.picture is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(QRectF(0, 0, self.width(), PICTURE), self.picture, QRectF(self.picture.rect()))
        top = self.height() - LINES
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.HEADING, bold=True))
        painter.drawText(10, top + 19, theme.elide(self.title, self.width() - 20, painter.font()))
        painter.setPen(theme.colour("soft"))
        painter.setFont(theme.font(theme.SMALL))
        box = QRectF(10, top + 24, self.width() - 18, LINES - 26)
        painter.drawText(box, Qt.TextFlag.TextWordWrap.value | Qt.AlignmentFlag.AlignTop.value, self.says)
        strong = self.underMouse() or self.hasFocus()
        painter.setPen(theme.pen("oak" if strong else "rule", 2 if strong else 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class BeginPage(QWidget):
    """Cards to begin with. Signals: guide_wanted(guide), family_wanted(name), demo_wanted(name), file_wanted(path)."""

    guide_wanted = pyqtSignal(object)
    family_wanted = pyqtSignal(str)
    demo_wanted = pyqtSignal(str)
    file_wanted = pyqtSignal(object)

    def __init__(self, recent: Callable[[], Sequence[Path]], parent: QWidget | None = None):
        super().__init__(parent)
        self._recent = recent
        self.cards: dict[str, Card] = {}
        self.setObjectName("page")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QScrollArea.Shape.NoFrame)
        outer.addWidget(self.area)
        self._columns = 0
        self._built = False

    def showEvent(self, event: object) -> None:
        self._fill()

    def resizeEvent(self, event: object) -> None:
        if self.isVisible() and self._columns != self._fitting():
            self._fill()

    def _fitting(self) -> int:
        return max((self.width() - 40) // (WIDE + GAP), 1)

    def _fill(self) -> None:
        """Lays all cards out in as many columns as fit."""
        self._columns = self._fitting()
        inside = QWidget()
        inside.setObjectName("page")
        column = QVBoxLayout(inside)
        column.setContentsMargins(20, 14, 20, 20)
        column.setSpacing(8)
        self.cards = {}
        self._section(column, "Guided starts, ten minutes each", [
            (f"guide:{one.name}", Card(one.title, one.says), partial(self._guide, one)) for one in guides.GUIDES
        ])  # fmt: skip
        self._section(column, "A blank craft of a family", [
            (f"family:{one.name}", Card(one.title, one.says), partial(self.family_wanted.emit, one.name))
            for one in families.FAMILIES
        ])  # fmt: skip
        self._section(column, "Demo yards", [
            (f"demo:{name}", Card(name.replace("-", " "), says, picture_of(name)), partial(self.demo_wanted.emit, name))
            for name, says in demos.DEMOS.items()
        ])  # fmt: skip
        recent = [
            (f"file:{path}", Card(path.name, str(path.parent)), partial(self.file_wanted.emit, path))
            for path in self._recent()
        ]
        if recent:
            self._section(column, "Last files", recent)
        column.addStretch(1)
        self.area.setWidget(inside)

    def _guide(self, one: Guide) -> None:
        self.guide_wanted.emit(one)

    def _section(
        self, column: QVBoxLayout, title: str, cards: Sequence[tuple[str, Card, Callable[[], object]]]
    ) -> None:
        head = QLabel(title)
        head.setFont(theme.font(theme.HEADING, bold=True))
        column.addWidget(head)
        grid = QGridLayout()
        grid.setSpacing(GAP)
        columns, wide = self._columns, WIDE
        if len(cards) > columns and all(card.picture is None for _, card, _ in cards):
            rows = -(-len(cards) // columns)
            columns = -(-len(cards) // rows)  # as even as they go, over the same width
            wide = (self._columns * (WIDE + GAP) - GAP * columns) // columns
        for place, (name, card, act) in enumerate(cards):
            card.clicked.connect(lambda _=False, act=act: act())
            card.setFixedWidth(wide)
            grid.addWidget(card, place // columns, place % columns)
            self.cards[name] = card
        grid.setColumnStretch(columns, 1)
        column.addLayout(grid)


def picture_of(name: str) -> QPixmap | None:
    """The picture of a demo; None where there is none."""
    file = resources.files("oak_sled") / "demo" / "pictures" / f"{name}.jpg"
    made = QPixmap()
    return made if file.is_file() and made.loadFromData(file.read_bytes()) else None
