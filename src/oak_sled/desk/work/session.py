"""The session: the open yard, its shelf, what is shown, and the history of both.

Documents are frozen, so that undo keeps the old ones. A dial that is dragged makes previews, which
re-run the drill in a worker and take the newest result; letting go commits one step and one card.

One file, since runs, shelf and history change together in one step.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.context import Setting
from oak_sled.core.project import shelf
from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard import casting, weight
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.yard import Drill, Ground, Yard
from oak_sled.desk.work.background import Background, Task
from oak_sled.desk.work.jobs import Loader, Result, Worker

MOST_STEPS = 300
UNDO_SHARE = 4
"""The history may take one part in so many of what runs may take together."""


@dataclass(frozen=True)
class State:
    """What saving writes: the documents and the shelf."""

    yard: Yard
    cards: tuple[Card, ...]


@dataclass(frozen=True)
class CardEdit:
    """A card that the user changed, removed (after is None) or brought back (before is None)."""

    before: Card | None
    after: Card | None


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


class Session(QObject):
    """Signals: yard_changed(previewing), run_changed(), shelf_changed(), cursor_moved(),
    said(text, is_fault), busy(text or ""), saved_changed(), live_changed(is_live), vary_wanted(path of a dial)."""

    yard_changed = pyqtSignal(bool)
    run_changed = pyqtSignal()
    shelf_changed = pyqtSignal()
    cursor_moved = pyqtSignal()
    said = pyqtSignal(str, bool)
    saved_changed = pyqtSignal()
    live_changed = pyqtSignal(bool)
    vary_wanted = pyqtSignal(str)

    def __init__(self, yard: Yard, parent: QObject | None = None):
        super().__init__(parent)
        self.yard = yard
        self.cards: tuple[Card, ...] = ()
        self.file: Path | None = None
        self.run: Run | None = None
        self.ghost: Run | None = None
        self.found: Mapping[str, float | None] = {}
        self.warned: tuple[Caution, ...] = ()
        self.last_folder = ""
        """Where the last file lies that was opened or written."""
        self.twins: tuple[Run, ...] = ()
        self.time = 0.0
        self.second_time: float | None = None
        self.shown_card = ""
        """The card of the run that is shown, or ""."""
        self.removed: set[str] = set()
        """Ids of cards that the user removed since the yard was opened."""
        self._looked_at = ""
        self.locks: set[str] = set()
        self.live_on = False
        self._saved: State | None = State(yard, ())  # None: nothing of it is on disk
        self._done: list[Step] = []
        self._undone: list[Step] = []
        self._base: Yard | None = None  # the yard before a drag, while one goes on
        self._base_run: Run | None = None
        self._to_card: tuple[Job, str] | None = None
        self._set_by: tuple[object, ...] = (None, None, None, None)
        self._setting: Setting | None = None
        self._follow_end = True
        self._seen_key: tuple[Drill, str] | None = None
        self._seen = yard.drill()
        mine = weakref.ref(self)
        BUDGET.in_sight = lambda: one.runs_in_sight() if (one := mine()) is not None else ()
        BUDGET.drawn = lambda: one.runs_beside() if (one := mine()) is not None else ()
        self.background = Background(self)
        self.worker = Worker(self)
        self.worker.finished.connect(self.take)
        self.worker.cancelled.connect(self._was_cancelled)
        self.loader = Loader(self)
        self.loader.finished.connect(self._loaded)
        self.loader.failed.connect(self.say)
        self.loader.made.connect(self._made_late)

    def beside(self, words: str, work: Callable[[], Any], done: Callable[[Any], object]) -> None:
        """Does what may take long beside the window, and then what follows from it; a refusal is said."""
        refused = lambda fault: self.say(str(fault.faults[0]), True)  # noqa: E731
        self.background.add(Task(words, lambda _: work(), done, refused))

    # the selection

    @property
    def craft(self) -> Craft:
        """The craft on the bench."""
        return self.yard.craft()

    @property
    def drill(self) -> Drill:
        """The drill on the bench."""
        return self.yard.drill()

    @property
    def seen_drill(self) -> Drill:
        """The drill on the bench as the selected craft sees it: with its own start and tracks."""
        key = (self.drill, self.craft.id)
        if self._seen_key != key:
            self._seen_key, self._seen = key, casting.seen_from(*key)
        return self._seen

    def take_seen_drill(self, seen: Drill, label: str) -> None:
        """Takes the drill, changed as the selected craft sees it, as one step of history."""
        whole = casting.folded(self.yard.drill(seen.id), self.craft.id, seen)
        drills = tuple(whole if old.id == whole.id else old for old in self.yard.drills)
        self.change(self.yard.replace(drills=drills), label)

    @property
    def ground(self) -> Ground:
        """The ground on the bench."""
        return self.yard.ground()

    @property
    def craft_path(self) -> str:
        """The path of the craft on the bench."""
        return f"crafts.{self.yard.bench.craft}"

    def job(self) -> Job:
        """What is on the bench, as a job."""
        return jobs.job_of(self.yard)

    def cast(self) -> tuple[str, ...]:
        """Ids of the crafts that are in the world of the drill, the craft under test first."""
        return tuple(one.craft.id for one in self.job().actors)

    def select_next(self) -> None:
        """Selects the next craft of the drill."""
        cast = self.cast()
        self.choose("craft", cast[(cast.index(self.craft.id) + 1) % len(cast)])

    def twin_jobs(self) -> tuple[Job, ...]:
        """What the crafts that run the drill too are to do."""
        return jobs.twin_jobs(self.yard)

    def setting(self) -> Setting:
        """The craft as numbers for outlooks, with the ranges of the run shown; a drive that goes on has none yet."""
        run = self.run if self.run is not None and self.run.job.craft.id == self.craft.id else None
        if self.live_on:
            run = None
        given = (self.craft, self.ground, self.yard.ticks, run)
        if not all(one is other for one, other in zip(given, self._set_by, strict=True)):
            self._set_by, self._setting = given, outlook.at_once(*given, self.stood())
        assert self._setting is not None
        return self._setting

    def stood(self) -> Run | None:
        """The last run that came in of the craft on the bench: how it stands has been found in the worker."""
        last = self.worker.last_run
        return last if last is not None and last.job.craft.id == self.craft.id else None

    @property
    def is_dirty(self) -> bool:
        """Whether there is something to save."""
        return self._saved is None or self._saved.yard != self.yard or self._saved.cards is not self.cards

    @property
    def state(self) -> State:
        """The documents and the shelf as they are now."""
        return State(self.yard, self.cards)

    def mark_saved(self, file: Path | None, state: State | None = None) -> None:
        """A state, else that of now, is on disk, in `file`."""
        self.file = file or self.file
        self._saved = state or self.state
        self.saved_changed.emit()

    @property
    def is_previewing(self) -> bool:
        """Whether a drag goes on."""
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
        if self._base is None:
            self._base, self._base_run = self.yard, self.run
            self.ghost = self.run
        self.yard = edited
        self.rerun()  # first: it is under way while the dials follow
        self.yard_changed.emit(True)
        return True

    def commit(self, label: str = "") -> None:
        """Ends a drag: one step of history, and one card when the re-run comes in."""
        base, self._base = self._base, None
        if base is None:
            return
        if base == self.yard:
            self.rerun()
            return
        self._remember(Step(label or "dial", base))
        self._order_card(self._base_run)
        self._base_run = None
        self.yard_changed.emit(False)
        self.rerun()

    def cancel(self) -> None:
        """Ends a drag as if it had not been."""
        if self._base is not None:
            self.yard, self._base = self._base, None
            self.yard_changed.emit(False)
            self.rerun()

    def edit(self, path: str, value: object, label: str = "", card: bool = True) -> bool:
        """One edit as one step; False, with the fault said in place, when it is refused."""
        path = casting.own_path(self.drill, self.craft.id, path)
        try:
            edited = self.yard.edit(path, value)
        except Refused as refused:
            self.say(str(refused.faults[0]), True)
            return False
        return self.change(edited, label or shelf.words_of(path.split(".", 2)[-1]), card)

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
        before = self.run
        if self._follows(before, yard):
            self.ghost = before
        self.yard = yard
        if card:
            self._order_card(before)
        self.yard_changed.emit(False)
        self.rerun()
        return True

    def _follows(self, run: Run | None, yard: Yard) -> bool:
        return run is not None and run.job.drill.id == yard.bench.drill

    def _order_card(self, before: Run | None) -> None:
        self._keep_late()
        job = self.job()
        old = before.job if before is not None else None
        self._to_card = (job, shelf.says(old, job))

    def _keep_late(self) -> None:
        """A try whose run has not come in when the next one begins is kept too: it runs beside the bench."""
        if self._to_card is not None:
            (job, says), self._to_card = self._to_card, None
            self.loader.make(job, says)

    def _made_late(self, card: Card) -> None:
        self.cards = shelf.with_card(self.cards, card)
        self.shelf_changed.emit()
        self.saved_changed.emit()

    def choose(self, what: str, name: str) -> None:
        """Puts another craft, ground or drill on the bench; a drill brings its own ground and its own craft."""
        bench = self.yard.bench.replace(**{what: name})
        if what == "drill":
            chosen = self.yard.drill(name)
            bench = bench.replace(ground=chosen.ground or bench.ground, craft=self.yard.craft_for(chosen))
        if bench == self.yard.bench:
            return  # it is there: what is shown stays as it is
        self.ghost = None
        self._follow_end = True
        here = what == "craft" and name in self.cast()  # the same world, looked at from another craft of it
        self.change(self.yard.replace(bench=bench), f"choose {what} {name.replace('_', ' ')}", card=not here)
        if here:
            self.ghost = None

    # runs

    def rerun(self) -> None:
        """Re-runs what is on the bench in the worker; the newest result is taken."""
        if not self.live_on:
            self.worker.ask(self.job(), twins=self.twin_jobs())

    def keep_run(self, says: str = "") -> None:
        """Runs the drill and puts the run on the shelf whatever was changed."""
        self._keep_late()
        job = self.job()
        old = self.run.job if self.run is not None else None
        self._to_card = (job, says or shelf.says(old, job))
        self._follow_end = True
        self.worker.ask(job, again=True, twins=self.twin_jobs())

    def take(self, result: Result) -> None:
        """Shows what the worker made, unless the bench has moved on meanwhile."""
        if result.job != self.job() or self.live_on:
            return  # stale
        self.show_run(result.run, result.found, result.warned, result.twins)
        if not self.is_previewing and self._to_card is None:
            self._mark_card(result.run)
        if self._to_card is not None and self._to_card[0] == result.job and self._base is None:
            says, self._to_card = self._to_card[1], None
            first = not self.cards and not self.is_dirty
            self.add_card(shelf.card_of(result.run, says, result.found))
            if first:  # the run that opening a yard makes is nobody's work yet
                self._saved = State(self.yard, self.cards)
                self.saved_changed.emit()
        if result.run.message:
            self.say(result.run.message, True)

    def _was_cancelled(self) -> None:
        self._to_card = None
        self.say("the run was cancelled: what is shown is the one before it", True)

    def show_run(
        self,
        run: Run,
        found: Mapping[str, float | None],
        warned: tuple[Caution, ...] = (),
        twins: tuple[Run, ...] = (),
    ) -> None:
        """Shows a run on the whole bench, with those of other crafts beside it."""
        self.shown_card = ""
        ended = self.run is None or self._follow_end
        self.run, self.found, self.warned, self.twins = run, found, warned, twins
        if self.ghost is not None and not BUDGET.fits([*self._pinned(), self.ghost]):
            self.ghost = None
            self.say("the run before is too long to be drawn beside this one")
        BUDGET.settle()
        self.time = self._resting_time(run) if ended else min(self.time, run.duration)
        self._follow_end = False
        self.run_changed.emit()

    def _mark_card(self, made: Run) -> None:
        """The newest card of these very settings is that of the run shown; an older run of it is filled in."""
        card = next((card for card in self.cards if not card.live and card.job == made.job), None)
        if card is None:
            return
        if card.kept.ready is None:
            card.kept.take(made)
        self.shown_card = card.id
        self.shelf_changed.emit()

    @staticmethod
    def _resting_time(run: Run) -> float:
        """A moment worth looking at first: the largest side slip, else the middle."""
        slip = abs(traces.values(run, "slip_angle"))
        row = int(slip.argmax()) if slip.max() > 3.0 else run.ticks // 2
        return row * run.job.dt

    def add_card(self, card: Card) -> None:
        """Puts a card on the shelf."""
        self.cards = shelf.with_card(self.cards, card)
        self.shown_card = card.id
        self.shelf_changed.emit()
        self.saved_changed.emit()

    def card(self, name: str) -> Card | None:
        """The card of that id."""
        return next((card for card in self.cards if card.id == name), None)

    def change_card(self, name: str, label: str, **fields: object) -> None:
        """Changes a card (pin, star, title) as one step of history."""
        card = self.card(name)
        if card is not None:
            self._edit_card(label, CardEdit(card, card.changed(**fields)))

    def keep_card(self, card: Card, label: str) -> None:
        """Puts a card of a run that was made elsewhere on the shelf, as one step of history."""
        self._edit_card(label, CardEdit(None, card))

    def drop_card(self, name: str) -> None:
        """Takes a card off the shelf as one step of history."""
        card = self.card(name)
        if card is not None:
            self._edit_card("delete run", CardEdit(card, None))

    def _edit_card(self, label: str, edit: CardEdit) -> None:
        self._remember(Step(label, self.yard, edit))
        self._apply(edit)
        self.shelf_changed.emit()
        self.saved_changed.emit()

    def _apply(self, edit: CardEdit) -> None:
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

    def look_at(self, name: str) -> None:
        """Loads a card back: its settings into the yard, and its run on the bench.

        A run that is not in memory comes in later: a drill is run again, a drive is read.
        """
        card = self.card(name)
        if card is None:
            return
        yard = with_documents(self.yard, card.job)
        if yard != self.yard:
            self._remember(Step("restore run", self.yard))
            self._base = None
            self.yard = yard
            self.yard_changed.emit(False)
        previous = self.run
        self.ghost = previous if previous is not None and previous.job.drill.id == card.job.drill.id else None
        self._follow_end = True
        self._keep_late()
        self._looked_at = card.id
        made = card.kept.ready
        if made is not None:
            self._show_card(card, made)
        elif card.live:
            self.worker.forget()
            self.say("reading the drive from its file...")
            self.loader.ask(card)
        else:
            self.rerun()
        self.shelf_changed.emit()
        self.saved_changed.emit()

    def _show_card(self, card: Card, made: Run) -> None:
        self.worker.forget()
        self.show_run(made, card.found, cautions.find(made.job, made))
        self.shown_card = card.id
        self.shelf_changed.emit()

    def _loaded(self, card: Card) -> None:
        """The run of a card came in: one that was looked at, or a ghost."""
        made = card.kept.ready
        if made is not None and card.id == self._looked_at and not self.live_on:
            self._show_card(card, made)
        self.shelf_changed.emit()

    def pinned_runs(self) -> list[Run]:
        """The runs of pinned cards, as far as they are in memory; the others are asked for where there is room."""
        found = self._pinned()
        for card in self.cards:
            missing = card.pinned and not card.unreadable and card.kept.ready is None
            if missing and BUDGET.fits(found, card.kept.size):
                self.loader.ask(card)
        return found

    def _pinned(self) -> list[Run]:
        """Those in memory; one that takes more than runs may take together is not drawn."""
        found: list[Run] = []
        for card in self.cards:
            made = card.kept.ready if card.pinned and not card.unreadable else None
            if made is not None and BUDGET.fits([*found, made]):
                found.append(made)
        return found

    def runs_in_sight(self) -> tuple[Run, ...]:
        """The run on the bench, and those of its twins."""
        return self.twins if self.run is None else (self.run, *self.twins)

    def runs_beside(self) -> tuple[Run, ...]:
        """What is drawn beside it: the ghost, and what is pinned."""
        return (*self._pinned(), *(() if self.ghost is None else (self.ghost,)))

    # time

    def set_time(self, time: float) -> None:
        """Moves the cursor of every view."""
        longest = self.run.duration if self.run else 0.0
        self.time = min(max(time, 0.0), longest)
        self.cursor_moved.emit()

    def set_second_time(self, time: float | None) -> None:
        """Moves or removes the second cursor."""
        self.second_time = time
        self.cursor_moved.emit()

    @property
    def row(self) -> int:
        """The row of the shown run at the cursor."""
        return self.run.at(self.time) if self.run is not None else 0

    # history

    def _remember(self, step: Step) -> None:
        if self._done:
            last = self._done[-1]
            self._done[-1] = replace(last, size=weight.beyond(last.yard, step.yard))
        self._done.append(step)
        self._undone.clear()
        del self._done[:-MOST_STEPS]
        while len(self._done) > 1 and sum(one.size for one in self._done) > BUDGET.most // UNDO_SHARE:
            del self._done[0]
        self.saved_changed.emit()

    @property
    def undo_label(self) -> str:
        """What undo would undo, or ""."""
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        """What redo would redo, or ""."""
        return self._undone[-1].label if self._undone else ""

    def undo(self) -> None:
        """Undoes the last step."""
        self._travel(self._done, self._undone)

    def redo(self) -> None:
        """Redoes the last undone step."""
        self._travel(self._undone, self._done)

    def _travel(self, source: list[Step], target: list[Step]) -> None:
        if not source:
            self.say("nothing to undo" if source is self._done else "nothing to redo")
            return
        step = source.pop()
        edit = step.card
        back = None if edit is None else CardEdit(edit.after, edit.before)
        target.append(Step(step.label, self.yard, back))
        self._keep_late()
        self._base = None
        self._looked_at = ""
        if back is not None:
            self._apply(back)
        if step.yard != self.yard:
            self.ghost = self.run
            self.yard = step.yard
            self.yard_changed.emit(False)
            self.rerun()
        self.shelf_changed.emit()
        self.saved_changed.emit()
        self.say(f"{'Undid' if source is self._done else 'Redid'} {step.label}")

    def open(self, yard: Yard, cards: tuple[Card, ...], file: Path | None, dirty: bool = False) -> None:
        """Opens another yard; the undo history is cleared."""
        self.yard, self.cards, self.file = yard, cards, file
        self.loader.begin_anew()
        self.removed = set()
        self._looked_at = self.shown_card = ""
        self._done.clear()
        self._undone.clear()
        self._base, self._to_card, self.run, self.ghost = None, None, None, None
        self._follow_end = True
        self.second_time = None
        self._saved = None if dirty else State(yard, cards)
        self.yard_changed.emit(False)
        self.shelf_changed.emit()
        self.saved_changed.emit()
        if cards:
            self.rerun()
        else:
            self.keep_run("start")


def with_documents(yard: Yard, job: Job) -> Yard:
    """The yard with the documents of a job in the place of its own of the same names, and on the bench."""

    def placed(items: tuple[Any, ...], item: Any) -> tuple[Any, ...]:
        if item.id in [old.id for old in items]:
            return tuple(item if old.id == item.id else old for old in items)
        return (*items, item)

    crafts = yard.crafts
    for one in (*job.others, job.craft):
        crafts = placed(crafts, one)
    there = [craft.id for craft in crafts]
    drill = job.drill.replace(twins=tuple(name for name in job.drill.twins if name in there))
    bench = yard.bench.replace(craft=job.craft.id, ground=job.ground.id, drill=job.drill.id)
    return yard.without(
        ticks=job.ticks,
        integrator=job.integrator,
        crafts=crafts,
        grounds=placed(yard.grounds, job.ground),
        drills=placed(yard.drills, drill),
        bench=bench,
    )
