"""The bench: the craft, drill and ground of the open yard that are selected, and what they mean together."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject

from oak_sled.core.advice import outlook
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.context import Setting
from oak_sled.core.results.run import Run
from oak_sled.core.yard import casting
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.work.jobs import Worker
from oak_sled.desk.work.shown import Shown


class Selection(QObject):
    """The open yard, seen from what of it is on the bench. Signals: none."""

    def __init__(self, yard: Yard, parent: QObject | None = None):
        super().__init__(parent)
        self.yard = yard
        self.shown = Shown(self)
        self.worker = Worker(self)
        self._set_by: tuple[object, ...] = (None, None, None, None)
        self._settings: dict[str, Setting] = {}
        self._body = ("", "")
        self._seen_key: tuple[Drill, str] | None = None
        self._seen = yard.drill()

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

    @property
    def ground(self) -> Ground:
        """The ground on the bench."""
        return self.yard.ground()

    @property
    def craft_path(self) -> str:
        """The path of the craft on the bench."""
        return f"crafts.{self.yard.bench.craft}"

    def job(self) -> Job:
        """The bench as a job, looked at from the body that is selected."""
        job = jobs.job_of(self.yard)
        return replace(job, body=self.body) if self.body else job

    @property
    def body(self) -> str:
        """The further body of the craft on the bench that is looked at; "" for the first."""
        whose, body = self._body
        return body if whose == self.craft.id and body in [one.id for one in self.craft.bodies] else ""

    @property
    def seen_name(self) -> str:
        """The craft on the bench, or the further body of it that is looked at as CRAFT.BODY."""
        return f"{self.craft.id}.{self.body}" if self.body else self.craft.id

    def cast(self) -> tuple[str, ...]:
        """Ids of the crafts that are in the world of the drill, the craft under test first."""
        return tuple(one.id for one in self.job().crafts)

    def twin_jobs(self) -> tuple[Job, ...]:
        """Jobs of the crafts that run the drill too."""
        return jobs.twin_jobs(self.yard)

    def setting(self, body: str = "") -> Setting:
        """The craft as numbers for outlooks, with the ranges of the run shown; a drive that goes on has none yet.
        body : the further body of it that is asked for."""
        run = self.shown.run if self.shown.run is not None and self.shown.run.job.craft.id == self.craft.id else None
        if self.shown.live_on:
            run = None
        given = (self.craft, self.ground, self.yard.ticks, run)
        if not all(one is other for one, other in zip(given, self._set_by, strict=True)):
            self._set_by, self._settings = given, {}
        if body not in self._settings:
            self._settings[body] = outlook.at_once(*given, self.stood(), body)
        return self._settings[body]

    def stood(self) -> Run | None:
        """The last run that came in of the craft on the bench: how it stands has been found in the worker."""
        last = self.worker.last_run
        return last if last is not None and last.job.craft.id == self.craft.id else None
