"""Figures: the runs drawn beside one another, and the craft of a run as it stands at a row."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import leaning, rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.craftmesh import facing
from oak_sled.desk.yardview.scene import Figure

FANS = ("fan", "propeller", "rotor")
"""Looks of parts that are drawn with blades that turn."""


def ghosts(session: Session, run: Run) -> list[Run]:
    """The runs that are drawn beside a run on the same ground, six at most."""
    found = session.shown.beside(session.shelf.pinned_runs())
    return [ghost for ghost in found if ghost.job.ground.id == run.job.ground.id][:6]


def figure(run: Run, row: int, paint: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)) -> Figure:
    """The craft of a run at a row; its fans turn with their thrust."""
    numbers = run.own_row(row)
    axes = rotations.rotation(numbers[3:7])
    origin = numbers[0:3] - axes @ np.array(run.job.single.body.centre())
    fan = next((part.id for part in run.job.single.parts if part.looks() in FANS), None)
    turn = 0.0
    if fan is not None:
        place = run.layout.own_place(f"{fan}.force.x")
        turn = 25.0 * row * run.job.dt * float(np.any(np.abs(numbers[place : place + 3]) > 1e-6))
    made = Figure(run.job.single, origin, axes, turn, paint, wheels_of(run, row), loads_of(run, row))
    made.fan_axes = tuple(_swivelled(run, part, numbers, axes) for part in run.job.single.parts if part.looks() in FANS)
    made.lean = _lean(run, row)
    return made


def _lean(run: Run, row: int) -> Floats | None:
    """The turn for the eye of a body, about the point about which it leans, from the axes of its craft."""
    model = leaning.model_of(run)
    if model is None:
        return None
    placed, at = np.eye(4), np.array(model.at)
    placed[:3, :3] = leaning.turn(*leaning.angles_at(run, row))
    placed[:3, 3] = at - placed[:3, :3] @ at
    return placed


def _swivelled(run: Run, part: Any, numbers: Floats, axes: Floats) -> Floats | None:
    """Axes whose x is the line along which a fan that swivels pushes; None for any other, or where it pushes
    nothing."""
    if not getattr(part, "swivel_deg", 0.0):
        return None
    place = run.layout.own_place(f"{part.id}.force.x")
    force = axes.T @ numbers[place : place + 3]
    size = float(np.linalg.norm(force))
    if not size > 1e-3 * part.thrust:  # nothing, or what nobody told
        return None
    way = force / size
    if part.reverse > 0.0 and way @ np.array(part.way()) < math.cos(math.radians(part.swivel_deg)) - 1e-6:
        way = -way  # it pushes backward
    return facing((float(way[0]), float(way[1]), float(way[2])))


def wheels_of(run: Run, row: int) -> tuple[tuple[float, float, float], ...]:
    """Of every wheel: m it has risen from full droop, rad it has turned, and rad it is steered to the left. One
    without a tire turns as it rolls without slip, v / r."""
    found: list[tuple[float, float, float]] = []
    numbers, place, tires = run.own_row(row), run.layout.own_place, run.layout.own.tires
    for part in run.job.single.parts:
        if part.looks() == "wheels":
            bare = any(f"{part.id}.{number}" not in tires for number in range(1, part.count() + 1))
            rolled = float(traces.values(run, "rolled")[row]) / part.radius if bare else 0.0
            steered = 0.0
            if part.steer_channel:
                told = float(numbers[place(f"channel.{part.steer_channel}")])
                steered = math.radians(part.steer_deg) * told if math.isfinite(told) else 0.0
            for number in range(1, part.count() + 1):
                name = f"{part.id}.{number}"
                gap = float(numbers[place(f"{name}.gap")])
                risen = max(part.travel + part.radius - gap, 0.0) if math.isfinite(gap) else 0.5 * part.travel
                if name in tires and math.isfinite(gap):
                    turned = traces.rolled_by(run, name, row)
                    found.append((risen, turned, float(numbers[place(f"{name}.steer")])))
                else:
                    found.append((risen, rolled, steered))
    return tuple(found)


def loads_of(run: Run, row: int) -> tuple[tuple[Floats, float], ...]:
    """Every body that the craft of a run carries or has dropped: where it is, m, world axes, and its diameter."""
    carried = run.analysis.once("carried bodies", lambda: _carried(run))
    if not carried:
        return ()
    numbers = run.record.row(row)
    return tuple((np.array(numbers[place : place + 3]), size) for place, size in carried)


def _carried(run: Run) -> list[tuple[int, float]]:
    """Of every body that the craft of a run carries: where its place stands in a row, and its diameter, m."""
    found = []
    for rider, name in zip(bodynames.riders(run.job), bodynames.rider_names(run.job), strict=True):
        if rider.who == run.job.who:
            found.append((run.layout.place(f"block.{name}.position.x"), rider.carried.size))
    return found
