"""Measures of long runs without their records: of every row only those columns are kept that measures read.

An hour of driving has a record of half a gigabyte, of which all measures together read a third. Which columns that are
is seen on the same run at few ticks a second; where the run itself shows that a measure reads more, it is kept whole.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import measures, run
from oak_sled.core.results.analysis import Analysis
from oak_sled.core.results.record import Record, Watched
from oak_sled.core.study.batch import Batch
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.tick.rows import NotKept

LONG = 100_000
"""Ticks from which on a run is not kept whole."""
FEW = 30
"""Ticks a second at which it is seen what measures read."""


@dataclass(frozen=True)
class Told:
    """The remains of a run: its measures, some of its columns, shape (rows, columns), and how it ended."""

    found: dict[str, float | None]
    columns: Floats
    diverged: bool
    message: str


def told(job: Job, names: Sequence[str] = ()) -> Told:
    """The measures of a run, and the columns of those names."""
    if job.drill.duration * job.ticks <= LONG:
        made = run.execute(job)
        return _of(made, names)
    read = _read(job, names)
    try:
        (made,) = Batch(VariantBuild(job), read, ledger=True).execute([(job, 0)])
        return _of(made, names)
    except NotKept:
        return _of(run.execute(job), names)


def _read(job: Job, names: Sequence[str]) -> set[int]:
    """The columns that measures read of a run, and those of `names`."""
    first = run.execute(replace(job, ticks=FEW, substeps=1))
    watched = Watched(first.record)
    _of(replace(first, record=Record(first.layout, [watched]), analysis=Analysis()), names)
    return watched.read


def _of(made: run.Run, names: Sequence[str]) -> Told:
    columns = made.columns(*names) if names else made.record.block(0, 0)
    return Told(measures.read_all(made), columns, made.is_diverged, made.message or ("diverged" * made.is_diverged))
