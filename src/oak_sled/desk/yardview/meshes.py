"""Triangles of everything in the yard, built from the documents: shape (n, 10), position, normal, colour, spin."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.geometry import ribbon
from oak_sled.core.yard.ground import Gate, Ground
from oak_sled.desk.widgets import theme

Rgb = tuple[float, float, float]
Fan = tuple[Floats, tuple[float, float, float], Floats]


def _faces(points: Floats, colour: Rgb) -> Floats:
    """Flat-shaded triangles, shape (n, 3, 3), as vertices of shape (3 n, 9)."""
    normals = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    sizes = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = normals / np.where(sizes > 1e-12, sizes, 1.0)
    flat = np.zeros((len(points) * 3, 9))
    flat[:, :3] = points.reshape(-1, 3)
    flat[:, 3:6] = np.repeat(normals, 3, axis=0)
    flat[:, 6:9] = colour
    return flat


def flat(triangles: Floats, colour: Rgb) -> Floats:
    """Triangles of shape (n, 3, 3) in one colour, each lit as it lies."""
    return _faces(triangles, colour)


def quad(a: Floats, b: Floats, c: Floats, d: Floats) -> Floats:
    """Two triangles of a four-cornered face, seen with its corners in turn."""
    return np.array([[a, b, c], [a, c, d]])


def prism(bottom: Floats, top: Floats, colour: Rgb) -> Floats:
    """A solid between two outlines of n corners each, anticlockwise from above, shape (n, 3)."""
    bottom, top = np.asarray(bottom, dtype=np.float64), np.asarray(top, dtype=np.float64)
    after, over = np.roll(bottom, -1, axis=0), np.roll(top, -1, axis=0)
    sides = np.stack([bottom, after, over, bottom, over, top], axis=1).reshape(-1, 3, 3)
    first = [np.broadcast_to(one[0], one[2:].shape) for one in (top, bottom)]
    ends = np.stack([first[0], top[1:-1], top[2:], first[1], bottom[2:], bottom[1:-1]], axis=1).reshape(-1, 3, 3)
    return _faces(np.concatenate([sides, ends]), colour)


@functools.cache
def _cube() -> Floats:
    """A box of half extents 1 about 0, without a colour; copied by who draws it."""
    corners = np.array([(1.0, -1.0), (1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0)])
    low, high = (np.column_stack([corners, np.full(4, z)]) for z in (-1.0, 1.0))
    return prism(low, high, (0.0, 0.0, 0.0))


def box(
    centre: tuple[float, float, float], half: tuple[float, float, float], colour: Rgb, taper: float = 1.0
) -> Floats:
    """A box; its top may be drawn in."""
    if taper == 1.0:
        made = _cube().copy()
        made[:, :3] = centre + made[:, :3] * half
        made[:, 6:9] = colour
        return made
    cx, cy, cz = centre
    hx, hy, hz = half
    corners = ((1, -1), (1, 1), (-1, 1), (-1, -1))
    bottom = np.array([[cx + sx * hx, cy + sy * hy, cz - hz] for sx, sy in corners])
    top = np.array([[cx + sx * hx * taper, cy + sy * hy * taper, cz + hz] for sx, sy in corners])
    return prism(bottom, top, colour)


def disc(centre: tuple[float, float, float], radius: float, length: float, colour: Rgb, sides: int = 24) -> Floats:
    """A short cylinder along x."""
    x, y, z = centre
    turn = np.linspace(0.0, 2.0 * math.pi, sides, endpoint=False)
    ring = np.stack([np.zeros(sides), radius * np.cos(turn), radius * np.sin(turn)], axis=1)
    back, front = ring + [x - length / 2, y, z], ring + [x + length / 2, y, z]
    return prism(back, front, colour)


def hoop(centre: tuple[float, float, float], inner: float, outer: float, length: float, colour: Rgb) -> Floats:
    """A ring along x."""
    x, y, z = centre
    sides = 28
    turn = np.linspace(0.0, 2.0 * math.pi, sides + 1)
    pieces = []
    for a, b in zip(turn[:-1], turn[1:], strict=True):

        def at(angle: float, radius: float, dx: float) -> Floats:
            return np.array([x + dx, y + radius * math.cos(angle), z + radius * math.sin(angle)])

        h = length / 2
        pieces.append(quad(at(a, outer, -h), at(a, outer, h), at(b, outer, h), at(b, outer, -h)))
        pieces.append(quad(at(a, inner, h), at(a, inner, -h), at(b, inner, -h), at(b, inner, h)))
        pieces.append(quad(at(a, inner, -h), at(a, outer, -h), at(b, outer, -h), at(b, inner, -h)))
        pieces.append(quad(at(a, outer, h), at(a, inner, h), at(b, inner, h), at(b, outer, h)))
    return _faces(np.concatenate(pieces), colour)


def ball(centre: tuple[float, float, float], radius: float, colour: Rgb, rows: int = 10, columns: int = 18) -> Floats:
    """A ball of flat facets: `rows` from pole to pole, `columns` round it."""
    pieces = []

    def at(i: int, j: int) -> Floats:
        polar, turn = math.pi * i / rows, 2.0 * math.pi * j / columns
        out = [math.sin(polar) * math.cos(turn), math.sin(polar) * math.sin(turn), math.cos(polar)]
        return np.array(centre) + radius * np.array(out)

    for i in range(rows):
        for j in range(columns):
            pieces.append(quad(at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)))
    return _faces(np.concatenate(pieces), colour)


def _walls(ground: Ground) -> list[tuple[float, float, float, float, float, float]]:
    """Its walls, those at its edges too: middle (m), heading (rad), length, width and the height that is drawn (m)."""
    walls = [(w.x, w.y, w.heading_deg, w.length, w.width, w.height) for w in ground.walls]
    if ground.edges == "wall":
        low_x, low_y, high_x, high_y = ground.edges_at()
        walls += [(ground.middle_x, y, 0.0, ground.length + 2.0, 1.0, 1.0) for y in (low_y - 0.5, high_y + 0.5)]
        walls += [(x, ground.middle_y, 90.0, ground.width, 1.0, 1.0) for x in (low_x - 0.5, high_x + 0.5)]
    return [(x, y, math.radians(deg), length, width, min(tall, 2.0)) for x, y, deg, length, width, tall in walls]


def _poles(gate: Gate) -> list[tuple[float, float]]:
    """Positions of the two poles of a gate, m."""
    angle = math.radians(gate.heading_deg)
    aside = np.array([-math.sin(angle), math.cos(angle)]) * gate.width / 2
    return [(gate.x + sign * aside[0], gate.y + sign * aside[1]) for sign in (1.0, -1.0)]


def ground_mesh(ground: Ground) -> Floats:
    """Walls of sawn ice and gate poles; m, world axes."""
    ice = theme.rgb("saw_ice")
    pieces = [piece for wall in _walls(ground) for piece in _sawn_wall(*wall, ice)]
    for k, gate in enumerate(ground.gates):
        flag = theme.family("impulse" if k % 2 else "air")
        colour = (flag.redF(), flag.greenF(), flag.blueF())
        for px, py in _poles(gate):
            pieces.append(box((px, py, 0.75), (0.05, 0.05, 0.75), theme.rgb("iron")))
            pieces.append(box((px, py, 1.28), (0.07, 0.07, 0.18), colour))
    return np.concatenate(pieces).astype("f4") if pieces else np.zeros((0, 9), "f4")


def shade_mesh(ground: Ground) -> Floats:
    """Mesh that casts the shadows of walls and gate poles: a box each, where a wall is drawn as many blocks."""
    none = (0.0, 0.0, 0.0)
    pieces = []
    for x, y, angle, length, width, height in _walls(ground):
        tall = 0.94 * height  # as low as the lowest block
        made = box((0.0, 0.0, tall / 2), (length / 2, width / 2, tall / 2), none)
        pieces.append(_turned(made, x, y, angle))
    for gate in ground.gates:
        pieces += [box((px, py, 0.75), (0.06, 0.06, 0.75), none) for px, py in _poles(gate)]
    return np.concatenate(pieces).astype("f4") if pieces else np.zeros((0, 9), "f4")


STEEPER = 3.0
"""Factor by which a relief is lit steeper than it is."""


def relief_mesh(ground: Ground) -> tuple[Floats, Ints]:
    """The relief with the shade of its slopes smoothed over corners: vertices of shape (n, 9), each once, and the three
    of every triangle, shape (m, 3)."""
    if ground.relief is None:
        return np.zeros((0, 9), "f4"), np.zeros((0, 3), "i4")
    relief = ground.relief
    z = relief.heights()
    dy, dx = np.gradient(z, relief.width / (relief.rows - 1), relief.length / (relief.columns - 1))
    # low folds would hardly be seen
    normals = np.stack([-STEEPER * dx, -STEEPER * dy, np.ones_like(z)], axis=2)
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    made = np.zeros((z.size, 9), "f4")
    xs = relief.x + np.linspace(-0.5, 0.5, relief.columns) * relief.length
    ys = relief.y + np.linspace(-0.5, 0.5, relief.rows) * relief.width
    made[:, 0], made[:, 1] = (one.reshape(-1) for one in np.meshgrid(xs, ys))
    made[:, 2] = z.reshape(-1)
    made[:, 3:6] = normals.reshape(-1, 3)
    # the higher the whiter, so that folds are seen even where the light falls along them
    low, high = float(z.min()), max(float(z.max()), float(z.min()) + 1e-6)
    share = ((made[:, 2] - low) / (high - low))[:, None]
    dark, light = np.array(theme.rgb("ice_dark")), np.array(theme.rgb("saw_ice"))
    made[:, 6:9] = dark * (1.0 - share) + light * share
    at = np.arange(z.size).reshape(z.shape)
    a, b, c, d = at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]
    both = np.stack([np.stack([a, b, c], axis=2), np.stack([a, c, d], axis=2)], axis=2)
    return made, both.reshape(-1, 3).astype("i4")


def slope_mesh(ground: Ground) -> Floats:
    """The plane of a ground that slopes; vertices of shape (n, 9)."""
    slope = ground.slope()
    if slope is None:
        return np.zeros((0, 9), "f4")
    made = np.zeros((6, 9), "f4")
    made[:, :3] = slope.triangles().reshape(-1, 3)
    made[:, 3:6] = slope.normal()
    made[:, 6:9] = theme.rgb("ice")
    return made


def patches(ground: Ground) -> list[Band]:
    """Stretches of surface as tinted bands on the ice."""
    found = []
    for patch in ground.patches:
        turn = math.radians(patch.heading_deg)
        along = np.array([math.cos(turn), math.sin(turn), 0.0]) * 0.5 * patch.length
        middle = np.array([patch.x, patch.y, 0.004])
        steps = np.linspace(-1.0, 1.0, 2 + int(patch.length // 20.0))
        tone = theme.rgb("ice_dark" if patch.grip < 1.0 else "saw_ice")
        found.append(Band(middle + steps[:, None] * along, patch.width, (*tone, 0.55)))
    return found


def _sawn_wall(x: float, y: float, angle: float, length: float, width: float, height: float, ice: Rgb) -> list[Floats]:
    """Blocks side by side, each a little other in shade and height, as they come off a saw."""
    count = max(1, min(60, round(length / 2.4)))
    pieces = []
    for k in range(count):
        along = (k + 0.5) / count * length - length / 2
        shade = 1.0 + 0.05 * math.sin(7.3 * k + x)
        tall = height * (0.94 + 0.06 * math.cos(5.1 * k + y))
        block = box(
            (along, 0.0, tall / 2),
            (length / count / 2 - 0.02, width / 2, tall / 2),
            (min(1.0, ice[0] * shade), min(1.0, ice[1] * shade), min(1.0, ice[2] * shade)),
        )
        pieces.append(_turned(block, x, y, angle))
    return pieces


def _turned(mesh: Floats, x: float, y: float, angle: float) -> Floats:
    """A mesh about 0, turned to the left and put to a place."""
    turn = np.array([[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]])
    mesh[:, :2] = mesh[:, :2] @ turn + (x, y)
    mesh[:, 3:5] = mesh[:, 3:5] @ turn
    return mesh


@dataclass
class Band:
    """A flat band: points of shape (n, 3), m, with width, colour and opacity, where it is drawn, and by what its
    opacity is multiplied at each point."""

    points: Floats
    width: float
    paint: tuple[float, float, float, float]
    on: NDArray[np.bool_] | None = None
    strength: Floats | None = None


SLACK = 0.125
"""Widths of a band by which it may miss its points: a quarter of a px where it is drawn two px wide."""


def ribbons(bands: Sequence[Band], breaks: float = 30.0) -> Floats:
    """Level bands as triangles: corners with their colour, shape (m, 7); parted where one jumps or is off.

    All bands go through as one row of points, parted between them: a picture has a dozen.
    """
    bands = [band for band in bands if len(band.points) > 1]
    if not bands:
        return np.zeros((0, 7), "f4")
    ends = np.cumsum([len(band.points) for band in bands]).tolist()
    on, strength = np.ones(ends[-1]), np.ones(ends[-1])
    for band, end in zip(bands, ends, strict=True):
        if band.on is not None:
            on[end - len(band.points) : end] = band.on
        if band.strength is not None:
            strength[end - len(band.points) : end] = band.strength
    # what fades along its way keeps all its points: between two of them its strength is drawn as a straight line
    looks = [(one.width, 0.0 if one.strength is not None else SLACK * one.width, *one.paint) for one in bands]
    points = np.concatenate([band.points for band in bands])
    return ribbon.corners(points, on, strength, ends, looks, breaks).astype("f4")


def crossbars(places: Floats, half: float) -> Floats:
    """Bars across a way, 10 cm thick: triangles of shape (m, 3) from (n, 5) of x, y, z, cosine, sine."""
    if not len(places):
        return np.zeros((0, 3), "f4")
    flat = np.zeros(len(places))
    middle, way = places[:, :3], np.column_stack([places[:, 3:] * 0.05, flat])
    side = np.column_stack([-places[:, 4], places[:, 3], flat]) * half
    a, b, c, d = middle - way + side, middle - way - side, middle + way - side, middle + way + side
    return np.stack([a, b, c, a, c, d], axis=1).reshape(-1, 3).astype("f4")


def painted(corners: Floats, paint: tuple[float, float, float, float]) -> Floats:
    """Corners of shape (n, 3) with one colour each: shape (n, 7)."""
    made = np.empty((len(corners), 7), "f4")
    made[:, :3], made[:, 3:] = corners, paint
    return made


def hills() -> tuple[Floats, Floats]:
    """A far ring of low hills: triangles of shape (n, 3), and the sky behind them is plain."""
    turn = np.linspace(0.0, 2.0 * math.pi, 97)
    far = 1900.0
    high = 26.0 + 22.0 * np.sin(3.0 * turn + 0.6) + 14.0 * np.sin(7.0 * turn) + 9.0 * np.sin(17.0 * turn + 2.0)
    high = np.maximum(high, 6.0)
    ring = np.stack([far * np.cos(turn), far * np.sin(turn)], axis=1)
    pieces = []
    for k in range(len(turn) - 1):
        a, b = ring[k], ring[k + 1]
        pieces.append([[*a, -2.0], [*b, -2.0], [*b, high[k + 1]]])
        pieces.append([[*a, -2.0], [*b, high[k + 1]], [*a, high[k]]])
    return np.array(pieces, "f4").reshape(-1, 3), high
