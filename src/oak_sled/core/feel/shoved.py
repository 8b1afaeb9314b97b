"""Quantities of a shove and of a drop: what they do to a craft, and how it comes back."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.feel.probes import DROPPED, LEAD, SHOVED, Probed, Seen
from oak_sled.core.feel.quantity import felt
from oak_sled.core.feel.timing import since, stays_below
from oak_sled.core.feel.turning import GOES

SETTLED = 0.1
"""Share of a first swing below which a motion has settled."""
CALM = math.radians(5.0)
"""rad of sideslip, and of turning in two own times, below which a craft goes straight again."""
SPUN, OVER = math.radians(90.0), math.radians(75.0)
"""rad of sideslip at which a craft has spun, and of tilt at which it lies on its side."""
LEAST_SHOVED = 0.01
"""Lengths in an own time of motion aside below which a shove did not move it."""


@felt(
    "side motion", "", "shove",
    "time until the motion to its side that a shove gives stays below a third of that, in own times",
    scale=(0.0, 12.0), size=0.5, moved_by="side grip, side drag, damping",
)  # fmt: skip
def side_motion(probed: Probed) -> float | None:
    seen = probed.seen.get("shove")
    if seen is None:
        return None
    row = seen.row(LEAD)
    aside = np.abs(np.sum(seen.velocity * seen.frames[:, :, 1], axis=1))
    given = float(aside[row : row + 4].max())  # the shove happens in the tick that its time lies in
    if given - float(aside[max(row - 1, 0)]) < seen.walks(LEAST_SHOVED):
        return 0.0  # grip took all of it at once
    return since(stays_below(seen, aside, given / 3.0, row), LEAD, SHOVED)


@felt(
    "turned by a shove", "°", "shove", "greatest change of heading by a shove aside ahead of its middle",
    scale=(0.0, 120.0), size=6.0, moved_by="inertia, damping of the turn, fins and runners behind the middle",
)  # fmt: skip
def shove_turn(probed: Probed) -> float | None:
    seen = probed.seen.get("shove")
    if seen is None:
        return None
    row = seen.row(LEAD)
    return math.degrees(float(np.abs(seen.heading[row:] - seen.heading[row]).max()))


@felt(
    "swings", "", "shove",
    "times that it turns back by more than a tenth of the first swing after a shove, about any axis",
    scale=(0.0, 8.0), size=0.7, moved_by="damping of the turn, of springs and of attitude holders",
)  # fmt: skip
def swings(probed: Probed) -> float | None:
    seen = probed.seen.get("shove")
    return None if seen is None else max(_swings(seen.spin[seen.row(LEAD) :, axis]) for axis in range(3))


def _swings(rates: Floats) -> float:
    """Times that rates come back past 0 by more than a tenth of their greatest, shape (rows,); between two whole
    numbers by how large the next one would be."""
    rates = rates - rates[0]
    greatest = float(np.abs(rates).max())
    if greatest < CALM:
        return 0.0
    turns = np.flatnonzero(np.diff(np.sign(rates)) != 0) + 1
    peaks = [float(np.abs(piece).max()) for piece in np.split(rates, turns) if len(piece)]
    first = int(np.argmax(peaks))
    count = 0.0
    for peak in peaks[first + 1 :]:
        if peak < SETTLED * greatest:
            return count + peak / (SETTLED * greatest) * 0.5
        count += 1.0
    return count


@felt(
    "regained", "", "shove",
    "time after a shove until it goes where its nose points within 5° and hardly turns any more, in own times",
    scale=(0.0, 16.0), size=0.7, moved_by="grip, damping of the turn, fins",
)  # fmt: skip
def regained(probed: Probed) -> float | None:
    seen = probed.seen.get("shove")
    if seen is None:
        return None
    row = seen.row(LEAD)
    slip = np.abs(seen.slip - seen.slip[row]) if _goes(seen) else np.zeros(len(seen.t))
    off = np.maximum(slip, 2.0 * np.abs(seen.spin[:, 2] - seen.spin[row, 2]))
    return since(stays_below(seen, off, CALM, row), LEAD, SHOVED)


@felt(
    "upsets", "%", "turn",
    "share of the probes of turning and of the shove in which it spins round or lies on its side, or comes near to it",
    scale=(0.0, 100.0), size=10.0, moved_by="grip of the rear, height of the centre of mass, steering at speed",
)  # fmt: skip
def upsets(probed: Probed) -> float | None:
    if probed.roles.is_winged or probed.roles.is_flying:
        return None
    watched = [seen for name in ("turn", "circle", "slalom", "shove") if (seen := probed.seen.get(name)) is not None]
    if not watched:
        return None
    return 100.0 * float(np.mean([_upset(seen) for seen in watched]))


def _goes(seen: Seen) -> bool:
    """True if it is on its way when it is shoved or turned: standing, it has no way from which it could slip."""
    return float(seen.speed[seen.row(LEAD)]) > seen.walks(GOES)


def _upset(seen: Seen) -> float:
    """1 where it spun or fell over; less the farther it stayed from it, 0 at half of the way."""
    from_row = seen.row(LEAD)
    slip = float(seen.slip[from_row:].max()) if _goes(seen) else 0.0
    near = max(slip / SPUN, float(seen.tilt[from_row:].max()) / OVER)
    return min(max(2.0 * near - 1.0, 0.0), 1.0)


@felt(
    "bounces", "", "drop",
    "times that it rises again after it was dropped from a third of its length, by a tenth of that",
    scale=(0.0, 8.0), size=0.7, moved_by="damping of springs and pads, restitution",
)  # fmt: skip
def bounces(probed: Probed) -> float | None:
    seen = probed.seen.get("drop")
    if seen is None:
        return None
    height = seen.height
    least = SETTLED * max(float(height[0] - height.min()), 1e-6)
    count, low, high, rising = 0.0, float(height[0]), float(height[0]), False
    for value in height.tolist():
        low, high = min(low, value), max(high, value)
        if not rising and value > low + least:
            rising, high, count = True, value, count + 1.0
        elif rising and value < high - least:
            rising, low = False, value
    return count


@felt(
    "settling", "", "drop", "time after it was dropped until it stays within a tenth of the drop of where it ends",
    scale=(0.0, 10.0), size=0.5, moved_by="damping and stiffness of springs and pads",
)  # fmt: skip
def settling(probed: Probed) -> float | None:
    seen = probed.seen.get("drop")
    if seen is None:
        return None
    ends = float(seen.height[-max(len(seen.t) // 10, 1) :].mean())
    near = SETTLED * max(float(seen.height[0]) - ends, 1e-6)
    return since(stays_below(seen, np.abs(seen.height - ends), near, 0), 0.0, DROPPED)
