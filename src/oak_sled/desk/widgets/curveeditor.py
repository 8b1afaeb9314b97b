"""A curve of a part on its open strip: knots that are dragged, added, removed, typed, or pasted."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
)
from PyQt6.QtWidgets import QLineEdit, QMenu, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.geometry import curve
from oak_sled.core.parts import curvefield
from oak_sled.core.parts.curvefield import CurveField, Points
from oak_sled.core.parts.register import AnyPart
from oak_sled.desk.widgets import accessibility, keys, theme

NEAR = 9.0
"""px within which a knot is caught."""
HELP = (
    "drag a knot; double click adds one; right click for values, presets, paste. "
    "Keys: left and right choose, up and down move it, Insert adds, Delete removes, Return types"
)


class CurveEditor(QWidget):
    """A curve with its knots. Signals: moved(points) while a knot is dragged, released() after, entered(points) for one
    step, refused(text), sharing(act) when it is to be shared ("share"), its own again ("own"), straight
    or smooth ("straight", "smooth"), or that of a name."""

    PROMISED = keys.Keys.of(*keys.ARROWS, *keys.RETURN, Qt.Key.Key_Delete, Qt.Key.Key_Insert)

    moved = pyqtSignal(object)
    released = pyqtSignal()
    entered = pyqtSignal(object)
    refused = pyqtSignal(str)
    sharing = pyqtSignal(str)

    def __init__(self, field: CurveField, parent: QWidget | None = None):
        super().__init__(parent)
        self.field = field
        self.points: Points = ()
        self.chosen = 0
        self.marks: tuple[float, ...] = ()
        """The x at which it is read now: one for each wheel that reads it apart."""
        self.used: tuple[float, float] | None = None
        """From where to where the last run read it."""
        self.shared, self.touches = "", ""
        """The shared curve that it is, and who follows that, in words."""
        self.straight = False
        self.others: tuple[tuple[str, Points, bool], ...] = ()
        """Curves of other parts over the same, with what they are called: drawn faint behind."""
        self.known: tuple[str, ...] = ()
        """The shared curves that it could be."""
        self._dragged = False
        self._entry: QLineEdit | None = None
        self.setMinimumSize(230, 112)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setToolTip(HELP)

    def sizeHint(self) -> QSize:
        return QSize(260, 120)

    def show_part(self, part: AnyPart) -> None:
        """Shows the curve of a part."""
        points, straight = self.field.points(part), getattr(part, self.field.straight)
        if (points, straight) != (self.points, self.straight):
            self.points, self.straight = points, straight
            self.chosen = min(self.chosen, len(points) - 1)
            self._tell()
            self.update()

    def show_reads(self, marks: tuple[float, ...], used: tuple[float, float] | None) -> None:
        """Shows where it is read now, and from where to where the last run read it."""
        if (marks, used) != (self.marks, self.used):
            self.marks, self.used = marks, used
            self._tell()
            self.update()

    def show_sharing(self, shared: str, touches: str, known: tuple[str, ...]) -> None:
        """Says which shared curve it is ("" for its own), who follows that, and which others it could be."""
        if (shared, touches, known) != (self.shared, self.touches, self.known):
            self.shared, self.touches, self.known = shared, touches, known
            self._tell()
            self.update()

    def show_others(self, others: tuple[tuple[str, Points, bool], ...]) -> None:
        """Draws curves of other parts behind its own."""
        if others != self.others:
            self.others = others
            self.update()

    def whose(self) -> str:
        """Owner of the curve, in words."""
        return f"shared by {self.touches} ({self.shared.replace('_', ' ')})" if self.shared else "its own"

    def _tell(self) -> None:
        said = "; ".join(f"{units.plain(x, self.field.x_unit)} {y:g}" for x, y in self.points)
        low, high = self.used or (0.0, 0.0)
        reads = f"; the run used {units.bounds(low, high, self.field.x_unit, 3)}" if self.used else ""
        accessibility.describe(self, self.field.title, f"{self.whose()}; {len(self.points)} knots: {said}{reads}", HELP)

    # places

    def _box(self) -> QRectF:
        return QRectF(34, 28, self.width() - 48, self.height() - 48)

    def _spans(self) -> tuple[float, float]:
        """The greatest x and y that are drawn."""
        high = max(self.field.high, *(x for x, _ in self.points)) if self.points else self.field.high
        most = max([self.field.full, *(y for _, y in self.points)])
        return high, 1.1 * most

    def _lows(self) -> tuple[float, float]:
        """The least x and y that are drawn: 0 where none below is allowed."""
        low = min([self.field.low, *(x for x, _ in self.points)])
        return low, 1.1 * min([0.0, *(y for _, y in self.points)])

    def place_of(self, x: float, y: float) -> QPointF:
        """Position of a point, px."""
        box, (high, most), (low, least) = self._box(), self._spans(), self._lows()
        across, up = (x - low) / (high - low), (y - least) / (most - least)
        return QPointF(box.left() + across * box.width(), box.bottom() - up * box.height())

    def point_at(self, at: QPointF) -> tuple[float, float]:
        """The point at a place, held to what a knot may be, rounded to what a hand can mean."""
        box, (high, most), (low, least) = self._box(), self._spans(), self._lows()
        x = low + min(max((at.x() - box.left()) / box.width(), 0.0), 1.0) * (high - low)
        y = least + min(max((box.bottom() - at.y()) / box.height(), 0.0), 1.0) * (most - least)
        return float(f"{x:.3g}"), max(round(y, 2), self.field.least)

    def knot_at(self, at: QPointF) -> int:
        """The number of the knot at a place; -1 for none."""
        found = [(k, self.place_of(*point) - at) for k, point in enumerate(self.points)]
        near = [(away.manhattanLength(), k) for k, away in found if away.manhattanLength() <= NEAR]
        return min(near)[1] if near else -1

    # hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            found = self.knot_at(event.position())
            if found >= 0:
                self.chosen, self._dragged = found, True
                self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._dragged:
            self.moved.emit(self._with(self.chosen, self.point_at(event.position())))
        else:
            there = self.knot_at(event.position()) >= 0
            self.setCursor(Qt.CursorShape.SizeAllCursor if there else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragged:
            self._dragged = False
            self.released.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.knot_at(event.position()) < 0:
            self.add(self.point_at(event.position()))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        found = self.knot_at(QPointF(event.pos()))
        self.chosen = found if found >= 0 else self.chosen
        menu = QMenu(self)
        menu.addAction("type its values…", self.type_values)
        remove = menu.addAction("remove this knot", self.remove)
        if remove is not None:
            remove.setEnabled(len(self.points) > 2)
        menu.addSeparator()
        for name in self.field.presets:
            menu.addAction(f"begin with: {name}", lambda name=name: self.entered.emit(self.field.presets[name]))
        menu.addSeparator()
        if self.shared:
            menu.addAction("make it its own", lambda: self.sharing.emit("own"))
        else:
            menu.addAction("share it with other parts", lambda: self.sharing.emit("share"))
        for name in self.known:
            if name != self.shared:
                menu.addAction(f"follow: {name.replace('_', ' ')}", lambda name=name: self.sharing.emit(name))
        menu.addSeparator()
        ways = ("smooth", "join smoothly") if self.straight else ("straight", "join by straight lines")
        menu.addAction(ways[1], lambda: self.sharing.emit(ways[0]))
        menu.addAction("paste points", self.paste)
        menu.addAction("copy points", self.copy)
        menu.exec(event.globalPos())
        menu.deleteLater()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.points:
            return
        key, fine = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        step = 0.01 if fine else 0.05
        x, y = self.points[self.chosen]
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.chosen = min(max(self.chosen + (1 if key == Qt.Key.Key_Right else -1), 0), len(self.points) - 1)
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            moved = max(y + (step if key == Qt.Key.Key_Up else -step), self.field.least)
            self.entered.emit(self._with(self.chosen, (x, moved)))
        elif key == Qt.Key.Key_Delete:
            self.remove()
        elif key == Qt.Key.Key_Insert:
            after = self.points[min(self.chosen + 1, len(self.points) - 1)]
            ahead = after if after != (x, y) else (self._spans()[0], y)
            self.add((0.5 * (x + ahead[0]), 0.5 * (y + ahead[1])))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_values()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    # changes

    def _with(self, number: int, point: tuple[float, float]) -> Points:
        """The points with one of them elsewhere, between those beside it."""
        low = self.points[number - 1][0] if number > 0 else -np.inf
        high = self.points[number + 1][0] if number + 1 < len(self.points) else np.inf
        gap = 1e-3 * (self._spans()[0] - self._lows()[0])
        x = min(max(point[0], low + gap), high - gap)
        return (*self.points[:number], (max(x, self.field.low), point[1]), *self.points[number + 1 :])

    def add(self, point: tuple[float, float]) -> None:
        """One more knot."""
        if all(abs(point[0] - x) > 1e-9 for x, _ in self.points):
            made = tuple(sorted((*self.points, point)))
            self.chosen = made.index(point)
            self.entered.emit(made)

    def remove(self) -> None:
        """One knot less; two stay."""
        if len(self.points) > 2:
            made = (*self.points[: self.chosen], *self.points[self.chosen + 1 :])
            self.chosen = min(self.chosen, len(made) - 1)
            self.entered.emit(made)

    def paste(self) -> None:
        """The points of the clipboard: a line each, x and value."""
        board = QGuiApplication.clipboard()
        try:
            given = curvefield.read_points(board.text() if board is not None else "")
            self.entered.emit(tuple((units.in_use().taken(x, self.field.x_unit), y) for x, y in given))
        except Refused as refused:
            self.refused.emit(str(refused.faults[0]))

    def copy(self) -> None:
        """The points to the clipboard."""
        board = QGuiApplication.clipboard()
        if board is not None:
            board.setText("\n".join(f"{units.tick(x, self.field.x_unit)}, {y:g}" for x, y in self.points))

    def type_values(self) -> None:
        """A line to type the values of the chosen knot in."""
        if self._entry is not None or not self.points:
            return
        x, y = self.points[self.chosen]
        entry = QLineEdit(f"{units.tick(x, self.field.x_unit)}, {y:g}", self)
        entry.setObjectName("entry")
        place = self.place_of(x, y)
        left = min(max(place.x() - 50, 0), self.width() - 110)
        entry.setGeometry(int(left), int(max(place.y() - 30, 0)), 110, 24)
        entry.selectAll()
        entry.returnPressed.connect(self._take_typed)
        entry.installEventFilter(self)
        entry.show()
        entry.setFocus()
        self._entry = entry

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if watched is self._entry and event is not None:
            escaped = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape
            if escaped or event.type() == QEvent.Type.FocusOut:
                self._close_entry()
                return escaped
        return False

    def _close_entry(self) -> None:
        entry, self._entry = self._entry, None
        if entry is not None:
            entry.hide()
            entry.deleteLater()

    def _take_typed(self) -> None:
        assert self._entry is not None
        words = self._entry.text().replace(",", " ").split()
        try:
            x, y = (float(word) for word in words)
            x = units.in_use().taken(x, self.field.x_unit)
        except ValueError:
            self.refused.emit(f"{self.field.title}: {self._entry.text()!r} is no point (two numbers: x, value)")
            return
        self._close_entry()
        rest = [point for k, point in enumerate(self.points) if k != self.chosen and point[0] != x]
        made = tuple(sorted([*rest, (x, y)]))
        self.chosen = made.index((x, y))
        self.entered.emit(made)
        self.setFocus()

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if len(self.points) < 1:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box, (high, most) = self._box(), self._spans()
        painter.setPen(theme.pen("desk_soft", 1))
        origin = self.place_of(0.0, 0.0)
        painter.drawLine(QPointF(box.left(), origin.y()), QPointF(box.right(), origin.y()))
        painter.drawLine(QPointF(origin.x(), box.bottom()), QPointF(origin.x(), box.top()))
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("desk_text"))
        room = self.width() - box.left()
        title = theme.elide(self.field.title, room, theme.font(10))
        painter.drawText(QRectF(box.left(), 2, room, 14), Qt.AlignmentFlag.AlignLeft, title)
        painter.setPen(theme.colour("oak_light" if self.shared else "desk_soft"))
        words = theme.elide(self.whose(), int(box.width()), theme.font(10))
        painter.drawText(QRectF(box.left(), 15, box.width(), 14), Qt.AlignmentFlag.AlignRight, words)
        painter.setPen(theme.colour("desk_soft"))
        painter.drawText(QPointF(0, box.top() + 8), f"{most:.2f}")
        end = units.plain(high, self.field.x_unit)
        painter.drawText(QRectF(box.right() - 90, box.bottom() + 3, 90, 14), Qt.AlignmentFlag.AlignRight, end)
        for name, points, straight in self.others:
            self._paint_line(painter, high, points, straight, "desk_soft")
            x = min(0.8 * points[-1][0], high)
            at = self.place_of(x, float(_values(points, np.array([x]), straight)[0]))
            painter.setPen(theme.colour("desk_soft"))
            top = at.y() - 15 if at.y() - 15 > box.top() else at.y() + 2
            painter.drawText(QRectF(at.x() - 90, top, 90, 13), Qt.AlignmentFlag.AlignRight, name)
        self._paint_line(painter, high, self.points, self.straight, "good_light")
        self._paint_reads(painter, high)
        for number, (x, y) in enumerate(self.points):
            at = self.place_of(x, y)
            ringed = number == self.chosen and self.hasFocus()
            painter.setPen(theme.pen("desk_text", 1.4) if ringed else Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("oak_light"))
            painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))
        x, y = self.points[self.chosen]
        painter.setPen(theme.colour("desk_text"))
        words = f"{units.plain(x, self.field.x_unit)} · {y:g}"
        painter.drawText(QRectF(box.left(), box.bottom() + 3, 130, 14), Qt.AlignmentFlag.AlignLeft, words)

    def _paint_reads(self, painter: QPainter, high: float) -> None:
        """A bar along the axis over what the run used, and a dot on the curve for each that reads it now."""
        if self.used is not None:
            low, top = (self.place_of(min(x, high), 0.0) for x in self.used)
            painter.setPen(theme.pen("oak_light", 3))
            painter.drawLine(low, top + QPointF(1.0, 0.0))
        if self.marks:
            xs = np.minimum(self.marks, high)
            painter.setPen(theme.pen("desk_text", 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for x, y in zip(xs, _values(self.points, xs, self.straight), strict=True):
                painter.drawEllipse(self.place_of(float(x), float(y)), 5.5, 5.5)

    def _paint_line(self, painter: QPainter, high: float, points: Points, straight: bool, ink: str) -> None:
        xs = np.linspace(self._lows()[0], high, 161)
        ys = _values(points, xs, straight)
        path = QPainterPath(self.place_of(float(xs[0]), float(ys[0])))
        for x, y in zip(xs[1:], ys[1:], strict=True):
            path.lineTo(self.place_of(float(x), float(y)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen(ink, 1.6))
        painter.drawPath(path)


def _values(points: Points, xs: Floats, straight: bool) -> Floats:
    """Values of a curve through points at each x."""
    knots = np.array(points)
    return curve.through(knots[:, 0], knots[:, 1], xs, straight)
