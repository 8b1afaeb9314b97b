"""Contact scenes that are kept as they were built: what a dial does not touch is copied, not built again.

Building a scene from its documents takes longer than copying its arrays, and most dials change nothing of it. What
decides a scene is compared as documents are, by value; documents that an edit left alone are the same objects, so that
this is quick.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from oak_sled.core.assembly import bodynames, scenes
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.contact.records import Scene
from oak_sled.core.parts.context import Pack

MOST = 6
"""Scenes that are kept: that of the bench, and those of its twins."""
SHARED = (
    "triangles", "grid", "grid_first", "grid_items", "grid_top", "block_top", "pairs", "layers", "patches", "recorded",
    "counted", "slots", "origins", "wet", "rail_points", "wet_first", "wet_volume", "period",
    "follows", "ranks",
)  # fmt: skip
"""Arrays that no run writes into."""
SCRATCH = ("contacts", "before", "table", "couples", "near", "sighted", "turns", "tie_rows", "tie_right", "energy")
"""Arrays that are empty at the start of a run."""


class Kept(NamedTuple):
    """A scene at its start, and what decided it."""

    key: tuple[Any, ...]
    scene: Scene


_kept: tuple[Kept, ...] = ()


def scene_of(job: Job) -> Scene:
    """The scene of a job, its own to run in: equal to `scenes.build` to the bit."""
    global _kept  # replaced as a whole, so that threads that read it meanwhile are none the worse
    key = key_of(job)
    found = next((one for one in _kept if one.key == key), None)
    if found is None:
        found = Kept(key, scenes.build(job))
        _kept = (found, *_kept[: MOST - 1])
    return copied(found.scene)


def copied(scene: Scene) -> Scene:
    """A scene that may be run in, where `scene` stays as it is."""
    made = {}
    for name, array in scene._asdict().items():
        if name in SCRATCH:
            made[name] = np.zeros(array.shape, array.dtype)
        else:
            made[name] = array if name in SHARED else array.copy()
    return Scene(**made)


def key_of(job: Job) -> tuple[Any, ...]:
    """All that `scenes.build` reads of a job, as values that can be compared."""
    tied = job.ground.joints or bodynames.ties_of(job) or bodynames.riders(job)
    placed = [start.tobytes() for start in job.starts] if tied else []
    driven = [[channel.id for channel in one.channels] for one in job.actors] if tied else []
    crafts = [_seen(job, who) for who in range(len(job.actors))]
    drops = [event.target for event in job.drill.events if event.what == "drop"]  # what hangs until then
    ties = [job.drill.ties, *(one.whole.ties for k, one in enumerate(job.actors) if one.lead == k)]
    return (job.ground, drops, job.drill.watch, placed, driven, crafts, ties)


def _seen(job: Job, who: int) -> tuple[Any, ...]:
    """The share of an actor that its scene is built from: its body, and of each part what stands in the scene."""
    craft = job.actors[who].craft
    parts = []
    for part in craft.parts:
        gain = craft.gain_of(part)
        answers = sorted(part.record(Pack((), craft.body.centre())).items()) if part.ANSWERS_WALLS and gain else None
        parts.append(
            (
                part.id,
                gain > 0.0,
                part.shot(),
                part.carried(),
                part.thrown(),
                [(ray.at, ray.reach, ray.radius) for ray in part.rays()],
                part if part.feet() else None,  # its skids are made from it
                answers,
            )
        )
    return craft.id, craft.body, parts
