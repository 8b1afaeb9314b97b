"""One picture of the yard as numbers: what it shows, and the batches by which a renderer draws it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.yardview import looks, meshes
from oak_sled.desk.yardview.looks import Solid

LEVEL = Ground(id="level")


@dataclass
class Bars:
    """Short bars across a path: x, y, cosine and sine of the way, shape (n, 4); half their length is `width`."""

    places: Floats
    width: float
    colour: tuple[float, float, float]
    alpha: float


@dataclass
class Figure:
    """A craft to draw: position of its origin, rotation (3, 3), turn of its fans (rad)."""

    craft: Craft
    origin: Floats
    axes: Floats
    fan_turn: float
    paint: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    wheels: tuple[tuple[float, float, float], ...] = ()
    """Of every wheel: m it has risen from full droop, and rad it has rolled."""
    loads: tuple[tuple[Floats, float], ...] = ()
    """Of every carried body: where it is, m, world axes, and its diameter, m."""
    fan_axes: tuple[Floats | None, ...] = ()
    """Of every fan, axes whose x is the line of its push, shape (3, 3); None where it is as it is mounted."""
    lean: Floats | None = None
    """A turn for the eye of its body, in its axes, shape (4, 4); None: it is drawn as physics has it."""
    level: float | None = None
    """m of the ground below, on which its shadow lies; None: as the ground of the scene says."""

    def reach(self) -> float:
        """m from its origin within which all of it lies, its fans and wheels with it."""
        body = self.craft.body
        return 1.5 * float(np.linalg.norm(np.abs(body.middle()) + np.array(body.half_extents()))) + 0.5


@dataclass
class Scene:
    """All that one picture shows. subject : x, y, z and radius, m, of what nothing may hide; radius 0: nothing. crowd :
    there are many figures, each small: their shadows are those of boxes."""

    ground: Ground
    figures: list[Figure] = field(default_factory=list)
    places: Floats | None = None  # of moving blocks, shape (blocks, 7)
    bands: list[meshes.Band] = field(default_factory=list)
    bars: Bars | None = None
    subject: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    crowd: bool = False
    images: list[Floats] = field(default_factory=lambda: [np.zeros(3)])
    """Ways, m, by which what never moves is drawn: see `images`."""
    tiles: Floats | None = None
    """Triangles of pieces of ground, shape (corners, 9): place, normal, colour."""
    own: frozenset[str] = frozenset()
    """Ids of the bodies of the craft that is looked at, which never fade; none told: no craft does."""

    def split(self, eye: Floats) -> tuple[list[Figure], list[Figure]]:
        """The crafts that are drawn as they are, and those that fade since they may stand between an eye, m, and the
        subject; what belongs to the subject never does."""
        plain: list[Figure] = []
        fading: list[Figure] = []
        for one in self.figures:
            other = one.craft.id not in self.own or one.paint[3] > 0.0
            asked = bool(self.own) and other and self.subject[3] > 0.0 and not self.crowd
            before = asked and looks.is_veil(np.array([[*one.origin, one.reach()]]), eye, self.subject)
            (fading if before else plain).append(one)
        return plain, fading


Draw = tuple[Solid, Floats, tuple[float, float, float, float], float | None]
"""A mesh, where it stands, what it is painted over with, and the level of the ground below, where that is known."""


@dataclass
class Batch:
    """A solid and all places where it stands, drawn in one call. places : shape (n, 21), see `looks.PLACE`."""

    solid: Solid
    places: np.ndarray
    corners: int = -1
    """Number of vertices of the mesh; -1: all."""
    first: int = 0
    """The first of them."""

    def shaded(self, colour: tuple[float, float, float]) -> Batch:
        """The same in one colour: its shadows."""
        dark = self.places.copy()
        dark[:, 16:20] = (*colour, 1.0)
        return Batch(self.solid, dark, self.corners, self.first)


WHERE_IT_IS = np.array([[*np.eye(4).reshape(-1), 0.0, 0.0, 0.0, 0.0, 0.0]], "f4")
"""The one place of a mesh that stands as it is, not painted over."""


def batches(draws: list[Draw], ground: Ground) -> list[Batch]:
    """Draws, those of one mesh together."""
    found: dict[int, tuple[Solid, list[Floats]]] = {}
    uneven = ground_shape.is_uneven(ground)
    for array, model, paint, level in draws:
        if level is None:
            level = level_below(ground, model) if uneven else 0.0
        row = np.empty(looks.PLACE, "f4")
        row[:16], row[16:20], row[20] = model.T.reshape(-1), paint, level
        found.setdefault(id(array), (array, []))[1].append(row)
    return [Batch(array, np.stack(rows)) for array, rows in found.values()]


PLAINLY = (0.0, 0.0, 0.0, 0.0)
"""Painted over with nothing."""


def level_below(ground: Ground, model: Floats) -> float:
    """m of the ground under a body, on which its shadow lies."""
    if not ground_shape.is_uneven(ground):
        return 0.0
    return ground_shape.height_at(ground, float(model[0, 3]), float(model[1, 3])) or 0.0
