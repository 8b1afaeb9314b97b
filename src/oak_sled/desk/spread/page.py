"""The page Spread: variants computed beside the window, seen as a map, a trade-off and what matters, and taken."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from oak_sled.core.documents import document
from oak_sled.core.documents.craft import free_name
from oak_sled.core.documents.spreads import Scatter, Spread, SpreadAxis, SpreadResults
from oak_sled.core.documents.yard import Yard
from oak_sled.core.kernel.state import Floats
from oak_sled.core.results import measures
from oak_sled.core.study import maps, spread, variants
from oak_sled.desk import theme
from oak_sled.desk.background import Background
from oak_sled.desk.session import Session
from oak_sled.desk.spread import exports, menus
from oak_sled.desk.spread.axisbar import AxisBar
from oak_sled.desk.spread.beside import SideBySide
from oak_sled.desk.spread.computing import Answers, SpreadComputing
from oak_sled.desk.spread.mapview import SpreadMap
from oak_sled.desk.spread.sensing import SensingPicture
from oak_sled.desk.spread.tradeoff import TradeOff
from oak_sled.desk.yardview.renderer import Renderer

SIDE = 430
EMPTY = """Nothing is varied yet.

Right-click any dial on the bench and choose "Vary this in a spread",
or press "spreads" above and begin with a dial of this craft."""


class SpreadPage(QWidget):
    """Follows the session: its yard keeps the spreads. Signals: dial_wanted(path) when the eye should go to a
    dial."""

    dial_wanted = pyqtSignal(str)

    def __init__(
        self,
        session: Session,
        background: Background,
        ask: Callable[[str, bool, Answers], None],
        renderer: Renderer | None,
    ):
        super().__init__()
        self.beside = SideBySide(session, renderer)
        self.setObjectName("page")
        self.session, self.background = session, background
        self.chosen = ""
        self.measure = 0
        self.less: dict[str, bool] = {}
        """Whether less of a measure is better, where the user said so."""
        self.computing = SpreadComputing(session, background, ask, self)
        self._lay_out()
        self.computing.changed.connect(lambda: self.refresh() if self.isVisible() else None)
        session.yard_changed.connect(lambda _: self.refresh() if self.isVisible() else None)
        session.run_changed.connect(lambda: self.refresh() if self.isVisible() else None)
        background.changed.connect(self._show_buttons)

    # building

    def _lay_out(self) -> None:
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 2, 8, 2)
        bar.setSpacing(4)
        self.which = menus.menu_button("which spread is shown", functools.partial(menus.fill_which, self))
        self.of = menus.menu_button("the measure that is drawn", functools.partial(menus.fill_measures, self))
        self.varied = menus.menu_button("what is varied, and disturbances", functools.partial(menus.fill_varied, self))
        for one in (self.which, self.of, self.varied):
            bar.addWidget(one)
        self.compute_button = menus.button("compute", "run every variant", self.compute)
        self.matters_button = menus.button(
            "what matters", "every dial of the craft, 10 % up and down", self.computing.sense
        )
        bar.addWidget(self.compute_button)
        bar.addWidget(self.matters_button)
        self.beside_button = menus.button(
            "side by side", "variants of the grid, moving beside one another", self.turn_over
        )
        self.beside_button.setCheckable(True)
        bar.addWidget(self.beside_button)
        self.words = QLabel()
        self.words.setFont(theme.font(theme.SMALL))
        bar.addWidget(self.words, 1)
        for words, tip, action in (
            ("CSV...", "the results as a table", functools.partial(exports.ask_csv, self)),
            ("picture...", "the map as a PNG", functools.partial(exports.ask_picture, self)),
            ("remove", "remove this spread from the yard", self.remove),
        ):
            bar.addWidget(menus.button(words, tip, action))
        self.map = SpreadMap()
        self.axes = AxisBar(self.session)
        self.axes.edited.connect(self._edit_axis)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.faces = QStackedWidget()
        self.faces.addWidget(self.map)
        self.faces.addWidget(self.beside)
        column.addWidget(self.faces, 1)
        column.addWidget(self.axes)
        self.trade = TradeOff()
        self.sensing = SensingPicture()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(self.sensing)
        right = QSplitter(Qt.Orientation.Vertical)
        right.setHandleWidth(2)
        right.addWidget(self.trade)
        right.addWidget(area)
        right.setSizes([300, 340])
        right.setMinimumWidth(320)
        self.split = split = QSplitter(Qt.Orientation.Horizontal)
        split.setHandleWidth(2)
        split.setChildrenCollapsible(False)
        split.addWidget(left)
        split.addWidget(right)
        split.setSizes([1280 - SIDE, SIDE])
        split.setStretchFactor(0, 1)
        self.empty = QLabel(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(bar)
        whole.addWidget(split, 1)
        whole.addWidget(self.empty, 1)
        self.map.taken.connect(self.take)
        self.trade.taken.connect(self.take)
        self.map.looked.connect(self.trade.mark)
        self.beside.taken.connect(self.take)
        self.beside.looked.connect(self.trade.mark)
        self.trade.looked.connect(self.map.look)
        self.sensing.chosen.connect(self.dial_wanted)

    # what is shown

    @property
    def plan(self) -> Spread | None:
        """The spread that is shown."""
        found = [one for one in self.session.yard.spreads if one.id == self.chosen]
        return found[0] if found else next(iter(self.session.yard.spreads), None)

    def values(self) -> Floats:
        """The values that are there so far, shape (variants, 1 + repeats, measures)."""
        plan = self.plan
        assert plan is not None
        if self.computing.values is not None and self.computing.plan == plan.replace(results=None):
            return self.computing.values
        return spread.arrays_of(plan)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Shows the spread as it is, and where the yard now lies in it."""
        plan, yard = self.plan, self.session.yard
        self.split.setVisible(plan is not None)
        self.empty.setVisible(plan is None)
        self.axes.show_plan(plan)
        self._show_buttons()
        if plan is None:
            self.which.setText("spreads")
            self.map.show_spread(yard, None, None, 0, np.zeros((0, 1, 1)), None, True)
            return
        self.chosen = plan.id
        self.measure = min(self.measure, len(plan.measures) - 1)
        self.which.setText(theme.in_menu(f"{plan.heading} · {yard.drill(variants.drill_of(yard, plan)).heading}"))
        crafts = [craft.id for craft in yard.crafts]
        known = [measures.measure(name, crafts) for name in plan.measures]
        self.of.setText(f"map of {known[self.measure].title}" if len(plan.axes) == 2 else known[self.measure].title)
        repeats = plan.scatter.repeats
        self.varied.setText(f"{plan.runs} runs" + (f", {repeats} repeats" if repeats else ""))
        values = self.values()
        met = maps.met(yard.drill(variants.drill_of(yard, plan)), plan, values)
        fresh = self.computing.plan is not None or spread.is_current(yard, plan)
        self.map.show_spread(yard, plan, known[self.measure], self.measure, values, met, fresh)
        self._show_trade(plan, values)
        found = self.computing.sensed[2] if self.computing.sensed is not None else None
        self.sensing.show_found(found, plan.measures)
        self.run_beside()

    def _show_trade(self, plan: Spread, values: Floats) -> None:
        if len(plan.measures) < 2:
            self.trade.show_measures(plan, None, np.zeros(0), np.zeros(0), (True, True), -1)
            return
        other = 0 if self.measure else 1
        crafts = [craft.id for craft in self.session.yard.crafts]
        known = (measures.measure(plan.measures[self.measure], crafts), measures.measure(plan.measures[other], crafts))
        x, y = (maps.grid_of(plan, place, values).reshape(-1) for place in (self.measure, other))
        now = variants.now_in(self.session.yard, plan)
        number = -1
        if now is not None:
            number = int(np.ravel_multi_index([round(place) for place in now], plan.shape))
        less = (self.is_less_better(known[0].name), self.is_less_better(known[1].name))
        self.trade.show_measures(plan, known, x, y, less, number)

    def is_less_better(self, name: str) -> bool:
        """Whether less of a measure is better: as the user said, as a target says, or less."""
        if name in self.less:
            return self.less[name]
        target = next((one for one in self.session.drill.targets if one.measure == name), None)
        return target is None or target.high is not None or target.low is None

    def _show_buttons(self) -> None:
        plan = self.plan
        for button in (self.of, self.varied, self.compute_button):
            button.setVisible(plan is not None)
        self.compute_button.setEnabled(self.computing.plan is None)
        done, of = self.background.progress
        says = f"{done} of {of} runs" if self.computing.plan is not None and of else ""
        if self.computing.plan is None and plan is not None and plan.results is None:
            says = f"{plan.variants} variants, not computed yet"
        self.words.setText(says)

    # edits

    def change(self, plan: Spread, label: str = "spread") -> bool:
        """Puts a changed spread into the yard, as one step of history."""
        kept = self.session.yard.spreads
        places = [one.id for one in kept]
        spreads = tuple(plan if one.id == plan.id else one for one in kept)
        made = spreads if plan.id in places else (*kept, plan)
        return self.session.attempt(lambda: self.session.yard.edit("spreads", made), label, card=False)

    def _edit(self, make: Callable[[Spread], Spread], label: str) -> None:
        """Changes what is varied or read: what came out before is of another plan."""
        plan = self.plan
        if plan is not None:
            self.session.attempt(lambda: self.session.yard.edit("spreads", self._with(make(plan))), label, card=False)

    def _with(self, plan: Spread) -> tuple[Spread, ...]:
        return tuple(plan if one.id == plan.id else one for one in self.session.yard.spreads)

    def disturb(self, scatter: Scatter) -> None:
        """Changes how each variant is disturbed."""
        self._edit(lambda plan: plan.replace(scatter=scatter, results=None), "spread scatter")

    def turn_better(self) -> None:
        """Less of the measure that is drawn is better, or more."""
        plan = self.plan
        if plan is not None:
            name = plan.measures[self.measure]
            self.less[name] = not self.is_less_better(name)
            self.refresh()

    def choose(self, name: str) -> None:
        """Shows one of the spreads of the yard."""
        self.chosen = name
        self.refresh()

    def draw(self, place: int) -> None:
        """Draws another of its measures."""
        self.measure = place
        self.refresh()

    def begin(self, path: str) -> None:
        """Begins a spread with a dial of the bench."""
        self.begin_with(lambda: variants.axis_about(self.session.yard, path))

    def begin_with(self, axis: Callable[[], SpreadAxis]) -> None:
        """Begins a spread over an axis, and computes it."""
        yard = self.session.yard
        name = free_name("spread", yard.spreads)

        def make() -> Yard:
            plan = variants.plan_over(yard, axis(), name, self.session.craft.id)
            return yard.edit("spreads", (*yard.spreads, plan))

        if self.session.attempt(make, "new spread", card=False):
            self.chosen, self.measure = name, 0
            self.refresh()
            self.compute()

    def vary(self, path: str, beside: bool) -> None:
        """Varies a dial: beside the only one of the spread that is shown, or in a new spread."""
        plan = self.plan
        if beside and plan is not None and len(plan.axes) == 1 and plan.axes[0].path != path:
            self.vary_beside(path)
        else:
            self.begin(path)

    def vary_beside(self, path: str) -> None:
        """Makes a dial the second axis of the spread."""
        yard = self.session.yard

        def make(plan: Spread) -> Spread:
            first = plan.axes[0]
            count = min(len(first.values), 24)
            axes = (first, variants.axis_about(yard, path, count))
            return document.checked(Spread, {**plan.model_dump(), "axes": axes, "results": None})

        self._edit(make, "vary beside it")
        self.compute()

    def _edit_axis(self, place: int, fields: dict[str, Any]) -> None:
        def make(plan: Spread) -> Spread:
            axes = [axis.model_dump() for axis in plan.axes]
            axes[place] |= fields
            return document.checked(Spread, {**plan.model_dump(), "axes": axes, "results": None})

        self._edit(make, "spread axis")

    def add_measure(self, name: str) -> None:
        """Reads one more measure, and draws it."""
        plan = self.plan
        if plan is not None:
            drill = self.session.yard.drill(variants.drill_of(self.session.yard, plan))
            names = (*plan.measures, measures.asked_of(drill, name))
            self._edit(lambda old: old.replace(measures=names, results=None), "spread measure")
            self.measure = len(names) - 1
            self.compute()

    def drop_measure(self) -> None:
        """Reads the measure that is drawn no more."""
        plan = self.plan
        if plan is not None and len(plan.measures) > 1:
            place = self.measure
            values = spread.arrays_of(plan)
            left = tuple(name for k, name in enumerate(plan.measures) if k != place)
            kept = np.delete(values, place, axis=2).reshape(-1)
            bare = plan.replace(measures=left, results=None)
            results = None
            if plan.results is not None:
                flat = tuple(None if np.isnan(value) else float(value) for value in kept)
                fresh = spread.is_current(self.session.yard, plan)
                made_of = spread.digest_of(self.session.yard, bare) if fresh else ""
                results = SpreadResults(made_of=made_of, values=flat)
            self._edit(lambda old: bare.replace(results=results), "spread measure")

    def remove(self) -> None:
        """Takes the spread out of the yard."""
        plan = self.plan
        if plan is not None:
            left = tuple(one for one in self.session.yard.spreads if one.id != plan.id)
            self.session.attempt(lambda: self.session.yard.edit("spreads", left), "remove spread", card=False)

    def take(self, number: int) -> None:
        """Takes the settings of a variant: one edit, and a card."""
        plan, yard = self.plan, self.session.yard
        if plan is not None:
            label = f"spread: {variants.words_of(yard, plan, number)}"[:80]
            self.session.attempt(lambda: variants.taken(yard, plan, number), label)

    def turn_over(self) -> None:
        """Shows the map, or the variants side by side."""
        shown = self.faces.currentWidget() is self.map
        self.faces.setCurrentWidget(self.beside if shown else self.map)
        self.beside_button.setChecked(shown)
        self.run_beside()

    def run_beside(self) -> None:
        """Runs the variants that stand side by side, while they are in sight."""
        if self.plan is not None and self.faces.currentWidget() is self.beside:
            self.computing.run_beside(self.plan, self.beside)

    def compute(self) -> None:
        """Computes the spread that is shown."""
        plan = self.plan
        if plan is not None:
            self.computing.compute(plan)

    def restyle(self) -> None:
        """Takes the colours of the theme."""
        self.axes.restyle()
        self.refresh()
