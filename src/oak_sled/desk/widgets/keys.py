"""Keys that a focused widget keeps for itself: what it promises is not taken by a shortcut of the window.

Every widget that acts on keys declares them as `PROMISED`; what Qt's own widgets act on is declared here. The window
asks `is_promised` before a key becomes a shortcut.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QAbstractSlider, QComboBox, QWidget

Key = Qt.Key


@dataclass(frozen=True)
class Keys:
    """Keys that a widget acts on, alone or with Shift, and characters that it takes as typed."""

    keys: frozenset[Key] = frozenset()
    text: str = ""

    @classmethod
    def of(cls, *keys: Key, text: str = "") -> Keys:
        """The same of keys one by one."""
        return cls(frozenset(keys), text)

    def has(self, key: int, text: str) -> bool:
        """True if a key press is among them."""
        return key in {int(one) for one in self.keys} or bool(text and text in self.text)


ARROWS = (Key.Key_Left, Key.Key_Right, Key.Key_Up, Key.Key_Down)
RETURN = (Key.Key_Return, Key.Key_Enter)
REMOVE = (Key.Key_Delete, Key.Key_Backspace)
OF_QT: tuple[tuple[type[QWidget], Keys], ...] = (
    (QAbstractButton, Keys.of(Key.Key_Space)),
    (QComboBox, Keys.of(Key.Key_Space, *ARROWS, Key.Key_Home, Key.Key_End)),
    (QAbstractSlider, Keys.of(*ARROWS, Key.Key_Home, Key.Key_End)),
    (QAbstractItemView, Keys.of(Key.Key_Space, *ARROWS, *RETURN, Key.Key_Home, Key.Key_End)),
)


def promised_by(widget: QWidget | None) -> Iterable[Keys]:
    """Keys that a widget keeps for itself."""
    if widget is None:
        return
    own = getattr(widget, "PROMISED", None)
    if isinstance(own, Keys):
        yield own
    for kind, keys in OF_QT:
        if isinstance(widget, kind):
            yield keys


def is_promised(widget: QWidget | None, event: QKeyEvent) -> bool:
    """True if a key press belongs to the focused widget, whatever shortcut has the same key."""
    held = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
    if held != Qt.KeyboardModifier.NoModifier:
        return False
    return any(keys.has(event.key(), event.text()) for keys in promised_by(widget))
