"""Whole runs in a worker thread: frozen requests with a number; only the newest answer is taken."""

from __future__ import annotations

import logging
import math
import time
from collections.abc import Callable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from oak_sled.core.advice import cautions, cost, modes
from oak_sled.core.assembly import world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.parts.caution import Caution
from oak_sled.core.project import shelf
from oak_sled.core.project.shelf import Card
from oak_sled.core.results import measures, run
from oak_sled.core.results.run import Run
from oak_sled.core.study.batch import Repeater
from oak_sled.core.tick.stopping import Leash, Stopped

log = logging.getLogger("oak_sled")

LOOK_MS = 100
"""ms between two looks at how far a run is."""
PATIENCE_S = 0.7
"""s that a run may have taken, and may still take, before one that waits has it ended."""


@dataclass(frozen=True, eq=False)
class Result:
    """Result of a job: the run, its measures, its cautions, and the runs of the crafts beside it."""

    number: int
    job: Job
    run: Run
    found: Mapping[str, float | None]
    warned: tuple[Caution, ...]
    twins: tuple[Run, ...] = ()


def seen_from(last: Result, job: Job) -> Result | None:
    """An answer that is there already, looked at from the craft of `job`; None where it answers another question."""
    if last.job == job:
        return last
    name = f"{job.craft.id}.{job.body}" if job.body else job.craft.id
    if name not in [one.craft.id for one in last.job.actors] or last.job.seen_from(name) != job:
        return None
    made = last.run.seen_from(name)
    return Result(last.number, job, made, measures.Readings(made), cautions.find(job, made), last.twins)


class Worker(QObject):
    """Runs one job at a time. A request that waits is replaced by a newer one, never queued.

    A run that takes long is ended when a newer request waits, or when the user cancels it.

    Signals: finished(Result), failed(text), cancelled(), changed() while it gets on; _arrived(object) for the way back
    from the thread.
    """

    finished = pyqtSignal(object)
    failed = pyqtSignal(str)
    cancelled = pyqtSignal()
    changed = pyqtSignal()
    _arrived = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="oak-sled-run")
        self._twins = ThreadPoolExecutor(max_workers=2, thread_name_prefix="oak-sled-twin")
        self._number = 0
        self._busy = self._closed = False
        self._waiting: tuple[Job, tuple[Job, ...]] | None = None
        self._beside: tuple[Job, ...] = ()
        self._heavy: tuple[object, tuple[Caution, ...]] = (None, ())
        self._last: Result | None = None
        self.prepare: Callable[[Run, measures.Readings], None] | None = None
        """Derives from a run, in the thread of the worker, what the window is going to show of it and takes long."""
        self._repeaters: list[Repeater] = []
        """Of the craft under test and its twins, in order; the worker's own."""
        self._leashes: tuple[Leash, ...] = (Leash(),)
        """Of the run under way, and of those of the twins beside it."""
        self._job: Job | None = None
        self._began = 0.0
        self._look = QTimer(self)
        self._look.setInterval(LOOK_MS)
        self._look.timeout.connect(self._look_after)
        self._arrived.connect(self._come_back)

    @property
    def shown(self) -> str:
        """The present work in words; "" when there is nothing to show."""
        return "running the drill" if self._busy else ""

    @property
    def progress(self) -> tuple[int, int]:
        """Ticks done of the run under way, and how many there are at most."""
        if not self._busy or self._job is None:
            return 0, 0
        return self._leashes[0].done, math.ceil(self._job.drill.duration * self._job.ticks)

    def cancel(self) -> None:
        """Ends the run under way; none follows."""
        self._waiting = None
        self._stop()

    def _stop(self) -> None:
        for leash in self._leashes:
            leash.stop()

    def _look_after(self) -> None:
        """Tells how far the run is, and ends it where a newer one waits and it would still take long."""
        passed, (done, of) = time.perf_counter() - self._began, self.progress
        left = passed * (of - done) / done if done else math.inf
        if self._waiting is not None and passed > PATIENCE_S and left > PATIENCE_S:
            self._stop()
        self.changed.emit()

    def ask(self, job: Job, again: bool = False, twins: tuple[Job, ...] = ()) -> None:
        """Asks for a run, and those of `twins`. The answer to an equal job may be the one that is there already."""
        self._number += 1
        if not again and self._last is not None and self._beside == twins and not self._busy:
            seen = seen_from(self._last, job)
            if seen is not None:
                self.finished.emit(seen)
                return
        if self._busy:
            self._waiting = (job, twins)
            return
        self._start(job, twins)

    @property
    def last_run(self) -> Run | None:
        """The run of the last answer."""
        return None if self._last is None else self._last.run

    def forget(self) -> None:
        """Drops what waits, and the last answer: another run is shown."""
        self._waiting = self._last = None

    def _start(self, job: Job, twins: tuple[Job, ...]) -> None:
        self._busy, self._beside, self._job = True, twins, job
        self._leashes = tuple(Leash() for _ in range(1 + len(twins)))
        self._began = time.perf_counter()
        self._look.start()
        number = self._number
        self._pool.submit(self._work, number, job, twins, self._leashes)

    def _work(self, number: int, job: Job, twins: tuple[Job, ...], leashes: tuple[Leash, ...]) -> None:
        beside: list[Future[Run]] = []
        try:
            while len(self._repeaters) <= len(twins):
                self._repeaters.append(Repeater())
            own, *others_of = self._repeaters
            pairs = zip(others_of, twins, leashes[1:], strict=False)
            beside = [self._twins.submit(_held, *pair) for pair in pairs]  # each in a world of its own
            made = _held(own, job, leashes[0])
            warned = cautions.find(job, made) + self._told_of_cost(job, made)  # while those beside still run
            others = tuple(one.result() for one in beside)
            readings = measures.Readings(made)
            if self.prepare is not None:
                self.prepare(made, readings)
            answer: object = Result(number, job, made, readings, warned, others)
        except (Refused, Stopped) as ended:
            answer = ended
        except Exception as error:  # the way back must not be lost, whatever happens
            answer = error
        wait(beside)  # a run that is ended leaves its twins behind for a tick, in arrays that the next ones need
        self._arrived.emit(answer)
        try:
            for one in self._repeaters:
                one.prepare()
        except Exception:  # the next run is built anew
            log.exception("arrays could not be kept")
            self._repeaters.clear()

    def _told_of_cost(self, job: Job, made: Run) -> tuple[Caution, ...]:
        """Caution about a heavy ground; found once for each, so that a drag of a dial does not wait for it."""
        tick_s = cost.tick_seconds(made)
        if not cost.is_heavy(job, tick_s):
            return ()
        key = (job.ground, job.ticks, tuple(part.kind for part in job.craft.parts))
        if self._heavy[0] != key:
            self._heavy = (key, (cost.caution_of(job, tick_s),))
        return self._heavy[1]

    def _come_back(self, answer: object) -> None:
        self._busy = False
        self._look.stop()
        self.changed.emit()
        if isinstance(answer, Result):
            self._last = answer
            self.finished.emit(answer)
        elif isinstance(answer, Stopped):
            if self._waiting is None and not self._closed:
                self.cancelled.emit()
        else:
            self.failed.emit(str(answer))
        waiting, self._waiting = self._waiting, None
        if waiting is not None and not self._busy:
            self._start(*waiting)
        elif isinstance(answer, Result) and not self._closed:
            self._pool.submit(_compile_laws, answer.job)  # it was interpreted while it was edited: now it stands

    @property
    def is_busy(self) -> bool:
        """True if a run is under way or waits."""
        return self._busy or self._waiting is not None

    def close(self) -> None:
        """Ends what runs, and the thread."""
        self._waiting, self._closed = None, True
        self._stop()
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._twins.shutdown(wait=True, cancel_futures=True)


def _held(repeater: Repeater, job: Job, leash: Leash) -> Run:
    with leash:
        return repeater.execute(job)


def _compile_laws(job: Job) -> None:
    try:
        world.compile_laws(job)
    except Exception:  # the interpreter goes on
        log.exception("a formula could not be compiled")


class Loader(QObject):
    """Has the runs of cards again in a thread of its own, one after the other.

    Signals: finished(card), made(card), failed(text, True), _arrived(card, text) and _done(card, epoch) for the
    way back from the thread.
    """

    finished = pyqtSignal(object)
    made = pyqtSignal(object)
    _done = pyqtSignal(object, int)
    failed = pyqtSignal(str, bool)
    _arrived = pyqtSignal(object, str)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="oak-sled-load")
        self._asked: set[str] = set()
        self._leash = Leash()
        self._making = 0
        self._epoch = 0
        self._arrived.connect(self._come_back)
        self._done.connect(self._take)

    @property
    def is_busy(self) -> bool:
        """True if a run is on its way."""
        return bool(self._asked) or self._making > 0

    def make(self, job: Job, says: str) -> None:
        """Makes the card of a job that the bench has moved on from."""
        self._making += 1
        self._pool.submit(self._make, job, says, self._epoch)

    def begin_anew(self) -> None:
        """Another yard is open: what is still made belongs to none of its cards."""
        self._epoch += 1

    def _make(self, job: Job, says: str, epoch: int) -> None:
        try:
            with self._leash:
                made = run.execute(job)
                modes.of_run(made)  # which the window asks for when its card is looked at
            self._done.emit(shelf.card_of(made, says), epoch)
        except Stopped:  # the window closes
            self._done.emit(None, epoch)
        except Exception:  # the bench said why when it was tried
            log.exception("a run beside the bench failed")
            self._done.emit(None, epoch)

    def _take(self, card: Card | None, epoch: int) -> None:
        self._making -= 1
        if card is not None and epoch == self._epoch:
            self.made.emit(card)

    def ask(self, card: Card) -> None:
        """Asks for the run of a card; once, however often it is asked."""
        if card.id not in self._asked and not card.unreadable:
            self._asked.add(card.id)
            self._pool.submit(self._work, card)

    def _work(self, card: Card) -> None:
        text = ""
        try:
            with self._leash:
                modes.of_run(card.kept.load())  # which the window asks for
        except Stopped:  # the window closes
            return
        except Refused as refused:
            text = f"{card.heading}: {refused.faults[0]}"
        except Exception as error:  # the way back must not be lost, whatever happens
            text = f"{card.heading}: cannot be restored ({type(error).__name__})"
            card.kept.unreadable = True
        self._arrived.emit(card, text)

    def _come_back(self, card: Card, text: str) -> None:
        self._asked.discard(card.id)
        if text:
            self.failed.emit(text, True)
        self.finished.emit(card)

    def close(self) -> None:
        """Ends what runs, and the thread."""
        self._leash.stop()
        self._pool.shutdown(wait=True, cancel_futures=True)


Work = Callable[[Callable[[int, int], None]], Any]
"""Longer work, given how to report its progress (done, of)."""


class Errand(QObject):
    """A longer piece of work in its own thread, with progress and an answer.

    Signals: progress(done, of), answered(answer): what the work gave, or the `Refused` that ended it. One that was
    cancelled answers with a `Refused` that says so.
    """

    progress = pyqtSignal(int, int)
    answered = pyqtSignal(object)

    def __init__(self, work: Work, parent: QObject | None = None):
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="oak-sled-errand")
        self._work = work
        self._leash = Leash()
        self._cancelled = False
        self._closed = False

    def start(self) -> None:
        """Begins."""
        self._pool.submit(self._do)

    def cancel(self) -> None:
        """Stops the run under way, or at the next report of progress."""
        self._cancelled = True
        self._leash.stop()

    def _told(self, done: int, of: int) -> None:
        if self._cancelled:
            raise CANCELLED
        if not self._closed:
            self.progress.emit(done, of)

    def _do(self) -> None:
        try:
            with self._leash:
                answer = self._work(self._told)
        except Stopped:
            answer = CANCELLED
        except Refused as refused:
            answer = refused
        except Exception as error:  # the way back must not be lost, whatever happens
            log.exception("a background task failed")
            answer = refuse("the program", f"failed: {type(error).__name__}: {error}", "save your work, and report it")
        if not self._closed:
            self.answered.emit(answer)

    def close(self) -> None:
        """Ends the thread; no answer comes any more."""
        self._closed = True
        self.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)


CANCELLED = refuse("cancelled", "nothing was changed")
