"""A study of the drill on the bench: many runs in a thread of their own, and a table of what they told."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base.faults import Refused
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.jobs import CANCELLED, Errand, Work
from oak_sled.desk.work.session import Session

ROW = 21


class StudyView(QWidget):
    """Base of a study: says what it asks for, and paints its answer.

    Signals: changed() when its height or what it does changed, answered() when an answer came in, refused() when there
    is none.
    """

    changed = pyqtSignal()
    answered = pyqtSignal()
    refused = pyqtSignal()

    NAME = ""
    SAYS = ""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.asked: object = None
        """The question of the answer that is shown."""
        self._progress = ""
        self._errand: Errand | None = None

    def present(self) -> object:
        """The question as it is now; equal to `asked` while the answer holds."""
        raise NotImplementedError

    def work(self) -> Work:
        """The work of what is present now, to be done in another thread."""
        raise NotImplementedError

    def take(self, answer: object) -> None:
        """Keeps an answer."""
        raise NotImplementedError

    def has_answer(self) -> bool:
        """True if there is something to show."""
        raise NotImplementedError

    def wanted_height(self) -> int:
        """px that the table takes."""
        raise NotImplementedError

    def paint(self, painter: QPainter) -> None:
        """Paints the table of an answer that is there."""
        raise NotImplementedError

    @property
    def is_busy(self) -> bool:
        """True if it is under way."""
        return self._errand is not None

    @property
    def is_stale(self) -> bool:
        """True if the answer is of settings before the last change."""
        return self.asked != self.present()

    def begin(self) -> None:
        """Begins, unless it is under way."""
        if self._errand is not None:
            return
        present = self.present()
        self._progress = f"{self.NAME}: begins"
        try:
            work = self.work()
        except Refused as refused:
            self._take(present, refused)
            return
        self._errand = errand = Errand(work, self)
        errand.progress.connect(self._tell)
        errand.answered.connect(lambda answer: self._take(present, answer))
        errand.start()
        self.changed.emit()

    def stop(self) -> None:
        """Cancels it."""
        if self._errand is not None:
            self._errand.cancel()

    def close_thread(self) -> None:
        """Ends the thread of one that is under way."""
        if self._errand is not None:
            self._errand.close()

    def _tell(self, done: int, of: int) -> None:
        self._progress = f"{self.NAME}: {done} of {of}"
        self.update()

    def _take(self, asked: object, answer: object) -> None:
        errand, self._errand = self._errand, None
        if errand is not None:
            errand.close()
            errand.deleteLater()
        self._progress = ""
        if isinstance(answer, Refused):
            self.session.say(f"{self.NAME}: {answer}", answer is not CANCELLED)
            self.refused.emit()
        else:
            self.asked = asked
            self.take(answer)
        self.changed.emit()
        self.answered.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self._progress or not self.has_answer():
            painter.setFont(theme.font(theme.READING))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(0, 30, self.width(), 30), Qt.AlignmentFlag.AlignCenter, self._progress)
            return
        self.paint(painter)

    def head(self, painter: QPainter, words: str, heads: list[str], first: float, step: float) -> float:
        """Paints the heads of the columns, and what they are; gives the place below, px."""
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("soft"))
        painter.drawText(14, 16, words + (" · of settings before the last change" if self.is_stale else ""))
        for place, text in enumerate(heads):
            painter.drawText(QRectF(first + step * place, 4, step, 16), Qt.AlignmentFlag.AlignRight, text)
        painter.setPen(theme.pen("rule"))
        painter.drawLine(14, 24, self.width() - 14, 24)
        return 28.0
