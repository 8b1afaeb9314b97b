"""Twins in one table: a line a measure and a tick rate, a column a craft, and what a tick of each costs."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from oak_sled.core.base import units
from oak_sled.core.study import twintable
from oak_sled.core.study.twintable import TwinTable
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.panes.studyview import StudyView
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.jobs import Work

LINE, HEAD, BETWEEN = 17, 24, 5
"""px: a line, the heading of a drill, and what parts two measures."""
RATE = 34.0
"""px of the column of tick rates."""


class TwinsView(StudyView):
    """The craft of the drill and its twins, in every drill that they share, at three tick rates."""

    NAME = "twins"
    SAYS = "every drill with the twins of this one, by each of them at 30, 60 and 120 ticks/s, and the cost of a tick"
    made: TwinTable | None = None
    compared: Yard | None = None
    """The yard that the table is of."""

    def present(self) -> object:
        return self.session.yard, self.session.drill.id

    def work(self) -> Work:
        yard, drill = self.session.yard, self.session.drill
        return lambda on_progress: twintable.make(yard, drill, on_progress=on_progress)

    def take(self, answer: object) -> None:
        assert isinstance(answer, TwinTable)
        self.made = answer
        assert isinstance(self.asked, tuple)
        self.compared = self.asked[0]
        accessibility.describe(self, "twins", twintable.text(answer))

    def has_answer(self) -> bool:
        return self.made is not None

    def wanted_height(self) -> int:
        if self.made is None:
            return 90
        blocks = len(self.made.rows) + 1
        heads = len({row.drill.id for row in self.made.rows}) + 1
        notes = 34 * len(self.made.messages)
        return 40 + heads * HEAD + blocks * (LINE * len(self.made.rates) + BETWEEN) + notes

    def paint(self, painter: QPainter) -> None:
        made, width = self.made, self.width()
        assert made is not None
        first = width * 0.33 + RATE
        step = (width - 14 - first) / len(made.crafts)
        small = theme.font(10)
        heads = [theme.elide(name, step - 6, small) for name in made.crafts]
        top, drill = self.head(painter, "", heads, first, step), ""
        for row in made.rows:
            if row.drill.id != drill:
                drill = row.drill.id
                top = self._heading(painter, row.drill.heading, top)
            unit = units.name_of(row.known.unit)
            cells = [[_cell(of[k], row.known.unit) for of in row.values] for k in range(len(made.rates))]
            red = [[not row.meets(of[k]) for of in row.values] for k in range(len(made.rates))]
            top = self._block(painter, row.known.title + (f" · {unit}" if unit else ""), cells, red, top)
        top = self._heading(painter, "cost", top)
        cells = [[units.significant(1e6 * of[k], 2) for of in made.tick_s] for k in range(len(made.rates))]
        top = self._block(painter, "a tick · µs", cells, [[False] * len(made.crafts)] * len(made.rates), top)
        painter.setPen(theme.colour("warning"))
        for place, message in enumerate(made.messages):
            at = QRectF(14, top + 4 + 34 * place, width - 28, 30)
            painter.drawText(at, int(Qt.TextFlag.TextWordWrap), message)

    def _heading(self, painter: QPainter, words: str, top: float) -> float:
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(14, int(top + 15), words)
        return top + HEAD

    def _block(self, painter: QPainter, title: str, cells: list[list[str]], red: list[list[bool]], top: float) -> float:
        """Paints the lines of a measure: one a tick rate, of which the first bears its title."""
        made = self.made
        assert made is not None
        first = self.width() * 0.33
        step = (self.width() - 14 - first - RATE) / len(made.crafts)
        small = theme.font(theme.SMALL)
        painter.setFont(small)
        painter.setPen(theme.colour("soft"))
        box = QRectF(14, top, first - 18, LINE * len(made.rates))
        painter.drawText(box, int(Qt.TextFlag.TextWordWrap), title)
        right = Qt.AlignmentFlag.AlignRight
        for rate, line, missed in zip(made.rates, cells, red, strict=True):
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(first, top, RATE, LINE), right, str(rate))
            for place, (cell, miss) in enumerate(zip(line, missed, strict=True)):
                painter.setPen(theme.colour("warning" if miss else "ink"))
                painter.drawText(QRectF(first + RATE + step * place, top, step, LINE), right, cell)
            top += LINE
        return top + BETWEEN


def _cell(value: float | None, unit: str) -> str:
    return "—" if value is None else units.number(units.above_floor(value, unit), unit)
