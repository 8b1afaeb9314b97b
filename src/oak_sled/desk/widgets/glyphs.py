"""Small shapes that several pictures draw, since fonts lack them."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

STAR = (6.5, 2.8)
"""px from the middle of a star to its points, and to the notches between them."""


def star(middle: QPointF) -> QPolygonF:
    """A star of five points."""
    points = []
    for k in range(10):
        angle = 0.5 * math.pi + k * math.pi / 5.0
        points.append(middle + STAR[k % 2] * QPointF(math.cos(angle), -math.sin(angle)))
    return QPolygonF(points)
