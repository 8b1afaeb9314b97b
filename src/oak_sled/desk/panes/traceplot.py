"""A strip of traces: which traces, thinned to what can be seen, on a bare plot."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QLineF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from oak_sled.core.base.arrays import Floats
from oak_sled.core.geometry import curve
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.tracegroups import RAY_GROUPS, TIRE_GROUPS
from oak_sled.desk.widgets import theme

LEFT, RIGHT, AXIS = 10, 102, 34
STATES_PX = 14
"""Of the states of motion under the axis, where the craft has some."""
MOST_DRAWN = 800
"""Points of a drawn curve: least and greatest of every stretch under a px at the usual width."""
MOST_DRAWN_LIVE = 700
LIVE_WINDOW_S = 15.0


@dataclass(frozen=True, eq=False)
class Line:
    """A line of a strip as it is drawn: its points, s and value, shape (n, 2), its pen, its least and greatest value,
    and the pieces of it that are numbers."""

    points: Floats
    pen: QPen
    low: float
    high: float
    pieces: tuple[QPolygonF, ...]

    @classmethod
    def of(cls, t: Floats, values: Floats, pen: QPen, most: int = MOST_DRAWN) -> Line:
        """The line of a trace, by about `most` points at most: least and greatest of each stretch, so that no spike is
        lost."""
        count, stretch = curve.drawn_points(len(values), most)
        whole, points = _polygon(count)
        found = curve.write_thinned(np.ascontiguousarray(t), np.ascontiguousarray(values), stretch, points)
        low, high, strange = found
        if not strange:
            return cls(points, pen, low, high, (whole,))
        finite = np.isfinite(points[:, 1])
        ends = np.flatnonzero(np.diff(finite, prepend=False, append=False)).reshape(-1, 2).tolist()
        pieces = []
        for first, last in ends:
            piece, corners = _polygon(last - first)
            corners[:] = points[first:last]
            pieces.append(piece)
        low, high = (low, high) if pieces else (0.0, 0.0)
        return cls(points.copy(), pen, low, high, tuple(pieces))


def _polygon(count: int) -> tuple[QPolygonF, Floats]:
    """Room for so many points, and the same as an array, shape (count, 2): it lasts as long as the polygon."""
    made = pg.functions.create_qpolygonf(count)
    return made, pg.functions.ndarray_from_qpolygonf(made)


class Lines(pg.GraphicsObject):
    """The lines of a strip, drawn by one item: a curve item for each line spends more time on itself than on
    drawing."""

    def __init__(self) -> None:
        super().__init__()
        self.reach = QRectF()
        self.rules: list[QLineF] = []
        self.ghosts: list[Line] = []
        self.lines: list[Line] = []

    def boundingRect(self) -> QRectF:
        """The stretch in view: times and values."""
        return self.reach

    def paint(self, painter: QPainter, *_: object) -> None:
        painter.setPen(theme.pen("rule"))
        if self.rules:
            painter.drawLines(*self.rules)
        for line in (*self.ghosts, *self.lines):
            painter.setPen(line.pen)
            for piece in line.pieces:
                painter.drawPolyline(piece)


class Plot(pg.ViewBox):
    """One strip: lines on fixed ranges, its own sparse rules, no frame and no axes, which would be laid out anew with
    every range."""

    def __init__(self, group: str):
        super().__init__(enableMenu=False)
        self.setMouseEnabled(False, False)
        self.setDefaultPadding(0.0)
        self.disableAutoRange()
        self.setMinimumHeight(24)  # five of them fit a small window
        self.drawn = Lines()
        self.addItem(self.drawn, ignoreBounds=True)
        self.begin_anew(group)

    def begin_anew(self, group: str) -> None:
        """Without a line, for the traces of that name and in the colours of now."""
        self.group = group
        self.range = (0.0, 1.0)
        self.shown = (0.0, 0.0, 0.0, 0.0)
        """First and last time in view, s; least and greatest value."""
        self.drawn_ghosts: list[Run] = []
        """Reads the ghosts: they stay while a dial is dragged."""
        self.drawn.rules = []
        self.clear_lines()

    def clear_lines(self) -> None:
        """Shows no line any more."""
        self.drawn_ghosts, self.drawn.ghosts = [], []
        self.show_lines([])

    def box(self) -> QRectF:
        """Rectangle on the canvas, px."""
        return QRectF(self.geometry())

    @property
    def lines(self) -> list[Line]:
        """The lines of the run."""
        return self.drawn.lines

    @property
    def ghosts(self) -> list[Line]:
        """Those of the runs behind it."""
        return self.drawn.ghosts

    def show_lines(self, lines: list[Line]) -> None:
        """Shows the lines of a run."""
        self.drawn.lines = lines
        self.drawn.update()

    def show_ghosts(self, runs: list[Run], lines: list[Line]) -> None:
        """Shows the lines of runs behind it."""
        self.drawn_ghosts, self.drawn.ghosts = runs, lines
        self.drawn.update()

    def show_stretch(self, first: float, last: float) -> None:
        """Shows a stretch of time, s, on the range of values it has, with a rule at every round time."""
        wanted = (first, last, *self.range)
        if wanted == self.shown:
            return
        self.shown = wanted
        low, high = self.range
        self.setRange(xRange=(first, last), yRange=self.range, padding=0, disableAutoRange=True)
        step = nice_step((last - first) / 6.0)
        ticks = np.arange(np.ceil(first / step) * step, last + 1e-9, step).tolist()
        self.drawn.rules = [QLineF(tick, low, tick, high) for tick in ticks] + [QLineF(first, 0.0, last, 0.0)]
        self.drawn.prepareGeometryChange()
        self.drawn.reach = QRectF(first, low, last - first, high - low)
        self.drawn.update()


def without_spikes(drawn: list[Floats]) -> tuple[float, float]:
    """The stretch that forces fill, without the one-tick spikes of hits; arrays of one length."""
    few = np.sort(np.stack([values[:: max(1, len(values) // 400)] for values in drawn]), axis=1)
    edge = few.shape[1] // 200
    return float(few[:, edge].min()), float(few[:, -1 - edge].max())


def told_apart(name: str) -> bool:
    """True if the lines of a strip are of one kind, and differ by their place in it."""
    return name == "channels" or name.startswith("launch ") or name in RAY_GROUPS or name in TIRE_GROUPS


def trace_colour(run: Run, name: str, place: int = -1) -> QColor:
    """The colour of a trace: its family's, or ink; channels differ by their place."""
    if place >= 0:
        return theme.family(("holder", "drive", "impulse", "air")[place % 4])
    trace = traces.describe(run, name)
    return (
        theme.family(trace.family)
        if name.startswith("part.")
        else theme.colour("ink" if name != "slip_angle" else "oak_deep")
    )


def nice_step(raw: float) -> float:
    """1, 2 or 5 times a power of ten, at least `raw`."""
    if raw <= 0.0:
        return 1.0
    power = 10.0 ** np.floor(np.log10(raw))
    for step in (1.0, 2.0, 5.0, 10.0):
        if step * power >= raw - 1e-12:
            return float(step * power)
    return float(10.0 * power)
