"""The yard view: a plain widget that shows the renderer's picture and draws forces and readouts over it."""

from __future__ import annotations

import math
import time
from collections import deque

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.results import flights, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.camera import YardCamera
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.widgets.settling import once_still
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview import arrows, freight, images, meshes, space
from oak_sled.desk.yardview.annotations import HIDDEN_FAMILIES, Annotations
from oak_sled.desk.yardview.camera import Rig, own_bodies
from oak_sled.desk.yardview.figures import figure, ghosts
from oak_sled.desk.yardview.hand import Hand
from oak_sled.desk.yardview.marks import pale, path_over, second_marks, slide_bands
from oak_sled.desk.yardview.meshes import Band
from oak_sled.desk.yardview.pane import Pane
from oak_sled.desk.yardview.planpaint import paint_plan, paint_side
from oak_sled.desk.yardview.pointer import Pointer
from oak_sled.desk.yardview.renderer import Renderer
from oak_sled.desk.yardview.scene import Bars, Scene
from oak_sled.desk.yardview.second import SecondPicture

SLOW_MS = 25.0
"""ms of drawing, 95th percentile, past which a software renderer draws fewer px while things move."""


class YardView(QWidget):
    """Shows the run of the session at its cursor. `renderer` is None where there is no OpenGL 3.3."""

    def __init__(self, session: Session, renderer: Renderer | None, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.renderer = session, renderer
        self.rig = Rig()
        self.hand = Hand(session, self)
        self.hand.changed.connect(self._show_hand)
        self.pane = Pane()
        self.second = SecondPicture(self, self, session.shown)
        self.pointer = Pointer(self)
        self._hand_only = False
        self._seen_drill: object = None
        self.readouts = ["speed", "slip_angle", "side_g"]
        self.switched_units: set[str] = set()
        self.hidden = set(HIDDEN_FAMILIES)
        self.labels_on = True
        self.is_blind = False
        """True while nothing is drawn that would tell two variants of a craft apart: no force, no number."""
        self.m_per_kn: float | None = None
        self.render_ms: deque[float] = deque(maxlen=60)
        self._stale = True
        self._begun = False
        self._begin_ms = 0.0
        self.smooth_next = False
        self._half = False
        self._still = once_still(self, self._draw_clean)
        self.setMinimumSize(360, 200)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        accessibility.describe(self, "yard view")
        self.annotations = Annotations(self, self, self.pane, session.shown)
        session.shown.run_changed.connect(self.refresh_ahead)
        session.shown.cursor_moved.connect(self.refresh_ahead)
        session.shelf.changed.connect(self.refresh)
        session.yard_changed.connect(lambda _: self._follow_yard())

    def sizeHint(self) -> QSize:
        return QSize(760, 400)

    def refresh(self) -> None:
        """Redraws at the next paint; smooth once nothing moves."""
        self._stale, self.smooth_next = True, False
        self._still.start()
        self.update()

    def _tell(self) -> None:
        """Tells a screen reader what the picture shows, once nothing moves."""
        run = self.session.shown.run
        if run is None or not run.ticks or self.session.shown.live_on:
            return
        speed = traces.values(run, "speed")[self.session.shown.row]
        when = units.fixed(self.session.shown.time, "s", 2)
        shown = f"{run.job.single.heading} at {when}, {units.plain(speed, 'm/s', 3)}"
        accessibility.describe(self, "yard view", shown, "Ctrl+1 to Ctrl+5 choose a camera, Ctrl+0 fits the path")

    def refresh_ahead(self) -> None:
        """Redraws, and begins at once: the renderer works while the rest of the desk is brought up to date."""
        self.refresh()
        run = self.session.shown.run
        self._look_at_throws(run)
        if self.renderer is not None and run is not None and len(run.record) and self.isVisible():
            self._begin(run, self.row_of(run))

    def _show_hand(self) -> None:
        """Draws what the hand does over the picture that is there: a pull is followed before its run comes in."""
        self._hand_only = not self._stale and not self._begun
        self.update()

    def row_of(self, run: Run) -> int:
        """The row of a run that is shown: the newest one of a live drive."""
        return run.ticks if self.session.shown.live_on else self.session.shown.row

    def _look_at_throws(self, run: Run | None) -> None:
        """Frames what another drill flings, where the craft itself hardly goes anywhere."""
        if run is None or self.session.shown.live_on or self._seen_drill == (run.job.drill.id, run.job.ground.id):
            return
        self._seen_drill = (run.job.drill.id, run.job.ground.id)
        stays = float(np.max(np.ptp(run.columns("position.x", "position.y"), axis=0))) < 3.0
        if run.ticks and stays and (run.layout.shots or flights.watched(run)):
            self.rig.fit(run)

    def _draw_clean(self) -> None:
        if self.session.shown.live_on:
            return
        self._stale, self.smooth_next = True, True
        self._tell()
        self.update()

    # cameras

    def choose_camera(self, name: str) -> None:
        """Takes one of the cameras."""
        self.rig.fitted, self.rig.film = None, None
        self.rig.name = name
        self.refresh()

    def look_through(self, name: str) -> None:
        """Takes a camera of the yard, as it is."""
        self.rig.fitted, self.rig.round_deg, self.rig.closer = None, (0.0, 0.0), 1.0
        self.rig.film = self._camera_of_yard(name)
        self.refresh()

    def _camera_of_yard(self, name: str) -> YardCamera | None:
        return next((one for one in self.session.yard.cameras if one.id == name), None)

    def _follow_yard(self) -> None:
        """Takes up what became of the camera that is looked through; the chase camera where it is gone."""
        if self.rig.film is not None:
            found = self._camera_of_yard(self.rig.film.id)
            if found is not self.rig.film:
                self.rig.film = found
                self.refresh()

    def show_second(self, who: str) -> None:
        """Shows another craft of the cast beside the one that is looked at; "": one picture alone."""
        self.second.who = who
        self.refresh()

    def fit(self) -> None:
        """Frames the whole path, wherever the craft is."""
        if self.session.shown.run is not None:
            self.rig.fit(self.session.shown.run)
            self.refresh()

    def scale(self) -> float:
        """m of arrow for each kN."""
        if self.m_per_kn is not None:
            return self.m_per_kn
        run = self.session.shown.run
        if run is None:
            return 2.0
        weight = run.job.single.body.true_mass() * 9.81
        size = max(run.job.single.body.half_extents())
        return round(
            2.1 * size / (0.4 * weight / 1000.0), 2 - math.floor(math.log10(2.1 * size / (0.4 * weight / 1000.0)))
        )

    def set_scale(self, factor: float) -> None:
        """Makes arrows longer or shorter."""
        self.m_per_kn = min(1e4, max(1e-4, self.scale() * factor))
        self.refresh()

    # pointer

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.pointer.press(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.pointer.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.pointer.release(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.pointer.turn(event)
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.hand.grip is not None:
            self.hand.cancel()
        elif event is not None:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.refresh()

    # picture

    def paintEvent(self, event: QPaintEvent | None) -> None:
        run = self.session.shown.run
        painter = QPainter(self)
        if run is None or not len(run.record):
            painter.fillRect(self.rect(), theme.colour("sky_low"))
            painter.setPen(theme.colour("soft"))
            painter.setFont(theme.font(theme.READING))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "running the drill...")
            return
        row = self.row_of(run)
        if self.renderer is None:
            self._paint_plain(painter, run, row)
            return
        if self._hand_only and not self._stale and self.pane.image is not None and not self._begun:
            self._hand_only = False
            self._show_layers(painter)
            return
        self._hand_only = False
        if self._stale or self.pane.image is None:
            self._begin(run, row)
        ratio = self.devicePixelRatioF()  # drawn while the renderer still works:
        self.pane.draw_over(ratio, lambda over: self.annotations.overlay(over, run, row))
        if self._begun:
            began = time.perf_counter()
            self.pane.image = self.renderer.finish()
            self._begun = False
            if not self.smooth_next:
                self.render_ms.append(self._begin_ms + (time.perf_counter() - began) * 1000.0)
                self._choose_resolution()
        self._show_layers(painter)

    def _show_layers(self, painter: QPainter) -> None:
        panes = self.panes()
        for pane, _ in panes:
            pane.paint(painter)
        self.second.paint_frame(painter, panes)
        held = self.pointer.holding()
        if held is not None and held.camera is not None and self.hand.grip is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.translate(held.left, 0.0)
            self.hand.paint(painter, held.camera)

    def _choose_resolution(self) -> None:
        if len(self.render_ms) == self.render_ms.maxlen and self.renderer is not None and self.renderer.is_software:
            usual = float(np.percentile(self.render_ms, 95))
            if usual > SLOW_MS and not self._half:
                self._half = True
                self.render_ms.clear()

    def _begin(self, run: Run, row: int) -> None:
        """Sets the renderer to work on the picture."""
        assert self.renderer is not None
        began = time.perf_counter()
        other = self.second.of(run)
        across = self.width() if other is None else self.width() // 2
        self.pane.camera = self.rig.camera(run, row, across, self.height())
        ratio = self.devicePixelRatioF()
        smooth = self.smooth_next or not self.renderer.is_software
        if self._half and not smooth:
            ratio *= 0.66
        width, height = round(across * ratio), round(self.height() * ratio)
        scene = self._scene(run, row)
        if other is not None:
            size = (self.width() - across, self.height())
            self.second.draw(self.renderer, scene, self.rig, other, row, across, size, (width, height), smooth)
            self.second.draw_over(self.devicePixelRatioF(), other, row)
            images.gathered(scene, run.place_at(row))
        self.renderer.begin(scene, self.pane.camera, width, height, smooth)
        self._begin_ms = (time.perf_counter() - began) * 1000.0
        self._stale, self._begun = False, True

    def _scene(self, run: Run, row: int) -> Scene:
        scene = Scene(run.job.ground)
        assert self.pane.camera is not None
        # lines keep about two px, however far the eye is
        wide = max(1.0, 0.028 * float(np.linalg.norm(self.pane.camera.eye - self.pane.camera.target)))
        oak = theme.rgb("oak")
        scene.bands += meshes.patches(run.job.ground)
        scene.bands += slide_bands(run, row if self.session.shown.live_on else run.ticks, row, wide)
        for ghost in ghosts(self.session, run):
            ink = theme.rgb(pale(ghost))
            scene.bands.append(Band(path_over(ghost, 0, ghost.ticks), 0.1 * wide, (*ink, 0.75)))
            at = ghost.at(self.session.shown.time)
            scene.figures.append(figure(ghost, at, (*ink, 0.75)))
        place = path_over(run, 0, row)
        scene.bands.append(Band(place, 0.13 * wide, (*oak, 0.95)))
        if row < run.ticks:
            scene.bands.append(Band(path_over(run, row, run.ticks), 0.1 * wide, (*oak, 0.42)))
        scene.bars = Bars(second_marks(run), 0.35 * min(wide, 4.0), theme.rgb("oak_deep"), 0.9)
        for other, other_row in self.others(run):
            scene.bands.append(Band(path_over(other, 0, other_row), 0.12, (*theme.rgb("oak_light"), 0.8)))
            scene.figures.append(figure(other, other_row))
        for twin, twin_row in self.twins():
            scene.bands.append(Band(path_over(twin, 0, twin_row), 0.12, (*theme.rgb("good"), 0.8)))
            scene.figures.append(figure(twin, twin_row, (*theme.rgb("good"), 0.35)))
        scene.figures.append(figure(run, row))
        scene.places = freight.places(run, row)
        if run.job.ground.is_space:
            scene.bands = space.bands(scene.bands, self.pane.camera, ((run, row), *self.others(run)))
        if not self.rig.rides:  # from where the eye sits in the craft, nothing of it is to be seen
            x, y, z = (float(value) for value in run.own_row(row)[:3])
            scene.subject = (x, y, z, 1.15 * float(np.linalg.norm(run.job.single.body.half_extents())))
        scene.own = own_bodies(run)
        return images.gathered(scene, run.place_at(row))

    def others(self, run: Run) -> list[tuple[Run, int]]:
        """The other crafts in the world of a run, each with the row it is at."""
        names = [one.craft.id for one in run.job.actors if one.craft.id != run.job.single.id]
        return [(run.seen_from(name), self.row_of(run)) for name in names]

    def panes(self) -> list[tuple[Pane, Run]]:
        """The pictures that are there, from left to right, and the run as the craft of each sees it."""
        run = self.session.shown.run
        if run is None or not len(run.record):
            return []
        other = self.second.of(run)
        return [(self.pane, run)] + ([] if other is None else [(self.second.pane, other)])

    def twins(self) -> list[tuple[Run, int]]:
        """The twins, which run the drill each in a world of its own, each with the row it is at."""
        session = self.session
        if session.shown.live_on:
            return []
        return [(twin, twin.at(session.shown.time)) for twin in session.shown.twins if len(twin.record)]

    # overlay

    def _paint_plain(self, painter: QPainter, run: Run, row: int) -> None:
        """Without OpenGL: the plan and the side view, said so."""
        painter.fillRect(self.rect(), theme.colour("paper"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        upper = QRectF(0, 0, self.width(), self.height() * 0.72)
        paint_plan(painter, upper, run, row, ghosts(self.session, run))
        paint_side(painter, QRectF(0, upper.bottom(), self.width(), self.height() - upper.height()), run, row)
        labels = arrows.Labels(self.width(), self.height())
        self.annotations.paint_readouts(painter, run, row, labels)
        self.annotations.paint_flash(painter, run, row, labels)
        painter.setPen(theme.colour("soft"))
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(
            QRectF(0, self.height() - 22, self.width() - 10, 18),
            Qt.AlignmentFlag.AlignRight,
            "no OpenGL 3.3 on this display: plan and side view in place of the 3D view",
        )
