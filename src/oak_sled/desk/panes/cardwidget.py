"""A card of the shelf: what was changed, the path, the headline measure, and how words of feel fit its craft."""

from __future__ import annotations

import time

import numpy as np
from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QLineEdit, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.project.shelf import Card
from oak_sled.core.results import measures
from oak_sled.desk.widgets import accessibility, glyphs, keys, theme

CARD = QSize(178, theme.SHELF - 12)
PROFILE = 36
"""px of the bars of words of feel on a card."""


class CardWidget(QWidget):
    """A card. Signals: picked(id), menu_wanted(id, point), pin_wanted(id), star_wanted(id), renamed(id, text),
    step_wanted(id, by): the focus should go to a card beside it."""

    PROMISED = keys.Keys.of(
        *keys.RETURN, Qt.Key.Key_Space, Qt.Key.Key_P, Qt.Key.Key_F2, Qt.Key.Key_Left, Qt.Key.Key_Right
    )

    picked = pyqtSignal(str)
    menu_wanted = pyqtSignal(str, QPoint)
    pin_wanted = pyqtSignal(str)
    star_wanted = pyqtSignal(str)
    renamed = pyqtSignal(str, str)
    step_wanted = pyqtSignal(str, int)

    def __init__(self, card: Card, parent: QWidget | None = None):
        super().__init__(parent)
        self.card = card
        self.shown = False
        self.state = (False, False, False)
        """State of its run: shown, had again otherwise than kept, not to be had."""
        self.compared = False
        self.profile: tuple[tuple[str, float], ...] = ()
        """Share by which each word of feel fits its craft; none while that is not known."""
        self._best = ""
        self.setFixedSize(CARD)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._tell()
        self._path = thumbnail(card.trail, QRectF(10, 44, 78, 30))

    def show_card(self, card: Card) -> None:
        """Shows the card as it is now: pinned, starred, named."""
        if card is not self.card:
            self.card = card
            self._tell()
            self.update()

    def show_profile(self, profile: tuple[tuple[str, float], ...]) -> None:
        """Shows how far words of feel fit its craft."""
        if profile != self.profile:
            self.profile = profile
            best = sorted(profile, key=lambda one: -one[1])[:4]
            self._best = ", ".join(f"{word} {100.0 * share:.0f} %" for word, share in best)
            self._tell()
            self.update()

    def _tell(self) -> None:
        marks = [word for word, on in (("pinned", self.card.pinned), ("starred", self.card.starred)) if on]
        value = ", ".join([self.card.says, *marks])
        ratings = [one.words() for one in self.card.ratings]
        self.setToolTip(theme.in_tip("\n".join([*([self._best] if self._best else []), *ratings])))
        value = "; ".join([value, *ratings])
        accessibility.describe(self, f"run: {self.card.heading}", value, "Return loads it, P pins it, F2 renames it")

    def _pin_box(self) -> QRectF:
        return QRectF(self.width() - 62, 2, 34, 22)

    def _star_box(self) -> QRectF:
        return QRectF(self.width() - 27, 2, 25, 22)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self._pin_box().contains(event.position()):
            self.pin_wanted.emit(self.card.id)
        elif self._star_box().contains(event.position()):
            self.star_wanted.emit(self.card.id)
        else:
            self.picked.emit(self.card.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.ask_name()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.picked.emit(self.card.id)
        elif event.key() == Qt.Key.Key_P:
            self.pin_wanted.emit(self.card.id)
        elif event.key() == Qt.Key.Key_F2:
            self.ask_name()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.step_wanted.emit(self.card.id, 1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu_wanted.emit(self.card.id, event.globalPos())

    def ask_name(self) -> None:
        """Asks for a name in place."""
        edit = QLineEdit(self)
        edit.setText(self.card.heading)
        edit.setGeometry(6, 20, self.width() - 12, 24)

        def take() -> None:
            text = edit.text().strip()
            edit.hide()
            edit.deleteLater()
            self.renamed.emit(self.card.id, text)

        edit.returnPressed.connect(take)
        edit.show()
        edit.setFocus()
        edit.selectAll()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setBrush(theme.colour("card"))
        token = "oak" if self.shown else "oak_deep" if self.hasFocus() or self.compared else "rule"
        painter.setPen(QPen(theme.colour(token), 2 if self.shown or self.compared else 1))
        painter.drawRoundedRect(box, 3, 3)
        card = self.card
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        drill = card.job.drill.heading
        small = theme.font(10)
        stamp = time.strftime("%H:%M", time.localtime(card.when))
        painter.drawText(10, 15, theme.elide(f"{stamp}  {drill}", self.width() - 76, small))
        self._paint_marks(painter)
        bold = theme.font(theme.SMALL, bold=True)
        painter.setFont(bold)
        painter.setPen(theme.colour("ink"))
        room = self.width() - 20 - (PROFILE + 6 if self.profile else 0)
        painter.drawText(10, 34, theme.elide(card.heading, room, bold))
        self._paint_profile(painter)
        painter.setPen(QPen(theme.colour("oak" if self.shown else "soft"), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(self._path)
        value, unit, title = measures.headline(card.job.drill, card.found)
        number, unit = units.reading(value, unit) if value is not None else ("—", "")
        theme.number(painter, self.width() - 10, 58, number, unit, 15, theme.colour("ink"), theme.colour("soft"))
        painter.setFont(small)
        painter.setPen(theme.colour("soft"))
        met = [verdict.met for verdict in measures.judge(card.job.drill, card.found)]
        line = title
        if met:
            painter.setPen(theme.colour("good" if all(met) else "warning"))
            verdict = " · met" if all(met) else " · missed"
            line = theme.elide(title, self.width() - 20 - theme.width(verdict, small), small) + verdict
        said = "diverged" if card.message else "unreadable" if card.unreadable else ""
        said = said or ("run again: differs" if card.kept.differs else "")
        if said:
            painter.setPen(theme.colour("warning"))
            line = said
        painter.drawText(QRectF(8, self.height() - 20, self.width() - 18, 14), Qt.AlignmentFlag.AlignRight, line)

    def _paint_profile(self, painter: QPainter) -> None:
        """A bar a word of feel, in the order of the page Character."""
        for place, (_, share) in enumerate(self.profile[: PROFILE // 3]):
            tall = max(12.0 * share, 1.0)
            bar = QRectF(self.width() - 10 - PROFILE + 3 * place, 36 - tall, 2, tall)
            painter.fillRect(bar, theme.colour("oak" if share > 0.75 else "ghost"))

    def _paint_marks(self, painter: QPainter) -> None:
        pin, star = self._pin_box(), self._star_box()
        painter.setFont(theme.font(10, bold=self.card.pinned))
        painter.setPen(theme.colour("oak_deep" if self.card.pinned else "soft"))
        painter.drawText(pin, Qt.AlignmentFlag.AlignCenter, "pin")
        painter.setPen(QPen(theme.colour("oak_deep" if self.card.starred else "soft"), 1))
        painter.setBrush(theme.colour("oak") if self.card.starred else Qt.BrushStyle.NoBrush)
        painter.drawPolygon(glyphs.star(star.center()))


def thumbnail(places: Floats, box: QRectF) -> QPainterPath:
    """A path, shape (n, 2), m, in a small box, to its own scale."""
    low, size = places.min(axis=0), np.maximum(np.ptp(places, axis=0), 1e-6)
    # a path that is long and narrow is stretched across, up to four times, to show its shape
    scale_x = min(box.width() / size[0], 4.0 * box.height() / size[1])
    scale_y = min(box.height() / size[1], 4.0 * scale_x)
    made = QPainterPath()
    for place, (x, y) in enumerate(places):
        px = box.left() + (x - low[0]) * scale_x
        py = box.center().y() - (y - low[1] - size[1] / 2) * scale_y
        made.moveTo(px, py) if place == 0 else made.lineTo(px, py)
    return made
