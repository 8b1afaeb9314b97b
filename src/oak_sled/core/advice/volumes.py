"""Cautions about the volumes of a ground."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oak_sled.core.assembly import solidforms
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.units import show
from oak_sled.core.geometry import wetted
from oak_sled.core.kernel import volumes
from oak_sled.core.parts.caution import Caution
from oak_sled.core.yard.volume import Volume


def find(job: Job) -> Iterator[Caution]:
    """Cautions about what the volumes of its ground do to a craft."""
    ground = job.ground
    for one in ground.volumes:
        where = f"grounds.{ground.id}.volumes.{one.id}"
        if one.does in ("launch", "return") and _holds(one, job):
            yield Caution(
                "holds_the_start", where, f"{one.heading} holds the start of {job.single.heading}, and acts at once",
                "a start outside, or the volume elsewhere",
            )  # fmt: skip
        if one.does == "wind" and one.gusts > 0.0 and one.speed == 0.0 and ground.wind_speed == 0.0:
            yield Caution(
                "gusts_stand_still", where, f"no wind carries the gusts of {one.heading}: they differ only by place",
                "some speed of its wind, or of that of the ground",
            )  # fmt: skip
        if one.does == "wind" and ground.air_density == 0.0:
            yield Caution(
                "no_air_to_blow", where, f"{one.heading} blows, and the ground has no air",
                f"an air density such as {show(1.225, 'kg/m3')}",
            )  # fmt: skip
        if one.does == "water":
            yield from _water(one, job, where)


def _holds(one: Volume, job: Job) -> bool:
    row = np.zeros(1, volumes.VOLUME)
    for name, value in one.record((0.0, 0.0, 0.0)).items():
        row[0][name] = value
    x, y, z = job.starts[job.who][:3].tolist()
    return volumes.share_at(row[0], x, y, z) > 0.0


def _water(one: Volume, job: Job, where: str) -> Iterator[Caution]:
    if job.ground.gravity == 0.0 and not any(other.does == "gravity" for other in job.ground.volumes):
        yield Caution(
            "water_without_gravity", where, f"nothing is lifted by {one.heading}: there is no gravity",
            "gravity on the ground, or a volume of drag in its place",
        )  # fmt: skip
        return
    hull = wetted.of(solidforms.pieces_of(job.single)).volume
    mass = job.single.body.true_mass() + job.single.carried_mass()
    if mass > one.density * hull > 0.0 and not job.ground.floor:
        aside = show(one.density * hull, "kg")
        yield Caution(
            "sinks", where, f"{job.single.heading} pushes aside {aside} of {one.heading} at most, and sinks",
            f"a larger body, or less than that in place of {show(mass, 'kg')}",
        )  # fmt: skip
