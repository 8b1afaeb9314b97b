"""Flying: take-off, climb, glide and touch-down of a craft, read from a run."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

MOVES = ("velocity.x", "velocity.y", "velocity.z")
ALOFT = 1.0
"""s without a touch from which on a craft is in the air."""
BEGINS = 0.5
"""s within which a craft that begins on the ground touches it."""
CLIMB = 5.0
"""s over which a climb is held."""


def _touches(run: Run) -> NDArray[np.bool_]:
    """True in rows in which something carries the craft, shape (rows,)."""
    return np.asarray(run.column("on_ground") > 0.0)


def _over_ground(run: Run) -> Floats:
    """m flown or rolled over the ground up to each row, shape (rows,)."""
    steps = np.diff(run.columns("position.x", "position.y", "position.z"), axis=0)
    flat = levels.in_level(run, np.concatenate([steps[:1], steps]))[1:, :2]
    steps = np.hypot(flat[:, 0], flat[:, 1])
    return np.concatenate([[0.0], np.cumsum(steps)])


def _leaves(run: Run) -> int | None:
    """The row after which the craft, carried before, stays in the air for ALOFT; None where it does not."""
    touches, wait = _touches(run), round(ALOFT / run.job.dt)
    for row in np.flatnonzero(touches[:-1] & ~touches[1:]).tolist():
        if row + wait < len(touches) and not touches[row + 1 : row + 1 + wait].any():
            return int(row)
    return None


@measured(
    "take-off run",
    "m",
    "path over the ground from the start to the last touch before it stays in the air for 1 s",
    shows="a craft that begins on the ground and leaves it",
    better="low",
)
def take_off_run(run: Run) -> float | None:
    row = _leaves(run)
    if row is None or not _touches(run)[: round(BEGINS / run.job.dt)].any():
        return None
    return float(_over_ground(run)[row])


@measured(
    "climb rate",
    "m/s",
    "greatest climb in the mean over 5 s in the air",
    formula="change of height / 5 s",
    shows="a run of 5 s in the air that gains height",
    better="high",
)
def climb_rate(run: Run) -> float | None:
    touches, span = _touches(run), round(CLIMB / run.job.dt)
    if len(touches) <= span:
        return None
    height = levels.heights(run)
    met = np.concatenate([[0], np.cumsum(touches)])
    free = met[span:] == met[:-span]
    gained = height[span:] - height[:-span]
    free = free[: len(gained)]
    best = float(gained[free].max(initial=0.0)) / CLIMB
    return best if best > 0.0 else None


@measured(
    "glide ratio",
    "",
    "path over the ground for each metre of height lost, from the event of the drill on, in the air",
    formula="path over the ground / height lost",
    shows="a run that is in the air from its event on and ends lower",
    better="high",
)
def glide_ratio(run: Run) -> float | None:
    first = run.at(run.job.drill.event_time)
    height = levels.heights(run)
    lost = float(height[first] - height[-1])
    if _touches(run)[first:].any() or lost < 1.0:
        return None
    path = _over_ground(run)
    return float(path[-1] - path[first]) / lost


@measured(
    "sink at touch-down",
    "m/s",
    "speed downward in the tick before the first touch after at least 1 s in the air",
    shows="a craft that was in the air for 1 s and comes down",
    better="low",
)
def touch_sink(run: Run) -> float | None:
    touches, wait = _touches(run), round(ALOFT / run.job.dt)
    for row in np.flatnonzero(~touches[:-1] & touches[1:]).tolist():
        if row >= wait and not touches[row - wait + 1 : row + 1].any():
            return max(float(-levels.in_level(run, run.columns(*MOVES))[row, 2]), 0.0)
    return None
