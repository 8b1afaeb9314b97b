"""Lift and drag of a wing over angle of attack, and where its panels are on them in a run: for its open strip."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly.airflow import Airflow
from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run

ANGLES_DEG = np.linspace(-40.0, 60.0, 201)
"""Angles of attack of the curves."""
CALM = 0.5
"""m/s of air below which a panel has no angle of attack."""


@dataclass(frozen=True)
class Panel:
    """A panel in a recorded row: its angle of attack, degrees, and its coefficients; and whether it is stalled."""

    angle_deg: float
    lift: float
    drag: float
    stalled: bool


def curves(part: AnyPart) -> tuple[Floats, Floats]:
    """Coefficients of lift and drag at ANGLES_DEG, its surfaces at rest, shape (201,) each."""
    polar, zero = part.polar(), part.no_lift
    angles = np.radians(ANGLES_DEG) - zero
    return (
        np.array([polar.lift(one) for one in angles.tolist()]), np.array([polar.drag(one) for one in angles.tolist()])
    )  # fmt: skip


def panels_now(run: Run, row: int, part: AnyPart, air: Airflow) -> list[Panel]:
    """The panels of a wing in a row of a run, from its left tip to its right; without the wash of propellers."""
    numbers = run.own_row(row)
    axes = rotations.rotation(numbers[3:7])
    sinks = _downwash(run, row, part, air)
    stations = part.stations(run.job.single.body.centre())
    levers = stations["place"] @ axes.T
    wind = air.at(numbers[0:3] + levers, row * run.job.dt)
    against = numbers[7:10] + np.cross(numbers[10:13], levers) - wind
    chords, normals = stations["chord"] @ axes.T, stations["normal"] @ axes.T
    ahead = np.einsum("ij,ij->i", against, chords)
    down = -np.einsum("ij,ij->i", against, normals) - ahead * sinks
    turned = _turned(run, row, part)
    found = []
    for k in range(0, len(stations), 2):  # a panel is the mean of its two stations
        along, below = float(ahead[k : k + 2].mean()), float(down[k : k + 2].mean())
        if math.hypot(along, below) < CALM:
            continue
        attack = math.atan2(below, along)
        added = float(stations["control"][k]) * turned[0] + float(stations["flap"][k]) * turned[1]
        polar, angle = part.polar(), attack - part.no_lift + added
        found.append(
            Panel(math.degrees(attack), polar.lift(angle), polar.drag(angle), abs(angle) > polar.stall + abs(added))
        )
    return found


def _turned(run: Run, row: int, part: AnyPart) -> tuple[float, float]:
    """rad by which control surface and flap move the angle of no lift, as their channels stand."""
    found = []
    for name, effect in zip(("control", "flap"), part.effects(), strict=True):
        channel = getattr(part, f"{name}_channel")
        level = float(run.own_row(row)[run.layout.own_place(f"channel.{channel}")]) if channel else 0.0
        found.append(effect * math.radians(getattr(part, f"{name}_deg")) * level)
    return found[0], found[1]


def _downwash(run: Run, row: int, part: AnyPart, air: Airflow) -> float:
    """rad of downwash that meets it."""
    ahead = next((one for one in run.job.single.parts if one.id == part.behind), None)
    if ahead is None or not ahead.SENDS_DOWN:
        return 0.0
    lifts = [one.lift for one in panels_now(run, row, ahead.replace(behind=""), air)]
    return float(part.downwash * 2.0 * ahead.polar().induced * np.mean(lifts)) if lifts else 0.0
