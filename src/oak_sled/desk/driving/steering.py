"""Steering with the pointer over the yard view: while its right button is held, or captured until Escape."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QCursor, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QWidget

from oak_sled.core.project.sources import Pointer
from oak_sled.core.yard.craft import Craft

BUTTONS = {
    Qt.MouseButton.LeftButton: "left", Qt.MouseButton.MiddleButton: "middle", Qt.MouseButton.RightButton: "right",
}  # fmt: skip
"""Buttons of a pointer, by the names that controls have for them."""


def uses_pointer(crafts: list[Craft]) -> bool:
    """True if the pointer drives a channel of any of these crafts."""
    return any(one.device == "pointer" for craft in crafts for channel in craft.channels for one in channel.controls)


class PointerSteering(QObject):
    """Takes movements, notches and buttons of the pointer over one widget, and nothing that is done anywhere else, so
    that a click on a control never steers. Signals: changed(), when it is taken or let go."""

    changed = pyqtSignal()

    def __init__(self, pointer: Pointer, surface: QWidget, parent: QObject | None = None):
        super().__init__(parent)
        self.pointer, self.surface = pointer, surface
        self.is_on = False
        """True if a drive goes on that the pointer has a part in."""
        self.captured = False
        self._held = False
        self._at: QPointF | None = None
        surface.installEventFilter(self)

    @property
    def steers(self) -> bool:
        """True while its movements go to the craft."""
        return self.captured or self._held

    def begin(self, crafts: list[Craft]) -> None:
        """A drive of these crafts begins."""
        self.is_on = uses_pointer(crafts)

    def end(self) -> None:
        """The drive is over."""
        self.let_go()
        self.is_on = False

    def capture(self) -> bool:
        """Takes the pointer until Escape; False where no drive goes on that it has a part in."""
        if not self.is_on or self.captured:
            return False
        self.captured, self._at = True, None
        self.surface.grabMouse(QCursor(Qt.CursorShape.BlankCursor))
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)
        self._to_middle()
        self.changed.emit()
        return True

    def let_go(self) -> None:
        """The pointer is free again; its sticks return, and no button of it stays down."""
        if self.captured:
            self.surface.releaseMouse()
            application = QApplication.instance()
            if application is not None:
                application.removeEventFilter(self)
        told = self.steers
        self.captured = self._held = False
        self._at = None
        self.pointer.release()
        if told:
            self.changed.emit()

    def _to_middle(self) -> None:
        """Brings the captured pointer back to where it has room to move."""
        middle = self.surface.mapToGlobal(self.surface.rect().center())
        self._at = QPointF(middle)
        QCursor.setPos(middle)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None or not self.is_on:
            return False
        if self.captured and event.type() in (QEvent.Type.KeyPress, QEvent.Type.ShortcutOverride):
            assert isinstance(event, QKeyEvent)
            if event.key() == Qt.Key.Key_Escape:
                event.accept()
                if event.type() == QEvent.Type.KeyPress:
                    self.let_go()
                return True
            return False
        if event.type() == QEvent.Type.ApplicationDeactivate:
            self.let_go()
            return False
        if watched is not self.surface:
            return False
        return self._takes(event)

    def _takes(self, event: QEvent) -> bool:
        """True for an event over the surface that steers, so that nobody else sees it."""
        if isinstance(event, QWheelEvent):
            if not self.steers:
                return False
            self.pointer.turn(event.angleDelta().y() / 120.0)
            return True
        if not isinstance(event, QMouseEvent):
            return False
        if event.type() in (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonDblClick):
            if not self.captured and event.button() == Qt.MouseButton.RightButton:
                self._held, self._at = True, event.globalPosition()
                self.changed.emit()
                return True
            if self.captured and event.button() in BUTTONS:
                self.pointer.held.add(BUTTONS[event.button()])
            return self.captured
        if event.type() == QEvent.Type.MouseButtonRelease:
            if self._held and event.button() == Qt.MouseButton.RightButton:
                self.let_go()
                return True
            self.pointer.held.discard(BUTTONS.get(event.button(), ""))
            return self.captured
        if event.type() == QEvent.Type.MouseMove and self.steers:
            self._moved(event.globalPosition())
            return True
        return False

    def _moved(self, to: QPointF) -> None:
        if self._at is not None:
            by = to - self._at
            self.pointer.move(by.x(), -by.y())
        self._at = to
        box = self.surface.rect().adjusted(40, 40, -40, -40)
        if self.captured and not box.contains(self.surface.mapFromGlobal(to.toPoint())):
            self._to_middle()
