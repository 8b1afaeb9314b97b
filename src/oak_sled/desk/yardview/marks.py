"""Marks that a run leaves on the ice: its path, a bar each second, and where its runners slid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import recorded, traces
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets import theme
from oak_sled.desk.yardview.craftmesh import WIDTH_SHARE
from oak_sled.desk.yardview.meshes import Band

MOST_POINTS = 800
MOST_MARKS = 500


def pale(run: Run) -> str:
    """The colour of a run that is drawn beside another: what a game told, and a copy over a network, are told apart."""
    return recorded.told_by(run) or "ghost"


def path_of(run: Run, first: int, last: int) -> Floats:
    """The path from one row to another, thinned, shape (n, 2), m."""
    return _places(run, first, last, "xy")


LIFT = 0.02
"""m by which what is drawn on the ground lies over it."""


def path_over(run: Run, first: int, last: int) -> Floats:
    """The same with the height of the foot of the craft over it, shape (n, 3), m: a leap is drawn through the air."""
    found = _places(run, first, last, "xyz")
    found[:, 2] -= _foot(run)
    return found


def _places(run: Run, first: int, last: int, axes: str) -> Floats:
    """Positions of the centre of mass, thinned, with the last for certain, shape (n, axes), m."""
    step = max(1, -(-(last - first) // MOST_POINTS))
    made = np.empty((len(range(first, last, step)) + 1, len(axes)))
    for place, axis in enumerate(axes):
        column = run.column(f"position.{axis}")
        made[:-1, place], made[-1, place] = column[first:last:step], column[last]
    return made


def _foot(run: Run) -> float:
    return run.job.single.foot_depth() - LIFT


def second_marks(run: Run) -> Floats:
    """Pose of the bar across the path at every whole second: x, y, z, cosine and sine of the heading, shape (n, 5)."""
    first = int(run.first_tick * run.job.dt) + 1
    seconds = np.arange(first, min(first + 120, int(run.duration) + 1))
    rows = np.clip((seconds / run.job.dt + 1e-6).astype(int) - run.first_tick, 0, run.ticks)  # see Run.at
    way = traces.heading(run)
    x, y, z = (run.column(f"position.{axis}")[rows] for axis in "xyz")
    return np.column_stack([x, y, z - _foot(run), way[rows]])


def slide_marks(run: Run, last: int) -> list[tuple[Floats, NDArray[np.bool_]]]:
    """Path of each runner, shape (n, 3), m, and at which of these points it slid, shape (n,); tires apart: see
    `tire_marks`."""
    found: list[tuple[Floats, NDArray[np.bool_]]] = []
    step = max(1, last // MOST_MARKS)
    for part in run.job.single.parts:
        if not part.SLIDES or part.mute:
            continue
        sliding = run.column(f"{part.id}.activity")[: last + 1 : step] > 0.5
        if not np.any(sliding):
            continue
        origin = run.columns("position.x", "position.y", "position.z")[: last + 1 : step]
        way = traces.heading(run)[: last + 1 : step]
        centre = run.job.single.body.centre()
        for x, y, _ in part.feet():
            dx, dy = x - centre[0], y - centre[1]
            down = np.full(len(way), -_foot(run))
            foot = np.stack([way[:, 0] * dx - way[:, 1] * dy, way[:, 1] * dx + way[:, 0] * dy, down], axis=1)
            found.append((origin + foot, sliding))
    return found


SLIDES_FROM = 1.0
"""Slip, as a share of that at which a tire gives its most, past which it leaves a mark."""


@dataclass(frozen=True)
class TireMark:
    """The mark of a tire on the ground: its contact, m, shape (n, 3), where it slid, its width, m, and how strong the
    mark still is at each point, 0 to 1, both of shape (n,)."""

    points: Floats
    sliding: NDArray[np.bool_]
    width: float
    strength: Floats


def tire_marks(run: Run, last: int, now: int) -> list[TireMark]:
    """The marks of all tires up to row `last`, as they look at row `now`."""
    found = []
    step = max(1, last // MOST_MARKS)
    rows = slice(0, last + 1, step)
    ages = np.maximum(now - np.arange(0, last + 1, step), 0) * run.job.dt
    wheels = {one.id: one for one in run.job.single.parts if one.looks() == "wheels"}
    craft = run.job.single
    fades = {
        name: part.marks_fade_s for part in craft.parts if part.SLIDES for name in bodynames.wheel_names(craft, part)
    }
    for name in run.layout.own.tires:
        sliding = (run.column(f"{name}.slip")[rows] > SLIDES_FROM) & (run.column(f"{name}.force")[rows] > 0.0)
        if np.any(sliding):
            points = run.columns(*(f"{name}.point.{axis}" for axis in "xyz"))[rows] + [0.0, 0.0, LIFT]
            wide = WIDTH_SHARE * wheels[name.rpartition(".")[0]].radius
            found.append(TireMark(points, sliding, wide, 0.5 ** (ages / fades[name])))
    return found


def slide_bands(run: Run, last: int, now: int, wide: float) -> list[Band]:
    """The marks of runners and tires up to row `last` as bands on the ground, as they look at row `now`. wide : m, what
    a line is drawn with from where the eye is."""
    runners = (*theme.rgb("soft"), 0.5)
    found = [Band(feet, 0.1 * wide, runners, sliding) for feet, sliding in slide_marks(run, last)]
    tires = (*theme.rgb("ink"), 0.55)
    return found + [Band(one.points, one.width, tires, one.sliding, one.strength) for one in tire_marks(run, last, now)]
