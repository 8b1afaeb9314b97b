"""The records of a ground for the kernel: air, gravity, patches, volumes, and bodies that attract; and its gates."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from oak_sled.core.assembly import bodynames, ground_shape
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Records
from oak_sled.core.kernel import state, surface, volumes
from oak_sled.core.kernel.surface import MOST_PATCHES
from oak_sled.core.yard.ground import Gate, Ground

_EDGES = ("open", "wrap", "wall", "return")


def one(dtype: np.dtype[Any], values: dict[str, Any]) -> Records:
    """An array of one record; every field must be given."""
    record = np.zeros(1, dtype)
    for name in dtype.names or ():
        record[name][0] = values[name]
    return record


def ground_record(ground: Ground) -> Records:
    """A ground as the kernel reads it: one record of GROUND, shape (1,)."""
    return one(state.GROUND, _ground(ground))


def ground_of(job: Job) -> Records:
    """The ground of a job, whose bodies that attract are looked up in every tick."""
    record = ground_record(job.ground)
    for row, block in zip(record["well"][0], job.ground.wells, strict=False):
        row["solid"] = bodynames.solid_number(job, block.id)
    return record


def _ground(ground: Ground) -> dict[str, Any]:
    angle = math.radians(ground.wind_to_deg)
    wind = (ground.wind_speed * math.cos(angle), ground.wind_speed * math.sin(angle), 0.0)
    low_x, low_y, high_x, high_y = ground.edges_at()
    spare = MOST_PATCHES - len(ground.patches)
    return {
        "gravity": ground.gravity,
        "air_density": ground.air_density,
        "wind": wind,
        "grip": ground.grip,
        "patch_count": len(ground.patches),
        "patches": np.concatenate([ground_shape.patch_rows(ground), np.zeros(spare, surface.PATCH)]),
        "edge_kind": _EDGES.index(ground.edges),
        "low": (low_x, low_y, ground.middle_z - 0.5 * ground.depth),
        "high": (high_x, high_y, ground.middle_z + 0.5 * ground.depth),
        "period": ground.period(),
        **_volumes(ground, wind),
        **_wells(ground),
    }


def _volumes(ground: Ground, wind: tuple[float, float, float]) -> dict[str, Any]:
    """The volumes of a ground: those that push, those of wind, those of gravity. wind : m/s of the ground."""
    rows = np.zeros(volumes.MOST_VOLUMES, volumes.VOLUME)
    every = [one for one in ground.volumes if one.pushes]
    winds = [one for one in ground.volumes if one.does == "wind"]
    fields = [one for one in ground.volumes if one.does == "gravity"]
    for row, volume in zip(rows, (*every, *winds, *fields), strict=False):
        for name, value in volume.record(wind).items():
            row[name] = value
    return {"time": 0.0, "pushing": len(every), "winds": len(winds), "fields": len(fields), "volumes": rows}


def _wells(ground: Ground) -> dict[str, Any]:
    """The bodies of a ground that attract, where they begin; which solids they are is told by the job."""
    rows = np.zeros(state.MOST_WELLS, state.WELL)
    found = ground.wells
    for row, block in zip(rows, found, strict=False):
        row["mu"], row["radius"], row["middle"] = block.mu, block.radius, block.middle()
    return {"wells": len(found), "well": rows}


def gate_row(gate: Gate) -> dict[str, Any]:
    angle = math.radians(gate.heading_deg)
    return {"x": gate.x, "y": gate.y, "cos": math.cos(angle), "sin": math.sin(angle), "half_width": 0.5 * gate.width}
