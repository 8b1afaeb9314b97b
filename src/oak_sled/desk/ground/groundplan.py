"""The working drawing of a ground: objects are picked, dragged, turned and sized; a section shows them from the side.

Signals of `GroundPlan`: picked(), previewed(path, item), released(label), knot_wanted(x, y).
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.assembly import ground_shape
from oak_sled.core.yard import casting
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rail import Rail
from oak_sled.desk.drawing.grid import ARROWS, rounded
from oak_sled.desk.ground import groundpaint, picking, railplan
from oak_sled.desk.ground.groundsection import SECTION, Item, Section, heading_of, size_of
from oak_sled.desk.ground.items import moved_by
from oak_sled.desk.ground.planframe import PlanFrame
from oak_sled.desk.widgets import keys, theme
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview import volumepaint
from oak_sled.desk.yardview.planpaint import turned_rectangle

WIND_AT = 1.0
"""m of height at which the wind is shown."""
GRID = 0.25
"""m to which a drag is rounded, unless Alt is held."""


class GroundPlan(PlanFrame):
    """Draws the ground on the bench from above and moves what lies on it."""

    PROMISED = keys.Keys.of(*keys.ARROWS, *keys.REMOVE, Qt.Key.Key_D)

    picked = pyqtSignal()
    previewed = pyqtSignal(str, object)
    released = pyqtSignal(str)
    start_moved = pyqtSignal(object)
    key_wanted = pyqtSignal(str)
    knot_wanted = pyqtSignal(float, float)

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.chosen: list[str] = []  # "blocks.crate", the one selected last
        self.knot = 0  # of the selected rail, the one selected last
        self.line = [(-10.0, 0.0), (60.0, 0.0)]
        self.section = Section()
        self._base = QImage()
        self._base_key: tuple[object, ...] = ()
        self._base_ground: object = None
        self._laying: object = None
        self.words: list[QRectF] = []
        """Positions of the words of marks in the last paint, px."""
        self._hold: tuple[str, QPointF, dict[str, Item]] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("plan of the ground")
        self.setMinimumSize(360, 300)
        session.yard_changed.connect(lambda _: self.update())

    # what there is

    @property
    def ground(self) -> Ground:
        return self.session.ground

    def objects(self) -> list[tuple[str, Item]]:
        found: list[tuple[str, Item]] = []
        if self.ground.relief is not None:
            found.append(("relief", self.ground.relief))
        found += [(f"volumes.{one.id}", one) for one in self.ground.volumes]
        found += [(f"patches.{one.id}", one) for one in self.ground.patches]
        found += [(f"rails.{one.id}", one) for one in self.ground.rails]
        found += [(f"walls.{one.id}", one) for one in self.ground.walls]
        found += [(f"gates.{one.id}", one) for one in self.ground.gates]
        found += [(f"blocks.{one.id}", one) for one in self.ground.blocks]
        found += [(f"joints.{one.id}", one) for one in self.ground.joints]
        found += [(f"ties.{one.id}", one) for one in self.ground.ties]
        return found

    def in_hand(self) -> list[tuple[str, Item]]:
        """The selected objects that are still there."""
        known = dict(self.objects())
        self.chosen = [path for path in self.chosen if path in known]
        return [(path, known[path]) for path in self.chosen]

    def is_held(self) -> bool:
        return self._hold is not None

    def choose(self, paths: list[str]) -> None:
        """Selects objects."""
        if paths != self.chosen:
            self.knot = 0
        self.chosen = paths
        self.picked.emit()
        self.update()

    def outline(self, item: Item) -> QPolygonF:
        """An object from above, px."""
        length, width = size_of(item)
        half = 0.5 * self.scale()
        return turned_rectangle(self.at(item.x, item.y), half * length, half * width, heading_of(item))

    def handles(self, item: Item) -> dict[str, QPointF]:
        """Handles that turn and size an object, px."""
        return picking.handles(self, item)

    # hand

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        self.hold_frame()
        if event.button() == Qt.MouseButton.RightButton:
            self._hold = ("pan", at, {})
            return
        for k, end in enumerate(self.line):
            spot = self.at(*end)
            if math.hypot(spot.x() - at.x(), spot.y() - at.y()) < groundpaint.HANDLE + 3:
                self._hold = (f"line{k}", at, {})
                return
        held = self.in_hand()
        if len(held) == 1:
            for name, spot in self.handles(held[0][1]).items():
                if math.hypot(spot.x() - at.x(), spot.y() - at.y()) < groundpaint.HANDLE + 2:
                    self._hold = (name, at, dict(held))
                    if name.startswith(("knot", "tangent")):
                        self.take_knot(int(name.removeprefix("knot").removeprefix("tangent")))
                    return
        start = self._start_marks()
        for name, spot in start.items():
            if math.hypot(spot.x() - at.x(), spot.y() - at.y()) < groundpaint.HANDLE + 2:
                self._hold = (name, at, {})
                return
        under = self.under(at)
        add = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if under is None:
            if not add:
                self.choose([])
            self._hold = ("pan", at, {})
            return
        if add:
            self.choose([path for path in self.chosen if path != under] + ([under] if under not in self.chosen else []))
        elif under not in self.chosen:
            self.choose([under])
        self._hold = ("move", at, dict(self.in_hand()))

    def under(self, at: QPointF) -> str | None:
        """The path of the topmost object under a px."""
        with self.one_view():
            return picking.under(self, self.objects(), at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._hold is None:
            return
        what, start, held = self._hold
        at = event.position()
        if what == "pan":
            self.shift += at - start
            self._hold = (what, at, held)
        elif what.startswith("line"):
            self.line[int(what[4])] = self.place(at)
        elif what.startswith("start"):
            self._drag_start(what, at, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        elif (at - start).manhattanLength() >= 3 or self.session.is_previewing:
            self._drag(what, start, at, held, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        self.update()

    def _start_marks(self) -> dict[str, QPointF]:
        """Handles that move and turn the start of the drill, px."""
        start = self.session.seen_drill.start
        turn = math.radians(start.heading_deg)
        at = self.at(start.x, start.y)
        return {"start_turn": at + QPointF(22 * math.cos(turn), -22 * math.sin(turn)), "start": at}

    def _drag_start(self, what: str, at: QPointF, free: bool) -> None:
        start = self.session.seen_drill.start
        x, y = self.place(at)
        if what == "start":
            step = 0.0 if free else GRID
            moved = start.replace(x=rounded(x, step), y=rounded(y, step))
        else:
            angle = math.degrees(math.atan2(y - start.y, x - start.x))
            moved = start.replace(heading_deg=rounded(angle, 0.0 if free else 5.0))
        self.start_moved.emit(moved)

    def _drag(self, what: str, start: QPointF, at: QPointF, held: dict[str, Item], free: bool) -> None:
        step = 0.0 if free else GRID
        for path, item in held.items():
            try:
                moved = self._dragged(what, start, at, item, step)
            except ValueError:
                continue  # a kink, a rope of no length: it stays as it was before
            self.previewed.emit(path, moved)

    def _dragged(self, what: str, start: QPointF, at: QPointF, item: Item, step: float) -> Item:
        """An object whose handle `what` is dragged, rounded to `step` m; raises ValueError where it may not be so."""
        (x0, y0), (x1, y1) = self.place(start), self.place(at)
        if isinstance(item, Rail) and what != "move":
            return railplan.dragged(item, what, x1, y1, step)
        if what == "move":
            return item.replace(**moved_by(item, x1 - x0, y1 - y0, step))
        if what == "end":
            return item.replace(end_x=rounded(x1, step), end_y=rounded(y1, step))
        if what == "turn":
            angle = math.degrees(math.atan2(y1 - item.y, x1 - item.x))
            return item.replace(heading_deg=rounded(angle, 5.0 if step else 0.0))
        turn = heading_of(item)
        dx, dy = x1 - item.x, y1 - item.y
        out = dx * math.cos(turn) + dy * math.sin(turn)
        if what == "width":
            out = dy * math.cos(turn) - dx * math.sin(turn)
        return item.replace(**{what: max(0.1, rounded(2.0 * abs(out), step))})

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        hold, self._hold = self._hold, None
        if hold is not None and hold[0].startswith("start"):
            self.released.emit("move the start" if hold[0] == "start" else "turn the start")
        elif hold is not None and hold[2]:
            word = {"move": "move", "turn": "turn"}.get(hold[0], "bend" if hold[0][0] in "kt" else "size")
            self.released.emit(f"{word} {' and '.join(path.split('.')[-1].replace('_', ' ') for path in hold[2])}")
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        held = self.in_hand()
        if len(held) == 1 and isinstance(held[0][1], Rail) and railplan.is_near(self, held[0][1], event.position()):
            self.knot_wanted.emit(*self.place(event.position()))
        self.update()

    def take_knot(self, number: int) -> None:
        """Selects a knot of the rail in hand."""
        self.knot = number
        self.picked.emit()
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            factor = 1.15 ** (event.angleDelta().y() / 120.0)
            self.zoom = min(40.0, max(0.2, self.zoom * factor))
            self.shift *= factor
            self.update()
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        way = ARROWS.get(Qt.Key(event.key()))
        if way is not None and self.in_hand():
            for path, item in self.in_hand():
                self.previewed.emit(path, item.replace(**moved_by(item, GRID * way[0], GRID * way[1])))
            self.released.emit("move by a step")
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.key_wanted.emit("remove")
        elif event.key() == Qt.Key.Key_D and not event.modifiers():
            self.key_wanted.emit("duplicate")
        else:
            super().keyPressEvent(event)

    # picture

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with self.one_view():
            self._paint()

    def _paint(self) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = {path for path, _ in self.in_hand()}
        painter.drawImage(0, 0, self.base_layer(chosen))
        self.words = []
        painter.save()
        painter.setClipRect(self.box())
        self._paint_start(painter)
        if len(chosen) == 1:
            groundpaint.paint_handles(painter, self, self.in_hand()[0][1])
        painter.setPen(QPen(theme.colour("warning"), 1.2, Qt.PenStyle.DashLine))
        ends = [self.at(*end) for end in self.line]
        painter.drawLine(*ends)
        painter.setBrush(theme.colour("warning"))
        for end, word in zip(ends, "AB", strict=True):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(end, 5.0, 5.0)
            painter.setPen(theme.colour("warning"))
            painter.setFont(theme.font(theme.SMALL, bold=True))
            self._write(painter, end, word, ((7, -5), (7, 18), (-18, -5)))
        painter.restore()
        self._lay_beside()
        below = QRectF(0, self.height() - SECTION, self.width(), SECTION)
        self.section.paint(painter, below, self.ground, [item for _, item in self.objects()], self.line)

    def _lay_beside(self) -> None:
        """Has the triangles of uneven ground laid beside the window, for the section, and draws it then."""
        ground = self.ground
        if ground is not self._laying and not ground_shape.is_ready(ground):
            self._laying = ground
            show = lambda _: self.update()  # noqa: E731
            self.session.background.add(Task("ground", lambda _: ground_shape.laid_on(ground), show, show, quiet=True))

    def base_layer(self, chosen: set[str]) -> QImage:
        """The grid and what lies on the ground, in px; redrawn only when one of them changed."""
        ratio = self.devicePixelRatioF()
        view = self._view()
        key = (id(self.ground), view[:3], (view[3].x(), view[3].y()), chosen, self.size(), ratio, theme.is_night())
        if key != self._base_key:
            self._base_key, self._base_ground = key, self.ground  # kept: its id is part of the key
            self._base = QImage(self.size() * ratio, QImage.Format.Format_RGB32)
            self._base.setDevicePixelRatio(ratio)
            self._base.fill(theme.colour("paper"))
            painter = QPainter(self._base)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setClipRect(self.box())
            groundpaint.paint_grid(painter, self)
            self._paint_edges(painter)
            for path, item in self.objects():
                groundpaint.paint_thing(painter, self, item, path in chosen)
            volumepaint.paint_wind(painter, self.at, self.place, self.box(), self.ground, WIND_AT)
            painter.end()
        return self._base

    def _paint_edges(self, painter: QPainter) -> None:
        x0, y0, x1, y1 = self.ground.edges_at()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("soft"), 1.5, Qt.PenStyle.DashLine))
        painter.drawRect(QRectF(self.at(x0, y1), self.at(x1, y0)))

    def paint_other_starts(self, painter: QPainter) -> None:
        """Paints the starts of the other crafts of the drill: select one to move it."""
        session, drill = self.session, self.session.drill
        painter.setFont(theme.font(theme.SMALL))
        for name in session.cast():
            if name == session.craft.id:
                continue
            start = casting.seen_from(drill, name).start
            at, turn = self.at(start.x, start.y), math.radians(start.heading_deg)
            painter.setPen(theme.pen("soft", 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 4.0, 4.0)
            painter.drawLine(at, at + QPointF(18 * math.cos(turn), -18 * math.sin(turn)))
            words = session.yard.craft(name).heading
            self._write(painter, at, words, ((-12, -9), (-12, 20), (-90, 5)))

    def _paint_start(self, painter: QPainter) -> None:
        self.paint_other_starts(painter)
        start = self.session.seen_drill.start
        at = self.at(start.x, start.y)
        painter.setPen(theme.pen("good", 2.0))
        painter.drawEllipse(at, 5.0, 5.0)
        nose = self._start_marks()["start_turn"]
        painter.drawLine(at, nose)
        painter.setBrush(theme.colour("card"))
        painter.drawEllipse(nose, 4.0, 4.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour("good"))
        self._write(painter, at, "start", ((-12, -9), (-12, 20), (-48, 5)))

    def _write(self, painter: QPainter, at: QPointF, words: str, ways: tuple[tuple[int, int], ...]) -> None:
        """Writes a short word beside a mark, at the first place where no other word of this paint stands."""
        wide = painter.fontMetrics().horizontalAdvance(words)
        boxes = [QRectF(at.x() + dx, at.y() + dy - 12, wide, 15) for dx, dy in ways]
        box = next((one for one in boxes if not any(one.intersects(other) for other in self.words)), boxes[-1])
        self.words.append(box)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
