"""Hovering: how still a craft hangs in the air, read from a run."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels, rotations
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

STEPS = 2.0
"""° of a change of attitude from which on it counts as a step."""
HANGS = 1.0
"""s in the air from the event on, from which on a hover is measured."""


def _aloft(run: Run) -> slice | None:
    """The rows from the event on, where all of them are in the air for HANGS or longer; None where they are not."""
    first = run.at(run.job.drill.event_time)
    touches = run.column("on_ground") > 0.0
    if touches[first:].any() or len(touches) - first < HANGS / run.job.dt:
        return None
    return slice(first, None)


def _places(run: Run) -> Floats:
    return run.columns("position.x", "position.y", "position.z")


@measured(
    "place RMS",
    "m",
    "how far it is from its mean place, from the event of the drill on, in the root mean square",
    formula="sqrt(mean |x - mean x|2)",
    shows="a run that is in the air from its event on",
    better="low",
)
def place_rms(run: Run) -> float | None:
    rows = _aloft(run)
    if rows is None:
        return None
    places = _places(run)[rows]
    return float(np.sqrt(np.mean(np.sum((places - places.mean(axis=0)) ** 2, axis=1))))


def _axes(run: Run) -> Floats:
    """The axes of the craft in the level frame where it is, shape (rows, 3, 3)."""
    found = rotations.rotations(run.columns(*(f"rotation.{name}" for name in "wxyz")))
    frames = levels.frames(run)
    return found if frames is None else np.asarray(np.einsum("nji,njk->nik", frames, found))


@measured(
    "tilt RMS",
    "°",
    "angle of its up to the vertical, from the event of the drill on, in the root mean square",
    formula="sqrt(mean acos(z_z)2)",
    shows="a run that is in the air from its event on",
    better="low",
)
def tilt_rms(run: Run) -> float | None:
    rows = _aloft(run)
    if rows is None:
        return None
    up = np.clip(_axes(run)[rows, 2, 2], -1.0, 1.0)
    return float(np.degrees(np.sqrt(np.mean(np.arccos(up) ** 2))))


@measured(
    "height lost",
    "m",
    "how far it comes below its height at the event of the drill",
    formula="z(event) - min z",
    shows="a run that is in the air from its event on",
    better="low",
)
def height_lost(run: Run) -> float | None:
    rows = _aloft(run)
    if rows is None:
        return None
    height = levels.heights(run)[rows]
    return float(height[0] - height.min())


@measured(
    "drift",
    "m",
    "level distance from its place at the event of the drill to that at the end",
    formula="|xy(end) - xy(event)|",
    shows="a run that is in the air from its event on",
    better="low",
)
def drift(run: Run) -> float | None:
    rows = _aloft(run)
    if rows is None:
        return None
    places = _places(run)[rows, :2]
    return float(np.linalg.norm(places[-1] - places[0]))


def _step(run: Run) -> tuple[Floats, float, float] | None:
    """An attitude from the event on, degrees: that of roll and pitch which changes more, where it begins and where it
    ends (the mean of its last tenth); None where neither changes by STEPS."""
    rows = _aloft(run)
    if rows is None:
        return None
    axes = _axes(run)[rows]
    roll = np.degrees(np.arctan2(axes[:, 2, 1], axes[:, 2, 2]))
    pitch = np.degrees(np.arcsin(np.clip(axes[:, 2, 0], -1.0, 1.0)))
    found = []
    for angle in (roll, pitch):
        end = float(np.mean(angle[-max(len(angle) // 10, 1) :]))
        found.append((angle, float(angle[0]), end))
    best = max(found, key=lambda one: abs(one[2] - one[1]))
    return best if abs(best[2] - best[1]) >= STEPS else None


@measured(
    "attitude step time",
    "s",
    "from 10 % to 90 % of the change of roll or pitch after the event of the drill, whichever changes more",
    formula="t(90 %) - t(10 %)",
    shows="a craft in the air whose roll or pitch ends 2° or more from where it was at the event",
    better="low",
)
def step_time(run: Run) -> float | None:
    found = _step(run)
    if found is None:
        return None
    angle, begin, end = found
    share = (angle - begin) / (end - begin)
    first, last = (int(np.argmax(share >= part)) for part in (0.1, 0.9))
    return (last - first) * run.job.dt


@measured(
    "attitude overshoot",
    "%",
    "by which roll or pitch passes where it ends after the event of the drill, whichever changes more",
    formula="(peak - end) / (end - begin)",
    shows="a craft in the air whose roll or pitch ends 2° or more from where it was at the event",
    better="low",
)
def step_overshoot(run: Run) -> float | None:
    found = _step(run)
    if found is None:
        return None
    angle, begin, end = found
    return max(100.0 * (float(np.max((angle - begin) / (end - begin))) - 1.0), 0.0)
