"""What a run on tires shows: its understeer, where the force of a tire jumps and why."""

from __future__ import annotations

import numpy as np

from oak_sled.core.build import roster
from oak_sled.core.documents.units import STANDARD_GRAVITY
from oak_sled.core.kernel.state import Floats
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run

TURNS_FROM, TURNS_SHARE = 0.05, 0.7
"""Side g from which a turn counts for an understeer gradient, and the share of the greatest up to which it does: past
that the tires are not linear any more."""


def steered(run: Run) -> tuple[Floats, float] | None:
    """The mean angle of the front wheels less that of the rear, rad, shape (rows,), and m between them; None without
    tires at two ends."""
    spots = {roster.ray_names(run.job.craft)[one.ray]: one.at[0] for one in roster.wheels(run.job.craft)}
    names = [name for name in run.layout.own.tires if name in spots]
    if not names:
        return None
    middle = 0.5 * (max(spots[name] for name in names) + min(spots[name] for name in names))
    ends = [[name for name in names if (spots[name] > middle) == front] for front in (True, False)]
    if not all(ends):
        return None
    front, rear = (np.mean([run.column(f"{name}.steer") for name in one], axis=0) for one in ends)
    places = [float(np.mean([spots[name] for name in one])) for one in ends]
    return front - rear, places[0] - places[1]


def understeer(run: Run) -> float | None:
    """Degrees of steering for each g beyond what the circle itself asks for, by least squares through 0: above 0 it
    runs wide as it gets faster, below 0 it turns in (ISO 4138, from the angles of the wheels)."""
    found = steered(run)
    if found is None or run.ticks < run.job.ticks:
        return None
    first = run.at(run.job.drill.event_time)
    angle, base = found[0][first:], found[1]
    speed = traces.values(run, "forward_speed")[first:]
    rate = np.radians(traces.values(run, "yaw_rate")[first:])
    pull = speed * rate / STANDARD_GRAVITY
    most = float(np.max(np.abs(pull), initial=0.0))
    steady = (np.abs(pull) > TURNS_FROM) & (np.abs(pull) <= TURNS_SHARE * most) & (speed > 1.0)
    if np.count_nonzero(steady) < 10:
        return None
    excess = angle[steady] - base * rate[steady] / speed[steady]
    return float(np.degrees(np.sum(excess * pull[steady]) / np.sum(pull[steady] ** 2)))


def jumps_of(run: Run, name: str) -> Floats:
    """N by which the force of a tire changed in each tick, shape (ticks,); 0 in those in which all begins."""
    forces = run.columns(f"{name}.along", f"{name}.side")
    changed = np.linalg.norm(np.diff(forces, axis=0), axis=1)
    changed[:2] = 0.0
    return np.asarray(changed)


def force_jump(run: Run) -> float | None:
    """The greatest of them."""
    if not run.layout.own.tires or run.ticks < 3:
        return None
    return max(float(np.max(jumps_of(run, name))) for name in run.layout.own.tires)
