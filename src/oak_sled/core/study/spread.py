"""Spread: a drill over a grid of dial values, one measure of each variant."""

from __future__ import annotations

import itertools
import math
import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from oak_sled.core.build import world
from oak_sled.core.build.jobs import job_of
from oak_sled.core.documents import units
from oak_sled.core.documents.faults import Refused, refuse
from oak_sled.core.documents.yard import Yard
from oak_sled.core.results import run
from oak_sled.core.results.measures import Measure

MOST_VARIANTS = 100_000


@dataclass(frozen=True)
class Axis:
    """A dial and the values it is given."""

    path: str
    values: tuple[float, ...]


def read_axis(entry: str) -> Axis:
    """An axis written as PATH=LO:HI:N."""
    path, equals, stretch = entry.partition("=")
    pieces = stretch.split(":")
    if not equals or len(pieces) != 3:
        raise refuse(f"--vary {entry}", "is not PATH=LO:HI:N", "such as crafts.fan_sled.parts.fan.thrust=400:900:6")
    try:
        low, high = units.read(pieces[0], ""), units.read(pieces[1], "")
        count = int(pieces[2])
    except (Refused, ValueError):
        raise refuse(
            f"--vary {entry}", "has a number that cannot be read", "LO and HI numbers, N a whole one"
        ) from None
    if not 1 <= count <= 10_000:
        raise refuse(f"--vary {entry}", f"{count} values", "1 to 10000")
    return Axis(path.strip(), tuple(float(value) for value in np.linspace(low, high, count)))


def grid(yard: Yard, drill: str, axes: list[Axis], measure: Measure) -> list[tuple[tuple[float, ...], float | None]]:
    """The measure of every variant of the grid, in the order of the axes, the last one fastest."""
    total = math.prod(len(axis.values) for axis in axes)
    if total > MOST_VARIANTS:
        raise refuse("--vary", f"{total} variants", f"at most {MOST_VARIANTS}")
    world.compile_laws(job_of(yard, yard.drill(drill)))

    def one(values: tuple[float, ...]) -> tuple[tuple[float, ...], float | None]:
        variant = yard.edit_all([(axis.path, value) for axis, value in zip(axes, values, strict=True)])
        return values, measure.read(run.execute(job_of(variant, variant.drill(drill))))

    # whole runs side by side: the kernel lets the other thread go on meanwhile, and no run knows of another
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return list(pool.map(one, itertools.product(*(axis.values for axis in axes))))
