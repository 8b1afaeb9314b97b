"""Documents of uneven ground and of shapes from files: patches of surface, a relief from a picture, meshes.

What came from a file is kept in the yard, packed, so that a yard stands on its own and a run keeps all it was made of.
"""

import base64
import binascii
import functools
import math
import zlib
from dataclasses import dataclass
from typing import Any, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field

MOST_CELLS = 256
"""Cells of a relief along a side."""
MOST_TRIANGLES = 20_000
"""Triangles of a mesh."""
MOST_PACKED = 4_000_000
"""Characters of packed numbers in a document."""
LengthUnit = Literal["m", "cm", "mm", "in", "ft"]
METRES: dict[str, float] = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
Direction = Literal["+x", "-x", "+y", "-y", "+z", "-z"]


def pack(numbers: NDArray[Any]) -> str:
    """An array of any shape as text: its bytes, compressed, in base 64, little-endian."""
    return base64.b64encode(zlib.compress(np.ascontiguousarray(numbers).tobytes(), 9)).decode("ascii")


def unpack(text: str, kind: str, shape: tuple[int, ...], what: str) -> NDArray[Any]:
    """The array of a shape that `pack` made text of; raises ValueError when it is not that."""
    wanted = int(np.prod(shape)) * np.dtype(kind).itemsize
    try:
        # one byte more than is wanted: a text that holds far more is never spread out in memory
        raw = zlib.decompressobj().decompress(base64.b64decode(text, validate=True), wanted + 1)
    except (binascii.Error, ValueError, zlib.error) as error:
        raise ValueError(f"{what}: it is damaged (numbers packed by this program)") from error
    if len(raw) != wanted:
        raise ValueError(f"{what}: it does not hold {shape} numbers (numbers packed by this program)")
    return np.frombuffer(raw, dtype=kind).reshape(shape)


class Patch(Frozen):
    """A stretch of the ground that is otherwise than the rest: swept, snowed over, rutted."""

    id: str = name_field("its name")
    title: str = Field("", max_length=60, description="display name")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    heading_deg: float = dial(0.0, "°", "heading", low=-360.0, high=360.0)
    length: float = dial(12.0, "m", "along it", low=0.1, high=1e5, slider=(1.0, 60.0))
    width: float = dial(8.0, "m", "across it", low=0.1, high=1e5, slider=(1.0, 60.0))
    grip: float = dial(0.5, "", "factor on grip and friction", low=0.0, high=10.0,
                       slider=(0.0, 2.0), main=True)  # fmt: skip
    glide: float = dial(1.0, "", "factor on sliding resistance", low=0.0, high=100.0, slider=(0.0, 10.0),
                        main=True, title="glide loss")  # fmt: skip
    roughness: float = dial(0.0, "", "load variation by bumps", low=0.0, high=3.0,
                            slider=(0.0, 1.0), main=True)  # fmt: skip

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")


@dataclass(frozen=True)
class Slope:
    """A sloping plane through a point at height 0: it rises by an angle toward a heading. `far` : half its side, m."""

    x: float
    y: float
    far: float
    tilt_deg: float
    rises_to_deg: float

    def normal(self) -> tuple[float, float, float]:
        """Its unit normal, world axes."""
        tilt, to = math.radians(self.tilt_deg), math.radians(self.rises_to_deg)
        return (-math.sin(tilt) * math.cos(to), -math.sin(tilt) * math.sin(to), math.cos(tilt))

    def height(self, x: float, y: float) -> float:
        """m of the plane over a point."""
        to = math.radians(self.rises_to_deg)
        return math.tan(math.radians(self.tilt_deg)) * ((x - self.x) * math.cos(to) + (y - self.y) * math.sin(to))

    def triangles(self) -> Floats:
        """The two triangles of it, facing up, m, shape (2, 3, 3)."""
        spots = [(self.x + i * self.far, self.y + j * self.far) for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        corners = np.array([[x, y, self.height(x, y)] for x, y in spots])
        return corners[[[0, 1, 2], [0, 2, 3]]]


class Relief(Frozen):
    """Uneven ground from a grey picture: black lies low, white high. Beyond its edges the ground is as it was."""

    source: str = Field("", max_length=200, description="the picture it came from")
    columns: int = Field(2, ge=2, le=MOST_CELLS + 1, description="points from west to east")
    rows: int = Field(2, ge=2, le=MOST_CELLS + 1, description="points from north to south")
    data: str = Field("", max_length=MOST_PACKED, description="grey of every point, packed, rows from the north")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-200.0, 200.0))
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-200.0, 200.0))
    length: float = dial(100.0, "m", "from west to east", low=0.5, high=1e5, slider=(10.0, 500.0))
    width: float = dial(100.0, "m", "from south to north", low=0.5, high=1e5, slider=(10.0, 500.0))
    low: float = dial(0.0, "m", "height of black", low=-1e3, high=1e4, slider=(-10.0, 10.0), main=True)
    high: float = dial(4.0, "m", "height of white", low=-1e3, high=1e4, slider=(-10.0, 30.0), main=True)

    @model_validator(mode="after")
    def _readable(self) -> Self:
        self.grey()
        return self

    def __str__(self) -> str:
        return f"{self.source or 'a relief'}, {self.columns} x {self.rows} points"

    __repr__ = __str__

    def grey(self) -> NDArray[np.uint16]:
        """0 to 65535 at every point, rows from the north, shape (rows, columns)."""
        return _grey(self.data, self.rows, self.columns)

    def heights(self) -> Floats:
        """m at every point, rows from the south, shape (rows, columns)."""
        share = self.grey()[::-1].astype(np.float64) / 65535.0
        return np.asarray(self.low + share * (self.high - self.low), dtype=np.float64)

    def triangles(self) -> Floats:
        """Two triangles a cell that look up, world axes, m, shape (n, 3, 3)."""
        xs = self.x + np.linspace(-0.5, 0.5, self.columns) * self.length
        ys = self.y + np.linspace(-0.5, 0.5, self.rows) * self.width
        x, y = np.meshgrid(xs, ys)
        p = np.stack([x, y, self.heights()], axis=2)
        a, b, c, d = p[:-1, :-1], p[:-1, 1:], p[1:, 1:], p[1:, :-1]
        both = np.stack([np.stack([a, b, c], axis=2), np.stack([a, c, d], axis=2)], axis=2)
        return np.ascontiguousarray(both.reshape(-1, 3, 3))


@functools.lru_cache(maxsize=8)
def _grey(data: str, rows: int, columns: int) -> NDArray[np.uint16]:
    return unpack(data, "<u2", (rows, columns), "data") if data else np.zeros((rows, columns), np.uint16)


class Mesh(Frozen):
    """Triangles from a file, which a body takes its shape from."""

    source: str = Field("", max_length=200, description="the file it came from")
    unit: LengthUnit = Field("m", description="what a 1 in the file means")
    up: Direction = Field("+z", description="the axis of the file that points up")
    ahead: Direction = Field("+x", description="the axis of the file that points forward")
    points: int = Field(3, ge=3, le=3 * MOST_TRIANGLES, description="corners")
    triangles: int = Field(1, ge=1, le=MOST_TRIANGLES, description="triangles")
    corner_data: str = Field("", max_length=MOST_PACKED, description="corners, packed, as in the file")
    face_data: str = Field("", max_length=MOST_PACKED, description="three numbers of corners a triangle, packed")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.up[1] == self.ahead[1]:
            raise ValueError(f"ahead: {self.ahead} and up {self.up} are one axis (choose two)")
        corners, faces = _raw(self.corner_data, self.points, self.face_data, self.triangles)
        if not np.all(np.isfinite(corners)) or np.max(np.abs(corners)) * METRES[self.unit] > 1e5:
            raise ValueError("corner_data: a corner is not a number, or past 100 km (finite places within 100 km)")
        if faces.min() < 0 or faces.max() >= self.points:
            raise ValueError(f"face_data: a triangle names a corner that is not there (0 to {self.points - 1})")
        spread = corners[faces].astype(np.float64)
        if not np.any(np.cross(spread[:, 1] - spread[:, 0], spread[:, 2] - spread[:, 0])):
            raise ValueError("face_data: no triangle has an area (a mesh with a surface)")
        return self

    def __str__(self) -> str:
        return f"{self.source or 'a mesh'}, {self.triangles} triangles"

    __repr__ = __str__

    def corners(self) -> Floats:
        """Corners in m, x forward, y left, z up, shape (points, 3)."""
        raw, _ = _raw(self.corner_data, self.points, self.face_data, self.triangles)
        ahead, up = _unit(self.ahead), _unit(self.up)
        axes = np.stack([ahead, np.cross(up, ahead), up])
        return np.asarray(raw.astype(np.float64) @ axes.T * METRES[self.unit], dtype=np.float64)

    def faces(self) -> Ints:
        """Numbers of corners, shape (triangles, 3), anticlockwise from outside."""
        return _raw(self.corner_data, self.points, self.face_data, self.triangles)[1]

    def size(self) -> tuple[float, float, float]:
        """m along, across and up of the box round it."""
        length, width, height = np.ptp(self.corners(), axis=0)
        return float(length), float(width), float(height)

    def within(self, half: tuple[float, float, float]) -> Floats:
        """Its triangles drawn out to fill a box of half extents in m about its middle, shape (triangles, 3, 3)."""
        corners = self.corners()
        low, high = corners.min(axis=0), corners.max(axis=0)
        spans = np.where(high - low > 1e-12, high - low, 1.0)
        placed = ((corners - 0.5 * (low + high)) / spans * 2.0) * np.array(half)
        return np.ascontiguousarray(placed[self.faces()])


def _unit(direction: str) -> Floats:
    made = np.zeros(3)
    made["xyz".index(direction[1])] = 1.0 if direction[0] == "+" else -1.0
    return made


@functools.lru_cache(maxsize=32)
def _raw(corners: str, points: int, faces: str, triangles: int) -> tuple[NDArray[np.float32], Ints]:
    found = unpack(corners, "<f4", (points, 3), "corner_data"), unpack(faces, "<i4", (triangles, 3), "face_data")
    return found[0], found[1].astype(np.int64)


def mesh_of(corners: Floats, faces: Ints, source: str = "", **settings: Any) -> Mesh:
    """A mesh document of corners of shape (n, 3) and triangles of shape (m, 3)."""
    return Mesh(
        source=source,
        points=len(corners),
        triangles=len(faces),
        corner_data=pack(np.asarray(corners, "<f4")),
        face_data=pack(np.asarray(faces, "<i4")),
        **settings,
    )
