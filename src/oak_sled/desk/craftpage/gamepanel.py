"""The game's own units and axes beside what is handed over: its axes drawn on a sled, and a choice of each unit."""

from __future__ import annotations

import math
from functools import partial
from typing import Any, cast

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QMenu, QWidget

from oak_sled.core.base.axes import WAYS
from oak_sled.core.base.dial import dials
from oak_sled.core.yard.game import PRESETS, Game, Way
from oak_sled.desk.drawing.numberpanel import WIDTH, NumberPanel
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.work.session import Session

_WORDS: dict[str, tuple[str, dict[Any, str]]] = {
    "length": ("lengths", {"m": "metres", "cm": "centimetres", "mm": "millimetres", "px": "pixels"}),
    "mass": ("masses", {"kg": "kilograms", "t": "tonnes", "own": "a unit of its own (mu)"}),
    "angle": ("angles", {"deg": "degrees", "rad": "radians", "turn": "turns"}),
    "rates": ("speeds and rates", {"second": "by the second", "tick": "by the tick"}),
    "lasts": ("times", {"s": "in seconds", "tick": "in ticks"}),
    "hand": ("axes", {"right": "right-handed", "left": "left-handed"}),
    "quaternion": ("quaternion", {"wxyz": "w x y z", "xyzw": "x y z w"}),
    "used": ("numbers are shown", {False: "in SI", True: "as the game has them"}),
}
"""Choices by field: what is chosen, and each option in words."""
_LOOK = {"forward": (0.87, 0.42), "left": (-0.80, 0.50), "up": (0.0, -1.0)}
"""Directions on the drawing, right and down: the craft seen from behind, its right side near."""


class GamePanel(NumberPanel):
    """The setting *as the game has it* of the yard. Each choice is a step that can be undone."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(session, "game", parent)
        self._acts: tuple[str, ...] = ()
        self._build()
        session.yard_changed.connect(lambda _: self.show_game())

    @property
    def game(self) -> Game:
        """As it is set."""
        return self.session.yard.game

    def _build(self) -> None:
        self.clear()
        self._acts = self.game.acts()
        self.add_title("As the game has it")
        self._add_field("used")
        self.axes = AxesDrawing(self)
        self.add(self.axes)
        self.presets = self.add_button("settings that many games have", "fills in all of what stands below")
        menu = QMenu(self.presets)
        for words, game in PRESETS.items():
            menu.addAction(words, partial(self.take, game, words))
        self.presets.setMenu(menu)
        for name in ("hand", "quaternion", "length", "mass", "angle", "rates", "lasts"):
            self._add_field(name)
        declared = {one.name: one for one in dials(self.game)}
        for name in self._acts:
            self.add_dial(declared[name], getattr(self.game, name), f"game.{name}", name)
        self.sentence = self.add_note("")
        self.lane.addStretch(1)
        self.show_game()

    def _add_field(self, name: str) -> None:
        title, options = _WORDS[name]
        button = self.add_button("", f"how the game has its {title}" if name != "used" else "Ctrl+U")
        menu = QMenu(button)
        for option, words in options.items():
            label = f"{title} {words}"
            menu.addAction(words, lambda option=option, label=label: self.session.edit(f"game.{name}", option, label))
        button.setMenu(menu)
        self.choices[name] = button

    def take(self, game: Game, words: str) -> None:
        """Takes a setting whole; whether it is used stays."""
        made = game.replace(used=self.game.used)
        self.session.change(self.session.yard.replace(game=made), f"as the game has it: {words}", card=False)

    def face(self, name: str, way: str) -> None:
        """Has another axis point forward or up."""
        made = self.game.facing(name, cast(Way, way))
        self.session.change(self.session.yard.replace(game=made), f"{way} {name}", card=False)

    def show_game(self) -> None:
        """Follows the yard."""
        if self.game.acts() != self._acts:
            self._build()
            return
        for name, button in self.choices.items():
            title, options = _WORDS[name]
            words = options[getattr(self.game, name)]
            button.setText(
                words if name in ("hand",) else f"{title} {words}" if name == "used" else f"{title}: {words}"
            )
            button.setAccessibleName(f"{title}: {words}")
        self.show_dials(self.game)
        self.sentence.setText(self.game.words())
        self.axes.describe()
        self.axes.update()


class AxesDrawing(QWidget):
    """A sled with the axes of the game on it; a click on the one that points forward or up offers others."""

    def __init__(self, panel: GamePanel):
        super().__init__(panel)
        self.panel = panel
        self.setFixedSize(QSize(WIDTH - 20, 148))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(theme.in_tip("a click on forward or up: another axis of the game"))
        self.describe()

    def describe(self) -> None:
        """For those who hear it."""
        accessibility.describe(
            self, "axes of the game", self.panel.game.axes.words(), "F: forward, U: up; Return offers both"
        )

    def label(self, name: str) -> str:
        """The axis of the game that points as one of `_LOOK` does."""
        game = self.panel.game
        if name != "left":
            return str(getattr(game, name))
        letter, sign = game.axes.component("y")
        return letter if sign > 0.0 else f"-{letter}"

    def tip(self, name: str) -> QPointF:
        """px of the end of an axis."""
        right, down = _LOOK[name]
        return self._middle() + QPointF(right, down) * (52.0 if name == "up" else 68.0)

    def _middle(self) -> QPointF:
        return QPointF(0.5 * self.width(), 84.0)

    def keyPressEvent(self, event: Any) -> None:
        chosen = {Qt.Key.Key_F: "forward", Qt.Key.Key_U: "up", Qt.Key.Key_Return: "forward"}.get(event.key())
        if chosen is None:
            super().keyPressEvent(event)
            return
        self.offer(chosen)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        name = min(("forward", "up"), key=lambda one: _far(at, self._middle(), self.tip(one)))
        self.offer(name)

    def menu(self, name: str) -> QMenu:
        """The axes that may point forward or up."""
        made = QMenu(self)
        for way in WAYS:
            action = made.addAction(f"{way} {name}", partial(self.panel.face, name, way))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(way == getattr(self.panel.game, name))
        return made

    def offer(self, name: str) -> None:
        """Opens that menu at its axis."""
        menu = self.menu(name)
        menu.exec(self.mapToGlobal(self.tip(name).toPoint()))
        menu.deleteLater()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self._middle()
        forward, left = (QPointF(*_LOOK[name]) for name in ("forward", "left"))
        body = QPolygonF([middle + forward * a + left * b for a, b in ((34, 10), (34, -10), (-28, -14), (-28, 14))])
        painter.setPen(theme.pen("desk_soft"))
        painter.setBrush(theme.colour("desk"))
        painter.drawPolygon(body)
        for name in _LOOK:
            self._arm(painter, middle, name)
        if self.hasFocus():
            painter.setPen(theme.pen("oak_light"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _arm(self, painter: QPainter, middle: QPointF, name: str) -> None:
        end, fixed = self.tip(name), name == "left"
        ink = theme.colour("desk_soft" if fixed else "oak_light")
        painter.setPen(theme.pen_in(ink, 2.0))
        painter.setBrush(ink)
        painter.drawLine(middle, end)
        way = (end - middle) / math.hypot(end.x() - middle.x(), end.y() - middle.y())
        side = QPointF(-way.y(), way.x())
        painter.drawPolygon(QPolygonF([end + way * 7.0, end + side * 4.0, end - side * 4.0]))
        painter.setPen(theme.colour("desk_text"))
        painter.setFont(theme.font(theme.SMALL, bold=not fixed))
        words = f"{self.label(name)} {name}"
        wide = theme.width(words, painter.font())
        at = {
            "forward": QPointF(end.x() - 0.5 * wide, end.y() + 22.0), "left": QPointF(end.x() - 10.0, end.y() + 22.0),
            "up": QPointF(end.x() + 10.0, end.y() + 4.0),
        }[name]  # fmt: skip
        at.setX(min(max(at.x(), 2.0), self.width() - wide - 2.0))
        painter.drawText(at, words)


def _far(at: QPointF, begin: QPointF, end: QPointF) -> float:
    """px of a point to a line."""
    along = end - begin
    share = QPointF.dotProduct(at - begin, along) / QPointF.dotProduct(along, along)
    nearest = begin + along * min(max(share, 0.0), 1.0)
    return math.hypot(at.x() - nearest.x(), at.y() - nearest.y())
