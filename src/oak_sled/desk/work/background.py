"""Long work beside the window: one piece after the other, with progress, and cancelled where it can be."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QEventLoop, QObject, pyqtSignal

from oak_sled.core.base.faults import Refused
from oak_sled.desk.work.jobs import Errand

OnProgress = Callable[[int, int], None]


@dataclass(frozen=True, eq=False)
class Task:
    """A piece of work. words : what it does, for the user; done : takes its answer; refused : takes a refusal.

    Both are called in the thread of the window. quiet : whether nothing is shown of it.
    """

    words: str
    work: Callable[[OnProgress], Any]
    done: Callable[[Any], object]
    refused: Callable[[Refused], object]
    quiet: bool = False


class Background(QObject):
    """Does tasks one after the other in a thread. Signals: changed() when work begins, gets on, or ends."""

    changed = pyqtSignal()
    _idle = pyqtSignal()

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._waiting: deque[Task] = deque()
        self._task: Task | None = None
        self._errand: Errand | None = None
        self.progress = (0, 0)

    @property
    def is_busy(self) -> bool:
        """True if work goes on."""
        return self._task is not None

    @property
    def shown(self) -> str:
        """The present work in words; "" when there is nothing to show."""
        return "" if self._task is None or self._task.quiet else self._task.words

    def add(self, task: Task) -> None:
        """Does a task as soon as those before it are done."""
        self._waiting.append(task)
        self._next()

    def cancel(self) -> None:
        """Ends what is under way at its next report of progress; files stay as they were."""
        if self._errand is not None:
            self._errand.cancel()

    def _next(self) -> None:
        if self._task is not None or not self._waiting:
            return
        self._task, self.progress = self._waiting.popleft(), (0, 0)
        errand = Errand(self._task.work, self)
        errand.progress.connect(self._get_on)
        errand.answered.connect(self._end)
        self._errand = errand
        self.changed.emit()
        errand.start()

    def _get_on(self, done: int, of: int) -> None:
        self.progress = (done, of)
        self.changed.emit()

    def _end(self, answer: object) -> None:
        task, errand = self._task, self._errand
        assert task is not None
        assert errand is not None
        errand.close()
        errand.deleteLater()
        self._task = self._errand = None
        self.changed.emit()
        if isinstance(answer, Refused):
            task.refused(answer)
        else:
            task.done(answer)
        self._next()
        if self._task is None:
            self._idle.emit()

    def wait(self) -> None:
        """Until all is done; the window goes on meanwhile."""
        while self.is_busy:
            loop = QEventLoop()
            self._idle.connect(loop.quit)
            loop.exec()
