"""A tuning beside the window: asked for, followed as it gets on, stopped with its best kept, explained, and taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base import document
from oak_sled.core.base.faults import Refused
from oak_sled.core.feel import explained, tune, words
from oak_sled.core.feel.explained import Bought, Fewer, Fight, Help, Point
from oak_sled.core.feel.goal import Goal
from oak_sled.core.feel.searching import Enough, Progress
from oak_sled.core.feel.tune import Move, Tuned
from oak_sled.core.results import run as runs
from oak_sled.core.results.run import Run
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.spreads import Scatter
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.work.background import OnProgress, Task
from oak_sled.desk.work.session import Session

TRIES = 400
REPEATS = 3
"""Disturbed repeats of each try where it should hold under disturbances as well."""


@dataclass(frozen=True)
class Told:
    """A tuning that ended, and what explains it."""

    tuned: Tuned
    bought: tuple[Bought, ...]
    fewest: tuple[Fewer, ...]
    fights: tuple[Fight, ...]


class Tuning(QObject):
    """The tuning of the craft on the bench. Signals: changed() when it gets on or ends.

    weights : words that are wished for, with their weights. drills : those whose targets count
    as well, with their weights.
    steady : it should hold under disturbances. dials : those that may move, empty for every free one.
    """

    changed = pyqtSignal()
    _came = pyqtSignal(object, object)

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.weights: dict[str, float] = {}
        self.drills: dict[str, float] = {}
        self.steady = False
        self.dials: tuple[str, ...] = ()
        self.history: list[tuple[int, float]] = []
        self.progress: Progress | None = None
        self.told: Told | None = None
        self.chosen = 0
        """The entry of `told.fewest` that is looked at."""
        self.front: tuple[Fight, tuple[Point, ...]] | None = None
        self.helps: tuple[Help, ...] | None = None
        self.is_on = False
        self._craft = session.craft.id
        self._stopped = False
        self._came.connect(self._take_progress)

    def goal(self) -> Goal:
        """The goal as it is set; raises `Refused` for a word that is no more."""
        yard = self.session.yard
        wishes = tuple((words.known(yard, name), weight) for name, weight in self.weights.items())
        return Goal(wishes, tuple((drill.id, self.drills[drill.id]) for drill in self.asking()))

    def asking(self) -> list[Drill]:
        """The drills whose targets count, as they are now."""
        return [one for one in self.able() if one.id in self.drills]

    def able(self) -> list[Drill]:
        """The drills of the yard whose targets may count: those that try the craft on the bench."""
        session = self.session
        return [one for one in session.yard.drills if one.targets and one.craft in ("", session.craft.id)]

    def begin(self) -> None:
        """Tunes; what cannot be is said in place."""
        session = self.session
        if self.is_on:
            return
        yard, craft, drill = session.yard, session.craft.id, session.drill.id
        locked = tuple(path for path in session.locks if document.dial_at(yard, path) is not None)
        scatter = Scatter(repeats=REPEATS if self.steady else 0)
        try:
            goal = self.goal()
            goal.terms(yard)
        except Refused as refused:
            session.say(str(refused.faults[0]), True)
            return
        self.history, self.progress, self.told, self.front, self.helps = [], None, None, None, None
        self.chosen, self.is_on, self._stopped, self._craft = 0, True, False, craft

        def work(told: OnProgress) -> Told:
            best = [float("inf")]

            def got_on(progress: Progress) -> None:
                told(min(progress.tries, TRIES - 1), TRIES)
                better, best[0] = progress.left < best[0], progress.left
                self._came.emit(progress, _driven(progress.yard, drill, craft) if better else None)
                if self._stopped:
                    raise Enough

            made = tune.tune(yard, goal, craft, drill, self.dials, locked, scatter=scatter, most=TRIES, told=got_on)
            fights = () if made.is_met else explained.fights(made)
            return Told(made, explained.bought(made), explained.fewest(made), fights)

        session.background.add(Task("tuning", work, self._end, self._refused))
        self.changed.emit()

    def follow(self) -> None:
        """Drops what came of a tuning once another craft is on the bench, or one without what was moved."""
        session = self.session
        if self.is_on or (self.told is None and self.progress is None):
            return
        moves = self.told.tuned.moves if self.told is not None else ()
        lost = any(document.dial_at(session.yard, move.path) is None for move in moves)
        if lost or session.craft.id != self._craft:
            self.history, self.progress, self.told, self.front, self.helps, self.chosen = [], None, None, None, None, 0
            self.changed.emit()

    def stop(self) -> None:
        """Ends it after the tries under way, and keeps the best."""
        self._stopped = True

    def _take_progress(self, progress: Progress, made: Run | None) -> None:
        if not self.is_on:
            return
        self.progress = progress
        if not self.history or progress.left < self.history[-1][1]:
            self.history.append((progress.tries, progress.left))
        shown = self.session.shown
        if made is not None and shown.run is not None and not shown.live_on:
            shown.ghost = made  # the best so far drives beside
            shown.run_changed.emit()
        self.changed.emit()

    def _end(self, told: Told) -> None:
        self.is_on, self.told = False, told
        good = [k for k, one in enumerate(told.fewest) if self._is_as_good(one)]
        self.chosen = good[-1] if good else 0
        self.changed.emit()

    def _is_as_good(self, one: Fewer) -> bool:
        assert self.told is not None
        tuned = self.told.tuned
        return one.met == len(tuned.terms) if tuned.is_met else one.left <= 1.05 * tuned.left + 1e-9

    def _refused(self, fault: Refused) -> None:
        self.is_on = False
        self.session.say(str(fault.faults[0]), True)
        self.changed.emit()

    # what came of it

    @property
    def looked_at(self) -> Fewer | None:
        """The moves that are looked at: as many as the user chose."""
        return self.told.fewest[self.chosen] if self.told is not None and self.told.fewest else None

    def choose(self, place: int) -> None:
        """Looks at an entry of `told.fewest`."""
        if self.told is not None and 0 <= place < len(self.told.fewest):
            self.chosen = place
            self.changed.emit()

    def is_taken(self) -> bool:
        """True if the yard has the moves that are looked at."""
        looked, yard = self.looked_at, self.session.yard
        if looked is None:
            craft = self.session.craft
            best = self.progress.yard.craft(craft.id) if self.progress is not None and not self.is_on else craft
            return best == craft
        return all(
            document.dial_at(yard, move.path) is not None and document.get(yard, move.path) == move.value
            for move in looked.moves
        )

    def take(self) -> bool:
        """Takes the moves that are looked at as one step, with a card."""
        looked = self.looked_at
        if looked is None and self.progress is not None:  # it was ended from outside: what was best then
            return self.take_yard(self.progress.yard, f"tuned: {self.words()}")
        return looked is not None and self._take_moves(looked.moves, f"tuned: {self.words()}")

    def words(self) -> str:
        """The wishes in a few words."""
        named = [word.replace("_", " ") for word in self.weights]
        if named:
            return " but ".join(named)
        asking = self.asking()
        return f"targets of {asking[0].heading if len(asking) == 1 else f'{len(asking)} drills'}"

    def _take_moves(self, moves: tuple[Move, ...], label: str) -> bool:
        session = self.session
        return session.attempt(lambda: session.yard.edit_all([(move.path, move.value) for move in moves]), label)

    def take_yard(self, yard: Yard, label: str) -> bool:
        """Takes the craft of a yard that was found: a point of a trade-off, or one with a part that helps."""
        session, name = self.session, self.told.tuned.craft if self.told is not None else self.session.craft.id
        return session.attempt(lambda: session.yard.edit(f"crafts.{name}", yard.craft(name)), label)

    def trade(self, fight: Fight) -> None:
        """Finds the trade-off of two terms that cost each other."""
        told = self.told
        if told is None:
            return

        def done(points: tuple[Point, ...]) -> None:
            self.front = (fight, points)
            self.changed.emit()

        self._beside(
            f"{fight.one.title} against {fight.other.title}", lambda on: explained.front(told.tuned, fight, on), done
        )

    def seek_parts(self) -> None:
        """Tries which part would help."""
        told = self.told
        if told is None:
            return

        def done(found: tuple[Help, ...]) -> None:
            self.helps = found
            self.changed.emit()

        self._beside("trying parts", lambda on: explained.parts_that_help(told.tuned, on), done)

    def _beside(self, label: str, work: Callable[[OnProgress], object], done: Callable[..., object]) -> None:
        self.session.background.add(Task(label, work, done, lambda fault: self.session.say(str(fault.faults[0]), True)))


def _driven(yard: Yard, drill: str, craft: str) -> Run | None:
    """The drill on the bench driven by the best so far; None where it diverges."""
    made = runs.execute(job_of(yard, yard.drill(drill), "" if yard.drill(drill).cast else craft))
    return None if made.is_diverged else made
