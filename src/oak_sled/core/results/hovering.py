"""Hovering: how still a craft hangs in the air, read from a run."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

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
    _, x, y, _ = (run.column(f"rotation.{name}")[rows] for name in "wxyz")
    up = np.clip(1.0 - 2.0 * (x * x + y * y), -1.0, 1.0)
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
    height = _places(run)[rows, 2]
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
