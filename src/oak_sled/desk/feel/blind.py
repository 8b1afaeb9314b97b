"""Two variants driven without knowing which: a bar over the bench with both, words to rate them by, and the answer."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QSlider, QVBoxLayout, QWidget

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import character, judged, words
from oak_sled.core.feel.character import Character
from oak_sled.core.project.ratings import LONGEST_WORD, MOST_SCORE, Blind, Rating, merged
from oak_sled.core.project.shelf import Card
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.driving.drive import Driver
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session

FIRST = "fun"
"""The word that is asked for where the user has none yet."""
MOST_WORDS = 5
SAYS = {-2: "one, by far", -1: "one, a little", 0: "alike", 1: "two, a little", 2: "two, by far"}
NAMES = ("one", "two")


class BlindBar(QWidget):
    """Signals: begun(bool) when a comparison begins or ends: what would tell the variants apart is out of sight.

    The variant 0 is the craft of a card, 1 that on the bench.
    """

    begun = pyqtSignal(bool)

    def __init__(self, session: Session, driver: Driver, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.driver = session, driver
        self.blind: Blind | None = None
        self.cards: tuple[Card | None, Card | None] = (None, None)
        self.yards: tuple[Yard, Yard] | None = None
        self.found: tuple[Rating, ...] = ()
        self.words: list[str] = [FIRST]
        self.driven: set[int] = set()
        """Those of one and two that were driven in this round."""
        self.setObjectName("page")
        self.setAutoFillBackground(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 10, 6)
        column.setSpacing(4)
        row = QHBoxLayout()
        self.title = QLabel()
        self.title.setFont(theme.font(theme.HEADING, bold=True))
        row.addWidget(self.title)
        row.addSpacing(12)
        self.drives = tuple(
            _button(f"drive {name}", f"drives {name} of the two; F9 ends it", partial(self.drive, place))
            for place, name in enumerate(NAMES)
        )
        self.next_button = _button("next round", "keeps what was said, and mixes the two anew", self.next_round)
        self.see_button = _button("see which is which", "ends it: the ratings stay on the shelf", self.see)
        self.leave_button = _button("leave", "ends it without keeping ratings (Escape)", self.leave)
        for button in (*self.drives, self.next_button, self.see_button):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.leave_button)
        column.addLayout(row)
        self.rates = QHBoxLayout()
        self.rates.setSpacing(14)
        column.addLayout(self.rates)
        self.sliders: dict[str, QSlider] = {}
        self.more = QLineEdit()
        self.more.setPlaceholderText("a word of your own")
        self.more.setMaxLength(LONGEST_WORD)
        self.more.setFixedWidth(150)
        self.more.setMinimumHeight(26)
        accessibility.describe(self.more, "a word of your own to rate by", "", "Return adds it")
        self.more.returnPressed.connect(self._add_word)
        self.answer = QLabel()
        self.answer.setWordWrap(True)
        column.addWidget(self.answer)
        self.wishes = QHBoxLayout()
        column.addLayout(self.wishes)
        driver.session.shown.live_changed.connect(self._tell)
        session.shelf.changed.connect(self._settle)
        self.hide()

    @property
    def is_on(self) -> bool:
        """True while it is not told which is which."""
        return self.blind is not None and not self.found

    # its course

    def begin(self, card: Card, seed: int | None = None) -> None:
        """Begins to compare the craft of a card with the one on the bench, in the drill on the bench."""
        session = self.session
        if self.driver.is_on:
            session.say("a drive goes on: end it first (F9)", True)
            return
        try:
            kept = session.yard.edit(f"crafts.{card.job.craft.id}", card.job.craft)
            self._job(kept, card.job.craft.id)
        except Refused:
            session.say(f"the craft of {card.heading} is not in this yard any more", True)
            return
        if kept.craft(card.job.craft.id) == session.craft:
            session.say(f"the craft of {card.heading} is the one on the bench: nothing to compare", True)
            return
        now = session.shelf.card(session.shelf.shown_card)
        if now is not None and (now.id == card.id or now.job.craft != session.craft):
            now = None
        self.cards, self.yards = (card, now), (kept, session.yard)
        names = (card.heading, "the one on the bench" if now is None else now.heading)
        self.blind = Blind(names, time.time_ns() % 2**31 if seed is None else seed)
        self.found, self.driven = (), set()
        self._lay()
        self.show()
        self.begun.emit(True)
        self._tell()

    def _job(self, yard: Yard, craft: str) -> Job:
        """The drill on the bench with a craft of a yard in the place of the one on the bench."""
        return jobs.job_of(yard, yard.drill(), craft)

    def drive(self, place: int) -> None:
        """Begins to drive one (0) or two (1)."""
        if self.blind is None or self.yards is None or self.found:
            return
        self.driver.stop()
        which = self.blind.variant(place)
        names = (self.cards[0].job.craft.id if self.cards[0] is not None else "", self.session.craft.id)
        self.driven.add(place)
        self.driver.start(job=self._job(self.yards[which], names[which]))
        self._tell()

    def scores(self) -> dict[str, int]:
        """The scores of the sliders, by word."""
        return {word: slider.value() for word, slider in self.sliders.items()}

    def next_round(self) -> None:
        """Keeps what was said, and mixes the two anew."""
        if not self._rated():
            return
        self.driver.stop()
        self.driven = set()
        for slider in self.sliders.values():
            slider.setValue(0)
        self._tell()

    def _rated(self) -> bool:
        """Takes the round; False, and said, where not both were driven."""
        if self.blind is None:
            return False
        if len(self.driven) < 2:
            missing = " and ".join(name for place, name in enumerate(NAMES) if place not in self.driven)
            self.session.say(f"drive {missing} first: there is nothing to rate yet", True)
            return False
        self.blind.rate(self.scores())
        return True

    def see(self) -> None:
        """Ends the comparison: tells which was which, and puts the ratings on the shelf."""
        blind = self.blind
        if blind is None or not ((blind.rounds and len(self.driven) < 2) or self._rated()):
            return  # a round in which not both were driven tells nothing
        self.driver.stop()
        last = blind.rounds[-1][0]
        when = time.time()
        self.found = blind.ratings(0, when)
        for of, card in enumerate(self.cards):
            there = None if card is None else self.session.shelf.card(card.id)
            if there is not None:
                told = merged(there.ratings, blind.ratings(of, when))
                self.session.shelf.change_card(there.id, "blind comparison", ratings=told)
        lines = [f"In the last round one was {blind.names[last]}, two was {blind.names[1 - last]}."]
        lines += [f"{blind.names[0]}: {rating.words()}." for rating in self.found]
        self.answer.setText("\n".join(lines))
        self.begun.emit(False)
        self._lay()
        self._tell()

    def leave(self) -> None:
        """Ends it; what was not seen is not kept."""
        unseen = self.is_on
        self.driver.stop()
        self.blind, self.found, self.yards = None, (), None
        self.answer.setText("")
        self.hide()
        if unseen:
            self.begun.emit(False)

    def _settle(self) -> None:
        """Another yard is open, or the card is gone: there is nothing to compare any more."""
        card = self.cards[0]
        if self.isVisible() and card is not None and self.session.shelf.card(card.id) is None:
            self.leave()

    # words

    def _add_word(self) -> None:
        word = " ".join(self.more.text().split())
        self.more.clear()
        if not word or word in self.words:
            return
        if len(self.words) == MOST_WORDS:
            self.session.say(f"{MOST_WORDS} words are rated at once", True)
            return
        self.words.append(word)
        self._lay()

    def _drop_word(self, word: str) -> None:
        if len(self.words) > 1:
            self.words.remove(word)
            self._lay()

    def _lay(self) -> None:
        """Lays out a slider for each word, or, at the end, what can be made of each."""
        old = self.scores()
        self.more.setParent(None)
        for lane in (self.rates, self.wishes):
            while (item := lane.takeAt(0)) is not None:
                widget = item.widget()
                if widget is not None and widget is not self.more:
                    widget.hide()
                    widget.setParent(None)
                    widget.deleteLater()
        self.sliders = {}
        ended = bool(self.found)
        self.answer.setVisible(ended)
        if ended:
            for rating in self.found:
                if rating.score:
                    tip = "bands of what parts the two, as a word of the Character page"
                    self.wishes.addWidget(_button(f"make {rating.word} a wish", tip, partial(self.make_wish, rating)))
            self.wishes.addStretch(1)
            return
        for word in self.words:
            self.rates.addWidget(self._rate(word, old.get(word, 0)))
        self.rates.addWidget(self.more)
        self.rates.addStretch(1)

    def _rate(self, word: str, value: int) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        label = QLabel(f"{word}:")
        label.setFont(theme.font(theme.SMALL, bold=True))
        told = QLabel(SAYS[value])
        told.setFont(theme.font(theme.SMALL))
        head.addWidget(label)
        head.addWidget(told)
        head.addStretch(1)
        if len(self.words) > 1:
            drop = QPushButton("×")
            drop.setObjectName("quiet")
            drop.setFixedSize(22, 20)
            drop.setToolTip(theme.in_tip(f"no longer rates by {word}"))
            drop.setAccessibleName(f"no longer rate by {word}")
            drop.clicked.connect(lambda _=False: self._drop_word(word))
            head.addWidget(drop)
        column.addLayout(head)
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(-MOST_SCORE, MOST_SCORE)
        slider.setPageStep(1)
        slider.setValue(value)
        slider.setFixedWidth(190)
        slider.setMinimumHeight(24)
        accessibility.describe(slider, f"which is more {word}", SAYS[value], "left: one; right: two")

        def changed(now: int) -> None:
            told.setText(SAYS[now])
            accessibility.describe(slider, f"which is more {word}", SAYS[now], "left: one; right: two")

        slider.valueChanged.connect(changed)
        column.addWidget(slider)
        self.sliders[word] = slider
        return box

    def make_wish(self, rating: Rating) -> None:
        """Makes a word of feel of a rating, from what parts the two; they are tried beside the window."""
        session, yards, card = self.session, self.yards, self.cards[0]
        if yards is None or card is None:
            return
        names, drill = (card.job.craft.id, session.craft.id), session.drill.id
        more = 0 if rating.score > 0.0 else 1

        def work() -> tuple[Character, Character]:
            made = [character.of(yards[k], names[k], drill) for k in (more, 1 - more)]
            return made[0], made[1]

        def done(both: tuple[Character, Character]) -> None:
            name = free_name(rating.word, words.of(session.yard)) or free_name("word", words.of(session.yard))
            try:
                wish = judged.wish_of(name, both[0].values, both[1].values, rating.sure, rating.word)
                made = words.kept(session.yard, wish)
            except Refused as refused:
                self._refused(refused)
                return
            session.change(made, f"{rating.word} as it was found blind", card=False)
            session.say(f"{rating.word} is a word of feel of this yard: {len(wish.bands)} bands (F10)")

        session.background.add(Task(f"trying what is {rating.word}", lambda _: work(), done, self._refused))

    def _refused(self, fault: Refused) -> None:
        self.session.say(str(fault.faults[0]), True)

    def _tell(self, *_: object) -> None:
        """Says where it stands."""
        if self.blind is None:
            return
        ended = bool(self.found)
        for button in (*self.drives, self.next_button, self.see_button):
            button.setVisible(not ended)
        for place, button in enumerate(self.drives):
            button.setText(f"drive {NAMES[place]}{' ✓' if place in self.driven else ''}")
        count = len(self.blind.rounds)
        self.title.setText("Seen" if ended else f"Blind, round {count + 1}")
        accessibility.describe(self, "blind comparison", self.answer.text() if ended else self.title.text())


def _button(text: str, tip: str, action: Callable[[], object]) -> QPushButton:
    made = QPushButton(text)
    made.setObjectName("plain")
    made.setMinimumHeight(28)
    made.setToolTip(theme.in_tip(tip))
    made.clicked.connect(lambda _=False: action())
    return made
