"""The page Character: words of feel over the craft on the bench, what speaks for each, and crafts to compare with."""

from __future__ import annotations

import functools
from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import quantities, telling, words
from oak_sled.core.feel.character import Character
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.feel.bandpicture import BandPicture
from oak_sled.desk.feel.tuning import Tuning
from oak_sled.desk.feel.tuningpanel import TuningPanel
from oak_sled.desk.feel.wordlist import Beside, WordList
from oak_sled.desk.widgets import buttons, theme
from oak_sled.desk.widgets.settling import once_still
from oak_sled.desk.work.session import Session

LETTERS = "abcdefgh"
WEIGHTS = (0.5, 1.0, 2.0, 3.0, 5.0)


class CharacterPage(QWidget):
    """Follows the craft on the bench while it is in sight; words are edited in the yard."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.setObjectName("page")
        self.word = "icy"
        self.compared: list[str] = []
        """Crafts of the yard that stand beside, by their ids, and cards as "card:ID"."""
        self.words = WordList()
        self.bands = BandPicture()
        self.words.chosen.connect(self.choose)
        self.words.wished.connect(self.wish)
        self.bands.moved.connect(self.set_band)
        self.bands.menu_wanted.connect(self.show_band_menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._left())
        row.addWidget(_Line())
        row.addWidget(self._middle(), 1)
        row.addWidget(_Line())
        self.tuning = Tuning(session, self)
        self.panel = TuningPanel(self.tuning)
        self.tuning.changed.connect(self._show_then)
        row.addWidget(self.panel)
        self._still = once_still(self, self.refresh)
        session.yard_changed.connect(self._wait)  # methods: Qt releases them with this page
        session.shelf.changed.connect(self._wait)
        session.characters.changed.connect(self._came)

    def _wait(self, *_: object) -> None:
        if self.isVisible():
            self._still.start()

    def _came(self) -> None:
        if self.isVisible():
            self.refresh()

    # building

    def _left(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(340)
        column = QVBoxLayout(side)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(2)
        bar = QHBoxLayout()
        bar.setSpacing(2)
        self.compare_button = buttons.with_menu("crafts of the yard and cards beside it", self.fill_compare, "quiet")
        self.compare_button.setText("compare with")
        self.new_button = buttons.quiet(
            "a word from this craft", "a new word: bands around what the craft shows now", self.keep_word
        )
        bar.addWidget(self.compare_button)
        bar.addWidget(self.new_button)
        bar.addStretch(1)
        column.addLayout(bar)
        column.addWidget(_scrolled(self.words), 1)
        self.legend = QLabel()
        self.legend.setWordWrap(True)
        self.legend.setFont(theme.font(theme.SMALL))
        self.legend.setContentsMargins(8, 2, 8, 4)
        column.addWidget(self.legend)
        return side

    def _middle(self) -> QWidget:
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(2)
        bar = QHBoxLayout()
        bar.setSpacing(2)
        self.add_button = buttons.with_menu("a further band of this word", self.fill_add, "quiet")
        self.add_button.setText("add a band")
        self.reset_button = buttons.quiet("as it came", "drops what this yard changed of the word", self.reset_word)
        self.drop_button = buttons.quiet("remove the word", "drops this word of the yard", self.reset_word)
        bar.addWidget(self.add_button)
        bar.addWidget(self.reset_button)
        bar.addWidget(self.drop_button)
        bar.addStretch(1)
        column.addLayout(bar)
        column.addWidget(_scrolled(self.bands), 1)
        self.how = QLabel()
        self.how.setWordWrap(True)
        self.how.setFont(theme.font(theme.SMALL))
        self.how.setContentsMargins(10, 2, 8, 6)
        column.addWidget(self.how)
        return side

    # showing

    @property
    def shown_wish(self) -> Wish:
        """The word whose bands are shown."""
        every = {wish.id: wish for wish in words.of(self.session.yard)}
        return every.get(self.word) or next(iter(every.values()))

    def character(self) -> Character | None:
        """The character of the craft on the bench; None while it is found."""
        session = self.session
        return session.characters.of(session.yard, session.craft.id, session.drill.id)

    def beside(self) -> tuple[Beside, ...]:
        """The crafts that stand beside it."""
        session, found = self.session, []
        known = [craft.id for craft in session.yard.crafts]
        for name in self.compared:
            if name.startswith("card:"):
                card = session.shelf.card(name.removeprefix("card:"))
                if card is not None:
                    found.append((card.heading, session.characters.of_card(session.yard, card)))
            elif name in known:
                made = session.characters.of(session.yard, name, session.drill.id)
                found.append((session.yard.craft(name).heading, made))
        pairs = zip(found[: len(LETTERS)], LETTERS, strict=False)
        return tuple(Beside(name, letter, made) for (name, made), letter in pairs)

    def refresh(self) -> None:
        """Shows words and bands as they are now."""
        session = self.session
        session.characters.is_wanted = True
        self.tuning.follow()
        every, wish, made, others = words.of(session.yard), self.shown_wish, self.character(), self.beside()
        self.word = wish.id
        for name in [name for name in self.tuning.weights if name not in [one.id for one in every]]:
            del self.tuning.weights[name]  # a word that was removed
        self.words.wanted = set(self.tuning.weights)
        self.panel.tell()
        self.words.show_words(session.craft.heading, every, made, others, self.word)
        self.bands.show_wish(wish, made, others)
        self._show_then()
        own = [one.id for one in session.yard.wishes]
        built_in = [one.id for one in words.BUILT_IN]
        self.reset_button.setVisible(wish.id in own and wish.id in built_in)
        self.drop_button.setVisible(wish.id in own and wish.id not in built_in)
        self.how.setText(_how(made) if made is not None else "")

    def _show_then(self) -> None:
        looked = self.tuning.looked_at
        self.bands.show_then({} if looked is None or self.tuning.is_taken() else looked.values)
        others = self.bands.others
        letters = [f"{other.letter}  {other.name}{'' if other.character else ' (being tried)'}" for other in others]
        then = ["◇  with the moves"] if self.bands.then else []
        self.legend.setText("   ".join(["◆  on the bench", *then, *letters]))

    def showEvent(self, event: object) -> None:
        self.refresh()

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.update()

    def choose(self, word: str) -> None:
        """Shows the bands of a word."""
        self.word = word
        self.refresh()

    def wish(self, word: str, on: bool) -> None:
        """Wishes for a word, or no more."""
        if on:
            self.tuning.weights[word] = 1.0
        else:
            self.tuning.weights.pop(word, None)
        self.tuning.changed.emit()
        self.choose(word)

    def fill_compare(self, menu: QMenu) -> None:
        """Crafts of the yard and cards of the shelf, those that stand beside checked."""
        session = self.session
        named = [(craft.id, craft.heading) for craft in session.yard.crafts if craft.id != session.craft.id]
        cards = [card for card in session.shelf.cards if card.job.craft.id == session.craft.id]
        cards.sort(key=lambda card: not (card.pinned or card.starred))
        named += [(f"card:{card.id}", card.heading) for card in cards[:12]]
        if not named:
            action = menu.addAction("no other craft, and no kept run of this one")
            if action is not None:
                action.setEnabled(False)
        for name, heading in named:
            action = menu.addAction(theme.in_menu(heading), functools.partial(self.compare, name))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(name in self.compared)

    def compare(self, name: str) -> None:
        """Puts a craft, or a card as "card:ID", beside the one on the bench, or takes it away."""
        if name in self.compared:
            self.compared.remove(name)
        else:
            self.compared = [*self.compared, name][-len(LETTERS) :]
        self.refresh()

    # words of the yard

    def _keep(self, wish: Wish, label: str) -> None:
        self.session.attempt(lambda: words.kept(self.session.yard, wish), label, card=False)
        self.word = wish.id
        self.refresh()

    def keep_word(self) -> None:
        """A new word of bands around what the craft shows now."""
        made = self.character()
        if made is None:
            self.session.say("the craft is still being tried")
            return
        name = free_name("like_this", words.of(self.session.yard))
        try:
            wish = words.like(dict(made.values), name, f"like this {self.session.craft.heading}"[:60])
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        self._keep(wish, f"word {wish.heading}")

    def set_band(self, place: int, band: Band) -> None:
        """Takes a band of the word that is shown as it was left."""
        wish = self.shown_wish
        if place < len(wish.bands) and wish.bands[place] != band:
            bands = tuple(band if k == place else one for k, one in enumerate(wish.bands))
            self._keep(wish.replace(bands=bands), f"{wish.heading}: {telling.title_of(band)}")

    def fill_add(self, menu: QMenu) -> None:
        """The quantities that the word has no band of."""
        there = [band.name for band in self.shown_wish.bands]
        for quantity in quantities.QUANTITIES:
            if quantity.name not in there:
                menu.addAction(quantity.title, functools.partial(self.add_band, quantity.name))

    def add_band(self, name: str) -> None:
        """A further band: around what the craft shows of a quantity."""
        quantity, made, wish = quantities.known(name), self.character(), self.shown_wish
        value = made.values.get(name) if made is not None else None
        middle = value if value is not None else 0.5 * (quantity.least + quantity.most)
        band = Band(
            quantity=name, low=float(f"{max(middle - quantity.size, quantity.least):.3g}"),
            high=float(f"{middle + quantity.size:.3g}"), fade=2.0 * quantity.size,
        )  # fmt: skip
        self._keep(wish.replace(bands=(*wish.bands, band)), f"{wish.heading}: {quantity.title}")

    def show_band_menu(self, place: int, at: QPoint) -> None:
        """Shows the menu of a band."""
        menu = QMenu(self)
        self.fill_band(menu, place)
        menu.exec(at)
        menu.deleteLater()

    def fill_band(self, menu: QMenu, place: int) -> None:
        """The menu of a band: its ends, its weight, and its removal."""
        wish = self.shown_wish
        band = wish.bands[place]
        head = menu.addAction(theme.in_menu(telling.says_of(band)))
        if head is not None:
            head.setEnabled(False)
        menu.addAction("Type its ends", lambda: self.bands.ask_ends(place))
        inner = menu.addMenu("Counts")
        for weight in WEIGHTS:
            action = inner.addAction(f"{weight:g} times") if inner is not None else None
            if action is not None:
                action.setCheckable(True)
                action.setChecked(band.weight == weight)
                action.triggered.connect(lambda _=False, w=weight: self.set_band(place, band.replace(weight=w)))
        if len(wish.bands) > 1:
            menu.addAction("Remove the band", lambda: self.drop_band(place))

    def drop_band(self, place: int) -> None:
        """Takes a band out of the word."""
        wish = self.shown_wish
        bands = tuple(one for k, one in enumerate(wish.bands) if k != place)
        title = telling.title_of(wish.bands[place])
        self._edited(lambda: words.kept(self.session.yard, wish.replace(bands=bands)), f"{wish.heading}: no {title}")

    def reset_word(self) -> None:
        """Drops what this yard has of the word."""
        yard, name = self.session.yard, self.word
        left = tuple(one for one in yard.wishes if one.id != name)
        self._edited(lambda: yard.edit("wishes", left), f"word {self.shown_wish.heading} as it came")

    def _edited(self, make: Callable[[], Yard], label: str) -> None:
        self.session.attempt(make, label, card=False)
        self.refresh()


def _how(made: Character) -> str:
    """The channels by which the craft was tried, and its own scales, in a line."""
    roles = made.roles
    plays = [(roles.drive, "driven"), (roles.turn, "turned"), (roles.brake, "braked")]
    told = [f"{how} by {name.replace('_', ' ')}" for name, how in plays if name]
    line = f"Tried by probing drills: {', '.join(told) or 'nothing drives or turns it'}; own time "
    line += units.show(made.own_time, "s")
    if roles.drive:
        line += f", top speed {units.show(made.top, 'm/s')}, {units.show(made.constant, 's')} to 63 % of it"
    return line + ". Times count in own times of the craft, unless they are in seconds."


def _scrolled(widget: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(widget)
    return area


class _Line(QWidget):
    """A hairline between columns, in the colours of the theme."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), theme.colour("rule"))
