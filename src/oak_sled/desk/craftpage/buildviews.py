"""The views of the working drawing of a craft, and what is taken hold of in them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF

from oak_sled.core.assembly import starts
from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.context import Spot
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.limb import Limb


@dataclass(frozen=True)
class View:
    """One view: the craft axes that go right and up on the paper, their signs, and its box, px."""

    name: str
    across: int
    up: int
    sign: float
    box: QRectF
    middle: tuple[float, float]  # m, of the axes across and up, in the middle of the box
    scale: float  # px a metre
    frame: tuple[Floats, Floats] | None = None
    """The origin, m, and the axes of the body whose places it takes, in those of the craft; None for its own."""

    def on(self, body: Body) -> View:
        """The same view, for places of a body of the craft."""
        return self if not isinstance(body, Limb) else replace(self, frame=starts.on_craft(body))

    def at(self, spot: Spot) -> QPointF:
        """A place of the body, m from its origin, in px."""
        if self.frame is not None:
            x, y, z = (self.frame[0] + self.frame[1] @ np.array(spot)).tolist()
            spot = (x, y, z)
        x = self.sign * spot[self.across] - self.middle[0]
        y = spot[self.up] - self.middle[1]
        return QPointF(self.box.center().x() + x * self.scale, self.box.center().y() - y * self.scale)

    def place(self, px: QPointF, spot: Spot) -> Spot:
        """The place under a px, at the depth of `spot`, m from the origin of the body."""
        made = list(spot) if self.frame is None else (self.frame[0] + self.frame[1] @ np.array(spot)).tolist()
        made[self.across] = self.sign * ((px.x() - self.box.center().x()) / self.scale + self.middle[0])
        made[self.up] = (self.box.center().y() - px.y()) / self.scale + self.middle[1]
        if self.frame is not None:
            made = (self.frame[1].T @ (np.array(made) - self.frame[0])).tolist()
        return (made[0], made[1], made[2])


@dataclass(frozen=True)
class Mark:
    """A mount on the paper: its part (or BODIES, TIES and a name), its number (-1: the middle of linked ones), its
    place, and its view."""

    part: str
    number: int
    spot: Spot
    view: View
