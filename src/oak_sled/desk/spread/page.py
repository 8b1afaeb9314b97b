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

from oak_sled.core.base import document
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.results import measures
from oak_sled.core.study import maps, spread, variants
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.spreads import Scatter, Spread, SpreadAxis, SpreadCard, SpreadResults
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.spread import exports, menus
from oak_sled.desk.spread.axisbar import AxisBar
from oak_sled.desk.spread.beside import SideBySide
from oak_sled.desk.spread.computing import Answers, SpreadComputing
from oak_sled.desk.spread.firstdials import FirstDials
from oak_sled.desk.spread.mapview import SpreadMap
from oak_sled.desk.spread.sensing import SensingPicture
from oak_sled.desk.spread.tradeoff import TradeOff
from oak_sled.desk.widgets import buttons, theme
from oak_sled.desk.work.background import Background
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.renderer import Renderer

SIDE = 430


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
        """True if less of a measure is better, where the user said so."""
        self.computing = SpreadComputing(session, background, ask, self)
        self._lay_out()
        self.computing.changed.connect(lambda: self.refresh() if self.isVisible() else None)
        session.yard_changed.connect(lambda _: self.refresh() if self.isVisible() else None)
        session.shown.run_changed.connect(lambda: self.refresh() if self.isVisible() else None)
        background.changed.connect(self._show_buttons)

    # building

    def _lay_out(self) -> None:
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(2)
        self.split.setChildrenCollapsible(False)
        self.split.addWidget(self._left())
        self.split.addWidget(self._right())
        self.split.setSizes([1280 - SIDE, SIDE])
        self.split.setStretchFactor(0, 1)
        self.empty = FirstDials(self.session)
        self.empty.chosen.connect(lambda path: self.vary(path, False))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(self._bar())
        whole.addWidget(self.split, 1)
        whole.addWidget(self.empty, 1)
        for view in (self.map, self.trade, self.beside):
            view.taken.connect(self.take)
        for view in (self.map, self.beside):
            view.looked.connect(self.trade.mark)
        self.trade.looked.connect(self.map.look)
        self.sensing.chosen.connect(self.dial_wanted)

    def _bar(self) -> QHBoxLayout:
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 2, 8, 2)
        bar.setSpacing(4)
        self.which = buttons.with_menu("which spread is shown", functools.partial(menus.fill_which, self))
        self.of = buttons.with_menu("the measure that is drawn", functools.partial(menus.fill_measures, self))
        self.varied = buttons.with_menu("what is varied, and disturbances", functools.partial(menus.fill_varied, self))
        self.compute_button = buttons.quiet("compute", "run every variant", self.compute)
        says = "every dial of the craft, 10 % up and down"
        self.matters_button = buttons.quiet("what matters", says, self.sense)
        says = "variants of the grid, moving beside one another"
        self.beside_button = buttons.quiet("side by side", says, self.turn_over)
        self.beside_button.setCheckable(True)
        for one in (
            self.which, self.of, self.varied, self.compute_button, self.matters_button, self.beside_button
        ):  # fmt: skip
            bar.addWidget(one)
        self.words = QLabel()
        self.words.setFont(theme.font(theme.SMALL))
        bar.addWidget(self.words, 1)
        for words, tip, action in (
            ("CSV...", "the results as a table", functools.partial(exports.ask_csv, self)),
            ("picture...", "the map as a PNG", functools.partial(exports.ask_picture, self)),
            ("remove", "remove this spread from the yard", self.remove),
        ):
            bar.addWidget(buttons.quiet(words, tip, action))
        return bar

    def _left(self) -> QWidget:
        """The map, or the variants side by side, above the axes."""
        self.map, self.axes = SpreadMap(), AxisBar(self.session)
        self.axes.edited.connect(self._edit_axis)
        self.faces = QStackedWidget()
        self.faces.addWidget(self.map)
        self.faces.addWidget(self.beside)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.faces, 1)
        column.addWidget(self.axes)
        return left

    def _right(self) -> QWidget:
        """The trade-off above what matters."""
        self.trade, self.sensing = TradeOff(), SensingPicture()
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
        return right

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
        gone = variants.lost(yard, plan) if plan is not None else None
        self.split.setVisible(plan is not None and gone is None)
        self.empty.setVisible(plan is None or gone is not None)
        self.empty.show_words("" if gone is None else str(gone), plan is None)
        self._show_buttons()
        if plan is None or gone is not None:
            self.axes.show_plan(None)
            self.which.setText("spreads" if plan is None else theme.in_menu(plan.heading))
            self.map.show_spread(yard, None, None, 0, np.zeros((0, 1, 1)), None, True)
            self.computing.show_none_beside(self.beside)
            return
        self.axes.show_plan(plan)
        self.chosen = plan.id
        self.measure = min(self.measure, len(plan.measures) - 1)
        self.which.setText(theme.in_menu(f"{plan.heading} · {yard.drill(variants.drill_of(yard, plan)).heading}"))
        crafts = [one.id for craft in yard.crafts for one in craft.singles]
        known = [measures.measure(name, crafts) for name in plan.measures]
        self.of.setText(f"map of {known[self.measure].title}" if len(plan.axes) == 2 else known[self.measure].title)
        repeats = plan.scatter.repeats
        self.varied.setText(f"{plan.runs} runs" + (f", {repeats} repeats" if repeats else ""))
        values = self.values()
        met = maps.met(yard.drill(variants.drill_of(yard, plan)), plan, values)
        fresh = self.computing.plan is not None or spread.is_current(yard, plan)
        self.map.show_spread(yard, plan, known[self.measure], self.measure, values, met, fresh)
        self._show_trade(plan, values)
        heading = yard.drill(variants.drill_of(yard, plan)).heading
        self.sensing.show_found(self.computing.sensed_now(plan), plan.measures, heading)
        self.run_beside()

    def _show_trade(self, plan: Spread, values: Floats) -> None:
        if len(plan.measures) < 2:
            self.trade.show_measures(plan, None, np.zeros(0), np.zeros(0), (True, True), -1)
            return
        other = 0 if self.measure else 1
        crafts = [one.id for craft in self.session.yard.crafts for one in craft.singles]
        known = (measures.measure(plan.measures[self.measure], crafts), measures.measure(plan.measures[other], crafts))
        x, y = (maps.grid_of(plan, place, values).reshape(-1) for place in (self.measure, other))
        now = variants.now_in(self.session.yard, plan)
        number = -1
        if now is not None:
            number = int(np.ravel_multi_index([round(place) for place in now], plan.shape))
        less = (self.is_less_better(known[0].name), self.is_less_better(known[1].name))
        self.trade.show_measures(plan, known, x, y, less, number)

    def is_less_better(self, name: str) -> bool:
        """True if less of a measure is better: as the user said, as a target says, or less."""
        if name in self.less:
            return self.less[name]
        target = next((one for one in self.session.drill.targets if one.measure == name), None)
        return target is None or target.high is not None or target.low is None

    def _show_buttons(self) -> None:
        plan = self.plan
        whole = plan is not None and variants.lost(self.session.yard, plan) is None
        for button in (self.of, self.varied, self.compute_button, self.matters_button, self.beside_button):
            button.setVisible(whole)
        self.compute_button.setEnabled(self.computing.plan is None)
        done, of = self.background.progress
        says = f"{done} of {of} runs" if self.computing.plan is not None and of else ""
        if self.computing.plan is None and plan is not None and plan.results is None:
            says = f"{plan.variants} variants, not computed yet"
        self.words.setText(says)

    # edits

    def change(self, plan: Spread) -> bool:
        """Puts a changed spread into the yard, as one step of history."""
        return self._edit(lambda _: plan, "spread")

    def _edit(self, make: Callable[[Spread], Spread], label: str) -> bool:
        """Changes the spread that is shown, as one step of history; False where that is refused, and said."""
        plan, yard = self.plan, self.session.yard
        if plan is None:
            return False

        def edited() -> Yard:
            made = make(plan)
            return yard.edit("spreads", tuple(made if one.id == plan.id else one for one in yard.spreads))

        return self.session.attempt(edited, label, card=False)

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
        try:
            axis = variants.axis_about(self.session.yard, path)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
        else:
            self.begin_with(axis)

    def begin_with(self, axis: SpreadAxis, cards: tuple[SpreadCard, ...] = ()) -> None:
        """Begins a spread over an axis, and computes it."""
        yard = self.session.yard
        name = free_name("spread", yard.spreads)
        plan = variants.plan_over(yard, axis, name, self.session.craft.id, cards)
        if self.session.attempt(lambda: yard.edit("spreads", (*yard.spreads, plan)), "new spread", card=False):
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

        if self._edit(make, "vary beside it"):
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

    def sense(self) -> None:
        """Computes what matters in the drill of the spread that is shown."""
        if self.plan is not None:
            self.computing.sense(self.plan)

    def compute(self) -> None:
        """Computes the spread that is shown."""
        if self.plan is not None:
            self.computing.compute(self.plan)

    def restyle(self) -> None:
        """In the colours of the theme."""
        self.axes.restyle()
        self.refresh()
