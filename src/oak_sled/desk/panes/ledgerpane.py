"""The ledger at the cursor: every force and torque of the tick, as a share of weight, and their sum."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.results import energy, ledger
from oak_sled.core.results.ledger import LedgerRow
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.shown import Shown

ROW = 23
ALL = "."
"""All bodies of the craft together, where one of them is named."""


class LedgerPane(QWidget):
    """Shows the ledger of the run shown at its cursor, in craft or world axes."""

    def __init__(self, shown: Shown, parent: QWidget | None = None):
        super().__init__(parent)
        self.shown = shown
        self.craft_axes = True
        self.shows_energy = False
        self.block = ""
        """Of what the ledger is shown: a watched block, a body of the craft as CRAFT.BODY, or ALL of them; empty: the
        body that is looked at."""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 4, 10, 4)
        bar = QHBoxLayout()
        self.axes = QPushButton("craft axes")
        self.axes.setObjectName("quiet")
        self.axes.setMinimumHeight(24)
        self.axes.setToolTip("switch between craft axes and world axes")
        self.axes.clicked.connect(self.switch_axes)
        self.of = QPushButton("")
        self.of.setObjectName("quiet")
        self.of.setMinimumHeight(24)
        self.of.setToolTip("the body whose ledger is shown: of the craft, or a block that the drill watches")
        self.of.clicked.connect(self.show_bodies)
        self.kind = QPushButton("energy of a bounce")
        self.kind.setObjectName("quiet")
        self.kind.setCheckable(True)
        self.kind.setMinimumHeight(24)
        self.kind.setToolTip("what each line gave or took from one top of the path to the next, and what springs hold")
        self.kind.clicked.connect(self.show_energy)
        bar.addWidget(self.kind)
        bar.addStretch(1)
        bar.addWidget(self.of)
        bar.addWidget(self.axes)
        layout.addLayout(bar)
        layout.addStretch(1)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        shown.run_changed.connect(self._name_body)
        shown.cursor_moved.connect(self.update)
        shown.run_changed.connect(self._tell)
        shown.cursor_moved.connect(self._tell)

    def showEvent(self, event: QShowEvent | None) -> None:
        self._tell()

    def _tell(self) -> None:
        """The lines, for a screen reader; not in every frame of a drive, nor while another pane is shown."""
        if self.isVisible() and not self.shown.live_on:
            if self.shows_energy:
                accessibility.describe(self, "energy of a bounce", "; ".join(self.energy_words()))
                return
            said = [
                f"{row.title} {', '.join(_plain(force, 'N') for force in self._seen(row))} {units.name_of('N')}"
                for row in self.rows()
            ]
            accessibility.describe(self, "ledger", "; ".join(said))

    def _seen(self, row: LedgerRow) -> Sequence[float]:
        """The force of a row, N, ahead, left and up, or along the axes of the world as the game has them."""
        return row.force if self.craft_axes else units.in_use().axes.vectors(np.array(row.force)).tolist()

    def switch_axes(self) -> None:
        """Own axes to world axes and back."""
        self.craft_axes = not self.craft_axes
        self._name_body()

    def show_energy(self, whether: bool) -> None:
        """The energy of the bounce at the cursor in the place of the forces of its tick."""
        self.shows_energy = whether
        self.kind.setChecked(whether)
        self.axes.setVisible(not whether)
        self._name_body()

    def show_bodies(self) -> None:
        """The list of bodies that keep a ledger."""
        menu = QMenu(self)
        for name in self.names():
            menu.addAction(theme.in_menu(self._heading(name)), lambda name=name: self.show_body(name))
        menu.exec(self.of.mapToGlobal(self.of.rect().bottomLeft()))
        menu.deleteLater()

    def names(self) -> list[str]:
        """All that keeps a ledger, as `block` tells it."""
        run = self.shown.run
        if run is None:
            return [""]
        bodies = [one.id for one in run.job.bodies if one.id != run.job.single.id]
        return ["", *bodies, *((ALL,) if bodies else ()), *run.layout.watched]

    def show_body(self, name: str) -> None:
        """Shows the ledger of something that `names` tells."""
        self.block = name
        self._name_body()

    def _heading(self, name: str) -> str:
        run = self.shown.run
        if run is None:
            return name.replace("_", " ")
        if name == ALL:
            return "all bodies"
        bodies = {one.id: one.heading for one in run.job.bodies}
        return run.job.single.heading if not name else bodies.get(name, name.replace("_", " "))

    def _name_body(self) -> None:
        run = self.shown.run
        names = self.names()
        if self.block not in names:
            self.block = ""  # another drill, which does not watch it, or another craft
        self.of.setText(f"{self._heading(self.block)} ▾")
        self.of.setVisible(len(names) > 1 and not self.shows_energy)
        is_block = run is not None and self.block in run.layout.watched
        self.axes.setText("world axes" if not self.craft_axes else "block axes" if is_block else "craft axes")
        self._tell()
        self.update()

    def rows(self) -> tuple[LedgerRow, ...]:
        """The lines that are shown."""
        run = self.shown.run
        if run is None or not run.ticks:
            return ()
        row = run.ticks if self.shown.live_on else max(1, self.shown.row)
        if self.block == ALL:
            return ledger.ledger_of_all(run, row, self.craft_axes)
        if self.block in run.layout.watched:
            return ledger.ledger_of_block(run, self.block, row, self.craft_axes)
        return ledger.ledger(run.seen_from(self.block) if self.block else run, row, self.craft_axes)

    def mass(self, run: Run) -> float:
        """kg of the body whose ledger is shown."""
        if self.block in run.layout.watched:
            return ledger.mass_of_block(run, self.block)
        if self.block == ALL:
            return sum(one.body.true_mass() for one in run.job.bodies)
        return run.job.single.body.true_mass() if not self.block else _body_of(run, self.block).true_mass()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        rows = self.rows()
        run = self.shown.run
        if run is None or not rows:
            return
        painter = QPainter(self)
        if self.shows_energy:
            self._paint_energy(painter, run)
            return
        width = self.width() - 20
        columns = [10 + width * share for share in (0.47, 0.62, 0.77, 1.0)]
        row_time = (run.ticks if self.shown.live_on else max(1, self.shown.row)) * run.job.dt
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        top = 34.0
        for text, x in zip(("ahead", "left", "up"), columns[:3], strict=True):
            words = text if self.craft_axes else {"ahead": "x", "left": "y", "up": "z"}[text]
            self._paint_head(painter, words, "N", QRectF(x - 80, top, 80, 16))
        self._paint_head(painter, "yaw", "N m", QRectF(columns[3] - 90, top, 90, 16))
        top += 20
        painter.drawText(QRectF(columns[0] - 150, top - 20, 84, 16), Qt.AlignmentFlag.AlignRight, "of weight")
        mass = self.mass(run)
        weight = max(mass * STANDARD_GRAVITY, 1e-9)
        biggest = max(max(abs(value) for value in row.force[:2]) for row in rows) or 1.0
        step = min(ROW, (self.height() - top - 66) / max(len(rows), 1))
        for row in rows:
            self._paint_row(painter, row, top, step, columns, weight, biggest)
            top += step
        painter.setPen(theme.pen("ink"))
        painter.drawLine(10, int(top + 2), self.width() - 10, int(top + 2))
        total = [sum(row.force[axis] for row in rows) for axis in range(3)]
        torque = sum(row.torque[2] for row in rows)
        summed = LedgerRow("sum", "sum = m a", "", (total[0], total[1], total[2]), (0.0, 0.0, torque))
        self._paint_row(painter, summed, top + 5, step, columns, weight, 0.0)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        level = (total[0] ** 2 + total[1] ** 2) ** 0.5
        text = f"{units.show(level / mass, 'm/s2')} level = {units.show(level / weight, 'g')}"
        first = " · first tick" if row_time <= run.job.dt * 1.5 else ""
        text += f" · in the tick that ends at {units.fixed(row_time, 's', 3)}{first}"
        painter.drawText(12, int(top + 5 + step + 16), text)

    @staticmethod
    def _paint_head(painter: QPainter, words: str, unit: str, box: QRectF) -> None:
        """The head of a column; a long unit stands above it."""
        name = units.pretty(units.name_of(unit))
        if len(name) <= 4:
            painter.drawText(box, Qt.AlignmentFlag.AlignRight, f"{words}  {name}")
            return
        painter.drawText(box, Qt.AlignmentFlag.AlignRight, words)
        painter.save()
        painter.setFont(theme.font(9))
        painter.drawText(box.translated(0.0, -13.0), Qt.AlignmentFlag.AlignRight, name)
        painter.restore()

    def _paint_row(
        self,
        painter: QPainter,
        row: LedgerRow,
        top: float,
        step: float,
        columns: list[float],
        weight: float,
        biggest: float,
    ) -> None:
        ink = theme.family(row.family)
        base = top + step * 0.68
        idle = all(abs(value) < 1e-9 for value in (*row.force, *row.torque))
        if row.family and biggest:
            painter.fillRect(QRectF(10, top + 3, 4, step - 6), ink)
        name = theme.font(theme.TEXT, bold=not biggest)
        painter.setFont(name)
        painter.setPen(theme.colour("soft" if idle else "ink"))
        painter.drawText(20, int(base), theme.elide(row.title, columns[0] - 120, name))
        if idle:
            return
        size = (row.force[0] ** 2 + row.force[1] ** 2 + row.force[2] ** 2) ** 0.5
        if biggest and size > 1e-9:
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("soft"))
            painter.drawText(
                QRectF(columns[0] - 130, base - 11, 64, 14), Qt.AlignmentFlag.AlignRight, f"{size / weight:.2f}"
            )
        painter.setFont(theme.font(theme.TEXT))
        for value, x in zip(self._seen(row), columns[:3], strict=True):
            painter.setPen(theme.colour("ink" if abs(value) > 1e-9 else "rule"))
            painter.drawText(QRectF(x - 66, base - 12, 66, 16), Qt.AlignmentFlag.AlignRight, _plain(value, "N"))
        painter.setPen(theme.colour("ink" if abs(row.torque[2]) > 1e-9 else "rule"))
        painter.drawText(
            QRectF(columns[3] - 90, base - 12, 90, 16), Qt.AlignmentFlag.AlignRight, _plain(row.torque[2], "N m")
        )

    # energy

    def energies(self) -> EnergyTable | None:
        """Work of each line in the bounce at the cursor: to the cursor, and over all of it; None without a bounce."""
        run = self.shown.run
        if run is None or not run.ticks or self.shown.live_on:
            return None
        row = self.shown.row
        bounce = energy.bounce_at(run, row)
        if bounce is None:
            return None
        whole = energy.shares(run, bounce.first, bounce.last)
        now = {(one.name, one.kind): one.joules for one in energy.shares(run, bounce.first, row)}
        lines = [(one, now.get((one.name, one.kind), 0.0)) for one in whole]
        return EnergyTable(bounce, lines)

    def energy_words(self) -> list[str]:
        """The same in words."""
        table = self.energies()
        if table is None:
            return ["no bounce at the cursor"]
        return [f"{share.title} {_joules(share.joules)}" for share, _ in table.lines]

    def _paint_energy(self, painter: QPainter, run: Run) -> None:
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        table = self.energies()
        if table is None:
            words = (
                "A drive has no bounces yet: end it first."
                if self.shown.live_on
                else "No bounce at the cursor: the craft is held at its height, or never rises and falls again."
            )
            painter.drawText(QRectF(12, 40, self.width() - 24, 40), Qt.TextFlag.TextWordWrap, words)
            return
        bounce, dt = table.bounce, run.job.dt
        back = f", {100.0 * bounce.rose / bounce.fell:.0f} %" if bounce.fell > 0.0 else ""
        went = f"fell {units.show(bounce.fell, 'm')}, rose {units.show(bounce.rose, 'm')}{back}"
        painter.drawText(
            12,
            46,
            f"bounce from {units.fixed(bounce.first * dt, 's', 3)} to {units.fixed(bounce.last * dt, 's', 3)}: {went}",
        )
        width, top = self.width() - 20, 58.0
        columns = [10 + width * share for share in (0.62, 0.79, 1.0)]
        for words, x in (("to the cursor", columns[1]), ("whole bounce", columns[2])):
            painter.drawText(QRectF(x - 100, top, 100, 16), Qt.AlignmentFlag.AlignRight, words)
        top += 20
        biggest = max((abs(share.joules) for share, _ in table.lines), default=1.0) or 1.0
        step = min(ROW, (self.height() - top - 46) / max(len(table.lines), 1))
        for share, now in table.lines:
            ink = theme.family(share.family)
            painter.fillRect(QRectF(10, top + 3, 4, step - 6), ink)
            painter.setFont(theme.font(theme.TEXT))
            painter.setPen(theme.colour("ink"))
            base = top + step * 0.68
            painter.drawText(20, int(base), theme.elide(share.title, columns[0] - 120, theme.font(theme.TEXT)))
            # a bar from the middle: right what it gave, left what it took or holds
            middle, reach = columns[0] - 48.0, 44.0 * share.joules / biggest
            painter.fillRect(QRectF(middle + min(reach, 0.0), top + 6, abs(reach), step - 12), ink)
            painter.fillRect(QRectF(middle - 0.5, top + 3, 1, step - 6), theme.colour("rule"))
            for value, x in ((now, columns[1]), (share.joules, columns[2])):
                number, unit = units.split(value, "J")
                theme.number(painter, x, base, number, unit, theme.TEXT, theme.colour("ink"), theme.colour("soft"))
            top += step
        painter.setPen(theme.pen("ink"))
        painter.drawLine(10, int(top + 2), self.width() - 10, int(top + 2))
        top += 5
        painter.setFont(theme.font(theme.TEXT, bold=True))
        painter.drawText(20, int(top + step * 0.68), "change of motion")
        ends = ((self.shown.row, columns[1]), (bounce.last, columns[2]))
        for row, x in ends:
            number, unit = units.split(energy.gained(run, bounce.first, row), "J")
            ink = theme.colour("ink")
            theme.number(painter, x, top + step * 0.68, number, unit, theme.TEXT, ink, theme.colour("soft"))


@dataclass(frozen=True)
class EnergyTable:
    """A bounce, and of every line what it did in all of it, and to the cursor, J."""

    bounce: energy.Bounce
    lines: list[tuple[energy.Share, float]]


def _body_of(run: Run, name: str) -> Body:
    return next(one.body for one in run.job.bodies if one.id == name)


def _joules(value: float) -> str:
    return " ".join(units.split(value, "J"))


def _plain(value: float, unit: str) -> str:
    if abs(value) < 0.05:
        return "0"
    if units.name_of(unit) != unit:
        return units.number(value, unit)
    return f"{value:.1f}" if abs(value) < 100 else f"{value:.0f}"
