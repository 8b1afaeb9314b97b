"""Two pictures side by side in the yard view: the craft that is looked at, and another one of its cast."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QImage, QPainter

from oak_sled.core.base import units
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import images
from oak_sled.desk.yardview.camera import Rig
from oak_sled.desk.yardview.renderer import Renderer
from oak_sled.desk.yardview.scene import Scene

LINE = 2.0
"""px of the line between the two."""


class SecondPicture:
    """The picture of another craft of the cast at the right, by the same camera. who : its id; "" while there is one
    picture alone."""

    def __init__(self) -> None:
        self.who = ""
        self.image: QImage | None = None

    def of(self, run: Run | None) -> Run | None:
        """The run as that craft sees it; None where there is one picture alone, or the craft takes no part in it."""
        if not self.who or run is None or self.who == run.job.single.id:
            return None
        if self.who not in [one.craft.id for one in run.job.actors]:
            return None
        return run.seen_from(self.who)

    def draw(
        self, renderer: Renderer, scene: Scene, rig: Rig, run: Run, row: int, size: tuple[int, int],
        px: tuple[int, int], smooth: bool,
    ) -> None:  # fmt: skip
        """Draws it. scene : that of the first picture, where everything is already; size : of its half of the view;
        px : of the image."""
        camera = rig.camera(run, row, *size)
        x, y, z = (float(value) for value in run.own_row(row)[:3])
        reach = 0.0 if rig.rides else scene.subject[3]
        own = images.gathered(replace(scene, subject=(x, y, z, reach)), run.place_at(row))
        self.image = renderer.draw(own, camera, *px, smooth)

    def paint(self, painter: QPainter, whole: QRectF, run: Run, other: Run, row: int) -> None:
        """Puts it at the right half of the view, with a line between, and the name and speed of both crafts."""
        half = QRectF(whole.center().x(), whole.top(), whole.width() / 2.0, whole.height())
        if self.image is not None:
            painter.drawImage(half, self.image)
        painter.fillRect(QRectF(half.left() - LINE / 2.0, half.top(), LINE, half.height()), theme.colour("oak"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        for one, left in ((run, whole.left()), (other, half.left())):
            speed = units.plain(float(traces.values(one, "speed")[row]), "m/s", 3)
            words = f"{one.job.single.heading}  {speed}"
            wide = QFontMetricsF(painter.font()).horizontalAdvance(words) + 16.0
            box = QRectF(left + 10.0, whole.bottom() - 32.0, wide, 22.0)
            painter.fillRect(box, theme.colour("card", 235))
            painter.setPen(theme.colour("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
