"""Yards as a script sees them: opened, edited by path, run once or many times, saved."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.advice import outlook
from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base import document
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos as shipped
from oak_sled.core.project import families as known_families
from oak_sled.core.results import measures
from oak_sled.core.results import run as core
from oak_sled.core.study import batch, spread, variantbuild, variants
from oak_sled.core.yard.spreads import Grid
from oak_sled.core.yard.yard import Yard as Document
from oak_sled.library.runs import Result, Run


@dataclass(frozen=True)
class Dial:
    """A number of a yard: its value, SI or the unit told, the least and the greatest it may be, and its meaning."""

    path: str
    value: float
    unit: str
    low: float
    high: float
    says: str


@dataclass(frozen=True)
class Spread:
    """The variants of a drill. axes : path and values of each. values : by measure, shape (values of the first axis,
    ..., 1 + repeats), NaN where a run does not show it; the first of the repeats is undisturbed."""

    axes: tuple[tuple[str, tuple[float | str, ...]], ...]
    values: Mapping[str, NDArray[np.float64]]

    def __repr__(self) -> str:
        shape = " x ".join(str(len(values)) for _, values in self.axes)
        return f"<Spread {shape}, {', '.join(self.values)}>"


class Yard:
    """A yard that is edited by paths, such as "crafts.fan_sled.parts.fan.thrust". A run keeps the yard as it was."""

    def __init__(self, made: Document):
        self._made = made

    def __repr__(self) -> str:
        return f"<Yard {self._made.title!r}: {len(self.crafts)} crafts, {len(self.drills)} drills>"

    @property
    def crafts(self) -> tuple[str, ...]:
        """The names of its crafts."""
        return tuple(one.id for one in self._made.crafts)

    @property
    def grounds(self) -> tuple[str, ...]:
        """The names of its grounds."""
        return tuple(one.id for one in self._made.grounds)

    @property
    def drills(self) -> tuple[str, ...]:
        """The names of its drills."""
        return tuple(one.id for one in self._made.drills)

    def dials(self, below: str = "") -> dict[str, Dial]:
        """Its dials by path, those below a path."""
        return {
            path: Dial(path, value, one.unit, one.low, one.high, one.says)
            for path, one, value in document.all_dials(self._made)
            if path.startswith(below)
        }

    def get(self, path: str) -> Any:
        """The value at a path; raises `Refused` with what was meant."""
        return document.get(self._made, path)

    def set(self, path: str, value: Any) -> Self:
        """Sets what stands at a path: a number, a text with a unit such as "0.9 kN", a choice. The yard itself."""
        self._made = self._made.edit(path, value)
        return self

    def set_all(self, changes: Mapping[str, Any]) -> Self:
        """Sets several at once: they are checked together, so that their order does not matter. The yard itself."""
        self._made = self._made.edit_all(list(changes.items()))
        return self

    def copy(self) -> Yard:
        """A yard of its own that is the same now."""
        return Yard(self._made)

    def save(self, file: str | Path) -> None:
        """Writes it as a yard file."""
        yard_json.save(self._made, Path(file))

    def run(self, drill: str = "", craft: str = "", ticks: int = 0) -> Run:
        """Runs a drill: that on the bench where none is named, with the craft it names, at the tick rate of the yard
        where none is given."""
        return Run(core.execute(self._job(self._made, drill, craft, ticks)))

    def run_many(
        self, changes: Iterable[Mapping[str, Any]], asked: Sequence[str], drill: str = "", craft: str = "",
        ticks: int = 0, threads: int = 0,
    ) -> list[Result]:  # fmt: skip
        """Runs a drill once for each of `changes` (values by path), and reads these measures of each run, on threads.

        threads : 0 for one a processor. The order is that of `changes`; the numbers are those of `run`. Raises
        `Refused` for a change that is not possible.
        """
        jobs = [
            (one, self._job(self._made.edit_all(list(one.items())) if one else self._made, drill, craft, ticks))
            for one in changes
        ]
        if not jobs:
            return []
        wanted = [measures.measure(name, self.crafts) for name in asked]
        build = variantbuild.VariantBuild(jobs[0][1])
        wide = max(min(threads or os.cpu_count() or 1, len(jobs)), 1)
        with ThreadPoolExecutor(wide) as pool:
            stretches = pool.map(lambda first: _run_some(build, jobs[first::wide], wanted), range(wide))
        found: list[Result | None] = [None] * len(jobs)
        for first, results in enumerate(stretches):
            found[first::wide] = results
        return [one for one in found if one is not None]

    def spread(
        self, vary: Mapping[str, Sequence[float | str]], measure: str | Sequence[str], drill: str = "",
        repeats: int = 0, seed: int = 1, threads: int = 0,
    ) -> Spread:  # fmt: skip
        """Runs a grid of variants: every value of each path with every one of the others, and `repeats` disturbed runs
        of each. vary : values by path of a dial, of a choice, or of craft or ticks."""
        names = (measure,) if isinstance(measure, str) else tuple(measure)
        plan: Grid = document.checked(
            Grid,
            {
                "id": "spread",
                "drill": drill,
                "axes": [{"path": path, "listed": tuple(values)} for path, values in vary.items()],
                "measures": names,
                "scatter": {"repeats": repeats, "seed": seed},
            },
        )
        variants.check(self._made, plan)
        gathered = spread.Gathered(self._made, plan)
        spread.gather(gathered, threads)
        shape = (*plan.shape, 1 + repeats)
        values = {name: gathered.values[:, :, place].reshape(shape) for place, name in enumerate(names)}
        return Spread(tuple((axis.path, tuple(axis.values)) for axis in plan.axes), values)

    def outlook(self, craft: str = "", drill: str = "") -> dict[str, tuple[str, ...]]:
        """The meaning of the numbers of a craft on the ground of a drill, by part, in words."""
        job = self._job(self._made, drill, craft, 0)
        return {name: says for name, (_, says) in outlook.told_of(job.craft, job.ground, job.ticks).items()}

    @staticmethod
    def _job(made: Document, drill: str, craft: str, ticks: int) -> Job:
        made = made.edit("ticks", ticks) if ticks else made
        return job_of(made, made.drill(drill) if drill else None, craft)


def _run_some(
    build: variantbuild.VariantBuild, jobs: list[tuple[Mapping[str, Any], Job]], wanted: list[measures.Measure]
) -> list[Result]:
    """Runs jobs one after another in the same arrays."""
    bench, found = batch.Bench(build), []
    ledger = any(one.ledger for one in wanted)
    for changes, job in jobs:
        made = bench.execute(job, ledger=ledger)
        read = measures.Readings(made)
        found.append(Result(changes, {one.name: read[one.name] for one in wanted}, bool(made.is_diverged)))
    return found


def open_yard(where: str | Path) -> Yard:
    """The yard in a file, or a shipped one: "demo:fan-sled". Raises `Refused`."""
    return Yard(shipped.open_yard(str(where)))


def demos() -> dict[str, str]:
    """The shipped yards: what `open` takes, with a line about each."""
    return {f"demo:{name}": says for name, says in shipped.DEMOS.items()}


def families() -> dict[str, str]:
    """The families that `new` takes, with a line about each."""
    return {one.name: one.says for one in known_families.FAMILIES}


def new(family: str = "body") -> Yard:
    """A new yard with a craft of a family: see `families`. Raises `Refused`."""
    known = {one.name: one for one in known_families.FAMILIES}
    if family not in known:
        raise refuse("family", f"there is no {family!r}", close_match(family, list(known)))
    return Yard(known[family].make())
