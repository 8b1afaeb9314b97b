"""Ends of the ties of a run: where they are at a moment, and what they bear."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames, railways
from oak_sled.core.base.arrays import Floats
from oak_sled.core.contact import hook
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run
from oak_sled.core.yard.tie import Tie


@dataclass(frozen=True)
class TieEnds:
    """A tie at a row. one, other : its ends, m, world axes, shape (3,). shown : its recorded numbers, by name. bends :
    the points between them, shape (n, 3)."""

    tie: Tie
    one: Floats
    other: Floats
    shown: dict[str, float]
    bends: Floats
    is_thrown: bool = False
    """True for the line of a part."""

    @property
    def is_there(self) -> bool:
        """True unless it is broken, or a line whose hook is not out."""
        return self.shown.get("broken", 0.0) == 0.0 and self.shown.get("phase", 0.0) in (hook.TIED, hook.FLIES)


def at_row(run: Run, row: int) -> list[TieEnds]:
    """The ties of a run whose bodies are in it, at a recorded row."""
    start, now, layout = run.record.row(0), run.record.row(row), run.layout
    found = []
    for held in bodynames.ties_of(run.job):
        tie = held.tie
        first = tuple(np.array(end) for end in railways.ends_of(run.job.ground, tie))
        ends = [_moved(run, name, at, start, now) for name, at in zip((tie.one, tie.other), first, strict=True)]
        shown = {one.name: float(now[layout.place(f"tie.{tie.id}.{one.name}")]) for one in tie.rows().shows}
        if "end.x" in shown and row > 0:
            ends[1] = np.array([shown[f"end.{axis}"] for axis in "xyz"])
        count = int(shown.get("wraps", 0.0))
        bends = [[shown[f"bend{k + 1}.{axis}"] for axis in "xyz"] for k in range(count)]
        if tie.nodes():
            place = layout.place(f"tie.{tie.id}.node1.x")
            bends = now[place : place + 3 * tie.nodes()].reshape(-1, 3).tolist()
        found.append(TieEnds(tie, ends[0], ends[1], shown, np.array(bends).reshape(-1, 3), held.part >= 0))
    return found


def _moved(run: Run, name: str, point: Floats, start: Floats, now: Floats) -> Floats:
    """A point of the world at the start, fixed to the body of that name, as that body stands in another row."""
    place = _pose_of(run, name)
    if place < 0:
        return point
    before, after = start[place : place + 7], now[place : place + 7]
    own = rotations.rotation(before[3:7]).T @ (point - before[:3])
    return np.asarray(after[:3] + rotations.rotation(after[3:7]) @ own)


def _pose_of(run: Run, name: str) -> int:
    """The first column of the pose of a body; -1 for one that never moves."""
    layout = run.layout
    for who, craft in enumerate(layout.crafts):
        if craft.id == name:
            return layout.first_of(who)
    return layout.place(f"block.{name}.position.x") if name in layout.blocks else -1
