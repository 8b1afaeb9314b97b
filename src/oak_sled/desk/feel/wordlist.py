"""The words of feel as a list of scales: how far each fits the craft on the bench, and the crafts beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from oak_sled.core.feel.character import Character, fitting
from oak_sled.core.yard.wish import Wish
from oak_sled.desk.widgets import accessibility, glyphs, keys, theme

HEAD, LINE = 50, 34
MARK = 24
"""px of the box at the left in which a word is wished for."""
NAME = 104
NUMBER = 46


@dataclass(frozen=True)
class Beside:
    """A craft to compare with: its name, the letter that marks it, and its character, None while it is found."""

    name: str
    letter: str
    character: Character | None


class WordList(QWidget):
    """A row a word. Signals: chosen(word), wished(word, on)."""

    PROMISED = keys.Keys.of(Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Space)

    chosen = pyqtSignal(str)
    wished = pyqtSignal(str, bool)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.wishes: tuple[Wish, ...] = ()
        self.character: Character | None = None
        self.others: tuple[Beside, ...] = ()
        self.wanted: set[str] = set()
        self.word = ""
        self.craft = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumWidth(300)
        self.setToolTip("a click shows what speaks for a word; the box at its left wishes for it")

    def show_words(
        self, craft: str, wishes: tuple[Wish, ...], character: Character | None, others: Sequence[Beside], word: str
    ) -> None:
        """Shows words for a craft of that heading, its character (None while it is found), and others beside it."""
        self.craft, self.wishes, self.character, self.others, self.word = craft, wishes, character, tuple(others), word
        self.setMinimumHeight(HEAD + LINE * len(wishes) + 8)
        accessibility.describe(self, "words of feel", self.words(), "up and down choose a word, space wishes for it")
        self.update()

    def words(self) -> str:
        """Every word with how far it fits."""
        if self.character is None:
            return "being tried"
        return ", ".join(f"{wish.heading} {self._told(wish)}" for wish in self.wishes)

    def _told(self, wish: Wish) -> str:
        score = fitting(wish, self.character.values).score if self.character is not None else None
        return "cannot tell" if score is None else f"{100.0 * score:.0f} %"

    def sizeHint(self) -> QSize:
        return QSize(380, self.minimumHeight())

    def row_box(self, word: str) -> QRectF:
        """Place of the row of a word."""
        place = [wish.id for wish in self.wishes].index(word)
        return QRectF(0, HEAD + place * LINE, self.width(), LINE)

    def mark_box(self, word: str) -> QRectF:
        """Place of the box that wishes for a word."""
        return QRectF(8, self.row_box(word).top() + (LINE - MARK) / 2, MARK, MARK)

    def word_at(self, at: QPointF) -> str:
        """The word in whose row a place lies; "" for none."""
        place = int((at.y() - HEAD) // LINE)
        return self.wishes[place].id if at.y() >= HEAD and place < len(self.wishes) else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not (word := self.word_at(event.position())):
            return
        if self.mark_box(word).adjusted(-8, -4, 4, 4).contains(event.position()):
            self.wished.emit(word, word not in self.wanted)
        else:
            self.chosen.emit(word)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        names = [wish.id for wish in self.wishes]
        place = names.index(self.word) if self.word in names else -1
        if event.key() == Qt.Key.Key_Down and place + 1 < len(names):
            self.chosen.emit(names[place + 1])
        elif event.key() == Qt.Key.Key_Up and place > 0:
            self.chosen.emit(names[place - 1])
        elif event.key() == Qt.Key.Key_Space and place >= 0:
            self.wished.emit(self.word, self.word not in self.wanted)
        elif event.key() not in (Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Space):
            super().keyPressEvent(event)

    def _scale(self, row: QRectF) -> QRectF:
        left = MARK + 16 + NAME
        return QRectF(left, row.top() + LINE / 2 - 4, self.width() - left - NUMBER - 12, 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.READING, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(10, 22), theme.elide(self.craft, self.width() - 20, theme.font(theme.READING, True)))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        says = "wish · word" if self.character is not None else "being driven, turned and shoved..."
        painter.drawText(QPointF(10, 41), says)
        if self.wishes:
            scale = self._scale(self.row_box(self.wishes[0].id))
            painter.drawText(QRectF(scale.left() - 20, 30, 40, 14), Qt.AlignmentFlag.AlignCenter, "0")
            painter.drawText(QRectF(scale.right() - 30, 30, 60, 14), Qt.AlignmentFlag.AlignCenter, "100 %")
        for wish in self.wishes:
            self._paint_word(painter, wish)

    def _paint_word(self, painter: QPainter, wish: Wish) -> None:
        row, scale = self.row_box(wish.id), self._scale(self.row_box(wish.id))
        if wish.id == self.word:
            painter.fillRect(row.adjusted(4, 1, -4, -1), theme.colour("shade"))
            if self.hasFocus():
                painter.setPen(theme.pen("oak_deep"))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(row.adjusted(4, 1, -4, -1))
        box, on = self.mark_box(wish.id), wish.id in self.wanted
        painter.setPen(theme.pen("oak_deep" if on else "soft"))
        painter.setBrush(theme.colour("oak") if on else Qt.BrushStyle.NoBrush)
        painter.drawPolygon(glyphs.star(box.center()))
        bold = theme.font(theme.TEXT, bold=wish.id == self.word or on)
        painter.setFont(bold)
        painter.setPen(theme.colour("ink"))
        name = QRectF(MARK + 14, row.top(), NAME, LINE)
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter, theme.elide(wish.heading, NAME - 4, bold))
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(scale.left(), scale.center().y()), QPointF(scale.right(), scale.center().y()))
        for part in (0.25, 0.5, 0.75):
            x = scale.left() + part * scale.width()
            painter.drawLine(QPointF(x, scale.center().y() - 2), QPointF(x, scale.center().y() + 2))
        for other in self.others:
            score = fitting(wish, other.character.values).score if other.character is not None else None
            if score is not None:
                paint_letter(painter, QPointF(scale.left() + score * scale.width(), scale.center().y()), other.letter)
        score = fitting(wish, self.character.values).score if self.character is not None else None
        if score is not None:
            bar = QRectF(scale.left(), scale.center().y() - 3, score * scale.width(), 6)
            painter.fillRect(bar, theme.colour("oak", 90))
            paint_today(painter, QPointF(scale.left() + score * scale.width(), scale.center().y()))
        painter.setFont(theme.font(theme.TEXT))
        painter.setPen(theme.colour("ink" if score is not None else "soft"))
        number = QRectF(self.width() - NUMBER - 8, row.top(), NUMBER, LINE)
        words = "" if self.character is None else "—" if score is None else f"{100.0 * score:.0f} %"
        painter.drawText(number, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words)


def paint_today(painter: QPainter, at: QPointF, hollow: bool = False) -> None:
    """The mark of the craft on the bench: a solid diamond. hollow : as it would be."""
    painter.setPen(QPen(theme.colour("oak_deep" if hollow else "card"), 1.5 if hollow else 1))
    painter.setBrush(theme.colour("card" if hollow else "oak_deep"))
    painter.drawPolygon(QPolygonF([at + QPointF(*step) for step in ((0, -7), (6, 0), (0, 7), (-6, 0))]))


def paint_letter(painter: QPainter, at: QPointF, letter: str) -> None:
    """The mark of a craft beside it: its letter in a ring."""
    painter.setPen(theme.pen("soft"))
    painter.setBrush(theme.colour("card"))
    painter.drawEllipse(at, 7.5, 7.5)
    painter.setFont(theme.font(10))
    painter.setPen(theme.colour("ink"))
    painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)
