"""One picture of the yard view: where it lies in the view, the camera it is taken with, and what is drawn over it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter

from oak_sled.desk.yardview.camera import Camera


@dataclass
class Pane:
    """A picture of the view. left : px from the left edge of the view; camera : None before the first picture."""

    left: int = 0
    camera: Camera | None = None
    image: QImage | None = None
    boxes: list[tuple[QRectF, str]] = field(default_factory=list)
    """Boxes of the readouts, in the px of the picture, and the trace of each."""
    layer: QImage = field(default_factory=QImage)
    """Forces, readouts and names over the picture."""

    def holds(self, at: QPointF) -> bool:
        """True if a px of the view lies in this picture."""
        return self.camera is not None and self.left <= at.x() < self.left + self.camera.width

    def own(self, at: QPointF) -> QPointF:
        """A px of the view, in the px of the picture."""
        return at - QPointF(self.left, 0.0)

    def draw_over(self, ratio: float, draw: Callable[[QPainter], None]) -> None:
        """Fills the layer anew. ratio : px of the screen for each px of the view."""
        assert self.camera is not None
        size = QSize(round(self.camera.width * ratio), round(self.camera.height * ratio))
        if self.layer.size() != size:
            self.layer = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
            self.layer.setDevicePixelRatio(ratio)
        self.layer.fill(Qt.GlobalColor.transparent)
        painter = QPainter(self.layer)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw(painter)
        painter.end()

    def paint(self, painter: QPainter) -> None:
        """Puts the picture and its layer where they lie in the view."""
        if self.image is None or self.camera is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.left, 0.0, self.camera.width, self.camera.height), self.image)
        painter.drawImage(self.left, 0, self.layer)
