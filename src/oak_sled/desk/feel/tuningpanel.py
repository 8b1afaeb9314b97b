"""The tuning beside the words: what is wished for, how it gets on, and what came of it."""

from __future__ import annotations

import functools

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.feel import explained, telling
from oak_sled.desk.drill import fitting
from oak_sled.desk.feel.tuning import Tuning
from oak_sled.desk.feel.tuningpictures import Curve, Moves
from oak_sled.desk.widgets import buttons, theme

WIDE = 344


class TuningPanel(QWidget):
    """The right column of the page."""

    def __init__(self, tuning: Tuning, parent: QWidget | None = None):
        super().__init__(parent)
        self.tuning = tuning
        self.setFixedWidth(WIDE)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        self.head = QLabel()
        self.head.setFont(theme.font(theme.READING, bold=True))
        self.head.setWordWrap(True)
        column.addWidget(self.head)
        self.weights = buttons.with_menu("how much each word counts", self._fill_weights, "quiet")
        self.weights.setText("weights")
        self.dials = buttons.with_menu("which dials may move; locked ones never do", self._fill_dials, "quiet")
        row = QHBoxLayout()
        row.setSpacing(2)
        row.addWidget(self.dials)
        row.addWidget(self.weights)
        row.addStretch(1)
        column.addLayout(row)
        self.targets = buttons.with_menu("drills whose targets should be met as well", self._fill_targets, "quiet")
        column.addWidget(self.targets, 0, Qt.AlignmentFlag.AlignLeft)
        self.steady = QCheckBox("hold under disturbances")
        self.steady.setToolTip("friction, mass, start and delay are off by a little in further repeats of every try")
        self.steady.toggled.connect(self._set_steady)
        self.steady.setMinimumHeight(24)
        column.addWidget(self.steady)
        self.go = QPushButton("tune")
        self.go.setObjectName("go")
        self.go.setMinimumHeight(32)
        self.go.clicked.connect(lambda _=False: self._press())
        column.addWidget(self.go)
        self.says = QLabel()
        self.says.setWordWrap(True)
        self.says.setFont(theme.font(theme.SMALL))
        column.addWidget(self.says)
        self.curve = Curve(tuning)
        self.curve.taken.connect(lambda point: tuning.take_yard(point.yard, "a point of the trade-off"))
        column.addWidget(self.curve)
        self.take = QPushButton("take it")
        self.take.setObjectName("plain")
        self.take.setToolTip("these moves as one step that can be undone, with a card on the shelf")
        self.take.setMinimumHeight(28)
        self.take.clicked.connect(lambda _=False: tuning.take())
        self.fights = buttons.with_menu("terms that cost each other: their trade-off", self._fill_fights, "quiet")
        self.fights.setText("what fights")
        self.parts = buttons.with_menu("parts that would help, each tried", self._fill_parts, "quiet")
        self.parts.setText("which part would help")
        last = QHBoxLayout()
        last.setSpacing(2)
        for button in (self.take, self.fights, self.parts):
            last.addWidget(button)
        last.addStretch(1)
        column.addLayout(last)
        self.moves = Moves(tuning)
        self.moves.chosen.connect(tuning.choose)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.moves)
        column.addWidget(area, 1)
        tuning.changed.connect(self.tell)
        self.tell()

    def tell(self) -> None:
        """Shows it as it is now."""
        tuning = self.tuning
        wished = [word.replace("_", " ") for word in tuning.weights]
        self.head.setText(f"Tune towards {' and '.join(wished)}" if wished else "Tune")
        asking = tuning.asking()
        self.targets.setVisible(bool(tuning.able()))
        which = asking[0].heading if len(asking) == 1 else f"{len(asking)} drills"
        short = theme.elide(which, WIDE - 90, theme.font(theme.SMALL))
        self.targets.setText(f"and targets of {short}" if asking else "no targets of drills")
        asked = bool(wished) or bool(asking)
        self.go.setText("stop, and keep the best" if tuning.is_on else "tune")
        self.go.setEnabled(asked or tuning.is_on)
        self.weights.setVisible(len(wished) + len(asking) > 1)
        self.dials.setText(f"{len(tuning.dials)} dials may move" if tuning.dials else "every free dial may move")
        told, progress = tuning.told, tuning.progress
        words = ""
        if tuning.is_on:
            words = (
                "begins..."
                if progress is None
                else f"{progress.phase}: {progress.tries} tries, " + (f"{progress.met} of {progress.terms} met")
            )
        elif told is not None:
            words = self._ended()
        elif progress is not None:
            words = f"cancelled after {progress.tries} tries: the best of them meets {progress.met} of {progress.terms}"
        self.says.setText(words)
        done = told is not None and not tuning.is_on
        cut_short = told is None and progress is not None and not tuning.is_on
        some = cut_short or (done and bool(tuning.looked_at and tuning.looked_at.moves))
        self.take.setVisible(some and not tuning.is_taken())
        self.fights.setVisible(done and told is not None and bool(told.fights))
        self.parts.setVisible(done and told is not None and not told.tuned.is_met)
        self.curve.tell()
        self.moves.tell()

    def _ended(self) -> str:
        told = self.tuning.told
        assert told is not None
        tuned = told.tuned
        how = {
            "met": "all of it is met", "stalled": "no better is found", "tries": "the tries are used up",
            "stopped": "stopped",
        }[tuned.ended]  # fmt: skip
        line = f"{tuned.tries} tries: {how}."
        if tuned.missed:
            first = tuned.missed[0]
            value = tuned.values.get(first.band.name)
            shown = "is not shown" if value is None else telling.value_of(first.band, value)
            line += f" Farthest off: {first.title} {shown}, wanted {telling.wanted(first.band)}."
        return line

    def _press(self) -> None:
        if self.tuning.is_on:
            self.tuning.stop()
        else:
            self.tuning.begin()

    def _fill_targets(self, menu: QMenu) -> None:
        for drill in self.tuning.able():
            words = f"{drill.heading}: {len(drill.targets)} target{'' if len(drill.targets) == 1 else 's'}"
            action = menu.addAction(theme.in_menu(words), functools.partial(self._flip_drill, drill.id))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(drill.id in self.tuning.drills)

    def _flip_drill(self, name: str) -> None:
        if self.tuning.drills.pop(name, None) is None:
            self.tuning.drills[name] = 1.0
        self.tuning.changed.emit()

    def _set_steady(self, on: bool) -> None:
        self.tuning.steady = on

    def _fill_weights(self, menu: QMenu) -> None:
        asking = {drill.id: self.tuning.drills[drill.id] for drill in self.tuning.asking()}
        for weights, shown in ((self.tuning.weights, self.tuning.weights), (self.tuning.drills, asking)):
            for name, weight in shown.items():
                inner = menu.addMenu(theme.in_menu(f"{name.replace('_', ' ')}: {weight:g}"))
                for one in (0.5, 1.0, 2.0, 4.0):
                    if inner is not None:
                        inner.addAction(f"{one:g}", functools.partial(self._weigh, weights, name, one))

    def _weigh(self, weights: dict[str, float], name: str, weight: float) -> None:
        weights[name] = weight
        self.tuning.changed.emit()

    def _fill_dials(self, menu: QMenu) -> None:
        menu.addAction("every free dial", lambda: self._choose_dials(()))
        menu.addSeparator()
        for name, paths in fitting.by_part(self.tuning.session).items():
            action = menu.addAction(theme.in_menu(name), functools.partial(self._flip_dials, paths))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(set(paths) <= set(self.tuning.dials))

    def _choose_dials(self, paths: tuple[str, ...]) -> None:
        self.tuning.dials = paths
        self.tuning.changed.emit()

    def _flip_dials(self, paths: tuple[str, ...]) -> None:
        now = self.tuning.dials
        left = tuple(path for path in now if path not in paths)
        self._choose_dials(left if len(left) < len(now) else (*now, *paths))

    def _fill_fights(self, menu: QMenu) -> None:
        told = self.tuning.told
        for fight in told.fights[:8] if told is not None else ():
            words = f"{fight.one.title} against {fight.other.title}"
            menu.addAction(theme.in_menu(words), functools.partial(self.tuning.trade, fight))

    def _fill_parts(self, menu: QMenu) -> None:
        helps = self.tuning.helps
        if helps is None:
            menu.addAction("Try every kind of part", self.tuning.seek_parts)
            return
        for one in helps[:8]:
            whole = len(self.tuning.told.tuned.terms) if self.tuning.told is not None else 0
            words = f"fit a {one.title.lower()}: {one.met} of {whole} met"
            take = functools.partial(self.tuning.take_yard, one.yard, f"add {one.title.lower()}")
            menu.addAction(theme.in_menu(words), take)
        if not helps:
            action = menu.addAction(f"no part takes {explained.HELPS:.0%} of what is left")
            if action is not None:
                action.setEnabled(False)
