"""States of motion of a run: in which one the craft is in each row, for how long, and whether it flickers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Ints
from oak_sled.core.results import traces
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run
from oak_sled.core.yard.motionstate import Condition, MotionState

FLICKER_S = 0.1
"""s under which a state is too short for an animation or a sound: it flickers."""
NONE = -1

Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Spell:
    """A stretch of rows in one state, by its number among those of the craft; `NONE`: in none. first, last : rows, the
    last one not in it."""

    state: int
    first: int
    last: int


def of(run: Run) -> Ints:
    """The number of the state in each row among those of the craft, shape (rows,); `NONE` where none holds."""
    return run.analysis.once("states", lambda: _of(run))


def spells(run: Run) -> tuple[Spell, ...]:
    """The states one after another."""
    return run.analysis.once("spells", lambda: _spells(of(run)))


def flickers(run: Run) -> tuple[Spell, ...]:
    """The states that are left again too soon; the one in which a run begins or ends may be longer than it shows."""
    longest = FLICKER_S * run.job.ticks
    return tuple(one for one in spells(run)[1:-1] if one.last - one.first < longest)


def _of(run: Run) -> Ints:
    states = run.job.craft.states
    if not states:
        return np.full(run.ticks + 1, NONE)
    active = np.stack([_holds(run, one) for one in states])
    wanted = np.where(active.any(axis=0), active.argmax(axis=0), NONE)
    least = [round(one.least * run.job.ticks) for one in states]
    return _kept(wanted, least) if any(least) else wanted


def _holds(run: Run, state: MotionState) -> Bools:
    """True in rows in which the conditions of a state hold, with their hysteresis, shape (rows,)."""
    begins, stays = np.ones(run.ticks + 1, bool), np.ones(run.ticks + 1, bool)
    for condition in state.conditions:
        for found, bound in ((begins, condition.value), (stays, condition.ends)):
            found &= _passes(run, condition, bound)
    rows = np.arange(run.ticks + 1)
    begun = np.maximum.accumulate(np.where(begins & stays, rows, NONE))
    ended = np.maximum.accumulate(np.where(stays, NONE, rows))
    return np.asarray(begun > ended)


def _passes(run: Run, condition: Condition, bound: float) -> Bools:
    values = traces.values(run, condition.trace)
    values = np.abs(values) if condition.of == "size" else values
    return np.asarray(values > bound if condition.side == "above" else values < bound)


def _kept(wanted: Ints, least: list[int]) -> Ints:
    """States that last as many ticks as they must, whatever is wanted meanwhile. wanted : shape (rows,); least : ticks
    of each."""
    made, row = wanted.copy(), 0
    while row < len(made):
        now = int(made[row])
        last = row + (max(least[now], 1) if now != NONE else 1)
        made[row:last] = now
        while last < len(made) and wanted[last] == now:
            last += 1
        row = last
    return made


def _spells(states: Ints) -> tuple[Spell, ...]:
    edges = np.flatnonzero(np.diff(states, prepend=states[0] - 1, append=states[-1] - 1)).tolist()
    return tuple(Spell(int(states[first]), first, last) for first, last in zip(edges, edges[1:], strict=False))


@measured(
    "flickers",
    "",
    f"states of motion that are left again within {1000.0 * FLICKER_S:.0f} ms: too short for an animation or a sound",
    shows="a craft with states of motion",
    better="low",
)
def state_flickers(run: Run) -> float | None:
    """Number of them."""
    return float(len(flickers(run))) if run.job.craft.states else None


@measured(
    "changes of state",
    "",
    "changes from one state of motion to another",
    shows="a craft with states of motion",
)
def state_changes(run: Run) -> float | None:
    """Number of them."""
    return float(len(spells(run)) - 1) if run.job.craft.states else None
