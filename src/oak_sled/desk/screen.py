"""Pictures of what stands on the screen, and of a widget painted for a file.

The two differ on purpose. What the screen shows may be stale when a widget was never told to repaint; painting a
widget anew hides that. Checks and screenshots therefore read the screen.
"""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QWidget

from oak_sled.core.faults import refuse


def on_screen(widget: QWidget) -> QImage:
    """The stretch of the screen that a widget covers, without the frame of its window; raises `Refused`.

    Shape (height, width) in device pixels. Whatever lies over the widget is in the picture.
    """
    screen = widget.screen() or QApplication.primaryScreen()
    if screen is None:
        raise refuse("screen", "there is none", "a display (DISPLAY), such as a virtual one")
    corner = widget.mapToGlobal(QPoint(0, 0)) - screen.geometry().topLeft()
    picture = screen.grabWindow(0, corner.x(), corner.y(), widget.width(), widget.height()).toImage()  # type: ignore[arg-type]
    if picture.isNull():
        raise refuse("screen", "it cannot be read", "an X11 display that lets programs read it")
    return picture.convertToFormat(QImage.Format.Format_RGB32)


def painted(widget: QWidget) -> QImage:
    """A widget painted anew for a file, with the words and numbers of now."""
    ratio = widget.devicePixelRatioF()
    picture = QImage(widget.size() * ratio, QImage.Format.Format_ARGB32_Premultiplied)
    picture.setDevicePixelRatio(ratio)
    picture.fill(0)
    widget.render(picture)
    return picture
