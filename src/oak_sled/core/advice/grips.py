"""The grip that tires of a part can give, and what they gave in a run: for the picture on its open strip."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.parts.wheels import tirecurve
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run

SLIPS_DEG = np.linspace(0.0, 45.0, 91)
"""Slip angles of the curve."""
MOST_VISITED = 500


@dataclass(frozen=True)
class WheelGrip:
    """A wheel in a recorded row: what it is called, where it is (m forward and left of the origin), its slip angle
    (degrees), its side force over its load, the share of the most it can give along it and to its left, and its load,
    N."""

    word: str
    at: tuple[float, float]
    slip_deg: float
    share: float
    along: float
    side: float
    load: float


def side_curve(part: AnyPart, grip: float) -> Floats:
    """Side force over load at each of SLIPS_DEG, shape (91,), on a ground of that grip."""
    scale, most, shape = part.side_shape()
    held = grip * part.trim
    n = np.tan(np.radians(SLIPS_DEG)) / (scale * (held if part.keeps_stiffness() else 1.0) + 1e-12)
    values = tirecurve.read(shape, n)
    return np.asarray(part.side_grip * most * held * n * values, dtype=np.float64)


def wheels_now(run: Run, numbers: Floats, part: AnyPart) -> list[WheelGrip]:
    """The wheels of a part in a recorded row. numbers : the own row of its craft, shape (n,)."""
    craft, place = run.job.single, run.layout.own_place
    names, words = bodynames.ray_names(craft), traces.ray_words(craft)
    spots = {names[one.ray]: one.at for one in bodynames.wheels(craft)}
    found = []
    for name in bodynames.wheel_names(craft, part):
        owner, _, number = name.rpartition(".")
        slip, along, side, most_along, most_side, load = (
            float(numbers[place(f"{name}.{what}")])
            for what in ("slip_angle", "along", "side", "most_along", "most_side", "force")
        )
        x, y, _ = spots[name]
        found.append(
            WheelGrip(
                words[owner][int(number) - 1],
                (x, y),
                math.degrees(abs(slip)),
                abs(side) / load if load > 1.0 else 0.0,
                along / most_along if most_along > 0.0 else 0.0,
                side / most_side if most_side > 0.0 else 0.0,
                load,
            )
        )
    return found


def visited(run: Run, part: AnyPart) -> Floats:
    """Slip angle (degrees) and side force over load of all its wheels over the whole run, thinned, shape (n, 2)."""
    return run.analysis.once(("visited", part.id), lambda: _visited(run, part))


def _visited(run: Run, part: AnyPart) -> Floats:
    found = []
    for name in bodynames.wheel_names(run.job.single, part):
        load = run.column(f"{name}.force")
        stands = load > 1.0
        slip = np.degrees(np.abs(run.column(f"{name}.slip_angle")[stands]))
        found.append(np.column_stack([slip, np.abs(run.column(f"{name}.side")[stands]) / load[stands]]))
    whole = np.concatenate(found) if found else np.zeros((0, 2))
    return np.asarray(whole[:: max(1, len(whole) // MOST_VISITED)])
