"""The view of the bench: a run, those drawn beside it, what was found in it, and the time of the cursor."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from PyQt6.QtCore import QObject, pyqtSignal

from oak_sled.core.parts.caution import Caution
from oak_sled.core.results import copies, recorded, traces
from oak_sled.core.results.run import Run


class Shown(QObject):
    """The run that panes explain. Signals: run_changed(), cursor_moved(), live_changed(is_live), game_changed()."""

    run_changed = pyqtSignal()
    cursor_moved = pyqtSignal()
    live_changed = pyqtSignal(bool)
    game_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self.run: Run | None = None
        self.ghost: Run | None = None
        """The run before, which is drawn pale beside it."""
        self.game: Run | None = None
        """The newest of what a running game tells, while one does."""
        self.twins: tuple[Run, ...] = ()
        """Those of the crafts that run the drill too, each in a world of its own."""
        self.found: Mapping[str, float | None] = {}
        self.warned: tuple[Caution, ...] = ()
        self.live_on = False
        """True if a drive goes on: then `run` is its newest stretch."""
        self.time = 0.0
        self.second_time: float | None = None
        self.follow_end = True
        """True if the next run is looked at first where it is worth looking at, not where the cursor stood."""

    def begin_anew(self) -> None:
        """Another yard is open."""
        self.run = self.ghost = None
        self.follow_end = True
        self.second_time = None

    def show(
        self,
        run: Run,
        found: Mapping[str, float | None],
        warned: tuple[Caution, ...] = (),
        twins: tuple[Run, ...] = (),
    ) -> None:
        """Shows a run, with those of other crafts beside it; `run_changed` is told by who asks for it."""
        ended = self.run is None or self.follow_end
        self.run, self.found, self.warned, self.twins = run, found, warned, twins
        self.time = _resting_time(run) if ended else min(self.time, run.duration)
        self.follow_end = False

    def beside(self, pinned: Iterable[Run] = ()) -> list[Run]:
        """The runs that are drawn pale beside the one shown: its copy over a network and what a game told first, then
        the run before and pinned ones, but no kept run beside a drive that goes on."""
        if self.run is None:
            return []
        told = recorded.beside(self.run) or self.game
        found = [one for one in (copies.as_run(self.run), told) if one is not None]
        if not self.live_on:
            found += [] if self.ghost is None else [self.ghost]
            found += pinned
        return [one for one in found if one is not self.run and one.ticks]

    def in_sight(self) -> tuple[Run, ...]:
        """The run on the bench, and those of its twins."""
        return self.twins if self.run is None else (self.run, *self.twins)

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
        """The row of the run at the cursor."""
        return self.run.at(self.time) if self.run is not None else 0


def _resting_time(run: Run) -> float:
    """A moment worth looking at first: the largest sideslip, else the middle."""
    slip = abs(traces.values(run, "slip_angle"))
    row = int(slip.argmax()) if slip.max() > 3.0 else run.ticks // 2
    return row * run.job.dt
