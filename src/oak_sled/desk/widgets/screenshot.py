"""Pictures of what stands on the screen, and of a widget painted for a file.

The two differ on purpose. What the screen shows may be stale when a widget was never told to repaint; painting a
widget anew hides that. Checks and screenshots therefore read the screen.
"""

from __future__ import annotations

import time
from typing import cast

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QAbstractScrollArea, QApplication, QWidget

from oak_sled.core.base.faults import refuse


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


def pixels(widget: QWidget) -> NDArray[np.uint8]:
    """Pixels of a widget on the screen, shape (height, width, 3), blue first."""
    picture = on_screen(widget)
    bits = picture.constBits()
    assert bits is not None
    raw: NDArray[np.uint8] = np.frombuffer(cast("memoryview", bits.asarray(picture.sizeInBytes())), np.uint8)
    return raw.reshape(picture.height(), picture.bytesPerLine() // 4, 4)[..., :3].copy()


def ask_repaint(window: QWidget) -> None:
    """Every widget of a window is set to paint itself anew."""
    for widget in [window, *window.findChildren(QWidget)]:
        widget.update()
        if isinstance(widget, QAbstractScrollArea):  # an inner canvas that keeps what it painted
            viewport = widget.viewport()
            if viewport is not None:
                viewport.update()


def stale(shown: NDArray[np.uint8], true: NDArray[np.uint8], window: QWidget) -> str:
    """Difference of two pictures of a window, in words; "" if there is none."""
    if shown.shape == true.shape and np.array_equal(shown, true):
        return ""
    if shown.shape != true.shape:
        return f"the size of the picture changed, {shown.shape} to {true.shape}"
    wrong = np.argwhere((shown != true).any(axis=2))
    (top, left), (bottom, right) = wrong.min(axis=0), wrong.max(axis=0)
    y, x = wrong[len(wrong) // 2]
    under = type(window.childAt(QPoint(int(x), int(y)))).__name__
    return f"{len(wrong)} pixels in x {left}..{right}, y {top}..{bottom} ({under})"


def settled(widget: QWidget) -> QImage:
    """`on_screen` once the server has shown what was painted: when two pictures in a row are the same.

    Nothing is painted anew for it. The server is another process, and has no signal to wait for.
    """
    last = QImage()
    for _ in range(60):
        QApplication.processEvents()
        time.sleep(0.005)
        picture = on_screen(widget)
        if picture == last:
            break
        last = picture
    return last
