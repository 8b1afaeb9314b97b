"""Drawing of a ground on its plan: grid, objects to scale, and the handles of the selected one."""

from __future__ import annotations

import math
from typing import Protocol

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPolygonF

from oak_sled.core.base import units
from oak_sled.core.geometry.terrain import Patch, Relief
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Gate, Ground
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Stretched, Tie
from oak_sled.core.yard.volume import Volume
from oak_sled.desk.ground import railplan
from oak_sled.desk.ground.groundsection import Item, heading_of, mesh_outline, relief_image, size_of
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview import volumepaint
from oak_sled.desk.yardview.planpaint import BLOCK_INKS

HANDLE = 7.0
"""px, half a handle."""
_PATCH_HATCH = {True: Qt.BrushStyle.DiagCrossPattern, False: Qt.BrushStyle.BDiagPattern}


class Plan(Protocol):
    """The plan as its painter needs it: metres to px and back."""

    knot: int

    @property
    def ground(self) -> Ground: ...
    def box(self) -> QRectF: ...
    def scale(self) -> float: ...
    def at(self, x: float, y: float) -> QPointF: ...
    def place(self, px: QPointF) -> tuple[float, float]: ...
    def outline(self, item: Item) -> QPolygonF: ...
    def handles(self, item: Item) -> dict[str, QPointF]: ...


def paint_grid(painter: QPainter, plan: Plan) -> None:
    """A grid of round metres, with its scale."""
    scale = plan.scale()
    step = next((s for s in (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0) if s * scale >= 30), 500.0)
    box = plan.box()
    x0, y1 = plan.place(box.topLeft())
    x1, y0 = plan.place(box.bottomRight())
    painter.setPen(theme.pen("shade"))
    for k in range(math.floor(x0 / step), math.ceil(x1 / step) + 1):
        painter.drawLine(plan.at(k * step, y0), plan.at(k * step, y1))
    for k in range(math.floor(y0 / step), math.ceil(y1 / step) + 1):
        painter.drawLine(plan.at(x0, k * step), plan.at(x1, k * step))
    painter.setPen(theme.pen("ink", 1.2))
    foot = QPointF(14, box.bottom() - 14)
    painter.drawLine(foot, foot + QPointF(step * scale, 0))
    painter.setFont(theme.font(10))
    painter.drawText(foot + QPointF(4, -5), units.plain(step, "m"))


def paint_thing(painter: QPainter, plan: Plan, item: Item, chosen: bool) -> None:
    """A block, wall, gate, patch, joint or relief to scale; the selected one in a heavier line."""
    painter.setPen(theme.pen("ink", 2.2 if chosen else 1.0))
    shape = plan.outline(item)
    if isinstance(item, Relief):
        shaded = relief_image(item, theme.is_night())
        painter.drawImage(shape.boundingRect(), shaded)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(shape.boundingRect())
        return
    if isinstance(item, Rail):
        railplan.paint(painter, plan, item, chosen)
        return
    if isinstance(item, Volume):
        volumepaint.paint_one(painter, plan.at, plan.scale(), item, chosen)
        return
    if isinstance(item, Patch):
        painter.setPen(QPen(theme.colour("ink"), 2.2 if chosen else 1.0, Qt.PenStyle.DashDotLine))
        painter.setBrush(QBrush(theme.family("grip"), _PATCH_HATCH[item.grip >= 1.0]))
        painter.drawPolygon(shape)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        return
    if isinstance(item, Gate):
        painter.setPen(QPen(theme.family("impulse"), 3.0 if chosen else 2.0))
        painter.drawLine((shape[0] + shape[3]) / 2, (shape[1] + shape[2]) / 2)
        painter.drawPolygon(shape)
        return
    if isinstance(item, Joint):
        paint_joint(painter, plan, item, chosen)
        return
    if isinstance(item, Tie):
        paint_tie(painter, plan, item, chosen)
        return
    painter.setBrush(theme.colour("saw_ice"))
    if isinstance(item, Block):
        ink = BLOCK_INKS.get(item.moves)
        painter.setBrush(theme.colour(ink) if ink else Qt.BrushStyle.NoBrush)
        if item.moves == "trigger":
            painter.setPen(QPen(theme.family("air"), 2.4 if chosen else 1.6, Qt.PenStyle.DashLine))
        if item.moves == "driven":
            painter.save()
            painter.setPen(QPen(theme.colour("iron"), 1.2, Qt.PenStyle.DotLine))
            sway = (item.sway_x, item.sway_y)
            painter.drawLine(plan.at(item.x - sway[0], item.y - sway[1]), plan.at(item.x + sway[0], item.y + sway[1]))
            painter.restore()
        if item.shape in ("ball", "cylinder"):
            radius = math.hypot(*_between(shape[0], shape[1])) / 2
            painter.drawEllipse(plan.at(item.x, item.y), radius, radius)
            return
    if isinstance(item, Block) and item.shape == "mesh":
        painter.setPen(theme.pen("ink", 1.8 if chosen else 0.9))
        painter.drawPolygon(QPolygonF([plan.at(*spot) for spot in mesh_outline(item)]))
        return
    painter.drawPolygon(shape)
    if isinstance(item, Block) and item.shape == "wedge":  # the high end is the ruled one
        for share in (0.12, 0.24):
            a = shape[0] + (shape[1] - shape[0]) * share
            b = shape[3] + (shape[2] - shape[3]) * share
            painter.drawLine(a, b)


def paint_joint(painter: QPainter, plan: Plan, joint: Joint, chosen: bool) -> None:
    """A ring with its pin, in the ink of ties, and a line to the middle of each block that it holds."""
    at = plan.at(joint.x, joint.y)
    painter.setPen(QPen(theme.family("tie"), 1.0, Qt.PenStyle.DotLine))
    for block in plan.ground.blocks:
        if block.id in (joint.one, joint.other):
            painter.drawLine(at, plan.at(block.x, block.y))
    painter.setPen(QPen(theme.family("tie"), 3.0 if chosen else 2.0))
    painter.setBrush(theme.colour("card"))
    painter.drawEllipse(at, 6.0, 6.0)
    painter.setBrush(theme.family("tie"))
    painter.drawEllipse(at, 1.5, 1.5)


def paint_tie(painter: QPainter, plan: Plan, tie: Tie, chosen: bool) -> None:
    """A line between its ends, in the ink of ties, with a knot at each."""
    ends = plan.at(tie.x, tie.y), plan.at(*tie.end[:2])
    painter.setPen(QPen(theme.family("tie"), 3.0 if chosen else 2.0))
    painter.drawLine(*ends)
    painter.setBrush(theme.family("tie"))
    for end in ends:
        painter.drawEllipse(end, 3.0, 3.0)


def paint_handles(painter: QPainter, plan: Plan, item: Item) -> None:
    """Paints the handles of the selected object, and its size in words."""
    if isinstance(item, Rail):
        write_words(painter, plan, item, railplan.paint_handles(painter, plan, item, plan.knot))
        return
    found = plan.handles(item)
    painter.setPen(theme.pen("ink", 1.2))
    if "turn" in found:
        painter.drawLine(plan.at(item.x, item.y), found["turn"])
    painter.setBrush(theme.colour("card"))
    for name, spot in found.items():
        if name == "turn":
            painter.drawEllipse(spot, HANDLE - 1, HANDLE - 1)
        else:
            painter.drawRect(QRectF(spot.x() - 5, spot.y() - 5, 10, 10))
    length, width = size_of(item)
    turned = round(math.degrees(heading_of(item)), 1)
    words = f"{units.show(length, 'm')} × {units.show(width, 'm')} · {units.plain(turned, '°')}"
    if isinstance(item, Joint):
        held = item.other.replace("_", " ") or "the world"
        words = f"{item.one.replace('_', ' ')} to {held} · {units.show(item.z, 'm')} up"
    if isinstance(item, Tie):
        held = item.other.replace("_", " ") or "the world"
        apart = math.dist(item.begin, item.end)
        where = units.show(apart, "m") if isinstance(item, Stretched) else f"{units.show(item.z, 'm')} up"
        words = f"{item.TITLE}: {item.one.replace('_', ' ')} to {held} · {where}"
    if isinstance(item, Volume):
        words = f"{item.does} · {'everywhere' if item.everywhere else words}"
    write_words(painter, plan, item, words)


def write_words(painter: QPainter, plan: Plan, item: Item, words: str) -> None:
    """Writes words under an object."""
    box = plan.outline(item).boundingRect()
    painter.setFont(theme.font(theme.SMALL))
    wide = painter.fontMetrics().horizontalAdvance(words) + 10
    label = QRectF(box.center().x() - wide / 2, box.bottom() + 8, wide, 18)
    painter.fillRect(label, theme.colour("card", 230))
    painter.setPen(theme.colour("ink"))
    painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)


def _between(a: QPointF, b: QPointF) -> tuple[float, float]:
    return b.x() - a.x(), b.y() - a.y()
