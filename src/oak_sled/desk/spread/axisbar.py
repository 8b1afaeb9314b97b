"""The line below a map: from where to where each axis goes, and in how many steps, typed in place."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from oak_sled.core.base import document, units
from oak_sled.core.base.faults import Refused
from oak_sled.core.study import variants
from oak_sled.core.yard.spreads import Spread, SpreadAxis
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session


class AxisBar(QWidget):
    """Signals: edited(number of the axis, fields)."""

    edited = pyqtSignal(int, object)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(12, 0, 12, 6)
        self._lines.setSpacing(2)
        self._row = QHBoxLayout()
        self._axes: tuple[SpreadAxis, ...] | None = None
        self.fields: dict[tuple[int, str], QLineEdit] = {}
        self.scales: list[QPushButton] = []

    def show_plan(self, plan: Spread | None) -> None:
        """Shows the axes of a spread."""
        axes = plan.axes if plan is not None else ()
        if axes == self._axes:
            return
        self._axes = axes
        while (item := self._lines.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.fields.clear()
        self.scales.clear()
        for number, axis in enumerate(axes):
            line = QWidget()
            self._row = QHBoxLayout(line)
            self._row.setContentsMargins(0, 0, 0, 0)
            self._row.setSpacing(4)
            assert plan is not None
            self._add(plan, number, axis)
            self._row.addStretch(1)
            self._lines.addWidget(line)

    def restyle(self) -> None:
        """Builds it anew, in the colours of the theme."""
        axes, self._axes = self._axes, None
        if axes:
            self._axes = ()

    def _add(self, plan: Spread, number: int, axis: SpreadAxis) -> None:
        name = axis.path.rpartition(".")[2].removesuffix("_deg").replace("_", " ")
        self._word(name, least=84)
        if axis.listed:
            words = [plan.shown(axis, one) for one in axis.listed[:4]]
            self._word(f"{len(axis.listed)} values: {', '.join(words)}", soft=True)
            return
        unit = variants.unit_of(self.session.yard, axis.path)
        for field, word, end in (("low", "from", axis.low), ("high", "to", axis.high)):
            text = units.tick(variants.sign_of(self.session.yard, axis.path) * end, unit)
            self._word(word, soft=True)
            self._entry(number, field, text, 70, name)
        if unit:
            self._word(units.pretty(units.name_of(unit)), soft=True)
        self._word("in", soft=True)
        self._entry(number, "count", str(axis.count), 40, name)
        scale = QPushButton("logarithmic" if axis.scale == "log" else "linear")
        scale.setObjectName("quiet")
        scale.setMinimumHeight(24)
        scale.setToolTip("linear or logarithmic steps")
        other = "linear" if axis.scale == "log" else "log"
        scale.clicked.connect(lambda _=False: self.edited.emit(number, {"scale": other}))
        self._row.addWidget(scale)
        self.scales.append(scale)

    def _word(self, text: str, soft: bool = False, least: int = 0) -> None:
        label = QLabel(text)
        label.setMinimumWidth(max(least, label.sizeHint().width()))
        label.setFont(theme.font(theme.SMALL, bold=not soft))
        self._row.addWidget(label)

    def _entry(self, number: int, field: str, text: str, wide: int, name: str) -> None:
        entry = QLineEdit(text)
        entry.setFixedWidth(wide)
        entry.setMinimumHeight(24)
        accessibility.describe(entry, f"{name}: {field}")
        entry.editingFinished.connect(lambda: self._take(number, field, entry, text))
        self._row.addWidget(entry)
        self.fields[number, field] = entry

    def _take(self, number: int, field: str, entry: QLineEdit, before: str) -> None:
        text = entry.text().strip()
        if text == before or self._axes is None or number >= len(self._axes):
            return
        try:
            path = self._axes[number].path
            value: Any = int(text) if field == "count" else document.read_at(self.session.yard, path, text)
        except (Refused, ValueError) as error:
            says = str(error.faults[0]) if isinstance(error, Refused) else f"{text!r} is no whole number (such as 17)"
            self.session.say(says, True)
            entry.setText(before)
            return
        self.edited.emit(number, {field: value})
        if self._axes is not None and self.fields.get((number, field)) is entry:  # it was refused
            entry.setText(before)
