"""Rides: how a craft stands on its rays, read from a run: gap, ripple, bounces, and the load on each of them."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

STILL = 1e-3
"""m of change of the mean gap below which nothing bounced."""
SETTLED = 0.02
"""Share of its greatest change within which the mean gap has settled."""


def mean_gap(run: Run) -> Floats | None:
    """m, the mean of the gaps of all rays of the craft, shape (rows,); None where it has none."""
    names = run.layout.own.rays
    if not names:
        return None
    found: Floats = run.analysis.once(
        "mean gap", lambda: np.mean([run.column(f"{name}.gap") for name in names], axis=0)
    )
    return found


def _last_second(run: Run) -> Floats | None:
    gap = mean_gap(run)
    return None if gap is None else gap[-min(len(gap), run.job.ticks + 1) :]


@measured(
    "ride height",
    "m",
    "mean gap of all rays in the last second",
    formula="mean of gaps",
    shows="a part with rays: hover pads or wheels",
)
def ride_gap(run: Run) -> float | None:
    last = _last_second(run)
    return None if last is None else float(np.mean(last))


@measured(
    "ride height ripple",
    "m",
    "greatest less least mean gap in the last second",
    formula="max - min of the mean gap",
    shows="a part with rays: hover pads or wheels",
    better="low",
)
def gap_ripple(run: Run) -> float | None:
    last = _last_second(run)
    return None if last is None else float(np.ptp(last))


def _after_event(run: Run) -> tuple[Floats, float] | None:
    """The mean gap less its last value from the event of the drill on, and its greatest change; None for no bounce."""
    gap = mean_gap(run)
    if gap is None:
        return None
    moved = gap[run.at(run.job.drill.event_time) :] - np.mean(gap[-min(len(gap), run.job.ticks // 4 + 1) :])
    most = float(np.max(np.abs(moved)))
    return (moved, most) if most > STILL else None


@measured(
    "ride height settling time",
    "s",
    "from the event until the mean gap stays within 2 % of its greatest change",
    formula="t of the last |gap - gap_end| > 2 % - t of the event",
    shows="a part with rays: hover pads or wheels, and a change of the gap",
    better="low",
)
def gap_settling(run: Run) -> float | None:
    found = _after_event(run)
    if found is None:
        return None
    moved, most = found
    outside = np.flatnonzero(np.abs(moved) > SETTLED * most)
    return float((outside[-1] + 1) * run.job.dt) if len(outside) and outside[-1] + 1 < len(moved) else None


@measured(
    "bounces",
    "",
    "times the mean gap swings back past where it ends",
    formula="upward crossings of gap_end",
    shows="a part with rays: hover pads or wheels, and a change of the gap",
    better="low",
)
def bounces(run: Run) -> float | None:
    """Every time the gap comes back through its last value from below, as long as the bounce is larger than SETTLED."""
    found = _after_event(run)
    if found is None:
        return None
    moved, most = found
    edge = SETTLED * most
    side, count = 0, 0
    for value in moved[np.abs(moved) > edge]:
        now = 1 if value > 0.0 else -1
        count += side == -1 and now == 1
        side = now
    return float(count)


@measured(
    "least load share",
    "%",
    "least share of the load on any ray while one carries",
    formula="100 min F_i / sum F",
    shows="a part with rays: hover pads or wheels that carries",
)
def least_load(run: Run) -> float | None:
    """Rows in which no ray carries anything do not count: it flies, and tips over nothing."""
    names = run.layout.own.rays
    if not names:
        return None
    loads = np.array([run.column(f"{name}.force")[1:] for name in names])
    carried = loads.sum(axis=0) > 0.0
    if not carried.any():
        return None
    share = loads[:, carried] / loads[:, carried].sum(axis=0)
    return float(100.0 * share.min())


@measured(
    "greatest load",
    "N",
    "greatest load on any ray",
    formula="max F_i",
    shows="a part with rays: hover pads or wheels",
    better="low",
)
def greatest_load(run: Run) -> float | None:
    names = run.layout.own.rays
    return float(max(run.column(f"{name}.force").max() for name in names)) if names else None
