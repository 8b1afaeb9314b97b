"""Ties over the picture: straight while they pull, sagging while they are slack, gone once they are broken."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import tieends
from oak_sled.core.results.run import Run
from oak_sled.core.results.tieends import TieEnds
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.arrows import Labels
from oak_sled.desk.yardview.camera import Camera

POINTS = 13
"""Points of a drawn tie."""


def paint(painter: QPainter, run: Run, row: int, camera: Camera, labels: Labels | None) -> None:
    """Every tie that is not broken; with what it bears where `labels` are given."""
    ink = theme.family("tie")
    for one in tieends.at_row(run, row):
        if one.shown.get("broken", 0.0) > 0.0:
            continue
        px, depth = camera.project(points_of(one))
        if depth.min() <= 0.1:
            continue
        load = one.shown[one.tie.LOAD]
        painter.setPen(QPen(ink, 2.4 if load != 0.0 else 1.6))
        painter.drawPolyline(QPolygonF([QPointF(*at) for at in px.tolist()]))
        if labels is not None and load != 0.0:
            middle = QPointF(*px[POINTS // 2])
            labels.draw(painter, middle, f"{one.tie.heading} {units.show(load, 'N')}", ink)


def points_of(one: TieEnds) -> Floats:
    """The line of a tie, m, world axes, shape (POINTS, 3): a parabola about as long as the tie is, which hangs down to
    the ground at most."""
    share = np.linspace(0.0, 1.0, POINTS)[:, None]
    line = one.one + share * (one.other - one.one)
    apart = float(np.linalg.norm(one.other - one.one))
    spare = length_of(one) - apart
    if one.tie.SAGS and one.shown[one.tie.LOAD] <= 0.0 and spare > 0.0:
        sag = math.sqrt(3.0 / 8.0 * spare * max(apart, spare))  # of a shallow parabola: 8/3 sag^2 / apart longer
        line[:, 2] = np.maximum(line[:, 2] - 4.0 * sag * (share * (1.0 - share))[:, 0], np.minimum(line[:, 2], 0.02))
    return np.asarray(line)


def length_of(one: TieEnds) -> float:
    """The length that a tie may have, m."""
    tie = one.tie
    own = float(getattr(tie, "length", 0.0))
    return own if own > 0.0 else math.dist(tie.begin, tie.end)
