"""The yard as a drawing: paths from above with ghosts, and a side view, to scale and without OpenGL."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from oak_sled.core.assembly import railways
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels, orbits, rotations
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import freight, throws, volumepaint
from oak_sled.desk.yardview.camera import box_of
from oak_sled.desk.yardview.marks import pale, path_of, slide_marks


class Frame:
    """World metres to px: the same scale both ways, y up the page."""

    def __init__(self, box: QRectF, low: Floats, high: Floats, zoom: float = 1.0, shift: QPointF | None = None):
        size = np.maximum(high - low, 1e-6)
        self.scale = min(box.width() / size[0], box.height() / size[1]) * 0.9 * zoom
        self.middle = 0.5 * (low + high)
        self.centre = box.center() + (shift or QPointF(0, 0))

    def at(self, x: float, y: float) -> QPointF:
        """A point in px."""
        return QPointF(
            self.centre.x() + (x - self.middle[0]) * self.scale, self.centre.y() - (y - self.middle[1]) * self.scale
        )

    def place(self, px: QPointF) -> tuple[float, float]:
        """A px in metres."""
        return (
            float(self.middle[0] + (px.x() - self.centre.x()) / self.scale),
            float(self.middle[1] - (px.y() - self.centre.y()) / self.scale),
        )

    def path(self, points: Floats, breaks: float = 30.0) -> QPainterPath:
        """A path through points of shape (n, 2 or 3), parted where it jumps by more than `breaks` m."""
        made = QPainterPath()
        for place, (x, y) in enumerate(points[:, :2]):
            jump = place and math.hypot(x - points[place - 1][0], y - points[place - 1][1]) > breaks
            if place == 0 or jump:
                made.moveTo(self.at(x, y))
            else:
                made.lineTo(self.at(x, y))
        return made


def bounds(runs: list[Run]) -> tuple[Floats, Floats]:
    """The box of all paths with a margin; at least 12 m wide."""
    boxes = [box_of(run) for run in runs]
    low, high = np.min([box[0][:2] for box in boxes], axis=0), np.max([box[1][:2] for box in boxes], axis=0)
    grow = np.maximum(12.0 - (high - low), 4.0) / 2.0
    return low - grow, high + grow


def paint_plan(
    painter: QPainter,
    box: QRectF,
    run: Run,
    row: int,
    ghosts: list[Run],
    zoom: float = 1.0,
    shift: QPointF | None = None,
    twins: tuple[Run, ...] = (),
    others: tuple[Run, ...] = (),
) -> Frame:
    """The ground from above with walls, gates, paths, and the crafts to scale.

    twins : runs of other crafts in worlds of their own; others : the same run, from the other crafts in its world.
    """
    low, high = bounds([run, *ghosts, *twins, *others])
    for well in run.job.ground.wells:  # what it falls round belongs to the picture
        middle, far = np.array(well.middle()[:2]), well.radius
        low, high = np.minimum(low, middle - 1.1 * far), np.maximum(high, middle + 1.1 * far)
    frame = Frame(box, low, high, zoom, shift)
    painter.save()
    painter.setClipRect(box)
    _paint_grid(painter, box, frame)
    ground = run.job.ground
    volumepaint.paint_on_plan(painter, frame.at, frame.scale, ground, frozenset())
    volumepaint.paint_wind(painter, frame.at, frame.place, box, ground, float(run.place_at(row)[2]))
    painter.setPen(theme.pen("soft"))
    painter.setBrush(theme.colour("saw_ice"))
    for wall in ground.walls:
        painter.drawPolygon(_rectangle(frame, wall.x, wall.y, math.radians(wall.heading_deg), wall.length, wall.width))
    _paint_rails(painter, frame, run)
    _paint_blocks(painter, frame, run, row)
    if ground.edges != "open":
        x0, y0, x1, y1 = ground.edges_at()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("soft"), 1.5, Qt.PenStyle.DashLine))
        painter.drawRect(QRectF(frame.at(x0, y1), frame.at(x1, y0)))
    for gate in ground.gates:
        angle = math.radians(gate.heading_deg)
        dx, dy = -math.sin(angle) * gate.width / 2, math.cos(angle) * gate.width / 2
        ends = frame.at(gate.x + dx, gate.y + dy), frame.at(gate.x - dx, gate.y - dy)
        painter.setPen(QPen(theme.colour("rule"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(*ends)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("warning"))
        for end in ends:
            painter.drawEllipse(end, 2.5, 2.5)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for ghost in ghosts:
        painter.setPen(QPen(theme.colour(pale(ghost)), 1.4))
        painter.drawPath(frame.path(path_of(ghost, 0, ghost.ticks)))
    painter.setPen(QPen(theme.colour("soft", 150), 3))
    for feet, sliding in slide_marks(run, run.ticks):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], sliding.astype(int), [0]])))
        for begin, end in zip(edges[::2], edges[1::2], strict=True):
            painter.drawPath(frame.path(feet[begin:end]))
    for one in (run, *others):
        _paint_orbit(painter, frame, one, row)
    painter.setPen(QPen(theme.colour("oak"), 2))
    painter.drawPath(frame.path(path_of(run, 0, run.ticks)))
    for _, places, flying in throws.flights(run, run.ticks):
        painter.setPen(QPen(theme.family("impulse"), 1.4 if flying else 1.0, Qt.PenStyle.DotLine))
        painter.drawPath(frame.path(places[:: max(1, len(places) // 60)]))
    for other in others:
        painter.setPen(QPen(theme.colour("oak_light"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(frame.path(path_of(other, 0, other.ticks)))
        _paint_craft(painter, frame, other, row)
    _paint_craft(painter, frame, run, row)
    for twin in twins:
        painter.setPen(QPen(theme.colour("good"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(frame.path(path_of(twin, 0, twin.ticks)))
        _paint_craft(painter, frame, twin, min(row, twin.ticks))
    painter.restore()
    return frame


def _paint_grid(painter: QPainter, box: QRectF, frame: Frame) -> None:
    step = next((s for s in (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0) if s * frame.scale >= 34), 1000.0)
    painter.setPen(theme.pen("shade"))
    left = frame.middle[0] + (box.left() - frame.centre.x()) / frame.scale
    right = frame.middle[0] + (box.right() - frame.centre.x()) / frame.scale
    low = frame.middle[1] - (box.bottom() - frame.centre.y()) / frame.scale
    high = frame.middle[1] - (box.top() - frame.centre.y()) / frame.scale
    for k in range(math.ceil(left / step), math.floor(right / step) + 1):
        painter.drawLine(frame.at(k * step, low), frame.at(k * step, high))
    for k in range(math.ceil(low / step), math.floor(high / step) + 1):
        painter.drawLine(frame.at(left, k * step), frame.at(right, k * step))
    painter.setPen(theme.pen("ink", 1.4))
    foot = QPointF(box.left() + 14, box.bottom() - 12)
    painter.drawLine(foot, foot + QPointF(step * frame.scale, 0))
    for x in (0.0, step * frame.scale):
        painter.drawLine(foot + QPointF(x, -3), foot + QPointF(x, 3))
    painter.setFont(theme.font(10))
    painter.drawText(foot + QPointF(4, -5), units.plain(step, "m"))


def turned_rectangle(centre: QPointF, half_length: float, half_width: float, angle: float) -> QPolygonF:
    """A rectangle on the paper, px: its corners left and right of its front, then of its back. angle : rad, to the
    left."""
    cos, sin = math.cos(angle), math.sin(angle)
    ahead, across = QPointF(half_length * cos, -half_length * sin), QPointF(-half_width * sin, -half_width * cos)
    return QPolygonF([centre + ahead * a + across * b for a, b in ((1, 1), (-1, 1), (-1, -1), (1, -1))])


def _rectangle(frame: Frame, x: float, y: float, angle: float, length: float, width: float) -> QPolygonF:
    return turned_rectangle(frame.at(x, y), 0.5 * length * frame.scale, 0.5 * width * frame.scale, angle)


BLOCK_INKS = {"free": "oak_light", "fixed": "saw_ice", "driven": "iron"}
"""Fill of a block seen from above, by how it moves; a trigger is an outline."""


def _paint_rails(painter: QPainter, frame: Frame, run: Run) -> None:
    """Paints the rails of the ground of a run."""
    painter.save()
    painter.setPen(QPen(theme.family("tie"), 1.8))
    for path in railways.of(run.job.ground).paths:
        painter.drawPath(frame.path(path.points[:, :2]))
    painter.restore()


def _paint_orbit(painter: QPainter, frame: Frame, run: Run, row: int) -> None:
    """Paints the orbit on which a craft goes on from a row, with its lowest and highest point."""
    found = orbits.at_row(run, row)
    if found is None:
        return
    painter.save()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour("good"), 1.4, Qt.PenStyle.DashLine))
    points = found.path()
    painter.drawPath(frame.path(points, math.inf))
    painter.setFont(theme.font(10))
    painter.setPen(theme.colour("good"))
    painter.setBrush(theme.colour("good"))
    for angle, height in ((0.0, found.low), (math.pi, found.high)):
        if math.isfinite(height) and found.elements.eccentricity > MARKED:
            x, y, _ = found.middle + found.elements.places(np.array([angle]))[0]
            painter.drawEllipse(frame.at(x, y), 3.0, 3.0)
            painter.drawText(frame.at(x, y) + QPointF(6, -4), units.show(height, "m"))
    painter.restore()


MARKED = 0.005
"""Eccentricity from which on the lowest and the highest point of an orbit are marked."""


def _paint_blocks(painter: QPainter, frame: Frame, run: Run, row: int) -> None:
    """Paints the blocks on the ground, where the run has them at the row."""
    places = dict(zip(run.layout.blocks, freight.places(run, row), strict=False))
    painter.save()
    painter.setPen(theme.pen("ink", 1.0))
    for one in run.job.ground.blocks:
        x, y, angle = one.x, one.y, math.radians(one.heading_deg)
        if one.id in places:
            axes = rotations.rotation(places[one.id][3:7])
            middle = places[one.id][:3] - axes @ one.centre()
            x, y, angle = float(middle[0]), float(middle[1]), math.atan2(axes[1, 0], axes[0, 0])
        ink = BLOCK_INKS.get(one.moves)
        painter.setBrush(theme.colour(ink) if ink else Qt.BrushStyle.NoBrush)
        half = one.half_extents()
        if one.shape in ("ball", "cylinder"):
            painter.drawEllipse(frame.at(x, y), half[0] * frame.scale, half[0] * frame.scale)
        else:
            painter.drawPolygon(_rectangle(frame, x, y, angle, 2.0 * half[0], 2.0 * half[1]))
    painter.restore()


def _paint_craft(painter: QPainter, frame: Frame, run: Run, row: int) -> None:
    numbers = run.own_row(row)
    axes = rotations.rotation(numbers[3:7])
    angle = math.atan2(axes[1, 0], axes[0, 0])
    half = run.job.single.body.half_extents()
    length = max(2 * half[0], 9.0 / frame.scale)
    width = max(2 * half[1], 6.0 / frame.scale)
    painter.setPen(theme.pen("ink", 1.2))
    painter.setBrush(theme.colour("wood"))
    painter.drawPolygon(_rectangle(frame, numbers[0], numbers[1], angle, length, width))
    nose = frame.at(numbers[0] + math.cos(angle) * length * 0.75, numbers[1] + math.sin(angle) * length * 0.75)
    painter.drawLine(frame.at(numbers[0], numbers[1]), nose)
    v = numbers[7:9]
    if np.linalg.norm(v) > 0.3:
        painter.setPen(QPen(theme.colour("ink"), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(frame.at(numbers[0], numbers[1]), frame.at(numbers[0] + v[0] * 0.7, numbers[1] + v[1] * 0.7))


def paint_side(painter: QPainter, box: QRectF, run: Run, row: int) -> None:
    """The path from the side: distance along x against height."""
    x, z = run.column("position.x"), run.column("position.z")
    (west, east), high = box_of(run), levels.heights(run)
    if run.job.ground.is_space:
        low, top = west[[0, 2]] - 3.0, east[[0, 2]] + 3.0
        for well in run.job.ground.wells:
            middle = np.array([well.x, well.middle()[2]])
            low, top = np.minimum(low, middle - well.radius), np.maximum(top, middle + well.radius)
        frame = Frame(box.adjusted(0, 14, 0, -4), low, top)
    else:
        low, top = np.array([west[0] - 3.0, -0.5]), np.array([east[0] + 3.0, max(east[2] + 1.0, 3.0)])
        frame = Frame(box.adjusted(0, 14, 0, -16), low, top)
        frame.centre = QPointF(frame.centre.x(), box.bottom() - 22 - frame.middle[1] * frame.scale)
    painter.save()
    painter.setClipRect(box)
    painter.setPen(theme.pen("rule"))
    painter.drawLine(box.topLeft(), box.topRight())
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour("soft"))
    painter.drawText(
        QPointF(box.left() + 12, box.top() + 15), f"from the side · height {units.fixed(high[row], 'm', 2)}"
    )
    painter.setPen(theme.pen("ink", 1.2))
    if not run.job.ground.is_space:
        ground = frame.at(0.0, 0.0).y()
        painter.drawLine(QPointF(box.left(), ground), QPointF(box.right(), ground))
    painter.setBrush(theme.colour("saw_ice"))
    for well in run.job.ground.wells:
        painter.drawEllipse(frame.at(well.x, well.middle()[2]), well.radius * frame.scale, well.radius * frame.scale)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    step = max(1, len(x) // 800)
    painter.setPen(QPen(theme.colour("oak"), 1.6))
    painter.drawPath(frame.path(np.stack([x[::step], z[::step]], axis=1)))
    painter.setPen(QPen(theme.family("impulse"), 1.0))
    for _, places, _ in throws.flights(run, run.ticks):
        painter.drawPath(frame.path(places[:: max(1, len(places) // 60), [0, 2]]))
    for name in run.layout.blocks:
        if name in run.job.drill.watch:
            painter.drawPath(frame.path(run.columns(f"block.{name}.position.x", f"block.{name}.position.z")[::step]))
    half = run.job.single.body.half_extents()
    wide, tall = max(2 * half[0] * frame.scale, 9.0), max(2 * half[2] * frame.scale, 4.0)
    at = frame.at(x[row], z[row])
    painter.setPen(theme.pen("ink"))
    painter.setBrush(theme.colour("wood"))
    painter.drawRect(QRectF(at.x() - wide / 2, at.y() - tall / 2, wide, tall))
    painter.restore()
