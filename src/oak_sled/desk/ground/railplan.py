"""Rails on the plan of a ground: their line, their knots as handles, and what a drag makes of a knot."""

from __future__ import annotations

import math
from typing import Protocol

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from oak_sled.core.assembly import ground_shape, railways
from oak_sled.core.base import units
from oak_sled.core.geometry.railpath import Path
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rail import Rail
from oak_sled.desk.drawing.grid import rounded
from oak_sled.desk.widgets import theme

NEAR = 7.0
"""px from the line of a rail within which it is picked."""
GAUGE = 0.7
"""m between the two lines that are drawn of a rail, where that is wide enough to see."""


class OnPlan(Protocol):
    """The plan as rails need it."""

    @property
    def ground(self) -> Ground: ...
    def scale(self) -> float: ...
    def at(self, x: float, y: float) -> QPointF: ...
    def place(self, px: QPointF) -> tuple[float, float]: ...


def path_of(ground: Ground, rail: Rail) -> Path | None:
    """The line of a rail of a ground; None while the ground under it is not laid yet."""
    if rail.lies == "ground" and not ground_shape.is_ready(ground):
        return None
    made = railways.of(ground)
    number = made.number(rail.id)
    return made.paths[number] if number >= 0 else None


def line_of(plan: OnPlan, rail: Rail) -> list[QPointF]:
    """The line of a rail, px; through its knots alone while it is not laid yet."""
    path = path_of(plan.ground, rail)
    points = [(knot.x, knot.y) for knot in rail.knots] if path is None else path.points[:, :2].tolist()
    return [plan.at(x, y) for x, y in points]


def is_near(plan: OnPlan, rail: Rail, at: QPointF) -> bool:
    """True if the line of a rail passes near a px."""
    line = line_of(plan, rail)
    return any(_gap(line[k], line[k + 1], at) < NEAR for k in range(len(line) - 1))


def _gap(a: QPointF, b: QPointF, at: QPointF) -> float:
    """px of a point from a stretch of a line."""
    way, off = b - a, at - a
    long = way.x() ** 2 + way.y() ** 2
    share = min(max((way.x() * off.x() + way.y() * off.y()) / long, 0.0), 1.0) if long > 0.0 else 0.0
    return math.hypot(off.x() - share * way.x(), off.y() - share * way.y())


def handles(plan: OnPlan, rail: Rail) -> dict[str, QPointF]:
    """A handle for each knot, and one for the tangent of each that is set, px."""
    found = {}
    for number, knot in enumerate(rail.knots):
        at = plan.at(knot.x, knot.y)
        if knot.tangent == "set":
            turn = math.radians(knot.heading_deg)
            found[f"tangent{number}"] = at + QPointF(34.0 * math.cos(turn), -34.0 * math.sin(turn))
    for number, knot in enumerate(rail.knots):
        found[f"knot{number}"] = plan.at(knot.x, knot.y)
    return found


def dragged(rail: Rail, name: str, x: float, y: float, step: float) -> Rail:
    """A rail whose handle `name` is dragged to a place, m, rounded to `step` m."""
    number = int(name.removeprefix("knot").removeprefix("tangent"))
    knot = rail.knots[number]
    if name.startswith("knot"):
        knot = knot.replace(x=rounded(x, step), y=rounded(y, step))
    else:
        angle = math.degrees(math.atan2(y - knot.y, x - knot.x))
        knot = knot.replace(heading_deg=rounded(angle, 5.0 if step else 0.0))
    return rail.replace(knots=(*rail.knots[:number], knot, *rail.knots[number + 1 :]))


def paint(painter: QPainter, plan: OnPlan, rail: Rail, chosen: bool) -> None:
    """A rail from above: two lines with sleepers where there is room for them, else one."""
    ink = theme.family("tie")
    line = line_of(plan, rail)
    half = 0.5 * GAUGE * plan.scale()
    path = path_of(plan.ground, rail)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if half < 2.0 or path is None:
        painter.setPen(QPen(ink, 3.4 if chosen else 2.2))
        painter.drawPolyline(QPolygonF(line))
    else:
        painter.setPen(QPen(ink, 2.0 if chosen else 1.2))
        left = [(-way[1], way[0]) for way in path.tangents[:, :2].tolist()]
        for side in (1.0, -1.0):
            edge = [at + QPointF(side * half * x, -side * half * y) for at, (x, y) in zip(line, left, strict=True)]
            painter.drawPolyline(QPolygonF(edge))
        painter.setPen(QPen(ink, 1.0))
        every = max(1, round(1.5 / path.step))
        for at, (x, y) in list(zip(line, left, strict=True))[::every]:
            out = QPointF(1.4 * half * x, -1.4 * half * y)
            painter.drawLine(at - out, at + out)
    first = line[0]
    painter.setBrush(ink)
    painter.drawEllipse(first, 3.0, 3.0)


def paint_handles(painter: QPainter, plan: OnPlan, rail: Rail, current: int) -> str:
    """Paints the knots of the selected rail and the sharpest bend; the words that tell of it."""
    found = handles(plan, rail)
    painter.setPen(theme.pen("ink", 1.2))
    for name, spot in found.items():
        if name.startswith("tangent"):
            painter.drawLine(found[name.replace("tangent", "knot")], spot)
            painter.setBrush(theme.colour("card"))
            painter.drawEllipse(spot, 5.0, 5.0)
    for number in range(len(rail.knots)):
        painter.setBrush(theme.colour("warning" if number == current else "card"))
        spot = found[f"knot{number}"]
        painter.drawRect(int(spot.x() - 5), int(spot.y() - 5), 10, 10)
    path = path_of(plan.ground, rail)
    if path is None:
        return rail.heading
    words = f"{rail.heading}: {units.show(path.length, 'm')}"
    if not math.isfinite(path.smallest_radius):
        return f"{words}, straight"
    at = plan.at(*path.points[int(path.curvature.argmax()), :2].tolist())
    painter.setPen(QPen(theme.colour("warning"), 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(at, 9.0, 9.0)
    return f"{words}, smallest radius {units.show(path.smallest_radius, 'm')}"
