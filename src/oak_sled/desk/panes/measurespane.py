"""Measures of the run shown, against the run before; targets, cautions, and studies of the drill."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base import units
from oak_sled.core.results import flights, measures
from oak_sled.core.results.measure import Measure
from oak_sled.desk.panes.cautionlist import CautionList
from oak_sled.desk.panes.checkview import CheckView
from oak_sled.desk.panes.studyview import ROW, StudyView
from oak_sled.desk.panes.twinsview import TwinsView
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session

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
    """Signals: checked() when a study came in."""

    checked = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # arrow keys scroll it
        accessibility.describe(self.area, "measures")
        self.table = _Table(self)
        self.cautions = CautionList(session, self)
        self.check = CheckView(session, self)
        self.twins = TwinsView(session, self)
        self.studies: tuple[StudyView, ...] = (self.check, self.twins)
        self.study: StudyView | None = None
        """The study that is shown in the place of the measures."""
        layout.addLayout(self._bar())
        content = QWidget()
        content.setObjectName("page")
        inside = QVBoxLayout(content)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        for part, share in ((self.cautions, 0), (self.table, 1), *((study, 1) for study in self.studies)):
            inside.addWidget(part, share)
        self.area.setWidget(content)
        layout.addWidget(self.area, 1)
        for study in self.studies:
            study.changed.connect(self.refresh)
            study.answered.connect(self.checked)
            study.refused.connect(self.show_measures)
        self.show_measures()
        session.shown.run_changed.connect(self.refresh)

    def _bar(self) -> QHBoxLayout:
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 0, 8, 0)
        self.back, self.cancel = QPushButton("measures"), QPushButton("cancel")
        self.back.clicked.connect(self.show_measures)
        self.cancel.clicked.connect(self.stop_study)
        self.begins: dict[StudyView, QPushButton] = {study: QPushButton(study.NAME) for study in self.studies}
        for study, button in self.begins.items():
            button.setToolTip(theme.in_tip(study.SAYS))
            button.clicked.connect(lambda _, study=study: self.run_study(study))
        for button in (self.back, *self.begins.values(), self.cancel):
            button.setObjectName("quiet")
            button.setMinimumHeight(24)
            button.setCheckable(button is not self.cancel)
            bar.addWidget(button)
        bar.addStretch(1)
        return bar

    def show_measures(self) -> None:
        """Shows the measures of the run."""
        self.study = None
        self.refresh()

    def refresh(self) -> None:
        """Takes the measures of the run shown."""
        self.back.setChecked(self.study is None)
        for study, button in self.begins.items():
            button.setChecked(study is self.study)
            study.setVisible(study is self.study)
        self.cancel.setVisible(self.study is not None and self.study.is_busy)
        self.table.setVisible(self.study is None)
        self.cautions.setVisible(self.study is None and bool(self.session.shown.warned))
        if self.isVisible():  # measures are read when they are looked at: a drag waits for none
            self._tell_values()
            self.cautions.refresh()
            shown = self.study or self.table
            shown.setMinimumHeight(shown.wanted_height())
            shown.update()

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

    def run_study(self, study: StudyView) -> None:
        """Begins a study, and shows it."""
        self.study = study
        study.begin()
        self.refresh()

    @property
    def is_checking(self) -> bool:
        """True if a study is under way."""
        return any(study.is_busy for study in self.studies)

    def stop_study(self) -> None:
        """Cancels the study that is shown."""
        if self.study is not None:
            self.study.stop()

    def _tell_values(self) -> None:
        if self.session.shown.live_on or self.session.shown.run is None:
            return
        found = self.session.shown.found
        values = [(known, found[known.name]) for known in self.shown()]
        said = [
            f"{known.title} {'none' if value is None else units.plain(value, known.unit, 4)}" for known, value in values
        ]
        accessibility.describe(self.area, "measures", "; ".join(said))

    def close_thread(self) -> None:
        """Ends the threads of studies that are under way."""
        for study in self.studies:
            study.close_thread()


class _Table(QWidget):
    def __init__(self, pane: MeasuresPane):
        super().__init__(pane)
        self.pane = pane

    def wanted_height(self) -> int:
        session = self.pane.session
        rows = len(self.pane.shown()) + len(session.drill.targets) + len(self.pane.flung()) + 2
        return 44 + ROW * rows + 40

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
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
