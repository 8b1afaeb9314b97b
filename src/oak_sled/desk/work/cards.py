"""The shelf of the open yard: cards of kept runs, and which of their runs are drawn beside the one shown."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.project import shelf
from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.core.results.run import Run
from oak_sled.desk.work.history import CardEdit
from oak_sled.desk.work.jobs import Loader


class Shelf(QObject):
    """Cards, newest first. Signals: changed() of what is seen of it, edited() of what saving writes.

    remember : takes an edit of a card as one step of history. loader : has runs that are not in memory again.
    """

    changed = pyqtSignal()
    edited = pyqtSignal()

    def __init__(self, loader: Loader, remember: Callable[[str, CardEdit], None], parent: QObject | None = None):
        super().__init__(parent)
        self.cards: tuple[Card, ...] = ()
        self.shown_card = ""
        """The card of the run that is shown, or ""."""
        self.removed: set[str] = set()
        """Ids of cards that the user removed since the yard was opened."""
        self._loader, self._remember = loader, remember

    def begin_anew(self, cards: tuple[Card, ...]) -> None:
        """Another yard is open, with these."""
        self.cards, self.shown_card, self.removed = cards, "", set()
        self._loader.begin_anew()

    def card(self, name: str) -> Card | None:
        """The card of that id."""
        return next((card for card in self.cards if card.id == name), None)

    def add(self, card: Card) -> None:
        """Puts the card of a new run on the shelf: it is the one shown."""
        self.shown_card = card.id
        self.add_late(card)

    def add_late(self, card: Card) -> None:
        """Puts the card of a run that came in late on the shelf."""
        self.cards = shelf.with_card(self.cards, card)
        self.changed.emit()
        self.edited.emit()

    def mark(self, made: Run) -> None:
        """The newest card of these very settings is that of the run shown; an older run of it is filled in."""
        card = next((card for card in self.cards if not card.live and card.job == made.job), None)
        if card is None:
            return
        if card.kept.ready is None:
            card.kept.take(made)
        self.shown_card = card.id
        self.changed.emit()

    # edits, each a step of history

    def change_card(self, name: str, label: str, **fields: object) -> None:
        """Changes a card: pin, star, title."""
        card = self.card(name)
        if card is not None:
            self._edit(label, CardEdit(card, card.changed(**fields)))

    def keep_card(self, card: Card, label: str) -> None:
        """Puts a card of a run that was made elsewhere on the shelf."""
        self._edit(label, CardEdit(None, card))

    def drop_card(self, name: str) -> None:
        """Takes a card off the shelf."""
        card = self.card(name)
        if card is not None:
            self._edit("delete run", CardEdit(card, None))

    def _edit(self, label: str, edit: CardEdit) -> None:
        self._remember(label, edit)
        self.apply(edit)
        self.changed.emit()
        self.edited.emit()

    def apply(self, edit: CardEdit) -> None:
        """Puts the card after the edit in the place of the one before it."""
        if edit.before is None:
            assert edit.after is not None
            place = sum(card.when > edit.after.when for card in self.cards)  # newest first
            self.cards = (*self.cards[:place], edit.after, *self.cards[place:])
            self.removed.discard(edit.after.id)
            return
        name, after = edit.before.id, () if edit.after is None else (edit.after,)
        self.cards = tuple(new for card in self.cards for new in ((card,) if card.id != name else after))
        if edit.after is None:
            self.removed.add(name)

    # runs of pinned cards

    def pinned_runs(self) -> list[Run]:
        """The runs of pinned cards, as far as they are in memory; the others are asked for where there is room."""
        found = self.pinned()
        for card in self.cards:
            missing = card.pinned and not card.unreadable and card.kept.ready is None
            if missing and BUDGET.fits(found, card.kept.size):
                self._loader.ask(card)
        return found

    def pinned(self) -> list[Run]:
        """Those in memory; one that takes more than runs may take together is not drawn."""
        found: list[Run] = []
        for card in self.cards:
            made = card.kept.ready if card.pinned and not card.unreadable else None
            if made is not None and BUDGET.fits([*found, made]):
                found.append(made)
        return found
