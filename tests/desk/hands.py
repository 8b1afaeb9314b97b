"""Synthetic hands that hold the keys of a drive."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication


def key(window, code, down):
    """Presses or lets go of a key over the yard view."""
    kind = QEvent.Type.KeyPress if down else QEvent.Type.KeyRelease
    QApplication.sendEvent(window.view, QKeyEvent(kind, code, Qt.KeyboardModifier.NoModifier))


def drive(qtbot, window, seconds, *keys):
    """Holds keys for so many seconds of the drive."""
    for code in keys:
        key(window, code, True)
    goal = window.driver.drive.ticks + int(seconds * window.session.yard.ticks)
    qtbot.waitUntil(lambda: window.driver.drive.ticks >= goal, timeout=60_000)
    for code in keys:
        key(window, code, False)
