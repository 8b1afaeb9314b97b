"""Spreads and sensitivities computed beside the window: asked for, followed as they come, cancelled, and kept."""

from __future__ import annotations

import functools
import threading
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.results.run import Run
from oak_sled.core.study import sensitivity, spread, variants
from oak_sled.core.study.sensitivity import Sensitivity
from oak_sled.core.yard.spreads import Spread, SpreadResults
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.spread import beside
from oak_sled.desk.spread.beside import SideBySide
from oak_sled.desk.spread.tiles import Tiles
from oak_sled.desk.work.background import Background, OnProgress, Task
from oak_sled.desk.work.jobs import CANCELLED
from oak_sled.desk.work.session import Session

LONG_S = 10.0
"""s from which a spread says how long it takes, and asks."""
Answers = tuple[tuple[str, Callable[[], object]], ...]


class SpreadComputing(QObject):
    """Computes one spread at a time. Signals: changed() when values come or work ends; _came(numbers, values, round)
    for the way back from the threads."""

    changed = pyqtSignal()
    _came = pyqtSignal(object, object, int)

    def __init__(
        self, session: Session, background: Background, ask: Callable[[str, bool, Answers], None], parent: QObject
    ):
        super().__init__(parent)
        self.session, self.background, self._ask = session, background, ask
        self.plan: Spread | None = None
        """The spread that is computed now, without results."""
        self.values: Floats | None = None
        """Results so far, shape (variants, 1 + repeats, measures)."""
        self.sensed: tuple[Job, Sensitivity] | None = None
        """Sensitivity of every measure to every dial, and its job."""
        self._round = 0
        self._beside: object = None
        self._came.connect(self._take_values)

    def compute(self, plan: Spread) -> None:
        """Computes every variant of a spread of the yard; asks first where that takes long."""
        yard = self.session.yard
        if self.plan is not None:
            return
        if plan.runs <= 200:
            self._start(yard, plan)
            return
        self.background.add(
            Task(
                "spread", lambda told: spread.seconds_for(yard, plan), functools.partial(self._weigh, yard, plan),
                self._say, quiet=True,
            )
        )  # fmt: skip

    def _weigh(self, yard: Yard, plan: Spread, seconds: float) -> None:
        if seconds < LONG_S:
            self._start(yard, plan)
            return
        time = f"{seconds:.0f} s" if seconds < 120.0 else f"{seconds / 60.0:.0f} min"
        answers: Answers = ((f"Compute {plan.runs} runs", lambda: self._start(yard, plan)), ("Not now", lambda: None))
        self._ask(f"This spread takes {plan.runs} runs, about {time}.", False, answers)

    def _start(self, yard: Yard, plan: Spread) -> None:
        if self.plan is not None:
            return
        bare = plan.replace(results=None)
        self.plan, self._round = bare, self._round + 1
        self.values = np.full((plan.variants, 1 + plan.scatter.repeats, len(plan.measures)), np.nan)
        number, stop = self._round, threading.Event()

        def work(told: OnProgress) -> SpreadResults:
            def found(progress: spread.Progress, numbers: Any, values: Floats) -> None:
                try:
                    told(progress.done, progress.of)
                except Refused:
                    stop.set()
                    return
                self._came.emit(numbers, values, number)

            made = spread.compute(yard, bare, 0, found, stop.is_set)
            if made is None:
                raise CANCELLED
            return made

        self.changed.emit()
        done, refused = functools.partial(self._end, bare), functools.partial(self._refused, bare)
        self.background.add(Task("computing the spread", work, done, refused))

    def _take_values(self, numbers: Any, values: Floats, number: int) -> None:
        if number == self._round and self.values is not None:
            self.values[numbers] = values
            self.changed.emit()

    def _end(self, bare: Spread, results: SpreadResults) -> None:
        self.plan = self.values = None
        now = next((one for one in self.session.yard.spreads if one.id == bare.id), None)
        if now is not None and now.replace(results=None, title=bare.title) == bare:
            kept = tuple(
                one.replace(results=results) if one.id == bare.id else one for one in self.session.yard.spreads
            )
            self.session.edit("spreads", kept, "spread computed", card=False)
        elif now is not None:
            self.session.say("the spread was changed while it was computed: its results are dropped", True)
        self.changed.emit()

    def _refused(self, bare: Spread, refused: Refused) -> None:
        self.plan = self.values = None
        self._say(refused)
        self.changed.emit()

    def _say(self, refused: Refused) -> None:
        if refused is not CANCELLED:
            self.session.say(str(refused.faults[0]), True)

    def _job_of(self, plan: Spread) -> Job:
        """The drill of a spread, with its craft, as the yard is now."""
        yard = self.session.yard
        return job_of(yard, yard.drill(variants.drill_of(yard, plan)), plan.craft or self.session.craft.id)

    def sense(self, plan: Spread) -> None:
        """Computes what every measure answers to every dial of the craft of a spread, in its drill."""
        yard, job = self.session.yard, self._job_of(plan)
        drill, craft = job.drill.id, job.craft.id

        def work(told: OnProgress) -> Sensitivity:
            stop = threading.Event()

            def progress(done: int, of: int) -> None:
                try:
                    told(done, of)
                except Refused:
                    stop.set()

            made = sensitivity.compute(yard, drill, craft, progress=progress, cancelled=stop.is_set)
            if stop.is_set():
                raise CANCELLED
            return made

        def done(found: Sensitivity) -> None:
            self.sensed = (job, found)
            self.changed.emit()

        self.background.add(Task("moving every dial", work, done, self._say))

    def sensed_now(self, plan: Spread) -> Sensitivity | None:
        """Sensitivity of every measure to every dial, where it was computed for the drill and craft of a spread as they
        are."""
        return self.sensed[1] if self.sensed is not None and self.sensed[0] == self._job_of(plan) else None

    def run_beside(self, plan: Spread, view: SideBySide) -> None:
        """Runs the variants that stand side by side, where those that are shown are not of this yard and plan."""
        yard, bare = self.session.yard, plan.replace(results=None, title="")
        key = (bare.axes, bare.drill, bare.craft, spread.digest_of(yard, bare))
        if key == self._beside:
            return
        self.show_none_beside(view)
        self._beside = key

        def done(found: tuple[list[tuple[int, Run]], Tiles | None]) -> None:
            if key == self._beside:
                view.show_runs(yard, plan, *found)

        def refused(one: Refused) -> None:
            self._beside = None
            self._say(one)

        work = functools.partial(beside.run_all, yard, plan)
        self.background.add(Task("running variants side by side", work, done, refused))

    def show_none_beside(self, view: SideBySide) -> None:
        """Shows no variants side by side any more: those that are wanted next are run."""
        self._beside = None
        view.clear()
