"""Metres and pixels of a plan: what is in sight, and the places of the paper under the pointer."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPolygonF
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.ground.groundsection import SECTION, Item, size_of


class PlanFrame(QWidget):
    """A widget that shows places to scale. What it shows, and whether it is held, say those that draw on it."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.zoom, self.shift = 1.0, QPointF(0, 0)
        self._held = self._frame_of = (0.0, 0.0, 1.0)
        self._painting: tuple[float, float, float, QPointF] | None = None
        self._frame_key: tuple[object, ...] = ()
        self._frame_sources: tuple[object, ...] = ()

    @property
    def ground(self) -> Ground:
        """The ground that is shown."""
        raise NotImplementedError

    def objects(self) -> list[tuple[str, Item]]:
        """Everything on it, by path below the ground."""
        raise NotImplementedError

    def is_held(self) -> bool:
        """True if something is dragged."""
        raise NotImplementedError

    def box(self) -> QRectF:
        """The plan in the widget, px; the section is below it."""
        return QRectF(0, 0, self.width(), self.height() - SECTION)

    def scale(self) -> float:
        """px of a metre."""
        return self._view()[2]

    def _frame(self) -> tuple[float, float, float]:
        """Middle of what is in sight, m, and px of a metre: found once a change, not once a point."""
        sources, box = self._sources(), self.box()
        key = (box.width(), box.height(), self.zoom, *(id(one) for one in sources))
        if key != self._frame_key:
            low_x, low_y, high_x, high_y = self._extent()
            scale = min(box.width() / (high_x - low_x), box.height() / (high_y - low_y)) * 0.92 * self.zoom
            self._frame_of = ((low_x + high_x) / 2, (low_y + high_y) / 2, scale)
            # the sources are kept, so that no other object comes to have their id
            self._frame_key, self._frame_sources = key, sources
        return self._frame_of

    def _sources(self) -> tuple[object, ...]:
        """The frozen values that the extent follows."""
        return (self.ground,)

    def _extent(self) -> tuple[float, float, float, float]:
        """The box of all that lies there, with room round it; never more than the ground."""
        spots = [(item.x, item.y, 0.5 * max(size_of(item))) for _, item in self.objects()]
        edges = self.ground.edges_at()
        if not spots:
            return edges
        low_x, low_y = min(x - s for x, _, s in spots) - 6.0, min(y - s for _, y, s in spots) - 6.0
        high_x, high_y = max(x + s for x, _, s in spots) + 6.0, max(y + s for _, y, s in spots) + 6.0
        return low_x, low_y, high_x, high_y

    def hold_frame(self) -> None:
        """Keeps the scale while something is dragged, so that the drawing does not slide away under the pointer."""
        self._held = self._frame()

    def _view(self) -> tuple[float, float, float, QPointF]:
        """Middle, m, px of a metre, and the px where the middle lies."""
        if self._painting is not None:
            return self._painting
        middle_x, middle_y, scale = self._frame() if not self.is_held() else self._held
        return middle_x, middle_y, scale, self.box().center() + self.shift

    @contextlib.contextmanager
    def one_view(self) -> Iterator[None]:
        """One scale for everything that is drawn or sought inside, found once and not once a point."""
        self._painting = self._view()
        try:
            yield
        finally:
            self._painting = None

    def at(self, x: float, y: float) -> QPointF:
        """A place in px."""
        middle_x, middle_y, scale, centre = self._view()
        return QPointF(centre.x() + (x - middle_x) * scale, centre.y() - (y - middle_y) * scale)

    def line_of(self, places: Floats) -> QPolygonF:
        """Places, shape (n, 2), m, as a line in px."""
        middle_x, middle_y, scale, centre = self._view()
        px = centre.x() + (places[:, 0] - middle_x) * scale
        py = centre.y() - (places[:, 1] - middle_y) * scale
        return QPolygonF(map(QPointF, px.tolist(), py.tolist()))

    def place(self, px: QPointF) -> tuple[float, float]:
        """The place under a px, m."""
        middle_x, middle_y, scale, centre = self._view()
        return (px.x() - centre.x()) / scale + middle_x, (centre.y() - px.y()) / scale + middle_y
