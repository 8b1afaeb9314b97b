"""Things of a ground in a drawing: their size and outline, a relief from above, and a section from aside."""

from __future__ import annotations

import functools
import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.geometry.terrain import Patch, Relief
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Gate, Ground, Wall
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Tie
from oak_sled.core.yard.volume import Volume
from oak_sled.desk.widgets import theme

Item = Block | Wall | Gate | Patch | Relief | Joint | Tie | Volume | Rail
EVERYWHERE = 2.0
"""m of the mark of a volume without edges, from above."""
JOINT_SIZE = 0.4
"""m of the mark of a joint, or of the end of a tie, from above."""
Line = list[tuple[float, float]]
SECTION = 96
"""px of height of a section."""


def size_of(item: Item) -> tuple[float, float]:
    """Length and width of an object from above, m."""
    if isinstance(item, Gate):
        return 0.4, item.width
    if isinstance(item, Joint | Tie):
        return JOINT_SIZE, JOINT_SIZE
    if isinstance(item, Volume) and item.everywhere:
        return EVERYWHERE, EVERYWHERE
    if isinstance(item, Block | Volume):
        half = item.half_extents()
        return 2.0 * half[0], 2.0 * half[1]
    if isinstance(item, Rail):
        x, y = ([getattr(knot, axis) for knot in item.knots] for axis in "xy")
        return 2.0 * max(abs(one - item.x) for one in x), 2.0 * max(abs(one - item.y) for one in y)
    return item.length, item.width


def heading_of(item: Item) -> float:
    """rad; a relief lies along the axes."""
    return 0.0 if isinstance(item, Relief | Joint | Tie | Rail) else math.radians(item.heading_deg)


def spans(item: Item, x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Underside and top of an object over points, m, each shape (n,); NaN beside it. Tilts are left out."""
    nowhere = np.full(len(x), np.nan)
    if isinstance(item, Gate | Patch | Relief | Joint | Tie | Volume | Rail) or (
        isinstance(item, Block) and item.is_laid
    ):
        return nowhere, nowhere
    turn = heading_of(item)
    dx, dy = x - item.x, y - item.y
    u, v = dx * math.cos(turn) + dy * math.sin(turn), dy * math.cos(turn) - dx * math.sin(turn)
    length, width = size_of(item)
    over = (np.abs(u) <= length / 2) & (np.abs(v) <= width / 2)
    if isinstance(item, Wall):
        return np.where(over, 0.0, np.nan), np.where(over, item.height, np.nan)
    foot, tall = item.z, 2.0 * item.half_extents()[2]
    low, high = np.full(len(x), foot), np.full(len(x), foot + tall)
    if item.shape == "wedge":
        high = foot + tall * (u / length + 0.5)
    elif item.shape in ("ball", "cylinder"):
        out = (u * u + v * v) / (length / 2) ** 2
        over &= out <= 1.0
        if item.shape == "ball":
            rise = tall / 2 * np.sqrt(np.maximum(1.0 - out, 0.0))
            low, high = foot + tall / 2 - rise, foot + tall / 2 + rise
    elif item.shape == "capsule":
        rise = tall / 2 * np.sqrt(np.maximum(1.0 - (v / (width / 2)) ** 2, 0.0))
        low, high = foot + tall / 2 - rise, foot + tall / 2 + rise
    return np.where(over, low, np.nan), np.where(over, high, np.nan)


@functools.lru_cache(maxsize=8)
def relief_image(relief: Relief, night: bool) -> QImage:
    """The relief from above: paper low, dark ink high, with a line at every quarter of its height."""
    grey = relief.grey().astype(float) / 65535.0
    low, high = theme.colour("ice"), theme.colour("ice_dark")
    share = grey[..., None]
    made = np.array(low.getRgb()[:3]) * (1.0 - share) + np.array(high.getRgb()[:3]) * share
    step = np.floor(grey * 8.0)
    line = np.zeros(grey.shape, bool)
    line[:, 1:] |= step[:, 1:] != step[:, :-1]
    line[1:, :] |= step[1:, :] != step[:-1, :]
    made[line] *= 0.86
    pixels = np.ascontiguousarray(np.clip(made, 0, 255), np.uint8)
    return QImage(pixels.tobytes(), relief.columns, relief.rows, 3 * relief.columns, QImage.Format.Format_RGB888).copy()


@functools.lru_cache(maxsize=64)
def mesh_outline(one: Block) -> list[tuple[float, float]]:
    """The outline of a mesh from above, m: that of its convex hull."""
    points = ground_shape.mesh_triangles(one).reshape(-1, 3)[:, :2]
    turns = np.linspace(0.0, 2.0 * math.pi, 73)[:-1]
    far = np.argmax(points @ np.stack([np.cos(turns), np.sin(turns)]), axis=0)
    kept = [int(k) for place, k in enumerate(far) if place == 0 or k != far[place - 1]]
    return [(float(points[k, 0]), float(points[k, 1])) for k in kept]


class Section:
    """The ground along a line, from aside; what it found of uneven ground is kept while nothing changes."""

    def __init__(self) -> None:
        self._key: object = None
        self.profile: list[tuple[float, float]] = []
        """Share of the line and height, m, where uneven ground lies under it."""
        self.cut: list[tuple[Item, Floats, Floats]] = []
        """Everything that the section goes through, with its underside and top at every px, m, NaN beside it."""

    def paint(self, painter: QPainter, box: QRectF, ground: Ground, objects: list[Item], line: Line) -> None:
        """Draws the section from one end of a line to the other into a box of the widget, px."""
        painter.fillRect(box, theme.colour("card"))
        painter.setPen(theme.pen("rule"))
        painter.drawLine(box.topLeft(), box.topRight())
        (ax, ay), (bx, by) = line
        long = max(math.hypot(bx - ax, by - ay), 0.1)
        left, right = 34.0, box.right() - 20.0
        scale = (right - left) / long
        self.find(ground, objects, line, int(right - left))
        highest = max([0.0, *(high for _, high in self.profile), *(float(np.nanmax(high)) for _, _, high in self.cut)])
        deepest = max([0.0, *(-high for _, high in self.profile)])
        tall = min(40.0, (SECTION - 46.0) / max(0.5, highest + deepest))
        foot = box.bottom() - 20.0 - deepest * tall
        painter.setPen(theme.pen("ink", 1.2))
        painter.drawLine(QPointF(left, foot), QPointF(right, foot))
        self._paint_profile(painter, left, right, foot, tall)
        painter.setPen(Qt.PenStyle.NoPen)
        count = max(2, int(right - left))
        for item, low, high in self.cut:
            fill = "saw_ice" if not isinstance(item, Block) or item.moves == "fixed" else "oak_light"
            painter.setBrush(theme.colour(fill))
            for k in np.flatnonzero(np.isfinite(high)).tolist():
                x = left + k / count * (right - left)
                tops = float(high[k]) * tall
                painter.drawRect(QRectF(x, foot - tops, 1.6, max(1.0, tops - float(low[k]) * tall)))
        painter.setPen(theme.colour("soft"))
        painter.setFont(theme.font(theme.SMALL))
        times = tall / scale
        drawn = f"heights drawn {times:.2g} times" if abs(times - 1.0) > 0.05 else "heights to scale"
        words = f"section from A to B · {units.show(long, 'm')} · {drawn} · highest {units.show(highest, 'm')}"
        painter.drawText(QPointF(12, box.top() + 16), words)
        painter.drawText(QPointF(left - 16, foot + 4), "A")
        painter.drawText(QPointF(right + 6, foot + 4), "B")
        step = next((s for s in (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0) if s * scale >= 60), 200.0)
        for k in range(int(long / step) + 1):
            x = left + k * step * scale
            words = units.tick(k * step, "m")
            painter.drawText(QRectF(x - 20, foot + 3, 40, 14), Qt.AlignmentFlag.AlignCenter, words)

    def find(self, ground: Ground, objects: list[Item], line: Line, wide: int) -> None:
        """Finds what lies along the section, and the heights of uneven ground; kept while nothing changes."""
        (ax, ay), (bx, by) = line
        key = (ground.relief, ground.slope(), ground.blocks, ground.walls, tuple(line), wide)
        if self._key == key:
            return
        found: list[tuple[float, float]] = []
        ready = ground_shape.is_ready(ground)
        if ready and ground_shape.is_uneven(ground):
            along = np.linspace(0.0, 1.0, max(2, wide // 2))
            high = ground_shape.heights_at(ground, ax + along * (bx - ax), ay + along * (by - ay))
            there = np.isfinite(high)
            found = list(zip(along[there].tolist(), high[there].tolist(), strict=True))
        count = max(2, wide)
        shares = np.arange(count) / count
        x, y = ax + shares * (bx - ax), ay + shares * (by - ay)
        every = [(item, *spans(item, x, y)) for item in objects]
        self.cut = [one for one in every if np.any(np.isfinite(one[2]))]
        self._key, self.profile = key if ready else (), found

    def _paint_profile(self, painter: QPainter, left: float, right: float, foot: float, tall: float) -> None:
        """The uneven ground along the section, filled down to the level."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ice_line"))
        for share, high in self.profile:
            top = foot - high * tall
            painter.drawRect(QRectF(left + share * (right - left), min(top, foot), 2.6, abs(high) * tall))
