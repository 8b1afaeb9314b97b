"""Traces: stacked strips over time with one cursor through all, and ghosts behind."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from oak_sled.core.results import traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.tracegroups import DEFAULT, GROUPS, members
from oak_sled.desk.panes.tracecover import Cover
from oak_sled.desk.panes.traceplot import (
    AXIS,
    LEFT,
    LIVE_WINDOW_S,
    MOST_DRAWN,
    MOST_DRAWN_LIVE,
    RIGHT,
    STATES_PX,
    Line,
    Plot,
    told_apart,
    trace_colour,
    without_spikes,
)
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.cards import Shelf
from oak_sled.desk.work.shown import Shown
from oak_sled.desk.yardview.marks import pale


def _has(run: Run, name: str) -> bool:
    return name in traces.book(run)


class TracePane(QWidget):
    """Signals: none; it moves the session's cursor."""

    names_changed = pyqtSignal()

    def __init__(self, shown: Shown, shelf: Shelf, parent: QWidget | None = None):
        super().__init__(parent)
        self.shown, self.shelf = shown, shelf
        self.names: list[str] = list(DEFAULT)
        self._watched: tuple[tuple[str, ...], bool, bool] = ((), False, False)
        self.span: tuple[float, float] | None = None  # zoomed stretch of time, s; None: all
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.canvas = pg.GraphicsLayoutWidget()
        self.canvas.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the cover over it takes keys and pointer
        self.canvas.setBackground(theme.colour("paper"))
        self.canvas.setFrameShape(self.canvas.Shape.NoFrame)
        self._axis = 0
        self._make_room()
        self.canvas.ci.layout.setSpacing(6)
        layout.addWidget(self.canvas, 1)
        self.cover = Cover(self, self)
        self.bar = QWidget(self)
        row = QHBoxLayout(self.bar)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        for words, tip, action in (
            ("traces", "choose and order the traces", self.show_chooser),
            ("all", "show the whole run", self.show_all),
        ):
            button = QPushButton(words)
            button.setObjectName("quiet")
            button.setToolTip(tip)
            button.setMinimumHeight(24)
            button.clicked.connect(action)
            row.addWidget(button)
        self.plots: list[Plot] = []
        self._rebuild()
        shown.run_changed.connect(self.show_run)
        shown.cursor_moved.connect(self.cover.update)
        shelf.changed.connect(self.show_run)

    def resizeEvent(self, event: object) -> None:
        self.cover.setGeometry(self.canvas.geometry())
        self.cover.raise_()
        self.bar.adjustSize()
        self.bar.move(self.width() - self.bar.width() - 2, self.height() - self.bar.height() - 2)
        self.bar.raise_()

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.canvas.setBackground(theme.colour("paper"))
        self._rebuild()
        self.show_run()

    # which traces

    def _rebuild(self) -> None:
        # a plot takes over 20 ms to make: those that are there are used again
        for plot in self.plots[len(self.names) :]:
            self.canvas.removeItem(plot)
        del self.plots[len(self.names) :]
        for plot, name in zip(self.plots, self.names, strict=False):
            plot.begin_anew(name)
        for row, name in enumerate(self.names[len(self.plots) :], start=len(self.plots)):
            plot = Plot(name)
            self.canvas.addItem(plot, row, 0)
            self.plots.append(plot)
            plot.geometryChanged.connect(self.cover.update)  # laid out later than asked for
        self.cover.update()

    @staticmethod
    def groups(run: Run) -> list[str]:
        """The groups of traces that a run has."""
        return [name for name in GROUPS if members(run, name)]

    def set_names(self, names: list[str]) -> None:
        """Shows other traces, in this order."""
        self.names = names[:8]
        self._rebuild()
        self.show_run()
        self.names_changed.emit()

    def show_chooser(self) -> None:
        """The list of all traces; those that are shown are ticked."""
        run = self.shown.run
        if run is None:
            return
        menu = QMenu(self)
        for name in (*self.groups(run), *traces.book(run)):
            words = GROUPS.get(name) or traces.describe(run, name).heading
            action = menu.addAction(words)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(name in self.names)
                action.triggered.connect(lambda on, name=name: self.toggle(name, on))
        menu.addSeparator()
        for name in self.names[1:]:
            words = GROUPS.get(name) or traces.describe(run, name).heading
            menu.addAction(f"move {words} up", lambda name=name: self.move_up(name))
        menu.exec(self.bar.mapToGlobal(self.bar.rect().topLeft()))
        menu.deleteLater()

    def toggle(self, name: str, on: bool) -> None:
        """Shows or hides a trace."""
        names = [old for old in self.names if old != name] + ([name] if on else [])
        self.set_names(names or list(DEFAULT))

    def move_up(self, name: str) -> None:
        """Moves a strip one place up."""
        place = self.names.index(name)
        names = list(self.names)
        names[place - 1], names[place] = names[place], names[place - 1]
        self.set_names(names)

    # showing

    def ghost_runs(self, run: Run) -> list[Run]:
        """Runs drawn behind: what a game told, the run before, and pinned ones."""
        return self.shown.beside(self.shelf.pinned_runs())[:4]

    def time_span(self) -> tuple[float, float]:
        """The stretch of time in view, s."""
        run = self.shown.run
        if run is None:
            return (0.0, 1.0)
        if self.shown.live_on:
            return (-LIVE_WINDOW_S, 0.0)
        if self.span is not None:
            return self.span
        return (0.0, max(run.duration, 0.05))

    def show_run(self) -> None:
        """Draws the curves of the run and its ghosts."""
        run = self.shown.run
        if run is None or not run.ticks:
            for plot in self.plots:  # lines of another yard must not outlive it
                plot.clear_lines()
            self.cover.update()
            return
        known = traces.book(run).keys() | set(self.groups(run))
        names = [name for name in self.names if name in known] or list(DEFAULT)
        watched = (run.job.drill.watch, "off.place" in known, "copy.error" in known)
        if self._watched != watched:  # another drill whose blocks, game or copy are to be seen, or none any more
            self._watched = watched
            wanted = ("launch speed", "launch height", "off.place", "copy.error")
            first = [name for name in wanted if name in known and name not in names]
            names = [*first, *names][:6] if first else names
        if names != self.names:
            self.names = names
            self._rebuild()
        self._make_room()
        ghosts = self.ghost_runs(run)
        for plot in self.plots:
            self._show_plot(plot, run, ghosts)
        # what the plots put off until they are painted would mark them as changed again, and have them painted twice
        self.canvas.scene().prepareForPaint()
        # the canvas repaints where its curves changed only; what is written over it follows the whole run
        self.cover.update()

    def _show_plot(self, plot: Plot, run: Run, ghosts: list[Run]) -> None:
        names = members(run, plot.group)
        live = self.shown.live_on
        self._show_ghosts(plot, ghosts if len(names) == 1 else [], names, run.duration if live else 0.0)
        times = run.t - run.duration if live else run.t  # live, time runs back from now, so that no range moves
        most = MOST_DRAWN_LIVE if live else MOST_DRAWN
        lines: list[Line] = []
        for place, name in enumerate(names):
            ink = trace_colour(run, name, place if told_apart(plot.group) else -1)
            lines.append(Line.of(times, traces.seen(run, name), theme.pen_in(ink), most))
        plot.show_lines(lines)
        if plot.group == "forces":
            bounds = [without_spikes([traces.seen(run, name) for name in names])]
        elif plot.group == "channels":
            bounds = [(-1.0, 1.0)]
        else:
            bounds = [(line.low, line.high) for line in (*plot.ghosts, *lines)]
        floor = max(traces.describe(run, name).floor for name in names)
        self._show_range(plot, min(low for low, _ in bounds), max(high for _, high in bounds), floor)

    @staticmethod
    def _show_ghosts(plot: Plot, ghosts: list[Run], names: list[str], back: float) -> None:
        """Draws what lies behind, where it is not drawn yet. back : s by which time is counted back."""
        shown = [ghost for ghost in ghosts if _has(ghost, names[0])]
        if plot.drawn_ghosts != shown:
            plot.show_ghosts(
                shown, [Line.of(one.t - back, traces.seen(one, names[0]), theme.pen(pale(one))) for one in shown]
            )

    def _show_range(self, plot: Plot, low: float, high: float, floor: float = 0.0) -> None:
        """Shows all values and 0. floor : what is smaller is noise, and is not scaled up to fill the strip."""
        low, high = min(low, 0.0), max(high, 0.0)
        if high - low <= 2.0 * floor + 1e-9:
            low, high = (-0.5, 0.5) if low < -1e-9 else (0.0, 1.0)
        margin = 0.06 * (high - low)
        wanted = (low - margin, high + margin)
        old = plot.range
        # a range that fits well enough stays, so that a drag does not make the strip breathe
        span = wanted[1] - wanted[0]
        if wanted[0] < old[0] or wanted[1] > old[1] or span < 0.6 * (old[1] - old[0]):
            plot.range = wanted
        plot.show_stretch(*self.time_span())

    def show_live(self) -> None:
        """Draws the newest stretch of a live drive."""
        self.show_run()

    # time and pixels

    def _make_room(self) -> None:
        """Room under the curves for the axis, and for the states of motion where the craft has some."""
        run = self.shown.run
        wanted = AXIS + (STATES_PX if run is not None and run.job.craft.states else 0)
        if wanted != self._axis:
            self._axis = wanted
            self.canvas.ci.layout.setContentsMargins(LEFT, 4, RIGHT, wanted)

    def band(self) -> QRectF:
        """The stretch of the canvas in which curves stand, px."""
        return QRectF(LEFT, 0, max(10, self.canvas.width() - LEFT - RIGHT), self.canvas.height() - self._axis)

    def time_at(self, x: float) -> float:
        """The time under a pixel column."""
        first, last = self.time_span()
        band = self.band()
        return first + (x - band.left()) / band.width() * (last - first)

    def x_at(self, time: float) -> float:
        """The pixel column of a time."""
        first, last = self.time_span()
        band = self.band()
        return band.left() + (time - first) / (last - first) * band.width()

    def zoom(self, factor: float, about: float) -> None:
        """Shows a shorter or longer stretch of time around a moment."""
        run = self.shown.run
        if run is None or self.shown.live_on:
            return
        first, last = self.time_span()
        first, last = about - (about - first) * factor, about + (last - about) * factor
        self._set_span(first, last)

    def _set_span(self, first: float, last: float) -> None:
        run = self.shown.run
        assert run is not None
        least = 4.0 * run.job.dt
        if last - first >= run.duration:
            self.span = None
        else:
            width = max(last - first, least)
            first = min(max(first, 0.0), run.duration - width)
            self.span = (first, first + width)
        self.show_run()

    def pan(self, by: float) -> None:
        """Moves the stretch in view by a time."""
        if self.span is not None:
            first, last = self.span
            self._set_span(first + by, last + by)

    def show_all(self) -> None:
        """Shows the whole run."""
        self.span = None
        self.show_run()
