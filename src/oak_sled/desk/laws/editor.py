"""Editor of a formula: its text with its error beside it, and the numbers of the craft as dials."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from oak_sled.core.advice import laws
from oak_sled.core.base.dial import Dial, dials
from oak_sled.core.formulas.language import FUNCTIONS
from oak_sled.core.formulas.place import Place
from oak_sled.core.yard import lawbook
from oak_sled.core.yard.law import Law, Number
from oak_sled.desk.drawing import sessiondial
from oak_sled.desk.widgets import theme
from oak_sled.desk.widgets.dialwidget import HEIGHT, DialWidget
from oak_sled.desk.work.session import Session


class FormulaEditor(QWidget):
    """Edits a formula of the craft on the bench. While it is typed, the drill re-runs with every text that can be read;
    one that cannot is said with its column, and the last good one stays in force."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.law: Law | None = None
        self.place: Place | None = None
        self._seen = ""
        """The text of the formula when it was shown last."""
        self.setObjectName("formula")
        self.buttons: dict[str, QPushButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(3)
        for build in (self._build_head, self._build_text, self._build_numbers):
            build(column)
        self._changes = ""
        self.dials: dict[str, DialWidget] = {}
        self._shown: tuple[object, ...] = ()
        self.restyle()

    def _build_head(self, column: QVBoxLayout) -> None:
        """The name, what follows it, and the buttons."""
        head = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setObjectName("desk_name")
        self.name.setMaxLength(40)
        self.name.setMaximumWidth(170)
        self.name.setToolTip("the name of this formula; the parts that follow it stay with it")
        self.name.editingFinished.connect(self._rename)
        head.addWidget(self.name)
        self.of = QLabel()
        self.of.setFont(theme.font(10))
        head.addWidget(self.of, 1)
        says = "numbers of this craft that its formulas can name, each a dial"
        self._button(head, "number", says, self.show_number_menu)
        self._button(head, "remove", "remove this formula; what followed it takes its built-in law", self.remove)
        column.addLayout(head)

    def _build_text(self, column: QVBoxLayout) -> None:
        """The line of the formula, and what is wrong with it or may stand in it."""
        self.text = QLineEdit()
        self.text.setObjectName("formula_text")
        self.text.setMinimumHeight(28)
        self.text.setStyleSheet(f"font-size: {theme.READING}px;")  # round and square brackets are told apart
        self.text.setPlaceholderText("for example 8 [kN/m] * (reach - gap)")
        self.text.textEdited.connect(self._typed)
        self.text.editingFinished.connect(self._finished)
        column.addWidget(self.text)
        self.says = QLabel()
        self.says.setFont(theme.font(theme.SMALL))
        self.says.setTextFormat(Qt.TextFormat.PlainText)
        self.says.setMinimumHeight(16)
        for label in (self.of, self.says):  # words never widen the pane
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        column.addWidget(self.says)

    def _build_numbers(self, column: QVBoxLayout) -> None:
        """The dials of the numbers, and the line in which one is written."""
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(12)
        inner = QWidget()
        inner.setObjectName("panel")
        inner.setLayout(self.grid)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setWidget(inner)
        column.addWidget(self.area)
        self.entry = QLineEdit()
        self.entry.setObjectName("number_text")
        self.entry.setPlaceholderText(lawbook.EXAMPLE)
        self.entry.setToolTip("name = value unit, and the stretch of its dial: Return takes it")
        self.entry.returnPressed.connect(self._entered)
        self.entry.hide()
        column.addWidget(self.entry)

    def _button(self, row: QHBoxLayout, words: str, tip: str, action: Callable[[], object]) -> None:
        button = QPushButton(words)
        button.setObjectName("desk")
        button.setMinimumHeight(24)
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False: action())
        row.addWidget(button)
        self.buttons[words] = button

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.area.setStyleSheet(f"QScrollArea, QWidget#panel {{ background: {theme.colour('strip').name()}; }}")
        self.of.setStyleSheet(f"color: {theme.colour('desk_soft').name()};")
        self._tell()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), theme.colour("strip"))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._tell()

    # showing

    def show_law(self, law: Law | None, place: Place | None) -> None:
        """Shows a formula of a place, or none."""
        self.setVisible(law is not None)
        if law is None or place is None:
            self.law, self.place = None, None
            return
        if self.law is None or self.law.id != law.id or law.text != self._seen:
            # what cannot be read stays to be mended, until the formula itself is another: by Undo, or chosen
            if self.text.text() != law.text:
                self.text.setText(law.text)
                self.text.setCursorPosition(0)
            self.name.setText(law.id)
        self.law, self.place, self._seen = law, place, law.text
        self._tell()
        self._show_numbers()

    def _tell(self) -> None:
        """Tells the error of the text; else what may stand in it."""
        if self.law is None or self.place is None:
            return
        followers = laws.follows(self.session.craft, self.law.id)
        counted = ", ".join(part.heading for part in followers) or "no part yet"
        self.of.setText(f"{self.place.title} · followed by {counted}")
        fault = laws.fault_in(self.session.craft, self.place, self.text.text())
        tone = "good_light" if fault is None else "warning_light"
        self.says.setStyleSheet(f"color: {theme.colour(tone).name()};")
        if fault is None:
            known = ", ".join(f"{one.name} [{one.unit}]" if one.unit else one.name for one in self.place.quantities)
            numbers = ", ".join(number.id for number in self.session.craft.numbers)
            said = f"{known}{'; ' + numbers if numbers else ''}; {', '.join(FUNCTIONS)}, table, pi"
        else:
            said = str(fault)
        self.says.setText(theme.elide(said, max(self.width() - 24, 200), self.says.font()))
        self.says.setToolTip(theme.in_tip(said))
        self.text.setProperty("wrong", "true" if fault is not None else "false")
        style = self.text.style()
        if style is not None:
            style.polish(self.text)

    def _show_numbers(self) -> None:
        numbers = self.session.craft.numbers
        look = (self.session.craft_path, *((number.id, number.unit) for number in numbers))
        if look != self._shown:
            self._shown = look
            while (old := self.grid.takeAt(0)) is not None:
                widget = old.widget()
                if widget is not None:
                    widget.hide()
                    widget.deleteLater()
            self.dials = {}
            for place, number in enumerate(numbers):
                self.grid.addWidget(self._dial(number), place // 3, place % 3)
            self.area.setFixedHeight(HEIGHT * min(2, -(-len(numbers) // 3)) + (6 if numbers else 0))
            self.area.setVisible(bool(numbers))
        for number in numbers:
            self.dials[number.id].show_value(_dial_of(number), number.value)

    def _dial(self, number: Number) -> DialWidget:
        path = f"{self.session.craft_path}.numbers.{number.id}.value"
        widget = sessiondial.dial_at(self.session, _dial_of(number), number.value, path, number.id)
        widget.setObjectName(f"number_{number.id}")
        self.dials[number.id] = widget
        return widget

    # edits

    def _typed(self, text: str) -> None:
        self._tell()
        if self.law is None or self.place is None:
            return
        if laws.fault_in(self.session.craft, self.place, text) is None:
            self.session.preview(f"{self.session.craft_path}.laws.{self.law.id}.text", text)

    def _finished(self) -> None:
        """One step of history for what was typed, as far as it could be read."""
        if self.law is not None and self.session.is_previewing:
            self.session.commit(f"formula {self.law.heading}")

    def _rename(self) -> None:
        law, wanted = self.law, self.name.text().strip().lower().replace(" ", "_")
        if law is None or wanted == law.id:
            return
        craft = self.session.craft
        self.law = law.model_copy(update={"id": wanted})  # the next time it is shown it is the same one
        yard = self.session.yard
        if not self.session.attempt(lambda: lawbook.renamed_law(yard, craft, law.id, wanted), "rename formula"):
            self.law = law
            self.name.setText(law.id)

    def show_number_menu(self) -> None:
        """A number more, or one of those that are there: another name, unit or stretch, or gone."""
        menu = QMenu(self)
        menu.addAction("New number...", lambda: self.write_number(None))
        for number in self.session.craft.numbers:
            menu.addAction(f"Change {lawbook.written(number)}", lambda number=number: self.write_number(number))
        for number in self.session.craft.numbers:
            menu.addAction(f"Remove {number.id}", lambda number=number: self.remove_number(number))
        menu.exec(self.buttons["number"].mapToGlobal(self.buttons["number"].rect().bottomLeft()))
        menu.deleteLater()

    def write_number(self, number: Number | None) -> None:
        """Opens the line in which a number is written: a new one, or one that changes."""
        self._changes = "" if number is None else number.id
        self.entry.setText("" if number is None else lawbook.written(number))
        self.entry.show()
        self.entry.setFocus()

    def _entered(self) -> None:
        text = self.entry.text()
        yard, craft, old = self.session.yard, self.session.craft, self._changes
        if self.session.attempt(
            lambda: lawbook.with_number(yard, craft, lawbook.number_of(text), old),
            f"number {text.split('=')[0].strip()}",
            card=False,
        ):
            self.entry.hide()

    def remove_number(self, number: Number) -> None:
        """Removes a number; one that a formula names stays, and that is said."""
        left = tuple(one for one in self.session.craft.numbers if one.id != number.id)
        self.session.edit(f"{self.session.craft_path}.numbers", left, f"remove number {number.id}")

    def remove(self) -> None:
        """Removes the formula; parts that followed it take their built-in law."""
        law = self.law
        if law is not None:
            self.session.attempt(
                lambda: lawbook.without_law(self.session.yard, self.session.craft, law.id),
                f"remove formula {law.heading}",
            )


def _dial_of(number: Number) -> Dial:
    """The dial of a number, called by its name."""
    return replace(next(one for one in dials(number) if one.name == "value"), title=number.id.replace("_", " "))
