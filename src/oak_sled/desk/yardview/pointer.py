"""The pointer in the yard view: it takes hold of things, turns the camera, brings it closer, and chooses a craft."""

from __future__ import annotations

import math
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent

from oak_sled.core.results import levels, rotations
from oak_sled.core.results.run import Run
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.camera import Rig
from oak_sled.desk.yardview.hand import Hand
from oak_sled.desk.yardview.pane import Pane

CLICK_PX = 5.0
"""px within which a press and its release are a click."""


class Stage(Protocol):
    """The view as its pointer needs it."""

    session: Session
    rig: Rig
    hand: Hand
    switched_units: set[str]

    def row_of(self, run: Run) -> int:
        """The row of a run that is shown."""

    def panes(self) -> list[tuple[Pane, Run]]:
        """The pictures that are there, and the run as it is seen in each."""

    def others(self, run: Run) -> list[tuple[Run, int]]:
        """The other crafts of a run, with their rows."""

    def refresh(self) -> None:
        """Redraws."""

    def update(self) -> None:
        """Draws anew what stands over the picture."""


class Pointer:
    """Does what presses, moves and turns of the wheel ask for, in whichever picture they are."""

    def __init__(self, stage: Stage):
        self.stage = stage
        self._drag: QPointF | None = None
        self._pressed: QPointF | None = None
        self._held: Pane | None = None
        """The picture in which something was taken hold of."""

    def _pane(self, at: QPointF) -> tuple[Pane, Run] | None:
        return next(((pane, run) for pane, run in self.stage.panes() if pane.holds(at)), None)

    def press(self, event: QMouseEvent) -> None:
        """Switches the unit of a readout, takes hold of a thing, or begins to turn the camera."""
        stage, found = self.stage, self._pane(event.position())
        if found is not None:
            pane, _ = found
            at = pane.own(event.position())
            for box, name in pane.boxes:
                if box.contains(at):
                    stage.switched_units ^= {name}
                    stage.update()
                    return
            if event.button() == Qt.MouseButton.LeftButton and self._take(at, pane):
                return
        self._drag = event.position()
        self._pressed = event.position() if event.button() == Qt.MouseButton.LeftButton else None

    def _take(self, at: QPointF, pane: Pane) -> bool:
        """Takes hold of what is at a px of a picture; False where there is nothing to hold."""
        run = self.stage.session.shown.run
        if run is None or not run.ticks or pane.camera is None:
            return False
        if self.stage.hand.press(at, pane.camera, run, self.stage.row_of(run)):
            self._held = pane
        return self._held is pane

    def move(self, event: QMouseEvent) -> None:
        """Moves what is held, or turns the camera."""
        stage, rig, run = self.stage, self.stage.rig, self.stage.session.shown.run
        if stage.hand.grip is not None and run is not None:
            pane = self.holding()
            if pane is not None and pane.camera is not None:
                stage.hand.move(pane.own(event.position()), pane.camera, run)
            return
        if self._drag is None:
            return
        moved = event.position() - self._drag
        if rig.name != "orbit" and rig.fitted is None and rig.film is None:
            if abs(moved.x()) + abs(moved.y()) < 6:
                return
            rig.name = "orbit"
            rig.turn_deg = 205.0 + math.degrees(self._heading())
        self._drag = event.position()
        rig.turned(-0.4 * moved.x(), 0.3 * moved.y())
        stage.refresh()

    def release(self, event: QMouseEvent) -> None:
        """Lets go of what is held; a click chooses the craft it hits."""
        stage, pressed, pane = self.stage, self._pressed, self.holding()
        self._drag = self._pressed = self._held = None
        if stage.hand.grip is not None:
            if pane is not None and pane.camera is not None:
                stage.hand.release(pane.camera)
        elif pressed is not None and (event.position() - pressed).manhattanLength() < CLICK_PX:
            self._select_at(event.position())

    def turn(self, event: QWheelEvent) -> None:
        """Brings the camera closer, or takes it back."""
        rig, factor = self.stage.rig, 0.9 ** (event.angleDelta().y() / 120.0)
        if rig.fitted is not None:
            x, y, z, radius = rig.fitted
            rig.fitted = (x, y, z, min(900.0, max(1.0, radius * factor)))
        elif rig.film is not None:
            rig.closer = min(50.0, max(0.05, rig.closer * factor))
        else:
            if rig.name != "orbit":
                rig.name = "orbit"
                rig.turn_deg = 180.0 + math.degrees(self._heading())
            rig.distance = min(900.0, max(2.0, rig.distance * factor))
        self.stage.refresh()

    def holding(self) -> Pane | None:
        """The picture in which something is held; the first one where nothing says which."""
        if self._held is not None:
            return self._held
        return next((pane for pane, _ in self.stage.panes()), None)

    def _heading(self) -> float:
        run = self.stage.session.shown.run
        if run is None:
            return 0.0
        row = self.stage.row_of(run)
        nose = levels.at_row(run, row).T @ rotations.rotation(run.own_row(row)[3:7])[:, 0]
        return math.atan2(nose[1], nose[0])

    def _select_at(self, at: QPointF) -> None:
        """Chooses the craft that was clicked, if it is another one than that on the bench."""
        found = self._pane(at)
        if found is None or found[0].camera is None:
            return
        (pane, seen), camera = found, found[0].camera
        bench = self.stage.session.shown.run
        crafts = self.stage.others(seen)
        if bench is not None and seen is not bench:
            crafts = [(seen, min(self.stage.row_of(bench), seen.ticks)), *crafts]
        for other, row in crafts:
            centre = other.place_at(row)
            reach = float(np.linalg.norm(other.job.single.body.half_extents()))
            px, depth = camera.project(np.array([centre, centre + [0.0, 0.0, reach]]))
            away = QPointF(*px[0]) - pane.own(at)
            near = max(18.0, abs(float(px[1][1] - px[0][1])))
            if depth[0] > 0.1 and math.hypot(away.x(), away.y()) <= near:
                if bench is None or other.job.single.id != bench.job.single.id:
                    self.stage.session.choose("craft", other.job.single.id)
                return
