"""The orbit of a craft over a run: elements of the conic that it is on at each moment, round what attracts it most."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.geometry import conic
from oak_sled.core.geometry.conic import Elements
from oak_sled.core.results.run import Run
from oak_sled.core.yard.block import Block


class Osculating(NamedTuple):
    """The conic on which a craft would go on from a row, round a body. middle : m, where that is then, shape (3,)."""

    block: Block
    middle: Floats
    elements: Elements

    @property
    def low(self) -> float:
        """m of its lowest point above the surface."""
        return self.elements.periapsis - self.block.radius

    @property
    def high(self) -> float:
        """m of its highest point above the surface; infinite where it does not come back."""
        return self.elements.apoapsis - self.block.radius

    def path(self, count: int = 181) -> Floats:
        """m of places along it, world axes, shape (count, 3): all round, or of a hyperbola what is not too far away."""
        most = np.pi if self.elements.eccentricity < 1.0 else 0.95 * np.arccos(-1.0 / self.elements.eccentricity)
        return np.asarray(self.middle + self.elements.places(np.linspace(-most, most, count)))


def at_row(run: Run, row: int) -> Osculating | None:
    """The conic of the craft in a row; None where nothing attracts it, or it falls straight.

    Of a semi-implicit step the velocity of a row is that of half a tick before its place: it is brought there first.
    """
    place = run.place_at(row)
    moves = run.own_row(row)[7:10]
    found = None
    most = 0.0
    for block in run.job.ground.wells:
        middle = _middle(run, block, row)
        far = float(np.linalg.norm(place - middle))
        if far > 0.0 and block.mu / far**2 > most:
            found, most = (block, middle, far), block.mu / far**2
    if found is None:
        return None
    block, middle, far = found
    away = place - middle
    if run.job.integrator == "semi_implicit":
        moves = moves - 0.5 * run.job.dt / run.job.substeps * block.mu / far**3 * away
    moves = moves - _velocity(run, block, row)
    elements = conic.elements_of(away, moves, block.mu)
    return None if elements is None else Osculating(block, middle, elements)


def over(run: Run, name: str) -> Floats:
    """One of READS in every row, shape (rows,); NaN where there is no orbit."""
    rows: Floats = run.analysis.once("orbits", lambda: _all(run))
    return rows[:, READS.index(name)]


READS = ("low", "high", "eccentricity", "inclination", "period")
"""Readouts of an orbit: lowest and highest point above the surface, m; eccentricity; inclination, degrees; s of a
turn."""
MOST_ROWS = 2000
"""Rows in which elements are computed; between them they are interpolated."""


def _all(run: Run) -> Floats:
    rows = np.unique(np.linspace(0, run.ticks, min(run.ticks + 1, MOST_ROWS)).astype(int))
    found = np.full((len(rows), len(READS)), np.nan)
    for k, row in enumerate(rows.tolist()):
        one = at_row(run, row)
        if one is not None:
            e = one.elements
            found[k] = one.low, one.high, e.eccentricity, np.degrees(e.inclination), e.period(one.block.mu)
    every = np.arange(run.ticks + 1)
    return np.stack([np.interp(every, rows, column) for column in found.T], axis=1)


def _middle(run: Run, block: Block, row: int) -> Floats:
    if block.id in run.layout.blocks:
        place = run.layout.place(f"block.{block.id}.position.x")
        return np.asarray(run.record.row(row)[place : place + 3], dtype=np.float64)
    return np.array(block.middle())


def _velocity(run: Run, block: Block, row: int) -> Floats:
    if block.id in run.layout.blocks:
        place = run.layout.place(f"block.{block.id}.velocity.x")
        return np.asarray(run.record.row(row)[place : place + 3], dtype=np.float64)
    return np.zeros(3)
