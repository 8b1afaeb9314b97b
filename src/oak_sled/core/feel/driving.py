"""Quantities of driving: picking up, coasting, stopping."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.feel.probes import LEAD, LONG, Probed, Seen
from oak_sled.core.feel.quantity import felt
from oak_sled.core.feel.timing import since, when

SMOOTH_S = 0.05
"""s over which an acceleration is the mean: a tick of a bump is no push."""


def _pushes(seen: Seen) -> Floats:
    """m/s2 along the way it is driven, the mean over SMOOTH_S, shape (rows,)."""
    wide = max(round(SMOOTH_S * seen.made.job.ticks), 1)
    along = seen.along
    padded = np.concatenate([np.repeat(along[:1], wide), along])
    return (padded[wide:] - padded[:-wide]) / (wide * seen.made.job.dt)


@felt(
    "push", "g", "step", "greatest acceleration when its drive is stepped to full",
    scale=(0.0, 1.5), size=0.1, moved_by="thrust or drive torque over mass, and grip",
)  # fmt: skip
def push(probed: Probed) -> float | None:
    seen = probed.seen.get("step")
    return None if seen is None else max(float(_pushes(seen).max()), 0.0) / STANDARD_GRAVITY


@felt(
    "pick-up", "s", "step", "from the step of the drive to half of the greatest acceleration: what hands notice",
    scale=(0.0, 0.6), size=0.05, moved_by="rise of the channel, lag of the drive, input delay",
)  # fmt: skip
def pick_up(probed: Probed) -> float | None:
    seen = probed.seen.get("step")
    if seen is None:
        return None
    pushes = _pushes(seen)
    return since(when(seen, pushes, 0.5 * float(pushes.max()), 0), 0.0, LONG) * probed.own_time


@felt(
    "coasting", "", "release",
    "time to half speed after the drive is released, over the time that it takes to half of its top speed from rest",
    scale=(0.0, 8.0), size=0.3, moved_by="drag, damping, rolling and dry friction",
)  # fmt: skip
def coasting(probed: Probed) -> float | None:
    step, seen = probed.seen.get("step"), probed.seen.get("release")
    if step is None or seen is None:
        return None
    gained = step.along - step.along[0]
    rises = since(when(step, gained, 0.5 * float(gained.max()), 0), 0.0, LONG)
    return _to_share(seen, 0.5) / max(rises, step.made.job.dt / probed.own_time)


def _to_share(seen: Seen, share: float) -> float:
    """Own times from the event until the speed is a share of that at the event."""
    row = seen.row(LEAD)
    return since(when(seen, -seen.speed, -share * float(seen.speed[row]), row), LEAD, LONG)


@felt(
    "stopping", "", "reverse",
    "time from full speed to a tenth of it by brake or reverse drive, over the time constant of gathering speed",
    scale=(0.0, 4.0), size=0.2, moved_by="brake force, reverse drive, grip",
)  # fmt: skip
def stopping(probed: Probed) -> float | None:
    seen = probed.seen.get("reverse")
    if seen is None:
        return None
    row = seen.row(LEAD)
    return (
        since(when(seen, -seen.along, -0.1 * float(seen.along[row]), row), LEAD, LONG)
        * probed.own_time
        / probed.constant
    )
