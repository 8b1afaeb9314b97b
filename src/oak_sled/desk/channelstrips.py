"""The channels of a drill over time: a strip each, on which knots are dragged, and a lane of events above them.

Signals of `ChannelStrips`: picked(), previewed(path, value), let_go(label). Paths are below the drill.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.build import tracks
from oak_sled.core.documents.craft import Channel
from oak_sled.core.documents.yard import Drill, Knot, Track
from oak_sled.core.kernel.state import Floats
from oak_sled.core.project import inputs
from oak_sled.desk import theme
from oak_sled.desk.groundplan import ARROWS
from oak_sled.desk.session import Session
from oak_sled.desk.traceplot import thin

LEFT, RIGHT, LANE, AXIS, TALLEST = 96.0, 18.0, 56.0, 24.0, 150
"""px beside the strips, above them for events, below them for the time, and of a strip at most."""
PAD = 9.0
NEAR = 8.0
MOST_KNOTS = 90
"""Knots in sight past which only the line is drawn: a recorded drive is zoomed into first."""
T_STEP, V_STEP = 0.05, 0.05
"""s and share to which a drag is rounded, unless Alt is held."""
SHAPE_WORDS = {"steps": "steps", "ramps": "ramps", "sine": "sine", "pulses": "pulses", "aim": "steered by the driver"}


@dataclass(frozen=True)
class Pick:
    """The selection: "knot" of a channel by number, "track" of a channel, or "event" by name."""

    what: str
    name: str = ""
    number: int = -1


class ChannelStrips(QWidget):
    """Draws what the drill on the bench tells each channel, and what the channel made of it in the run."""

    picked = pyqtSignal()
    previewed = pyqtSignal(str, object)
    let_go = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.chosen = Pick("")
        self.span: tuple[float, float] | None = None  # s in sight; None: the whole drill
        self._hold: tuple[str, QPointF, Drill] | None = None
        self._held_span = (0.0, 1.0)
        self._drawn = QImage()
        self._drawn_key: tuple[object, ...] = ()
        self._drawn_sources: tuple[object, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(190)
        self.setAccessibleName("channels over time")
        self.setToolTip(
            "drag: move a knot, an event, the end · double click: add a knot · Delete: remove it\n"
            "K: a knot at the cursor · wheel: zoom · right drag: pan · Alt: off the grid"
        )
        session.yard_changed.connect(lambda _: self.update())
        session.yard_changed.connect(lambda _: self.fit())
        session.run_changed.connect(self.update)
        session.cursor_moved.connect(self.update)

    # what there is

    @property
    def drill(self) -> Drill:
        """The drill on the bench."""
        return self.session.seen_drill

    @property
    def channels(self) -> tuple[Channel, ...]:
        """The channels of the craft on the bench."""
        return self.session.craft.channels

    def fit(self) -> None:
        """No taller than its strips need."""
        self.setMaximumHeight(round(LANE + AXIS) + TALLEST * max(1, len(self.channels)))

    def choose(self, pick: Pick) -> None:
        """Selects something."""
        self.chosen = pick
        self.picked.emit()
        self.update()

    def knot(self) -> Knot | None:
        """The selected knot."""
        if self.chosen.what != "knot":
            return None
        knots = inputs.track_of(self.drill, self.chosen.name).knots
        return knots[self.chosen.number] if self.chosen.number < len(knots) else None

    # seconds, values and pixels

    def seen(self) -> tuple[float, float]:
        """The stretch of time in sight, s: a little more than the drill."""
        if self._hold is not None:
            return self._held_span
        return self.span or (0.0, self.drill.duration * 1.04)

    def x_of(self, t: float) -> float:
        """A time in px."""
        first, last = self.seen()
        return LEFT + (t - first) / (last - first) * (self.width() - LEFT - RIGHT)

    def t_at(self, x: float) -> float:
        """The time under a px, s."""
        first, last = self.seen()
        return first + (x - LEFT) / (self.width() - LEFT - RIGHT) * (last - first)

    def strip(self, number: int) -> QRectF:
        """Where the strip of a channel lies."""
        high = (self.height() - LANE - AXIS) / max(1, len(self.channels))
        return QRectF(LEFT, LANE + number * high, self.width() - LEFT - RIGHT, high)

    def y_of(self, number: int, value: float) -> float:
        """A value of a channel in px."""
        box = self.strip(number).adjusted(0, PAD, 0, -PAD)
        low = -1.0 if self.channels[number].two_sided else 0.0
        return box.bottom() - (value - low) / (1.0 - low) * box.height()

    def value_at(self, number: int, y: float) -> float:
        """The value of a channel under a px."""
        box = self.strip(number).adjusted(0, PAD, 0, -PAD)
        low = -1.0 if self.channels[number].two_sided else 0.0
        return min(max(low + (box.bottom() - y) / box.height() * (1.0 - low), low), 1.0)

    def spot(self, channel: str, number: int) -> QPointF:
        """Where a knot is, px."""
        place = [one.id for one in self.channels].index(channel)
        knot = inputs.track_of(self.drill, channel).knots[number]
        return QPointF(self.x_of(knot.t), self.y_of(place, knot.value))

    def crest(self, channel: str) -> QPointF:
        """Where a wave is taken hold of: its first crest, by which its height and its period are set."""
        place = [one.id for one in self.channels].index(channel)
        track = inputs.track_of(self.drill, channel)
        begins = track.knots[0].t if track.knots else 0.0
        ahead = 0.25 * track.period if track.shape == "sine" else track.on_share * track.period
        return QPointF(self.x_of(begins + ahead), self.y_of(place, track.amplitude))

    def flag(self, name: str) -> QPointF:
        """Where an event is, px; those close together stand on two lines."""
        events = sorted(self.drill.events, key=lambda event: event.t)
        place = [event.id for event in events].index(name)
        return QPointF(self.x_of(events[place].t), 14.0 + 15.0 * (place % 2))

    def end_mark(self) -> QPointF:
        """Where the end of the drill is dragged, px."""
        return QPointF(self.x_of(self.drill.duration), self.height() - AXIS + 8.0)

    def from_mark(self) -> QPointF:
        """Where the moment that measures count from is dragged, px."""
        return QPointF(self.x_of(self.drill.event_time), self.height() - AXIS + 8.0)

    def under(self, at: QPointF) -> str:
        """What a px takes hold of: "end", "from", "event", "knot", "crest", "strip" or nothing; chooses it."""
        near = lambda spot, reach=NEAR: math.hypot(spot.x() - at.x(), spot.y() - at.y()) < reach  # noqa: E731
        if abs(self.end_mark().x() - at.x()) < NEAR and at.y() > self.height() - AXIS - 4:
            return "end"
        if near(self.from_mark(), NEAR + 3):
            return "from"
        for event in self.drill.events:
            if near(self.flag(event.id), NEAR + 3):
                self.choose(Pick("event", event.id))
                return "event"
        number = self.strip_at(at)
        if number is None:
            return ""
        name = self.channels[number].id
        track = inputs.track_of(self.drill, name)
        if track.shape in ("steps", "ramps") and self._knots_show(track):
            away = [
                math.hypot(s.x() - at.x(), s.y() - at.y())
                for s in (self.spot(name, k) for k in range(len(track.knots)))
            ]
            if away and min(away) < NEAR + 2:
                self.choose(Pick("knot", name, away.index(min(away))))
                return "knot"
        self.choose(Pick("track", name))
        if track.shape in ("sine", "pulses") and near(self.crest(name), NEAR + 3):
            return "crest"
        return "strip"

    def strip_at(self, at: QPointF) -> int | None:
        """The number of the strip under a px."""
        return next(
            (k for k in range(len(self.channels)) if self.strip(k).adjusted(-LEFT, 0, RIGHT, 0).contains(at)), None
        )

    def _knots_show(self, track: Track) -> bool:
        first, last = self.seen()
        return sum(first <= knot.t <= last for knot in track.knots) <= MOST_KNOTS

    # hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        self._held_span = self.seen()
        if event.button() == Qt.MouseButton.RightButton:
            self._hold = ("pan", at, self.drill)
            return
        what = self.under(at)
        if what == "strip" or (not what and at.x() > LEFT):
            self.session.set_time(max(self.t_at(at.x()), 0.0))
            what = "cursor"
        self._hold = (what, at, self.drill) if what else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._hold is None:
            return
        what, start, drill = self._hold
        at, free = event.position(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if what == "pan":
            moved = self.t_at(start.x()) - self.t_at(at.x())
            first, last = self._held_span
            self.span = (first + moved, last + moved)
            self._held_span, self._hold = self.span, (what, at, drill)
            self.update()
        elif what == "cursor":
            self.session.set_time(max(self.t_at(at.x()), 0.0))
        elif (at - start).manhattanLength() >= 3 or self.session.is_previewing:
            self._drag(what, at, drill, free)

    def _drag(self, what: str, at: QPointF, drill: Drill, free: bool) -> None:
        t = max(_rounded(self.t_at(at.x()), 0.0 if free else T_STEP), 0.0)
        if what == "end":
            self.previewed.emit("duration", max(t, 0.05))
        elif what == "from":
            self.previewed.emit("event_time", t)
        elif what == "event":
            self.previewed.emit(f"events.{self.chosen.name}.t", t)
        elif what in ("knot", "crest"):
            number = [one.id for one in self.channels].index(self.chosen.name)
            value = _rounded(self.value_at(number, at.y()), 0.0 if free else V_STEP)
            track = inputs.track_of(drill, self.chosen.name)
            moved = _with_knot(track, self.chosen.number, t, value) if what == "knot" else _with_crest(track, t, value)
            self.previewed.emit("tracks", inputs.with_track(drill, moved).tracks)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        hold, self._hold = self._hold, None
        words = {
            "end": "end of the drill",
            "from": "measure from",
            "event": "move an event",
            "knot": "move a knot",
            "crest": "shape a wave",
        }
        if hold is not None and hold[0] in words:
            self.let_go.emit(words[hold[0]])
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        number = self.strip_at(event.position())
        if number is None or event.position().x() < LEFT:
            self.span = None
            self.update()
            return
        if self.chosen.what != "knot":
            t = max(_rounded(self.t_at(event.position().x()), T_STEP), 0.0)
            self.put_knot(self.channels[number].id, t, _rounded(self.value_at(number, event.position().y()), V_STEP))

    def put_knot(self, channel: str, t: float, value: float) -> None:
        """One knot more, selected."""
        track = inputs.track_of(self.drill, channel)
        if track.shape not in ("steps", "ramps"):
            self.session.say(f"{SHAPE_WORDS[track.shape]}: this shape has no knots (choose steps or ramps first)")
            return
        knots = tuple(sorted((*track.knots, Knot(t=t, value=value)), key=lambda knot: knot.t))
        self.previewed.emit("tracks", inputs.with_track(self.drill, track.replace(knots=knots)).tracks)
        self.let_go.emit("add a knot")
        self.choose(
            Pick("knot", channel, next(k for k, knot in enumerate(knots) if (knot.t, knot.value) == (t, value)))
        )

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        first, last = self.seen()
        t, factor = self.t_at(event.position().x()), 0.85 ** (event.angleDelta().y() / 120.0)
        span = (t + (first - t) * factor, t + (last - t) * factor)
        if 0.02 < span[1] - span[0] < 20.0 * self.drill.duration:
            self.span = span
            self.update()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        way = ARROWS.get(Qt.Key(event.key()))
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif way is not None and self.chosen.what in ("knot", "event"):
            self._step(*way)
        elif event.key() == Qt.Key.Key_K and self.chosen.what in ("knot", "track"):
            value = inputs.value_at(inputs.track_of(self.drill, self.chosen.name), self.session.time)
            self.put_knot(self.chosen.name, round(self.session.time, 3), value)
        else:
            super().keyPressEvent(event)

    def _step(self, along: int, up: int) -> None:
        if self.chosen.what == "event":
            now = next(one for one in self.drill.events if one.id == self.chosen.name)
            self.previewed.emit(f"events.{now.id}.t", max(round(now.t + along * T_STEP, 6), 0.0))
            self.let_go.emit("move an event")
            return
        knot = self.knot()
        if knot is None:
            return
        track = inputs.track_of(self.drill, self.chosen.name)
        low = -1.0 if next(one for one in self.channels if one.id == self.chosen.name).two_sided else 0.0
        value = min(max(round(knot.value + up * V_STEP, 6), low), 1.0)
        moved = _with_knot(track, self.chosen.number, max(round(knot.t + along * T_STEP, 6), 0.0), value)
        self.previewed.emit("tracks", inputs.with_track(self.drill, moved).tracks)
        self.let_go.emit("move a knot")

    def remove(self) -> None:
        """Removes the selection: a knot, an event, or all that a channel is told."""
        drill = self.drill
        if self.chosen.what == "event":
            self.previewed.emit("events", tuple(one for one in drill.events if one.id != self.chosen.name))
            self.let_go.emit("remove an event")
        elif self.knot() is not None:
            track = inputs.track_of(drill, self.chosen.name)
            knots = tuple(knot for k, knot in enumerate(track.knots) if k != self.chosen.number)
            self.previewed.emit("tracks", inputs.with_track(drill, track.replace(knots=knots)).tracks)
            self.let_go.emit("remove a knot")
        elif self.chosen.what == "track":
            self.previewed.emit("tracks", tuple(one for one in drill.tracks if one.channel != self.chosen.name))
            self.let_go.emit(f"clear {self.chosen.name}")
        self.choose(Pick(""))

    # picture

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(0, 0, self._drawing())
        self._paint_cursor(painter)

    def _drawing(self) -> QImage:
        """All but the cursor: redrawn only when something of it changed, since a cursor is scrubbed."""
        sources = (self.drill, self.session.craft, self.session.run, self.session.live_on)
        ratio = self.devicePixelRatioF()
        key = (*map(id, sources), self.seen(), self.chosen, self.size(), ratio, theme.is_night())
        if key != self._drawn_key:
            self._drawn_key, self._drawn_sources = key, sources  # kept: their ids are part of the key
            self._drawn = QImage(self.size() * ratio, QImage.Format.Format_RGB32)
            self._drawn.setDevicePixelRatio(ratio)
            self._drawn.fill(theme.colour("paper"))
            painter = QPainter(self._drawn)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_time(painter)
            for number, channel in enumerate(self.channels):
                self._paint_strip(painter, number, channel)
            self._paint_events(painter)
            if not self.channels:
                painter.setPen(theme.colour("soft"))
                painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "this craft has no channels")
            painter.end()
        return self._drawn

    def _paint_time(self, painter: QPainter) -> None:
        first, last = self.seen()
        step = next(
            (s for s in (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0) if (last - first) / s <= 16),
            600.0,
        )
        painter.setFont(theme.font(10))
        for k in range(math.ceil(max(first, 0.0) / step), math.floor(last / step) + 1):
            x = self.x_of(k * step)
            painter.setPen(theme.pen("shade"))
            painter.drawLine(QPointF(x, LANE), QPointF(x, self.height() - AXIS))
            if min(abs(x - self.end_mark().x()), abs(x - self.from_mark().x())) < 22.0:
                continue  # the mark stands there
            painter.setPen(theme.colour("soft"))
            painter.drawText(
                QRectF(x - 30, self.height() - AXIS + 6, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{k * step:g} s"
            )
        end = self.x_of(self.drill.duration)
        painter.fillRect(QRectF(end, LANE, self.width() - end, self.height() - LANE - AXIS), theme.colour("shade", 150))
        painter.setPen(theme.pen("ink", 2.0))
        painter.drawLine(QPointF(end, LANE - 6), QPointF(end, self.height() - AXIS + 8))
        painter.setBrush(theme.colour("card"))
        painter.drawRect(QRectF(end - 5, self.height() - AXIS + 3, 10, 10))
        painter.setPen(theme.colour("ink"))
        words = f"end {self.drill.duration:g} s"
        painter.drawText(QRectF(end - 84, LANE - 18, 78, 16), Qt.AlignmentFlag.AlignRight, words)
        self._paint_legend(painter, end - 96)
        at = self.from_mark()
        painter.setPen(theme.pen("good", 1.4))
        painter.drawLine(QPointF(at.x(), LANE), QPointF(at.x(), self.height() - AXIS))
        painter.setBrush(theme.colour("good"))
        painter.drawPolygon(QPolygonF([at + QPointF(-5, 6), at + QPointF(5, 6), at + QPointF(0, -3)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_legend(self, painter: QPainter, right: float) -> None:
        """Which line is which, where there is room for it."""
        if right - LEFT < 320:
            return
        for words, ink, wide in (("channel value", "oak", 1.4), ("input", "ink", 2.0)):
            room = painter.fontMetrics().horizontalAdvance(words)
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(right - room, LANE - 18, room + 2, 16), Qt.AlignmentFlag.AlignLeft, words)
            painter.setPen(theme.pen(ink, wide))
            painter.drawLine(QPointF(right - room - 24, LANE - 10), QPointF(right - room - 6, LANE - 10))
            right -= room + 38

    def _paint_strip(self, painter: QPainter, number: int, channel: Channel) -> None:
        box = self.strip(number)
        track = inputs.track_of(self.drill, channel.id)
        in_hand = self.chosen.what in ("knot", "track") and self.chosen.name == channel.id
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(8, box.bottom()), QPointF(self.width() - 8, box.bottom()))
        painter.setPen(theme.pen("shade", 1.4))
        painter.drawLine(QPointF(LEFT, self.y_of(number, 0.0)), QPointF(box.right(), self.y_of(number, 0.0)))
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
        for value in (1.0, -1.0) if channel.two_sided else (1.0,):
            painter.drawText(
                QRectF(LEFT - 30, self.y_of(number, value) - 8, 24, 16), Qt.AlignmentFlag.AlignRight, f"{value:+g}"
            )
        painter.save()
        painter.setClipRect(box)
        self._paint_made(painter, number, channel)
        if track.shape != "aim":
            painter.setPen(QPen(theme.colour("ink"), 2.0))
            painter.drawPolyline(self._line(number, track))
            self._paint_handles(painter, channel.id, track)
        painter.restore()

    def _line(self, number: int, track: Track) -> QPolygonF:
        """What a track tells, as px: a value a pixel, and both ends of every step."""
        first, last = self.seen()
        times = np.linspace(max(first, 0.0), last, max(2, self.width()))
        if track.shape == "steps":
            flanks = np.array([knot.t for knot in track.knots if first <= knot.t <= last])
            times = np.sort(np.concatenate([times, flanks - 1e-6, flanks]))
            times = times[times >= 0.0]
        return self._points(number, times, tracks.sample(track, times))

    def _points(self, number: int, times: Floats, values: Floats) -> QPolygonF:
        """Values of a channel over time as a line in px."""
        first, last = self.seen()
        box = self.strip(number).adjusted(0, PAD, 0, -PAD)
        low = -1.0 if self.channels[number].two_sided else 0.0
        x = LEFT + (times - first) / (last - first) * (self.width() - LEFT - RIGHT)
        y = box.bottom() - (values - low) / (1.0 - low) * box.height()
        return QPolygonF(map(QPointF, x.tolist(), y.tolist()))

    def _paint_made(self, painter: QPainter, number: int, channel: Channel) -> None:
        """What the channel made of it in the run: dead zone, exponent, rise and return."""
        run = self.session.run
        if run is None or channel.id not in run.layout.channels or self.session.live_on:
            return
        times, values = thin(run.t, run.column(f"channel.{channel.id}"), 1600)
        painter.setPen(QPen(theme.colour("oak"), 1.4))
        painter.drawPolyline(self._points(number, times, values))

    def _paint_handles(self, painter: QPainter, name: str, track: Track) -> None:
        painter.setPen(theme.pen("ink", 1.4))
        if track.shape in ("sine", "pulses"):
            painter.setBrush(theme.colour("card"))
            at = self.crest(name)
            painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
            return
        if not self._knots_show(track):
            return
        for k in range(len(track.knots)):
            chosen = self.chosen == Pick("knot", name, k)
            painter.setBrush(theme.colour("oak" if chosen else "card"))
            painter.drawEllipse(self.spot(name, k), 5.5 if chosen else 4.5, 5.5 if chosen else 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        knot = self.knot()
        if knot is not None and self.chosen.name == name:
            at = self.spot(name, self.chosen.number)
            words = f"{knot.t:g} s · {knot.value:g}"
            painter.setFont(theme.font(10))
            wide = painter.fontMetrics().horizontalAdvance(words) + 8
            right = at.x() + 10 + wide < self.width() - RIGHT
            box = QRectF(at.x() + 10 if right else at.x() - 10 - wide, at.y() - 8, wide, 16)
            painter.fillRect(box, theme.colour("card", 235))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_events(self, painter: QPainter) -> None:
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(12, 8, LEFT - 16, 30), int(Qt.TextFlag.TextWordWrap), "events")
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(8, LANE), QPointF(self.width() - 8, LANE))
        ink = theme.family("impulse")
        taken: dict[float, float] = {}
        for event in sorted(self.drill.events, key=lambda event: event.t):
            at = self.flag(event.id)
            chosen = self.chosen == Pick("event", event.id)
            painter.setPen(QPen(ink, 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(at, QPointF(at.x(), self.height() - AXIS))
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
            if box.left() > taken.get(at.y(), -1e9) and box.right() < self.width():
                painter.setPen(theme.colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
                taken[at.y()] = box.right() + 4

    def _paint_cursor(self, painter: QPainter) -> None:
        x = self.x_of(self.session.time)
        if LEFT <= x <= self.width() - RIGHT:
            painter.setPen(QPen(theme.colour("oak_deep"), 1.2))
            painter.drawLine(QPointF(x, LANE - 4), QPointF(x, self.height() - AXIS))


def _with_knot(track: Track, number: int, t: float, value: float) -> Track:
    """The track with one knot elsewhere, between the knots beside it."""
    knots = list(track.knots)
    low = knots[number - 1].t if number > 0 else 0.0
    high = knots[number + 1].t if number + 1 < len(knots) else math.inf
    knots[number] = Knot(t=min(max(t, low), high), value=value)
    return track.replace(knots=tuple(knots))


def _with_crest(track: Track, t: float, value: float) -> Track:
    """The wave with its first crest elsewhere: how high, and how long its period."""
    begins = track.knots[0].t if track.knots else 0.0
    share = 0.25 if track.shape == "sine" else max(track.on_share, 0.02)
    return track.replace(amplitude=value, period=min(max((t - begins) / share, 0.05), 1e4))


def _rounded(value: float, step: float) -> float:
    return round(round(value / step) * step if step else value, 4)
