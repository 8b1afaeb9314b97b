"""The force desk: the strips side by side, in the order in which they act."""

from __future__ import annotations

import functools

import numpy as np
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.advice import curvereads, grips, polars, probe
from oak_sled.core.base.faults import Refused
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.parts.common import Part
from oak_sled.core.project import fitting
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.strips import curveacts, partmenu
from oak_sled.desk.strips.meter import show_meter
from oak_sled.desk.strips.polardrawing import PolarDrawing
from oak_sled.desk.strips.references import Names
from oak_sled.desk.strips.strip import Strip, name_of
from oak_sled.desk.widgets import accessibility, buttons, theme
from oak_sled.desk.widgets.curveeditor import CurveEditor
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.volumepaint import air_of

SPACE = 5
"""px round the strips."""


class _Row(QWidget):
    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(QRectF(self.rect()), theme.colour("desk"))


class ForceDesk(QWidget):
    """Strips of the craft on the bench; edits go to the session, which re-runs."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.open_name = ""
        self.strips: list[Strip] = []
        self._tallest = theme.DESK
        self.setMinimumHeight(theme.DESK)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.row = _Row()
        self.lane = QHBoxLayout(self.row)
        self.lane.setContentsMargins(SPACE, SPACE, SPACE, SPACE)
        self.lane.setSpacing(4)
        self.area.setWidget(self.row)
        self._scroll_to_open = False
        bar = self.area.horizontalScrollBar()
        if bar is not None:
            bar.rangeChanged.connect(self._bar_changed)
        layout.addWidget(self.area)
        self.end = self._end_column()
        self.lane.addWidget(self.end)
        self.lane.addStretch(0)
        session.yard_changed.connect(self._settings_changed)
        session.shown.run_changed.connect(self.refresh)
        session.shown.cursor_moved.connect(self.show_now)
        self.refresh()

    def _settings_changed(self, previewing: bool) -> None:
        if not previewing:  # while a dial is dragged, the run that comes brings the outlook
            self.refresh()

    def _end_column(self) -> QWidget:
        column = QWidget()
        column.setFixedWidth(58)
        box = QVBoxLayout(column)
        box.setContentsMargins(2, 4, 2, 4)
        box.setSpacing(4)
        self.add_button = buttons.on_desk("add a\npart", "add a part to this craft (Ctrl+P)", self.show_parts)
        self.all_on = buttons.on_desk("all on", "clear every mute and solo", self.clear_mutes)
        self.aids = buttons.on_desk("aids", "mute or unmute every part marked as an aid", self.toggle_aids)
        for button in (self.add_button, self.all_on, self.aids):
            box.addWidget(button)
        box.addStretch(1)
        return column

    # strips

    def refresh(self) -> None:
        """Brings the strips in step with the craft, building only what is new."""
        craft = self.session.craft
        names = Names.of_bench(craft, self.session.ground)
        wanted: list[Body | Part] = [craft.body, *craft.bodies, *craft.working_parts]
        fits = len(wanted) == len(self.strips) and all(
            strip.fits(part, strip.name == self.open_name, names)
            for strip, part in zip(self.strips, wanted, strict=True)
        )
        if not fits:
            self._rebuild(wanted, names)
        settings = {name: self.session.setting(name) for name in ("", *(one.id for one in craft.bodies))}
        cautions = {caution.where: caution for caution in reversed(self.session.shown.warned)}
        prefix = self.session.craft_path
        locks = {path.removeprefix(prefix + ".") for path in self.session.locks if path.startswith(prefix)}
        for strip, part in zip(self.strips, wanted, strict=True):
            caution = cautions.get(strip.path)
            setting = settings[carrier_of(part)]
            strip.show_part(part, setting, locks, f"caution: {caution.says}" if caution else "")
            curveacts.show_sharing(self.session, strip)
        self._make_room()
        self.aids.setEnabled(any(isinstance(part, Part) and part.aid for part in wanted))
        self.all_on.setEnabled(any(isinstance(part, Part) and (part.mute or part.solo) for part in wanted))
        self.show_now()

    def _rebuild(self, wanted: list[Body | Part], names: Names) -> None:
        for strip in self.strips:
            self.lane.removeWidget(strip)
            strip.hide()
            strip.deleteLater()
        self.strips = []
        for place, part in enumerate(wanted):
            strip = Strip(part, name_of(part) == self.open_name, names)
            strip.moved.connect(lambda path, value: self.session.preview(self._path(path), value))
            strip.released.connect(lambda path: self.session.commit(_label(path)))
            strip.entered.connect(self._enter)
            strip.bent.connect(functools.partial(curveacts.bend, self.session, strip.name))
            strip.sharing.connect(functools.partial(curveacts.share, self.session, strip.name))
            strip.vary_wanted.connect(lambda path: self.session.vary_wanted.emit(self._path(path)))
            strip.opened.connect(self.open_strip)
            strip.said.connect(lambda text: self.session.say(text, True))
            strip.lock_toggled.connect(self._toggle_lock)
            strip.menu_wanted.connect(self.show_part_menu)
            self.lane.insertWidget(place, strip, 1)
            self.strips.append(strip)
        self._order_tabs()
        self._tallest = theme.DESK

    def _bar_changed(self, *_: int) -> None:
        """The bar below came, went or reaches farther."""
        self._show_open()
        self._make_room()

    def _make_room(self) -> None:
        """As much height as the tallest strip takes with its words, and the bar below; it only grows while the same
        strips are there, so that nothing jumps while a dial is dragged."""
        heights = [strip.least_height() for strip in self.strips]
        bar = self.area.horizontalScrollBar()
        below = bar.sizeHint().height() if bar is not None and bar.maximum() > 0 else 0
        self._tallest = max(self._tallest, max(heights, default=0) + 2 * SPACE + below)
        if self.minimumHeight() != self._tallest:
            self.setMinimumHeight(self._tallest)

    def showEvent(self, event: QShowEvent | None) -> None:
        self._order_tabs()

    def _order_tabs(self) -> None:
        """Tab goes through the strips before the column at their end, which is older than they are."""
        before: QWidget = self.strips[-1].buttons["open"]
        for button in (self.add_button, self.all_on, self.aids):
            QWidget.setTabOrder(before, button)
            before = button

    def _path(self, path: str) -> str:
        return f"{self.session.craft_path}.{path}"

    def _enter(self, path: str, value: object) -> None:
        if not curveacts.turn_on(self.session, path, value, _label(path)):
            self.session.edit(self._path(path), value, _label(path))

    def _toggle_lock(self, path: str) -> None:
        self.session.locks ^= {self._path(path)}
        self.refresh()

    def open_strip(self, name: str) -> None:
        """Opens a strip to its full width, or closes it again."""
        self.open_name = "" if self.open_name == name else name
        self.refresh()
        strip = self.strip(name)
        if strip is not None and self.open_name:
            self._scroll_to_open = True

    def _show_open(self) -> None:
        """Scrolls to the strip that was opened, once the row has taken its new width."""
        strip, bar = self.strip(self.open_name), self.area.horizontalScrollBar()
        if self._scroll_to_open and strip is not None and bar is not None and bar.maximum() > 0:
            self._scroll_to_open = False
            bar.setValue(min(strip.x() - 6, max(0, strip.x() + strip.width() - self.area.width() + 8)))

    def strip(self, name: str) -> Strip | None:
        """The strip of that name."""
        return next((strip for strip in self.strips if strip.name == name), None)

    # meters

    def show_now(self) -> None:
        """Shows what every part does at the cursor."""
        whole, craft = self.session.shown.run, self.session.craft
        if whole is None or whole.job.craft.id != craft.id or not whole.ticks:
            return
        runs = {one.partition(".")[2]: whole.seen_from(one) for one in (body.id for body in whole.job.bodies)}
        row = max(1, self.session.shown.row)
        run = runs[""]
        slip = (
            float(traces.values(run, "slip_angle")[self.session.shown.row])
            if not run.live or not self.session.shown.live_on
            else 0.0
        )
        for strip in self.strips:
            carrier = carrier_of(strip.part)
            if carrier not in runs:
                continue
            run = runs[carrier]
            numbers = run.own_row(row)
            weight = self.session.setting(carrier).weight or run.job.single.body.true_mass() * STANDARD_GRAVITY
            if strip.is_body:
                drawn = weight
                if run.job.ground.is_space:  # there is no weight on a scale: what draws it where it is
                    drawn = float(np.linalg.norm(run.line("gravity")[row, :3]))
                strip.meter.show_value(drawn, "N", "weight", 0.0)
            elif strip.name in run.layout.parts:
                show_meter(strip.meter, strip.part, strip.name, run, row, weight)
            part = strip.part
            if strip.curve is not None and isinstance(part, Part):
                curve = probe.grip_curve(craft.single(carrier), self.session.ground, self.session.yard.ticks, part.id)
                strip.curve.show_part(part, curve, slip, probe.grip_used(run, numbers, part))
            for editor in strip.editors:
                self._show_reads(editor, strip, run)
            if strip.tires is not None and isinstance(part, Part):
                seen = np.zeros((0, 2)) if self.session.shown.live_on else grips.visited(run, part)
                curve = grips.side_curve(part, self.session.ground.grip)
                strip.tires.show_grips(curve, grips.wheels_now(run, numbers, part), seen)
                accessibility.describe(strip.tires, "grip of each wheel", strip.tires.words())
            if strip.polar is not None and isinstance(part, Part):
                self._show_polar(strip.polar, part, run)

    def _show_polar(self, drawing: PolarDrawing, part: Part, run: Run) -> None:
        """Shows a wing as it is set, and its panels as the run had them at the cursor."""
        fitted = next((one for one in run.job.single.parts if one.id == part.id), None)
        row, air = self.session.shown.row, air_of(run.job.ground)
        panels = polars.panels_now(run, row, fitted, air) if type(fitted) is type(part) else []
        drawing.show_polar(*polars.curves(part), panels)
        accessibility.describe(drawing, "lift and drag of each panel", drawing.words())

    def _show_reads(self, editor: CurveEditor, strip: Strip, run: Run) -> None:
        """Shows on a curve where it is read at the cursor, and what the run used of it."""
        session = self.session
        fitted = next((one for one in run.job.single.parts if one.id == strip.name), None)
        if isinstance(fitted, Part) and type(fitted) is type(strip.part):
            used = None if session.shown.live_on else curvereads.used(run, fitted, editor.field)
            editor.show_reads(curvereads.now(run, fitted, editor.field, session.shown.row), used)

    # parts

    def show_parts(self) -> None:
        """The list of parts that can be fitted, each with a line about it."""
        menu = QMenu(self)
        partmenu.fill(menu, self.fit)
        menu.exec(self.add_button.mapToGlobal(QPoint(-220, -menu.sizeHint().height())))
        menu.deleteLater()

    def fit(self, kind: type[Part], body: str = "") -> None:
        """Fits a new part of a kind, with its channel guessed, and opens it. body : the further body for it."""
        try:
            craft, part = fitting.fitted(self.session.craft, kind, body)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        self._place(craft, part, f"add {kind.TITLE.lower()}")

    def _place(self, craft: Craft, part: Part, label: str) -> None:
        session = self.session
        session.attempt(lambda: session.yard.edit(session.craft_path, craft.with_part(part)), label)

    def show_part_menu(self, name: str, place: QPoint) -> None:
        """Shows the menu of a part as a whole."""
        menu = QMenu(self)
        menu.addAction("Open or close", lambda: self.open_strip(name))
        if any(part.id == name for part in self.session.craft.parts):
            menu.addAction("Rename...", lambda: self.rename(name))
            menu.addAction("Duplicate", lambda: self.duplicate(name))
            menu.addAction("Remove", lambda: self.remove(name))
            part = next(part for part in self.session.craft.parts if part.id == name)
            words = "Unmark as an aid" if part.aid else "Mark as an aid"
            menu.addAction(words, lambda: self._enter(f"parts.{name}.aid", not part.aid))
        menu.exec(place)
        menu.deleteLater()

    def duplicate(self, name: str) -> None:
        """Fits a copy of a part behind it."""
        craft = self.session.craft
        part = next(part for part in craft.parts if part.id == name)
        try:
            fitting.check_single(craft.single(part.carried_by), type(part))
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        copy = part.replace(id=free_name(name, (*craft.parts, *craft.bodies)), title=f"{part.heading[:38]} 2")
        self._place(craft, copy, f"duplicate {name.replace('_', ' ')}")

    def remove(self, name: str) -> None:
        """Takes a part off the craft."""
        if self.open_name == name:
            self.open_name = ""
        yard, less = self.session.yard, self.session.craft.without_part(name)
        crafts = tuple(less if craft.id == less.id else craft for craft in yard.crafts)
        self.session.change(yard.without(crafts=crafts), f"remove {name.replace('_', ' ')}")

    def rename(self, name: str) -> None:
        """Asks for a new heading in place."""
        strip = self.strip(name)
        if strip is None:
            return
        edit = QLineEdit(strip)
        edit.setText(strip.part.heading if isinstance(strip.part, Part) else "")
        edit.setGeometry(6, 4, strip.width() - 12, 24)

        def take() -> None:
            edit.hide()
            edit.deleteLater()
            self._enter(f"parts.{name}.title", edit.text().strip())

        edit.returnPressed.connect(take)
        edit.show()
        edit.setFocus()
        edit.selectAll()

    def clear_mutes(self) -> None:
        """Takes every mute and solo back."""
        parts = tuple(part.replace(mute=False, solo=False) for part in self.session.craft.parts)
        self.session.edit(f"{self.session.craft_path}.parts", parts, "all on")

    def toggle_aids(self) -> None:
        """Mutes every aid, or unmutes them if all are muted."""
        aids = [part for part in self.session.craft.parts if part.aid]
        mute = not all(part.mute for part in aids)
        parts = tuple(part.replace(mute=mute) if part.aid else part for part in self.session.craft.parts)
        self.session.edit(f"{self.session.craft_path}.parts", parts, "aids off" if mute else "aids on")


def carrier_of(part: Part | Body) -> str:
    """The further body that carries a part, or that it is; "" for the first."""
    if isinstance(part, Part):
        return part.carried_by
    return part.id if isinstance(part, Limb) else ""


def _label(path: str) -> str:
    return path.removeprefix("parts.").replace(".", " ").removesuffix("_deg").replace("_", " ")
