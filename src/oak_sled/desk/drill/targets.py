"""Targets of a drill by hand: added from what the run shows, typed, removed."""

from __future__ import annotations

import re
from functools import partial

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QMenu, QPushButton, QWidget

from oak_sled.core.base import units
from oak_sled.core.base.faults import refuse
from oak_sled.core.results import measures
from oak_sled.core.yard.drill import Target
from oak_sled.desk.drawing.numberpanel import WIDTH, NumberPanel
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session

NEAR = 0.05
"""Share of the value to either side of it, of a band about what the run shows."""


WEIGHTS = (0.0, 0.5, 1.0, 2.0, 4.0)
"""Weights of a target that are offered."""


class Targets:
    """Fills the menu of targets, and takes what is typed in place. page : over which the line to type in opens."""

    def __init__(self, session: Session, page: QWidget):
        self.session = session
        self._number = -1
        self.line = QLineEdit(page)
        self.line.setObjectName("entry")
        self.line.setPlaceholderText("at least 12 · at most 16 · 12 to 16")
        self.line.resize(260, 30)
        self.line.returnPressed.connect(self._take)
        self.line.installEventFilter(_Closer(self.line))
        self.line.hide()
        accessibility.describe(self.line, "band of a target")
        self.rows: list[QPushButton] = []
        """The targets in the column of numbers."""
        session.shown.run_changed.connect(self.show_verdicts)

    @property
    def _now(self) -> tuple[Target, ...]:
        return self.session.drill.targets

    def fill(self, menu: QMenu) -> None:
        """The targets there are, and one more for each measure that the run shows."""
        for number, target in enumerate(self._now):
            words = measures.known(target.measure).title
            menu.addAction(theme.in_menu(f"{words}: type its band..."), partial(self.type_in, number))
            menu.addAction(theme.in_menu(f"{words}: remove this target"), partial(self.remove, number))
            counts = menu.addMenu(theme.in_menu(f"{words}: counts {target.weight:g} where it is tuned"))
            for weight in WEIGHTS:
                if counts is not None:
                    counts.addAction(f"{weight:g}", partial(self.weigh, number, weight))
        menu.addSeparator()
        taken = {target.measure for target in self._now}
        for name, value in self.session.shown.found.items():
            if value is None or name in taken or "@" in name:
                continue
            known = measures.known(name)
            inner = menu.addMenu(theme.in_menu(f"{known.title}: {units.plain(value, known.unit, 3)} now"))
            if inner is not None:
                for what in ("at least", "at most", "about"):
                    inner.addAction(f"{what} this", partial(self.add, name, what))

    def put_on(self, numbers: NumberPanel) -> None:
        """Puts every target on the column of numbers; a click types its band."""
        self.rows = []
        if self._now:
            numbers.add_label("targets")
        for number in range(len(self._now)):
            row = numbers.add_button("", "", partial(self.type_in, number))
            row.setStyleSheet("text-align: left;")
            self.rows.append(row)
        self.show_verdicts()

    def show_verdicts(self) -> None:
        """Says of each target whether the run shown meets it."""
        if len(self.rows) != len(self._now):
            return  # they are put on anew
        for row, verdict in zip(self.rows, measures.judge(self.session.drill, self.session.shown.found), strict=True):
            known = measures.known(verdict.target.measure)
            band = f"{signs(verdict.target, known.unit)} · {'met' if verdict.met else 'missed'}"
            small = theme.font(theme.SMALL)
            title = theme.elide(known.title, WIDTH - 44 - theme.width(band, small), small)
            row.setText(f"{title} {band}")
            row.setToolTip(theme.in_tip(f"{verdict.words()}; press to type its band"))
            row.setAccessibleName(verdict.words())

    def add(self, name: str, what: str) -> None:
        """One target more: at least, at most or about the value that the run shows."""
        value = self.session.shown.found.get(name)
        if value is None:
            return
        rounded = float(f"{value:.3g}")
        wide = NEAR * abs(rounded)
        bounds = {
            "at least": {"low": rounded},
            "at most": {"high": rounded},
            "about": {"low": float(f"{rounded - wide:.4g}"), "high": float(f"{rounded + wide:.4g}")},
        }
        made = Target.model_validate({"measure": name, **bounds[what]})
        self._edit((*self._now, made), f"target: {measures.known(name).title}")

    def remove(self, number: int) -> None:
        """One target less."""
        left = tuple(one for k, one in enumerate(self._now) if k != number)
        self._edit(left, "remove target")

    def weigh(self, number: int, weight: float) -> None:
        """A target counts so much beside the others, where the craft is tuned."""
        made = tuple(one.replace(weight=weight) if k == number else one for k, one in enumerate(self._now))
        self._edit(made, "weight of a target")

    def type_in(self, number: int) -> None:
        """Opens a line to type the band of a target in."""
        target = self._now[number]
        self._number = number
        self.line.setText(written(target))
        page = self.line.parentWidget()
        self.line.move(max((page.width() - self.line.width()) // 2 if page is not None else 0, 0), 40)
        self.line.show()
        self.line.raise_()
        self.line.selectAll()
        self.line.setFocus(Qt.FocusReason.OtherFocusReason)

    def _take(self) -> None:
        target, number = self._now[self._number], self._number

        def make() -> tuple[Target, ...]:
            unit = measures.known(target.measure).unit
            low, high = (None if end is None else units.in_use().taken(end, unit) for end in read(self.line.text()))
            changed = target.replace(low=low, high=high)
            return tuple(changed if k == number else one for k, one in enumerate(self._now))

        path = f"drills.{self.session.drill.id}.targets"
        if self.session.attempt(lambda: self.session.yard.edit(path, make()), "band of a target"):
            self.line.hide()

    def _edit(self, targets: tuple[Target, ...], label: str) -> None:
        self.session.edit(f"drills.{self.session.drill.id}.targets", targets, label)


class _Closer(QWidget):
    """Hides a line on Escape, and when the focus leaves it."""

    def __init__(self, line: QLineEdit):
        super().__init__(line)
        self.hide()

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        """Takes Escape for the line alone."""
        escaped = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape
        if isinstance(watched, QLineEdit) and event is not None and (escaped or event.type() == QEvent.Type.FocusOut):
            watched.hide()
            return escaped
        return False


def signs(target: Target, unit: str) -> str:
    """The band of a target with its unit, short."""
    if target.low is not None and target.high is not None:
        return units.bounds(target.low, target.high, unit).replace(" to ", " … ")
    bound = target.low if target.low is not None else target.high or 0.0
    return f"{'≥' if target.low is not None else '≤'} {units.plain(bound, unit)}"


def written(target: Target) -> str:
    """The band of a target as it is typed, in the unit that its measure is shown in."""
    unit = measures.known(target.measure).unit
    low, high = (None if end is None else units.tick(end, unit) for end in (target.low, target.high))
    if low is not None and high is not None:
        return f"{low} to {high}"
    return f"at least {low}" if low is not None else f"at most {high}"


def read(text: str) -> tuple[float | None, float | None]:
    """The least and the greatest of a band as it is typed; raises `Refused`."""
    number = r"([-+]?[0-9.]+(?:e[-+]?[0-9]+)?)"
    words = text.strip().lower()
    for pattern, sides in ((rf"at least {number}", "low"), (rf"at most {number}", "high")):
        found = re.fullmatch(pattern, words)
        if found:
            value = float(found.group(1))
            return (value, None) if sides == "low" else (None, value)
    found = re.fullmatch(rf"{number} to {number}", words)
    if found and float(found.group(1)) <= float(found.group(2)):
        return float(found.group(1)), float(found.group(2))
    raise refuse("target", f"{text.strip()!r} is no band", "at least 12, at most 16, or 12 to 16")
