"""The layer over the trace plots: titles, values, cursors and events; it takes the pointer and the keys."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.results import moments, states, traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.tracegroups import members
from oak_sled.desk.panes.traceplot import AXIS, RIGHT, STATES_PX, Plot, nice_step, told_apart, trace_colour
from oak_sled.desk.widgets import accessibility, keys, theme
from oak_sled.desk.widgets.settling import once_still
from oak_sled.desk.work.shown import Shown

_EVENT_FAMILIES = {
    "hit": "impulse",
    "sliding": "grip",
    "at limit": "holder",
    "gate": "gravity",
    "gate missed": "impulse",
    "edge": "impulse",
    **dict.fromkeys(("broke", "derailed", "ran off", "let go", "latched"), "tie"),
}


STATE_FAMILIES = ("air", "impulse", "grip", "gravity", "drive", "support", "holder", "tie")
"""The colours of the states of motion, in their order."""
KEYS = "left and right move the cursor by a tick, with Shift by ten"


class Pane(Protocol):
    """The pane below: the plots, their times and their places."""

    shown: Shown
    names: list[str]
    plots: list[Plot]

    def time_at(self, x: float) -> float:
        """s at a place in px."""

    def x_at(self, time: float) -> float:
        """px of a time in s."""

    def time_span(self) -> tuple[float, float]:
        """s of the first and the last moment in sight."""

    def band(self) -> QRectF:
        """Rectangle of the curves, px."""

    def pan(self, by: float) -> None:
        """Moves the times in sight, s."""

    def zoom(self, factor: float, around: float) -> None:
        """Shows a longer or shorter stretch around a time."""

    def show_all(self) -> None:
        """Shows the whole run."""


class Cover(QWidget):
    """Drawn over the curves: titles, values at the cursor, the cursors and the events. Takes the pointer."""

    PROMISED = keys.Keys.of(Qt.Key.Key_Left, Qt.Key.Key_Right)

    def __init__(self, parent: QWidget, pane: Pane):
        super().__init__(parent)
        self.pane = pane
        self._second = False
        self._pan: float | None = None
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        accessibility.describe(self, "traces", keys=KEYS)
        self._still = once_still(self, self._tell)  # not for every run of a drag: it is read out at its end
        pane.shown.cursor_moved.connect(self._still.start)
        pane.shown.run_changed.connect(self._still.start)
        self.setToolTip(
            "drag: cursor · Shift-drag: second cursor · right-drag: pan · wheel: zoom · double click: whole run"
        )

    def _tell(self) -> None:
        """Tells a screen reader the traces at the cursor; not in every frame of a drive."""
        shown = self.pane.shown
        run = shown.run
        if run is None or shown.live_on:
            return
        told = [
            f"{known.heading} {units.plain(float(traces.seen(run, name)[shown.row]), known.unit, 4)}"
            for name in self.pane.names
            if (known := traces.book(run).get(name)) is not None
        ]
        value = f"{units.fixed(shown.time, 's', 3)}: {', '.join(told)}"
        accessibility.describe(self, "traces", value, KEYS)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        ticks = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        shown = self.pane.shown
        if event is None or event.key() not in ticks or shown.run is None or shown.live_on:
            super().keyPressEvent(event)
            return
        many = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        shown.set_time(shown.time + many * ticks[Qt.Key(event.key())] * shown.run.job.dt)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self._pan = event.position().x()
            return
        self._second = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._place(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._pan is not None:
            by = self.pane.time_at(self._pan) - self.pane.time_at(event.position().x())
            self._pan = event.position().x()
            self.pane.pan(by)
        elif event.buttons() & Qt.MouseButton.LeftButton:
            self._place(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pan = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.pane.shown.set_second_time(None)
        self.pane.show_all()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.pane.zoom(0.85 ** (event.angleDelta().y() / 120.0), self.pane.time_at(event.position().x()))
            event.accept()

    def _place(self, at: QPointF) -> None:
        shown = self.pane.shown
        if shown.live_on or shown.run is None:
            return
        time = self.pane.time_at(at.x())
        if self._second:
            shown.set_second_time(min(max(time, 0.0), shown.run.duration))
        else:
            shown.set_time(time)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        run = self.pane.shown.run
        if run is None or not run.ticks:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = run.ticks if self.pane.shown.live_on else self.pane.shown.row
        for plot in self.pane.plots:
            names, box = members(run, plot.group), plot.box()
            self._paint_strip(painter, plot, run, names, box)
            self._paint_values(painter, plot, run, row, names, box)
        self._paint_axis(painter)
        self._paint_states(painter, run)
        self._paint_events(painter, run)
        self._paint_cursors(painter, run)

    def _paint_strip(self, painter: QPainter, plot: Plot, run: Run, names: list[str], box: QRectF) -> None:
        """The title of a strip and its range."""
        band = self.pane.band()
        right = float(self.width() - 6)
        single = len(names) == 1
        trace = traces.describe(run, names[0]) if names else traces.Trace("", "", "")
        title = trace.heading if single else plot.group
        unit = "" if plot.group == "channels" else units.pretty(units.name_of(trace.unit))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        wide = theme.width(title, theme.font(theme.SMALL, bold=True))
        painter.fillRect(QRectF(band.left(), box.top(), wide + 34, 14), theme.colour("paper", 190))
        painter.drawText(QPointF(band.left() + 2, box.top() + 11), title)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QPointF(band.left() + 8 + wide, box.top() + 11), unit)
        if single:
            painter.setFont(theme.font(9))
            painter.drawText(QPointF(right - 84, box.top() + 9), _range_text(plot.range[1], trace.unit))
            painter.drawText(QPointF(right - 84, box.bottom() - 1), _range_text(plot.range[0], trace.unit))
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(0, box.bottom() + 3), QPointF(self.width(), box.bottom() + 3))

    def _paint_values(self, painter: QPainter, plot: Plot, run: Run, row: int, names: list[str], box: QRectF) -> None:
        """Paints the values of its traces at the cursor."""
        right = float(self.width() - 6)
        second = self.pane.shown.second_time
        names = names[: max(1, int((box.height() + 6) / 11.5))]  # as many as can be read
        step = min(16.0, (box.height() + 4) / max(len(names), 1))
        top = box.center().y() - step * len(names) / 2 + step * 0.78
        for place, name in enumerate(names):
            value = float(traces.seen(run, name)[row])
            trace = traces.describe(run, name)
            size = max(abs(plot.range[0]), abs(plot.range[1]))
            number, unit = units.reading(units.settled(value, size), trace.unit)
            if plot.group == "channels":
                number = units.decimals(value, 2)
            ink = theme.readable(trace_colour(run, name, place if told_apart(plot.group) else -1))
            base = top + step * place
            if len(names) == 1:
                theme.number(painter, right, base, number, unit, theme.READING, ink, theme.colour("soft"))
                if second is not None:
                    gap = value - float(traces.seen(run, name)[run.at(second)])
                    theme.number(
                        painter,
                        right,
                        base + 15,
                        f"Δ {units.number(units.above_floor(gap, trace.unit), trace.unit)}",
                        units.name_of(trace.unit),
                        11,
                        theme.colour("oak_deep"),
                        theme.colour("soft"),
                    )
                continue
            small = theme.font(10)
            painter.setFont(small)
            painter.setPen(ink)
            text = f"{number} {unit}" if unit.startswith("k") else number
            wide = theme.width(text, small)
            room = RIGHT - 14 - wide
            label = theme.elide(trace.short or trace.heading.partition(":")[0], room, small)
            painter.drawText(QPointF(right - RIGHT + 10, base), label)
            painter.drawText(QPointF(right - wide, base), text)

    def _paint_events(self, painter: QPainter, run: Run) -> None:
        band = self.pane.band()
        base = band.bottom() + 6
        if not self.pane.shown.live_on:
            for event in moments.events(run):
                x = self.pane.x_at(event.row * run.job.dt)
                if band.left() <= x <= band.right():
                    painter.fillRect(QRectF(x - 1.5, base - 3, 3, 7), theme.family(_EVENT_FAMILIES.get(event.word, "")))

    def _paint_states(self, painter: QPainter, run: Run) -> None:
        """The states of motion along the axis, each with its name where there is room."""
        every = run.job.craft.states
        if not every:
            return
        band, small = self.pane.band(), theme.font(9)
        top = band.bottom() + AXIS - 6
        painter.setFont(small)
        first_row = run.first_tick
        back = run.duration if self.pane.shown.live_on else 0.0  # live, time runs back from now
        for spell in states.spells(run):
            if spell.state == states.NONE:
                continue
            ends = [(first_row + row) * run.job.dt - back for row in (spell.first, spell.last)]
            left, right = (min(max(self.pane.x_at(end), band.left()), band.right()) for end in ends)
            if right <= left:
                continue
            box = QRectF(left, top, max(right - left, 1.0), STATES_PX - 1)
            ink = QColor(theme.family(STATE_FAMILIES[spell.state % len(STATE_FAMILIES)]))
            ink.setAlpha(90)
            painter.fillRect(box, ink)
            words = theme.elide(every[spell.state].heading, box.width() - 4, small)
            if len(words) > 2:
                painter.setPen(theme.colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_axis(self, painter: QPainter) -> None:
        first, last = self.pane.time_span()
        band = self.pane.band()
        base = band.bottom() + 6
        second, unit = units.in_use().shown(1.0, "s")
        step = nice_step((last - first) * second / 6.0) / second
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        tick = np.ceil(first / step) * step
        while tick <= last + 1e-9:
            x = self.pane.x_at(float(tick))
            painter.drawText(QRectF(x - 30, base + 6, 60, 14), Qt.AlignmentFlag.AlignCenter, units.tick(tick, "s"))
            tick += step
        painter.drawText(QPointF(band.right() + 8, base + 17), unit)

    def _paint_cursors(self, painter: QPainter, run: Run) -> None:
        shown = self.pane.shown
        if shown.live_on:
            return
        band = self.pane.band()
        x = self.pane.x_at(shown.time)
        if band.left() - 1 <= x <= band.right() + 1:
            painter.setPen(theme.pen("warning", 1.2))
            painter.drawLine(QPointF(x, 2), QPointF(x, band.bottom() + 4))
        if shown.second_time is not None:
            x = self.pane.x_at(shown.second_time)
            painter.setPen(theme.pen("oak_deep", 1.2))
            painter.drawLine(QPointF(x, 2), QPointF(x, band.bottom() + 4))
            painter.setFont(theme.font(10))
            text = f"Δt {units.fixed(shown.time - shown.second_time, 's', 3, sign=True)}"
            painter.drawText(QRectF(x - 60, band.bottom() + 19, 120, 14), Qt.AlignmentFlag.AlignCenter, text)


def _range_text(value: float, unit: str) -> str:
    value = units.in_use().shown(value, unit)[0]
    return f"{value:.2g}" if abs(value) < 100 else f"{value:.0f}"
