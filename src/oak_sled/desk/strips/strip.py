"""A strip of the force desk: what one part does now, its dials with their outlook, trim, mute and solo."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from oak_sled.core.advice import outlook
from oak_sled.core.base.dial import dials
from oak_sled.core.base.document import Frozen
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import Setting
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.yard.block import TIMBER
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.limb import Limb
from oak_sled.desk.strips.gripcurve import GripCurve
from oak_sled.desk.strips.meter import Meter
from oak_sled.desk.strips.polardrawing import PolarDrawing
from oak_sled.desk.strips.references import Names
from oak_sled.desk.strips.tiredrawing import TireDrawing
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.widgets.curveeditor import CurveEditor
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.widgets.meshdrawing import MeshDrawing
from oak_sled.desk.widgets.textlines import Words

OPEN_ROWS = 4
HEAD = 38
"""px of a strip in which its title and its summary stand."""
_HIDDEN = {"id", "title", "trim", "mute", "solo", "kind", "curve"}
EMPTY = {"layer": "default", "material": TIMBER, "formula": "built-in", "wheels": "of all parts"}
"""Meaning of an empty name, where it is not none."""


def name_of(part: Part | Body) -> str:
    """The name of the strip of a part, of the first body of a craft, or of a further one."""
    return "body" if isinstance(part, Body) and not isinstance(part, Limb) else str(part.__dict__["id"])


def path_of(part: Part | Body) -> str:
    """The path of a part or of a body below its craft."""
    if isinstance(part, Limb):
        return f"bodies.{part.id}"
    return "body" if isinstance(part, Body) else f"parts.{part.id}"


class Strip(QWidget):
    """A strip. Signals, each with the path below the craft: moved(path, value), released(path),
    entered(path, value), chosen(name) when its head is clicked, opened(name), said(text),
    lock_toggled(path), menu_wanted(name, global point), bent(field, points, done) while a
    curve is bent and after, sharing(field, act) where its points are to be shared ("share"), its own again ("own") or
    those of a shared curve (its name)."""

    moved = pyqtSignal(str, object)
    released = pyqtSignal(str)
    entered = pyqtSignal(str, object)
    bent = pyqtSignal(object, object, bool)
    sharing = pyqtSignal(object, str)
    opened = pyqtSignal(str)
    said = pyqtSignal(str)
    lock_toggled = pyqtSignal(str)
    vary_wanted = pyqtSignal(str)
    menu_wanted = pyqtSignal(str, object)

    def __init__(self, part: Part | Body, is_open: bool, names: Names, parent: QWidget | None = None):
        super().__init__(parent)
        self.part = part
        self.is_body = isinstance(part, Body)
        self.name = name_of(part)
        self.path = path_of(part)
        self.family = "gravity" if isinstance(part, Body) else part.FAMILY
        self.is_open = is_open
        self.names = names
        self.dials: dict[str, DialWidget] = {}
        self.choices: dict[str, QPushButton] = {}
        self.curve: GripCurve | None = None
        self.tires: TireDrawing | None = None
        self.polar: PolarDrawing | None = None
        self.editors: list[CurveEditor] = []
        self.drawing: MeshDrawing | None = None
        self._told: tuple[float, float, set[str], Mapping[str, str]] | None = None
        self._least: tuple[tuple[int, int, int], int] = ((0, 0, 0), 0)
        self.setObjectName(f"strip_{self.name}")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumWidth(theme.STRIP_LEAST)
        self.setMaximumWidth(260)
        self._build()

    def sizeHint(self) -> QSize:
        return QSize(max(self.minimumWidth(), 150), theme.DESK - 12)

    def least_height(self) -> int:
        """px that it takes with its words at its width; asked of the layout only when its words take other room."""
        wide = max(self.width(), self.minimumWidth())
        key = (self.words.heightForWidth(max(self.words.width(), 1)), wide, self.minimumWidth())
        if key != self._least[0]:
            inner = self.layout()
            needed = self.minimumSizeHint().height()
            if inner is not None and inner.hasHeightForWidth():
                needed = max(needed, inner.minimumHeightForWidth(wide))
            self._least = (key, needed)
        return self._least[1]

    # building

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(8, HEAD, 8, 6)
        column.setSpacing(2)
        self.meter = Meter(self.family)
        column.addWidget(self.meter)
        column.addSpacing(2)
        if self.is_open:
            self._build_open(column)
        else:
            for dial in dials(self.part):
                if dial.main:
                    column.addWidget(self._dial(dial.name))
        column.addStretch(1)
        self.words = Words(16 if self.is_open else 40)
        column.addWidget(self.words)
        column.addLayout(self._foot())

    def _build_open(self, column: QVBoxLayout) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(1)
        shown = sorted((dial for dial in dials(self.part) if dial.name != "trim"), key=lambda dial: not dial.main)
        cells: list[QWidget] = [self._dial(dial.name) for dial in shown]
        cells += [self._choice(name) for name in type(self.part).model_fields if self._choices_of(name) is not None]
        rows = OPEN_ROWS
        columns = math.ceil(len(cells) / rows)
        for place, cell in enumerate(cells):
            grid.addWidget(cell, place % rows, place // rows)
        row = QHBoxLayout()
        if isinstance(self.part, Part) and self.part.CURVES == "wheels":
            self.tires = TireDrawing()
            row.addWidget(self.tires, 1)
        if isinstance(self.part, Part) and self.part.CURVES == "polar":
            self.polar = PolarDrawing()
            row.addWidget(self.polar, 1)
        for field in self.part.curves() if isinstance(self.part, Part) else ():
            row.addWidget(self._curve(field), 1)
        row.addLayout(grid, max(columns, 1))
        if isinstance(self.part, Part) and self.part.CURVES == "slip":
            self.curve = GripCurve()
            row.addWidget(self.curve, 1)
        if isinstance(self.part, Body) and self.part.shape == "mesh":
            self.drawing = MeshDrawing(44)
            row.addWidget(self.drawing, 1)
        width = 138 * columns + 20 + (210 if self.curve is not None or self.drawing is not None else 0)
        width += 250 * len(self.editors) + (360 if self.tires is not None else 0)
        width += 250 if self.polar is not None else 0
        self.setMinimumWidth(max(width, 380))
        self.setMaximumWidth(max(width, 380) + 160)
        column.addLayout(row)

    def _curve(self, field: CurveField) -> CurveEditor:
        editor = CurveEditor(field)
        editor.setObjectName(f"curve_{self.name}_{field.name}")
        editor.moved.connect(lambda points: self.bent.emit(field, points, False))
        editor.released.connect(lambda: self.released.emit(f"{self.path}.{field.name}"))
        editor.entered.connect(lambda points: self.bent.emit(field, points, True))
        editor.sharing.connect(lambda act: self.sharing.emit(field, act))
        editor.refused.connect(self.said)
        self.editors.append(editor)
        return editor

    def _dial(self, name: str) -> DialWidget:
        declared = next(dial for dial in dials(self.part) if dial.name == name)
        path = f"{self.path}.{name}"
        widget = DialWidget(declared, getattr(self.part, name), path)
        widget.setObjectName(f"dial_{self.name}_{name}")
        widget.moved.connect(lambda value: self.moved.emit(path, value))
        widget.released.connect(lambda: self.released.emit(path))
        widget.entered.connect(lambda value: self.entered.emit(path, value))
        widget.refused.connect(self.said)
        widget.lock_toggled.connect(lambda: self.lock_toggled.emit(path))
        widget.vary_wanted.connect(lambda: self.vary_wanted.emit(path))
        self.dials[name] = widget
        return widget

    def _choices_of(self, name: str) -> tuple[Any, ...] | None:
        """The choices of a field that is not a number: those of a Literal, on and off, channels, axes."""
        curves = self.part.CURVE_FIELDS if isinstance(self.part, Part) else ()
        if name in _HIDDEN or name in [field.straight for field in curves]:
            return None
        kind = type(self.part).model_fields[name].annotation
        if get_origin(kind) is Literal:
            return get_args(kind)
        if kind is bool:
            return (False, True)
        if name == "held":
            return get_args(get_args(kind)[0])
        return self.names.of(self.part, name)

    def _choice(self, name: str) -> QPushButton:
        button = QPushButton()
        button.setObjectName("desk")
        button.setMinimumHeight(24)
        button.setToolTip(type(self.part).model_fields[name].description or "")
        menu = QMenu(button)
        menu.aboutToShow.connect(lambda: self._fill(menu, name))
        button.setMenu(menu)
        self.choices[name] = button
        return button

    def _fill(self, menu: QMenu, name: str) -> None:
        menu.clear()
        now = getattr(self.part, name)
        for choice in self._choices_of(name) or ():
            if isinstance(now, tuple):
                action = menu.addAction(_words(choice, name))
                value: Any = tuple(axis for axis in now if axis != choice) if choice in now else (*now, choice)
                checked = choice in now
            else:
                action = menu.addAction(_words(choice, name))
                value, checked = choice, choice == now
            if action is not None:
                action.setCheckable(True)
                action.setChecked(checked)
                action.triggered.connect(lambda _, value=value: self.entered.emit(f"{self.path}.{name}", value))

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(3)
        self.buttons: dict[str, QPushButton] = {}
        if self.is_body:
            self._button(row, "open", "all dials" if not self.is_open else "close")
            self.buttons["open"].clicked.connect(lambda: self.opened.emit(self.name))
            row.addStretch(1)
            return row
        self.trim = QPushButton()
        self.trim.setObjectName("desk")
        self.trim.setMinimumSize(36, 24)
        self.trim.setToolTip("trim: gain on everything this part does; a click asks for the number")
        self.trim.clicked.connect(self._ask_trim)
        row.addWidget(self.trim, 1)
        for name in ("mute", "solo"):
            self._button(row, name, name)
            self.buttons[name].setCheckable(True)
            self.buttons[name].clicked.connect(
                lambda checked, name=name: self.entered.emit(f"{self.path}.{name}", checked)
            )
        self.buttons["mute"].setToolTip("off, as if it were not fitted")
        self.buttons["solo"].setToolTip("only this one and gravity")
        if self.is_open:
            self._button(row, "part", "rename, duplicate, remove...")
            self.buttons["part"].clicked.connect(self._ask_menu)
            wide = theme.metrics(theme.font(theme.TEXT)).horizontalAdvance(self.buttons["part"].text())
            self.buttons["part"].setMinimumWidth(wide + 16)
        self._button(row, "open", "···" if not self.is_open else "close")
        if not self.is_open:
            self.buttons["open"].setFixedWidth(22)
        self.buttons["open"].setToolTip("all dials of this part, in place")
        self.buttons["open"].clicked.connect(lambda: self.opened.emit(self.name))
        return row

    def _button(self, row: QHBoxLayout, name: str, words: str) -> None:
        button = QPushButton(words)
        button.setObjectName("desk")
        button.setMinimumHeight(24)
        button.setMinimumWidth(22)
        button.setAccessibleName(f"{name} {self.name}")
        self.buttons[name] = button
        row.addWidget(button, 1)

    def _ask_menu(self) -> None:
        button = self.buttons["part"]
        self.menu_wanted.emit(self.name, button.mapToGlobal(button.rect().topLeft()))

    def _ask_trim(self) -> None:
        menu = QMenu(self)
        for gain in (0.0, 0.25, 0.5, 0.8, 0.9, 1.0, 1.1, 1.25, 1.5, 2.0):
            menu.addAction(f"× {gain:.2f}", lambda gain=gain: self.entered.emit(f"{self.path}.trim", gain))
        menu.exec(self.trim.mapToGlobal(self.trim.rect().topLeft()))
        menu.deleteLater()

    # showing

    def fits(self, part: Frozen, is_open: bool, names: Names) -> bool:
        """True if this strip can show `part` as it is built."""
        drawn = isinstance(part, Body) and is_open and part.shape == "mesh"
        if drawn != (self.drawing is not None):
            return False
        curves = [field.name for field in part.curves()] if is_open and isinstance(part, Part) else []
        if curves != [editor.field.name for editor in self.editors]:
            return False
        same = type(part) is type(self.part) and is_open == self.is_open and names == self.names
        return same and (self.is_body or getattr(part, "id", "") == self.name)

    def show_part(self, part: Part | Body, setting: Setting, locks: set[str], warning: str) -> None:
        """Shows the settings of `part` and their outlook; warning : a caution that takes its place."""
        changed = part is not self.part or self._told is None
        self.part = part
        if self.drawing is not None and isinstance(part, Body):
            self.drawing.show_body(part)
        for editor in self.editors:
            editor.show_part(part)
        idle: Mapping[str, str] = part.idle() if isinstance(part, Body) else part.idle(setting)
        told = (setting.mass, setting.moves, locks, idle)
        # most parts are the very ones that are shown: only what is said of them is another
        if changed or isinstance(part, Body) or told != self._told or not self._shows(part):
            self._told = told
            self._show_numbers(part, setting, locks, idle)
        lines = outlook.body_outlook(part, setting) if isinstance(part, Body) else part.outlook(setting)
        text = warning or ("   ·   " if self.is_open else "\n").join(lines)
        self.words.say(text, "warning_light" if warning else "good_light")
        if changed:
            self.update(0, 0, self.width(), HEAD)

    def _shows(self, part: Part) -> bool:
        """True if the numbers and switches stand as those of `part`: one that was moved and refused does not."""
        if any(widget.value != getattr(part, name) for name, widget in self.dials.items()):
            return False
        return all(self.buttons[name].isChecked() == getattr(part, name) for name in ("mute", "solo"))

    def _show_numbers(self, part: Part | Body, setting: Setting, locks: set[str], idle: Mapping[str, str]) -> None:
        """Shows the dials, the choices and the switches of `part`. idle : why numbers do nothing now."""
        for dial in dials(part):
            widget = self.dials.get(dial.name)
            if widget is not None:
                note = outlook.dial_note(setting, "body", dial.name, part) if isinstance(part, Body) else ""
                widget.show_value(dial, getattr(part, dial.name), note)
                widget.mass = setting.moves
                widget.locked = f"{self.path}.{dial.name}" in locks
                in_force = part.in_force().get(dial.name) if isinstance(part, Body) and idle else None
                widget.show_idle(idle.get(dial.name, ""), in_force)
        # a long title or unit wants more room, and what is wide stays so
        if self.is_open:
            for widget in self.dials.values():
                if widget.least_width() > widget.minimumWidth():
                    widget.setMinimumWidth(widget.least_width())
        else:
            need = max((widget.least_width() for widget in self.dials.values()), default=0) + 16
            if need > self.minimumWidth():
                self.setMinimumWidth(min(need, self.maximumWidth()))
        for name, button in self.choices.items():
            value = getattr(part, name)
            shown = ", ".join(value) if isinstance(value, tuple) else _words(value, name)
            button.setText(f"{name.replace('_', ' ')}: {shown or 'none'}")
        if not isinstance(part, Body):
            self.trim.setText(f"×{part.trim:.2f}")
            accessibility.describe(self.trim, f"trim {self.name}", f"{part.trim:.2f} times")
            self.buttons["mute"].setChecked(part.mute)
            self.buttons["solo"].setChecked(part.solo)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().y() < HEAD:
            if event.button() == Qt.MouseButton.RightButton:
                self.menu_wanted.emit(self.name, event.globalPosition().toPoint())
            event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().y() < HEAD:
            self.opened.emit(self.name)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("strip"))
        if event is not None and event.rect().top() > HEAD:
            return  # a dial moved: what stands above it need not be drawn
        painter.fillRect(QRectF(0, 0, self.width(), 3), theme.family(self.family, on_desk=True))
        part = self.part
        muted = isinstance(part, Part) and part.mute
        title = "Body" if isinstance(part, Body) and not isinstance(part, Limb) else part.heading
        if isinstance(part, Part) and part.aid:
            title += " · aid"
        head = theme.font(theme.HEADING, bold=True)
        painter.setFont(head)
        painter.setPen(theme.colour("desk_soft" if muted else "desk_text"))
        painter.drawText(8, 19, theme.elide(title, self.width() - 20, head))
        small = theme.font(10)
        painter.setFont(small)
        painter.setPen(theme.colour("desk_soft"))
        summary = _body_summary(part) if isinstance(part, Body) else part.summary()
        painter.drawText(8, 33, theme.elide(summary, self.width() - 20, small))


def _body_summary(body: Body) -> str:
    return f"{body.shape} · holds {', '.join(body.held)}" if body.held else f"{body.shape} · free in all axes"


def _words(value: Any, name: str) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value).replace("_", " ") or EMPTY.get(name, "none")
