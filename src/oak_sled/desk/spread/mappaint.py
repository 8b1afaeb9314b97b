"""Painting of a map of a spread: colours, contours, targets met, the setting as it is, a line across, notes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen, QPolygonF

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.study import maps, variants
from oak_sled.core.yard.spreads import SpreadAxis
from oak_sled.desk.widgets import theme

if TYPE_CHECKING:
    from oak_sled.desk.spread.mapview import SpreadMap

LEFT, BOTTOM, PROFILE = 86, 54, 96
"""px left of a map and below it, and of the curve along a line across it."""


def paint(painter: QPainter, view: SpreadMap) -> None:
    """Paints a map or a curve with all that lies on it."""
    assert view.plan is not None
    _paint_head(view, painter)
    grid = maps.grid_of(view.plan, view.measure, view.values)
    if view.flat():
        _paint_map(view, painter, grid)
    else:
        _paint_curve(view, painter, grid)
    _paint_axes(view, painter)
    _paint_now(view, painter)
    if view.line is not None and view.flat():
        _paint_line(view, painter, grid)
    _paint_chosen(view, painter)


def _paint_head(view: SpreadMap, painter: QPainter) -> None:
    assert view.known is not None
    painter.setFont(theme.font(theme.HEADING, bold=True))
    painter.setPen(theme.colour("ink"))
    painter.drawText(QPointF(LEFT, 20), view.known.title)
    wide = theme.metrics(theme.font(theme.HEADING, bold=True)).horizontalAdvance(view.known.title)
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour("soft"))
    painter.drawText(QPointF(LEFT + wide + 8, 20), units.pretty(units.name_of(view.known.unit)))
    known = np.isfinite(view.values[:, 0, view.measure]).any()
    says = "" if view.fresh or not known else "of settings before the last edits: compute again"
    if view.met is not None and known:
        says = says or ("outlined: all targets are met" if view.flat() else "green: all targets are met")
    painter.setPen(theme.colour("warning" if known and not view.fresh else "good"))
    painter.drawText(QRectF(LEFT, 8, view.box().width(), 16), Qt.AlignmentFlag.AlignRight, says)


def _paint_map(view: SpreadMap, painter: QPainter, grid: Floats) -> None:
    box, (low, high) = view.box(), view.ends()
    rows, columns = grid.shape
    colours = maps.colour_of(grid, low, high)
    rgba = np.dstack([colours, np.where(np.isfinite(grid), 255, 0).astype(np.uint8)])[::-1]
    data = np.ascontiguousarray(rgba)
    painter.fillRect(box, theme.colour("shade"))
    image = QImage(data.tobytes(), columns, rows, 4 * columns, QImage.Format.Format_RGBA8888)
    painter.drawImage(box, image)
    painter.setFont(theme.font(theme.SMALL))
    for level in maps.levels(low, high):
        bright = (level - low) / (high - low) > 0.5
        ink = theme.colour("map_dark" if bright else "map_light")
        pen = QPen(ink, 1.0)
        pen.setStyle(Qt.PenStyle.SolidLine)
        painter.setPen(pen)
        pieces = maps.contours(grid, level)
        for (i, j), (p, q) in pieces.tolist():
            painter.drawLine(view.px(i, j), view.px(p, q))
        if len(pieces):
            # near the middle of the map, where there is room for it
            away = np.abs(pieces[:, 0] - 0.5 * np.array(grid.shape)).max(axis=1)
            i, j = pieces[int(np.argmin(away)), 0]
            words, at = units.number(level, _unit(view)), view.px(i, j) + QPointF(3, -3)
            wide = painter.fontMetrics().horizontalAdvance(words)
            # on a slip of paper: neither ink can be read on the tones in the middle of the map
            painter.fillRect(QRectF(at.x() - 3, at.y() - 11, wide + 6, 14), theme.colour("card"))
            painter.setPen(theme.colour("ink"))
            painter.drawText(at, words)
    if view.met is not None:
        _paint_met(view, painter, view.met)
    _paint_scale(view, painter, low, high)


def _paint_met(view: SpreadMap, painter: QPainter, met: np.ndarray) -> None:
    """The edge of the area where targets are met: paper under ink, to be seen on any colour."""
    edges = []
    padded = np.pad(met, 1)
    for i, j in np.argwhere(padded[1:, 1:-1] != padded[:-1, 1:-1]).tolist():
        edges.append((view.px(i - 0.5, j - 0.5), view.px(i - 0.5, j + 0.5)))
    for i, j in np.argwhere(padded[1:-1, 1:] != padded[1:-1, :-1]).tolist():
        edges.append((view.px(i - 0.5, j - 0.5), view.px(i + 0.5, j - 0.5)))
    for pen in (QPen(theme.colour("map_light"), 4.0), QPen(theme.colour("good"), 2.0)):
        painter.setPen(pen)
        for one, other in edges:
            painter.drawLine(one, other)


def _paint_scale(view: SpreadMap, painter: QPainter, low: float, high: float) -> None:
    box = view.box()
    bar = QRectF(box.right() + 16, box.top(), 14, box.height())
    data = np.ascontiguousarray(maps.scale()[::-1][:, None, :].repeat(2, axis=1))
    image = QImage(data.tobytes(), 2, 256, 6, QImage.Format.Format_RGB888)
    painter.drawImage(bar, image)
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour("ink"))
    taken: list[float] = []
    for value in (low, high, *maps.levels(low, high)):
        y = bar.bottom() - (value - low) / (high - low) * bar.height()
        if all(abs(y - other) > 13 for other in taken):
            painter.drawText(QPointF(bar.right() + 5, y + 4), units.number(value, _unit(view)))
            taken.append(y)


def _paint_curve(view: SpreadMap, painter: QPainter, grid: Floats) -> None:
    assert view.plan is not None
    box, (low, high) = view.box(), view.ends()
    painter.fillRect(box, theme.colour("card"))
    painter.setFont(theme.font(theme.SMALL))
    for level in maps.levels(low, high):
        y = view.height_of(level)
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        painter.setPen(theme.colour("soft"))
        text = QRectF(box.left() - 84, y - 8, 78, 16)
        words = units.number(level, _unit(view))
        painter.drawText(text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
    _paint_band(view, painter)
    known = [k for k in range(len(grid)) if np.isfinite(grid[k])]
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(theme.pen("oak_deep", 1.8))
    if known and view.plan.axes[0].is_range:
        path = QPainterPath(view.place_of(known[0]))
        for number in known[1:]:
            path.lineTo(view.place_of(number))
        painter.drawPath(path)
    painter.setPen(Qt.PenStyle.NoPen)
    for number in known:
        good = view.met is not None and bool(view.met[number])
        painter.setBrush(theme.colour("good" if good else "oak"))
        painter.drawEllipse(view.place_of(number), 3.2, 3.2)


def _paint_band(view: SpreadMap, painter: QPainter) -> None:
    """Paints what disturbances made of each variant: from the least to the greatest."""
    assert view.plan is not None
    if not view.plan.scatter.repeats:
        return
    least, most = maps.band_of(view.plan, view.measure, view.values)
    known = [k for k in range(len(least)) if np.isfinite(least[k])]
    upper = [QPointF(view.place_of(k).x(), view.height_of(float(most[k]))) for k in known]
    lower = [QPointF(view.place_of(k).x(), view.height_of(float(least[k]))) for k in known]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("oak_light", 110))
    painter.drawPolygon(QPolygonF([*upper, *lower[::-1]]))


def _paint_axes(view: SpreadMap, painter: QPainter) -> None:
    assert view.plan is not None
    box, axes = view.box(), view.plan.axes
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(theme.pen("soft", 1))
    painter.drawRect(box)
    right = axes[-1]
    painter.setFont(theme.font(theme.SMALL))
    for place, text in _ticks(view, right, 6):
        x = view.px(0, place).x()
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(x - 50, box.bottom() + 4, 100, 15), Qt.AlignmentFlag.AlignCenter, text)
    painter.setPen(theme.colour("ink"))
    foot = QRectF(box.left(), box.bottom() + 20, box.width(), 16)
    painter.drawText(foot, Qt.AlignmentFlag.AlignCenter, _axis_words(view, right))
    if not view.flat():
        return
    for place, text in _ticks(view, axes[0], 5):
        y = view.px(place, 0).y()
        painter.setPen(theme.colour("soft"))
        text_box = QRectF(box.left() - 66, y - 8, 60, 16)
        painter.drawText(text_box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
    painter.save()
    painter.translate(14, box.center().y())
    painter.rotate(-90)
    painter.setPen(theme.colour("ink"))
    painter.drawText(QRectF(-160, -8, 320, 16), Qt.AlignmentFlag.AlignCenter, _axis_words(view, axes[0]))
    painter.restore()


def _axis_words(view: SpreadMap, axis: SpreadAxis) -> str:
    assert view.yard is not None
    pieces = axis.path.split(".")
    owner = f"{pieces[-2].replace('_', ' ')}: " if len(pieces) > 2 else ""
    name = pieces[-1].removesuffix("_deg").replace("_", " ")
    unit = units.pretty(units.name_of(variants.unit_of(view.yard, axis.path)))
    return f"{owner}{name}, {unit}" if unit else f"{owner}{name}"


def _unit(view: SpreadMap) -> str:
    """The unit of the measure that is shown."""
    return "" if view.known is None else view.known.unit


def _ticks(view: SpreadMap, axis: SpreadAxis, about: int) -> list[tuple[float, str]]:
    """Positions and texts of the values of an axis."""
    values, unit = axis.values, "" if view.yard is None else variants.unit_of(view.yard, axis.path)
    sign = 1.0 if view.yard is None else variants.sign_of(view.yard, axis.path)
    if axis.is_range and axis.scale == "linear":
        low, high = float(values[0]), float(values[-1])
        found = maps.levels(low - 1e-9 * (high - low), high + 1e-9 * (high - low), about)
        return [((value - low) / (high - low) * (len(values) - 1), units.tick(sign * value, unit)) for value in found]
    step = max(1, round(len(values) / (about + 1)))
    assert view.plan is not None
    return [
        (float(k), units.number(sign * float(f"{v:.3g}"), unit) if isinstance(v, float) else view.plan.shown(axis, v))
        for k, v in enumerate(values)
        if k % step == 0
    ]


def _paint_now(view: SpreadMap, painter: QPainter) -> None:
    """The setting as it is now."""
    if view.now is None:
        return
    at = view.px(view.now[0], view.now[1]) if view.flat() else None
    if at is None:
        x = view.px(0, view.now[0]).x()
        pen = QPen(theme.pen("warning", 1.4))
        pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(x, view.box().top()), QPointF(x, view.box().bottom()))
        return
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(theme.colour("map_light"), 5.0), QPen(theme.colour("map_dark"), 2.0)):
        painter.setPen(pen)
        painter.drawEllipse(at, 8.0, 8.0)
    _note(view, painter, at, ["now"])


def _paint_line(view: SpreadMap, painter: QPainter, grid: Floats) -> None:
    """A line across the map, and the measure along it below."""
    assert view.line is not None
    assert view.known is not None
    start, end = view.line
    for pen in (QPen(theme.colour("map_light"), 4.0), QPen(theme.colour("map_dark"), 1.6)):
        painter.setPen(pen)
        painter.drawLine(view.px(*start), view.px(*end))
    share, values = maps.across(grid, start, end)
    box = QRectF(LEFT, view.box().bottom() + BOTTOM - 8, view.box().width(), PROFILE - 4)
    painter.fillRect(box, theme.colour("card"))
    known = np.isfinite(values)
    if not known.any():
        return
    low, high = float(values[known].min()), float(values[known].max())
    spare = 0.08 * (high - low or 1.0)
    low, high = low - spare, high + spare
    points = [
        QPointF(box.left() + x * box.width(), box.bottom() - (y - low) / (high - low) * box.height())
        for x, y in zip(share[known], values[known], strict=True)
    ]
    painter.setPen(theme.pen("oak_deep", 1.8))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    path = QPainterPath(points[0])
    for point in points[1:]:
        path.lineTo(point)
    painter.drawPath(path)
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour("soft"))
    first, last = (units.show(float(values[known][end]), view.known.unit) for end in (0, -1))
    words = f"along the line: {first} to {last}"
    wide = theme.metrics(theme.font(theme.SMALL)).horizontalAdvance(words)
    painter.drawText(QPointF(box.right() - wide, box.top() - 4), words)


def _paint_chosen(view: SpreadMap, painter: QPainter) -> None:
    if view.chosen < 0 or view.plan is None or view.chosen >= view.plan.variants:
        return
    at = view.place_of(view.chosen)
    if not np.isfinite(at.y()):
        return
    if view.flat():
        rows, columns = view.shape()
        box = view.box()
        cell = QRectF(0, 0, box.width() / columns, box.height() / rows)
        cell.moveCenter(at)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("map_light"), 3.0))
        painter.drawRect(cell)
        painter.setPen(QPen(theme.colour("map_dark"), 1.4))
        painter.drawRect(cell)
    _note(view, painter, at, view.said(view.chosen).split("\n"))


def _note(view: SpreadMap, painter: QPainter, at: QPointF, lines: list[str]) -> None:
    """A note beside a place, within the picture."""
    font = theme.font(theme.SMALL)
    wide = max(theme.metrics(font).horizontalAdvance(line) for line in lines) + 14
    tall = 15 * len(lines) + 6
    x = at.x() + 14 if at.x() + 14 + wide < view.width() else at.x() - 14 - wide
    y = at.y() - tall - 10 if at.y() - tall - 10 > 0 else at.y() + 12
    box = QRectF(max(x, 2.0), y, wide, tall)
    painter.fillRect(box, theme.colour("desk"))
    painter.setFont(font)
    painter.setPen(theme.colour("desk_text"))
    for place, line in enumerate(lines):
        painter.drawText(QPointF(box.left() + 7, box.top() + 14 + 15 * place), line)
