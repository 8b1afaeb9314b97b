"""Builds a scene from plain numbers: pieces in the axes of their solid, solids, triangles, materials."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np

from oak_sled.core.contact import solver, things
from oak_sled.core.contact.manifold import SCRATCH
from oak_sled.core.contact.things import CYLINDER, FREE, POINTS, Scene
from oak_sled.core.kernel import surface
from oak_sled.core.kernel.state import Floats, Ints, Records

ROUNDING = 0.02
"""m by which the core of a box or hull is drawn in, at most; and a twentieth of its least width."""
CONTACTS_EACH, NEIGHBOURS_EACH = 48, 64
"""Contact points and neighbours that there is room for, for every body."""
SHARP = math.radians(2.0)
"""Angle past which the edge between two triangles stands out."""


@dataclass(frozen=True)
class Piece:
    """A convex piece. corners : core, shape (n, 3), m; faces : outlines of shape (k, 3), anticlockwise from outside."""

    corners: Floats
    radius: float = 0.0
    faces: tuple[Floats, ...] = ()
    cylinder: tuple[float, float] | None = None  # radius and half length; corners hold its middle and its axis
    rub: float = 1.0  # times the friction of its solid
    normals: Floats = field(default_factory=lambda: np.zeros((0, 3)))  # outward, a row a face
    part: int = -1  # the runner that it stands for, and on which side
    row: int = 0

    @property
    def spots(self) -> Floats:
        """Points whose hull, with the radius, holds the piece, shape (n, 3)."""
        if self.cylinder is not None:
            far = math.hypot(*self.cylinder)
            return np.concatenate([self.corners[:1] + far * np.eye(3), self.corners[:1] - far * np.eye(3)])
        return np.concatenate([self.corners, *self.faces]) if self.faces else self.corners

    def moved(self, rotation: Floats, offset: Floats) -> Piece:
        """The piece turned by a matrix of shape (3, 3), then moved by `offset`, m."""
        turned = self.corners @ rotation.T + offset
        if self.cylinder is not None:
            turned[1] -= offset
        faces = tuple(face @ rotation.T + offset for face in self.faces)
        return replace(self, corners=turned, faces=faces, normals=self.normals @ rotation.T)

    def rod_of(self, part: int, row: int) -> Piece:
        """The piece without friction, as the rod of a runner that has its own."""
        return replace(self, rub=0.0, part=part, row=row)


def ball(radius: float) -> Piece:
    """A ball of `radius` m."""
    return Piece(np.zeros((1, 3)), radius)


def capsule(radius: float, half: float) -> Piece:
    """A rod along x with round ends: `half` m from its middle to the middle of an end."""
    return Piece(np.array([[half, 0.0, 0.0], [-half, 0.0, 0.0]]), radius)


def cylinder(radius: float, half: float, axis: Sequence[float] = (0.0, 0.0, 1.0)) -> Piece:
    """A cylinder about `axis`, `half` m from its middle to an end."""
    return Piece(np.array([[0.0, 0.0, 0.0], axis], dtype=float), 0.0, (), (radius, half))


_BOX_FACES = ((0, 2, 6, 4), (1, 5, 7, 3), (0, 4, 5, 1), (2, 3, 7, 6), (0, 1, 3, 2), (4, 6, 7, 5))
_WEDGE_FACES = ((0, 2, 3, 1), (1, 3, 5, 4), (0, 4, 5, 2), (0, 1, 4), (2, 5, 3))


def box(half: Sequence[float] | Floats) -> Piece:
    """A box of half extents in m."""
    return _box(*(float(size) for size in half))


@functools.lru_cache(maxsize=512)
def _box(*half: float) -> Piece:
    signs = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], dtype=float)
    return polytope(signs * np.asarray(half, dtype=float), _BOX_FACES)


def wedge(half: Sequence[float] | Floats) -> Piece:
    """A ramp that rises along x from nothing to its full height; half extents of the box round it, m."""
    return _wedge(*(float(size) for size in half))


@functools.lru_cache(maxsize=128)
def _wedge(a: float, b: float, c: float) -> Piece:
    corners = np.array([[-a, -b, -c], [a, -b, -c], [-a, b, -c], [a, b, -c], [a, -b, c], [a, b, c]])
    return polytope(corners, _WEDGE_FACES)


def polytope(corners: Floats, faces: Sequence[Sequence[int]]) -> Piece:
    """A convex solid of flat faces: outlines by number of corner, anticlockwise from outside."""
    outlines = tuple(corners[list(face)] for face in faces)
    normals = np.array([_normal(outline) for outline in outlines])
    offsets = np.array([normal @ outline[0] for normal, outline in zip(normals, outlines, strict=True)])
    widths = [float(np.ptp(corners @ normal)) for normal in normals]
    radius = min(ROUNDING, 0.05 * min(widths))
    meets = [[k for k, face in enumerate(faces) if corner in face] for corner in range(len(corners))]
    for _ in range(4):
        drawn = np.array(
            [
                corner - radius * np.linalg.lstsq(normals[near], np.ones(len(near)), rcond=None)[0]
                for corner, near in zip(corners, meets, strict=True)
            ]
        )
        if np.all(drawn @ normals.T <= offsets - radius + 1e-9):
            return Piece(drawn, radius, outlines, normals=normals)
        radius *= 0.5
    return Piece(corners.copy(), 0.0, outlines, normals=normals)


def _normal(outline: Floats) -> Floats:
    """Unit normal of an outline (Newell's sum, so that no three corners decide it)."""
    ahead = np.roll(outline, -1, axis=0)
    total = np.cross(outline, ahead).sum(axis=0)
    return np.asarray(total / np.linalg.norm(total), dtype=np.float64)


def hull(points: Floats) -> Piece:
    """The convex hull of points of shape (n, 3), m; raises ValueError when they span no volume."""
    from scipy.spatial import ConvexHull, QhullError  # heavy, and most scenes have no hull

    try:
        made = ConvexHull(points)
    except QhullError as error:
        raise ValueError("the points span no volume") from error
    used = sorted(set(made.vertices.tolist()))
    corners = points[used]
    planes: list[tuple[Floats, float]] = []
    for *normal, offset in made.equations:
        if not any(np.dot(normal, n) > 1 - 1e-6 and abs(offset - o) < 1e-6 for n, o in planes):
            planes.append((np.array(normal), offset))
    faces = []
    for normal, offset in planes:
        on = np.flatnonzero(np.abs(corners @ normal + offset) < 1e-6)
        middle = corners[on].mean(axis=0)
        side = corners[on[0]] - middle
        turn = np.arctan2(np.cross(side, corners[on] - middle) @ normal, (corners[on] - middle) @ side)
        ring = [int(k) for k in on[np.argsort(turn)]]
        most = things.MOST_OUTLINE - 2  # a rounder face keeps corners all round it
        faces.append([ring[k * len(ring) // most] for k in range(most)] if len(ring) > most else ring)
    return polytope(corners, faces)


@dataclass
class Solid:
    """A solid to be: see `things.SOLID`. inertia : kg m2, shape (3, 3), its own axes, about the centre of mass."""

    pieces: Sequence[Piece]
    mass: float = 1.0
    inertia: Floats = field(default_factory=lambda: np.eye(3))
    kind: int = FREE
    material: int = 0
    position: Sequence[float] | Floats = (0.0, 0.0, 0.0)
    attitude: Sequence[float] | Floats = (1.0, 0.0, 0.0, 0.0)
    velocity: Sequence[float] | Floats = (0.0, 0.0, 0.0)
    spin: Sequence[float] | Floats = (0.0, 0.0, 0.0)
    free: Sequence[float] = (1.0, 1.0, 1.0)
    free_spin: Sequence[float] = (1.0, 1.0, 1.0)
    gravity_scale: float = 1.0
    sway: Sequence[float] = (0.0, 0.0, 0.0)
    period: float = 1.0
    phase: float = 0.0
    ramp: float = 0.0
    air: float = 0.0
    belt: Sequence[float] = (0.0, 0.0, 0.0)
    asleep: bool = False
    layer: int = 1


def box_inertia(mass: float, half: Sequence[float] | Floats) -> Floats:
    """kg m2 of a solid box, shape (3, 3)."""
    a, b, c = (x * x for x in half)
    return np.diag([mass / 3.0 * (b + c), mass / 3.0 * (a + c), mass / 3.0 * (a + b)])


def ball_inertia(mass: float, radius: float) -> Floats:
    """kg m2 of a solid ball, shape (3, 3)."""
    return 0.4 * mass * radius * radius * np.eye(3)


def capsule_inertia(mass: float, radius: float, half: float) -> Floats:
    """kg m2 of a solid rod along x with half balls at its ends (each by its share of the volume), shape (3, 3)."""
    rod, ends = half * 2.0, radius * 4.0 / 3.0
    m_rod, m_ends = mass * rod / (rod + ends), mass * ends / (rod + ends)
    round_axis = m_rod * radius**2 / 2 + m_ends * 0.4 * radius**2
    across = m_rod * (radius**2 / 4 + half**2 / 3) + m_ends * (0.4 * radius**2 + half**2 + 0.75 * half * radius)
    return np.diag([round_axis, across, across])


def scene(
    solids: Sequence[Solid],
    *,
    plane: bool = True,
    triangles: Floats | Laid | None = None,
    materials: Floats | None = None,
    crafts: Sequence[Solid] = (),
    patches: Records | None = None,
    ground_material: int = 0,
    layers: Ints | None = None,
    reports: Sequence[int] | None = None,
) -> Scene:
    """A scene of solids on the level ground at height 0 (if `plane`) and on triangles of shape (n, 3, 3), m.

    materials : friction and bounce of every pair, shape (m, m, 2). layers : what each does with each, shape (n, n);
    none: all meet. reports : solids of which it may be recorded what is in them; none: all. The ground is solid 0;
    crafts come next.
    """
    ground = Solid((), kind=things.FIXED, material=ground_material, layer=0)
    every = [ground, *crafts, *solids]
    room = max(256, CONTACTS_EACH * len(every))
    pieces = [piece for held in {id(solid.pieces): solid.pieces for solid in every}.values() for piece in held]
    made = Scene(
        solids=np.zeros(len(every), things.SOLID),
        pieces=np.zeros(1 + len(pieces), things.PIECE),
        corners=np.zeros((3 + sum(len(p.corners) for p in pieces), 3)),
        faces=np.zeros(1 + sum(len(p.faces) for p in pieces), things.FACE),
        outline=np.zeros((3 + sum(len(f) for p in pieces for f in p.faces), 3)),
        triangles=np.zeros(0, things.TRIANGLE),
        grid=np.zeros(1, things.GRID),
        grid_first=np.zeros(2, np.int64),
        grid_items=np.zeros(1, np.int64),
        pairs=np.tile([0.5, 0.0], (1, 1, 1)) if materials is None else np.ascontiguousarray(materials, dtype=float),
        layers=np.zeros((2, 2), np.int64) if layers is None else layers,
        joints=np.zeros(0, things.JOINT),
        contacts=np.zeros(room, things.CONTACT),
        before=np.zeros(room, things.CONTACT),
        table=np.zeros(2 * room, np.int64),
        order=np.arange(len(every), dtype=np.int64),
        active=np.zeros(len(every), np.int64),
        couples=np.zeros((NEIGHBOURS_EACH * len(every), 2), np.int64),
        near=np.zeros(2 * NEIGHBOURS_EACH * len(every), np.int64),
        turns=np.zeros(room, np.int64),
        roots=np.zeros(len(every), np.int64),
        counts=np.zeros(9, np.int64),
        answer=np.tile([-1.0, 0.0, 0.0, 0.0], (max(1, len(crafts)), 1)),
        work=np.zeros((SCRATCH, 3)),
        patches=np.zeros(0, surface.PATCH) if patches is None else patches,
        recorded=np.zeros(0, np.int64),
        counted=np.zeros(0, np.int64),
        slots=np.zeros(0, np.int64),
        watched=np.zeros(0, things.WATCHED),
        start=np.zeros(3),
    )
    made.grid["plane"] = int(plane)
    made.pieces[0]["faces"], made.pieces[0]["count"], made.pieces[0]["rub"] = 1, 3, 1.0  # the triangle in hand
    made.faces[0]["count"] = 3
    cursor = [1, 3, 1, 3]
    known: dict[int, np.void] = {}  # solids of one shape share their pieces
    for number, solid in enumerate(every):
        _fill(made, made.solids[number], solid, cursor, known)
    solver.refresh_all(made.solids)
    made.solids["craft"] = made.solids["owner"] = -1
    made.solids["craft"][1 : 1 + len(crafts)] = np.arange(len(crafts))
    watched = slice(1, None) if reports is None else reports
    seen = np.any(made.layers[made.solids["layer"][watched]] == things.REPORTS, axis=1)
    made.solids["reports"][watched] = seen & (made.solids["pieces"][watched] > 0)
    made.counts[things.REPORTING] = np.count_nonzero(made.solids["reports"])
    if isinstance(triangles, Laid):
        return _with_triangles(made, triangles)
    if triangles is not None and len(triangles):
        return _with_triangles(made, lay(np.asarray(triangles, dtype=float)))
    return made


def _fill(made: Scene, row: np.void, solid: Solid, cursor: list[int], known: dict[int, np.void]) -> None:
    twin = known.get(id(solid.pieces))
    if twin is not None:
        for name in ("first_piece", "pieces", "middle", "half", "reach"):
            row[name] = twin[name]
    else:
        known[id(solid.pieces)] = row
        _fill_pieces(made, row, solid.pieces, cursor)
    row["kind"], row["layer"], row["material"], row["mass"] = solid.kind, solid.layer, solid.material, solid.mass
    row["inertia"], row["free_spin"], row["gravity_scale"] = solid.inertia, solid.free_spin, solid.gravity_scale
    row["inverse_mass"] = np.asarray(solid.free) / solid.mass if solid.kind == FREE else 0.0
    row["position"], row["velocity"], row["spin"] = solid.position, solid.velocity, solid.spin
    row["attitude"] = np.asarray(solid.attitude) / np.linalg.norm(solid.attitude)
    row["home"], row["sway"], row["period"] = solid.position, solid.sway, solid.period
    row["phase"], row["ramp"], row["air"], row["belt"] = solid.phase, solid.ramp, solid.air, solid.belt
    row["asleep"] = int(solid.asleep and solid.kind == FREE)


def _fill_pieces(made: Scene, row: np.void, pieces: Sequence[Piece], cursor: list[int]) -> None:
    row["first_piece"], row["pieces"] = cursor[0], len(pieces)
    if pieces:
        spots = np.concatenate([piece.spots for piece in pieces])
        row["middle"] = 0.5 * (spots.min(axis=0) + spots.max(axis=0))
        round_ = [np.repeat([[piece.radius if not piece.faces else 0.0]], len(piece.spots), axis=0) for piece in pieces]
        row["half"] = np.max(np.abs(spots - row["middle"]) + np.concatenate(round_), axis=0)
        row["reach"] = max(
            float(np.max(np.linalg.norm(piece.spots - row["middle"], axis=1))) + piece.radius for piece in pieces
        )
    for piece in pieces:
        _fill_piece(made, made.pieces[cursor[0]], piece, cursor)
        cursor[0] += 1


def _fill_piece(made: Scene, target: np.void, piece: Piece, cursor: list[int]) -> None:
    corner, face, outline = cursor[1:]
    target["part"], target["row"], target["long"] = piece.part, piece.row, int(len(piece.corners) > 1)
    target["rub"], target["radius"], target["centre"] = piece.rub, piece.radius, piece.corners.mean(axis=0)
    if piece.cylinder is not None:
        radius, half = piece.cylinder
        inset = min(ROUNDING, 0.1 * min(radius, half))
        target["kind"], target["centre"], target["axis"] = CYLINDER, piece.corners[0], piece.corners[1]
        target["full_disc"], target["full_half"] = radius, half
        target["disc"], target["half"], target["radius"] = radius - inset, half - inset, inset
        return
    target["kind"], target["first"], target["count"] = POINTS, corner, len(piece.corners)
    made.corners[corner : corner + len(piece.corners)] = piece.corners
    target["first_face"], target["faces"] = face, len(piece.faces)
    for points, normal in zip(piece.faces, piece.normals, strict=True):
        row = made.faces[face]
        row["first"], row["count"], row["normal"] = outline, len(points), normal
        made.outline[outline : outline + len(points)] = points
        face, outline = face + 1, outline + len(points)
    cursor[1], cursor[2], cursor[3] = corner + len(piece.corners), face, outline


class Laid(NamedTuple):
    """Triangles of the ground with the grid that finds them from above; made once, shared by every scene."""

    rows: Records
    grid: Records
    first: Ints
    items: Ints


def lay(triangles: Floats) -> Laid:
    """Triangles of shape (n, 3, 3), m, that face up; those without an area are left out."""
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    sizes = np.linalg.norm(normals, axis=1)
    sound = sizes > 1e-10
    triangles, normals = triangles[sound], normals[sound] / sizes[sound, None]
    rows = np.zeros(len(triangles), things.TRIANGLE)
    rows["corners"], rows["normal"] = triangles, normals
    rows["low"], rows["high"] = triangles.min(axis=1), triangles.max(axis=1)
    rows["sharp"] = _sharp(triangles, normals)
    low, high = rows["low"].min(axis=0), rows["high"].max(axis=0)
    size = np.maximum(high - low, 1e-6)
    cell = max(math.sqrt(size[0] * size[1] / len(triangles)) * 1.5, max(size[0], size[1]) / 512.0)
    nx, ny = max(1, math.ceil(size[0] / cell)), max(1, math.ceil(size[1] / cell))
    top = [nx - 1, ny - 1]
    from_ = np.clip(np.floor((rows["low"][:, :2] - low[:2]) / cell).astype(int), 0, top)
    to = np.clip(np.floor((rows["high"][:, :2] - low[:2]) / cell).astype(int), 0, top)
    wide, tall = (to - from_ + 1).T
    count = wide * tall
    number = np.repeat(np.arange(len(triangles)), count)
    place = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    cells = (from_[number, 1] + place // wide[number]) * nx + from_[number, 0] + place % wide[number]
    order = np.argsort(cells, kind="stable")
    grid = np.zeros(1, things.GRID)
    grid["x"], grid["y"], grid["cell"], grid["nx"], grid["ny"] = low[0], low[1], cell, nx, ny
    first = np.searchsorted(cells[order], np.arange(nx * ny + 1)).astype(np.int64)
    return Laid(rows, grid, first, number[order].astype(np.int64))


def _with_triangles(made: Scene, laid: Laid) -> Scene:
    grid = laid.grid.copy()
    grid["plane"] = made.grid["plane"]
    return made._replace(triangles=laid.rows, grid=grid, grid_first=laid.first, grid_items=laid.items)


def _sharp(triangles: Floats, normals: Floats) -> Ints:
    """1, 2 and 4 for the edges of a triangle that stand out or end the ground; shape (n,)."""
    corners = np.round(triangles.reshape(-1, 3), 6) + 0.0
    _, number = np.unique(corners, axis=0, return_inverse=True)
    spots = number.reshape(-1, 3)
    edges = np.stack([spots, np.roll(spots, -1, axis=1)], axis=2).reshape(-1, 2)
    _, edge, uses = np.unique(np.sort(edges, axis=1), axis=0, return_inverse=True, return_counts=True)
    edge = edge.reshape(-1)
    sharp = np.ones(len(edges), bool)
    order = np.argsort(edge, kind="stable")
    starts = np.cumsum(uses) - uses
    twice = starts[uses == 2]
    one, other = order[twice], order[twice + 1]
    a, b = one // 3, other // 3
    bent = np.arccos(np.clip(np.einsum("ij,ij->i", normals[a], normals[b]), -1.0, 1.0))
    middles = triangles.mean(axis=1)
    sinks = np.einsum("ij,ij->i", middles[b] - middles[a], normals[a]) < 0.0
    stands = (bent > SHARP) & sinks
    sharp[one], sharp[other] = stands, stands
    return np.asarray(sharp.reshape(-1, 3) @ np.array([1, 2, 4]), dtype=np.int64)
