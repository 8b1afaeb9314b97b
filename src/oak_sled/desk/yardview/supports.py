"""Supports of a craft on rays, over the picture: a spring from each mount to what it found, or that it finds none."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.core.tick.rowlayout import RAY
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.camera import Camera

TURNS = 6
"""Turns of a drawn spring."""


Ray = tuple[str, bool, Floats, Floats, float]
"""A ray: its name, whether it touches, its mount and its hit, m, world axes, and its load, N."""


def seen(run: Run, numbers: Floats) -> list[Ray]:
    """Every ray in a recorded row. numbers : the own row of a craft, shape (n,)."""
    found: list[Ray] = []
    axes, craft = rotations.rotation(numbers[3:7]), run.job.single
    centre, words = np.array(craft.body.centre()), traces.ray_words(craft)
    for part in craft.parts:
        for number, (ray, word) in enumerate(zip(part.rays(), words.get(part.id, ()), strict=True), start=1):
            if ray.senses:
                continue
            place = run.layout.own_place(f"{part.id}.{number}.gap")
            gap, _, force, *point = numbers[place : place + RAY].tolist()
            mount = numbers[:3] + axes @ (np.array(ray.at) - centre)
            found.append((word, gap < ray.reach, mount, np.array(point), force))
    return found


def paint(painter: QPainter, run: Run, numbers: Floats, camera: Camera, rays: list[Ray]) -> None:
    """Springs of the rays that touch; a dotted line with an open end for one that finds nothing."""
    _paint_masts(painter, run, numbers, camera)
    if not rays:
        return
    px, depth = camera.project(np.array([spot for _, _, mount, point, _ in rays for spot in (mount, point)]))
    ink = theme.family("support")
    for k, (_, touches, *_) in enumerate(rays):
        if min(depth[2 * k], depth[2 * k + 1]) <= 0.1:
            continue
        top, foot = QPointF(*px[2 * k]), QPointF(*px[2 * k + 1])
        if touches:
            painter.setPen(QPen(ink, 1.8))
            painter.drawPolyline(_spring(top, foot))
            painter.setBrush(ink)
            painter.drawEllipse(foot, 2.5, 2.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            painter.setPen(QPen(theme.colour("warning"), 1.4, Qt.PenStyle.DotLine))
            painter.drawLine(top, foot)
            painter.setPen(QPen(theme.colour("warning"), 1.6))
            painter.drawEllipse(foot, 4.0, 4.0)


def _paint_masts(painter: QPainter, run: Run, numbers: Floats, camera: Camera) -> None:
    """A line from where a payload starts to where it is held now."""
    craft = run.job.single
    axes, centre = rotations.rotation(numbers[3:7]), np.array(craft.body.centre())
    for part in craft.parts:
        moved = part.load_path()
        if moved is None:
            continue
        share = float(numbers[run.layout.own_place(f"{part.id}.activity")])
        ends = np.array(moved)
        ends[1] = ends[0] + share * (ends[1] - ends[0])
        px, depth = camera.project((ends - centre) @ axes.T + numbers[:3])
        if min(depth) > 0.1:
            painter.setPen(QPen(theme.family("tie"), 2.4))
            painter.drawLine(QPointF(*px[0]), QPointF(*px[1]))


def _spring(top: QPointF, foot: QPointF) -> QPolygonF:
    """A zigzag from one point to another, px."""
    dx, dy = foot.x() - top.x(), foot.y() - top.y()
    size = math.hypot(dx, dy)
    if size < 6.0:
        return QPolygonF([top, foot])
    wide = min(6.0, 0.25 * size)
    x, y, over_x, over_y = top.x(), top.y(), -dy / size * wide, dx / size * wide
    middle = []
    for k in range(2 * TURNS):
        share, side = (k + 0.5) / (2 * TURNS), 1.0 if k % 2 else -1.0
        middle.append(QPointF(x + share * dx + side * over_x, y + share * dy + side * over_y))
    return QPolygonF([top, *middle, foot])
