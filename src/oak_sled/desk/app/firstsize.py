"""Size of a window when it opens first."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QWidget

DRAWN_FOR = (1280, 800)
"""px of the window that the bench was drawn for."""
TITLE_BAR = 32
"""px that a window manager puts above a window, about: it says so only once the window stands."""


def fit(window: QWidget) -> None:
    """As large as the bench was drawn for, title bar and all, or as the screen has room for."""
    screen = window.screen()
    room = screen.availableGeometry().size() if screen is not None else QSize(*DRAWN_FOR)
    wide, tall = DRAWN_FOR
    window.resize(min(wide, room.width()), min(tall, room.height() - TITLE_BAR) if room.height() <= tall else tall)
