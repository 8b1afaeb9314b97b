"""A recorded game beside what the craft does: both paths, the force that is missing over time, the dials of a
fit with their intervals, and the laws of the game, of which a craft can be built."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base import document, units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.project import shelf
from oak_sled.core.project.gamestudy import GameStudy
from oak_sled.core.results import recorded
from oak_sled.core.results.run import Run
from oak_sled.core.study.fit import Fit, Fitted
from oak_sled.desk.drill.standin import StandIn, paint_scale
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.yardview.planpaint import Frame

SIDE = 400
"""px of the column of words."""
ROW = 40
"""px of a dial that was fitted."""
MOST_POINTS = 1500


class BesideGame(StandIn):
    """Signals: build() when a craft of the laws is wanted, refit() for another fit."""

    build = pyqtSignal()
    refit = pyqtSignal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.study: GameStudy | None = None
        self.fit: Fit | None = None
        self.before: Run | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 10, 12, 10)
        row.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(8)
        self.paths, self.lacks = _Paths(self), _Lacks(self)
        left.addWidget(self.paths, 3)
        left.addWidget(self.lacks, 2)
        row.addLayout(left, 1)
        side = QVBoxLayout()
        side.setSpacing(6)
        self.title = _label(theme.HEADING, bold=True)
        side.addWidget(self.title)
        acts = QHBoxLayout()
        self.build_button = _button("build a craft of these laws", "a new craft that moves by them, on this recording")
        self.fit_button = _button("fit dials", "of the dials that the recording tells most of")
        self.leave_button = _button("close", "the drill again (Escape)")
        for button in (self.fit_button, self.build_button, self.leave_button):
            acts.addWidget(button)
        acts.addStretch(1)
        self.build_button.clicked.connect(lambda _=False: self.build.emit())
        self.fit_button.clicked.connect(lambda _=False: self.refit.emit())
        self.leave_button.clicked.connect(lambda _=False: self.leave())
        side.addLayout(acts)
        inner = QWidget()
        inner.setObjectName("page")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        self.dials = _Dials(self)
        self.near, self.missing, self.laws = _label(theme.SMALL), _label(theme.SMALL), _label(theme.SMALL)
        self.headings: dict[str, QLabel] = {}
        for words, below in (("dials", self.dials), ("what is missing", self.missing), ("its own laws", self.laws)):
            self.headings[words] = _label(theme.SMALL, bold=True)
            self.headings[words].setText(words)
            column.addWidget(self.headings[words])
            column.addWidget(below)
            if words == "dials":
                column.addWidget(self.near)
        column.addStretch(1)
        around = QScrollArea()
        around.setWidget(inner)
        around.setWidgetResizable(True)
        around.setFixedWidth(SIDE)
        around.setFrameShape(QScrollArea.Shape.NoFrame)
        side.addWidget(around, 1)
        row.addLayout(side)
        self.hide()

    def show_study(self, study: GameStudy, fit: Fit | None = None, before: Run | None = None) -> None:
        """Shows a recording, in the place of the drill. fit : what was fitted to it; before : the run before that."""
        self.study, self.fit, self.before = study, fit, before
        self._fill()
        self.swap(True)
        self.leave_button.setFocus()

    def retell(self) -> None:
        """The same in the units of now."""
        if self.study is not None:
            self._fill()

    def _fill(self) -> None:
        study, fit = self.study, self.fit
        assert study is not None
        assert study.drill.recording is not None
        self.title.setText(f"Beside {study.drill.recording.name}")
        for part in (self.headings["dials"], self.dials, self.near):
            part.setVisible(fit is not None)
        self.near.setText("\n".join(errors(fit)) if fit is not None else "")
        self.missing.setText("\n".join(_sentences(study.lacking())) or "the recording is too short to tell")
        self.laws.setText("\n".join(_sentences(study.read())))
        self.build_button.setEnabled(study.laws is not None)
        self.dials.tell()
        accessibility.describe(self.paths, "paths of the game and of the craft", "")
        accessibility.describe(self.lacks, "what is missing over time", self.missing.text())
        for drawn in (self.paths, self.lacks, self.dials):
            drawn.update()


def errors(fit: Fit) -> list[str]:
    """The errors of a fit by group, in lines; what stands for what; and whether something else is missing."""
    lines = []
    for name, (before, after, _, held) in fit.errors.items():
        unit, factor = ("m", 1.0) if name == "place" else ("°", 180.0 / math.pi)
        told = [units.show(factor * one, unit) for one in (before, after, held)]
        lines.append(f"{name} off by {told[0]} before, {told[1]} now, {told[2]} in the part held out (rms).")
    for one in range(len(fit.dials)):
        for other in range(one):
            share = float(fit.correlation[one, other])
            if abs(share) > 0.95:
                names = " and ".join(short(fit, fit.dials[k]) for k in (other, one))
                lines.append(f"{names} stand in for each other here ({share:+.2f}).")
    if fit.is_narrow:
        lines.append("What is left is no noise: a force or another number is off, and the intervals are too narrow.")
    return lines


def short(fit: Fit, one: Fitted) -> str:
    """The dial in words, without its craft."""
    return shelf.words_of(shelf.words_path(fit.yard, one.path).split(".", 2)[-1])


def _sentences(lines: list[str]) -> list[str]:
    return [f"{line[:1].upper()}{line[1:]}." for line in lines]


class _Paths(QWidget):
    """The paths of the game and of the craft from above, and that of the craft before a fit."""

    def __init__(self, panel: BesideGame):
        super().__init__(panel)
        self.panel = panel
        self.setMinimumSize(QSize(240, 160))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 0.5, self.width() - 1, self.height() - 1)
        painter.fillRect(box, theme.colour("ice"))
        study = self.panel.study
        if study is None:
            return
        told = recorded.beside(study.run)
        runs = [("the game", "game", told, 3.4), ("the craft", "oak_deep", study.run, 1.6)]
        if self.panel.before is not None:
            runs.insert(1, ("before the fit", "ghost", self.panel.before, 1.4))
        paths = {words: (ink, _path(run), wide) for words, ink, run, wide in runs if run is not None and run.ticks > 1}
        every = np.concatenate([path for _, path, _ in paths.values()])
        low, high = every.min(axis=0), every.max(axis=0)
        grow = np.maximum(4.0 - (high - low), 1.0) / 2.0
        frame = Frame(box.adjusted(20, 36, -20, -34), low - grow, high + grow)
        left = box.left() + 14
        painter.setFont(theme.font(theme.SMALL))
        for words, (ink, path, wide) in paths.items():
            painter.setPen(QPen(theme.colour(ink), wide))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(frame.path(path, float("inf")))
            painter.drawLine(QPointF(left, 18), QPointF(left + 22, 18))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(left + 28, 22), words)
            left += 44 + theme.width(words, theme.font(theme.SMALL))
        paint_scale(painter, frame, box)


def _path(run: Run) -> Floats:
    places = run.columns("position.x", "position.y")
    places = places[np.isfinite(places).all(axis=1)]
    return places[:: max(1, len(places) // MOST_POINTS)]


class _Lacks(QWidget):
    """The acceleration that is missing over time, along the motion and to its left, and where it fits worst."""

    def __init__(self, panel: BesideGame):
        super().__init__(panel)
        self.panel = panel
        self.setMinimumSize(QSize(240, 110))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 0.5, self.width() - 1, self.height() - 1)
        painter.fillRect(box, theme.colour("card"))
        lacks = self.panel.study.lacks if self.panel.study is not None else None
        small = theme.font(theme.SMALL)
        painter.setFont(small)
        if lacks is None:
            return
        area = box.adjusted(14, 30, -14, -22)
        most = max(float(np.abs(lacks.along).max()), float(np.abs(lacks.side).max()), 1e-3)
        first, last = float(lacks.t[0]), max(float(lacks.t[-1]), float(lacks.t[0]) + 1e-6)

        def x_of(t: float) -> float:
            return area.left() + (t - first) / (last - first) * area.width()

        if lacks.stretch is not None:
            left, right = (x_of(one) for one in lacks.stretch)
            painter.fillRect(QRectF(left, area.top(), right - left, area.height()), theme.colour("shade"))
        painter.setPen(theme.pen("rule"))
        painter.drawLine(QPointF(area.left(), area.center().y()), QPointF(area.right(), area.center().y()))
        x = area.left()
        for words, ink, values in (("along the motion", "oak_deep", lacks.along), ("to its left", "game", lacks.side)):
            points = [
                QPointF(x_of(float(t)), area.center().y() - 0.5 * float(v) / most * area.height())
                for t, v in zip(lacks.t, values, strict=True)
            ]
            painter.setPen(QPen(theme.colour(ink), 1.5))
            painter.drawPolyline(QPolygonF(points))
            painter.drawLine(QPointF(x, 17), QPointF(x + 18, 17))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(x + 24, 21), words)
            x += 40 + theme.width(words, small)
        painter.setPen(theme.colour("soft"))
        told = f"missing, ±{units.show(most, 'm/s2')}"
        painter.drawText(QPointF(area.right() - theme.width(told, small), 21), told)
        for t in (first, last):
            words = units.fixed(t, "s", 1)
            wide = theme.width(words, small)
            painter.drawText(
                QPointF(min(max(x_of(t) - wide / 2, area.left()), area.right() - wide), box.bottom() - 6), words
            )


class _Dials(QWidget):
    """The dials of a fit, each on a line of its own: where it was, where it came to, and its interval."""

    def __init__(self, panel: BesideGame):
        super().__init__(panel)
        self.panel = panel

    def tell(self) -> None:
        """Takes the room that the dials of the fit need, and says them."""
        fit = self.panel.fit
        self.setFixedHeight(ROW * len(fit.dials) if fit is not None else 0)
        told = [f"{short(fit, one)} {self._numbers(fit, one)}" for one in fit.dials] if fit is not None else []
        accessibility.describe(self, "dials of the fit", "; ".join(told))

    def _numbers(self, fit: Fit, one: Fitted) -> str:
        known = document.dial_at(fit.yard, one.path)
        unit = known.unit if known is not None else ""
        sure = "not told" if math.isnan(one.spread) else f"± {units.plain(one.spread, unit, 2)}"
        bound = ", at its bound" if one.at_bound else ""
        return f"{units.show(one.before, unit)} → {units.show(one.value, unit)} {sure}{bound}"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        fit = self.panel.fit
        if fit is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        small = theme.font(theme.SMALL)
        painter.setFont(small)
        for place, one in enumerate(fit.dials):
            top = float(ROW * place)
            numbers = self._numbers(fit, one)
            wide = theme.width(numbers, small)
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(0, top + 14), theme.elide(short(fit, one), self.width() - wide - 8, small))
            painter.drawText(QPointF(self.width() - wide, top + 14), numbers)
            spread = 0.0 if math.isnan(one.spread) else one.spread
            low, high = min(one.before, one.value - spread), max(one.before, one.value + spread)
            span = max(high - low, 1e-12)
            low, high = low - 0.1 * span, high + 0.1 * span

            def x_of(value: float, low: float = low, high: float = high) -> float:
                return 4.0 + (value - low) / (high - low) * (self.width() - 8.0)

            y = top + 25.0
            painter.setPen(theme.pen("rule", 1.0))
            painter.drawLine(QPointF(4, y), QPointF(self.width() - 4, y))
            painter.fillRect(
                QRectF(
                    x_of(one.value - spread), y - 3, max(x_of(one.value + spread) - x_of(one.value - spread), 2.0), 6
                ),
                theme.colour("oak_light"),
            )
            painter.setPen(QPen(theme.colour("ghost"), 2.0))
            painter.drawLine(QPointF(x_of(one.before), y - 5), QPointF(x_of(one.before), y + 5))
            painter.setPen(QPen(theme.colour("oak_deep"), 2.5))
            painter.drawLine(QPointF(x_of(one.value), y - 6), QPointF(x_of(one.value), y + 6))


def _label(size: int, bold: bool = False) -> QLabel:
    made = QLabel()
    made.setFont(theme.font(size, bold=bold))
    made.setWordWrap(True)
    made.setMaximumWidth(SIDE - 14)
    made.setAlignment(Qt.AlignmentFlag.AlignTop)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made


def _button(words: str, tip: str) -> QPushButton:
    made = QPushButton(words)
    made.setObjectName("plain")
    made.setMinimumHeight(32)
    made.setToolTip(tip)
    return made
