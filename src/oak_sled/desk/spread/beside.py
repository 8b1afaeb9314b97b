"""Variants of a spread side by side under the same drill: all move at once, each with its values written at it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QWidget

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.project.shelf import card_of
from oak_sled.core.results import run as runs
from oak_sled.core.results.run import Run
from oak_sled.core.study import variants
from oak_sled.core.yard.spreads import Spread
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.spread.tiles import Tiles
from oak_sled.desk.widgets import accessibility, buttons, glyphs, theme
from oak_sled.desk.widgets.settling import once_still
from oak_sled.desk.work.background import OnProgress
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.camera import Camera
from oak_sled.desk.yardview.figures import figure
from oak_sled.desk.yardview.renderer import Renderer
from oak_sled.desk.yardview.scene import LEVEL, Figure, Scene

MOST_SIDE = 7
"""Variants along a side of the grid that stand beside one another, evenly chosen."""
APART = 2.6
"""Distance between them, in lengths and widths of the craft."""
LABEL = 10
"""px of the letters of a label."""
CROWD = 12
"""Variants from which their shadows are those of boxes."""
COARSE = 0.5
"""Share of the resolution while they move on a software renderer."""


def chosen_of(plan: Spread) -> list[int]:
    """The variants that are shown: at most MOST_SIDE along each axis, the ends among them."""
    rows, columns = plan.shape if len(plan.shape) == 2 else (1, plan.shape[0])
    most = (MOST_SIDE, MOST_SIDE) if rows > 1 else (1, MOST_SIDE)
    picked = [
        np.unique(np.linspace(0, count - 1, min(count, limit)).round().astype(int)).tolist()
        for count, limit in ((rows, most[0]), (columns, most[1]))
    ]
    return [i * columns + j for i in picked[0] for j in picked[1]]


def run_all(yard: Yard, plan: Spread, told: OnProgress) -> tuple[list[tuple[int, Run]], Tiles | None]:
    """The runs of the variants that are shown, each with its number, and the ground below where it is uneven."""
    made, numbers, jobs = [], chosen_of(plan), variants.Variants(yard.replace(spreads=()), plan)
    for done, number in enumerate(numbers):
        made.append((number, runs.execute(jobs.job(number))))
        told(done + 1, len(numbers))
    ground = made[0][1].job.ground
    uneven = ground_shape.is_uneven(ground)
    return made, Tiles(ground, [run for _, run in made]) if uneven else None


class SideBySide(QWidget):
    """Draws the runs of variants at the cursor of the session. Signals: taken(number), looked(number, or -1)."""

    taken = pyqtSignal(int)
    looked = pyqtSignal(int)

    def __init__(self, session: Session, renderer: Renderer | None, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.renderer = session, renderer
        self.plan: Spread | None = None
        self.made: list[tuple[int, Run]] = []
        self.words: Callable[[int], str] = str
        self.followed = -1
        self.chosen = -1
        self._short: dict[int, str] = {}
        self._wide: dict[int, int] = {}
        self._own: tuple[Yard | None, int] = (None, -1)
        self._offsets: Floats = np.zeros((0, 3))
        self._tiles: Tiles | None = None
        self.turn_deg, self.tilt_deg, self.zoom = 205.0, 30.0, 1.0
        self._drag: QPointF | None = None
        self._moved = False
        self._spots: list[tuple[int, QPointF]] = []
        self._smooth = True
        self._clean = once_still(self, self._draw_clean)
        self.setMinimumSize(320, 260)
        self.setMouseTracking(True)
        self.setToolTip(
            "variants of the spread, all at the same moment: space plays\n"
            "drag turns the view, the wheel comes nearer\n"
            "a click follows one, which can then be starred, or its settings taken"
        )
        self.hands = self._hands()
        session.shown.cursor_moved.connect(self._moved_on)
        session.shelf.changed.connect(self._moved_on)

    def _hands(self) -> QWidget:
        """Buttons for the variant that is followed."""
        made = QWidget(self)
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.star_button = buttons.quiet("star it", "a card of it on the shelf", lambda: self.star(self.followed))
        self.take_button = buttons.quiet(
            "take it", "its settings onto the bench", lambda: self.taken.emit(self.followed)
        )
        self.none_button = buttons.quiet("follow none", "the eye goes back to all", lambda: self._follow(-1))
        for one in (self.star_button, self.take_button, self.none_button):
            row.addWidget(one)
        made.hide()
        return made

    def star(self, number: int) -> None:
        """Stars a variant: a card of its run on the shelf, or the star of the card that is there, on or off."""
        made = self.run_of(number)
        if made is None:
            return
        card = next((one for one in self.session.shelf.cards if one.job == made.job), None)
        if card is not None:
            self.session.shelf.change_card(card.id, "star run", starred=not card.starred)
        else:
            self.session.shelf.keep_card(card_of(made, self.words(number)).changed(starred=True), "star variant")

    def run_of(self, number: int) -> Run | None:
        """The run of a variant that is shown."""
        return next((made for other, made in self.made if other == number), None)

    def is_starred(self, number: int) -> bool:
        """True if a starred card of the shelf is of the settings of a variant."""
        made = self.run_of(number)
        return made is not None and any(card.starred and card.job == made.job for card in self.session.shelf.cards)

    def show_runs(self, yard: Yard, plan: Spread, made: list[tuple[int, Run]], tiles: Tiles | None) -> None:
        """Shows runs of variants, each with its number, on pieces of their ground where that is uneven."""
        self.plan, self.made, self.followed, self._own = plan, made, -1, (None, -1)
        self.words = lambda number: variants.words_of(yard, plan, number)
        self._short = {number: _values_of(yard, plan, number) for number, _ in made}
        metrics = theme.metrics(theme.font(LABEL))
        self._wide = {number: metrics.horizontalAdvance(words) + 8 for number, words in self._short.items()}
        self._offsets, self._tiles = self.offsets(), tiles
        accessibility.describe(self, "variants side by side", f"{len(made)} variants of {plan.heading}")
        self._moved_on()

    def clear(self) -> None:
        """Shows none any more."""
        self.plan, self.made, self.followed = None, [], -1
        self._moved_on()

    def _moved_on(self) -> None:
        self._show_hands()
        if self.isVisible():
            self._smooth = self.renderer is None or not self.renderer.is_software
            self._clean.start()
            self.update()

    def _show_hands(self) -> None:
        """The buttons of the variant that is followed, at the right of the head."""
        self.hands.setVisible(self.followed >= 0)
        if self.followed >= 0:
            self.star_button.setText("take the star off" if self.is_starred(self.followed) else "star it")
            size = self.hands.sizeHint()
            self.hands.setGeometry(self.width() - size.width() - 8, 6, size.width(), size.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._show_hands()

    def _draw_clean(self) -> None:
        self._smooth = True
        self.update()

    # places

    def offsets(self) -> Floats:
        """By how much each variant is drawn aside, m, shape (n, 3): as the grid lies, the first axis forward."""
        assert self.plan is not None
        columns = self.plan.shape[-1]
        places = np.array([divmod(number, columns) for number, _ in self.made], float)
        ranks = np.stack([np.unique(places[:, k], return_inverse=True)[1] for k in (0, 1)], axis=1).astype(float)
        a, b, _ = self.made[0][1].job.single.body.half_extents()
        start = self.made[0][1].job.drill.start
        angle = math.radians(start.heading_deg)
        ahead, left = 2.0 * a * APART * ranks[:, 0], -2.0 * max(b, 0.5 * a) * APART * ranks[:, 1]
        return np.stack(
            [math.cos(angle) * ahead - math.sin(angle) * left, math.sin(angle) * ahead + math.cos(angle) * left,
             np.zeros(len(ahead))], axis=1,
        )  # fmt: skip

    def spots(self) -> Floats:
        """Position of each variant at the cursor, m, shape (n, 3)."""
        rows = [made.at(self.session.shown.time) for _, made in self.made]
        places = np.array([made.place_at(row) for (_, made), row in zip(self.made, rows, strict=True)])
        return np.asarray(places + self._offsets)

    def camera(self, spots: Floats) -> Camera:
        """Position of the eye: round all of them, or about the one that is followed."""
        numbers = [number for number, _ in self.made]
        low, high = spots.min(axis=0), spots.max(axis=0)
        size = 2.0 * max(self.made[0][1].job.single.body.half_extents())
        middle, radius = 0.5 * (low + high), 0.5 * float(np.linalg.norm(high - low)) + 1.2 * size
        if self.followed in numbers:
            middle, radius = spots[numbers.index(self.followed)], 4.0 * size
        heading = math.radians(self.made[0][1].job.drill.start.heading_deg + self.turn_deg)
        tilt = math.radians(self.tilt_deg)
        way = np.array([math.cos(tilt) * math.cos(heading), math.cos(tilt) * math.sin(heading), math.sin(tilt)])
        reach, up = radius / math.tan(math.radians(20.0)), np.array([0.0, 0.0, 1.0])
        if self.followed not in numbers:
            for _ in range(3):  # as near as all of them allow, and with the middle of their picture in the middle
                eye = Camera(middle + reach * way, middle, up, self.width(), self.height())
                px, depth = eye.project(spots)
                half = np.array([0.41 * self.width(), 0.38 * self.height()])
                ends = np.stack([px.min(axis=0), px.max(axis=0)]) - np.array([0.5 * self.width(), 0.5 * self.height()])
                reach = max(reach * float((0.5 * np.ptp(ends, axis=0) / half).max()), 3.0 * size)
                share = ends.mean(axis=0) / (0.5 * self.height()) * math.tan(math.radians(0.5 * eye.fov_deg))
                right = np.cross(-way, up) / max(float(np.linalg.norm(np.cross(-way, up))), 1e-9)
                middle = middle + float(np.mean(depth)) * (share[0] * right - share[1] * np.cross(right, -way))
        return Camera(middle + self.zoom * reach * way, middle, up, self.width(), self.height())

    # hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._drag, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None:
            moved = event.position() - self._drag
            if self._moved or moved.manhattanLength() > 5:
                self._moved, self._drag = True, event.position()
                self.turn_deg -= 0.4 * moved.x()
                self.tilt_deg = min(max(self.tilt_deg + 0.3 * moved.y(), 4.0), 88.0)
                self._moved_on()
            return
        number = self.number_at(event.position())
        if number != self.chosen:
            self.chosen = number
            self.looked.emit(number)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None
        if event is not None and not self._moved and event.button() == Qt.MouseButton.LeftButton:
            number = self.number_at(event.position())
            self._follow(number)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom = min(max(self.zoom * 0.9 ** (event.angleDelta().y() / 120.0), 0.1), 8.0)
            self._moved_on()
            event.accept()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        number = self.number_at(QPointF(event.pos())) if event is not None else -1
        if event is None or number < 0:
            return
        menu = QMenu(self)
        menu.addAction(f"take {self.words(number)}", lambda: self.taken.emit(number))
        words = "take the star off" if self.is_starred(number) else "star it"
        menu.addAction(words, lambda: self.star(number))
        menu.addAction("follow it" if number != self.followed else "follow none", lambda: self._follow(number))
        menu.exec(event.globalPos())
        menu.deleteLater()

    def _follow(self, number: int) -> None:
        self.followed = -1 if number == self.followed else number
        self._moved_on()

    def number_at(self, at: QPointF) -> int:
        """The variant under a place; -1 for none."""
        near = [((spot - at).manhattanLength(), number) for number, spot in self._spots]
        found = [one for one in near if one[0] < 34.0]
        return min(found)[1] if found else -1

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("sky_low"))
        painter.setFont(theme.font(theme.TEXT))
        painter.setPen(theme.colour("soft"))
        says = "" if self.made else "running the variants..."
        if self.renderer is None:
            says = "no OpenGL 3.3 on this display: the map shows the variants"
        if says or self.renderer is None:
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, says)
            return
        spots = self.spots()
        camera = self.camera(spots)
        self._begin(self.renderer, camera)
        labels = self._labels(camera, spots)  # while the renderer's own threads fill the picture
        painter.drawImage(QRectF(self.rect()), self.renderer.finish())
        self._paint_labels(painter, labels)

    def _begin(self, renderer: Renderer, camera: Camera) -> None:
        """Sets the renderer to work on all variants as they stand at the cursor."""
        scene = Scene(LEVEL, self.figures(), crowd=len(self.made) > CROWD)
        if self._tiles is not None:
            spots = self.spots() - self._offsets
            scene.tiles, levels = self._tiles.vertices(spots, self._offsets), self._tiles.level(spots)
            scene.figures = [replace(one, level=at) for one, at in zip(scene.figures, levels.tolist(), strict=True)]
        ratio = self.devicePixelRatioF() * (1.0 if self._smooth else COARSE)
        wide, tall = round(self.width() * ratio), round(self.height() * ratio)
        renderer.begin(scene, camera, wide, tall, self._smooth)

    def figures(self) -> list[Figure]:
        """All variants as they stand at the cursor, each at its place in the grid."""
        light, found = theme.rgb("oak_light"), []
        for (number, made), offset in zip(self.made, self._offsets, strict=True):
            paint = (*light, 0.55) if number == self.chosen else (0.0, 0.0, 0.0, 0.0)
            one = figure(made, made.at(self.session.shown.time), paint)
            loads = tuple((place + offset, size) for place, size in one.loads)
            found.append(replace(one, origin=one.origin + offset, loads=loads))
        return found

    def _own_number(self, plan: Spread) -> int:
        """The variant that the yard is as it is; -1 for none."""
        yard = self.session.yard
        if self._own[0] is not yard:
            now = variants.now_in(yard, plan)
            number = int(np.ravel_multi_index([round(p) for p in now], plan.shape)) if now is not None else -1
            self._own = (yard, number)
        return self._own[1]

    def _labels(self, camera: Camera, spots: Floats) -> list[tuple[int, QRectF]]:
        """Places of the values of each, at its foot, the nearest first; where two would print over each other,
        the farther one is left out."""
        size = max(self.made[0][1].job.single.body.half_extents())
        places, depth = camera.project(spots - np.array([0.0, 0.0, 0.6 * size]))
        self._spots = [
            (number, QPointF(*place))
            for (number, _), place, far in zip(self.made, places.tolist(), depth, strict=True)
            if far > 0
        ]
        found: list[tuple[int, QRectF]] = []
        for place in np.argsort(depth).tolist():
            number, wide = self.made[place][0], self._wide[self.made[place][0]]
            box = QRectF(places[place][0] - 0.5 * wide, places[place][1] + 3, wide, 15)
            if depth[place] > 0.0 and not any(box.intersects(other) for _, other in found):
                found.append((number, box))
        return found

    def _paint_labels(self, painter: QPainter, labels: list[tuple[int, QRectF]]) -> None:
        assert self.plan is not None
        font = theme.font(LABEL)
        painter.setFont(font)
        own = self._own_number(self.plan)
        for number, box in labels:
            strong = number in (self.chosen, own, self.followed)
            painter.fillRect(box, theme.colour("card", 255 if strong else 190))
            if number == self.followed:
                painter.setPen(theme.pen("oak_deep", 1.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(box)
            painter.setPen(theme.colour("warning" if number == own else "ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self._short[number])
            if self.is_starred(number):
                painter.setPen(theme.pen("oak_deep", 1.0))
                painter.setBrush(theme.colour("oak"))
                painter.drawPolygon(glyphs.star(QPointF(box.left() - 8.0, box.center().y())))
        painter.setPen(theme.colour("soft"))
        head = f"{len(self.made)} variants · t {units.fixed(self.session.shown.time, 's', 2)} · space plays"
        painter.fillRect(QRectF(8, 8, theme.metrics(font).horizontalAdvance(head) + 16, 20), theme.colour("card", 220))
        painter.drawText(QPointF(16, 22), head)


def _values_of(yard: Yard, plan: Spread, number: int) -> str:
    """The values of a variant, without their names."""
    axes = zip(plan.axes, plan.values_of(number), strict=True)
    return " · ".join(
        variants.shown_at(yard, axis.path, float(f"{v:.3g}")) if isinstance(v, float) else plan.shown(axis, v)
        for axis, v in axes
    )
