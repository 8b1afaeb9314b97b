"""Help for those who use the keyboard or a screen reader: names and values of widgets, and a ring round the focus."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QWidget

from oak_sled.desk.widgets import theme

MARGIN = 3


def describe(widget: QWidget, name: str, value: str = "", keys: str = "") -> None:
    """Tells assistive technology what a widget is, what it shows now, and which keys change it."""
    if widget.accessibleName() != name:
        widget.setAccessibleName(name)
    words = " · ".join(part for part in (value, keys) if part)
    if widget.accessibleDescription() != words:
        widget.setAccessibleDescription(words)


class FocusRing(QWidget):
    """A ring round the widget that has the focus, while the focus is moved by keys; a click hides it."""

    def __init__(self, window: QWidget):
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._by_keys = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.follow)
        self.hide()
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.focusChanged.connect(self._focus_moved)  # a method: Qt releases it with this widget

    def moved_by_keys(self) -> None:
        """The focus is about to go to another widget by Tab."""
        self._by_keys = True
        self._later.start(0)

    def _focus_moved(self, old: QWidget | None, new: QWidget | None) -> None:
        if not self._later.isActive():
            self._by_keys = False
        self._later.start(0)

    def follow(self) -> None:
        """Goes to the widget that has the focus, or hides."""
        window, widget = self.parentWidget(), QApplication.focusWidget()
        inside = widget is not None and window is not None and widget.window() is window and widget is not window
        if not (inside and self._by_keys) or widget is None or window is None:
            self.hide()
            return
        box = QRect(widget.mapTo(window, QPoint(0, 0)), widget.size()).adjusted(-MARGIN, -MARGIN, MARGIN, MARGIN)
        self.setGeometry(box.intersected(window.rect()))
        self.raise_()
        self.show()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, wide, inset in (("ink", 3.0, 2), ("oak_light", 1.5, 2)):
            painter.setPen(theme.pen(colour, wide))
            painter.drawRoundedRect(self.rect().adjusted(inset, inset, -inset, -inset), 3, 3)
