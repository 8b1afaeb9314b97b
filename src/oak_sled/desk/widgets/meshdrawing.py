"""A body of a mesh as a working drawing: the mesh filled, its collision shape in line over it, and what it weighs."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.desk.widgets import theme

VIEWS = ((0, 1, "from above"), (0, 2, "from the right"))
LINE = 16
MOST_DRAWN = 1500
"""Triangles of the drawing; a finer mesh is drawn with every n-th."""


def outline(points: Floats) -> Floats:
    """The convex outline of points in a plane, anticlockwise, shape (n, 2) (Andrew's monotone chain)."""
    ordered = [tuple(point) for point in np.unique(np.round(points, 9), axis=0)]
    chains: list[list[tuple[float, ...]]] = []
    for run in (ordered, ordered[::-1]):
        chain: list[tuple[float, ...]] = []
        for p in run:
            while len(chain) > 1 and _turns_right(chain[-2], chain[-1], p):
                chain.pop()
            chain.append(p)
        chains.append(chain[:-1])
    return np.array(chains[0] + chains[1])


def _turns_right(a: tuple[float, ...], b: tuple[float, ...], c: tuple[float, ...]) -> bool:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) <= 0.0


class MeshDrawing(QWidget):
    """Two views of a body, with its centre of mass and the gap between mesh and hulls."""

    def __init__(self, tall: int = 74, parent: QWidget | None = None):
        super().__init__(parent)
        self.tall = tall  # px of each view
        self.body: Block | Body | None = None
        self.setFixedHeight(2 * tall + 3 * LINE + 6)
        self.setAccessibleName("mesh and its hulls")

    def show_body(self, body: Block | Body) -> None:
        """Draws another body."""
        if body != self.body:
            self.body = body
            self.update()

    def words(self) -> list[str]:
        """The collision shape, and mass and centre."""
        body = self.body
        if body is None or body.mesh is None:
            return []
        if body.fit == "triangles":
            return [f"{body.mesh.triangles} triangle mesh, collides as ground", "of the ground's own material"]
        fitted = body.fitted()
        count = len(fitted.pieces)
        gap = (
            "open surface"
            if fitted.too_much is None
            else f"{round(100 * fitted.too_much) + 0:+d} % of the mesh's volume"
        )
        shape = {"box": "a box", "ball": "a ball"}.get(body.fit, f"{count} hull{'s' if count > 1 else ''}")
        centre = " ".join(f"{value:+.2f}" for value in body.centre())
        return [f"{shape} · {gap}", f"centre of mass {centre} m", f"volume {units.show(fitted.bulk.volume, 'm3')}"]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        body = self.body
        if body is None or body.mesh is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        half = body.half_extents()
        triangles = body.mesh.within(half)
        triangles = triangles[:: max(1, len(triangles) // MOST_DRAWN)]
        tall = float(self.tall)
        for place, (across, up, name) in enumerate(VIEWS):
            box = QRectF(0, place * tall, self.width(), tall)
            scale = min((box.width() - 16) / (2 * half[across]), (box.height() - 24) / (2 * half[up]))
            self._paint_view(painter, box, scale, triangles[:, :, [across, up]], (across, up))
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("desk_soft"))
            painter.drawText(QPointF(0, box.top() + 10), name)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("good_light"))
        for place, line in enumerate(self.words()):
            painter.drawText(QPointF(0, 2 * tall + 13 + LINE * place), line)

    def _paint_view(self, painter: QPainter, box: QRectF, scale: float, flat: Floats, axes: tuple[int, int]) -> None:
        body = self.body
        assert body is not None

        def at(spot: Floats) -> QPointF:
            middle = box.center()
            return QPointF(middle.x() + spot[0] * scale, middle.y() + 5 - spot[1] * scale)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("desk_soft"))
        for triangle in flat:
            painter.drawPolygon(QPolygonF([at(corner) for corner in triangle]))
        if body.fit == "triangles":
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("oak_light"), 1.6))
        fitted = body.fitted()
        for corners in fitted.corners:
            if body.fit == "ball":
                radius = float(np.max(np.linalg.norm(corners, axis=1))) * scale
                painter.drawEllipse(at(np.zeros(2)), radius, radius)
            else:
                painter.drawPolygon(QPolygonF([at(spot) for spot in outline(corners[:, axes])]))
        mark = at(np.array(body.centre())[list(axes)])
        painter.setPen(QPen(theme.colour("warning_light"), 1.6))
        painter.drawLine(mark - QPointF(5, 0), mark + QPointF(5, 0))
        painter.drawLine(mark - QPointF(0, 5), mark + QPointF(0, 5))
