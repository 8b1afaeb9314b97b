"""The session: the open yard and how it is edited; what belongs to it stands in `shown`, `shelf`, `history`, `runs`.

Documents are frozen, so that undo keeps the old ones. A dial that is dragged makes previews, which re-run the drill in
a worker and take the newest result; letting go commits one step and one card.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.advice import cautions, modes
from oak_sled.core.assembly import jobs
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.caution import Caution
from oak_sled.core.project import shelf
from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.core.results.run import Run
from oak_sled.core.yard import casting
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.work.background import Background, Task
from oak_sled.desk.work.cards import Shelf
from oak_sled.desk.work.characters import Characters
from oak_sled.desk.work.history import History, Step
from oak_sled.desk.work.jobs import Loader, Result
from oak_sled.desk.work.requests import Requests
from oak_sled.desk.work.selection import Selection
from oak_sled.desk.work.unitsinuse import UnitsInUse


@dataclass(frozen=True)
class State:
    """State that saving writes: the documents and the shelf."""

    yard: Yard
    cards: tuple[Card, ...]


class Session(Selection):
    """Owns the yard and what belongs to it: `shown`, `shelf`, `history`, `runs`. A pane is given the piece it needs.

    Signals: yard_changed(previewing), said(text, is_fault), saved_changed(), vary_wanted(path of a dial).
    """

    yard_changed = pyqtSignal(bool)
    said = pyqtSignal(str, bool)
    saved_changed = pyqtSignal()
    vary_wanted = pyqtSignal(str)

    def __init__(self, yard: Yard, parent: QObject | None = None):
        super().__init__(yard, parent)
        self.units = UnitsInUse(self, self)
        self.file: Path | None = None
        self.last_folder = ""
        """Path of the last file that was opened or written."""
        self.locks: set[str] = set()
        self._looked_at = ""
        self._saved: State | None = State(yard, ())  # None: nothing of it is on disk
        self._base: Yard | None = None  # the yard before a drag, while one goes on
        self._base_run: Run | None = None
        self.background = Background(self)
        self.characters = Characters(self.background, self)
        self.loader = Loader(self)
        self.history = History()
        self.shelf = Shelf(self.loader, lambda label, edit: self._remember(Step(label, self.yard, edit)), self)
        self.runs = Requests(self, self.shown, self.worker, self.loader, self)
        self.shelf.edited.connect(self.saved_changed)
        self.worker.finished.connect(self.take)
        self.worker.cancelled.connect(self._was_cancelled)
        self.loader.finished.connect(self._loaded)
        self.loader.failed.connect(self.say)
        self.loader.made.connect(self.shelf.add_late)
        mine = weakref.ref(self)
        BUDGET.in_sight = lambda: one.shown.in_sight() if (one := mine()) is not None else ()
        BUDGET.drawn = lambda: one.drawn_beside() if (one := mine()) is not None else ()

    def beside(self, words: str, work: Callable[[], Any], done: Callable[[Any], object]) -> None:
        """Does what may take long beside the window, and then what follows from it; a refusal is said."""
        refused = lambda fault: self.say(str(fault.faults[0]), True)  # noqa: E731
        self.background.add(Task(words, lambda _: work(), done, refused))

    # the selection

    def take_seen_drill(self, seen: Drill, label: str) -> None:
        """Takes the drill, changed as the selected craft sees it, as one step of history."""
        whole = casting.folded(self.yard.drill(seen.id), self.craft.id, seen)
        drills = tuple(whole if old.id == whole.id else old for old in self.yard.drills)
        self.change(self.yard.replace(drills=drills), label)

    def select_next(self) -> None:
        """Selects the next craft of the drill, or the next body of one."""
        every = [one.craft.id for one in self.job().actors]
        self.choose("craft", every[(every.index(self.seen_name) + 1) % len(every)])

    @property
    def is_dirty(self) -> bool:
        """True if there is something to save."""
        return self._saved is None or self._saved.yard != self.yard or self._saved.cards is not self.shelf.cards

    @property
    def state(self) -> State:
        """The documents and the shelf as they are now."""
        return State(self.yard, self.shelf.cards)

    def mark_saved(self, file: Path | None, state: State | None = None) -> None:
        """A state, else that of now, is on disk, in `file`."""
        self.file = file or self.file
        self._saved = state or self.state
        self.saved_changed.emit()

    @property
    def is_previewing(self) -> bool:
        """True if a drag goes on."""
        return self._base is not None

    def say(self, text: str, fault: bool = False) -> None:
        """A line for the user, in place; a fault is shown as one."""
        self.said.emit(text, fault)

    # edits

    def preview(self, path: str, value: object) -> bool:
        """Shows `value` at `path` while a dial is dragged; False when it is refused."""
        path = casting.own_path(self.drill, self.craft.id, path)
        try:
            edited = self.yard.edit(path, value)
        except Refused as refused:
            self.say(str(refused.faults[0]), True)
            return False
        same = edited.runs_as(self.yard)
        if self._base is None:
            self._base, self._base_run = self.yard, self.shown.run
            self.shown.ghost = self.shown.ghost if same else self.shown.run
        self.yard = edited
        if not same:
            self.runs.rerun()  # first: it is under way while the dials follow
        self.yard_changed.emit(True)
        return True

    def commit(self, label: str = "") -> None:
        """Ends a drag: one step of history, and one card when the re-run comes in."""
        base, self._base = self._base, None
        if base is None:
            return
        if base == self.yard:
            self.runs.rerun()
            return
        self._remember(Step(label or "dial", base))
        if base.runs_as(self.yard):
            self._base_run = None
            self.yard_changed.emit(False)
            return
        self.runs.order_card(self._base_run)
        self._base_run = None
        self.yard_changed.emit(False)
        self.runs.rerun()

    def cancel(self) -> None:
        """Ends a drag as if it had not been."""
        if self._base is not None:
            self.yard, self._base = self._base, None
            self.yard_changed.emit(False)
            self.runs.rerun()

    def edit(self, path: str, value: object, label: str = "", card: bool = True) -> bool:
        """One edit as one step; False, with the fault said in place, when it is refused."""
        path = casting.own_path(self.drill, self.craft.id, path)
        try:
            edited = self.yard.edit(path, value)
        except Refused as refused:
            self.say(str(refused.faults[0]), True)
            return False
        return self.change(edited, label or self._words_of(path), card)

    def _words_of(self, path: str) -> str:
        """A path below the yard in words, without the craft, ground or drill that it is of."""
        return shelf.words_of(shelf.words_path(self.yard, path).split(".", 2)[-1])

    def mend(self, caution: Caution) -> bool:
        """Does what mends a caution, as one step."""
        if caution.remedy is None:
            return False
        front = f"crafts.{self.craft.id}."
        changes = [
            (casting.own_path(self.drill, self.craft.id, front + path), value) for path, value in caution.remedy.changes
        ]
        return self.attempt(lambda: self.yard.edit_all(changes), caution.remedy.words)

    def attempt(self, make: Callable[[], Yard], label: str, card: bool = True) -> bool:
        """Takes the yard that `make` gives as one step; False, with the fault said in place, when it is refused."""
        try:
            yard = make()
        except Refused as refused:
            self.say(str(refused.faults[0]), True)
        except ValidationError as error:
            self.say(str(document.faults_of(error, data=self.yard)[0]), True)
        else:
            return self.change(yard, label, card)
        return False

    def change(self, yard: Yard, label: str, card: bool = True) -> bool:
        """Takes a new yard as one step of history, and re-runs the drill."""
        if yard == self.yard:
            return True
        self._base = None
        self._remember(Step(label, self.yard))
        if yard.runs_as(self.yard):
            self.yard = yard
            self.yard_changed.emit(False)
            return True
        before = self.shown.run
        if self._follows(before, yard):
            self.shown.ghost = before
        self.yard = yard
        if card:
            self.runs.order_card(before)
        self.yard_changed.emit(False)
        self.runs.rerun()
        return True

    def _follows(self, run: Run | None, yard: Yard) -> bool:
        return run is not None and run.job.drill.id == yard.bench.drill

    def choose(self, what: str, name: str) -> None:
        """Puts another craft, ground or drill on the bench; a drill brings its own ground and its own craft. A further
        body of a craft, as CRAFT.BODY, is looked at."""
        if what == "craft":
            name, _, body = name.partition(".")
            was, self._body = self.seen_name, (name, body)
            if name == self.yard.bench.craft and was != self.seen_name:
                self.shown.ghost = None
                self.runs.rerun()
                self.yard_changed.emit(False)
                return
        bench = self.yard.bench.replace(**{what: name})
        if what == "drill":
            chosen = self.yard.drill(name)
            bench = bench.replace(ground=chosen.ground or bench.ground, craft=self.yard.craft_for(chosen))
        if bench == self.yard.bench:
            return  # it is there: what is shown stays as it is
        self.shown.ghost = None
        self.shown.follow_end = True
        here = what == "craft" and name in self.cast()  # the same world, looked at from another craft of it
        self.change(self.yard.replace(bench=bench), f"choose {what} {name.replace('_', ' ')}", card=not here)
        if here:
            self.shown.ghost = None

    # runs

    def keep_run(self, says: str = "") -> None:
        """Runs the drill and puts the run on the shelf whatever was changed."""
        self.runs.keep_run(says)

    def take(self, result: Result) -> None:
        """Shows what the worker made, unless the bench has moved on meanwhile."""
        if self.runs.is_stale(result):
            return
        self.show_run(result.run, result.found, result.warned, result.twins)
        self.runs.put_by(result, self.shelf, self._add_card)
        if result.run.message:
            self.say(result.run.message, True)

    def _add_card(self, card: Card) -> None:
        first = not self.shelf.cards and not self.is_dirty
        self.shelf.add(card)
        if first:  # the run that opening a yard makes is nobody's work yet
            self._saved = self.state
            self.saved_changed.emit()

    def _was_cancelled(self) -> None:
        self.runs.to_card = None
        self.say("the run was cancelled: what is shown is the one before it", True)

    def show_run(
        self,
        run: Run,
        found: Mapping[str, float | None],
        warned: tuple[Caution, ...] = (),
        twins: tuple[Run, ...] = (),
    ) -> None:
        """Shows a run on the whole bench, with those of other crafts beside it."""
        self.shelf.shown_card = ""
        self.shown.show(run, found, warned, twins)
        ghost = self.shown.ghost
        if ghost is not None and not BUDGET.fits([*self.shelf.pinned(), ghost]):
            self.shown.ghost = None
            self.say("the run before is too long to be drawn beside this one")
        BUDGET.settle()
        self.shown.run_changed.emit()

    def drawn_beside(self) -> tuple[Run, ...]:
        """Runs drawn beside the run shown: the ghost, and what is pinned."""
        return (*self.shelf.pinned(), *(() if self.shown.ghost is None else (self.shown.ghost,)))

    def look_at(self, name: str) -> None:
        """Loads a card back: its settings into the yard, and its run on the bench.

        A run that is not in memory comes in later: a drill is run again, a drive is read.
        """
        card = self.shelf.card(name)
        if card is None:
            return
        yard = jobs.with_documents(self.yard, card.job)
        if yard != self.yard:
            self._remember(Step("restore run", self.yard))
            self._base = None
            self.yard = yard
            self.yard_changed.emit(False)
        previous = self.shown.run
        self.shown.ghost = previous if previous is not None and previous.job.drill.id == card.job.drill.id else None
        self.shown.follow_end = True
        self.runs.keep_late()
        self._looked_at = card.id
        made = card.kept.ready
        if made is not None and modes.is_found(made):
            self._show_card(card, made)
        elif made is not None:  # read for its measures or an export: how its craft stands is found in the worker
            self.worker.forget()
            self.loader.ask(card)
        elif card.live:
            self.worker.forget()
            self.say("reading the drive from its file...")
            self.loader.ask(card)
        else:
            self.runs.rerun()
        self.shelf.changed.emit()
        self.saved_changed.emit()

    def _show_card(self, card: Card, made: Run) -> None:
        self.worker.forget()
        self.show_run(made, card.found, cautions.find(made.job, made))
        self.shelf.shown_card = card.id
        self.shelf.changed.emit()

    def _loaded(self, card: Card) -> None:
        """The run of a card came in: one that was looked at, or a ghost."""
        made = card.kept.ready
        if made is not None and card.id == self._looked_at and not self.shown.live_on:
            self._show_card(card, made)
        self.shelf.changed.emit()

    # history

    def _remember(self, step: Step) -> None:
        self.history.remember(step)
        self.saved_changed.emit()

    def undo(self) -> None:
        """Undoes the last step."""
        self._travel(self.history.back(self.yard), "Undid", "nothing to undo")

    def redo(self) -> None:
        """Redoes the last undone step."""
        self._travel(self.history.forth(self.yard), "Redid", "nothing to redo")

    def _travel(self, step: Step | None, done: str, nothing: str) -> None:
        if step is None:
            self.say(nothing)
            return
        self.runs.keep_late()
        self._base = None
        self._looked_at = ""
        if step.card is not None:
            self.shelf.apply(step.card.reversed)
        if step.yard != self.yard:
            same, self.yard = step.yard.runs_as(self.yard), step.yard
            if not same:
                self.shown.ghost = self.shown.run
            self.yard_changed.emit(False)
            if not same:
                self.runs.rerun()
        self.shelf.changed.emit()
        self.saved_changed.emit()
        self.say(f"{done} {step.label}")

    def open(self, yard: Yard, cards: tuple[Card, ...], file: Path | None, dirty: bool = False) -> None:
        """Opens another yard; the undo history is cleared."""
        self.yard, self.file = yard, file
        self.shelf.begin_anew(cards)
        self.history.clear()
        self.shown.begin_anew()
        self.runs.to_card = None
        self._base, self._looked_at = None, ""
        self._saved = None if dirty else self.state
        self.yard_changed.emit(False)
        self.shelf.changed.emit()
        self.saved_changed.emit()
        if cards:
            self.runs.rerun()
        else:
            self.runs.keep_run("start")
