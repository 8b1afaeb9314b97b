"""Requests of the bench for runs: the drill after every edit, a run to keep, and tries that newer ones overtook."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from PyQt6.QtCore import QObject

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import shelf
from oak_sled.core.project.shelf import Card
from oak_sled.core.results.run import Run
from oak_sled.desk.work.cards import Shelf
from oak_sled.desk.work.jobs import Loader, Result, Worker
from oak_sled.desk.work.shown import Shown


class Bench(Protocol):
    """The bench, and whether a dial is held."""

    @property
    def is_previewing(self) -> bool:
        """True if a drag goes on."""

    def job(self) -> Job:
        """The job to run."""

    def twin_jobs(self) -> tuple[Job, ...]:
        """Jobs of the crafts that run the drill too."""


class Requests(QObject):
    """Asks the worker for runs, and takes what comes of them: a result that the bench has moved on from is dropped."""

    def __init__(self, bench: Bench, shown: Shown, worker: Worker, loader: Loader, parent: QObject | None = None):
        super().__init__(parent)
        self.bench, self.shown, self.worker, self.loader = bench, shown, worker, loader
        self.to_card: tuple[Job, str] | None = None
        """The job that becomes a card when its run comes in, and its text."""

    def rerun(self) -> None:
        """Re-runs what is on the bench in the worker; the newest result is taken."""
        if not self.shown.live_on:
            self.worker.ask(self.bench.job(), twins=self.bench.twin_jobs())

    def keep_run(self, says: str = "") -> None:
        """Runs the drill and puts the run on the shelf whatever was changed."""
        self.keep_late()
        job = self.bench.job()
        old = self.shown.run.job if self.shown.run is not None else None
        self.to_card = (job, says or shelf.says(old, job))
        self.shown.follow_end = True
        self.worker.ask(job, again=True, twins=self.bench.twin_jobs())

    def order_card(self, before: Run | None) -> None:
        """The next run of what is on the bench becomes a card, which says what was changed against `before`."""
        self.keep_late()
        job = self.bench.job()
        self.to_card = (job, shelf.says(before.job if before is not None else None, job))

    def keep_late(self) -> None:
        """A try whose run has not come in when the next one begins is kept too: it runs beside the bench."""
        if self.to_card is not None:
            (job, says), self.to_card = self.to_card, None
            self.loader.make(job, says)

    def is_stale(self, result: Result) -> bool:
        """True if the bench has moved on meanwhile."""
        return result.job != self.bench.job() or self.shown.live_on

    def put_by(self, result: Result, cards: Shelf, add: Callable[[Card], None]) -> None:
        """Puts a run that came in on the shelf: as a new card, or as that of a card there is."""
        if not self.bench.is_previewing and self.to_card is None:
            cards.mark(result.run)
        if self.to_card is not None and self.to_card[0] == result.job and not self.bench.is_previewing:
            says, self.to_card = self.to_card[1], None
            add(shelf.card_of(result.run, says, result.found))
