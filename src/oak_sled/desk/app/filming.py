"""A film of the run that is shown: the yard view with the pane beside it, picture by picture, in real time.

The pictures are painted in the thread of the window, one whenever the writer has room for it, and written beside it:
the window plays the run meanwhile, and can be used.
"""

from __future__ import annotations

import queue
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Protocol, cast

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QFileDialog, QWidget

from oak_sled.core.base.faults import Refused
from oak_sled.core.files import film
from oak_sled.core.files.film import Picture
from oak_sled.desk.widgets import screenshot, theme
from oak_sled.desk.work import folders
from oak_sled.desk.work.background import OnProgress, Task
from oak_sled.desk.work.session import Session

A_SECOND = 25.0
"""Pictures."""
MOST_WAITING = 4
"""Pictures that are painted and not written yet."""


class Stage(Protocol):
    """Widgets that are filmed, and the session that they show."""

    session: Session
    view: Any

    def beside_view(self) -> QWidget:
        """The pane beside the view."""


class Filming(QObject):
    """Makes one film at a time."""

    def __init__(self, stage: Stage, parent: QObject):
        super().__init__(parent)
        self.stage, self.session = stage, stage.session
        self.painted = 0
        self._times: list[float] = []
        self._ready: queue.Queue[Picture | None] = queue.Queue(MOST_WAITING)
        self._before = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._paint_next)

    @property
    def is_busy(self) -> bool:
        """True while a film is made."""
        return bool(self._times)

    def ask(self) -> None:
        """Asks where the film goes, and makes it."""
        kinds = ";;".join(f"{one[1:].upper()} (*{one})" for one in film.suffixes())
        name, _ = QFileDialog.getSaveFileName(
            self.stage.view, "Film of the run", folders.suggested(self.session, ".webp", "film"), kinds
        )
        if name:
            folders.remember(self.session, name)
            self.write(Path(name))

    def write(self, path: Path) -> None:
        """Makes the film; what cannot be is said."""
        run = self.session.shown.run
        if run is None or self.session.shown.live_on or self.is_busy:
            words = "end the drive first" if self.session.shown.live_on else "wait for the run, or the film before it"
            self.session.say(words, True)
            return
        try:
            film.check(path)
        except Refused as wrong:
            self.session.say(str(wrong.faults[0]), True)
            return
        self._times = np.arange(0.0, run.duration + 0.5 / A_SECOND, 1.0 / A_SECOND).tolist()
        self.painted, self._before = 0, self.session.shown.time
        self._ready = queue.Queue(MOST_WAITING)
        self._timer.start()
        ready, count = self._ready, len(self._times)

        def work(on_progress: OnProgress) -> int:
            return film.write(_taken(ready, on_progress, count), count, A_SECOND, path)

        def done(written: int) -> None:
            self._end()
            self.session.say(f"{path.name}: {written} pictures, {A_SECOND:g} a second")

        def refused(fault: Refused) -> None:
            self._end()
            self.session.say(str(fault.faults[0]), True)

        self.session.background.add(Task(f"a film of {count} pictures", work, done, refused))

    def _end(self) -> None:
        self._timer.stop()
        self._times = []
        self.session.shown.set_time(self._before)

    def _paint_next(self) -> None:
        if self._ready.full():
            return
        if self.painted == len(self._times):
            self._timer.stop()
            return
        self.session.shown.set_time(self._times[self.painted])
        self._ready.put(self._picture())
        self.painted += 1

    def _picture(self) -> Picture:
        """The view and the pane as they are now."""
        left, right = screenshot.painted(self.stage.view), screenshot.painted(self.stage.beside_view())
        made = QImage(left.width() + right.width(), max(left.height(), right.height()), QImage.Format.Format_RGB888)
        made.fill(theme.colour("paper"))
        for image in (left, right):
            image.setDevicePixelRatio(1.0)
        painter = QPainter(made)
        painter.drawImage(0, 0, left)
        painter.drawImage(left.width(), 0, right)
        job = self.session.job()
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        words = f"{job.craft.heading} · {job.drill.heading} · {job.ground.heading}"
        painter.drawText(12, made.height() - 10, words)  # where the view is lower than the pane
        painter.end()
        bits = made.constBits()
        assert bits is not None
        raw: Picture = np.frombuffer(cast("memoryview", bits.asarray(made.sizeInBytes())), np.uint8)
        return (
            raw.reshape(made.height(), made.bytesPerLine())[:, : 3 * made.width()].reshape(made.height(), -1, 3).copy()
        )


def _taken(ready: queue.Queue[Picture | None], on_progress: OnProgress, count: int) -> Iterator[Picture]:
    """The pictures as they come, with progress: a cancelled film ends at the next."""
    for number in range(count):
        while True:
            on_progress(number, count)
            try:
                picture = ready.get(timeout=0.2)
            except queue.Empty:
                continue
            break
        assert picture is not None
        yield picture
