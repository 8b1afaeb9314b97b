"""Flights: what became of a body that was launched: speed, distance, height, air time and turns.

Of the craft when an impulse, a shot or a release of its own or a poke moved it, and of every block that the drill
watches.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import traces
from oak_sled.core.results.run import Run

MOVES = 0.2
"""m/s from which a body that stood counts as moving."""
LAUNCH_S = 0.5
"""s from the first motion in which the launch speed is sought: a push may last."""
STILL_S = 0.25
"""s for which a body must stay settled before it counts as at rest, or as under control."""
SETTLED_SLIP, SETTLED_TURN = 10.0, 30.0
"""degrees and degrees/s below which a craft that is carried by the ground is under control."""


@dataclass(frozen=True)
class Flight:
    """The flight of one body. SI; turns are whole turns of any kind; settled is the time from the launch until a block
    rests, or until control of a craft returns. None for what did not happen."""

    name: str
    title: str
    mass: float
    start: float
    speed: float
    distance: float
    height: float
    air: float
    turns: float
    settled: float | None


def all_of(run: Run) -> tuple[Flight, ...]:
    """The flights of a run: the craft's first if it was launched, then those of the watched blocks."""
    found = [of_craft(run), *(of_block(run, name) for name in watched(run))]
    return tuple(flight for flight in found if flight is not None)


def watched(run: Run) -> tuple[str, ...]:
    """The blocks whose flight is measured."""
    return tuple(name for name in run.job.drill.watch if name in run.layout.blocks)


def of_block(run: Run, name: str) -> Flight | None:
    """The flight of a block; None while it has not moved."""
    block = next(one for one in run.job.ground.blocks if one.id == name)
    spots = run.columns(*(f"block.{name}.position.{axis}" for axis in "xyz"))
    fast = traces.values(run, f"block.{name}.speed")
    moving = np.flatnonzero(fast > MOVES)
    if not len(moving):
        return None
    first = int(moving[0])
    attitudes = run.columns(*(f"block.{name}.rotation.{axis}" for axis in "wxyz"))
    rising = run.column(f"block.{name}.velocity.z")
    rise = np.diff(rising, prepend=rising[:1]) * run.job.ticks
    falls = np.abs(rise + run.job.ground.gravity) < 1e-6 * max(run.job.ground.gravity, 1e-9)
    return _flight(
        run, name, block.heading, block.mass, first, spots, spots[:, 2], fast, attitudes,
        air=float(np.sum(falls[first:]) * run.job.dt), settled=_settled(run, fast <= MOVES, first),
    )  # fmt: skip


def of_craft(run: Run) -> Flight | None:
    """The flight of the craft; None when no impulse, shot or release moved it."""
    launching = [part.id for part in run.job.single.parts if part.LAUNCHES]
    pushed = np.zeros(run.ticks + 1, bool)
    pokes = ["poke"] if any(event.what == "poke" for event in run.job.drill.events) else []
    for line in [*launching, *pokes]:
        pushed |= np.any(run.line(line)[:, :3] != 0.0, axis=1)
    rows = np.flatnonzero(pushed)
    if not len(rows):
        return None
    first = int(rows[0])
    on_ground = run.column("on_ground") > 0.0
    turning = np.degrees(np.linalg.norm(run.columns("spin.x", "spin.y", "spin.z"), axis=1))
    settled = on_ground & (np.abs(traces.values(run, "slip_angle")) < SETTLED_SLIP) & (turning < SETTLED_TURN)
    craft = run.job.single
    flies = craft.can_leave_ground()
    return _flight(
        run, "", craft.heading, craft.body.true_mass(), first, traces.path(run), traces.values(run, "height"),
        traces.values(run, "speed"), run.columns(*(f"rotation.{axis}" for axis in "wxyz")),
        air=float(np.sum(~on_ground[first:]) * run.job.dt) if flies else 0.0, settled=_settled(run, settled, first),
    )  # fmt: skip


def _flight(
    run: Run,
    name: str,
    title: str,
    mass: float,
    first: int,
    spots: Floats,
    high: Floats,
    fast: Floats,
    attitudes: Floats,
    *,
    air: float,
    settled: float | None,
) -> Flight:
    soon = first + 1 + int(LAUNCH_S * run.job.ticks)
    away = spots[-1] - spots[max(first - 1, 0)]
    turned = 2.0 * np.arccos(np.clip(np.abs(np.sum(attitudes[1:] * attitudes[:-1], axis=1)), 0.0, 1.0))
    return Flight(
        name, title, mass, first * run.job.dt,
        speed=float(np.max(fast[first:soon])),
        distance=float(np.hypot(away[0], away[1])),
        height=float(np.max(high[first:]) - high[max(first - 1, 0)]),
        air=air,
        turns=float(np.sum(turned[first - 1 if first else 0 :]) / (2.0 * np.pi)),
        settled=settled,
    )  # fmt: skip


def _settled(run: Run, settled: np.ndarray, first: int) -> float | None:
    """s from the row `first` until it has settled for good, or for a while at least; None if it never is."""
    need = max(1, int(STILL_S * run.job.ticks))
    wild = np.flatnonzero(~settled[first:])
    if not len(wild):
        return 0.0
    last = first + int(wild[-1])
    return None if run.ticks - last < need else (last + 1 - first) * run.job.dt
