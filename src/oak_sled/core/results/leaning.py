"""The lean for the eye of a run: by how much the body of its craft is drawn rolled and pitched, at every row."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.parts.context import LeanModel
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run

REMEMBERS = 8.0
"""Time constants of a follower after which what was before is forgotten (3e-4 of it is left)."""
FARTHEST = 6000
"""Rows that are looked back at most in a run that is being driven."""
TERMS = 40
"""Of the series of an exponential: a follower moves by less than 2 rad of its own in a tick."""


def model_of(run: Run) -> LeanModel | None:
    """The lean of the craft of a run; None for none, or a muted one."""
    craft = run.job.single
    found = (part.leans() for part in craft.parts if craft.gain_of(part) > 0.0)
    return next((one for one in found if one is not None), None)


def angles(run: Run) -> Floats:
    """rad of roll (to the right) and of pitch (nose down) by which the body of its craft is drawn, shape (rows, 2): 0
    without a lean."""
    return run.analysis.once("lean", lambda: _angles(run, 0, run.ticks))


def angles_at(run: Run, row: int) -> tuple[float, float]:
    """The same at one row; of a run that is being driven, from what of it is not yet forgotten."""
    model = model_of(run)
    if model is None:
        return 0.0, 0.0
    if not run.live:
        found = angles(run)[row]
    else:
        back = math.ceil(REMEMBERS / (min(model.ratio, 1.0 / model.ratio) * model.rate * run.job.dt))
        found = _angles(run, max(row - min(back, FARTHEST), 0), row)[-1]
    return float(found[0]), float(found[1])


def turn(roll: float, pitch: float) -> Floats:
    """The rotation of a drawn body, in the axes of its craft, shape (3, 3)."""
    (a, b), (c, d) = (math.cos(roll), math.sin(roll)), (math.cos(pitch), math.sin(pitch))
    about_x = np.array([[1.0, 0.0, 0.0], [0.0, a, -b], [0.0, b, a]])
    about_y = np.array([[c, 0.0, d], [0.0, 1.0, 0.0], [-d, 0.0, c]])
    return np.asarray(about_y @ about_x)


def _angles(run: Run, first: int, last: int) -> Floats:
    """Those of the rows from `first` to `last`, at rest at the first."""
    model = model_of(run)
    found = np.zeros((last - first + 1, 2))
    if model is None or last == first:
        return found
    numbers = np.stack([run.own_row(row)[:10] for row in range(first, last + 1)])
    pull = np.diff(numbers[:, 7:10], axis=0) * run.job.ticks
    ahead = rotations.rotations(numbers[1:, 3:7])[:, :2, 0]
    ahead = ahead / np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
    along = pull[:, 0] * ahead[:, 0] + pull[:, 1] * ahead[:, 1]
    left = pull[:, 1] * ahead[:, 0] - pull[:, 0] * ahead[:, 1]
    gravity = run.job.ground.gravity or STANDARD_GRAVITY
    wanted = np.stack(
        [-model.turn_share * np.arctan(left / gravity), model.speed_share * np.arctan(along / gravity)], axis=1
    )
    step, state = _step(model, run.job.dt), np.zeros((2, 2))
    for row, goal in enumerate(np.clip(wanted, -model.most, model.most), start=1):
        state[0] -= goal  # angles of roll and pitch from where they are going, and their rates over the frequency
        state = step @ state
        state[0] += goal
        found[row] = state[0]
    return found


def _step(model: LeanModel, dt: float) -> Floats:
    """A tick of the follower about its goal, exactly: the exponential of its matrix, shape (2, 2)."""
    matrix = model.rate * dt * np.array([[0.0, 1.0], [-1.0, -2.0 * model.ratio]])
    halvings = max(math.ceil(math.log2(max(float(np.abs(matrix).sum()), 1.0))), 0)
    term = total = np.eye(2)
    for k in range(1, TERMS):
        term = term @ matrix / (k * 2.0**halvings)
        total = total + term
    return np.asarray(np.linalg.matrix_power(total, 2**halvings))
