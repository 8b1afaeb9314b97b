"""The tick check as a table: a row a measure, a column a tick rate, the reference, and the spread."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from oak_sled.core.base import units
from oak_sled.core.results import measures
from oak_sled.core.results.measure import Measure
from oak_sled.core.study import tickcheck
from oak_sled.core.study.tickcheck import TickCheck
from oak_sled.desk.panes.studyview import ROW, StudyView
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.jobs import Work


class CheckView(StudyView):
    """The drill on the bench at four tick rates beside a finely stepped reference."""

    NAME = "tick check"
    SAYS = "the drill at 30, 60, 120 and 240 ticks/s beside a finely stepped reference (Ctrl+T)"
    result: TickCheck | None = None

    def present(self) -> object:
        return self.session.job()

    def work(self) -> Work:
        job = self.session.job()
        return lambda on_progress: tickcheck.check(job, on_progress=on_progress)

    def take(self, answer: object) -> None:
        assert isinstance(answer, TickCheck)
        self.result = answer

    def has_answer(self) -> bool:
        return self.result is not None

    def wanted_height(self) -> int:
        return 90 + ROW * (len(self.result.names) if self.result is not None else 0)

    def paint(self, painter: QPainter) -> None:
        result, width = self.result, self.width()
        assert result is not None
        rates = [rate for rate, _ in result.by_rate]
        heads = [*(str(rate) for rate in rates), "reference", "spread"]
        first = width * 0.34
        step = (width - 14 - first) / len(heads)
        top = self.head(painter, "ticks/s", heads, first, step)
        for known in map(measures.known, result.names):
            values = [found.get(known.name) for _, found in result.by_rate] + [result.reference.get(known.name)]
            if all(value is None or value == 0.0 for value in values):
                continue
            _paint_row(painter, known, values, result.spread(known.name), top, first, step)
            top += ROW
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        fine = f"{result.substeps} substeps a tick at {max(rates)} ticks/s"
        text = f"reference: {fine}, every craft and block settled to {units.show(result.error, 'm')}"
        if not result.settled:
            left = units.show(result.error, "m")
            text = f"reference: {fine}; it does not settle: a craft or a block still differs by {left}"
        painter.drawText(QRectF(14, top + 6, width - 28, 30), int(Qt.TextFlag.TextWordWrap), text)
        for place, message in enumerate(result.messages):
            painter.setPen(theme.colour("warning"))
            painter.drawText(QRectF(14, top + 38 + 30 * place, width - 28, 30), int(Qt.TextFlag.TextWordWrap), message)


def _paint_row(
    painter: QPainter,
    known: Measure,
    values: list[float | None],
    gap: float | None,
    top: float,
    first: float,
    step: float,
) -> None:
    small = theme.font(theme.SMALL)
    painter.setFont(small)
    painter.setPen(theme.colour("ink"))
    unit = units.name_of(known.unit)
    title = f"{known.title}" + (f" · {unit}" if unit else "")
    painter.drawText(14, int(top + 14), theme.elide(title, first - 10, small))
    for place, value in enumerate(values):
        text = "—" if value is None else units.number(units.above_floor(value, known.unit), known.unit)
        painter.drawText(QRectF(first + step * place, top + 2, step, 16), Qt.AlignmentFlag.AlignRight, text)
    wide = gap is not None and gap > 0.05
    painter.setPen(theme.colour("warning" if wide else "soft"))
    text = "—" if gap is None else f"{units.significant(100.0 * gap, 2)} %"
    painter.drawText(QRectF(first + step * len(values), top + 2, step, 16), Qt.AlignmentFlag.AlignRight, text)
