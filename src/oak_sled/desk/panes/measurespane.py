"""Measures of the run shown, against the run before; targets, cautions, and the tick check."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.results import flights, measures
from oak_sled.core.results.measure import Measure
from oak_sled.core.study import tickcheck
from oak_sled.core.study.tickcheck import TickCheck
from oak_sled.desk.panes.cautionlist import CautionList
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.jobs import CANCELLED, Errand
from oak_sled.desk.work.session import Session

ROW = 21
FLUNG = (
    ("", "kg", "mass"),
    ("", "m/s", "speed"),
    ("far", "m", "distance"),
    ("high", "m", "height"),
    ("air", "s", "air"),
    ("turns", "", "turns"),
    ("settles", "s", "settled"),
)
"""Columns of the table of launches: head, unit, number of a flight."""


class MeasuresPane(QWidget):
    """Signals: checked() when a tick check came in."""

    checked = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.result: TickCheck | None = None
        self.result_job: Job | None = None
        self.progress = ""
        self._errand: Errand | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(0)
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 0, 8, 0)
        self.back = QPushButton("measures")
        self.check = QPushButton("tick check")
        self.cancel = QPushButton("cancel")
        for button, action in (
            (self.back, self.show_measures),
            (self.check, self.run_check),
            (self.cancel, self.stop_check),
        ):
            button.setObjectName("quiet")
            button.setMinimumHeight(24)
            button.clicked.connect(action)
            bar.addWidget(button)
        self.back.setCheckable(True)
        self.check.setCheckable(True)
        self.check.setToolTip("the drill at 30, 60, 120 and 240 ticks/s beside a finely stepped reference (Ctrl+T)")
        self.cancel.hide()
        bar.addStretch(1)
        layout.addLayout(bar)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # arrow keys scroll it
        accessibility.describe(self.area, "measures")
        self.table = _Table(self)
        self.cautions = CautionList(session, self)
        content = QWidget()
        content.setObjectName("page")
        inside = QVBoxLayout(content)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addWidget(self.cautions)
        inside.addWidget(self.table, 1)
        self.area.setWidget(content)
        layout.addWidget(self.area, 1)
        self.checking = False
        self.show_measures()
        session.shown.run_changed.connect(self.refresh)

    def show_measures(self) -> None:
        """Shows the measures of the run."""
        self.checking = False
        self.refresh()

    def refresh(self) -> None:
        """Takes the measures of the run shown."""
        self.back.setChecked(not self.checking)
        self.check.setChecked(self.checking)
        self.cautions.setVisible(not self.checking and bool(self.session.shown.warned))
        if self.isVisible():  # measures are read when they are looked at: a drag waits for none
            self._tell_values()
            self.cautions.refresh()
            self.table.setMinimumHeight(self.table.wanted_height())
            self.table.update()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def show_cautions(self) -> None:
        """Brings the cautions into sight, the first remedy in focus."""
        self.show_measures()
        bar = self.area.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)
        self.cautions.focus_first()

    def shown(self) -> list[Measure]:
        """The measures this run shows, without those of the table above them."""
        table = measures.OF_BLOCKS if self.flung() else {}
        shown = [known for known in measures.MEASURES if known.name not in table]
        return [known for known in shown if self.session.shown.found.get(known.name) is not None]

    def flung(self) -> tuple[flights.Flight, ...]:
        """The flights of the craft and of the watched blocks."""
        run = self.session.shown.run
        return flights.all_of(run) if run is not None and run.ticks and not self.session.shown.live_on else ()

    def run_check(self) -> None:
        """Runs the tick check in its own thread, with progress."""
        if self._errand is not None:
            return
        self.checking = True
        job = self.session.job()
        self.progress = "tick check: 0 of 5"
        self.cancel.show()
        errand = Errand(lambda on_progress: tickcheck.check(job, on_progress=on_progress), self)
        errand.progress.connect(self._tell)
        errand.answered.connect(lambda answer: self._take(job, answer))
        self._errand = errand
        errand.start()
        self.refresh()

    @property
    def is_checking(self) -> bool:
        """True if a tick check is under way."""
        return self._errand is not None

    def stop_check(self) -> None:
        """Cancels the tick check."""
        if self._errand is not None:
            self._errand.cancel()

    def _tell_values(self) -> None:
        if self.session.shown.live_on or self.session.shown.run is None:
            return
        found = self.session.shown.found
        values = [(known, found[known.name]) for known in self.shown()]
        said = [
            f"{known.title} {'none' if value is None else units.plain(value, known.unit, 4)}" for known, value in values
        ]
        accessibility.describe(self.area, "measures", "; ".join(said))

    def _tell(self, done: int, of: int) -> None:
        self.progress = f"tick check: {done} of {of}"
        self.table.update()

    def _end(self) -> None:
        errand, self._errand = self._errand, None
        if errand is not None:
            errand.close()
            errand.deleteLater()
        self.progress = ""
        self.cancel.hide()

    def _take(self, job: Job, answer: object) -> None:
        self._end()
        if isinstance(answer, TickCheck):
            self.result, self.result_job = answer, job
            self.refresh()
        else:
            self.session.say(f"tick check: {answer}", answer is not CANCELLED)
            self.show_measures()
        self.checked.emit()

    def close_thread(self) -> None:
        """Ends the thread of a check that is under way."""
        if self._errand is not None:
            self._errand.close()


class _Table(QWidget):
    def __init__(self, pane: MeasuresPane):
        super().__init__(pane)
        self.pane = pane

    def wanted_height(self) -> int:
        session = self.pane.session
        if self.pane.checking:
            return 90 + ROW * (len(self.pane.result.names) if self.pane.result is not None else 0)
        rows = len(self.pane.shown()) + len(session.drill.targets) + len(self.pane.flung()) + 2
        return 44 + ROW * rows + 40

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self.pane.checking:
            self._paint_check(painter)
        else:
            self._paint_measures(painter)

    def _paint_measures(self, painter: QPainter) -> None:
        session = self.pane.session
        if session.shown.run is None:
            return
        width = self.width()
        before = (
            measures.read_all(session.shown.ghost)
            if session.shown.ghost is not None and session.shown.ghost.ticks
            else {}
        )
        top = self._paint_targets(painter, 6.0, width)
        top = self._paint_flung(painter, top, width)
        top = self._heading(painter, top, "measures", "of the run before" if before else "")
        for known in self.pane.shown():
            value = session.shown.found[known.name]
            assert value is not None
            painter.setFont(theme.font(theme.TEXT))
            painter.setPen(theme.colour("ink"))
            painter.drawText(14, int(top + 14), known.title)
            number, unit = units.reading(value, known.unit)
            theme.number(painter, width * 0.62, top + 14, number, unit, 13, theme.colour("ink"), theme.colour("soft"))
            old = before.get(known.name)
            if old is not None:
                number, unit = units.reading(old, known.unit)
                ink = theme.colour("soft")
                theme.number(painter, width * 0.84, top + 14, number, unit, 12, ink, ink)
                self._paint_change(painter, known, old, value, top)
            top += ROW

    def _paint_change(self, painter: QPainter, known: Measure, old: float, value: float, top: float) -> None:
        if old == value or old == 0.0:
            return
        share = 100.0 * (value - old) / abs(old)
        if abs(share) < 0.05:
            return
        token = "soft"
        if known.better:
            token = "good" if (share < 0) == (known.better == "low") else "warning"
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(token))
        text = f"{share:+.0f} %" if abs(share) >= 10 else f"{share:+.1f} %"
        painter.drawText(QRectF(self.width() - 84, top + 1, 72, 16), Qt.AlignmentFlag.AlignRight, text)

    def _heading(self, painter: QPainter, top: float, words: str, right: str = "") -> float:
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("soft"))
        painter.drawText(14, int(top + 13), words)
        if right:
            painter.drawText(QRectF(0, top, self.width() * 0.84, 16), Qt.AlignmentFlag.AlignRight, right)
        painter.setPen(theme.pen("rule"))
        painter.drawLine(14, int(top + 18), self.width() - 14, int(top + 18))
        return top + 22

    def _paint_targets(self, painter: QPainter, top: float, width: float) -> float:
        session = self.pane.session
        verdicts = measures.judge(session.drill, session.shown.found)
        if not verdicts:
            return top
        top = self._heading(painter, top, "targets of this drill")
        for verdict in verdicts:
            painter.setFont(theme.font(theme.TEXT, bold=True))
            painter.setPen(theme.colour("good" if verdict.met else "warning"))
            painter.drawText(14, int(top + 14), "met" if verdict.met else "missed")
            painter.setFont(theme.font(theme.TEXT))
            painter.setPen(theme.colour("ink"))
            painter.drawText(70, int(top + 14), verdict.words())
            top += ROW
        return top + 6

    def _paint_flung(self, painter: QPainter, top: float, width: float) -> float:
        """The same push on light and heavy, side by side."""
        found = self.pane.flung()
        if not found:
            return top
        top = self._heading(painter, top, "launches, side by side")
        first = width * 0.25
        step = (width - 14 - first) / len(FLUNG)
        small = theme.font(theme.SMALL)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        for place, (head, unit, _) in enumerate(FLUNG):
            words = f"{head} {units.name_of(unit)}".strip()
            painter.drawText(QRectF(first + step * place, top, step, 16), Qt.AlignmentFlag.AlignRight, words)
        top += 17
        for flight in found:
            painter.setFont(small)
            painter.setPen(theme.colour("ink"))
            painter.drawText(14, int(top + 14), theme.elide(flight.title, first - 16, small))
            for place, (_, unit, field) in enumerate(FLUNG):
                value = getattr(flight, field)
                text = "—" if value is None else units.number(value, unit)
                painter.drawText(QRectF(first + step * place, top + 2, step, 16), Qt.AlignmentFlag.AlignRight, text)
            top += ROW
        return top + 6

    def _paint_check(self, painter: QPainter) -> None:
        result, width = self.pane.result, self.width()
        if self.pane.progress or result is None:
            painter.setFont(theme.font(theme.READING))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(0, 30, width, 30), Qt.AlignmentFlag.AlignCenter, self.pane.progress)
            return
        rates = [rate for rate, _ in result.by_rate]
        heads = [*(str(rate) for rate in rates), "reference", "spread"]
        first = width * 0.34
        step = (width - 14 - first) / len(heads)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        job = self.pane.result_job
        stale = job is not None and job != self.pane.session.job()
        painter.drawText(14, 16, "ticks/s" + (" · of settings before the last change" if stale else ""))
        for place, head in enumerate(heads):
            painter.drawText(QRectF(first + step * place, 4, step, 16), Qt.AlignmentFlag.AlignRight, head)
        painter.setPen(theme.pen("rule"))
        painter.drawLine(14, 24, width - 14, 24)
        top = 28.0
        for known in map(measures.known, result.names):
            values = [found.get(known.name) for _, found in result.by_rate] + [result.reference.get(known.name)]
            if all(value is None or value == 0.0 for value in values):
                continue
            self._paint_check_row(painter, known, values, result.spread(known.name), top, first, step)
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

    def _paint_check_row(
        self,
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
        painter.setFont(theme.font(theme.SMALL))
        for place, value in enumerate(values):
            text = "—" if value is None else units.number(units.above_floor(value, known.unit), known.unit)
            painter.drawText(QRectF(first + step * place, top + 2, step, 16), Qt.AlignmentFlag.AlignRight, text)
        wide = gap is not None and gap > 0.05
        painter.setPen(theme.colour("warning" if wide else "soft"))
        text = "—" if gap is None else f"{100 * gap:.2g} %"
        painter.drawText(QRectF(first + step * len(values), top + 2, step, 16), Qt.AlignmentFlag.AlignRight, text)
