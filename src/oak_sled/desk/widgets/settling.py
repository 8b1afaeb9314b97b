"""Work that waits until nothing moves: smooth pictures, and what is told to a screen reader."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer

STILL_MS = 220
"""ms without a change after which nothing moves."""


def once_still(owner: QObject, act: Callable[[], object]) -> QTimer:
    """A timer that acts once after its last start; started for whatever moves."""
    made = QTimer(owner)
    made.setSingleShot(True)
    made.setInterval(STILL_MS)
    made.timeout.connect(act)
    return made
