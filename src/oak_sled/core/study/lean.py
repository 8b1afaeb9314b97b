"""Measures of long runs without their records: of every row only those columns are kept that measures read.

An hour of driving has a record of half a gigabyte, of which all measures together read a third. Which columns that are
is seen on the first seconds; where the whole run shows that a measure reads more of it, it is run again with those.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from oak_sled.core.build.jobs import Job
from oak_sled.core.kernel.state import Floats
from oak_sled.core.results import measures, run
from oak_sled.core.results.analysis import Analysis
from oak_sled.core.results.record import Record, Watched
from oak_sled.core.results.rows import NotKept
from oak_sled.core.study.batch import Batch
from oak_sled.core.study.stencil import Stencil

LONG = 100_000
"""Ticks from which on a run is not kept whole."""
FIRST_S = 10.0
"""s of a run on which it is seen what measures read."""


@dataclass(frozen=True)
class Told:
    """What is left of a run: its measures, some of its columns, shape (rows, columns), and how it ended."""

    found: dict[str, float | None]
    columns: Floats
    diverged: bool
    message: str


def told(job: Job, names: Sequence[str] = ()) -> Told:
    """The measures of a run, and the columns of those names."""
    if job.drill.duration * job.ticks <= LONG:
        made = run.execute(job)
        return _of(made, names)
    first = run.execute(replace(job, drill=job.drill.replace(duration=FIRST_S), substeps=1))
    watched = Watched(first.record)
    _of(replace(first, record=Record(first.layout, [watched]), analysis=Analysis()), names)
    stencil, read = Stencil(job), set(watched.read)
    while True:
        (made,) = Batch(stencil, read, ledger=True).execute([(job, 0)])
        missing = _missing(made, names)
        if not missing:
            return _of(made, names)
        read |= missing


def _missing(made: run.Run, names: Sequence[str]) -> set[int]:
    """Columns that measures of a run read and that were not kept: the first of each."""
    found: set[int] = set()
    if not made.is_diverged:
        for name in measures.names_of(made):
            try:
                measures.known(name).read(made)
            except NotKept as error:
                found.add(int(error.args[0]))
    return found


def _of(made: run.Run, names: Sequence[str]) -> Told:
    columns = made.columns(*names) if names else made.record.block(0, 0)
    return Told(measures.read_all(made), columns, made.is_diverged, made.message or ("diverged" * made.is_diverged))
