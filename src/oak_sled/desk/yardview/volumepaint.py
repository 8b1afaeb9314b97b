"""Volumes of a ground over the picture and on plans: their edges, their names, the surface of water, and wind."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from oak_sled.core.assembly import airflow
from oak_sled.core.assembly.airflow import Airflow
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.run import Run
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.volume import Volume
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.arrows import Labels
from oak_sled.desk.yardview.camera import Camera

AROUND = 3
"""Streaks of wind to each side of the craft."""
APART = 0.55
"""Distance of streaks over that of the eye from the craft."""
CALM = 0.3
"""m/s below which a wind is not drawn."""
FLIES = 0.12
"""s that a streak is long."""
SCATTER = np.array([[12.9, 78.2, 37.7], [39.3, 11.1, 83.2], [73.2, 52.2, 9.15]])
"""Numbers by which cells get places of their own."""
RIPPLES = 9
"""Ripples of water to each side of the craft."""


def ink_of(one: Volume) -> QColor:
    """The ink of a volume."""
    return QColor(theme.family(one.FAMILY_OF[one.does]))


@functools.lru_cache(maxsize=4)
def air_of(ground: Ground) -> Airflow:
    """The air of a ground, packed once."""
    return Airflow(ground)


def paint(painter: QPainter, run: Run, row: int, camera: Camera, labels: Labels | None) -> None:
    """Edges and names of the volumes, ripples of water, and streaks of the wind round the craft, at a row of a run."""
    ground = run.job.ground
    for one in ground.volumes:
        if not one.everywhere:
            _paint_edges(painter, one, camera, labels)
        if one.does == "water":
            _paint_ripples(painter, one, run.place_at(row), camera)
    if airflow.blows(ground):
        _paint_streaks(painter, ground, run, row, camera)


def edges_of(one: Volume) -> list[Floats]:
    """Lines along the edges of a volume, m, world axes, shape (n, 3) each."""
    a, b, c = one.half_extents()
    turn = np.linspace(0.0, 2.0 * math.pi, 33)
    cos, sin, none = np.cos(turn), np.sin(turn), np.zeros(33)
    if one.shape == "box":
        ring = np.array([[a, b], [-a, b], [-a, -b], [a, -b], [a, b]])
        own = [np.column_stack([ring, np.full(5, z)]) for z in (-c, c)]
        own += [np.array([[x, y, -c], [x, y, c]]) for x, y in ring[:4]]
    elif one.shape == "cylinder":
        own = [np.column_stack([a * cos, a * sin, np.full(33, z)]) for z in (-c, c)]
        own += [np.array([[x, y, -c], [x, y, c]]) for x, y in ((a, 0.0), (-a, 0.0), (0.0, a), (0.0, -a))]
    else:
        own = [np.column_stack(way) * a for way in ((cos, sin, none), (cos, none, sin), (none, cos, sin))]
    cos_of, sin_of = math.cos(math.radians(one.heading_deg)), math.sin(math.radians(one.heading_deg))
    axes = np.array([[cos_of, -sin_of, 0.0], [sin_of, cos_of, 0.0], [0.0, 0.0, 1.0]])
    return [line @ axes.T + np.array(one.middle()) for line in own]


def _paint_edges(painter: QPainter, one: Volume, camera: Camera, labels: Labels | None) -> None:
    ink = ink_of(one)
    painter.setPen(QPen(ink, 1.4, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for line in edges_of(one):
        # a long edge is drawn in pieces, so that what lies behind the eye leaves the rest
        steps = np.linspace(0.0, 1.0, 9)[:, None]
        for first, last in zip(line[:-1], line[1:], strict=True):
            px, depth = camera.project(first + steps * (last - first) if len(line) < 6 else np.stack([first, last]))
            for k in range(len(px) - 1):
                if min(depth[k], depth[k + 1]) > 0.1:
                    painter.drawLine(QPointF(*px[k]), QPointF(*px[k + 1]))
    if labels is not None:
        x, y, z = one.middle()
        px, depth = camera.project(np.array([[x, y, z + one.half_extents()[2]]]))
        if depth[0] > 0.1:
            labels.draw(painter, QPointF(*px[0]), one.heading, ink)


def _paint_ripples(painter: QPainter, one: Volume, at: Floats, camera: Camera) -> None:
    """Short dashes on the surface of water, at places that stay where they are."""
    top = one.z + 2.0 * one.half_extents()[2]
    step = max(0.08 * float(np.linalg.norm(camera.eye - at)), 0.4)
    x0, y0 = (round(float(at[k]) / step) for k in (0, 1))
    k = np.arange(-RIPPLES, RIPPLES + 1)
    gx, gy = np.meshgrid((x0 + k) * step, (y0 + k) * step)
    gx = gx + 0.5 * step * ((np.round(gy / step) % 2.0) - 0.5)  # every other row aside, as waves lie
    places = np.column_stack([gx.ravel(), gy.ravel(), np.full(gx.size, top)])
    if not one.everywhere:
        angle, half = math.radians(one.heading_deg), one.half_extents()
        dx, dy = places[:, 0] - one.x, places[:, 1] - one.y
        u, v = dx * math.cos(angle) + dy * math.sin(angle), dy * math.cos(angle) - dx * math.sin(angle)
        places = places[(np.abs(u) < half[0]) & (np.abs(v) < half[1])]
    if not len(places):
        return
    ink = ink_of(one)
    ink.setAlphaF(0.55)
    painter.setPen(QPen(ink, 1.4))
    _draw_dashes(painter, camera, places, places + [0.3 * step, 0.0, 0.0])


def _paint_streaks(painter: QPainter, ground: Ground, run: Run, row: int, camera: Camera) -> None:
    """Short lines that the wind carries along, round the craft."""
    time, at = row * run.job.dt, run.place_at(row)
    step = max(APART * float(np.linalg.norm(camera.eye - at)) / 2.0, 0.8)
    k = np.arange(-AROUND, AROUND + 1)
    grid = np.stack(np.meshgrid(k, k, np.arange(-1, 2)), axis=-1).reshape(-1, 3)
    cell = np.round(at / step) + grid
    # each cell has its streak at a place of its own
    dice = np.modf(4e3 * np.abs(np.sin(cell @ SCATTER)))[0]
    places = (cell + dice - 0.5) * step
    air = air_of(ground)
    wind = air.at(places, time)
    mean = wind.mean(axis=0)
    # all are carried by the wind in the mean, and come in again on the other side of their cell
    places = places + (np.mod(mean * time / step + 0.5, 1.0) - 0.5) * step
    wind = air.at(places, time)
    there = (np.linalg.norm(wind, axis=1) > CALM) & (places[:, 2] > 0.05 if ground.floor else True)
    if not there.any():
        return
    ink = QColor(theme.family("air"))
    ink.setAlphaF(0.5)
    painter.setPen(QPen(ink, 1.3))
    _draw_dashes(painter, camera, places[there], places[there] + FLIES * wind[there])


def _draw_dashes(painter: QPainter, camera: Camera, begins: Floats, ends: Floats) -> None:
    """Lines between points, m, shape (n, 3) each, that lie before the eye."""
    px, depth = camera.project(np.concatenate([begins, ends]))
    n = len(begins)
    seen = (depth[:n] > 0.3) & (depth[n:] > 0.3)
    for k in np.flatnonzero(seen).tolist():
        painter.drawLine(QLineF(*px[k], *px[n + k]))


# plans


def paint_on_plan(
    painter: QPainter, at: Callable[[float, float], QPointF], scale: float, ground: Ground, chosen: frozenset[str]
) -> None:
    """Outlines, tints and names of the volumes from above. at : metres to px. scale : px of a metre. chosen : the names
    of those in hand."""
    for one in ground.volumes:
        paint_one(painter, at, scale, one, one.id in chosen)


def paint_one(
    painter: QPainter, at: Callable[[float, float], QPointF], scale: float, one: Volume, chosen: bool
) -> None:
    """One volume from above: one without edges as its name only."""
    ink = ink_of(one)
    painter.setPen(QPen(ink, 2.4 if chosen else 1.4, Qt.PenStyle.DashLine))
    tint = QColor(ink)
    tint.setAlphaF(0.10)
    a, b, _ = one.half_extents()
    if not one.everywhere:
        painter.setBrush(tint)
        if one.shape == "box":
            turn = math.radians(one.heading_deg)
            cos, sin = math.cos(turn), math.sin(turn)
            ring = [(a, b), (-a, b), (-a, -b), (a, -b)]
            painter.drawPolygon(QPolygonF([at(one.x + u * cos - v * sin, one.y + u * sin + v * cos) for u, v in ring]))
        else:
            painter.drawEllipse(at(one.x, one.y), a * scale, a * scale)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    way = one.way()
    flat = math.hypot(way[0], way[1])
    if one.does in ("wind", "boost", "launch") and flat > 1e-6:
        long = 30.0 / scale
        _arrow(painter, at(one.x, one.y), at(one.x + long * way[0], one.y + long * way[1]), ink)
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(ink)
    words = one.heading + (" · everywhere" if one.everywhere else "")
    wide = painter.fontMetrics().horizontalAdvance(words)
    middle = at(one.x, one.y)
    painter.drawText(QPointF(middle.x() - 0.5 * wide, middle.y() - 8.0), words)


def paint_wind(
    painter: QPainter, at: Callable[[float, float], QPointF], place: Callable[[QPointF], tuple[float, float]],
    box: QRectF, ground: Ground, height: float,
) -> None:  # fmt: skip
    """Arrows of the wind at a height, m, on a plan, where there is any. at, place : metres to px and back."""
    if not airflow.blows(ground):
        return
    spots = [QPointF(x, y) for x in np.arange(box.left() + 40, box.right(), 80.0) for y in
             np.arange(box.top() + 40, box.bottom(), 80.0)]  # fmt: skip
    places = np.array([[*place(spot), height] for spot in spots])
    wind = air_of(ground).at(places, 0.0)
    size = np.hypot(wind[:, 0], wind[:, 1])
    most = float(size.max(initial=0.0))
    if most < CALM:
        return
    ink = QColor(theme.family("air"))
    ink.setAlphaF(0.75)
    for spot, (x, y, _), speed in zip(spots, wind, size, strict=True):
        if speed > CALM:
            long = (8.0 + 22.0 * speed / most) / speed
            tip = QPointF(spot.x() + long * x, spot.y() - long * y)
            _arrow(painter, spot, tip, ink)


def _arrow(painter: QPainter, begin: QPointF, tip: QPointF, ink: QColor) -> None:
    painter.setPen(QPen(ink, 1.4))
    painter.drawLine(begin, tip)
    way = tip - begin
    size = math.hypot(way.x(), way.y()) or 1.0
    ux, uy = way.x() / size, way.y() / size
    painter.setBrush(ink)
    back = QPointF(tip.x() - 7.0 * ux, tip.y() - 7.0 * uy)
    painter.drawPolygon(QPolygonF([tip, back + QPointF(-3.5 * uy, 3.5 * ux), back + QPointF(3.5 * uy, -3.5 * ux)]))
    painter.setBrush(Qt.BrushStyle.NoBrush)
