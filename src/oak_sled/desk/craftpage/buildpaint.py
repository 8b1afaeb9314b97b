"""Drawing of a craft on the Build page: hull, mounts, lines of action, supports with their loads, centre of mass."""

from __future__ import annotations

import itertools
import math
from typing import Any, Protocol

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from oak_sled.core.advice import balance
from oak_sled.core.advice.modes import Standing
from oak_sled.core.base import units
from oak_sled.core.parts.context import Spot
from oak_sled.core.yard.craft import Craft
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.meshdrawing import outline

MOST_TRIANGLES = 1200
COLUMN = 190.0
"""px of a column of words, at least."""
CLOSE_PX = 70.0
"""Words of supports that stand nearer than this would cover each other: one of them is written."""


class Sheet(Protocol):
    """A view as its painter needs it."""

    @property
    def name(self) -> str: ...
    @property
    def across(self) -> int: ...
    @property
    def up(self) -> int: ...
    @property
    def box(self) -> QRectF: ...
    @property
    def scale(self) -> float: ...
    @property
    def frame(self) -> object: ...
    def at(self, spot: Spot) -> QPointF: ...


def paint_paper(painter: QPainter, view: Sheet) -> None:
    """Squares of a tenth, half or whole metre."""
    step = next((s for s in (0.1, 0.5, 1.0, 5.0, 10.0, 50.0) if s * view.scale >= 14.0), 100.0)
    painter.setPen(theme.pen("shade"))
    origin, box = view.at((0.0, 0.0, 0.0)), view.box
    gap = step * view.scale
    x = origin.x() - math.floor((origin.x() - box.left()) / gap) * gap
    while x < box.right():
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        x += gap
    y = origin.y() - math.floor((origin.y() - box.top()) / gap) * gap
    while y < box.bottom():
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        y += gap
    painter.setPen(QPen(theme.colour("rule"), 1.2, Qt.PenStyle.DotLine))
    painter.drawLine(QPointF(box.left(), origin.y()), QPointF(box.right(), origin.y()))
    painter.drawLine(QPointF(origin.x(), box.top()), QPointF(origin.x(), box.bottom()))
    painter.setPen(theme.pen("ink", 1.2))
    foot = box.bottomRight() - QPointF(gap + 10.0, 10.0)
    painter.drawLine(foot, foot + QPointF(gap, 0.0))
    painter.setFont(theme.font(10))
    painter.drawText(
        QRectF(foot.x() - 20, foot.y() - 17, gap + 40, 14), Qt.AlignmentFlag.AlignCenter, units.plain(step, "m")
    )


def paint_frame(painter: QPainter, view: Sheet) -> None:
    """The edge of a view, and which it is."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(theme.pen("rule", 1.4))
    painter.drawRect(view.box)
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour("soft"))
    painter.drawText(view.box.topLeft() + QPointF(10, 17), view.name)


def paint_hull(painter: QPainter, view: Sheet, craft: Craft) -> None:
    """The collision shape of the body, or its mesh."""
    body = craft.body
    a, b, c = body.half_extents()
    painter.setPen(theme.pen("oak_deep", 1.8))
    painter.setBrush(theme.colour("wood", 60))
    half = (a, b, c)
    x, y, z = body.middle()
    low, high = view.at((x - a, y - b, z - c)), view.at((x + a, y + b, z + c))
    box = QRectF(low, high).normalized()
    if body.shape == "mesh" and body.mesh is not None:
        triangles = body.mesh.within(half) + np.array(body.middle())
        flat = triangles[:: max(1, len(triangles) // MOST_TRIANGLES)].reshape(-1, 3)
        edge = outline(flat[:, [view.across, view.up]])
        spots = [[0.0, 0.0, 0.0] for _ in edge]
        for spot, (x, y) in zip(spots, edge, strict=True):
            spot[view.across], spot[view.up] = float(x), float(y)
        painter.drawPolygon(QPolygonF([view.at((x, y, z)) for x, y, z in spots]))
    elif body.shape == "ball" or (body.shape == "cylinder" and view.up == 1):
        painter.drawEllipse(box)
    elif body.shape == "capsule":
        radius = 0.5 * min(box.width(), box.height())
        painter.drawRoundedRect(box, radius, radius)
    elif view.frame is not None:  # it may lie askew
        corners = [view.at(spot) for spot in itertools.product((x - a, x + a), (y - b, y + b), (z - c, z + c))]
        edge = outline(np.array([[at.x(), at.y()] for at in corners]))
        painter.drawPolygon(QPolygonF([QPointF(float(u), float(v)) for u, v in edge]))
    else:
        painter.drawRect(box)
    if view.across == 0 and view.frame is None:  # which way it faces
        nose = QPointF(box.right(), box.center().y())
        painter.setBrush(theme.colour("oak_deep"))
        painter.drawPolygon(QPolygonF([nose + QPointF(9, 0), nose + QPointF(0, -6), nose + QPointF(0, 6)]))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_plates(painter: QPainter, view: Sheet, craft: Craft) -> None:
    """Wings and fins, as far as they are seen."""
    for part in craft.parts:
        painter.setPen(
            QPen(theme.family(part.FAMILY), 1.4, Qt.PenStyle.DashLine if part.mute else Qt.PenStyle.SolidLine)
        )
        painter.setBrush(theme.colour("card", 110))
        for plate in part.plates():
            painter.drawPolygon(QPolygonF([view.at((x, y, z)) for x, y, z in plate.tolist()]))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_ground(painter: QPainter, view: Sheet, ground: float) -> None:
    """Level ground, where the craft stands on it, m above its origin."""
    left, right = view.at((0.0, 0.0, ground)), view.box
    painter.setPen(theme.pen("ink", 1.6))
    painter.drawLine(QPointF(right.left() + 6, left.y()), QPointF(right.right() - 6, left.y()))


def paint_centre(painter: QPainter, view: Sheet, craft: Craft) -> None:
    """The centre of mass of hull and payloads together, quartered; and that of the hull alone where it is another."""
    both, hull = common_centre(craft), craft.body.centre()
    if math.dist(both, hull) > 1e-3:
        painter.setPen(theme.pen("soft", 1.2))
        at = view.at(hull)
        painter.drawLine(at - QPointF(5, 0), at + QPointF(5, 0))
        painter.drawLine(at - QPointF(0, 5), at + QPointF(0, 5))
    at, radius = view.at(both), 8.0
    painter.setPen(theme.pen("ink", 1.6))
    painter.setBrush(theme.colour("card"))
    painter.drawEllipse(at, radius, radius)
    painter.setBrush(theme.colour("ink"))
    box = QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)
    painter.drawPie(box, 0, 90 * 16)
    painter.drawPie(box, 180 * 16, 90 * 16)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def common_centre(craft: Craft) -> Spot:
    """The centre of mass of hull and payloads together, m from the origin."""
    total, moment = craft.body.true_mass(), craft.body.true_mass() * np.array(craft.body.centre())
    for part in craft.parts:
        carried = part.carried()
        if carried is not None and craft.gain_of(part) > 0.0:
            total, moment = total + carried.mass, moment + carried.mass * np.array(carried.at)
    x, y, z = moment / total
    return (float(x), float(y), float(z))


def paint_mark(
    painter: QPainter, view: Sheet, craft: Craft, name: str, number: int, chosen: bool, ground: float
) -> None:
    """A mount: a ring and cross in the colour of its family; a square for the middle of linked ones. ground : m above
    the origin, what the craft stands on."""
    part = next((one for one in craft.parts if one.id == name), None)
    if part is None:
        return
    ink = theme.family(part.FAMILY)
    if part.looks() == "wheels" and number >= 0:
        _paint_wheel(painter, view, standing_hub(part.mounts()[number], part.radius, ground), part.radius)
    if number < 0:
        at = view.at((part.x, part.y, part.z))
        painter.setPen(QPen(ink, 1.6))
        painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
        return
    at = view.at(part.mounts()[number])
    wide = 9.0 if chosen else 6.0
    painter.setPen(QPen(ink, 3.0 if chosen else 1.8))
    painter.setBrush(QColor(ink.red(), ink.green(), ink.blue(), 0 if part.mute else 60))
    painter.drawEllipse(at, wide, wide)
    painter.drawLine(at - QPointF(4, 0), at + QPointF(4, 0))
    painter.drawLine(at - QPointF(0, 4), at + QPointF(0, 4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if chosen and number == 0 and view.up == 1:
        words = f"{part.heading} · {units.place(part.mounts()[0])}"
        painter.setFont(theme.font(theme.SMALL))
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        box = QRectF(at.x() + 12, at.y() - 30, width, 20)
        box.moveLeft(min(box.left(), view.box.right() - width - 4))
        box.moveTop(max(box.top(), view.box.top() + 22))
        painter.fillRect(box, theme.colour("strip"))
        painter.setPen(theme.colour("desk_text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def standing_hub(droop: Spot, radius: float, ground: float) -> Spot:
    """Position of the hub of a wheel while its craft stands: at full droop, or as high as the ground holds it."""
    x, y, z = droop
    return (x, y, max(z, ground + radius))


def _paint_wheel(painter: QPainter, view: Sheet, hub: Spot, radius: float) -> None:
    """A wheel about its hub: round from the side, a third as wide as its radius from above and from the front."""
    at, size = view.at(hub), radius * view.scale
    painter.setPen(theme.pen("ink", 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if view.across == 0 and view.up == 2:
        painter.drawEllipse(at, size, size)
        return
    wide, tall = (2.0 * size, 0.35 * size) if view.up == 1 else (0.35 * size, 2.0 * size)
    painter.drawRect(QRectF(at.x() - 0.5 * wide, at.y() - 0.5 * tall, wide, tall))


def paint_lines_of_action(painter: QPainter, view: Sheet, craft: Craft, chosen: str) -> None:
    """The line of every thruster that pushes at its mount, and by how much it misses the centre of mass; of jets that a
    mixer opens, that of the chosen one."""
    centre = common_centre(craft)
    for part in craft.parts:
        if part.FAMILY != "drive" or part.mute or not part.mounts() or not hasattr(part, "elevation_deg"):
            continue
        azimuth, elevation = math.radians(part.azimuth_deg), math.radians(part.elevation_deg)
        flat = math.cos(elevation)
        way = np.array([flat * math.cos(azimuth), flat * math.sin(azimuth), math.sin(elevation)])
        spot = np.array(part.mounts()[0])
        reach = 4.0 * max(craft.body.half_extents())
        ends = [
            view.at((float(p[0]), float(p[1]), float(p[2]))) for p in (spot - reach * way, spot, spot + reach * way)
        ]
        ink = theme.family(part.FAMILY)
        if part.id == chosen or not part.actuators():
            painter.setPen(QPen(ink, 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(ends[0], ends[2])
        on_paper = math.hypot(float(way[view.across]), float(way[view.up]))
        if on_paper > 0.1:
            painter.setPen(QPen(ink, 3.0))
            ahead = (ends[2] - ends[1]) / max(math.hypot(ends[2].x() - ends[1].x(), ends[2].y() - ends[1].y()), 1e-9)
            tip = ends[1] + ahead * 34.0
            across = QPointF(-ahead.y(), ahead.x())
            painter.drawLine(ends[1], tip)
            painter.setBrush(ink)
            painter.drawPolygon(QPolygonF([tip + ahead * 8, tip + across * 5, tip - across * 5]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if not part.actuators():  # a mixer sees to it that those do not turn the craft
                _paint_miss(painter, view, part, spot, way, np.array(centre), craft)


def _paint_miss(
    painter: QPainter, view: Sheet, part: Any, spot: np.ndarray, way: np.ndarray, centre: np.ndarray, craft: Craft
) -> None:
    """From the centre of mass square to a line of action: the distance, and the torque about the axis that is seen."""
    a, b = view.across, view.up
    flat = np.array([way[a], way[b]])
    flat /= np.linalg.norm(flat)
    to = np.array([spot[a] - centre[a], spot[b] - centre[b]])
    arm = float(to[0] * flat[1] - to[1] * flat[0])
    if abs(arm) < 0.005:
        return
    foot = centre.copy()
    along = float(to @ flat)
    foot[a], foot[b] = spot[a] - along * flat[0], spot[b] - along * flat[1]
    start, end = view.at(tuple(centre)), view.at(tuple(foot))
    painter.setPen(QPen(theme.colour("warning"), 1.6))
    painter.drawLine(start, end)
    ahead = float(way[0])
    push = part.forward_thrust(craft.body.true_mass()) / ahead if abs(ahead) > 0.05 else part.trim * part.thrust
    torque = push * math.hypot(float(way[a]), float(way[b])) * arm
    turn = {"from above": ("turns left", "turns right"), "from the left": ("nose up", "nose down")}.get(
        view.name, ("rolls right", "rolls left")
    )
    word = turn[0] if arm > 0.0 else turn[1]
    words = f"{units.show(abs(arm), 'm')} beside the centre: {word}, {units.show(abs(torque), 'N m')}"
    painter.setFont(theme.font(10))
    width = painter.fontMetrics().horizontalAdvance(words) + 8
    box = QRectF(end.x() + 6, end.y() - 18, width, 15)
    box.moveLeft(max(min(box.left(), view.box.right() - width - 4), view.box.left() + 4))
    painter.fillRect(box, theme.colour("card", 220))
    painter.setPen(theme.colour("warning"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def paint_supports(painter: QPainter, view: Sheet, craft: Craft, stands: Standing | None, ground: float) -> None:
    """The support polygon from above; rays and their loads in every view. ground : m above the origin."""
    rays = [(part, ray) for part in craft.parts for ray in part.legs()]
    spots = [ray.at for part, ray in rays if craft.gain_of(part) > 0.0] or craft.feet()
    ink = theme.family("support" if rays else "grip")
    if view.up == 1 and len(spots) > 1:
        painter.setPen(QPen(ink, 1.2, Qt.PenStyle.DashLine))
        edge = outline(np.array([[x, y] for x, y, _ in spots]))
        painter.drawPolygon(QPolygonF([view.at((float(x), float(y), 0.0)) for x, y in edge]))
    painter.setFont(theme.font(10))
    seen: set[tuple[int, int]] = set()
    for number, (part, ray) in enumerate(rays):
        at = view.at(ray.at)
        if view.up == 2 and craft.gain_of(part) > 0.0:
            painter.setPen(QPen(ink, 2.0))
            painter.drawLine(at, view.at((ray.at[0], ray.at[1], ground)))
        key = (round(at.x() / CLOSE_PX), round(at.y() / CLOSE_PX))
        if stands is None or key in seen:
            continue
        seen.add(key)
        load = stands.loads[number] if number < len(stands.loads) else 0.0
        if view.up == 1:
            words = units.show(load, "N")
            wide = painter.fontMetrics().horizontalAdvance(words) + 6
            plate = QRectF(at.x() - 0.5 * wide, at.y() + 9, wide, 14)
            painter.fillRect(plate, theme.colour("card", 220))
            painter.setPen(theme.readable(ink))
            painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, words)
        else:
            words = f"gap {units.show(ray.at[2] - ground, 'm')}"
            wide = painter.fontMetrics().horizontalAdvance(words)
            foot = view.at((ray.at[0], ray.at[1], ground)) + QPointF(6, -4)
            if foot.x() + wide > view.box.right() - 4:
                foot.setX(foot.x() - wide - 12)
            painter.fillRect(QRectF(foot.x() - 3, foot.y() - 11, wide + 6, 14), theme.colour("card", 220))
            painter.setPen(theme.colour("soft"))
            painter.drawText(foot, words)


def paint_neutral(painter: QPainter, view: Sheet, craft: Craft) -> None:
    """The neutral point of its wings, a ring, and the way from there to the centre of mass."""
    found = balance.of(craft)
    if found is None or view.across != 0:
        return
    both = common_centre(craft)
    at, centre = view.at((found.neutral, both[1], both[2])), view.at(both)
    ink = theme.colour("good" if found.margin > 0.0 else "warning")
    painter.setPen(QPen(ink, 2.0))
    painter.drawLine(at, centre)
    painter.setBrush(theme.colour("card"))
    painter.drawEllipse(at, 6.0, 6.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    words = f"neutral point, {100.0 * found.share:.0f} % of the chord"
    painter.setFont(theme.font(10))
    wide = painter.fontMetrics().horizontalAdvance(words)
    place = QPointF(at.x() - wide - 12.0, at.y() + 24.0)
    painter.fillRect(QRectF(place.x() - 3, place.y() - 11, wide + 6, 14), theme.colour("card", 220))
    painter.drawText(place, words)


def paint_standing(painter: QPainter, box: QRectF, title: str, lines: list[tuple[str, str]]) -> None:
    """Paints how the craft stands or flies: a name and a sentence on each line, in columns where there is room."""
    painter.setBrush(theme.colour("card"))
    painter.setPen(theme.pen("rule", 1.4))
    painter.drawRect(box)
    painter.setFont(theme.font(theme.SMALL))
    painter.setPen(theme.colour("soft"))
    painter.drawText(box.topLeft() + QPointF(10, 17), title)
    fonts = ((theme.font(theme.SMALL, bold=True), "ink"), (theme.font(theme.SMALL), "good"))

    def tall(line: tuple[str, str], wide: float) -> float:
        return sum(theme.height_of(text, wide, font) for text, (font, _) in zip(line, fonts, strict=True)) + 6.0

    whole = box.width() - 24.0
    fits = sum(tall(line, whole) for line in lines) < box.height() - 30.0
    wide = whole if fits or whole < 2.0 * COLUMN else 0.5 * (whole - 14.0)
    left, top = box.left() + 12.0, box.top() + 26.0
    for line in lines:
        if top + tall(line, wide) > box.bottom() - 4.0:
            left, top = left + wide + 14.0, box.top() + 26.0
            if left + wide > box.right():
                return
        for text, (font, colour) in zip(line, fonts, strict=True):
            height = theme.height_of(text, wide, font)
            painter.setFont(font)
            painter.setPen(theme.colour(colour))
            painter.drawText(QRectF(left, top, wide, height), Qt.TextFlag.TextWordWrap, text)
            top += height
        top += 6.0


def paint_words(painter: QPainter, box: QRectF, lines: list[str]) -> None:
    """The lines about the whole craft."""
    for place, (line, colour) in enumerate(zip(lines, ("ink", "soft"), strict=False)):
        font = theme.font(theme.SMALL if place else theme.READING - 3)
        painter.setFont(font)
        painter.setPen(theme.colour(colour))
        row = QRectF(box.left(), box.top() + 2 + 20 * place, box.width(), 18)
        painter.drawText(row, Qt.AlignmentFlag.AlignVCenter, theme.elide(line, box.width(), font))
