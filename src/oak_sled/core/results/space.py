"""Measures of space: fuel, turning about, matching a speed, and docking."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels, orbits, rotations, tied
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run
from oak_sled.core.yard.hinge import Latch

TURNED = 10.0
"""° from the opposite of its first direction, from which on a nose has turned about."""
MATCHED = 0.05
"""Share of the speed at the event, below which a speed is matched."""
LEAST_SPEED = 0.1
"""m/s at the event, from which on a speed can be matched."""


def fuel_left(run: Run) -> Floats:
    """kg in all tanks of the body that is looked at, shape (rows,)."""
    tanks = [part for part in run.job.single.working_parts if part.holds_fuel() > 0.0]
    found = [part.holds_fuel() * (1.0 - run.column(f"{part.id}.activity")) for part in tanks]
    return np.asarray(np.sum(found, axis=0)) if found else np.zeros(run.ticks + 1)


def velocity_left(run: Run) -> Floats:
    """m/s that the fuel left would give by all that burns it, at full thrust in one direction (the rocket equation of
    Tsiolkovsky, 1903), shape (rows,)."""
    craft, left = run.job.single, fuel_left(run)
    rockets = [part for part in craft.working_parts if part.most_thrust() > 0.0]
    flow, thrust = sum(part.burns() for part in rockets), sum(part.most_thrust() for part in rockets)
    if flow <= 0.0:
        return np.zeros_like(left)
    mass = craft.body.true_mass() + craft.carried_mass() - (left[0] - left)
    return np.asarray(thrust / flow * np.log(mass / np.maximum(mass - left, 1e-9)))


@measured(
    "fuel used", "kg", "fuel that its parts burnt", shows="a craft with a tank", better="low", ledger=True,
)  # fmt: skip
def fuel_used(run: Run) -> float | None:
    left = fuel_left(run)
    return float(left[0] - left[-1]) if left[0] > 0.0 else None


@measured(
    "velocity change left", "m/s", "that the fuel at the end would give, by all that burns it at full",
    formula="v_e ln(m / (m - fuel))", shows="a craft with a tank, and parts that burn fuel", better="high",
    ledger=True,
)  # fmt: skip
def velocity_change_left(run: Run) -> float | None:
    found = velocity_left(run)
    return float(found[-1]) if found[0] > 0.0 else None


@measured(
    "time to turn about", "s",
    "from the event until the nose points within 10° of where its back pointed then, in the level frame",
    shows="a nose that turns about after the event", better="low",
)  # fmt: skip
def turn_about_time(run: Run) -> float | None:
    first = run.at(run.job.drill.event_time)
    noses = rotations.rotations(run.columns(*(f"rotation.{name}" for name in "wxyz")))[:, :, 0]
    noses = levels.in_level(run, noses)[first:]
    angle = np.degrees(np.arccos(np.clip(-noses @ noses[0], -1.0, 1.0)))
    rows = np.flatnonzero(angle <= TURNED)
    return float(rows[0] * run.job.dt) if len(rows) else None


def _against(run: Run) -> Floats | None:
    """m/s of the craft against the first other craft of the drill, shape (rows,); None where it is alone."""
    others = [place for place, craft in enumerate(run.layout.crafts) if craft.id.partition(".")[0] != run.job.craft.id]
    if not others:
        return None
    name = run.layout.crafts[others[0]].id
    other = np.stack([run.record.column(run.layout.place(f"{name}/velocity.{axis}")) for axis in "xyz"], axis=1)
    moves: Floats = run.columns(*(f"velocity.{axis}" for axis in "xyz")) - other
    return np.asarray(np.linalg.norm(moves, axis=1))


@measured(
    "time to match speed", "s",
    "from the event until its speed against the first other craft stays below 5 % of that at the event",
    shows="another craft, a speed against it at the event of 0.1 m/s or more, and that speed matched", better="low",
)  # fmt: skip
def match_time(run: Run) -> float | None:
    speed, first = _against(run), run.at(run.job.drill.event_time)
    if speed is None or speed[first] < LEAST_SPEED:
        return None
    fast = np.flatnonzero(speed[first:] > MATCHED * speed[first])
    return None if first + fast[-1] >= run.ticks else float((fast[-1] + 1) * run.job.dt)


def _docks(run: Run) -> tuple[str, int] | None:
    """The first latch that closes in a run and the row before that in which it does, or else the one whose points come
    nearest and that row; None without a latch."""
    latches = {one.tie.id for one in bodynames.ties_of(run.job) if isinstance(one.tie, Latch)}
    closed = [one for one in tied.changes(run) if one.word == "latched" and one.tie in latches]
    if closed:
        return closed[0].tie, max(closed[0].row - 1, 0)
    if not latches:
        return None
    apart = {name: run.column(f"tie.{name}.length")[1:] for name in latches}
    nearest = min(sorted(apart), key=lambda name: float(apart[name].min(initial=math.inf)))
    return nearest, int(np.argmin(apart[nearest])) + 1 if run.ticks else 0


@measured(
    "closing speed", "m/s", "of the points of a latch against each other as it closes, or at their nearest",
    shows="a latch", better="low",
)  # fmt: skip
def closing_speed(run: Run) -> float | None:
    found = _docks(run)
    return None if found is None else float(run.column(f"tie.{found[0]}.speed")[found[1]])


@measured(
    "miss distance", "m", "of the points of a latch as it closes, or at their nearest", shows="a latch", better="low",
)  # fmt: skip
def miss_distance(run: Run) -> float | None:
    found = _docks(run)
    return None if found is None else float(run.column(f"tie.{found[0]}.length")[found[1]])


@measured(
    "attitude error at the latch", "°", "angle of the axes of a latch as it closes, or at their nearest",
    shows="a latch", better="low",
)  # fmt: skip
def dock_tilt(run: Run) -> float | None:
    found = _docks(run)
    return None if found is None else float(np.degrees(run.column(f"tie.{found[0]}.tilt")[found[1]]))


@measured("latches closed", "", "latches that are closed at the end", shows="a latch", better="high")
def latches_closed(run: Run) -> float | None:
    latches = [one.tie.id for one in bodynames.ties_of(run.job) if isinstance(one.tie, Latch)]
    if not latches:
        return None
    ends = [(run.column(f"tie.{name}.closed")[-1], run.column(f"tie.{name}.broken")[-1]) for name in latches]
    return float(sum(closed > 0.5 and broken < 0.5 for closed, broken in ends))


@measured(
    "lowest altitude", "m", "lowest point of the orbit at the end, above the surface", shows="a body that attracts",
)  # fmt: skip
def lowest_altitude(run: Run) -> float | None:
    found = orbits.at_row(run, run.ticks)
    return None if found is None else found.low


@measured(
    "highest altitude", "m", "highest point of the orbit at the end, above the surface",
    shows="a body that attracts, and an orbit that comes back",
)  # fmt: skip
def highest_altitude(run: Run) -> float | None:
    found = orbits.at_row(run, run.ticks)
    return None if found is None or math.isinf(found.high) else found.high


@measured(
    "spin at the end", "°/s", "rate at which the craft turns at the end, about any axis", formula="|w|",
    shows="a craft that is free to turn", better="low",
)  # fmt: skip
def spin_at_end(run: Run) -> float | None:
    if {"roll", "pitch", "yaw"} <= set(run.job.single.body.held):
        return None
    return float(np.degrees(np.linalg.norm(run.columns("spin.x", "spin.y", "spin.z")[-1])))


@measured(
    "distance to the mark", "m",
    "of the first watched block from the middle of the first trigger of the ground, at the end",
    shows="a drill that watches a block, on a ground with a trigger", better="low",
)  # fmt: skip
def mark_distance(run: Run) -> float | None:
    marks = [block for block in run.job.ground.blocks if block.moves == "trigger"]
    watched = [name for name in run.job.drill.watch if name in run.layout.blocks]
    if not marks or not watched:
        return None
    place = run.columns(*(f"block.{watched[0]}.position.{axis}" for axis in "xyz"))[-1]
    return float(np.linalg.norm(place - np.array(marks[0].middle())))
