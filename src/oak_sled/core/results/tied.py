"""Ties in a run: what they bore, when they broke or closed, and what they took."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import tieends
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run
from oak_sled.core.yard.tie import Tie

MOVING = 0.05
"""m/s from which on a body that is tied has moved off."""
MEANT = ("let go", "latched")
"""Words of changes that were asked for."""
NEEDS = "a drill whose ground has ties"


@dataclass(frozen=True)
class Change:
    """A tie that broke, came off its rail, was let go or closed in a run. word : one of these. says : a sentence."""

    row: int
    tie: str
    word: str
    says: str


def changes(run: Run) -> tuple[Change, ...]:
    """All changes of ties, in order of time."""
    return run.analysis.once("ties", lambda: _changes(run))


def _changes(run: Run) -> tuple[Change, ...]:
    found = []
    for tie in _ties(run):
        for name in ("broken", "closed"):
            if name in [one.name for one in tie.rows().shows]:
                rises = np.flatnonzero(np.diff(run.column(f"tie.{tie.id}.{name}")) > 0.5) + 1
                found += [_change(run, tie, int(row), name) for row in rises]
    return tuple(sorted(found, key=lambda one: one.row))


def _change(run: Run, tie: Tie, row: int, name: str) -> Change:
    when = units.show(row * run.job.dt, "s")
    if name == "closed":
        return Change(row, tie.id, "latched", f"{tie.heading} closed after {when}")
    load = float(run.column(f"tie.{tie.id}.{tie.BREAKS_BY or tie.LOAD}")[row])
    limit = tie.limit()
    if limit == 0.0 or abs(load) < limit:
        word = tie.COMES_OFF if tie.COMES_OFF and load != 0.0 else "let go"
        return Change(row, tie.id, word, f"{tie.heading}: {word} after {when}")
    at = next((one.one for one in tieends.at_row(run, row) if one.tie.id == tie.id), None)
    where = "" if at is None else f", at {units.show(float(at[0]), 'm')} east, {units.show(float(at[1]), 'm')} north"
    says = f"{tie.heading} {tie.BREAKS} after {when} at {units.show(abs(load), 'N')}{where}"
    return Change(row, tie.id, tie.BREAKS, says)


def _ties(run: Run) -> list[Tie]:
    return [one.tie for one in bodynames.ties_of(run.job)]


def _loads(run: Run) -> list[Floats]:
    return [run.column(f"tie.{tie.id}.{tie.LOAD}") for tie in _ties(run)]


@measured(
    "greatest tie load", "N", "greatest load on any rope, coupling, joint or bogie", formula="max |F|", shows=NEEDS,
    better="low",
)  # fmt: skip
def tie_load(run: Run) -> float | None:
    return max((float(np.abs(load).max()) for load in _loads(run)), default=None)


@measured("ties broken", "", "ties that broke or came off their rail in the run", shows=NEEDS, better="low")
def ties_broken(run: Run) -> float | None:
    if not _ties(run):
        return None
    return float(sum(one.word not in MEANT for one in changes(run)))


@measured(
    "greatest side load", "N", "greatest load across the rail and its top on any bogie", formula="max |F_side|",
    shows="a bogie on a rail", better="low",
)  # fmt: skip
def side_load(run: Run) -> float | None:
    found = [run.column(f"tie.{tie.id}.side") for tie in _ties(run) if tie.on_rail()]
    return max((float(np.abs(side).max()) for side in found), default=None)


@measured(
    "energy lost in couplings", "J", "work that the dampers of couplings took", formula="sum c v2 dt",
    shows="a coupling", better="low",
)  # fmt: skip
def coupling_losses(run: Run) -> float | None:
    names = [tie.id for tie in _ties(run) if "damped" in [one.name for one in tie.rows().shows]]
    if not names:
        return None
    return float(sum(run.column(f"tie.{name}.damped").sum() for name in names) * run.job.dt)


@measured(
    "last to move off", "s", "from the start until the last block that is tied has moved off",
    shows="a run in which every block that is tied moves, and did not at the start", better="low",
)  # fmt: skip
def last_to_move(run: Run) -> float | None:
    known = set(run.layout.blocks)
    names = {name for tie in _ties(run) for name in (tie.one, tie.other) if name in known}
    latest = None
    for name in sorted(names):
        speed = np.linalg.norm(run.columns(*(f"block.{name}.velocity.{axis}" for axis in "xyz")), axis=1)
        moves = np.flatnonzero(speed > MOVING)
        if not len(moves):
            return None
        latest = max(latest or 0.0, float(moves[0]) * run.job.dt)
    return latest or None
