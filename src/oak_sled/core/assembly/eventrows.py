"""Events of a drill as records of the kernel, and how a sling holds its craft until one releases it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import get_args

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Records
from oak_sled.core.kernel import state
from oak_sled.core.parts.common import HOLDS, Part
from oak_sled.core.yard.event import Event, What


def event_rows(events: Sequence[Event], job: Job) -> Records:
    """The events of a drill as records, in order of time; one whose target is not there does nothing."""
    rows = np.zeros(len(events), state.EVENT)
    crafts = [one.craft for one in job.actors]
    for row, event in zip(rows, sorted(events, key=lambda event: event.t), strict=True):
        row["time"], row["what"] = event.t, get_args(What).index(event.what)
        row["part"], row["solid"], row["link"] = -1, -1, -1
        who = next((k for k, one in enumerate(crafts) if one.id == event.craft), 0)
        if event.aims_at == "part":  # it may be on a further body
            own = [k for k, one in enumerate(job.actors) if one.lead == who]
            who = next((k for k in own if event.target in [part.id for part in crafts[k].parts]), who)
        row["craft"] = who
        if event.what in ("trigger", "hold", "release", "fail"):
            names = [part.id for part in crafts[who].parts]
            row["part"] = names.index(event.target) if event.target in names else -1
            if row["part"] >= 0 and not _obeys(crafts[who].parts[row["part"]], event.what):
                row["part"] = -1
        elif event.aims_at == "tie":
            names = [one.tie.id for one in bodynames.ties_of(job)]
            row["link"] = names.index(event.target) if event.target in names else -1
        elif event.aims_at == "rail":
            names = [rail.id for rail in job.ground.rails]
            row["link"] = names.index(event.target) if event.target in names else -1
        else:
            row["solid"] = bodynames.solid_number(job, event.target) if event.target else 1 + who
        row["vector"], row["point"] = (event.x, event.y, event.z), (event.at_x, event.at_y, event.at_z)
    return rows


def _obeys(part: Part, what: str) -> bool:
    """True if a part does anything at an event; a trigger of one that does not wait for it is kept for it."""
    return what in ("trigger", "fail") or what in part.OBEYS


def first_hold(job: Job, who: int) -> int:
    """The hold of a sling on its craft from the start: until the first event that releases it."""
    craft = job.actors[who].craft
    slings = {part.id: part for part in craft.parts if part.PULLED and not part.mute}
    for event in sorted(job.drill.events, key=lambda event: event.t):
        own = event.craft == craft.id or (who == 0 and not event.craft)
        if own and event.what in ("hold", "release") and event.target in slings:
            return HOLDS.index(slings[event.target].released()) if event.what == "release" else state.LOOSE
    return state.LOOSE
