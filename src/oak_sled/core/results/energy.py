"""The energy of a bounce: what each ledger line gave or took, and of springs what they hold.

A bounce lasts from one top of the path to the next. The work of a line over a stretch is the sum, tick by tick, of its
force times the mean velocity and its torque times the mean spin; for the lines together that is what the motion gained,
exactly where the body moves and does not turn, to the order of the tick where it turns.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.results import ledger, levels
from oak_sled.core.results.run import Run

LEAST_RISE = 2e-3
"""m by which a path rises and falls again at a top; less is no bounce."""


@dataclass(frozen=True)
class Bounce:
    """A stretch of a run from one top of its path to the next. first, last : rows; the first row of a run and its last
    count as tops. lowest : the row of the least height between them. fell, rose : m."""

    first: int
    last: int
    lowest: int
    fell: float
    rose: float


@dataclass(frozen=True)
class Share:
    """The work of a ledger line over a stretch, J: the energy of motion that it gave the craft, or took where it is
    below 0. kind : "work"; "held" for what springs hold of it, "lost" for what is gone of it as heat."""

    name: str
    title: str
    family: str
    kind: str
    joules: float


def tops(run: Run) -> tuple[int, ...]:
    """The rows at which the craft is highest for a while, and the first and the last one."""
    height = levels.heights(run)
    found, low, high, rising = [0], 0, 0, False
    for row, z in enumerate(height.tolist()):
        if rising:
            if z > height[high]:
                high = row
            elif z < height[high] - LEAST_RISE:
                found.append(high)
                low, rising = row, False
        elif z < height[low]:
            low = row
        elif z > height[low] + LEAST_RISE:
            high, rising = row, True
    return (*found, run.ticks)


def bounce_at(run: Run, row: int) -> Bounce | None:
    """The bounce in which a row lies; None for a craft that is held at its height, or never rises and falls."""
    if "z" in run.job.single.body.held or run.ticks < 2:
        return None
    known: tuple[int, ...] = run.analysis.once("tops", lambda: tops(run))
    place = min(int(np.searchsorted(known, row, side="right")), len(known) - 1)
    first, last = known[place - 1], known[place]
    height = levels.heights(run)[first : last + 1]
    lowest = first + int(height.argmin())
    fell, rose = float(height[0] - height.min()), float(height[-1] - height.min())
    return Bounce(first, last, lowest, fell, rose) if fell > LEAST_RISE else None


def shares(run: Run, first: int, last: int) -> tuple[Share, ...]:
    """The work of every line between two rows, in the order in which they act; those that did nothing are left out.

    Of a part on springs, what they hold is told from what is lost: the energy its law stores at the gaps of a row, by
    the law itself, less that of the row before; the rest of its work is gone.
    """
    found = []
    parts = {part.id: part for part in run.job.single.working_parts}
    for name in run.layout.lines:
        done = ledger.work(run, name, first, last)
        if abs(done) < 1e-9:
            continue
        title, family = ledger.title_of(run, name)
        part = parts.get(name)
        if part is None or not part.legs():
            found.append(Share(name, title, family, "work", done))
            continue
        held = _stored(run, name, last) - _stored(run, name, first)
        found.append(Share(name, f"{title}: held in springs", family, "held", -held))
        found.append(Share(name, f"{title}: lost in dampers and friction", family, "lost", done + held))
    return tuple(found)


def gained(run: Run, first: int, last: int) -> float:
    """J by which the motion of the craft grew between two rows."""
    energy = run.analysis.once("energy", lambda: ledger.energy(run))
    return float(energy[last] - energy[first])


def _stored(run: Run, name: str, row: int) -> float:
    """J that the springs of a part hold at a row."""
    part = next(one for one in run.job.single.working_parts if one.id == name)
    gaps = [float(run.column(f"{name}.{k}.gap")[row]) for k in range(1, 1 + len(part.rays()))]
    return run.job.single.gain_of(part) * sum(part.stored(gap) for gap in gaps)
