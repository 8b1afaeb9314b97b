"""The level frame of a craft over a run: east, north and up where it is, which gravity decides; and its height."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import groundrows
from oak_sled.core.base.arrays import Floats
from oak_sled.core.contact.records import SOLID
from oak_sled.core.kernel import environment
from oak_sled.core.kernel.state import NOW
from oak_sled.core.results.run import Run


def frames(run: Run) -> Floats | None:
    """The level frame in each row, its columns east, north and up in world axes, shape (rows, 3, 3), as the tick keeps
    it from the first row on; None where gravity is the same everywhere, and all of them are the axes of the world."""
    if not run.job.ground.is_bent:
        return None
    found: Floats = run.analysis.once("levels", lambda: _surroundings(run)[0])
    return found


def in_level(run: Run, vectors: Floats) -> Floats:
    """Vectors in world axes, one a row, in the level frame of that row; both of shape (rows, 3)."""
    found = frames(run)
    return vectors if found is None else np.asarray(np.einsum("nji,nj->ni", found, vectors))


def at_row(run: Run, row: int) -> Floats:
    """The level frame in a row, shape (3, 3)."""
    found = frames(run)
    return np.eye(3) if found is None else np.asarray(found[row])


def heights(run: Run) -> Floats:
    """m of the centre of mass above the surface of the body that it falls to, else above 0, shape (rows,)."""
    if not run.job.ground.wells:
        return run.column("position.z")
    found: Floats = run.analysis.once("heights", lambda: _surroundings(run)[1])
    return found


def _surroundings(run: Run) -> tuple[Floats, Floats]:
    places = run.columns("position.x", "position.y", "position.z")
    levels, high = np.zeros((len(places), 3, 3)), np.zeros(len(places))
    ground = groundrows.ground_of(run.job)
    middles = np.zeros((len(places), max(len(run.job.ground.wells), 1), 3))
    for k, well in enumerate(run.job.ground.wells):
        middles[:, k] = ground["well"]["middle"][0, k]
        if well.id in run.layout.blocks:
            middles[:, k] = run.columns(*(f"block.{well.id}.position.{axis}" for axis in "xyz"))
    body, now = np.zeros(1, SOLID)[0], np.zeros(1, NOW)[0]
    now["level"], now["tipped"] = np.eye(3), 1
    environment.levels_at(ground[0], body, now, places, middles, levels, high)
    return levels, high
