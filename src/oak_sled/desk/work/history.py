"""The history of a yard: what was done, so that it can be undone and redone. Documents are frozen, so a step keeps the
old one."""

from __future__ import annotations

from dataclasses import dataclass, replace

from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.core.yard import weight
from oak_sled.core.yard.yard import Yard

MOST_STEPS = 300
UNDO_SHARE = 4
"""The history may take one part in so many of what runs may take together."""


@dataclass(frozen=True)
class CardEdit:
    """A card that the user changed, removed (after is None) or brought back (before is None)."""

    before: Card | None
    after: Card | None

    @property
    def reversed(self) -> CardEdit:
        """The edit that takes this one back."""
        return CardEdit(self.after, self.before)


@dataclass(frozen=True)
class Step:
    """A step of the history: what was done, the yard before it, and the card that it changed, if it changed one.

    Runs that were made meanwhile are none of its business: every try stays on the shelf until the user removes it.
    """

    label: str
    yard: Yard
    card: CardEdit | None = None
    size: int = 0
    """Bytes that its yard takes beyond that of the next step; 0 of the newest."""


class History:
    """Steps that can be undone, and those that were; bounded by number and by bytes, the oldest are forgotten."""

    def __init__(self) -> None:
        self.done: list[Step] = []
        self._undone: list[Step] = []

    def remember(self, step: Step) -> None:
        """Takes a step that was done; what was undone before it is forgotten."""
        if self.done:
            last = self.done[-1]
            self.done[-1] = replace(last, size=weight.beyond(last.yard, step.yard))
        self.done.append(step)
        self._undone.clear()
        del self.done[:-MOST_STEPS]
        while len(self.done) > 1 and sum(one.size for one in self.done) > BUDGET.most // UNDO_SHARE:
            del self.done[0]

    def clear(self) -> None:
        """Forgets all: another yard is open."""
        self.done.clear()
        self._undone.clear()

    @property
    def undo_label(self) -> str:
        """Label of the step that undo would take back, or ""."""
        return self.done[-1].label if self.done else ""

    @property
    def redo_label(self) -> str:
        """Label of the step that redo would take again, or ""."""
        return self._undone[-1].label if self._undone else ""

    def back(self, yard: Yard) -> Step | None:
        """The step to undo, taken off; None where there is none. yard : that of now, for redo."""
        return self._travel(self.done, self._undone, yard)

    def forth(self, yard: Yard) -> Step | None:
        """The step to redo, taken off; None where there is none. yard : that of now, for undo."""
        return self._travel(self._undone, self.done, yard)

    @staticmethod
    def _travel(source: list[Step], target: list[Step], yard: Yard) -> Step | None:
        if not source:
            return None
        step = source.pop()
        target.append(Step(step.label, yard, None if step.card is None else step.card.reversed))
        return step
