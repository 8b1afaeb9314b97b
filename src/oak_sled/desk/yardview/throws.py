"""Shots with their trails, bursts, and the volumes in which parts act, in the yard view."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from oak_sled.core.advice import preview
from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.context import Shot
from oak_sled.core.results import moments, rotations
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.camera import Camera

BURST_S = 0.35
"""s that a burst is seen."""


def flights(run: Run, row: int) -> list[tuple[Shot, Floats, bool]]:
    """Every shot so far: what sent it, its places up to a row, shape (n, 3), and whether it is still in flight."""
    found = []
    shots = {part.id: part.shot() for part in run.job.single.parts}
    for name in run.layout.shots:
        ages = run.column(f"shot.{name}.age")[: row + 1]
        places = run.columns(*(f"shot.{name}.position.{axis}" for axis in "xyz"))[: row + 1]
        flying = np.concatenate([[False], ages > 0.0, [False]])
        begins, ends = np.flatnonzero(~flying[:-1] & flying[1:]), np.flatnonzero(flying[:-1] & ~flying[1:])
        for begin, end in zip(begins, ends, strict=True):
            # a slot that is used again without a pause: a younger age is another shot
            cuts = np.flatnonzero(np.diff(ages[begin:end]) < 0.0) + begin + 1
            for first, last in zip([begin, *cuts], [*cuts, end], strict=True):
                found.append((shots[name.rpartition(".")[0]], places[first:last], last == row + 1))
    return found


def bursts(run: Run, row: int) -> list[tuple[Floats, float, float]]:
    """Bursts that are seen at a row: where, how far they reach, m, and how long ago, s."""
    found: list[tuple[Floats, float, float]] = []
    if not run.layout.shots:
        return found
    parts = {part.id: part for part in run.job.single.parts}
    for event in moments.events(run):
        ago = (row - event.row) * run.job.dt
        if event.word != "burst" or not 0.0 <= ago < BURST_S:
            continue
        launcher = parts[event.source]
        blast = parts.get(getattr(launcher, "blast", ""))
        reach = getattr(blast, "reach", 0.5)
        for name in run.layout.shots:
            ages = run.column(f"shot.{name}.age")
            if name.startswith(f"{event.source}.") and ages[event.row] < 0.0 < ages[event.row - 1]:
                place = run.columns(*(f"shot.{name}.position.{axis}" for axis in "xyz"))[event.row]
                found.append((place, reach, ago))
    return found


def paint(painter: QPainter, run: Run, row: int, camera: Camera, moving: bool) -> None:
    """Volumes, trails, shots and bursts of a run at a row."""
    _paint_volumes(painter, run, row, camera)
    ink = QColor(theme.family("impulse"))
    for shot, places, flying in flights(run, row):
        step = max(1, len(places) // 120)
        painter.setPen(
            QPen(
                theme.family("impulse"),
                1.4 if flying else 0.8,
                Qt.PenStyle.SolidLine if flying else Qt.PenStyle.DotLine,
            )
        )
        _line(painter, camera, places[::step])
        if flying:
            px, depth = camera.project(places[-1])
            if depth[0] > 0.1:
                size = max(2.5, 0.5 * shot.size / float(depth[0]) * camera.height)
                painter.setPen(QPen(theme.colour("ink"), 1.0))
                painter.setBrush(theme.colour("iron"))
                painter.drawEllipse(QPointF(*px[0]), size, size)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for place, reach, ago in bursts(run, row):
        px, depth = camera.project(place)
        if depth[0] > 0.1:
            share = ago / BURST_S
            size = reach * (0.25 + 0.75 * math.sqrt(share)) / float(depth[0]) * camera.height
            ink.setAlphaF(1.0 - 0.8 * share)
            painter.setPen(QPen(ink, 3.5 * (1.0 - share) + 1.0))
            painter.drawEllipse(QPointF(*px[0]), size, size)
    if not moving:
        _paint_aim(painter, run, row, camera)


def _paint_volumes(painter: QPainter, run: Run, row: int, camera: Camera) -> None:
    numbers = run.own_row(row)
    axes, position = rotations.rotation(numbers[3:7]), numbers[:3]
    centre = np.array(run.job.single.body.centre())
    for part in run.job.single.parts:
        lines = [] if part.mute else part.outline()
        if not lines:
            continue
        active = numbers[run.layout.own_place(f"{part.id}.activity")] > 0.0
        ink = QColor(theme.family("impulse"))
        ink.setAlphaF(0.95 if active else 0.4)
        painter.setPen(QPen(ink, 2.2 if active else 1.0, Qt.PenStyle.SolidLine if active else Qt.PenStyle.DashLine))
        for line in lines:
            _line(painter, camera, (line - centre) @ axes.T + position)


def _paint_aim(painter: QPainter, run: Run, row: int, camera: Camera) -> None:
    """Paints the path of the next shot of every launcher, and of the hook of every line."""
    for place, part in enumerate(run.job.single.parts):
        if part.thrown() is not None and not part.mute:
            _paint_throw(painter, run, row, place, camera)
        if part.shot() is not None and not part.mute:
            painter.setPen(QPen(theme.colour("soft"), 1.6, Qt.PenStyle.DotLine))
            path = preview.shot_path(run.job, place, preview.state_of(run, row))
            _line(painter, camera, path[:: max(1, len(path) // 80)])


def _paint_throw(painter: QPainter, run: Run, row: int, place: int, camera: Camera) -> None:
    """Paints where a hook would fly that is thrown now, and a ring where it would catch."""
    if run.own_row(row)[run.layout.own_place(f"{run.job.single.parts[place].id}.activity")] > 0.0:
        return  # it is out
    throw = preview.throw_path(run, row, place)
    painter.setPen(QPen(theme.family("tie"), 1.6, Qt.PenStyle.DotLine))
    _line(painter, camera, throw.path[:: max(1, len(throw.path) // 80)])
    px, depth = camera.project(throw.path[-1])
    if throw.catches and depth[0] > 0.1:
        painter.setPen(QPen(theme.family("tie"), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(*px[0]), 7.0, 7.0)
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(QPointF(*px[0]) + QPointF(11, 4), f"catches {throw.catches}")


def _line(painter: QPainter, camera: Camera, points: Floats) -> None:
    """A line through points in the world, as far as it lies before the eye."""
    px, depth = camera.project(points)
    made = QPolygonF()
    for (x, y), far in zip(px.tolist(), depth.tolist(), strict=True):
        if far > 0.1 and abs(x) < 1e5 and abs(y) < 1e5:
            made.append(QPointF(x, y))
        elif made:
            painter.drawPolyline(made)
            made = QPolygonF()
    if made:
        painter.drawPolyline(made)
