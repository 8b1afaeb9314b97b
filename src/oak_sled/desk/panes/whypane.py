"""The Why pane at the cursor: what rolls, turns and slows the craft, ranked, and where the force of a tire jumps."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base import units
from oak_sled.core.results import rolling, why
from oak_sled.core.results.rolling import Jump
from oak_sled.core.results.why import Answer, Reason
from oak_sled.desk.widgets import accessibility, keys, theme
from oak_sled.desk.work.shown import Shown

TITLES = {"roll": "Roll", "yaw": "Yaw", "speed": "Speed"}
SHOWN = 4
"""Reasons that are listed; the rest is told as one."""
HEAD, ROW = 22, 18
NAMES, REACH = 140.0, 62.0
"""px for the titles, and for the longest bar to each side."""
JUMP_WORDS = "Largest jumps of the force of a tire in one tick"


class WhyPane(QWidget):
    """Shows the answers of the run shown at its cursor."""

    def __init__(self, shown: Shown, parent: QWidget | None = None):
        super().__init__(parent)
        self.shown = shown
        self.list = WhyList(shown)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setWidget(self.list)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.addWidget(self.area)

    def restyle(self) -> None:
        """Takes the colours of now."""
        self.list.update()


class WhyList(QWidget):
    """The answers, one under another, and behind them the jumps, each of which is a place to go to."""

    PROMISED = keys.Keys.of(Qt.Key.Key_Up, Qt.Key.Key_Down, *keys.RETURN)

    def __init__(self, shown: Shown):
        super().__init__()
        self.shown = shown
        self.answers: tuple[Answer, ...] = ()
        self.jumps: tuple[Jump, ...] = ()
        self.chosen = -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        shown.run_changed.connect(self._take)
        shown.cursor_moved.connect(self._take)

    def showEvent(self, event: QShowEvent | None) -> None:
        self._take()

    def _take(self) -> None:
        if not self.isVisible():
            return
        run = self.shown.run
        there = run is not None and run.ticks > 0
        row = (run.ticks if self.shown.live_on else self.shown.row) if run is not None else 0
        self.answers = why.answers(run, row) if there and run is not None else ()
        live = self.shown.live_on
        self.jumps = rolling.jumps(run) if there and run is not None and not live else ()
        self.chosen = min(self.chosen, len(self.jumps) - 1)
        self.setMinimumHeight(self.sizeHint().height())
        if not live:
            accessibility.describe(self, "why", "; ".join(self.words()), "up and down choose a jump, Enter goes there")
        self.update()

    def words(self) -> list[str]:
        """All of it in words."""
        found = [f"{TITLES[one.name]}: {one.says}; {one.sentence}" for one in self.answers]
        for one in self.answers:
            found += [f"{reason.title} {_amount(one, reason.amount)} {reason.words}" for reason in _told(one)]
        return found + [f"{_when(self, jump)} {jump.wheel}: {jump.cause}" for jump in self.jumps]

    def sizeHint(self) -> QSize:
        rows = sum(len(_told(one)) for one in self.answers)
        sentences = ROW * len(self.answers)
        tall = HEAD * (len(self.answers) + bool(self.jumps)) + ROW * (rows + len(self.jumps)) + sentences + 20
        return QSize(300, tall)

    # going to a jump

    def place_of(self, number: int) -> QRectF:
        """Position of a jump, px."""
        top = 6.0 + sum(HEAD + ROW * (1 + len(_told(one))) for one in self.answers) + HEAD
        return QRectF(0.0, top + ROW * number, self.width(), ROW)

    def _jump_at(self, at: QPointF) -> int:
        return next((k for k in range(len(self.jumps)) if self.place_of(k).contains(at)), -1)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            there = self._jump_at(event.position()) >= 0
            self.setCursor(Qt.CursorShape.PointingHandCursor if there else Qt.CursorShape.ArrowCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.go_to(self._jump_at(event.position()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.jumps:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.chosen = min(max(self.chosen + step, 0), len(self.jumps) - 1)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go_to(self.chosen)
        else:
            super().keyPressEvent(event)

    def go_to(self, number: int) -> None:
        """Moves the cursor of every view to a jump."""
        run = self.shown.run
        if run is not None and 0 <= number < len(self.jumps):
            self.chosen = number
            self.shown.set_time(self.jumps[number].row * run.job.dt)

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        top = 6.0
        if not self.answers:
            painter.setFont(theme.font(theme.TEXT))
            painter.setPen(theme.colour("soft"))
            words = "Nothing has run yet: run a drill, or drive."
            painter.drawText(QRectF(12, 20, self.width() - 24, 40), Qt.TextFlag.TextWordWrap, words)
            return
        for answer in self.answers:
            top = self._paint_answer(painter, answer, top)
        if self.jumps:
            self._paint_head(painter, JUMP_WORDS, "", top)
            for number, jump in enumerate(self.jumps):
                self._paint_jump(painter, number, jump)

    def _paint_head(self, painter: QPainter, title: str, says: str, top: float) -> None:
        painter.setFont(theme.font(theme.TEXT, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(12, top + 16), title)
        painter.setFont(theme.font(theme.TEXT))
        painter.setPen(theme.colour("oak_deep"))
        painter.drawText(QRectF(self.width() - 232, top + 2, 220, 18), Qt.AlignmentFlag.AlignRight, says)

    def _paint_answer(self, painter: QPainter, answer: Answer, top: float) -> float:
        self._paint_head(painter, TITLES[answer.name], answer.says, top)
        small, text = theme.font(10), theme.font(theme.SMALL)
        painter.setFont(small)
        painter.setPen(theme.colour("soft"))
        middle, reach = NAMES + REACH, REACH - 4.0
        for words, left in ((answer.less, True), (answer.more, False)):
            box = QRectF(middle - 104 if left else middle + 4, top + 4, 100, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft, words)
        top += HEAD
        painter.setFont(text)
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(12, top + 12), theme.elide(answer.sentence, self.width() - 24, text))
        top += ROW
        told = _told(answer)
        most = max((abs(reason.amount) for reason in told), default=1.0) or 1.0
        for reason in told:
            ink = theme.family(reason.family) if reason.family else theme.colour("soft")
            painter.fillRect(QRectF(12, top + 3, 3, ROW - 6), ink)
            painter.setFont(text)
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(20, top + 13), theme.elide(reason.title, NAMES - 24, text))
            size = reach * reason.amount / most
            painter.fillRect(QRectF(middle + min(size, 0.0), top + 5, abs(size), ROW - 9), ink)
            painter.fillRect(QRectF(middle - 0.5, top + 2, 1, ROW - 3), theme.colour("rule"))
            number, unit = units.split(abs(reason.amount), answer.unit)
            right = middle + REACH + 72
            theme.number(painter, right, top + 13, number, unit, theme.SMALL, theme.colour("ink"), theme.colour("soft"))
            painter.setFont(small)
            painter.setPen(theme.colour("soft"))
            room = self.width() - right - 12
            short = (
                reason.words if theme.metrics(small).horizontalAdvance(reason.words) < room else _short(reason.words)
            )
            painter.drawText(QPointF(right + 8, top + 13), theme.elide(short, room, small))
            top += ROW
        return top

    def _paint_jump(self, painter: QPainter, number: int, jump: Jump) -> None:
        place = self.place_of(number)
        if number == self.chosen:
            painter.fillRect(place, theme.colour("shade"))
        base, text = place.top() + 13, theme.font(theme.SMALL)
        painter.setFont(text)
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(20, base), _when(self, jump))
        painter.drawText(QPointF(84, base), theme.elide(jump.wheel, 110, text))
        value, unit = units.split(jump.force, "N")
        theme.number(painter, 270, base, value, unit, theme.SMALL, theme.colour("ink"), theme.colour("soft"))
        painter.setFont(text)
        painter.setPen(theme.colour("oak_deep"))
        painter.drawText(QPointF(286, base), theme.elide(jump.cause, self.width() - 296, text))


def _when(of: WhyList, jump: Jump) -> str:
    run = of.shown.run
    return units.fixed(jump.row * run.job.dt, "s", 3) if run is not None else ""


def _amount(answer: Answer, amount: float) -> str:
    return f"{' '.join(units.split(abs(amount), answer.unit))} {answer.more if amount > 0.0 else answer.less}"


def _short(words: str) -> str:
    return words.replace(" the centre of mass", "")


def _told(answer: Answer) -> list[Reason]:
    """The reasons that are listed: the greatest, and the rest as one."""
    first, rest = answer.reasons[:SHOWN], answer.reasons[SHOWN:]
    if not rest:
        return list(first)
    return [*first, Reason(f"{len(rest)} more", "", "", sum(reason.amount for reason in rest))]
