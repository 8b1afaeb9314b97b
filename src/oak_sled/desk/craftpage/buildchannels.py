"""The numbers of a channel on the Build page: its name, its keys, and how a raw key becomes a value."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QPushButton, QWidget

from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.yard import channels
from oak_sled.core.yard.channel import Channel, Stays, Takes
from oak_sled.core.yard.control import PAD, POINTER, Control, Device
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.drawing.numberpanel import NumberPanel
from oak_sled.desk.driving.drive import key_name
from oak_sled.desk.work.session import Session

SIDES = {"plus_keys": "up", "minus_keys": "down"}


class KeyButton(QPushButton):
    """A button that asks for a key. Signals: pressed_key(name); "" for Delete, which clears."""

    pressed_key = pyqtSignal(str)

    def __init__(self, words: str, keys: tuple[str, ...], parent: QWidget | None = None):
        super().__init__(parent)
        self._words = words
        self.keys = keys
        self._asks = False
        self.setObjectName("desk")
        self.setMinimumHeight(24)
        self.setToolTip("click, then press the key; Escape leaves it, Delete clears it")
        self.clicked.connect(self.ask)
        self._show()

    def _show(self) -> None:
        keys = "press a key" if self._asks else " or ".join(self.keys) or "no key"
        self.setText(f"{self._words}: {keys}")
        self.setAccessibleName(f"{self._words}: {keys}")

    def ask(self) -> None:
        """Takes the next key that is pressed."""
        self._asks = True
        self.setFocus()
        self.grabKeyboard()
        self._show()

    def _leave(self) -> None:
        if self._asks:
            self._asks = False
            self.releaseKeyboard()
            self._show()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self._asks:
            super().keyPressEvent(event)
            return
        key = Qt.Key(event.key())
        self._leave()
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.pressed_key.emit("")
        elif key != Qt.Key.Key_Escape:
            self.pressed_key.emit(key_name(event.key()))

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._leave()
        super().focusOutEvent(event)


def show_channel(
    numbers: NumberPanel, session: Session, craft: Craft, channel: Channel, chosen: Callable[[str], object]
) -> None:
    """Fills the column with a channel. chosen : told of the channel that is to be shown after an edit; "" for none."""
    path = f"{session.craft_path}.channels.{channel.id}"

    def rename(new: str) -> bool:
        chosen(new)
        try:
            changed = channels.renamed(session.yard, craft, channel.id, new)
        except Refused as refused:
            chosen(channel.id)
            session.say(str(refused.faults[0]), True)
            return False
        return session.change(changed, f"rename {channel.id}", card=False)

    numbers.add_name(channel.id, "the name of this channel; parts and drills that name it follow", rename)
    users = [part.heading for part in craft.parts if channel.id in part.channels_used()]
    numbers.add_note(f"moves {', '.join(users)}" if users else "no part listens to it yet")
    for side, words in SIDES.items():
        if side == "plus_keys" or channel.least_input < 0.0:
            button = KeyButton(words, getattr(channel, side))
            button.setProperty("side", side)
            button.pressed_key.connect(
                lambda key, side=side, words=words: session.edit(
                    f"{path}.{side}", (key,) if key else (), f"bind {channel.id} {words}", card=False
                )
            )
            numbers.add(button)
    _show_controls(numbers, session, channel, path)
    numbers.add_choice(path, "two_sided", (True, False), "-1 to 1, or 0 to 1")
    numbers.add_choice(path, "takes", get_args(Takes), "raw input: how far it is pushed, how far it was moved, notches")
    numbers.add_choice(path, "stays", get_args(Stays), "without input: returns to 0, or stays where it is")
    if channel.stays == "selector":
        numbers.add_choice(path, "notches", (2, 3, 4, 5, 6, 7, 8, 10, 12), "positions of the selector")
    numbers.add_dials(channel, path)

    def remove() -> None:
        chosen("")
        session.attempt(lambda: channels.without(session.yard, craft, channel.id), f"remove channel {channel.id}")

    numbers.add_button("remove this channel", "parts that listen to it then listen to none; its tracks go", remove)


def _show_controls(numbers: NumberPanel, session: Session, channel: Channel, path: str) -> None:
    """Adds what of a pointer or of a pad drives the channel, and a button for one more."""
    for one in channel.controls:
        at = f"controls.{one.id}"
        numbers.add_note(f"driven by {one.words}")
        numbers.add_choice(
            path, f"{at}.device", get_args(Device), "the pointer over the yard view, or a pad or steering wheel"
        )
        numbers.add_choice(path, f"{at}.what", POINTER if one.device == "pointer" else PAD, "its axis, button or wheel")
        if one.device == "pad":
            numbers.add_choice(path, f"{at}.number", (1, 2, 3, 4), "of several pads, as they were plugged in")
        else:
            numbers.add_choice(
                path, f"{at}.acts_as", ("stick", "motion"), "a stick that stays where it was moved, or its motion"
            )
        for declared in dials(one):
            numbers.add_dial(
                declared, getattr(one, declared.name), f"{path}.{at}.{declared.name}", f"{at}.{declared.name}"
            )

        def remove(name: str = one.id) -> None:
            left = tuple(each for each in channel.controls if each.id != name)
            session.edit(f"{path}.controls", left, f"unbind {channel.id}", card=False)

        numbers.add_button(f"unbind {one.words}", "takes this control from the channel", remove)

    def add() -> None:
        made = Control(id=free_name("control", channel.controls))
        session.edit(f"{path}.controls", (*channel.controls, made), f"bind {channel.id}", card=False)

    numbers.add_button("bind a pad or the pointer", "a control beside its keys", add)
