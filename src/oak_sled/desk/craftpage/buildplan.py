"""The working drawing of a craft: from above, from the left and from the front, to one scale; mounts are dragged on it.

Signals of `BuildPlan`: picked(), moved(part, fields), released(label), key_wanted(name).
"""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.advice import modes, outlook
from oak_sled.core.advice.modes import Standing
from oak_sled.core.assembly import starts
from oak_sled.core.base import units
from oak_sled.core.parts.context import Spot
from oak_sled.core.parts.holders.authority import Command
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.tie import Stretched, Tie
from oak_sled.desk.craftpage import bodypaint, buildpaint, commandpaint, standwords
from oak_sled.desk.craftpage.buildviews import Mark, View
from oak_sled.desk.craftpage.flights import Flights, Towing
from oak_sled.desk.drawing.grid import ARROWS, GRID, rounded
from oak_sled.desk.widgets import accessibility, keys, theme
from oak_sled.desk.work.session import Session

NEAR_PX = 12.0
BODIES, TIES = "bodies.", "ties."
"""Fronts of the names by which further bodies and ties of a craft are selected; those of parts have none."""
FOOT = 44.0
"""px below the views, for the words about the whole craft."""


class BuildPlan(QWidget):
    """Draws the craft on the bench and takes hold of the mounts of its parts."""

    PROMISED = keys.Keys.of(
        *keys.ARROWS, *keys.REMOVE, Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight, Qt.Key.Key_D, Qt.Key.Key_M
    )

    picked = pyqtSignal()
    moved = pyqtSignal(str, object)
    released = pyqtSignal(str)
    key_wanted = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.chosen = ""
        self.number = 0
        """The mount of the selected part that was taken hold of last."""
        self.zoom = 1.0
        self._hold: tuple[Mark, View] | None = None
        self._held_views: list[View] = []
        self.flights = Flights(session, self.update)
        self.towing = Towing(session, self.update)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(420, 340)
        accessibility.describe(
            self, "drawing of the craft", keys="Tab of parts: [ and ]; arrows move the selected mount"
        )
        session.yard_changed.connect(lambda _: self.update())
        session.shown.run_changed.connect(self.update)

    # what there is

    @property
    def craft(self) -> Craft:
        """The craft on the bench."""
        return self.session.craft

    def part(self) -> AnyPart | None:
        """The part that is selected and still there."""
        return next((part for part in self.craft.parts if part.id == self.chosen), None)

    def limb(self) -> Limb | None:
        """The further body that is selected, or carries the part that is; None for the first."""
        part = self.part()
        name = self.chosen.removeprefix(BODIES) if part is None else part.carried_by
        return next((one for one in self.craft.bodies if one.id == name), None)

    def tie(self) -> Tie | None:
        """The tie between bodies that is selected."""
        return next((one for one in self.craft.ties if TIES + one.id == self.chosen), None)

    def names(self) -> list[str]:
        """All that can be selected, the first body ("") at the front."""
        craft = self.craft
        bodies = ["", *(BODIES + one.id for one in craft.bodies)]
        return [*bodies, *(TIES + one.id for one in craft.ties), *(part.id for part in craft.parts)]

    def heading(self, name: str) -> str:
        """The words for something that can be selected."""
        return (name.removeprefix(BODIES).removeprefix(TIES) or "body").replace("_", " ")

    def below(self) -> float:
        """Height of level ground where the craft stands on it, m above its origin."""
        if self.craft.bodies:
            return -starts.stands_at(self.craft, self.session.ground)
        return self.craft.body.centre()[2] - self.craft.stands_above(self.session.ground.gravity)

    def choose(self, name: str, number: int = 0) -> None:
        """Selects a part, or the body where no name is given."""
        self.chosen, self.number = name, number
        self.picked.emit()
        self.update()

    def standing(self) -> Standing | None:
        """The stand of the craft, of the run that is there; None while that is of another craft or of a drive."""
        run = self.session.shown.run
        if run is None or run.live or run.job.craft != self.craft:
            return None
        return modes.of_run(run)

    # the views

    def views(self) -> list[View]:
        """From above, from the left and from the front, to one scale."""
        if self._hold is not None:
            return self._held_views  # the scale stays while something is dragged
        return self._laid_out()

    def _laid_out(self) -> list[View]:
        low, high = self.extent()
        size = np.maximum(high - low, 0.5)
        wide, tall = self.width() - 36.0, self.height() - FOOT - 30.0
        scale = self.zoom * 0.82 * min(wide / float(size[0] + size[1]), tall / float(size[1] + size[2]))
        left = wide * float(size[0] / (size[0] + size[1]))
        upper = tall * float(size[1] / (size[1] + size[2]))
        left, upper = min(max(left, 0.45 * wide), 0.75 * wide), min(max(upper, 0.35 * tall), 0.68 * tall)
        room = ((left, size[0]), (upper, size[1]), (wide - left, size[1]), (tall - upper, size[2]))
        scale = min(scale, *(0.9 * self.zoom * px / float(metres) for px, metres in room))
        middle = 0.5 * (low + high)
        above = QRectF(12, 10, left, upper)
        side = QRectF(12, above.bottom() + 10, left, tall - upper)
        front = QRectF(above.right() + 12, side.top(), wide - left, tall - upper)
        return [
            View("from above", 0, 1, 1.0, above, (float(middle[0]), float(middle[1])), scale),
            View("from the left", 0, 2, 1.0, side, (float(middle[0]), float(middle[2])), scale),
            # seen from the front its left is on the right
            View("from the front", 1, 2, 1.0, front, (float(middle[1]), float(middle[2])), scale),
        ]

    def extent(self) -> tuple[np.ndarray, np.ndarray]:
        """The box of hull, mounts and what is below, m from the origin: lowest and highest corner, shape (3,) each."""
        found = [np.array([0.0, 0.0, self.below() - 0.1])]
        for one in self.craft.singles:
            half, middle = np.array(one.body.half_extents()), np.array(one.body.middle())
            spots = [middle + half * np.array(signs) for signs in itertools.product((-1.0, 1.0), repeat=3)]
            spots += [np.array(spot) for part in one.parts for spot in part.mounts()]
            spots += [corner for part in one.parts for plate in part.plates() for corner in plate]
            origin, axes = starts.on_craft(one.body)
            found += [origin + axes @ spot for spot in spots]
        return np.min(found, axis=0), np.max(found, axis=0)

    def marks(self) -> list[Mark]:
        """Every mount in every view; those of the selected part last, so that they lie on top."""
        found = []
        parts = sorted(self.craft.parts, key=lambda part: part.id == self.chosen)
        bodies = {"": self.craft.body} | {one.id: one for one in self.craft.bodies}
        for view in self.views():
            found += [Mark(BODIES + one.id, 0, (one.x, one.y, one.z), view) for one in self.craft.bodies]
            for tie in self.craft.ties:
                found.append(Mark(TIES + tie.id, 0, tie.begin, view))
                if isinstance(tie, Stretched):
                    found.append(Mark(TIES + tie.id, 1, tie.end, view))
            for part in parts:
                spots, own = part.mounts(), view.on(bodies[part.carried_by])
                found += [Mark(part.id, number, spot, own) for number, spot in enumerate(spots)]
                if part.id == self.chosen and len(spots) > 1 and hasattr(part, "spread_x"):
                    found.append(Mark(part.id, -1, (part.x, part.y, part.z), own))
        return found

    def under(self, at: QPointF) -> Mark | None:
        """The mount under a px; the nearest one, and of those in one place the one on top."""
        best, nearest = None, NEAR_PX
        for mark in self.marks():
            px = mark.view.at(mark.spot)
            away = math.hypot(px.x() - at.x(), px.y() - at.y())
            if mark.view.box.contains(at) and away <= nearest:
                best, nearest = mark, away
        return best

    # hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        mark = self.under(event.position())
        if mark is None:
            self.choose("")
            return
        self.choose(mark.part, mark.number)
        self._held_views = self._laid_out()
        held = next(view for view in self._held_views if view.name == mark.view.name)
        self._hold = (mark, replace(held, frame=mark.view.frame))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._hold is None:
            known = self.under(event.position())
            self.setCursor(Qt.CursorShape.SizeAllCursor if known else Qt.CursorShape.ArrowCursor)
            return
        mark, view = self._hold
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        self._move(mark.part, mark.number, view.place(event.position(), mark.spot), 0.0 if free else GRID)

    def _move(self, name: str, number: int, spot: Spot, step: float) -> None:
        part = next((one for one in self.craft.parts if one.id == name), None)
        x, y, z = (rounded(value, step) for value in spot)
        if part is not None:
            self.moved.emit(name, part.with_mount(number, (x, y, z)))
        elif name.startswith((BODIES, TIES)):
            fields = ("end_x", "end_y", "end_z") if number == 1 else ("x", "y", "z")
            self.moved.emit(name, dict(zip(fields, (x, y, z), strict=True)))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        hold, self._hold = self._hold, None
        if hold is not None:
            self.released.emit(f"move {self.heading(hold[0].part)}")
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom = min(6.0, max(0.3, self.zoom * 1.15 ** (event.angleDelta().y() / 120.0)))
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.zoom = 1.0
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = Qt.Key(event.key())
        names = self.names()
        place = names.index(self.chosen) if self.chosen in names else 0
        if key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            step = 1 if key == Qt.Key.Key_BracketRight else -1
            self.choose(names[(place + step) % len(names)])
        elif key in ARROWS:
            self._nudge(*ARROWS[key], up=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.key_wanted.emit("remove")
        elif key == Qt.Key.Key_D and not event.modifiers():
            self.key_wanted.emit("duplicate")
        elif key == Qt.Key.Key_M and not event.modifiers():
            self.key_wanted.emit("mirror")
        else:
            super().keyPressEvent(event)

    def _nudge(self, right: int, up_paper: int, up: bool) -> None:
        """Moves the selected mount by a step of the grid: ahead and to the left, or up with Shift."""
        part, moved = self.part(), self.limb() if self.chosen.startswith(BODIES) else self.tie()
        spots = part.mounts() if part is not None else []
        if isinstance(moved, Tie):
            spots = [moved.begin, moved.end]
        elif moved is not None:
            spots = [(moved.x, moved.y, moved.z)]
        if not spots:
            self.session.say("select a part that has a mount: [ and ] go through them")
            return
        number = self.number if self.number < len(spots) else 0
        x, y, z = (part.x, part.y, part.z) if number < 0 and part is not None else spots[number]
        spot = (x + GRID * right, y, z + GRID * up_paper) if up else (x + GRID * right, y + GRID * up_paper, z)
        self._move(self.chosen, number, spot, GRID)
        self.released.emit(f"move {self.heading(self.chosen)}")

    # picture

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("paper"))
        stands, craft, ground = self.standing(), self.craft, self.below()
        made = self.commands()
        for view in self.views():
            painter.save()
            painter.setClipRect(view.box)
            buildpaint.paint_paper(painter, view)
            for one in craft.singles:
                own, under = view.on(one.body), ground - float(starts.on_craft(one.body)[0][2])
                buildpaint.paint_hull(painter, own, one)
                buildpaint.paint_plates(painter, own, one)
                buildpaint.paint_lines_of_action(painter, own, one, self.chosen)
                buildpaint.paint_supports(painter, own, one, stands if one.id == craft.id else None, under)
            if view.up == 2 and not self.session.ground.is_space:
                buildpaint.paint_ground(painter, view, ground)
            for mark in (mark for mark in self.marks() if mark.view.name == view.name):
                chosen = mark.part == self.chosen
                if mark.part.startswith((BODIES, TIES)):
                    bodypaint.paint_grip(painter, mark.view, mark.spot, mark.part.startswith(TIES), chosen)
                    continue
                carrier = next(one for one in craft.singles if mark.part in [part.id for part in one.parts])
                under = ground - float(starts.on_craft(carrier.body)[0][2])
                buildpaint.paint_mark(painter, mark.view, carrier, mark.part, mark.number, chosen, under)
            for tie in craft.ties:
                bodypaint.paint_tie(painter, view, tie, TIES + tie.id == self.chosen)
            for one in craft.singles:
                buildpaint.paint_neutral(painter, view.on(one.body), one)
                buildpaint.paint_centre(painter, view.on(one.body), one)
            commandpaint.paint(painter, view, made, craft.body.centre())
            painter.restore()
            buildpaint.paint_frame(painter, view)
        above, _, front = self.views()
        card = QRectF(front.box.left(), above.box.top(), front.box.width(), above.box.height())
        title, lines = self.card(stands, made)
        buildpaint.paint_standing(painter, card, title, lines)
        buildpaint.paint_words(painter, QRectF(16, self.height() - FOOT, self.width() - 32, FOOT), self.words())
        part = self.part()
        value = self.heading(self.chosen) if part is None else f"{part.heading}, mounts {_said(part.mounts())}"
        accessibility.describe(
            self, "drawing of the craft", value, "[ and ]: parts; arrows: move; D: duplicate; Delete: remove"
        )

    def commands(self) -> tuple[Command, ...]:
        """The pure commands of its mixer; empty without jets that it opens."""
        session = self.session
        setting = outlook.setting_of(self.craft, session.ground, session.yard.ticks, session.shown.run)
        return commandpaint.commands_of(self.craft, setting)

    def card(self, stands: Standing | None, made: tuple[Command, ...]) -> tuple[str, list[tuple[str, str]]]:
        """The title and the lines of the card: how it flies, tows, is pushed by its jets, or stands."""
        flown, towed = self.flights.rows(), self.towing.rows()
        on_legs = any(part.legs() for part in self.craft.parts)
        stood = self.standing_lines(stands) if on_legs else []
        if made and not on_legs:
            return "what its jets make", commandpaint.rows(made)
        if flown:
            return "how it flies in still air", [*flown, *stood]
        if towed:
            return "how it tows", [*towed, *stood]
        return "how it stands on level ground", self.standing_lines(stands)

    def standing_lines(self, stands: Standing | None) -> list[tuple[str, str]]:
        """Stand and swings of the craft, a name and a sentence each."""
        return standwords.lines(self.craft, self.session, stands)

    def words(self) -> list[str]:
        """Two lines about the whole craft: masses, weight and swings; channels and their keys."""
        return standwords.whole(self.craft, self.session, self.standing())


def _said(spots: list[Spot]) -> str:
    return "; ".join(units.place(spot) for spot in spots) or "none"
