"""Characters of crafts, found beside the window and kept: of the craft on the bench, of others, and of cards."""

from __future__ import annotations

import hashlib
from collections import OrderedDict

from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import character
from oak_sled.core.feel.character import Character
from oak_sled.core.project.shelf import Card
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.work.background import Background, Task

MOST_KEPT = 400


class Characters(QObject):
    """Answers with what is known, and finds the rest. Signals: changed() when one came in.

    is_wanted : whether cards are asked for: from when the user first looked at a character.
    """

    changed = pyqtSignal()

    def __init__(self, background: Background, parent: QObject | None = None):
        super().__init__(parent)
        self.background = background
        self.is_wanted = False
        self._known: OrderedDict[str, Character | None] = OrderedDict()
        self._asked: set[str] = set()
        self._cards: dict[str, str] = {}

    def of(self, yard: Yard, craft: str, drill: str) -> Character | None:
        """The character of a craft on the ground of a drill; None as long as it is not known."""
        chosen = yard.drill(drill)
        key = _key(yard, craft, chosen)
        if key in self._known:
            self._known.move_to_end(key)
            return self._known[key]
        if key not in self._asked:
            self._asked.add(key)
            self.background.add(
                Task(
                    f"trying how {yard.craft(craft).heading} feels",
                    lambda _: character.of(yard, craft, drill),
                    lambda found: self._take(key, found),
                    lambda _: self._take(key, None),
                    quiet=True,
                )
            )
        return None

    def of_card(self, yard: Yard, card: Card) -> Character | None:
        """The character of the craft of a card, as it was then; None as long as it is not known."""
        if card.id in self._cards and self._cards[card.id] in self._known:
            return self._known[self._cards[card.id]]
        if card.id in self._cards and self._cards[card.id] in self._asked:
            return None
        try:
            whole = jobs.with_documents(yard, card.job)
        except Refused:
            return None
        self._cards[card.id] = _key(whole, card.job.craft.id, whole.drill(card.job.drill.id))
        return self.of(whole, card.job.craft.id, card.job.drill.id)

    def _take(self, key: str, found: Character | None) -> None:
        self._asked.discard(key)
        self._known[key] = found
        while len(self._known) > MOST_KEPT:
            self._known.popitem(last=False)
        self.changed.emit()


def _key(yard: Yard, craft: str, drill: Drill) -> str:
    """A name of all that a character is made of."""
    seal = hashlib.sha256(yard.craft(craft).model_dump_json(exclude_defaults=True).encode())
    seal.update(yard.ground_of(drill).bare().model_dump_json(exclude_defaults=True).encode())
    asked = sorted({band.name for wish in yard.wishes for band in wish.bands if band.drill})
    for name in sorted({name.partition(".")[0] for name in asked}):
        found = next((one for one in yard.drills if one.id == name), None)
        seal.update(found.model_dump_json(exclude_defaults=True).encode() if found is not None else b"")
    seal.update(f"{yard.ticks} {yard.integrator} {asked}".encode())
    return seal.hexdigest()
