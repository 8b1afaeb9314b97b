"""Drawing of the channels over time: the time axis, strips, knots, events and the cursor."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from oak_sled.core.assembly import tracks
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.project import inputs
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.drill import Drill, Knot, Track
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session

LEFT, RIGHT, LANE, AXIS, TALLEST = 96.0, 18.0, 56.0, 24.0, 150
"""px beside the strips, above them for events, below them for the time, and of a strip at most."""
PAD = 9.0
MOST_SEEN = 90
"""Knots in sight past which only the line is drawn: a recorded drive is zoomed into first."""
SHAPE_WORDS = {
    "steps": "steps",
    "ramps": "ramps",
    "sine": "sine",
    "pulses": "pulses",
    "aim": "steered by the driver",
    "pace": "paced by the driver",
}


@dataclass(frozen=True)
class Pick:
    """The selection: "knot" of a channel by number, "track" of a channel, "event" or "tie" by name."""

    what: str
    name: str = ""
    number: int = -1


class Lanes(Protocol):
    """The strips as their painter needs them: what there is, and where it stands in px."""

    chosen: Pick

    @property
    def drill(self) -> Drill:
        """The drill on the bench."""

    @property
    def channels(self) -> tuple[Channel, ...]:
        """The channels of the craft."""

    def knot(self) -> Knot | None:
        """The selected knot."""

    def seen(self) -> tuple[float, float]:
        """s of the first and the last moment in sight."""

    def strip(self, number: int) -> QRectF:
        """Rectangle of the strip of a channel."""

    def x_of(self, t: float) -> float:
        """Px of a time."""

    def y_of(self, number: int, value: float) -> float:
        """Px of a value in the strip of a channel."""

    def spot(self, channel: str, number: int) -> QPointF:
        """Px of a knot."""

    def crest(self, channel: str) -> QPointF:
        """Px of the handle of a wave."""

    def flag(self, name: str) -> QPointF:
        """Px of an event."""

    def end_mark(self) -> QPointF:
        """Px of the end of the drill."""

    def from_mark(self) -> QPointF:
        """Px of the moment that measures count from."""

    def knots_seen(self, track: Track) -> range:
        """The numbers of the knots in sight."""

    def knots_show(self, track: Track) -> bool:
        """True if there is room for the knots of a track."""


class ChannelPainter:
    """Paints the strips of channels."""

    def __init__(self, widget: QWidget, strips: Lanes, session: Session):
        self.widget, self.strips, self.session = widget, strips, session

    def paint_time(self, painter: QPainter) -> None:
        first, last = self.strips.seen()
        step = next(
            (s for s in (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0) if (last - first) / s <= 16),
            600.0,
        )
        painter.setFont(theme.font(10))
        for k in range(math.ceil(max(first, 0.0) / step), math.floor(last / step) + 1):
            x = self.strips.x_of(k * step)
            painter.setPen(theme.pen("shade"))
            painter.drawLine(QPointF(x, LANE), QPointF(x, self.widget.height() - AXIS))
            if min(abs(x - self.strips.end_mark().x()), abs(x - self.strips.from_mark().x())) < 22.0:
                continue  # the mark stands there
            painter.setPen(theme.colour("soft"))
            painter.drawText(
                QRectF(x - 30, self.widget.height() - AXIS + 6, 60, 16),
                Qt.AlignmentFlag.AlignCenter,
                units.plain(k * step, "s"),
            )
        end = self.strips.x_of(self.strips.drill.duration)
        painter.fillRect(
            QRectF(end, LANE, self.widget.width() - end, self.widget.height() - LANE - AXIS), theme.colour("shade", 150)
        )
        painter.setPen(theme.pen("ink", 2.0))
        painter.drawLine(QPointF(end, LANE - 6), QPointF(end, self.widget.height() - AXIS + 8))
        painter.setBrush(theme.colour("card"))
        painter.drawRect(QRectF(end - 5, self.widget.height() - AXIS + 3, 10, 10))
        painter.setPen(theme.colour("ink"))
        words = f"end {units.plain(self.strips.drill.duration, 's')}"
        painter.drawText(QRectF(end - 84, LANE - 18, 78, 16), Qt.AlignmentFlag.AlignRight, words)
        self.paint_legend(painter, end - 96)
        at = self.strips.from_mark()
        painter.setPen(theme.pen("good", 1.4))
        painter.drawLine(QPointF(at.x(), LANE), QPointF(at.x(), self.widget.height() - AXIS))
        painter.setBrush(theme.colour("good"))
        painter.drawPolygon(QPolygonF([at + QPointF(-5, 6), at + QPointF(5, 6), at + QPointF(0, -3)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def paint_legend(self, painter: QPainter, right: float) -> None:
        """Paints the legend, where there is room for it."""
        if right - LEFT < 320:
            return
        for words, ink, wide in (("channel value", "oak", 1.4), ("input", "ink", 2.0)):
            room = painter.fontMetrics().horizontalAdvance(words)
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(right - room, LANE - 18, room + 2, 16), Qt.AlignmentFlag.AlignLeft, words)
            painter.setPen(theme.pen(ink, wide))
            painter.drawLine(QPointF(right - room - 24, LANE - 10), QPointF(right - room - 6, LANE - 10))
            right -= room + 38

    def paint_strip(self, painter: QPainter, number: int, channel: Channel) -> None:
        box = self.strips.strip(number)
        track = inputs.track_of(self.strips.drill, channel.id)
        in_hand = self.strips.chosen.what in ("knot", "track") and self.strips.chosen.name == channel.id
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(8, box.bottom()), QPointF(self.widget.width() - 8, box.bottom()))
        painter.setPen(theme.pen("shade", 1.4))
        painter.drawLine(
            QPointF(LEFT, self.strips.y_of(number, 0.0)), QPointF(box.right(), self.strips.y_of(number, 0.0))
        )
        if in_hand:
            painter.fillRect(QRectF(2, box.top() + 4, 4, box.height() - 8), theme.colour("oak"))
        painter.setFont(theme.font(theme.TEXT, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QRectF(12, box.top() + 6, LEFT - 16, 18), Qt.AlignmentFlag.AlignLeft, channel.heading)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        told = bool(track.knots) or track.shape not in ("steps", "ramps")
        painter.drawText(
            QRectF(12, box.top() + 23, LEFT - 16, 32),
            int(Qt.TextFlag.TextWordWrap),
            SHAPE_WORDS[track.shape] if told else "no input",
        )
        for value in (1.0, -1.0) if channel.least_input < 0.0 else (1.0,):
            painter.drawText(
                QRectF(LEFT - 30, self.strips.y_of(number, value) - 8, 24, 16),
                Qt.AlignmentFlag.AlignRight,
                f"{value:+g}",
            )
        painter.save()
        painter.setClipRect(box)
        self.paint_made(painter, number, channel)
        if track.shape != "aim":
            seen = self.strips.knots_seen(track)
            if track.shape in ("steps", "ramps") and self.is_dense(len(seen)):
                part = slice(seen.start, seen.stop)
                self.paint_dense(painter, number, track.times[part], track.values[part], QPen(theme.colour("ink"), 2.0))
            else:
                painter.setPen(QPen(theme.colour("ink"), 2.0))
                painter.drawPolyline(self.line(number, track))
            self.paint_handles(painter, channel.id, track)
        painter.restore()

    def line(self, number: int, track: Track) -> QPolygonF:
        """The values of a track, as px: a value a pixel, and both ends of every step."""
        first, last = self.strips.seen()
        times = np.linspace(max(first, 0.0), last, max(2, self.widget.width()))
        if track.shape == "steps":
            seen = self.strips.knots_seen(track)
            flanks = track.times[seen.start : seen.stop]
            times = np.sort(np.concatenate([times, flanks - 1e-6, flanks]))
            times = times[times >= 0.0]
        return self.points(number, times, tracks.sample(track, times))

    def points(self, number: int, times: Floats, values: Floats) -> QPolygonF:
        """Values of a channel over time as a line in px."""
        first, last = self.strips.seen()
        box = self.strips.strip(number).adjusted(0, PAD, 0, -PAD)
        low = self.strips.channels[number].least_input
        x = LEFT + (times - first) / (last - first) * (self.widget.width() - LEFT - RIGHT)
        y = box.bottom() - (values - low) / (1.0 - low) * box.height()
        return QPolygonF(map(QPointF, x.tolist(), y.tolist()))

    def paint_made(self, painter: QPainter, number: int, channel: Channel) -> None:
        """Paints what the channel made of it in the run: dead zone, exponent, rise and return."""
        run = self.session.shown.run
        if run is None or channel.id not in run.layout.channels or self.session.shown.live_on:
            return
        pen = QPen(theme.colour("oak"), 1.4)
        first, last = self.strips.seen()
        part = slice(run.at(first), run.at(last) + 2)
        times, values = run.t[part], run.column(f"channel.{channel.id}")[part]
        if self.is_dense(len(times)):
            self.paint_dense(painter, number, times, values, pen)
        else:
            painter.setPen(pen)
            painter.drawPolyline(self.points(number, times, values))

    def is_dense(self, count: int) -> bool:
        """True if so many values in sight are more than there are pixels for."""
        return count > 2 * self.widget.width()

    def paint_dense(self, painter: QPainter, number: int, times: Floats, values: Floats, pen: QPen) -> None:
        """Fills each stretch between its least and its greatest value: a line through very many values
        that goes up and down within each pixel would take minutes, and look the same."""
        stretch = -(-len(times) // self.widget.width())
        begins = np.arange(0, len(times), stretch)
        low, high = np.minimum.reduceat(values, begins), np.maximum.reduceat(values, begins)
        # each stretch reaches the values beside it, as a line does
        low[1:], high[1:] = np.minimum(low[1:], values[begins[1:] - 1]), np.maximum(high[1:], values[begins[1:] - 1])
        there, back = self.points(number, times[begins], low), self.points(number, times[begins][::-1], high[::-1])
        there.translate(0.0, 0.5 * pen.widthF())
        back.translate(0.0, -0.5 * pen.widthF())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(pen.color())
        painter.drawPolygon(there + back)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def paint_handles(self, painter: QPainter, name: str, track: Track) -> None:
        painter.setPen(theme.pen("ink", 1.4))
        if track.shape in ("sine", "pulses"):
            painter.setBrush(theme.colour("card"))
            at = self.strips.crest(name)
            painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
            return
        if not self.strips.knots_show(track):
            return
        for k in self.strips.knots_seen(track):
            chosen = self.strips.chosen == Pick("knot", name, k)
            painter.setBrush(theme.colour("oak" if chosen else "card"))
            painter.drawEllipse(self.strips.spot(name, k), 5.5 if chosen else 4.5, 5.5 if chosen else 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        knot = self.strips.knot()
        if knot is not None and self.strips.chosen.name == name:
            at = self.strips.spot(name, self.strips.chosen.number)
            words = f"{units.plain(knot.t, 's')} · {knot.value:g}"
            painter.setFont(theme.font(10))
            wide = painter.fontMetrics().horizontalAdvance(words) + 8
            right = at.x() + 10 + wide < self.widget.width() - RIGHT
            box = QRectF(at.x() + 10 if right else at.x() - 10 - wide, at.y() - 8, wide, 16)
            painter.fillRect(box, theme.colour("card", 235))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def paint_events(self, painter: QPainter) -> None:
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(12, 8, LEFT - 16, 30), int(Qt.TextFlag.TextWordWrap), "events")
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(8, LANE), QPointF(self.widget.width() - 8, LANE))
        ink = theme.family("impulse")
        taken: dict[float, float] = {}
        for event in sorted(self.strips.drill.events, key=lambda event: event.t):
            at = self.strips.flag(event.id)
            chosen = self.strips.chosen == Pick("event", event.id)
            painter.setPen(QPen(ink, 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(at, QPointF(at.x(), self.widget.height() - AXIS))
            painter.setPen(QPen(theme.colour("ink") if chosen else ink, 1.6))
            painter.setBrush(ink)
            size = 6.5 if chosen else 5.0
            painter.drawPolygon(
                QPolygonF([at + QPointF(0, size), at + QPointF(-size, -size), at + QPointF(size, -size)])
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
            words = event.heading
            wide = painter.fontMetrics().horizontalAdvance(words)
            box = QRectF(at.x() + 9, at.y() - 8, wide + 2, 16)
            if box.left() > taken.get(at.y(), -1e9) and box.right() < self.widget.width():
                painter.setPen(theme.colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
                taken[at.y()] = box.right() + 4

    def paint_cursor(self, painter: QPainter) -> None:
        x = self.strips.x_of(self.session.shown.time)
        if LEFT <= x <= self.widget.width() - RIGHT:
            painter.setPen(QPen(theme.colour("oak_deep"), 1.2))
            painter.drawLine(QPointF(x, LANE - 4), QPointF(x, self.widget.height() - AXIS))
