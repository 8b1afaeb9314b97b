"""The input check: every channel live, keys that light as they go down, and keys that fight or do nothing."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.tick.rowlayout import HEAD
from oak_sled.core.yard import casting
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.desk.driving.drive import Driver, key_name
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session

LINE, LEAST_LINE = 24, 17
"""px from line to line: as a rule, and where many must fit."""
MOST_OF_VIEW = 0.35
"""Share of the view that the panel may hide."""
MARGIN = 10
LEAST_WIDE, WIDE, WIDEST = 210, 282, 410
"""px of a column at least and as a rule, and of one that names what is bound beside the keys."""


class Line(NamedTuple):
    """A line of the panel: a channel of a craft, or the heading of a craft where `channel` is None. number : of the
    craft; place : of the channel in it."""

    craft: Craft
    number: int
    channel: Channel | None
    place: int


class Plan(NamedTuple):
    """The lines of the panel, column by column; px from line to line, and of a column."""

    columns: list[list[Line]]
    line: int
    wide: int

    @property
    def rows(self) -> int:
        """Lines of the longest column."""
        return max((len(lines) for lines in self.columns), default=0)


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
        self._room = QSize(1220, 632)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        accessibility.describe(self, "keys of the crafts", keys="click a key to bind another")
        self.setToolTip("click a key to bind another; Escape cancels")
        session.yard_changed.connect(lambda _: self.fit_size())
        driver.frame.connect(self.update)
        driver.held_changed.connect(self.update)
        self.fit_size()

    def sizeHint(self) -> QSize:
        plan = self._plan()
        rows = plan.rows + len(self.faults())
        return QSize(plan.wide * len(plan.columns), 12 + plan.line * max(1, rows))

    def _plan(self) -> Plan:
        """Lines below each other where there is room for them; else a column for each craft, as dense as need be; else
        as many columns as it takes."""
        crafts, faults = self._crafts(), len(self.faults())
        high, across = self._room.height() - 22, self._room.width() - 2 * MARGIN
        heads = len(crafts) > 1
        each = []
        for number, craft in enumerate(crafts):
            lines = [Line(craft, number, channel, place) for place, channel in enumerate(craft.channels)]
            each.append([Line(craft, number, None, 0), *lines] if heads else lines)
        columns = [[line for lines in each for line in lines]]
        if (len(columns[0]) + faults) * LINE > high:
            every = columns[0]
            if heads and (max(map(len, each)) + faults) * LEAST_LINE <= high:
                columns = each
            else:
                room = max(1, high // LEAST_LINE - faults)
                count = min(max(1, across // LEAST_WIDE), -(-len(every) // room))
                rows = -(-len(every) // count)
                columns = [every[first : first + rows] for first in range(0, len(every), rows)]
        line = min(LINE, max(LEAST_LINE, high // max(1, faults + max(map(len, columns)))))
        bound = any(channel.controls for craft in crafts for channel in craft.channels)
        wide = min(WIDE, max(LEAST_WIDE, across // len(columns)))
        return Plan(columns, line, WIDEST if bound and len(columns) * WIDEST <= across else wide)

    def _crafts(self) -> list[Craft]:
        """The crafts that have anything to drive."""
        return [craft for craft in self.driver.crafts() if craft.channels]

    def faults(self) -> list[str]:
        """All that is wrong with how the crafts are bound, a line each."""
        missing = self.driver.missing() if self.driver.is_on else []
        return [*conflicts(self.driver.crafts()), *missing]

    def fit_size(self) -> None:
        """Takes the room its lines need."""
        self.resize(self.sizeHint())
        self.update()

    def stand_in(self, view: QWidget, aside: QWidget) -> QWidget:
        """Stands at the lower right of the view, or aside where it would hide too much of what is driven; gives where
        it stands."""
        for host in (view, aside):
            self._room = host.size()
            size = self.sizeHint()
            if size.width() * size.height() <= MOST_OF_VIEW * view.width() * view.height():
                break
        if self.parentWidget() is not host:
            shown = self.isVisible()
            self.setParent(host)
            self.setVisible(shown)
        self.fit_size()
        self.move(host.width() - self.width() - MARGIN, max(0, host.height() - self.height() - MARGIN))
        self.raise_()
        return host

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
        painter.fillRect(self.rect(), theme.colour("card", 250))
        self._boxes = []
        plan, lowest = self._plan(), 6.0
        self._line = plan.line
        # the bars and boxes of a line are LINE high: denser lines overlap by nothing but air
        for number, lines in enumerate(plan.columns):
            for place, line in enumerate(lines):
                self._paint_line(painter, line, float(number * plan.wide), 6.0 + place * plan.line, plan.wide)
        lowest += plan.rows * plan.line
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("warning"))
        for words in self.faults():
            room = plan.wide * len(plan.columns) - 18
            painter.drawText(QPointF(10, lowest + 15), theme.elide(words, room, theme.font(10)))
            lowest += plan.line

    def _paint_line(self, painter: QPainter, line: Line, left: float, top: float, wide: int) -> None:
        painter.setFont(theme.font(theme.SMALL, bold=line.channel is None))
        painter.setPen(theme.colour("ink"))
        if line.channel is None:
            painter.drawText(QPointF(left + 10, top + 16), line.craft.heading)
            return
        channel = line.channel
        painter.drawText(QPointF(left + 10, top + 16), theme.elide(channel.heading, 62, theme.font(theme.SMALL)))
        who, two_sided = (line.craft.id, channel.id), channel.least_input < 0.0
        bar = min(80.0, wide - 202.0)  # keys keep their width, so that their names stay whole
        self._paint_key(painter, (*who, "minus_keys"), channel.minus_keys, left + 76, top, two_sided)
        self._paint_bar(painter, line, QRectF(left + 136, top, bar, 0.0))
        self._paint_key(painter, (*who, "plus_keys"), channel.plus_keys, left + 142 + bar, top, True)
        if channel.controls and wide == WIDEST:
            words = ", ".join(one.words for one in channel.controls)
            painter.setFont(theme.font(10))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QPointF(left + 284, top + 16), theme.elide(words, WIDEST - 292, theme.font(10)))

    def _paint_bar(self, painter: QPainter, line: Line, at: QRectF) -> None:
        value, raw, two_sided = 0.0, 0.0, line.channel is not None and line.channel.two_sided
        drive = self.driver.drive
        actors = () if drive is None else drive.job.actors
        leads = [k for k, one in enumerate(actors) if one.lead == k and one.channels]
        if drive is not None and line.number < len(leads):
            own, row = drive.layout.crafts[leads[line.number]], drive.recorder.recent()[-1]
            first = drive.layout.first_of(leads[line.number])
            value = float(row[first + HEAD + line.place])
            raw = float(row[first + own.names.index(f"input.{own.channels[line.place]}")])
        # the raw input as a thin line above what is made of it
        for bar, shown, ink in (
            (QRectF(at.left(), at.top() + 6, at.width(), 3), raw, theme.colour("soft")),
            (QRectF(at.left(), at.top() + 11, at.width(), 7), value, theme.family("holder")),
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
