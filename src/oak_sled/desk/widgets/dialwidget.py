"""A dial: a number that is dragged, wheeled, typed with units, or set back by a double click."""

from __future__ import annotations

import math
from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLineEdit, QMenu, QSizePolicy, QToolTip, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.dial import Dial
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.desk.widgets import accessibility, keys, theme

HEIGHT = 32
_TRACK = 24
TRAVEL = 320.0
"""px of drag over the whole slider: more than its width, so that a hand can be exact."""
_FINE, _COARSE = 0.1, 4.0


def _reversed(dial: Dial) -> Dial:
    """A dial over the same numbers with the other sign, along no axis."""
    low, high = dial.slider
    return replace(dial, title="", low=-dial.high, high=-dial.low, slider=(-high, -low))


def to_share(dial: Dial, value: float) -> float:
    """Position of a value on the slider, 0 to 1; what is told the other way round grows the other way."""
    if dial.sign < 0.0:
        dial, value = _reversed(dial), -value
    low, high = dial.slider
    if dial.scale == "log":
        if value <= low:
            return 0.0
        return min(1.0, math.log(value / low) / math.log(high / low))
    return min(1.0, max(0.0, (value - low) / (high - low)))


def from_share(dial: Dial, share: float) -> float:
    """The value at a share of the slider, rounded to three significant digits of its stretch."""
    if dial.sign < 0.0:
        return -from_share(_reversed(dial), share)
    low, high = dial.slider
    share = min(1.0, max(0.0, share))
    if dial.scale == "log":
        value = low * (high / low) ** share
        places = 3 - 1 - math.floor(math.log10(abs(value))) if value else 0
    else:
        value = low + share * (high - low)
        places = 3 - math.floor(math.log10(high - low))
    return dial.clamp(round(value, places))


class Entry(QLineEdit):
    """A line to type in that keeps Return and Escape to itself. Signals: left() on Escape."""

    left = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        super().keyPressEvent(event)
        if event is not None:
            if event.key() == Qt.Key.Key_Escape:
                self.left.emit()
            # the dial below would take Return as a wish to type again
            event.accept()


class DialWidget(QWidget):
    """Signals: moved(value) while it is dragged, released() after, entered(value) for one step,
    refused(text) for an entry that was not taken, lock_toggled()."""

    PROMISED = keys.Keys.of(
        *keys.ARROWS, *keys.RETURN, *keys.REMOVE, Qt.Key.Key_F2, Qt.Key.Key_Escape, text="0123456789.=-("
    )

    moved = pyqtSignal(float)
    released = pyqtSignal()
    entered = pyqtSignal(float)
    refused = pyqtSignal(str)
    vary_wanted = pyqtSignal()
    lock_toggled = pyqtSignal()
    spread_wanted = pyqtSignal()

    def __init__(self, dial: Dial, value: float, path: str, parent: QWidget | None = None):
        super().__init__(parent)
        self.dial, self.value, self.path = dial, value, path
        self.locked = False
        self.idle = ""
        """Reason why the number does nothing as its part is set; "" if it acts."""
        self.in_force: float | None = None
        """Number in force in the place of one that does nothing: shown in its stead."""
        self.mass: float | None = None
        self._press: tuple[float, float] | None = None
        self._before = value
        """The value at the start of a drag."""
        self._dragging = False
        self._edit: Entry | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(HEIGHT)
        self.setMinimumWidth(96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self._describe()

    def sizeHint(self) -> QSize:
        return QSize(140, HEIGHT)

    def _describe(self, note: str = "") -> None:
        bounds = self.dial.bounds()
        extra, default = f"\n{note}" if note else "", self.dial.plain(self.dial.default)
        shown = " ".join(self.dial.split(self.value)).strip()
        shown += f" (does nothing: {self.idle})" if self.idle else ""
        accessibility.describe(
            self, self.dial.heading, f"{shown}, {bounds.strip()}", "arrow keys change it, Return types a value"
        )
        self.setToolTip(theme.in_tip(f"{self.dial.says}\n{bounds} · default {default} · {self.path}{extra}"))

    def retell(self) -> None:
        """Writes its number anew: the units in which it is shown have changed."""
        self._describe()
        self.update()

    def show_value(self, dial: Dial, value: float, note: str = "") -> None:
        """Takes a value from the model; it is not sent back."""
        if (dial, value) != (self.dial, self.value):
            self.dial, self.value = dial, value
            self.update()
            self._describe(note)

    def show_idle(self, why: str, in_force: float | None = None) -> None:
        """Says why the number does nothing now, and what is in force in its place, if anything; "" where it acts."""
        if (why, in_force) != (self.idle, self.in_force):
            self.idle, self.in_force = why, in_force
            self.update()
            self._describe(why)

    # pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and not self.locked:
            self._press = (event.position().x(), to_share(self.dial, self.value))
            self._dragging, self._before = False, self.value
        elif self.locked:
            self.refused.emit(f"{self.dial.heading} is locked (right-click to unlock)")
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        moved = event.position().x() - self._press[0]
        if not self._dragging and abs(moved) < 3:
            return
        self._dragging = True
        speed = 1.0
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            speed = _FINE
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            speed = _COARSE
        share = self._press[1] + speed * moved / TRAVEL
        self._press = (event.position().x(), share)
        value = from_share(self.dial, share)
        if value != self.value:
            self.value = value
            self.update()
            self.moved.emit(value)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        was, self._press = self._dragging, None
        self._dragging = False
        if was:
            self.released.emit()
        elif not self.locked and event.position().y() < _TRACK - 4 and event.position().x() > self.width() * 0.5:
            self.type_in()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and not self.locked:
            self._press = None
            self._close_edit()
            self.reset()

    def reset(self) -> None:
        """Back to the declared default."""
        self.entered.emit(self.dial.default)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if not self.hasFocus():
            event.ignore()  # the desk scrolls; a dial that was clicked turns
            return
        self._nudge(event.angleDelta().y() / 120.0, event.modifiers())
        event.accept()

    def _nudge(self, steps: float, modifiers: Qt.KeyboardModifier) -> None:
        if self.locked or steps == 0.0:
            return
        size = 0.02
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            size *= _FINE
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            size *= _COARSE
        self.entered.emit(from_share(self.dial, to_share(self.dial, self.value) + steps * size))

    # keys

    def drop_drag(self) -> None:
        """Ends a drag with the value that was before it."""
        self._press, self._dragging, self.value = None, False, self._before
        self.update()
        self.moved.emit(self.value)
        self.released.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key == Qt.Key.Key_Escape and self._dragging:
            self.drop_drag()
        elif key in (Qt.Key.Key_Right, Qt.Key.Key_Up):
            self._nudge(1.0, event.modifiers())
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Down):
            self._nudge(-1.0, event.modifiers())
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.type_in()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.reset()
        elif event.text() and event.text() in "0123456789.=-(":
            self.type_in(event.text())
        else:
            super().keyPressEvent(event)

    def type_in(self, begin: str = "") -> None:
        """Opens the entry in place."""
        if self.locked:
            self.refused.emit(f"{self.dial.heading} is locked (right-click to unlock)")
            return
        self._close_edit()
        edit = Entry(self)
        edit.setFont(theme.font(theme.TEXT))
        edit.setText(begin or self.dial.plain(self.value))
        edit.setGeometry(max(0, self.width() - 118), 0, min(118, self.width()), 24)
        edit.returnPressed.connect(self._take_entry)
        edit.left.connect(self._close_edit)
        edit.editingFinished.connect(self._leave_entry)
        self._edit = edit
        edit.show()
        edit.setFocus()
        if not begin:
            edit.selectAll()

    def _take_entry(self) -> None:
        edit = self._edit
        if edit is None:
            return
        try:
            value = self.dial.read(edit.text(), self.mass)
            if not self.dial.low <= value <= self.dial.high:
                bounds = self.dial.bounds()
                raise refuse(self.path, f"must be {bounds}, got {self.dial.plain(value)}")
        except Refused as refused:
            fault = refused.faults[0]
            text = f"{fault.what} ({fault.right})" if fault.right else fault.what
            edit.setProperty("wrong", True)
            edit.setStyleSheet(edit.styleSheet())  # the sheet is read anew for the property
            QToolTip.showText(edit.mapToGlobal(edit.rect().bottomLeft()), theme.in_tip(text), edit)
            self.refused.emit(f"{self.dial.heading}: {text}")
            return
        self._close_edit()
        self.setFocus()
        self.entered.emit(value)

    def _leave_entry(self) -> None:
        edit = self._edit
        if edit is not None and not edit.hasFocus() and not edit.property("wrong"):
            self._close_edit()

    def _close_edit(self) -> None:
        if self._edit is not None:
            edit, self._edit = self._edit, None
            edit.blockSignals(True)
            edit.hide()
            edit.deleteLater()

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusOutEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        menu.addAction(f"Reset to {self.dial.plain(self.dial.default)}", self.reset)
        menu.addAction("Copy value", lambda: self._copy(self.dial.exact(self.value)))
        menu.addAction("Copy path", lambda: self._copy(self.path))
        menu.addAction(
            "Copy as command-line setting", lambda: self._copy(f"--set {self.path}={self._typed(self.value)}")
        )
        menu.addAction("Copy as command-line spread", self._copy_spread)
        menu.addAction("Vary this in a spread", self.vary_wanted.emit)
        menu.addSeparator()
        menu.addAction("Unlock" if self.locked else "Lock", self.lock_toggled.emit)
        menu.exec(event.globalPos())
        menu.deleteLater()

    def _copy_spread(self) -> None:
        low, high = (from_share(self.dial, to_share(self.dial, self.value) + step) for step in (-0.15, 0.15))
        ends = ":".join(self._typed(float(f"{end:g}")) for end in (low, high))
        self._copy(f"--vary {self.path}={ends}:7")

    def _typed(self, value: float) -> str:
        """A value as a command takes it for this yard."""
        return repr(units.in_use().shown(self.dial.sign * value, self.dial.unit)[0])

    @staticmethod
    def _copy(text: str) -> None:
        board = QGuiApplication.clipboard()
        if board is not None:
            board.setText(text)

    # picture

    def least_width(self) -> int:
        """px in which its whole title and number stand beside one another, the title as small as it is ever written."""
        value, unit = self.dial.split(self.value if self.in_force is None else self.in_force)
        title = theme.width(self.dial.heading, theme.font(theme.SMALL - 2))
        return math.ceil(title + theme.number_width(value, unit, theme.READING - 1)) + 1

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width = self.width()
        text, soft = theme.colour("desk_text"), theme.colour("desk_soft")
        value, unit = self.dial.split(self.value if self.in_force is None else self.in_force)
        # a title that does not fit is written smaller before it is cut
        room = width - theme.number_width(value, unit, theme.READING - 1)
        sizes = (theme.SMALL, theme.SMALL - 1, theme.SMALL - 2)
        fonts = [theme.font(size) for size in sizes]
        label = next((font for font in fonts if theme.width(self.dial.heading, font) <= room), fonts[-1])
        painter.setFont(label)
        faint = self.locked or bool(self.idle)
        painter.setPen(soft if faint else text)
        painter.drawText(0, 13, theme.elide(self.dial.heading, room, label))
        theme.number(painter, width, 13, value, unit, theme.READING - 1, soft if faint else text, soft)
        y = _TRACK - 1.5
        share = to_share(self.dial, self.value)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("well"))
        painter.drawRect(QRectF(0, y, width, 3))
        painter.setBrush(theme.colour("soft" if faint else "oak"))
        painter.drawRect(QRectF(0, y, share * (width - 4) + 2, 3))
        painter.setBrush(theme.colour("desk_soft" if faint else "oak_light"))
        knob = QPointF(2 + share * (width - 4), y + 1.5)
        # an upright wedge: a slide mark on a drawing rule
        painter.drawRoundedRect(QRectF(knob.x() - 3, knob.y() - 6, 6, 12), 1.5, 1.5)
        if self.hasFocus():
            painter.setPen(theme.pen("oak_light"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(knob.x() - 5.5, knob.y() - 8.5, 11, 16))
