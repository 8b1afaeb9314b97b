"""What a strip of traces is made of: which traces, thinned to what can be seen, on a bare plot."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor

from oak_sled.core.geometry import curve
from oak_sled.core.kernel.state import Floats
from oak_sled.core.parts.common import SHOWN_UNITS
from oak_sled.core.results import flights, traces
from oak_sled.core.results.run import Run
from oak_sled.desk import theme

LEFT, RIGHT, AXIS = 10, 102, 34
MOST_DRAWN = 1000
"""Points of a drawn curve: least and greatest of every stretch under a px at the usual width."""
MOST_DRAWN_LIVE = 700
DEFAULT = ("speed", "slip_angle", "forces", "yaw_rate", "channels")
RAY_GROUPS = {"gaps": "gaps", "gap rates": "gap rates", "loads": "loads", "load shares": "load shares"}
_RAY_TRACES = dict(zip(RAY_GROUPS, traces.RAY_TRACES, strict=True))
TIRE_GROUPS = {
    "slip angles": "slip_angle",
    "slip ratios": "slip_ratio",
    "grip used": "used",
    "side forces": "side",
    "forces along": "along",
    "wheel turn rates": "turn",
}
"""The groups of traces of all wheels with tires, and which trace of each they show."""
GROUPS = {
    "forces": "forces",
    "channels": "channels",
    "launch speed": "launch speed",
    "launch height": "launch height",
    **RAY_GROUPS,
    **{name: name for name in TIRE_GROUPS},
}
LIVE_WINDOW_S = 15.0


def members(run: Run, name: str) -> list[str]:
    """The traces a strip shows: itself, or those of its group."""
    craft = run.job.craft
    if name == "channels":
        return [f"channel.{channel.id}" for channel in craft.channels][:4]
    if name.startswith("launch "):
        return [f"block.{block}.{name.removeprefix('launch ')}" for block in flights.watched(run)][:5]
    if name in RAY_GROUPS:
        return traces.of_rays(craft, _RAY_TRACES[name])[:8]
    if name in TIRE_GROUPS:
        return traces.of_tires(craft, TIRE_GROUPS[name])[:8]
    if name == "forces":
        pushing = [part for part in craft.parts if part.shows() not in SHOWN_UNITS and not part.ANSWERS_WALLS]
        return [f"part.{part.id}" for part in pushing][:5]
    return [name]


def thin(times: Floats, values: Floats, most: int = MOST_DRAWN) -> tuple[Floats, Floats]:
    """At most `most` points: least and greatest of each stretch, so that no spike is lost."""
    if len(values) <= most:
        return times, values
    picked = curve.extremes(np.array(values), int(np.ceil(len(values) / (most // 2))))
    return times[picked], values[picked]


class Curve(pg.PlotCurveItem):
    """A curve on a plot that says which stretch is in view, so that its range need not be read from the numbers."""

    reach = QRectF()

    def boundingRect(self) -> QRectF:
        return self.reach

    def dataBounds(self, *_: object, **__: object) -> tuple[None, None]:
        return None, None

    def set_reach(self, reach: QRectF) -> None:
        """The stretch in view: times and values."""
        self.prepareGeometryChange()
        self.reach = reach


class Plot(pg.PlotItem):
    """One strip: curves on fixed ranges, its own sparse rules, no frame."""

    def __init__(self, name: str):
        super().__init__(enableMenu=False)
        self.name = name
        self.hideAxis("left")
        self.hideAxis("bottom")
        self.hideButtons()
        self.setMouseEnabled(False, False)
        self.setContentsMargins(0, 0, 0, 0)
        self.layout.setContentsMargins(0, 0, 0, 0)
        self.vb.setDefaultPadding(0.0)
        self.vb.disableAutoRange()
        self.setMinimumHeight(34)
        self.range = (0.0, 1.0)
        self.shown = (0.0, 0.0, 0.0, 0.0)
        """First and last time in view, s; least and greatest value."""
        self.rules = self.curve(connect="pairs")
        self.ghosts: list[Curve] = []
        self.drawn_ghosts: list[tuple[Run, float, float]] = []
        """What the ghosts show, with its least and greatest value: it stays while a dial is dragged."""
        self.lines: list[Curve] = []

    def begin_anew(self, name: str) -> None:
        """Without a curve, for the traces of that name and in the colours of now."""
        for drawn in (*self.ghosts, *self.lines, self.rules):
            self.vb.removeItem(drawn)
        self.name = name
        self.range, self.shown = (0.0, 1.0), (0.0, 0.0, 0.0, 0.0)
        self.ghosts, self.drawn_ghosts, self.lines = [], [], []
        self.rules = self.curve(connect="pairs")

    def curve(self, **settings: object) -> Curve:
        """A bare curve: none of what a data item does beside drawing is needed."""
        made = Curve(skipFiniteCheck=True, **settings)
        made.reach = self._reach()
        self.vb.addItem(made, ignoreBounds=True)
        return made

    def _reach(self) -> QRectF:
        return QRectF(self.shown[0], self.shown[2], self.shown[1] - self.shown[0], self.shown[3] - self.shown[2])

    def show_stretch(self, first: float, last: float) -> bool:
        """Shows a stretch of time, s, on the range of values it has; False when it does already."""
        wanted = (first, last, *self.range)
        if wanted == self.shown:
            return False
        self.shown = wanted
        self.setRange(xRange=(first, last), yRange=self.range, padding=0, disableAutoRange=True)
        for item in (self.rules, *self.ghosts, *self.lines):
            item.set_reach(self._reach())
        return True


def without_spikes(drawn: list[Floats]) -> tuple[float, float]:
    """The stretch that forces fill, without the one-tick spikes of hits; arrays of one length."""
    few = np.sort(np.stack([values[:: max(1, len(values) // 400)] for values in drawn]), axis=1)
    edge = few.shape[1] // 200
    return float(few[:, edge].min()), float(few[:, -1 - edge].max())


def told_apart(name: str) -> bool:
    """Whether the lines of a strip are of one kind, and differ by their place in it."""
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
