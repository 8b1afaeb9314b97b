"""Annotations over the picture: force arrows, readouts, flashes, paths and marks."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QPainter,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QWidget

from oak_sled.core.assembly import bodynames
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import copies, moments, rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.shown import Shown
from oak_sled.desk.yardview import arrows, supports, throws, tiepaint, volumepaint
from oak_sled.desk.yardview.camera import Camera
from oak_sled.desk.yardview.pane import Pane

FLASH_S = 0.7
HIDDEN_FAMILIES = {"gravity"}
DRAWN_LINES = {"gravity": "gravity", "contact": "support", "walls": "impulse", "edge": "impulse"}
"""Ledger lines beside those of the parts that are drawn as arrows, with their family."""
_SWITCHED = {
    "m/s": ("km/h", 3.6),
    "°/s": ("rad/s", math.pi / 180.0),
    "°": ("rad", math.pi / 180.0),
    "g": ("m/s2", 9.80665),
}


class Canvas(Protocol):
    """The view as its annotations need it."""

    readouts: list[str]
    switched_units: set[str]
    hidden: set[str]
    labels_on: bool
    is_blind: bool
    smooth_next: bool

    def scale(self) -> float:
        """m of an arrow for a kN."""

    def others(self, run: Run) -> list[tuple[Run, int]]:
        """The other crafts of a run, with their rows."""

    def twins(self) -> list[tuple[Run, int]]:
        """The twins, with their rows."""


class Annotations:
    """Draws over one picture of a yard view, in the px of that picture."""

    def __init__(self, widget: QWidget, view: Canvas, pane: Pane, shown: Shown):
        self.widget, self.view, self.pane, self.shown = widget, view, pane, shown
        self._seen: tuple[Run, int, list[supports.Ray]] | None = None

    @property
    def across(self) -> int:
        """px of the picture that is drawn over: half of the view where another one stands beside it."""
        camera = self.pane.camera
        return self.widget.width() if camera is None else camera.width

    def _within(self, at: QPointF) -> bool:
        return QRectF(0.0, 0.0, float(self.across), float(self.widget.height())).contains(at)

    def overlay(self, painter: QPainter, run: Run, row: int) -> None:
        if self.view.is_blind:
            return
        labels = arrows.Labels(self.across, self.widget.height())
        camera = self.pane.camera
        if camera is not None and "air" not in self.view.hidden:
            volumepaint.paint(painter, run, row, camera, labels if self.view.labels_on else None)
        self.paint_readouts(painter, run, row, labels)
        self.paint_flash(painter, run, row, labels)
        if camera is None:
            return
        middle, depth = camera.project(run.place_at(row))
        at = QPointF(*middle[0])
        if depth[0] <= 0.0 or not self._within(at):
            self.paint_edge_marker(painter, run, row, at, float(depth[0]))
        labels.block(QRectF(at.x() - 46, at.y() - 34, 92, 62))  # the craft itself stays in sight
        for child in self.widget.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly):
            if child.isVisible():
                labels.block(QRectF(child.geometry()).translated(-self.pane.left, 0.0))
        if "support" not in self.view.hidden:
            supports.paint(painter, run, run.own_row(row), camera, self._rays(run, row))
        if run.layout.ties and "tie" not in self.view.hidden:
            tiepaint.paint(painter, run, row, camera, labels if self.view.labels_on else None)
        throws.paint(painter, run, row, camera, self.shown.live_on or not self.view.smooth_next)
        for body in run.job.bodies:
            self.paint_arrows(painter, run.seen_from(body.id), row, camera, labels)
        whole = run.job.craft.id
        self.paint_copy(painter, run, row, camera, labels)
        named = [(one, at, "ink", "") for one, at in self.view.others(run) if one.job.craft.id != whole]
        named += [(one, at, "good", "twin: ") for one, at in self.view.twins()]
        if named:
            named.append((run, row, "oak_deep", ""))
        for other, other_row, colour, word in named:
            place, depth = camera.project(other.place_at(other_row))
            at = QPointF(*place[0])
            if other is not run and (depth[0] <= 0.0 or not self._within(at)):
                self.paint_edge_marker(painter, other, other_row, at, float(depth[0]))
            elif depth[0] > 0.1:
                text = word + other.job.single.heading
                labels.draw(painter, QPointF(*place[0]) - QPointF(0, 20), text, theme.colour(colour))

    def paint_copy(self, painter: QPainter, run: Run, row: int, camera: Camera, labels: arrows.Labels) -> None:
        """The place at which the craft is seen over the network, and how far off that is."""
        copy = copies.as_run(run)
        if copy is None:
            return
        found = copies.beside(run)
        assert found is not None
        there = copy.place_at(copy.at(run.t[row]))
        px, depth = camera.project(np.array([run.place_at(row), there]))
        if min(depth) <= 0.1:
            return
        first, last = QPointF(*px[0]), QPointF(*px[1])
        colour = theme.colour("copy")
        painter.setPen(QPen(colour, 1.6, Qt.PenStyle.DotLine))
        painter.drawLine(first, last)
        off = float(np.linalg.norm(there - run.place_at(row)))
        labels.draw(
            painter, last - QPointF(0, 34), f"{copies.whose(found.network)}: {units.show(off, 'm')} off", colour
        )

    def paint_arrows(self, painter: QPainter, run: Run, row: int, camera: Camera, labels: arrows.Labels) -> None:
        if row == 0 and run.ticks > 0:
            row = 1  # nothing is booked before the first tick
        numbers = run.own_row(row)
        position, scale = numbers[0:3], self.view.scale() / 1000.0
        pushes = list(self.pushes(run, numbers, self._rays(run, row)))
        # one projection for all: foot and head of every force, a point above the craft for torques
        ends = [position, position + [0.0, 0.0, 1.0]]
        # a force of a hit lasts one tick, and a wing lifts all of its craft: arrows are cut to what fits the picture
        longest = {"support": 2.2, "air": 1.5 * max(run.job.single.body.half_extents())}
        for _, family, point, force, _, size in pushes:
            ends += [point, point + force * min(scale, longest.get(family, 9.0) / max(size, 1e-9))]
        px, depth = camera.project(np.array(ends))
        for place, (title, family, _, _, torque, size) in enumerate(pushes):
            k = 2 + 2 * place
            if size * scale > 0.04:
                start, end = QPointF(*px[k]), QPointF(*px[k + 1])
                seen = min(depth[k], depth[k + 1]) > 0.1
                if seen and arrows.draw(painter, start, end, family, self.view.smooth_next) and self.view.labels_on:
                    labels.draw(painter, end, f"{title} {units.show(size, 'N')}", theme.family(family))
            elif abs(torque) > 1.0 and size < 1e-6 and min(depth[0], depth[1]) > 0.1:
                radius = max(24.0, 1.1 * abs(float(px[0][1] - px[1][1])))
                arrows.turn(painter, QPointF(*px[0]), radius, torque, family)
                if self.view.labels_on:
                    text = f"{title} {units.show(torque, 'N m')}"
                    labels.draw(painter, QPointF(px[0][0] + radius, px[0][1]), text, theme.family(family))
        self.paint_velocity(painter, run, numbers, camera)

    def _rays(self, run: Run, row: int) -> list[supports.Ray]:
        """The rays of a craft in a row, found once for all that draws them."""
        if self._seen is None or self._seen[0] is not run or self._seen[1] != row:
            self._seen = (run, row, supports.seen(run, run.own_row(row)))
        return self._seen[2]

    def pushes(
        self, run: Run, numbers: Floats, rays: list[supports.Ray]
    ) -> Iterator[tuple[str, str, Floats, Floats, float, float]]:
        """(title, family, point, force, yaw torque, size) of every line of a recorded row that is drawn."""
        layout = run.layout
        for part in run.job.single.parts:
            if part.FAMILY in self.view.hidden or part.legs():
                continue
            wheels = bodynames.wheel_names(run.job.single, part) if part.SLIDES else ()
            if wheels:
                yield from self.of_tires(run, numbers, wheels)
                continue
            place, at = layout.own_place(f"{part.id}.force.x"), layout.own_place(f"{part.id}.point.x")
            force = numbers[place : place + 3]
            size = math.sqrt(force[0] ** 2 + force[1] ** 2 + force[2] ** 2)
            yield part.heading.lower(), part.FAMILY, numbers[at : at + 3], force, float(numbers[place + 5]), size
        if "support" not in self.view.hidden:
            for word, touches, mount, point, load in rays:
                if touches and load != 0.0:
                    away = mount - point
                    push = load / max(float(np.linalg.norm(away)), 1e-9) * away
                    yield word, "support", point, push, 0.0, abs(load)
        own = [(one.line, one.FAMILY_OF[one.does], one.heading) for one in run.job.ground.volumes if one.pushes]
        for name, family, title in (*((name, family, name) for name, family in DRAWN_LINES.items()), *own):
            if family not in self.view.hidden:
                place = layout.own_place(f"{name}.force.x")
                force = numbers[place : place + 3]
                size = math.sqrt(force[0] ** 2 + force[1] ** 2 + force[2] ** 2)
                yield title, family, numbers[0:3], force, 0.0, size

    def of_tires(
        self, run: Run, numbers: Floats, wheels: tuple[str, ...]
    ) -> Iterator[tuple[str, str, Floats, Floats, float, float]]:
        """The same for what each tire pushes along and to its left, at its contact."""
        axes, words = rotations.rotation(numbers[3:7]), traces.ray_words(run.job.single)
        for name in wheels:
            place = run.layout.own_place
            owner, _, number = name.rpartition(".")
            along, side = (float(numbers[place(f"{name}.{one}")]) for one in ("along", "side"))
            turn, at = float(numbers[place(f"{name}.steer")]), place(f"{name}.point.x")
            ahead = math.cos(turn) * axes[:, 0] + math.sin(turn) * axes[:, 1]
            left = math.cos(turn) * axes[:, 1] - math.sin(turn) * axes[:, 0]
            word = words[owner][int(number) - 1]
            yield word, "grip", numbers[at : at + 3], along * ahead + side * left, 0.0, math.hypot(along, side)

    def paint_velocity(self, painter: QPainter, run: Run, numbers: Floats, camera: Camera) -> None:
        v = numbers[7:10]
        if float(np.linalg.norm(v)) < 0.3:
            return
        foot = np.array([numbers[0], numbers[1], numbers[2] - run.job.single.foot_depth() + 0.03])
        ends, depth = camera.project(np.stack([foot, foot + v * 0.35]))
        if min(depth) > 0.1:
            painter.setPen(QPen(theme.colour("soft"), 1.4, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(*ends[0]), QPointF(*ends[1]))
            painter.setBrush(theme.colour("soft"))
            painter.drawEllipse(QPointF(*ends[1]), 2.0, 2.0)
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def paint_readouts(self, painter: QPainter, run: Run, row: int, labels: arrows.Labels) -> None:
        box = QRectF(10, 10, 246, 10 + 23 * len(self.view.readouts))
        if not self.view.readouts:
            return
        painter.fillRect(box, theme.colour("card", 225))
        labels.block(box)
        self.pane.boxes = []
        for place, name in enumerate(self.view.readouts):
            trace = traces.describe(run, name)
            values = traces.seen(run, name)[: row + 1]
            factor, unit = units.in_use().shown(1.0, trace.unit)
            if name in self.view.switched_units and trace.unit in _SWITCHED:
                unit, factor = _SWITCHED[trace.unit]
            unit = units.pretty(unit)
            base = box.top() + 21 + 23 * place
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QPointF(box.left() + 8, base), trace.heading)
            low, high, last = (
                units.above_floor(float(one), trace.unit) * factor for one in (values.min(), values.max(), values[-1])
            )
            now, _ = units.split(units.settled(last, max(abs(low), abs(high))), "")
            theme.number(painter, box.left() + 158, base, now, unit, 16, theme.colour("ink"), theme.colour("soft"))
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("soft"))
            stretch = f"{_short(low)} … {_short(high)}"
            painter.drawText(QPointF(box.left() + 240 - theme.width(stretch, theme.font(10)), base), stretch)
            self.pane.boxes.append((QRectF(box.left(), base - 17, box.width(), 23), name))

    def paint_flash(self, painter: QPainter, run: Run, row: int, labels: arrows.Labels) -> None:
        words = []
        for part in run.job.single.parts:
            active = float(run.own_row(row)[run.layout.own_place(f"{part.id}.activity")])
            if part.FLASH and active > part.EVENT_FROM:
                words.append((f"{part.FLASH} · {part.heading.lower()}", "holder" if part.LIMITS else "impulse"))
        now = row * run.job.dt
        parts = run.job.single.parts
        steady = {part.EVENT for part in parts if part.FLASH or (part.FAMILY == "impulse" and not part.LAUNCHES)}
        if not self.shown.live_on or run.ticks < 4000:
            for event in moments.events(run):
                age = now - event.row * run.job.dt
                if 0.0 <= age < FLASH_S and event.word not in steady:
                    words.append((event.says or event.word.upper(), "impulse" if event.word != "gate" else "grip"))
        if run.message and row >= run.ticks - 1:
            words.append(("DIVERGED", "impulse"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        for place, (text, family) in enumerate(words[:3]):
            wide = painter.fontMetrics().horizontalAdvance(text) + 20
            box = QRectF(self.across - 12 - wide, 10 + 26 * place, wide, 22)
            painter.fillRect(box, QColor(theme.FAMILIES[family]).darker(115))
            painter.setPen(QColor("#FFFFFF"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            labels.block(box)

    def paint_edge_marker(self, painter: QPainter, run: Run, row: int, at: QPointF, depth: float) -> None:
        camera = self.pane.camera
        assert camera is not None
        position = run.place_at(row)
        far = float(np.linalg.norm(position - camera.target))
        middle = QPointF(self.across / 2, self.widget.height() / 2)
        away = QPointF(at.x() - middle.x(), at.y() - middle.y())
        if depth <= 0.0:
            away = QPointF(-away.x(), abs(away.y()) + 1.0)
        size = math.hypot(away.x(), away.y()) or 1.0
        ux, uy = away.x() / size, away.y() / size
        reach = min((middle.x() - 26) / max(abs(ux), 1e-6), (middle.y() - 26) / max(abs(uy), 1e-6))
        tip = QPointF(middle.x() + ux * reach, middle.y() + uy * reach)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("oak_deep"))
        back = QPointF(tip.x() - ux * 18, tip.y() - uy * 18)
        painter.drawPolygon(QPolygonF([tip, back + QPointF(-uy * 9, ux * 9), back + QPointF(uy * 9, -ux * 9)]))
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        text = f"{run.job.single.heading} {units.show(far, 'm')}"
        wide = painter.fontMetrics().horizontalAdvance(text) + 8.0
        box = QRectF(back.x() - ux * 16 - wide / 2, back.y() - uy * 16 - 10, wide, 20)
        box.moveLeft(min(max(box.left(), 4.0), self.across - wide - 4.0))
        painter.fillRect(box, theme.colour("card", 220))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _short(value: float) -> str:
    if abs(value) < 5e-3:
        return "0"
    return f"{value:.0f}" if abs(value) >= 100 else f"{value:.3g}" if abs(value) >= 10 else f"{value:.2f}"
