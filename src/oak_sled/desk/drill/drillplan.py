"""The start of a drill on the plan: place, heading, speed and spin are dragged; pulls and pokes of its events too."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.results import recorded
from oak_sled.core.yard.event import Event
from oak_sled.desk.drawing.grid import rounded
from oak_sled.desk.ground.groundpaint import HANDLE
from oak_sled.desk.ground.groundplan import GRID, GroundPlan
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview import arrows, throws
from oak_sled.desk.yardview.camera import box_of
from oak_sled.desk.yardview.marks import path_of

SPIN_RADIUS = 30.0
"""px from the start to where its spin is taken hold of: an arc as long as what it turns in a second."""
MOST_SPIN = 300.0
"""°/s that the arc can show."""


class DrillPlan(GroundPlan):
    """The ground from above, not edited here, with the start, the path of the run and what the events do.

    Speeds are drawn a second long: an arrow of 8 m is 8 m/s.
    """

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(session, parent)
        self.setMinimumSize(320, 180)
        self.setAccessibleName("plan of the start")
        self.setToolTip(
            "drag: place, heading (round), speed (arrow tip), spin (arc), pulls and pokes · Alt: off the grid"
        )
        session.shown.run_changed.connect(self.update)
        session.shown.cursor_moved.connect(self.update)

    def box(self) -> QRectF:
        return QRectF(self.rect())

    def _sources(self) -> tuple[object, ...]:
        return self.session.seen_drill.start, self.session.shown.run

    def _extent(self) -> tuple[float, float, float, float]:
        """The path and the start, with room round them."""
        spots = [(self.session.seen_drill.start.x, self.session.seen_drill.start.y)]
        run = self.session.shown.run
        if run is not None and run.ticks:
            spots += [tuple(corner[:2]) for corner in box_of(run)]
        low, high = np.min(spots, axis=0), np.max(spots, axis=0)
        room = max(6.0, 0.12 * float(np.max(high - low)))
        return float(low[0] - room), float(low[1] - room), float(high[0] + room), float(high[1] + room)

    # what can be taken hold of

    def marks(self) -> dict[str, QPointF]:
        """Handles of the start and of the vectors of events, px."""
        start = self.session.seen_drill.start
        turn = math.radians(start.heading_deg)
        cos, sin = math.cos(turn), math.sin(turn)
        at = self.at(start.x, start.y)
        tip = self.at(
            start.x + cos * start.speed - sin * start.side_speed, start.y + sin * start.speed + cos * start.side_speed
        )
        if math.hypot(tip.x() - at.x(), tip.y() - at.y()) < 2.5 * HANDLE:  # a standing start: its tip is out of the way
            tip = at + QPointF(-14.0 * cos - 14.0 * sin, 14.0 * sin - 14.0 * cos)
        spin = turn + math.radians(min(max(start.yaw_rate_deg, -MOST_SPIN), MOST_SPIN))
        found = {
            "turn": at + QPointF(52 * cos, -52 * sin),
            "spin": at + QPointF(SPIN_RADIUS * math.cos(spin), -SPIN_RADIUS * math.sin(spin)),
            "speed": tip,
            "start": at,
        }
        for event in self.session.drill.events:
            if event.what in ("release", "poke"):
                base, scale = self.base_of(event)
                found[f"event {event.id}"] = self.at(base[0] + event.x * scale, base[1] + event.y * scale)
        return found

    def base_of(self, event: Event) -> tuple[tuple[float, float], float]:
        """Base of the vector of an event, m, and the m it is drawn for each m of pull or N s of a poke."""
        run, mass = self.session.shown.run, self.session.craft.body.true_mass()
        place = (self.session.seen_drill.start.x, self.session.seen_drill.start.y)
        block = next((one for one in self.ground.blocks if one.id == event.target), None)
        if event.what == "poke" and block is not None:
            mass, place = block.mass, (block.x, block.y)
            columns = [f"block.{block.id}.position.x", f"block.{block.id}.position.y"]
        else:
            columns = ["position.x", "position.y"]
        if run is not None and run.ticks and all(name in run.layout.names for name in columns):
            x, y = run.columns(*columns)[run.at(event.t)]
            place = (float(x), float(y))
        return place, 1.0 if event.what == "release" else 1.0 / mass

    # hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        self.hold_frame()
        near = {name: math.hypot(spot.x() - at.x(), spot.y() - at.y()) for name, spot in self.marks().items()}
        name = min(near, key=lambda name: near[name])
        held = near[name] < HANDLE + 3 and event.button() == Qt.MouseButton.LeftButton
        self._hold = (name if held else "pan", at, {})

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._hold is None:
            return
        what, start, held = self._hold
        at, free = event.position(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if what == "pan":
            self.shift += at - start
            self._hold = (what, at, held)
        elif (at - start).manhattanLength() >= 3 or self.session.is_previewing:
            self._drag_mark(what, at, free)
        self.update()

    def _drag_mark(self, what: str, at: QPointF, free: bool) -> None:
        start = self.session.seen_drill.start
        x, y = self.place(at)
        step = 0.0 if free else GRID
        if what.startswith("event "):
            event = next(one for one in self.session.drill.events if one.id == what.removeprefix("event "))
            base, scale = self.base_of(event)
            unit = 0.1 if event.what == "release" else 1.0
            fields = {
                "x": rounded((x - base[0]) / scale, 0.0 if free else unit),
                "y": rounded((y - base[1]) / scale, 0.0 if free else unit),
            }
            self.previewed.emit(f"events.{event.id}", event.replace(**fields))
            return
        angle = math.degrees(math.atan2(y - start.y, x - start.x))
        if what == "start":
            moved = start.replace(x=rounded(x, step), y=rounded(y, step))
        elif what == "turn":
            moved = start.replace(heading_deg=rounded(angle, 0.0 if free else 5.0))
        elif what == "spin":
            rate = (angle - start.heading_deg + 180.0) % 360.0 - 180.0
            moved = start.replace(yaw_rate_deg=rounded(rate, 0.0 if free else 5.0))
        else:
            turn = math.radians(start.heading_deg)
            dx, dy = x - start.x, y - start.y
            ahead, left = dx * math.cos(turn) + dy * math.sin(turn), dy * math.cos(turn) - dx * math.sin(turn)
            moved = start.replace(
                speed=rounded(ahead, 0.0 if free else 0.5), side_speed=rounded(left, 0.0 if free else 0.5)
            )
        self.previewed.emit("start", moved)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        hold, self._hold = self._hold, None
        if hold is not None and hold[0] != "pan":
            words = {
                "start": "move the start",
                "turn": "turn the start",
                "spin": "spin of the start",
                "speed": "speed of the start",
            }
            self.released.emit(words.get(hold[0], "aim an event"))
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None:
            QWidget.keyPressEvent(self, event)

    # picture

    def _paint_edges(self, painter: QPainter) -> None:
        """The start is what is looked at here: the edge of the ground would only be a line beside it."""

    def _paint(self) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(0, 0, self.base_layer(set()))
        self.words = []
        run = self.session.shown.run
        if run is not None and run.ticks and not self.session.shown.live_on:
            told = recorded.beside(run)
            if told is not None:
                painter.setPen(QPen(theme.colour("game"), 1.4))
                painter.drawPolyline(self.line_of(path_of(told, 0, told.ticks)))
            place = path_of(run, 0, run.ticks)
            painter.setPen(QPen(theme.colour("oak"), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(self.line_of(place))
            painter.setBrush(theme.colour("oak"))
            now = run.own_row(self.session.shown.row)
            painter.drawEllipse(self.at(float(now[0]), float(now[1])), 3.5, 3.5)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.family("impulse"), 1.2))
            for _, flown, _ in throws.flights(run, run.ticks):
                painter.drawPolyline(self.line_of(flown[:: max(1, len(flown) // 60)]))
        for one in self.session.drill.events:
            if one.what in ("release", "poke"):
                self._paint_event(painter, one)
        self._paint_start(painter)

    def _paint_event(self, painter: QPainter, event: Event) -> None:
        (x, y), scale = self.base_of(event)
        at, tip = self.at(x, y), self.at(x + event.x * scale, y + event.y * scale)
        ink = theme.family("impulse")
        if event.what == "release":
            sling = next((part for part in self.session.craft.parts if part.id == event.target), None)
            painter.setPen(QPen(ink, 1.6, Qt.PenStyle.DashLine))
            painter.drawLine(at, tip)
            if sling is not None and sling.PULLED:
                radius = sling.cap * self.scale()
                painter.setPen(QPen(theme.colour("soft"), 1.0, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, radius, radius)
            words = f"pull {units.show(math.hypot(event.x, event.y, event.z), 'm')}"
        else:
            arrows.draw(painter, at, tip, "impulse", True)
            words = f"poke {units.show(math.hypot(event.x, event.y, event.z), 'N s')}"
        painter.setPen(QPen(ink, 1.4))
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(tip, 5.0, 5.0)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(tip + QPointF(9, 4), words)

    def _paint_start(self, painter: QPainter) -> None:
        self.paint_other_starts(painter)
        start, marks = self.session.seen_drill.start, self.marks()
        at, ink = marks["start"], theme.colour("good")
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("good", 1.4))
        painter.drawLine(at, marks["turn"])
        box = QRectF(at.x() - SPIN_RADIUS, at.y() - SPIN_RADIUS, 2 * SPIN_RADIUS, 2 * SPIN_RADIUS)
        painter.setPen(theme.pen("good", 2.2))
        span = min(max(start.yaw_rate_deg, -MOST_SPIN), MOST_SPIN)
        painter.drawArc(box, round(start.heading_deg * 16), round(span * 16))
        speed = math.hypot(start.speed, start.side_speed)
        painter.setPen(theme.pen("ink", 1.8 if speed else 1.0))
        painter.drawLine(at, marks["speed"])
        painter.setPen(theme.pen("good", 1.6))
        for name, colour in (("turn", "card"), ("spin", "card"), ("start", "good")):
            painter.setBrush(theme.colour(colour))
            painter.drawEllipse(marks[name], 5.0, 5.0)
        painter.setPen(theme.pen("ink", 1.4))
        painter.setBrush(theme.colour("card"))
        tip = marks["speed"]
        painter.drawRect(QRectF(tip.x() - 4.5, tip.y() - 4.5, 9, 9))
        painter.setPen(ink)
        painter.setFont(theme.font(theme.SMALL))
        words = f"start · {units.show(speed, 'm/s')} · {units.plain(start.heading_deg, '°')}"
        if start.yaw_rate_deg:
            words += f" · {units.plain(start.yaw_rate_deg, '°/s')}"
        painter.drawText(at + QPointF(-30, 48), words)
