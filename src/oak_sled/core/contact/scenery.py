"""Builds a scene from plain numbers: pieces in the axes of their solid, solids, triangles, materials."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from oak_sled.core.base.arrays import Floats, Ints, Records
from oak_sled.core.contact import chain, crossing, linkkind, loosebodies, railway, records
from oak_sled.core.contact.grid import Laid, lay
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.contact.manifold import SCRATCH
from oak_sled.core.contact.records import CYLINDER, FREE, POINTS, Scene
from oak_sled.core.geometry.shapes import ROUNDING, Piece
from oak_sled.core.kernel import surface

CONTACTS_EACH, NEIGHBOURS_EACH = 48, 64
"""Contact points and neighbours that there is room for, for every body."""


@dataclass
class Solid:
    """A solid to be: see `records.SOLID`. inertia : kg m2, shape (3, 3), its own axes, about the centre of mass."""

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
    catches: bool = False
    layer: int = 1


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
    none: all collide. reports : solids of which it may be recorded what is in them; none: all. The ground is solid 0;
    crafts come next.
    """
    ground = Solid((), kind=records.FIXED, material=ground_material, layer=0)
    every = [ground, *crafts, *solids]
    room = max(256, CONTACTS_EACH * len(every))
    pieces = [piece for held in {id(solid.pieces): solid.pieces for solid in every}.values() for piece in held]
    made = Scene(
        solids=np.zeros(len(every), records.SOLID),
        pieces=np.zeros(1 + len(pieces), records.PIECE),
        corners=np.zeros((3 + sum(len(p.corners) for p in pieces), 3)),
        faces=np.zeros(1 + sum(len(p.faces) for p in pieces), records.FACE),
        outline=np.zeros((3 + sum(len(f) for p in pieces for f in p.faces), 3)),
        triangles=np.zeros(0, records.TRIANGLE),
        grid=np.zeros(1, records.GRID),
        grid_first=np.zeros(2, np.int64),
        grid_items=np.zeros(1, np.int64),
        grid_top=np.zeros(1),
        block_top=np.zeros(1),
        pairs=np.tile([0.5, 0.0], (1, 1, 1)) if materials is None else np.ascontiguousarray(materials, dtype=float),
        layers=np.zeros((2, 2), np.int64) if layers is None else layers,
        joints=np.zeros(0, records.JOINT),
        links=linkkind.room(0),
        chain=np.zeros((0, chain.COLUMNS)),
        rails=np.zeros(0, railway.RAIL),
        rail_points=np.zeros((0, 9)),
        ties=np.zeros(0, records.TIE),
        energy=np.zeros((len(every), 2)),
        tie_rows=np.zeros((0, 0)),
        tie_right=np.zeros(0),
        contacts=np.zeros(room, records.CONTACT),
        before=np.zeros(room, records.CONTACT),
        table=np.zeros(2 * room, np.int64),
        order=np.arange(len(every), dtype=np.int64),
        active=np.zeros(len(every), np.int64),
        couples=np.zeros((NEIGHBOURS_EACH * len(every), 2), np.int64),
        near=np.zeros(2 * NEIGHBOURS_EACH * len(every), np.int64),
        sighted=np.zeros(len(every), np.int64),
        turns=np.zeros(room, np.int64),
        roots=np.zeros(len(every), np.int64),
        counts=np.zeros(9, np.int64),
        answer=np.tile([-1.0, 0.0, 0.0, 0.0], (max(1, len(crafts)), 1)),
        work=np.zeros((SCRATCH, 3)),
        patches=np.zeros(0, surface.PATCH) if patches is None else patches,
        recorded=np.zeros(0, np.int64),
        counted=np.zeros(0, np.int64),
        slots=np.zeros(0, np.int64),
        watched=np.zeros(0, records.WATCHED),
        start=np.zeros(3),
        period=np.zeros(3),
        follows=np.full(len(every), crossing.ALONE, np.int64),
        ranks=np.zeros(0, np.int64),
        immersed=np.zeros((len(every), 0, 2)),
        origins=np.zeros((0, 7)),
        wet=np.zeros((0, 3, 3)),
        wet_first=np.zeros(len(every) + 1, np.int64),
        wet_volume=np.zeros(len(every)),
    )
    made.grid["plane"] = int(plane)
    made.pieces[0]["faces"], made.pieces[0]["count"], made.pieces[0]["friction_scale"] = (
        1,
        3,
        1.0,
    )  # the current triangle
    made.faces[0]["count"] = 3
    cursor = [1, 3, 1, 3]
    known: dict[int, np.void] = {}  # solids of one shape share their pieces
    for number, solid in enumerate(every):
        _fill(made, made.solids[number], solid, cursor, known)
    loosebodies.refresh_all(made.solids)
    made.solids["craft"] = made.solids["owner"] = -1
    made.solids["craft"][1 : 1 + len(crafts)] = np.arange(len(crafts))
    watched = slice(1, None) if reports is None else reports
    seen = np.any(made.layers[made.solids["layer"][watched]] == records.REPORTS, axis=1)
    made.solids["reports"][watched] = seen & (made.solids["pieces"][watched] > 0)
    made.counts[records.REPORTING] = np.count_nonzero(made.solids["reports"])
    if isinstance(triangles, Laid):
        return _with_triangles(made, triangles)
    if triangles is not None and len(triangles):
        return _with_triangles(made, lay(np.asarray(triangles, dtype=float)))
    return made


def _fill(made: Scene, row: np.void, solid: Solid, cursor: list[int], known: dict[int, np.void]) -> None:
    twin = known.get(id(solid.pieces))
    if twin is not None:
        for name in ("first_piece", "pieces", "middle", "half", "reach", "ball"):
            row[name] = twin[name]
    else:
        known[id(solid.pieces)] = row
        _fill_pieces(made, row, solid.pieces, cursor)
    row["kind"], row["layer"], row["material"], row["mass"] = solid.kind, solid.layer, solid.material, solid.mass
    row["inertia"], row["free_spin"], row["gravity_scale"] = solid.inertia, solid.free_spin, solid.gravity_scale
    row["inverse_mass"] = np.asarray(solid.free) / solid.mass if solid.kind == FREE else 0.0
    put(row, solid)
    row["catches"] = int(solid.catches)
    row["sway"], row["period"] = solid.sway, solid.period
    row["phase"], row["ramp"], row["air"], row["belt"] = solid.phase, solid.ramp, solid.air, solid.belt
    row["asleep"] = int(solid.asleep and solid.kind == FREE)


def put(row: np.void, solid: Solid) -> None:
    """Writes where a solid is and how it moves into its row; `loosebodies.refresh_all` brings what follows from it."""
    row["position"], row["velocity"], row["spin"] = solid.position, solid.velocity, solid.spin
    row["attitude"] = np.asarray(solid.attitude) / np.linalg.norm(solid.attitude)
    row["home"] = solid.position


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
        row["ball"] = row["reach"] + np.linalg.norm(row["middle"])
    for piece in pieces:
        _fill_piece(made, made.pieces[cursor[0]], piece, cursor)
        cursor[0] += 1


def _fill_piece(made: Scene, target: np.void, piece: Piece, cursor: list[int]) -> None:
    corner, face, outline = cursor[1:]
    target["part"], target["row"], target["long"] = piece.part, piece.row, int(len(piece.corners) > 1)
    target["friction_scale"], target["radius"], target["centre"] = (
        piece.friction_scale,
        piece.radius,
        piece.corners.mean(axis=0),
    )
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


def with_joints(made: Scene, joints: Records) -> Scene:
    """A scene with joints between its bodies, each a record of `a`, `b`, `at_a` and `at_b`."""
    may_move = np.isin(made.solids["kind"], (records.FREE, records.HUNG))
    held = sorted({int(s) for s in (*joints["a"], *joints["b"]) if s > 0 and may_move[s]})
    ties, count = np.zeros(len(held), records.TIE), 3 * len(joints)
    ties["solid"] = held
    places = {solid: place for place, solid in enumerate(held)}
    for joint in joints:
        joint["tie_a"], joint["tie_b"] = places.get(int(joint["a"]), -1), places.get(int(joint["b"]), -1)
    return made._replace(joints=joints, ties=ties, tie_rows=np.zeros((count, count)), tie_right=np.zeros(count))


def with_links(made: Scene, found: Sequence[tuple[LinkKind, tuple[int, int], dict[str, Any]]], spare: int = 0) -> Scene:
    """A scene with links between its bodies, each a kind, two bodies and the fields of that kind; `spare` records are
    left free for links that appear in a run."""
    rows = linkkind.room(len(found) + spare)
    for row, (kind, bodies, own) in zip(rows, found, strict=False):
        linkkind.fill(row, kind, bodies, own)
    made = made._replace(links=rows)
    for row, (kind, _, _) in zip(rows, found, strict=False):
        linkkind.connect(row, kind, made)
    return made


def _with_triangles(made: Scene, laid: Laid) -> Scene:
    grid = laid.grid.copy()
    grid["plane"] = made.grid["plane"]
    return made._replace(
        triangles=laid.rows, grid=grid, grid_first=laid.first, grid_items=laid.items, grid_top=laid.top,
        block_top=laid.block_top,
    )  # fmt: skip
