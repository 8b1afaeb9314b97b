"""The dark column of numbers beside a working drawing: the dials and choices of the selection."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base import document
from oak_sled.core.base.dial import Dial, dials
from oak_sled.core.parts.common import Part
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.tie import Tie
from oak_sled.desk.drawing import sessiondial
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.work.session import Session

WIDTH = 236


class NumberPanel(QScrollArea):
    """Edits go to the session as previews and single steps. The page that owns it says what stands on it."""

    def __init__(self, session: Session, stem: str, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.stem = session, stem
        self.lane = QVBoxLayout()
        self.lane.setContentsMargins(10, 8, 10, 8)
        self.lane.setSpacing(2)
        inner = QWidget()
        inner.setObjectName("panel")
        inner.setLayout(self.lane)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # its dials take the focus
        self.setFixedWidth(WIDTH)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(inner)
        self.dials: dict[str, DialWidget] = {}
        self.choices: dict[str, QPushButton] = {}
        self._empty: dict[str, str] = {}
        self.restyle()

    def restyle(self) -> None:
        """Takes the colours of the theme: the numbers stand on the dark desk."""
        self.setStyleSheet(f"QScrollArea, QWidget#panel {{ background: {theme.colour('strip').name()}; }}")

    def clear(self) -> None:
        """Takes everything off."""
        while (old := self.lane.takeAt(0)) is not None:
            widget = old.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.dials.clear()
        self.choices.clear()

    def add(self, widget: QWidget) -> None:
        """Anything, below the rest."""
        self.lane.addWidget(widget)

    def add_title(self, words: str) -> None:
        """Adds a title: the owner of the numbers."""
        self.add(_words_on_desk(words, theme.HEADING, "desk_text"))

    def add_name(self, name: str, tip: str, take: Callable[[str], bool]) -> QLineEdit:
        """A name that can be typed anew; `take` says whether it was taken, else the old one is back."""
        edit = QLineEdit(name)
        edit.setObjectName("desk_name")
        edit.setMinimumHeight(24)
        edit.setMaxLength(40)
        edit.setToolTip(tip)
        edit.setAccessibleName(tip)

        last = [name]  # it finishes once more when the panel is built anew

        def done() -> None:
            wanted = edit.text().strip().lower().replace(" ", "_")
            if wanted != last[0]:
                before, last[0] = last[0], wanted
                if not take(wanted):
                    last[0] = before
                    edit.setText(before)

        edit.editingFinished.connect(done)
        self.add(edit)
        return edit

    def add_label(self, words: str) -> None:
        """A small heading."""
        self.add(_words_on_desk(words, theme.SMALL, "desk_soft"))

    def add_note(self, words: str) -> QLabel:
        """A sentence."""
        note = _words_on_desk(words, theme.SMALL, "desk_soft", bold=False)
        note.setWordWrap(True)
        self.add(note)
        return note

    def add_button(self, words: str, tip: str, action: Callable[[], object] | None = None) -> QPushButton:
        """A button across the column."""
        button = QPushButton(words)
        button.setObjectName("desk")
        button.setMinimumHeight(24)
        button.setToolTip(tip)
        if action is not None:
            button.clicked.connect(lambda _=False: action())
        self.add(button)
        return button

    def add_dial(self, declared: Dial, value: float, where: str, name: str) -> None:
        """A number, at `where` in the yard."""
        widget = sessiondial.dial_at(self.session, declared, value, where, where.split(".")[-1])
        widget.setObjectName(f"{self.stem}_{name}")
        self.dials[name] = widget
        self.add(widget)

    def add_dials(self, item: Any, path: str, wanted: Callable[[str], bool] = lambda name: True) -> None:
        """The numbers of a document that are wanted."""
        for declared in dials(item):
            if wanted(declared.name):
                self.add_dial(declared, getattr(item, declared.name), f"{path}.{declared.name}", declared.name)

    def add_choice(self, path: str, name: str, options: Sequence[Any], says: str, empty: str = "none") -> None:
        """One of several; empty : what an empty name is called."""
        button = self.add_button("", says)
        menu = QMenu(button)
        for option in options:
            menu.addAction(words_of(option) or empty, lambda option=option: self.session.edit(f"{path}.{name}", option))
        button.setMenu(menu)
        self.choices[name], self._empty[name] = button, empty

    def show_dials(self, item: Any) -> None:
        """Brings every number to that of `item`; a name with dots is that of something below it."""
        for name, widget in self.dials.items():
            owner = document.get(item, name.rpartition(".")[0]) if "." in name else item
            field = name.rpartition(".")[2]
            if hasattr(owner, field):
                idle = owner.idle() if isinstance(owner, Part | Body | Tie) else {}
                in_force = owner.in_force() if isinstance(owner, Body) else {}
                widget.show_idle(idle.get(field, ""), in_force.get(field))
                widget.show_value(next(one for one in dials(owner) if one.name == field), getattr(owner, field))

    def show_choices(self, item: Any) -> None:
        """Brings every choice to that of `item`."""
        for name, button in self.choices.items():
            words = words_of(document.get(item, name)) or self._empty[name]
            button.setText(f"{name.rpartition('.')[2].replace('_', ' ')}: {words}")


def choices_of(item: Any) -> list[tuple[str, tuple[Any, ...], str]]:
    """The fields of a document that are one of several: name, options, what they mean."""
    found = []
    for name, field in type(item).model_fields.items():
        options = get_args(field.annotation) if get_origin(field.annotation) is Literal else None
        if field.annotation is bool:
            options = (True, False)
        if options is not None:
            found.append((name, options, field.description or ""))
    return found


def words_of(value: Any) -> str:
    """A choice in words."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value).replace("_", " ")


def _words_on_desk(words: str, size: int, ink: str, bold: bool = True) -> QLabel:
    made = QLabel(words)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setFont(theme.font(size, bold=bold))
    made.setStyleSheet(f"color: {theme.colour(ink).name()};")
    return made
