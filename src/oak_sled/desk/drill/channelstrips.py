"""The channels of a drill over time: a strip each, on which knots are dragged, and a lane of events above them.

Signals of `ChannelStrips`: picked(), previewed(path, value), released(label). Paths are below the drill.
"""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.project import inputs
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.drill import MOST_KNOTS, Drill, Knot, Track
from oak_sled.desk.drawing.grid import ARROWS
from oak_sled.desk.drill.channelpaint import (
    AXIS,
    LANE,
    LEFT,
    MOST_SEEN,
    PAD,
    RIGHT,
    SHAPE_WORDS,
    TALLEST,
    ChannelPainter,
    Pick,
)
from oak_sled.desk.widgets import keys, theme
from oak_sled.desk.work.session import Session

NEAR = 8.0
T_STEP, V_STEP = 0.05, 0.05
"""s and share to which a drag is rounded, unless Alt is held."""


class ChannelStrips(QWidget):
    """Draws the input of each channel in the drill on the bench, and the shaped value in the run."""

    PROMISED = keys.Keys.of(*keys.ARROWS, *keys.REMOVE, Qt.Key.Key_K)

    picked = pyqtSignal()
    previewed = pyqtSignal(str, object)
    released = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.chosen = Pick("")
        self.span: tuple[float, float] | None = None  # s in sight; None: the whole drill
        self._hold: tuple[str, QPointF, Drill] | None = None
        self._held_span = (0.0, 1.0)
        self.painter = ChannelPainter(self, self, session)
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
        session.shown.run_changed.connect(self.update)
        session.shown.cursor_moved.connect(self.update)

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
        """Rectangle of the strip of a channel."""
        high = (self.height() - LANE - AXIS) / max(1, len(self.channels))
        return QRectF(LEFT, LANE + number * high, self.width() - LEFT - RIGHT, high)

    def y_of(self, number: int, value: float) -> float:
        """A value of a channel in px."""
        box = self.strip(number).adjusted(0, PAD, 0, -PAD)
        low = self.channels[number].least_input
        return box.bottom() - (value - low) / (1.0 - low) * box.height()

    def value_at(self, number: int, y: float) -> float:
        """The value of a channel under a px."""
        box = self.strip(number).adjusted(0, PAD, 0, -PAD)
        low = self.channels[number].least_input
        return min(max(low + (box.bottom() - y) / box.height() * (1.0 - low), low), 1.0)

    def spot(self, channel: str, number: int) -> QPointF:
        """Position of a knot, px."""
        place = [one.id for one in self.channels].index(channel)
        knot = inputs.track_of(self.drill, channel).knots[number]
        return QPointF(self.x_of(knot.t), self.y_of(place, knot.value))

    def crest(self, channel: str) -> QPointF:
        """Handle of a wave: its first crest, by which its height and its period are set."""
        place = [one.id for one in self.channels].index(channel)
        track = inputs.track_of(self.drill, channel)
        begins = track.knots[0].t if track.knots else 0.0
        ahead = 0.25 * track.period if track.shape == "sine" else track.on_share * track.period
        return QPointF(self.x_of(begins + ahead), self.y_of(place, track.amplitude))

    def flag(self, name: str) -> QPointF:
        """Position of an event, px; those close together stand on two lines."""
        events = sorted(self.drill.events, key=lambda event: event.t)
        place = [event.id for event in events].index(name)
        return QPointF(self.x_of(events[place].t), 14.0 + 15.0 * (place % 2))

    def end_mark(self) -> QPointF:
        """Handle of the end of the drill, px."""
        return QPointF(self.x_of(self.drill.duration), self.height() - AXIS + 8.0)

    def from_mark(self) -> QPointF:
        """Handle of the moment that measures count from, px."""
        return QPointF(self.x_of(self.drill.event_time), self.height() - AXIS + 8.0)

    def under(self, at: QPointF) -> str:
        """The thing that can be dragged at a px: "end", "from", "event", "knot", "crest", "strip" or nothing; chooses
        it."""
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
        if track.shape in ("steps", "ramps") and self.knots_show(track):
            spots = {k: self.spot(name, k) for k in self.knots_seen(track)}
            away = {k: math.hypot(s.x() - at.x(), s.y() - at.y()) for k, s in spots.items()}
            nearest = min(away, key=lambda k: away[k], default=-1)
            if nearest >= 0 and away[nearest] < NEAR + 2:
                self.choose(Pick("knot", name, nearest))
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

    def knots_seen(self, track: Track) -> range:
        """The numbers of the knots in sight."""
        first, last = self.seen()
        return range(int(np.searchsorted(track.times, first)), int(np.searchsorted(track.times, last, side="right")))

    def knots_show(self, track: Track) -> bool:
        """True if there is room for the knots of a track."""
        return len(self.knots_seen(track)) <= MOST_SEEN

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
            self.session.shown.set_time(max(self.t_at(at.x()), 0.0))
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
            self.session.shown.set_time(max(self.t_at(at.x()), 0.0))
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
            self.released.emit(words[hold[0]])
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
        if len(track.knots) >= MOST_KNOTS:
            self.session.say(f"{channel} has {len(track.knots)} knots already, as many as a track holds", True)
            return
        place = int(np.searchsorted(track.times, t, side="right"))
        knots = (*track.knots[:place], Knot(t=t, value=value), *track.knots[place:])
        self.previewed.emit("tracks", inputs.with_track(self.drill, track.replace(knots=knots)).tracks)
        self.released.emit("add a knot")
        self.choose(Pick("knot", channel, place))

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
            value = inputs.value_at(inputs.track_of(self.drill, self.chosen.name), self.session.shown.time)
            self.put_knot(self.chosen.name, round(self.session.shown.time, 3), value)
        else:
            super().keyPressEvent(event)

    def _step(self, along: int, up: int) -> None:
        if self.chosen.what == "event":
            now = next(one for one in self.drill.events if one.id == self.chosen.name)
            self.previewed.emit(f"events.{now.id}.t", max(round(now.t + along * T_STEP, 6), 0.0))
            self.released.emit("move an event")
            return
        knot = self.knot()
        if knot is None:
            return
        track = inputs.track_of(self.drill, self.chosen.name)
        low = next(one for one in self.channels if one.id == self.chosen.name).least_input
        value = min(max(round(knot.value + up * V_STEP, 6), low), 1.0)
        moved = _with_knot(track, self.chosen.number, max(round(knot.t + along * T_STEP, 6), 0.0), value)
        self.previewed.emit("tracks", inputs.with_track(self.drill, moved).tracks)
        self.released.emit("move a knot")

    def remove(self) -> None:
        """Removes the selection: a knot, an event, or the whole track of a channel."""
        drill = self.drill
        if self.chosen.what == "event":
            self.previewed.emit("events", tuple(one for one in drill.events if one.id != self.chosen.name))
            self.released.emit("remove an event")
        elif self.knot() is not None:
            track = inputs.track_of(drill, self.chosen.name)
            knots = tuple(knot for k, knot in enumerate(track.knots) if k != self.chosen.number)
            self.previewed.emit("tracks", inputs.with_track(drill, track.replace(knots=knots)).tracks)
            self.released.emit("remove a knot")
        elif self.chosen.what == "track":
            self.previewed.emit("tracks", tuple(one for one in drill.tracks if one.channel != self.chosen.name))
            self.released.emit(f"clear {self.chosen.name}")
        self.choose(Pick(""))

    # picture

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(0, 0, self._drawing())
        self.painter.paint_cursor(painter)

    def _drawing(self) -> QImage:
        """All but the cursor: redrawn only when something of it changed, since a cursor is scrubbed."""
        sources = (self.drill, self.session.craft, self.session.shown.run, self.session.shown.live_on)
        ratio = self.devicePixelRatioF()
        key = (*map(id, sources), self.seen(), self.chosen, self.size(), ratio, theme.is_night())
        if key != self._drawn_key:
            self._drawn_key, self._drawn_sources = key, sources  # kept: their ids are part of the key
            self._drawn = QImage(self.size() * ratio, QImage.Format.Format_RGB32)
            self._drawn.setDevicePixelRatio(ratio)
            self._drawn.fill(theme.colour("paper"))
            painter = QPainter(self._drawn)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.painter.paint_time(painter)
            for number, channel in enumerate(self.channels):
                self.painter.paint_strip(painter, number, channel)
            self.painter.paint_events(painter)
            if not self.channels:
                painter.setPen(theme.colour("soft"))
                painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "this craft has no channels")
            painter.end()
        return self._drawn


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
