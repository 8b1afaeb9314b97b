"""Runs as a script sees them: measures, traces with units, the ledger, cautions, files."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.advice import cautions
from oak_sled.core.base import units
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.files import run_table
from oak_sled.core.parts.caution import Caution
from oak_sled.core.results import ledger, measures, traces, why
from oak_sled.core.results import run as core

Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Trace:
    """A quantity of a run over time. values : shape (rows,), a row a tick; row 0 is the start. t : s, shape (rows,)."""

    name: str
    title: str
    unit: str
    t: Numbers
    values: Numbers

    def __repr__(self) -> str:
        return f"<Trace {self.name} [{self.unit}], {len(self.values)} rows>"


@dataclass(frozen=True)
class Moment:
    """A line of the ledger in a tick: N and N m about the centre of mass, world axes."""

    title: str
    force: tuple[float, float, float]
    torque: tuple[float, float, float]


class Measures(Mapping[str, float | None]):
    """Measures by name, in their units; None for what the run does not show. `of_blocks` are asked for as NAME@BLOCK,
    those of another craft as NAME@CRAFT. Each is computed when it is first asked for."""

    def __init__(self, made: core.Run):
        self._crafts, self._found = [one.craft.id for one in made.job.actors], measures.Readings(made)

    def __getitem__(self, name: str) -> float | None:
        known = measures.measure(name, [*self._crafts, name.partition("@")[2]])  # refused with what was meant
        return self._found[known.name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._found)

    def __len__(self) -> int:
        return len(self._found)

    def unit(self, name: str) -> str:
        """The unit of a measure."""
        return measures.known(name).unit

    def __repr__(self) -> str:
        return f"<{len(self)} measures>"


class Run:
    """A drill that was run. Nothing of it changes any more, whatever becomes of its yard."""

    def __init__(self, made: core.Run):
        self._made = made
        self.measures = Measures(made)

    def __repr__(self) -> str:
        job = self._made.job
        state = "" if not self.diverged else ", diverged"
        return f"<Run {job.drill.id} of {job.craft.id}, {self._made.duration:g} s at {job.ticks} ticks/s{state}>"

    @property
    def diverged(self) -> bool:
        """True if the state grew without bound: `message` says why."""
        return bool(self._made.is_diverged)

    @property
    def message(self) -> str:
        """Cause of its end, where it did not come to its time."""
        return str(self._made.message)

    @property
    def digest(self) -> str:
        """The same for runs that are the same to the bit."""
        return str(self._made.digest)

    @property
    def t(self) -> Numbers:
        """s from the start, shape (rows,)."""
        return np.asarray(np.arange(self._made.ticks + 1) * self._made.job.dt, dtype=np.float64)

    @property
    def traces(self) -> tuple[str, ...]:
        """The names of its traces: what the desk plots, in the units shown there."""
        return tuple(traces.book(self._made))

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of its columns: what was recorded, in SI units."""
        return tuple(self._made.layout.own.units)

    def trace(self, name: str) -> Trace:
        """A trace such as "speed", or a recorded column such as "position.x", by its name; raises `Refused`."""
        book = traces.book(self._made)
        if name in book:
            one = book[name]
            return Trace(name, one.title, one.unit, self.t, np.array(traces.values(self._made, name)))
        columns = self._made.layout.own.units
        if name not in columns:
            raise refuse("trace", f"there is no {name!r}", close_match(name, [*book, *columns]))
        return Trace(name, name, columns[name], self.t, np.array(self._made.column(name)))

    def ledger(self, t: float | str) -> dict[str, Moment]:
        """The lines of the ledger in the tick that ended at a time, s or with a unit."""
        return {
            one.name: Moment(one.title, one.force, one.torque)
            for one in ledger.ledger(self._made, self._row(t), craft_axes=False)
        }

    def why(self, t: float | str) -> dict[str, list[tuple[str, float, str]]]:
        """Reasons why it rolls, turns and changes its speed at a time: for each, causes with amount and unit, the most
        first."""
        return {
            one.name: [(each.title, each.amount, one.unit) for each in one.reasons]
            for one in why.answers(self._made, self._row(t))
        }

    @property
    def cautions(self) -> tuple[Caution, ...]:
        """The cautions about it: name, where, what it says, and what helps."""
        return tuple(cautions.find(self._made.job, self._made))

    @property
    def targets(self) -> dict[str, bool]:
        """True for each target of its drill that is met, by its words."""
        return {one.words(): one.met for one in measures.judge(self._made.job.drill, measures.Readings(self._made))}

    def save_csv(self, file: str | Path) -> None:
        """Writes all columns as CSV: docs/command-line.md tells them."""
        run_table.save(self._made, Path(file))

    def save_parquet(self, file: str | Path) -> None:
        """Writes the same table as Parquet."""
        run_table.save_parquet(self._made, Path(file))

    def _row(self, t: float | str) -> int:
        moment = units.read(t, "s") if isinstance(t, str) else float(t)
        if not 0.0 <= moment <= self._made.duration + 1e-9:
            raise refuse("t", f"{moment:g} s is not in the run", f"0 to {self._made.duration:g} s")
        return max(int(self._made.at(moment)), 1)


@dataclass(frozen=True)
class Result:
    """A run of many: the changes it was made with, and the measures that were asked for; None for one that it does not
    show."""

    changes: Mapping[str, object]
    measures: Mapping[str, float | None]
    diverged: bool
