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

NEAR_BREAK = 0.8
"""Share of its breaking load from which on a tie is drawn as one that may break."""
POINTS = 13
"""Points of a drawn tie."""


def paint(painter: QPainter, run: Run, row: int, camera: Camera, labels: Labels | None) -> None:
    """Every tie that is not broken; with what it bears where `labels` are given."""
    ink = theme.family("tie")
    for one in tieends.at_row(run, row):
        if not one.is_there:
            continue
        points = points_of(one)
        if len(one.bends):
            points = np.vstack([one.one, one.bends, one.other])
        px, depth = camera.project(points)
        if depth.min() <= 0.1:
            continue
        load = one.shown[one.tie.LOAD]
        share = abs(load) / one.tie.limit() if one.tie.limit() > 0.0 else 0.0
        drawn = theme.family("impulse") if share > NEAR_BREAK else ink
        painter.setPen(QPen(drawn, (2.4 if load != 0.0 else 1.6) + 2.0 * min(share, 1.0)))
        painter.drawPolyline(QPolygonF([QPointF(*at) for at in px.tolist()]))
        for at in px[1:-1].tolist() if one.shown.get("wraps", 0.0) > 0.0 else ():
            painter.drawEllipse(QPointF(*at), 2.5, 2.5)
        named = one.is_thrown  # by the arrow of its part
        if labels is not None and load != 0.0 and not named:
            middle = QPointF(*px[len(px) // 2])
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
