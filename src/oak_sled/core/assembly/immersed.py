"""A scene with the volumes of its ground that push: see `contact/immersion.py`."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.contact import records
from oak_sled.core.contact.records import Scene
from oak_sled.core.geometry import wetted
from oak_sled.core.geometry.shapes import Piece


def with_volumes(job: Job, made: Scene, hulls: Sequence[Sequence[Piece]], others: Sequence[Sequence[Piece]]) -> Scene:
    """The scene with room for the volumes that push: how long each solid has been in each, where it began, and, where
    there is water, the triangles of its shape. hulls, others : the pieces of every solid behind the ground."""
    pushing = [one for one in job.ground.volumes if one.pushes]
    if not pushing:
        return made
    count = len(made.solids)
    origins = np.hstack([made.solids["position"], made.solids["attitude"]])
    made = made._replace(immersed=np.zeros((count, len(pushing), 2)), origins=origins)
    if not any(one.does == "water" for one in pushing):
        return made
    triangles, first, volumes = [np.zeros((0, 3, 3))], [0, 0], [0.0]
    for number, pieces in enumerate([*hulls, *others], start=1):
        shape = wetted.of(pieces) if made.solids[number]["kind"] != records.FIXED else wetted.DRY
        triangles.append(shape.triangles)
        first.append(first[-1] + len(shape.triangles))
        volumes.append(shape.volume)
    return made._replace(
        wet=np.concatenate(triangles), wet_first=np.array(first, np.int64), wet_volume=np.array(volumes)
    )
