"""A second picture beside the first in the yard view: another craft of the cast, by the same camera."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter
from PyQt6.QtWidgets import QWidget

from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.shown import Shown
from oak_sled.desk.yardview import images
from oak_sled.desk.yardview.annotations import Annotations, Canvas
from oak_sled.desk.yardview.camera import Rig, own_bodies
from oak_sled.desk.yardview.pane import Pane
from oak_sled.desk.yardview.renderer import Renderer
from oak_sled.desk.yardview.scene import Scene

LINE = 2.0
"""px of the line between the two."""


class SecondPicture:
    """The picture of another craft of the cast at the right, by the same camera. who : its id; "" while there is one
    picture alone."""

    def __init__(self, widget: QWidget, view: Canvas, shown: Shown) -> None:
        self.who = ""
        self.pane = Pane()
        self.annotations = Annotations(widget, view, self.pane, shown)

    def of(self, run: Run | None) -> Run | None:
        """The run as that craft sees it; None where there is one picture alone, or the craft takes no part in it."""
        if not self.who or run is None or self.who == run.job.single.id:
            return None
        if self.who not in [one.craft.id for one in run.job.actors]:
            return None
        return run.seen_from(self.who)

    def draw(
        self, renderer: Renderer, scene: Scene, rig: Rig, run: Run, row: int, left: int,
        size: tuple[int, int], px: tuple[int, int], smooth: bool,
    ) -> None:  # fmt: skip
        """Draws it. scene : that of the first picture, where everything is already; left, size : px of the view at
        which it begins, and that it takes; px : of the image."""
        self.pane.left, self.pane.camera = left, rig.camera(run, row, *size)
        x, y, z = (float(value) for value in run.own_row(row)[:3])
        reach = 0.0 if rig.rides else 1.15 * float(np.linalg.norm(run.job.single.body.half_extents()))
        seen = replace(scene, subject=(x, y, z, reach), own=own_bodies(run))
        self.pane.image = renderer.draw(images.gathered(seen, run.place_at(row)), self.pane.camera, *px, smooth)

    def draw_over(self, ratio: float, run: Run, row: int) -> None:
        """Its forces, readouts and names."""
        self.pane.draw_over(ratio, lambda over: self.annotations.overlay(over, run, row))

    def paint_frame(self, painter: QPainter, panes: list[tuple[Pane, Run]]) -> None:
        """The line between two pictures, and whose each is; nothing where there is one alone."""
        if len(panes) < 2:
            return
        painter.setFont(theme.font(theme.SMALL, bold=True))
        for pane, run in panes:
            if pane.camera is None:
                continue
            bottom = float(pane.camera.height)
            if pane.left:
                painter.fillRect(QRectF(pane.left - LINE / 2.0, 0.0, LINE, bottom), theme.colour("oak"))
            wide = QFontMetricsF(painter.font()).horizontalAdvance(run.job.single.heading) + 16.0
            box = QRectF(pane.left + 10.0, bottom - 32.0, wide, 22.0)
            painter.fillRect(box, theme.colour("card", 235))
            painter.setPen(theme.colour("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, run.job.single.heading)
