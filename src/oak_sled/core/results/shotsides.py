"""Shots of others at a craft that is seen over a network: which hit it where it is, and which where they see it.

The side of the victim decides by the craft itself, that of the attacker by the copy that it sees and aims at. A shot
that the craft stopped flies on straight for the copy: where it would have gone, nobody knows better.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import rotations
from oak_sled.core.results.copying import Seen
from oak_sled.core.results.run import Run

ON_S = 0.3
"""s for which a shot that was stopped is followed on, for the other side."""
FINE = 8
"""Places along the way of a tick at which it is looked whether a shot is in a craft."""


@dataclass(frozen=True)
class Sides:
    """Shots of others. shots : how many were fired; victim, attacker : how many hit as each side sees it; both : as
    both do."""

    shots: int
    victim: int
    attacker: int
    both: int

    @property
    def differ(self) -> int:
        """Shots about which the sides do not agree."""
        return self.victim + self.attacker - 2 * self.both


def sides(run: Run, seen: Seen) -> Sides:
    """The shots of the other crafts of a run at the one that is looked at, as it is and as it is seen."""
    half, centre = np.array(run.job.single.body.half_extents()), np.array(run.job.single.body.middle())
    middle = centre - np.array(run.job.single.body.centre())
    found = [
        tuple(_meets(places, first, poses, (half + size, middle)) for poses in (seen.truth, seen.shown))
        for places, first, size in _flights(run)
    ]
    return Sides(
        len(found), sum(mine for mine, _ in found), sum(theirs for _, theirs in found),
        sum(mine and theirs for mine, theirs in found),
    )  # fmt: skip


def _flights(run: Run) -> Iterator[tuple[Floats, int, float]]:
    """The places of every shot of the others, shape (n, 3), m, the row of the first, and its radius, m; followed on for
    a while where it ended before its drill did."""
    on, own = round(ON_S * run.job.ticks), run.job.craft.id
    for craft in run.job.crafts:
        if craft.id == own:
            continue
        other = run.seen_from(craft.id)
        thrown = {part.id: part.shot() for part in other.job.single.parts}
        for name in other.layout.shots:
            ages = other.column(f"shot.{name}.age")
            flying = np.concatenate([[False], ages > 0.0, [False]])
            # a slot that is used again without a pause: a younger age is another shot
            begins = flying[1:-1] & (~flying[:-2] | (np.diff(ages, prepend=ages[:1]) < 0.0))
            for first in np.flatnonzero(begins).tolist():
                later = np.flatnonzero(~flying[1:-1][first:] | np.concatenate([[False], begins[first + 1 :]]))
                last = first + int(later[0]) if len(later) else len(ages)
                places = other.columns(*(f"shot.{name}.position.{axis}" for axis in "xyz"))[first:last]
                if len(places) > 1 and last < len(ages):
                    ahead = (places[-1] - places[-2]) * np.arange(1, on + 1)[:, None]
                    places = np.concatenate([places, places[-1] + ahead])
                if len(places) > 1:
                    shot = thrown[name.rpartition(".")[0]]
                    yield np.asarray(places, dtype=np.float64), first, 0.5 * shot.size if shot is not None else 0.0


def _meets(places: Floats, first: int, poses: Floats, box: tuple[Floats, Floats]) -> bool:
    """True if a shot comes into the box of a craft. poses : of each row, shape (rows, 13); box : its half extents and
    the way to its middle, m, craft axes, shape (3,) each."""
    count = min(len(places), len(poses) - first)
    if count < 2:
        return False
    half, middle = box
    share = np.arange(FINE)[:, None, None] / FINE
    way = places[: count - 1] + share * np.diff(places[:count], axis=0)
    there = poses[first : first + count]
    moves = there[:-1, :3] + share * np.diff(there[:, :3], axis=0)
    axes = rotations.rotations(there[:-1, 3:7])
    off = np.einsum("nji,fnj->fni", axes, way - moves) - middle
    return bool((np.abs(off) <= half).all(axis=2).any())
