"""The plan of the run shown: paths from above with ghosts, and a side view."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import accessibility
from oak_sled.desk.work.cards import Shelf
from oak_sled.desk.work.shown import Shown
from oak_sled.desk.yardview.planpaint import Frame, paint_plan, paint_side


class PlanPane(QWidget):
    """The plan of the run shown; wheel zooms, drag moves, a click on the path sets the cursor."""

    def __init__(self, shown: Shown, shelf: Shelf, parent: QWidget | None = None):
        super().__init__(parent)
        self.shown, self.shelf = shown, shelf
        self.zoom, self.shift = 1.0, QPointF(0, 0)
        self._press: QPointF | None = None
        self._moved = False
        self._frame: Frame | None = None
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        accessibility.describe(self, "plan of the run")
        self.setToolTip("wheel: zoom · drag: move · click on the path: cursor · double click: all of it")
        shown.run_changed.connect(self.update)
        shown.cursor_moved.connect(self.update)
        shelf.changed.connect(self.update)

    def ghosts(self, run: Run) -> list[Run]:
        """The runs of a game, of before and those pinned, on the same ground."""
        found = self.shown.beside(self.shelf.pinned_runs())
        return [ghost for ghost in found if ghost.job.ground.id == run.job.ground.id][:6]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        run = self.shown.run
        if run is None or not run.ticks:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = run.ticks if self.shown.live_on else self.shown.row
        split = self.height() * 0.8
        self._frame = paint_plan(
            painter,
            QRectF(0, 0, self.width(), split),
            run,
            row,
            self.ghosts(run),
            self.zoom,
            self.shift,
            () if self.shown.live_on else self.shown.twins,
            tuple(run.seen_from(one.craft.id) for one in run.job.actors if one.craft.id != run.job.single.id),
        )
        paint_side(painter, QRectF(0, split, self.width(), self.height() - split), run, row)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        factor = 1.15 ** (event.angleDelta().y() / 120.0)
        self.zoom = min(80.0, max(0.3, self.zoom * factor))
        self.shift *= factor
        self.update()
        event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._press, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        by = event.position() - self._press
        if self._moved or abs(by.x()) + abs(by.y()) > 4:
            self._moved = True
            self.shift += by
            self._press = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        run, frame = self.shown.run, self._frame
        if event is not None and not self._moved and run is not None and frame is not None and not self.shown.live_on:
            x = frame.middle[0] + (event.position().x() - frame.centre.x()) / frame.scale
            y = frame.middle[1] - (event.position().y() - frame.centre.y()) / frame.scale
            away = np.hypot(run.column("position.x") - x, run.column("position.y") - y)
            row = int(np.argmin(away))
            if away[row] * frame.scale < 40:
                self.shown.set_time(row * run.job.dt)
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.zoom, self.shift = 1.0, QPointF(0, 0)
        self.update()
