"""Measures of what is met: hits, drive work, air time, attitude, moved blocks, triggers."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import bodynames, scenes
from oak_sled.core.results import ledger, levels, moments, rotations, traces
from oak_sled.core.results.measure import measured
from oak_sled.core.results.motion import HIT_S
from oak_sled.core.results.run import Run
from oak_sled.core.tick.loop import SLOWEST

MOVED = 0.25
"""m past which a block counts as moved."""


@measured("hits", "", "number of hits against walls and bodies", better="low", ledger=True)
def hits(run: Run) -> float:
    return float(sum(event.word == "hit" for event in moments.events(run)))


@measured(
    "hardest hit",
    "N s",
    "greatest impulse of contacts within 0.05 s; weight, thrust and steady pushes are not counted",
    formula="max of the sum of F_contact dt over 0.05 s, less what holds against the other forces, "
    "and less the same sum just before or after",
    shows="a contact",
    better="low",
    ledger=True,
)
def hardest_hit(run: Run) -> float | None:
    """The greatest impulse of contacts over HIT_S, without what only carries or leans against the other forces, and
    without what they gave as well in the same time before or after: that is a steady push."""
    bumpers = [part.id for part in run.job.single.parts if part.ANSWERS_WALLS]
    touched = [*bumpers, "walls", "contact"]
    given = np.sum([run.line(name)[:, :3] for name in touched], axis=0)
    if not np.any(given):
        return None
    others = np.sum([run.line(name)[:, :3] for name in run.layout.lines if name not in touched], axis=0)
    size = np.linalg.norm(others, axis=1, keepdims=True)
    way = others / np.where(size > 0.0, size, 1.0)
    against = np.clip(-np.sum(given * way, axis=1, keepdims=True), 0.0, size)  # of it holds against what pushes
    count = max(2, round(HIT_S * run.job.ticks))
    summed = np.cumsum(np.concatenate([np.zeros((count, 3)), given + against * way, np.zeros((2 * count, 3))]), axis=0)
    windows = np.linalg.norm(summed[count:] - summed[:-count], axis=1)  # that ends at each row, and behind the last
    steady = np.maximum(np.concatenate([np.zeros(count), windows[: -2 * count]]), windows[count:])
    hit = float(np.max(windows[:-count] - steady, initial=0.0)) * run.job.dt
    return hit if hit > 1e-3 * run.job.single.body.true_mass() else None


@measured(
    "speed kept at a hit",
    "%",
    "speed half a second after the first hit, as a share of that before it",
    formula="100 |v|(t_hit + 0.5 s) / |v|(before)",
    shows="a hit while it moves",
    ledger=True,
)
def speed_kept(run: Run) -> float | None:
    """Speed half a second after the first hit, as a share of the speed before it."""
    first = next((event.row for event in moments.events(run) if event.word == "hit"), None)
    if first is None:
        return None
    speed = traces.values(run, "speed")
    after = min(first + run.job.ticks // 2, run.ticks)
    return float(100.0 * speed[after] / speed[first - 1]) if speed[first - 1] > SLOWEST else None


@measured(
    "drive work",
    "J",
    "work of the parts that drive; of driven wheels, by torque and wheel speed",
    formula="sum of F . v dt, or of M omega dt",
    better="low",
    ledger=True,
)
def drive_energy(run: Run) -> float:
    """The work of all parts that drive, of those that drive wheels by the torque on the wheels that they turn."""
    drives = [part for part in run.job.single.parts if part.FAMILY == "drive"]
    pushed = sum(ledger.work(run, part.id) for part in drives)
    if all(part.shows() != "drive" for part in drives):
        return pushed
    turned = 0.0
    for name in run.layout.own.tires:
        turn, torque = run.column(f"{name}.turn"), run.column(f"{name}.drive")
        turned += float(np.sum(torque[1:] * (turn[1:] + turn[:-1]))) * 0.5 * run.job.dt
    return pushed + turned


def _among(run: Run) -> bool:
    return scenes.can_collide(run.job)


@measured(
    "air time",
    "s",
    "time with nothing below that carries it",
    formula="ticks off the ground / tick rate",
    shows="a free height, and something to touch",
)
def air_time(run: Run) -> float | None:
    """Nothing below carries it; only for a craft whose height is free."""
    if not _among(run) or "z" in run.job.single.body.held:
        return None
    return float(np.sum(run.column("on_ground")[1:] == 0.0) * run.job.dt)


@measured("maximum height", "m", "greatest height above the start", formula="max z - z(0)", shows="a free height")
def highest(run: Run) -> float | None:
    if "z" in run.job.single.body.held:
        return None
    height = levels.heights(run)
    return float(np.max(height) - height[0])


def _lean(run: Run, axis: int) -> float | None:
    """Greatest angle of a craft axis to the level, degrees."""
    if {"roll", "pitch"} <= set(run.job.single.body.held):
        return None
    axes = rotations.rotations(run.columns(*(f"rotation.{name}" for name in "wxyz")))
    up = levels.in_level(run, axes[:, :, axis])[:, 2]
    return float(np.degrees(np.max(np.abs(np.arcsin(np.clip(up, -1.0, 1.0))))))


@measured(
    "largest roll",
    "°",
    "greatest angle of the side axis to the level",
    formula="max |asin(y_z)|",
    shows="a free roll or pitch",
    better="low",
)
def largest_roll(run: Run) -> float | None:
    return _lean(run, 1)


@measured(
    "largest pitch",
    "°",
    "greatest angle of the nose to the level",
    formula="max |asin(x_z)|",
    shows="a free roll or pitch",
    better="low",
)
def largest_pitch(run: Run) -> float | None:
    return _lean(run, 0)


@measured(
    "blocks moved",
    "",
    "dynamic blocks that moved by more than 25 cm",
    formula="count of max |x - x(0)| > 0.25 m",
    shows="a dynamic block",
)
def blocks_moved(run: Run) -> float | None:
    """Of the blocks that are loose."""
    loose = [one.id for one in bodynames.moving(run.job.ground) if one.moves == "free"]
    if not loose or not run.layout.blocks:
        return None
    moved = 0
    for name in loose:
        place = run.columns(*(f"block.{name}.position.{axis}" for axis in "xyz"))
        moved += float(np.max(np.linalg.norm(place - place[0], axis=1))) > MOVED
    return float(moved)


@measured(
    "trigger entries",
    "",
    "times something entered a trigger, or a body that only reports it",
    shows="a trigger",
    ledger=True,
)
def reports(run: Run) -> float | None:
    """Times that something came into a trigger, or into what only reports it."""
    if not run.layout.triggers:
        return None
    return float(sum(event.word == "report" for event in moments.events(run)))
