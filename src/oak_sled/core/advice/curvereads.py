"""The stretch of a curve of a part that a run used."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.curvefield import CurveField
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run


def reads(run: Run, part: Part, field: CurveField) -> Floats:
    """The x at which a curve was read in each row, >= 0 where the curve begins there, in the unit of the field, shape
    (rows, n): one for each of linked ones, NaN where it did nothing. A curve over the speed of its craft is read alike
    by all."""
    found = part.curve_reads(field, run, bodynames.wheel_names(run.job.single, part))
    if found is None and field.x == "speed":
        found = traces.values(run, "forward_speed")
    if found is None:
        return np.full((run.ticks + 1, 1), np.nan)
    return (np.abs(found) if field.low == 0.0 else found).reshape(len(found), -1)


def used(run: Run, part: Part, field: CurveField) -> tuple[float, float] | None:
    """The least and the greatest x at which a curve was read in a run that has ended; None where it never was."""

    def span() -> tuple[float, float] | None:
        found = reads(run, part, field)
        return (float(np.nanmin(found)), float(np.nanmax(found))) if np.any(np.isfinite(found)) else None

    return run.analysis.once(("curve", part.id, field.name), span)


def now(run: Run, part: Part, field: CurveField, row: int) -> tuple[float, ...]:
    """The x at which a curve is read in a row."""
    found = run.analysis.once(("reads", part.id, field.name), lambda: reads(run, part, field)) if not run.live else None
    found = reads(run, part, field) if found is None else found
    values = found[min(row, len(found) - 1)]
    return tuple(float(x) for x in values if np.isfinite(x))
