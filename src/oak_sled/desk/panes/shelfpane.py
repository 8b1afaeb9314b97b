"""The shelf: cards of kept runs, newest at the left."""

from __future__ import annotations

import time

import numpy as np
from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QScrollArea, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.core.results import measures
from oak_sled.desk.widgets import accessibility, glyphs, keys, theme
from oak_sled.desk.work.session import Session

CARD = QSize(178, theme.SHELF - 12)
PROFILE = 36
"""px of the bars of words of feel on a card."""
STEP = CARD.width() + 5
"""px from one card to the next."""
MARGIN_X, MARGIN_Y = 6, 5
BESIDE = 25
"""Cards beyond each end of what is in sight that have widgets too."""


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
            self.setToolTip(", ".join(f"{word} {100.0 * share:.0f} %" for word, share in best))
            self.update()

    def _tell(self) -> None:
        marks = [word for word, on in (("pinned", self.card.pinned), ("starred", self.card.starred)) if on]
        value = ", ".join([self.card.says, *marks])
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


class Readout(QWidget):
    """Number of runs, and the memory that those in memory take."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.lines: tuple[str, ...] = ()
        self.setFixedWidth(104)
        self.setToolTip(
            "Runs that were not looked at for longest leave memory when all of them take more than that: a drill is "
            "run again when it is wanted, a drive is read from disk. The run in sight stays, and does not count. "
            "OAK_SLED_MEMORY sets the bound, in MB."
        )

    def tell(self) -> None:
        """Says it as it is now."""
        count = len(self.session.shelf.cards)
        ready = sum(card.kept.ready is not None for card in self.session.shelf.cards)
        taken = f"{BUDGET.taken() / 1e6:.0f} of {BUDGET.most / 1e6:.0f} MB"
        lines = (f"{count} run{'s' if count != 1 else ''}", f"{ready} in memory", taken) if count else ()
        if lines != self.lines:
            self.lines = lines
            self.setAccessibleName(", ".join(lines))
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("paper"))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        top = (self.height() - 18 * len(self.lines)) / 2
        for place, line in enumerate(self.lines):
            painter.drawText(QRectF(4, top + 18 * place, self.width() - 12, 18), Qt.AlignmentFlag.AlignRight, line)


class ShelfPane(QWidget):
    """Signals: compared(old card, new card), said(text), keep_drill_wanted(id), export_wanted(id)."""

    compared = pyqtSignal(object, object)
    keep_drill_wanted = pyqtSignal(str)
    export_wanted = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.cards: dict[str, CardWidget] = {}
        self._was_empty = True
        self._filling = False
        """While widgets come and go: one that hides with the focus in it hands that on, and the shelf would scroll."""
        self.setFixedHeight(theme.SHELF)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.area = QScrollArea()
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inner = QWidget()
        self.inner.setFixedHeight(CARD.height() + 2 * MARGIN_Y)
        self.area.setWidget(self.inner)
        layout.addWidget(self.area, 1)
        self.readout = Readout(session)
        layout.addWidget(self.readout)
        along = self.area.horizontalScrollBar()
        assert along is not None
        along.valueChanged.connect(self._fill)
        session.shelf.changed.connect(self.refresh)
        session.shown.run_changed.connect(self.mark)
        session.characters.changed.connect(self.show_profiles)
        self.refresh()

    def refresh(self) -> None:
        """Brings the cards in step with the shelf; widgets of cards that stay are kept."""
        wanted = {card.id: card for card in self.session.shelf.cards}
        self._drop([name for name in self.cards if name not in wanted])
        self.inner.setFixedWidth(max(1, 2 * MARGIN_X + STEP * len(wanted)))
        for name, widget in self.cards.items():
            widget.show_card(wanted[name])
        self._fill()
        self.mark()
        self.show_profiles()
        self.readout.tell()
        if self._was_empty != (not wanted):
            self._was_empty = not wanted
            self.update()  # the words of an empty shelf

    def _fill(self) -> None:
        """Gives widgets to the cards in sight and some beside them: a shelf may hold a thousand."""
        if self._filling:
            return
        along = self.area.horizontalScrollBar()
        first = (along.value() if along is not None else 0) // STEP
        last = first + self.width() // STEP
        near = self.session.shelf.cards[max(0, first - BESIDE) : last + BESIDE + 1]
        names = {card.id for card in near}
        self._drop([name for name, widget in self.cards.items() if name not in names and not widget.hasFocus()])
        before: QWidget | None = None
        for place, card in enumerate(self.session.shelf.cards):
            if card.id in names:
                widget = self.cards.get(card.id) or self._new(card)
                widget.move(MARGIN_X + STEP * place, MARGIN_Y)
                widget.show()
                if before is not None:
                    QWidget.setTabOrder(before, widget)
                before = widget

    def show_profiles(self) -> None:
        """Shows how words of feel fit the crafts of the cards in sight, once somebody looked at a character."""
        if not self.session.characters.is_wanted:
            return
        along = self.area.horizontalScrollBar()
        left = along.value() if along is not None else 0
        for widget in self.cards.values():
            if left - STEP < widget.x() < left + self.width():
                found = self.session.characters.of_card(self.session.yard, widget.card)
                if found is not None:
                    told = ((one.wish.heading, one.score) for one in found.words)
                    widget.show_profile(tuple((word, score) for word, score in told if score is not None))

    def _drop(self, names: list[str]) -> None:
        self._filling = True
        for name in names:
            widget = self.cards.pop(name)
            widget.hide()
            widget.deleteLater()
        self._filling = False

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fill()

    def step_from(self, name: str, by: int) -> None:
        """Gives the focus to the card beside another."""
        names = [card.id for card in self.session.shelf.cards]
        if name in names and 0 <= (place := names.index(name) + by) < len(names):
            self.area.ensureVisible(MARGIN_X + STEP * place + CARD.width() // 2, 0, CARD.width(), 0)
            self._fill()
            self.cards[names[place]].setFocus(Qt.FocusReason.TabFocusReason)

    def mark(self) -> None:
        """Marks the card whose run is shown."""
        for widget in self.cards.values():
            shown = widget.card.id == self.session.shelf.shown_card and self.session.shown.run is not None
            state = (shown, widget.card.kept.differs, widget.card.unreadable)
            if state != widget.state:
                widget.shown, widget.state = shown, state
                widget.update()

    def _new(self, card: Card) -> CardWidget:
        widget = CardWidget(card, self.inner)
        self.cards[card.id] = widget
        widget.step_wanted.connect(self.step_from)
        widget.picked.connect(self.session.look_at)
        widget.pin_wanted.connect(lambda name: self._flip(name, "pinned", "pin"))
        widget.star_wanted.connect(lambda name: self._flip(name, "starred", "star"))
        widget.renamed.connect(lambda name, text: self.session.shelf.change_card(name, "rename run", title=text))
        widget.menu_wanted.connect(self.show_menu)
        return widget

    def _flip(self, name: str, field: str, label: str) -> None:
        card = self.session.shelf.card(name)
        if card is not None:
            self.session.shelf.change_card(name, label, **{field: not getattr(card, field)})

    def show_menu(self, name: str, place: QPoint) -> None:
        """Shows the menu of a card."""
        card = self.session.shelf.card(name)
        if card is None:
            return
        menu = QMenu(self)
        menu.addAction("Restore its settings", lambda: self.session.look_at(name))
        menu.addAction(
            "Unpin its ghost" if card.pinned else "Pin as a ghost", lambda: self._flip(name, "pinned", "pin")
        )
        menu.addAction("Remove the star" if card.starred else "Star", lambda: self._flip(name, "starred", "star"))
        menu.addAction("Rename...", self.cards[name].ask_name)
        now = self.session.shelf.card(self.session.shelf.shown_card)
        if now is not None and now.id != name:
            menu.addAction(f"Compare with {now.heading}", lambda: self.compared.emit(card, now))
        if card.live:
            menu.addAction("Keep its inputs as a drill", lambda: self.keep_drill_wanted.emit(name))
        menu.addAction("Export as CSV...", lambda: self.export_wanted.emit(name))
        menu.addSeparator()
        menu.addAction("Delete", lambda: self.session.shelf.drop_card(name))
        menu.exec(place)
        menu.deleteLater()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("paper"))
        if not self.session.shelf.cards:
            painter.setFont(theme.font(theme.TEXT))
            painter.setPen(theme.colour("soft"))
            words = "every run is kept here: turn a dial, run the drill, or drive"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
