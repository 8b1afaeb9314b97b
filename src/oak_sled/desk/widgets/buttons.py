"""Buttons as the bars of pages and panes have them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QMenu, QPushButton


def quiet(words: str, tip: str, action: Callable[[], object], tall: int = 28) -> QPushButton:
    """A button without a frame. tall : px, at least."""
    return _button("quiet", words, tip, action, tall)


def on_desk(words: str, tip: str, action: Callable[[], object]) -> QPushButton:
    """A button on the dark desk."""
    return _button("desk", words, tip, action, 28)


def with_menu(tip: str, fill: Callable[[QMenu], None], kind: str = "plain", tall: int = 28) -> QPushButton:
    """A button with a menu that is filled each time it opens. kind : how it looks, see `theme.sheet`."""
    made = _button(kind, "", tip, lambda: None, tall)
    menu = QMenu(made)

    def refill() -> None:
        menu.clear()
        fill(menu)

    menu.aboutToShow.connect(refill)
    made.setMenu(menu)
    return made


def _button(kind: str, words: str, tip: str, action: Callable[[], object], tall: int) -> QPushButton:
    made = QPushButton(words)
    made.setObjectName(kind)
    made.setToolTip(tip)
    made.setMinimumHeight(tall)
    made.clicked.connect(lambda _=False: action())
    return made
