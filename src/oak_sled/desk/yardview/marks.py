"""What a run leaves on the ice: its path, a bar each second, and where its runners slid."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.kernel.state import Floats
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run

MOST_POINTS = 800
MOST_MARKS = 500


def path_of(run: Run, first: int, last: int) -> Floats:
    """The path from one row to another, thinned, shape (n, 2), m."""
    step = max(1, -(-(last - first) // MOST_POINTS))
    x, y = run.column("position.x"), run.column("position.y")
    rows = np.append(np.arange(first, last, step), last)
    return np.stack([x[rows], y[rows]], axis=1)


LIFT = 0.02
"""m by which what is drawn on the ground lies over it."""


def path_over(run: Run, first: int, last: int) -> Floats:
    """The same with the height of the foot of the craft over it, shape (n, 3), m: a leap is drawn through the air."""
    step = max(1, -(-(last - first) // MOST_POINTS))
    rows = np.append(np.arange(first, last, step), last)
    return np.column_stack([path_of(run, first, last), run.column("position.z")[rows] - _foot(run)])


def _foot(run: Run) -> float:
    return run.job.craft.foot_depth() - LIFT


def second_marks(run: Run) -> Floats:
    """Where a bar lies across the path at every whole second: x, y, z, cosine and sine of the heading, shape (n, 5)."""
    first = int(run.first_tick * run.job.dt) + 1
    rows = [run.at(float(second)) for second in range(first, min(first + 120, int(run.duration) + 1))]
    way = traces.heading(run)
    x, y, z = (run.column(f"position.{axis}")[rows] for axis in "xyz")
    return np.column_stack([x, y, z - _foot(run), way[rows]])


def slide_marks(run: Run, last: int) -> list[tuple[Floats, NDArray[np.bool_]]]:
    """Where each runner went, shape (n, 3), m, and at which of these points it slid, shape (n,)."""
    found: list[tuple[Floats, NDArray[np.bool_]]] = []
    step = max(1, last // MOST_MARKS)
    for part in run.job.craft.parts:
        if not part.SLIDES or part.mute:
            continue
        sliding = run.column(f"{part.id}.activity")[: last + 1 : step] > 0.5
        if not np.any(sliding):
            continue
        origin = run.columns("position.x", "position.y", "position.z")[: last + 1 : step]
        way = traces.heading(run)[: last + 1 : step]
        centre = run.job.craft.body.centre()
        for x, y, _ in part.feet():
            dx, dy = x - centre[0], y - centre[1]
            down = np.full(len(way), -_foot(run))
            foot = np.stack([way[:, 0] * dx - way[:, 1] * dy, way[:, 1] * dx + way[:, 0] * dy, down], axis=1)
            found.append((origin + foot, sliding))
    return found
