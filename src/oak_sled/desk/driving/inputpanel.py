"""The input check: every channel live, keys that light as they go down, and keys that fight or do nothing."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.tick.rowlayout import HEAD
from oak_sled.core.yard import casting
from oak_sled.core.yard.craft import Craft
from oak_sled.desk.driving.drive import Driver, key_name
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session

LINE, LEAST_LINE = 24, 17
"""px from line to line: as a rule, and where many must fit."""
WIDE, WIDEST = 282, 410
"""px of a column, and of one that names what is bound beside the keys."""


class Plan(NamedTuple):
    """The lines of the panel: columns beside each other, rows below each other; px from line to line, and of a
    column."""

    columns: int
    rows: int
    line: int
    wide: int


def conflicts(crafts: list[Craft]) -> list[str]:
    """Keys and controls that are bound twice, and channels that are bound to nothing or let nothing through, in
    words."""
    twice = casting.shared_keys(crafts) | casting.shared_controls(crafts)
    found = [
        f"{key} is bound twice: {' and '.join(f'{craft.heading} {channel.heading}' for craft, channel in users)}"
        for key, users in twice.items()
    ]
    for craft in crafts:
        for channel in craft.channels:
            if not (channel.plus_keys or channel.minus_keys or channel.controls):
                found.append(f"{craft.heading} {channel.heading}: no key")
            if channel.sensitivity == 0.0:
                found.append(f"{craft.heading} {channel.heading}: its sensitivity is 0")
    return found


class InputPanel(QWidget):
    """Shows the keys of every craft that is driven. A click on a key asks for another in its place."""

    def __init__(self, session: Session, driver: Driver, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.driver = session, driver
        self.asking: tuple[str, str, str] | None = None  # craft, channel, "plus_keys" or "minus_keys"
        self._boxes: list[tuple[QRectF, tuple[str, str, str]]] = []
        self._line = LINE
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        accessibility.describe(self, "keys of the crafts", keys="click a key to bind another")
        self.setToolTip("click a key to bind another; Escape cancels")
        session.yard_changed.connect(lambda _: self.fit_size())
        driver.frame.connect(self.update)
        driver.held_changed.connect(self.update)
        self.fit_size()

    def sizeHint(self) -> QSize:
        plan = self._plan()
        return QSize(plan.wide * plan.columns, 12 + plan.line * max(1, plan.rows))

    def _plan(self) -> Plan:
        """Lines below each other where the view has room for them; else a column for each craft, as dense as need
        be."""
        crafts, view = self.driver.crafts(), self.parentWidget()
        high, across = (600, 1200) if view is None else (view.height() - 32, view.width() - 20)
        heads = 1 if len(crafts) > 1 else 0
        each, faults = [len(craft.channels) + heads for craft in crafts], len(self.faults())
        columns, rows = 1, sum(each) + faults
        if rows * LINE > high and len(crafts) > 1:
            columns, rows = len(crafts), max(each) + faults
        line = min(LINE, max(LEAST_LINE, high // max(1, rows)))
        bound = any(channel.controls for craft in crafts for channel in craft.channels)
        return Plan(columns, rows, line, WIDEST if bound and columns * WIDEST <= across else WIDE)

    def faults(self) -> list[str]:
        """All that is wrong with how the crafts are bound, a line each."""
        missing = self.driver.missing() if self.driver.is_on else []
        return [*conflicts(self.driver.crafts()), *missing]

    def fit_size(self) -> None:
        """Takes the room its lines need."""
        self.resize(self.sizeHint())
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self.asking = next((who for box, who in self._boxes if box.contains(event.position())), None)
        if self.asking is not None:
            self.setFocus()
            self.grabKeyboard()
        self.update()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.asking is None:
            return
        craft_id, channel_id, side = self.asking
        self.asking = None
        self.releaseKeyboard()
        if event.key() != Qt.Key.Key_Escape:
            self.bind(craft_id, channel_id, side, key_name(event.key()))
        self.update()

    def bind(self, craft_id: str, channel_id: str, side: str, key: str) -> None:
        """Binds a key to one side of a channel, in the place of what was there."""
        path = f"crafts.{craft_id}.channels.{channel_id}.{side}"
        self.session.edit(path, (key,), f"bind {channel_id} to {key}", card=False)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("card", 232))
        self._boxes = []
        crafts = self.driver.crafts()
        plan, left, top, lowest = self._plan(), 0.0, 6.0, 6.0
        self._line = plan.line
        # the bars and boxes of a line are LINE high: denser lines overlap by nothing but air
        for number, craft in enumerate(crafts):
            if plan.columns > 1:
                left, top = float(number * plan.wide), 6.0
            if len(crafts) > 1:
                painter.setFont(theme.font(theme.SMALL, bold=True))
                painter.setPen(theme.colour("ink"))
                painter.drawText(QPointF(left + 10, top + 16), craft.heading)
                top += plan.line
            for place, channel in enumerate(craft.channels):
                painter.setFont(theme.font(theme.SMALL))
                painter.setPen(theme.colour("ink"))
                words = theme.elide(channel.heading, 62, theme.font(theme.SMALL))
                painter.drawText(QPointF(left + 10, top + 16), words)
                who, two_sided = (craft.id, channel.id), channel.least_input < 0.0
                self._paint_key(painter, (*who, "minus_keys"), channel.minus_keys, left + 76, top, two_sided)
                self._paint_bar(painter, number, place, channel.two_sided, left, top)
                self._paint_key(painter, (*who, "plus_keys"), channel.plus_keys, left + 222, top, True)
                if channel.controls and plan.wide == WIDEST:
                    words = ", ".join(one.words for one in channel.controls)
                    painter.setFont(theme.font(10))
                    painter.setPen(theme.colour("soft"))
                    painter.drawText(QPointF(left + 284, top + 16), theme.elide(words, WIDEST - 292, theme.font(10)))
                top += plan.line
            lowest = max(lowest, top)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("warning"))
        for words in self.faults():
            painter.drawText(
                QPointF(10, lowest + 15), theme.elide(words, plan.wide * plan.columns - 18, theme.font(10))
            )
            lowest += plan.line

    def _paint_bar(self, painter: QPainter, number: int, place: int, two_sided: bool, left: float, top: float) -> None:
        value, raw = 0.0, 0.0
        drive = self.driver.drive
        leads = [] if drive is None else [k for k, one in enumerate(drive.job.actors) if one.lead == k]
        if drive is not None and number < len(leads):
            own, row = drive.layout.crafts[leads[number]], drive.recorder.recent()[-1]
            first = drive.layout.first_of(leads[number])
            value = float(row[first + HEAD + place])
            raw = float(row[first + own.names.index(f"input.{own.channels[place]}")])
        # the raw input as a thin line above what is made of it
        for bar, shown, ink in (
            (QRectF(left + 136, top + 6, 80, 3), raw, theme.colour("soft")),
            (QRectF(left + 136, top + 11, 80, 7), value, theme.family("holder")),
        ):
            painter.fillRect(bar, theme.colour("shade"))
            origin = bar.center().x() if two_sided else bar.left()
            reach = min(max(shown, -1.0), 1.0) * (bar.width() / 2 if two_sided else bar.width())
            painter.fillRect(QRectF(min(origin, origin + reach), bar.top(), abs(reach), bar.height()), ink)

    def _paint_key(
        self, painter: QPainter, who: tuple[str, str, str], keys: tuple[str, ...], x: float, top: float, used: bool
    ) -> None:
        if not used:
            return
        box = QRectF(x, top + 2, 54, min(20, self._line - 1))
        self._boxes.append((box, who))
        down = any(key in self.driver.held for key in keys)
        painter.setBrush(theme.colour("oak_light") if down else theme.colour("paper"))
        painter.setPen(theme.pen("warning" if self.asking == who else "rule"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("ink") if not down else theme.colour("desk"))
        words = "key?" if self.asking == who else "/".join(keys) or "—"
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, theme.elide(words, 52, theme.font(10)))
