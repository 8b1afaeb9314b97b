"""The shelf: cards of kept runs, newest at the left."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QScrollArea, QWidget

from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.desk.panes.cardwidget import CARD, CardWidget
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session

STEP = CARD.width() + 5
"""px from one card to the next."""
MARGIN_X, MARGIN_Y = 6, 5
BESIDE = 25
"""Cards beyond each end of what is in sight that have widgets too."""


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
    """Signals: compared(old card, new card), said(text), keep_drill_wanted(id), export_wanted(id),
    blind_wanted(card)."""

    compared = pyqtSignal(object, object)
    blind_wanted = pyqtSignal(object)
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
        if card.job.craft != self.session.craft:
            menu.addAction("Drive it blind against the one on the bench", lambda: self.blind_wanted.emit(card))
        if card.live:
            menu.addAction("Keep its inputs as a drill", lambda: self.keep_drill_wanted.emit(name))
        menu.addAction("Export as CSV...", lambda: self.export_wanted.emit(name))
        for rating in card.ratings:
            told = menu.addAction(theme.in_menu(rating.words()))
            if told is not None:
                told.setEnabled(False)
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
