"""Times in what probes show: the first moment of a value, and from when on it stays."""

from __future__ import annotations

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.feel.probes import Seen


def when(seen: Seen, values: Floats, level: float, start: int) -> float | None:
    """Own times at which values first reach a level from a row on, between rows; None where they never do. values :
    shape (rows,)."""
    rows = np.flatnonzero(values[start:] >= level)
    if not len(rows):
        return None
    row = int(rows[0]) + start
    if row == start:
        return float(seen.t[row])
    before, after = float(values[row - 1]), float(values[row])
    share = (level - before) / (after - before) if after != before else 1.0
    return float(seen.t[row - 1] + share * (seen.t[row] - seen.t[row - 1]))


def since(found: float | None, start: float, most: float) -> float:
    """Own times from a start to what was found, or all that was watched."""
    return most if found is None else min(max(found - start, 0.0), most)


def stays_below(seen: Seen, values: Floats, level: float, start: int) -> float | None:
    """Own times from which on values stay below a level, between rows; None where they do not. values :
    shape (rows,)."""
    rows = np.flatnonzero(values[start:] > level)
    if not len(rows):
        return float(seen.t[start])
    row = int(rows[-1]) + start
    if row + 1 >= len(values):
        return None
    before, after = float(values[row]), float(values[row + 1])
    share = (before - level) / (before - after) if before != after else 1.0
    return float(seen.t[row] + share * (seen.t[row + 1] - seen.t[row]))
