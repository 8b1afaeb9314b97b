"""The rails of a ground as lines and as records of the kernel: on the ground where they lie on it, with switches."""

from __future__ import annotations

import functools
from dataclasses import dataclass, replace

import numpy as np
from scipy.ndimage import gaussian_filter1d

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base.arrays import Floats, Records
from oak_sled.core.contact.railway import OPEN, RAIL, STOPS
from oak_sled.core.geometry import railpath
from oak_sled.core.geometry.railpath import Path
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rail import Rail
from oak_sled.core.yard.tie import Point, Tie

FINE = 0.25
"""m between two points at which the height of the ground under a rail is asked for."""
SMOOTH = 1.0
"""m over which the ground is smoothed for a rail that lies on it."""


@dataclass(frozen=True, eq=False)
class Railway:
    """The rails of a ground. paths : a line for each, in their order. joined : where the first and last knot of each
    lie on another rail: (number, m of its arc length, 1 where both run the same way, else -1); None where they do not.
    """

    rails: tuple[Rail, ...]
    paths: tuple[Path, ...]
    joined: tuple[tuple[tuple[int, float, float] | None, ...], ...]

    def number(self, name: str) -> int:
        """The number of the rail of that name; -1 where there is none."""
        return next((k for k, one in enumerate(self.rails) if one.id == name), -1)

    def records(self) -> tuple[Records, Floats]:
        """The rails as records of the kernel, and the tables of all of them, shape (n, 9)."""
        rows, tables, first = np.zeros(len(self.rails), RAIL), [], 0
        for row, rail, path, joined in zip(rows, self.rails, self.paths, self.joined, strict=True):
            table = path.table()
            row["first"], row["nodes"], row["step"], row["length"] = first, len(table), path.step, path.length
            row["closed"], row["ends"] = int(path.closed), STOPS if rail.ends == "buffers" else OPEN
            row["onto"] = -1
            for end, found in enumerate(joined):
                if found is not None:
                    row["onto"][end], row["at"][end], row["way"][end] = found
                    row["switched"][end] = int((rail.start_set, rail.end_set)[end])
            tables.append(table)
            first += len(table)
        return rows, np.vstack(tables) if tables else np.zeros((0, 9))


def of(ground: Ground) -> Railway:
    """The rails of a ground; kept for those asked for last."""
    relief = ground.relief if any(one.lies == "ground" for one in ground.rails) else None
    laid = (
        (relief, ground.slope(), tuple(one for one in ground.blocks if one.is_laid))
        if any(one.lies == "ground" for one in ground.rails)
        else None
    )
    return _of(_Key((ground.rails, laid), ground))


class _Key:
    """The documents that decide the rails of a ground, compared by value, with the ground that they are laid on."""

    def __init__(self, decides: object, ground: Ground):
        self.decides, self.ground = decides, ground

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and self.decides == other.decides

    def __hash__(self) -> int:
        return hash(tuple(one.id for one in self.ground.rails))


@functools.lru_cache(maxsize=8)
def _of(key: _Key) -> Railway:
    ground, paths = key.ground, []
    for rail in ground.rails:
        paths.append(_path(ground, rail, rail.places()))
    alone = Railway(ground.rails, tuple(paths), tuple((None, None) for _ in ground.rails))
    joined = alone.joined
    for _ in range(2):  # a rail that another joins may itself join a third
        joined = tuple(tuple(_joined(alone, k, end) for end in range(2)) for k in range(len(ground.rails)))
        paths = [
            _led(ground, alone, k, found) if any(found) else path
            for k, (path, found) in enumerate(zip(paths, joined, strict=True))
        ]
        alone = replace(alone, paths=tuple(paths))
    return replace(alone, joined=joined)


def ends_of(ground: Ground, tie: Tie) -> tuple[Point, Point]:
    """Both points of a tie at the start, m: of one on a rail the place of that which is nearest to its point."""
    number = of(ground).number(tie.on_rail()) if tie.on_rail() else -1
    if number < 0:
        return tie.begin, tie.end
    path = of(ground).paths[number]
    x, y, z = path.at(path.nearest(tie.begin))[0].tolist()
    return (x, y, z), (x, y, z)


def _joined(alone: Railway, k: int, end: int) -> tuple[int, float, float] | None:
    """The place where an end of a rail lies on another one."""
    onto = alone.number(alone.rails[k].joins[end])
    if onto < 0 or onto == k:
        return None
    path, other = alone.paths[k], alone.paths[onto]
    place = other.nearest(path.points[-1 if end else 0])
    way = float(np.sign(np.dot(path.tangents[-1 if end else 0], other.at(place)[1]))) or 1.0
    return onto, place, way


def _led(ground: Ground, alone: Railway, k: int, found: tuple[tuple[int, float, float] | None, ...]) -> Path:
    """The line of a rail that begins or ends on another: at that place, and along it."""
    rail = alone.rails[k]
    places, headings = rail.places(), rail.headings()
    for end, one in enumerate(found):
        if one is not None:
            onto, place, way = one
            at, tangent, _ = alone.paths[onto].at(place)
            places[-1 if end else 0] = at
            headings[-1 if end else 0] = float(np.arctan2(way * tangent[1], way * tangent[0]))
    return _path(ground, rail, places, headings, found)


def _path(
    ground: Ground,
    rail: Rail,
    places: Floats,
    headings: list[float | None] | None = None,
    found: tuple[tuple[int, float, float] | None, ...] = (None, None),
) -> Path:
    banks = np.radians([knot.bank_deg for knot in rail.knots])
    ways = rail.headings() if headings is None else headings
    if rail.lies != "ground":
        return railpath.through(places, rail.closed, banks, ways)
    flat = places.copy()
    above = places[:, 2].copy()
    for end, one in enumerate(found):
        if one is not None:  # it begins at the height of that rail
            k = -1 if end else 0
            high = ground_shape.heights_at(ground, places[[k], 0], places[[k], 1])[0]
            above[k] = places[k, 2] - (0.0 if np.isnan(high) else high)
    flat[:, 2] = 0.0
    plan = railpath.through(flat, rail.closed, banks, ways)
    count = max(int(plan.length / FINE), 8)
    at = np.linspace(0.0, plan.length, count + 1)
    spots = np.array([plan.at(min(place, plan.length * (1.0 - 1e-12)))[0] for place in at])
    high = np.nan_to_num(ground_shape.heights_at(ground, spots[:, 0], spots[:, 1]))
    high = gaussian_filter1d(high, SMOOTH * count / plan.length, mode="wrap" if rail.closed else "nearest")
    order = np.argsort(plan.knots)
    x, y = plan.knots[order], above[order]
    if rail.closed:
        x, y = np.concatenate([x - plan.length, x, x + plan.length]), np.tile(y, 3)
    spots[:, 2] = high + np.interp(at, x, y)
    if rail.closed:
        spots[-1] = spots[0]
    return railpath.through(places, rail.closed, banks, ways, spots)
