"""Twins in one table: what the crafts of a drill's twins measure in every drill that they share, at several tick rates,
and what a tick of each of them costs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.faults import refuse
from oak_sled.core.results import measures, run
from oak_sled.core.results.measure import Measure
from oak_sled.core.yard.drill import Drill, Target
from oak_sled.core.yard.yard import Yard

RATES = (30, 60, 120)
TRIALS = 3
"""Times that each drill is run: the least time of a tick counts, since whatever else the machine does only makes one
slower."""
UNTOLD = 3
"""Measures that stand for a drill without targets: those in which its twins differ most."""


@dataclass(frozen=True)
class Ran:
    """A craft in a drill at a tick rate. tick_s : s of computing that a tick took."""

    found: Mapping[str, float | None]
    tick_s: float
    diverged: str


@dataclass(frozen=True)
class Row:
    """A measure of a drill. values : of each craft at each rate; None where the run does not show it."""

    drill: Drill
    known: Measure
    target: Target | None
    values: tuple[tuple[float | None, ...], ...]

    def meets(self, value: float | None) -> bool:
        """True where a value lies in the band of the target; without one any value does."""
        if self.target is None:
            return True
        low, high = self.target.low, self.target.high
        return value is not None and (low is None or value >= low) and (high is None or value <= high)


@dataclass(frozen=True)
class TwinTable:
    """The table. names : ids of the crafts; crafts : their display names; tick_s : s of computing that a tick of each
    took at each rate, the mean of all drills."""

    names: tuple[str, ...]
    crafts: tuple[str, ...]
    rates: tuple[int, ...]
    rows: tuple[Row, ...]
    tick_s: tuple[tuple[float, ...], ...]
    messages: tuple[str, ...]


def drills_of(yard: Yard, drill: Drill) -> tuple[Drill, ...]:
    """The drills of a yard that have the twins of this one, in their order; raises `Refused` where it has none."""
    lead = jobs.job_of(yard, drill).craft.id
    if not [name for name in drill.twins if name != lead]:
        raise refuse(f"drills.{drill.id}.twins", "it has no twins to compare", "a craft that runs the drill beside it")
    found = (one for one in yard.drills if set(one.twins) == set(drill.twins))
    return tuple(one for one in found if jobs.job_of(yard, one).craft.id == lead)


def jobs_of(yard: Yard, drill: Drill) -> tuple[Job, ...]:
    """The jobs of a drill: of the craft under test, and of each of its twins in a world of its own, at one place."""
    lead = jobs.job_of(yard, drill)
    return (lead, *jobs.twin_jobs(yard, drill.replace(twin_gap=0.0)))


def make(
    yard: Yard,
    drill: Drill,
    rates: tuple[int, ...] = RATES,
    on_progress: Callable[[int, int], None] | None = None,
) -> TwinTable:
    """Runs the drill, and every drill with the same twins, by each craft at each rate. on_progress(done, of) reports.

    All begin at the same place: what stands there is met by each of them.
    """
    drills = drills_of(yard, drill)
    asked = [jobs_of(yard, one) for one in drills]
    of, done = sum(map(len, asked)) * len(rates), 0
    ran: list[list[list[Ran]]] = []  # by drill, craft, rate
    for crafts in asked:
        ran.append([])
        for job in crafts:
            ran[-1].append([])
            for rate in rates:
                ran[-1][-1].append(_ran(replace(job, ticks=rate)))
                done += 1
                if on_progress:
                    on_progress(done, of)
    rows = tuple(row for one, found in zip(drills, ran, strict=True) for row in _rows(one, found))
    costs = tuple(
        tuple(sum(found[craft][rate].tick_s for found in ran) / len(drills) for rate in range(len(rates)))
        for craft in range(len(asked[0]))
    )
    messages = tuple(
        f"{one.heading}, {job.craft.heading} at {rate} ticks/s: {each.diverged}"
        for one, crafts, found in zip(drills, asked, ran, strict=True)
        for job, of_rates in zip(crafts, found, strict=True)
        for rate, each in zip(rates, of_rates, strict=True)
        if each.diverged
    )
    names = tuple(job.craft.id for job in asked[0])
    return TwinTable(names, tuple(job.craft.heading for job in asked[0]), rates, rows, costs, messages)


def _ran(job: Job) -> Ran:
    made = [run.execute(job) for _ in range(TRIALS)]
    least = min(one.seconds / max(one.ticks, 1) for one in made)
    first = made[0]
    return Ran(measures.read_all(first), least, (first.message or "diverged") if first.is_diverged else "")


def _rows(drill: Drill, ran: list[list[Ran]]) -> tuple[Row, ...]:
    """The rows of a drill: what its targets ask for, or what tells its twins apart."""
    targets = {measures.asked_of(drill, one.measure): one for one in drill.targets}
    names = list(targets) or _telling(ran)
    return tuple(
        Row(
            drill,
            measures.known(name),
            targets.get(name),
            tuple(tuple(None if one.diverged else one.found.get(name) for one in craft) for craft in ran),
        )
        for name in names
    )


def _telling(ran: list[list[Ran]]) -> list[str]:
    """The measures in which the crafts differ most, against the size of their values, at the middle rate."""
    middle = [craft[len(craft) // 2].found for craft in ran]

    def apart(name: str) -> float:
        values = [value for found in middle if (value := found.get(name)) is not None]
        size = max(map(abs, values), default=0.0)
        if len(values) < len(middle) or size <= units.floor_of(measures.known(name).unit):
            return 0.0
        return (max(values) - min(values)) / size

    ranked = sorted(middle[0], key=apart, reverse=True)
    return [name for name in ranked[:UNTOLD] if apart(name) > 0.0]


def text(made: TwinTable) -> str:
    """The table as text: a line a measure and a rate, a column a craft; ! beside what misses its target."""
    wide = max(12, *(len(name) + 2 for name in made.crafts))
    lines, drill = [f"{'':<34}{'ticks/s':>8}" + "".join(f"{name:>{wide}}" for name in made.crafts)], ""
    for row in made.rows:
        if row.drill.id != drill:
            drill = row.drill.id
            lines.append(row.drill.heading)
        title = f"  {row.known.title}" + (f", {units.name_of(row.known.unit)}" if row.known.unit else "")
        for k, rate in enumerate(made.rates):
            cells = [f"{units.told(of[k], row.known.unit)}{' ' if row.meets(of[k]) else '!'}" for of in row.values]
            lines.append(f"{title if k == 0 else '':<34}{rate:>8}" + "".join(f"{cell:>{wide}}" for cell in cells))
    for k, rate in enumerate(made.rates):
        cells = [f"{1e6 * of[k]:.2g} " for of in made.tick_s]
        title = "cost of a tick, µs" if k == 0 else ""
        lines.append(f"{title:<34}{rate:>8}" + "".join(f"{cell:>{wide}}" for cell in cells))
    return "\n".join([*lines, *made.messages])


def told(made: TwinTable) -> dict[str, Any]:
    """The table as JSON: a row a measure of a drill, with its values of each craft at each rate."""
    rates = [str(rate) for rate in made.rates]

    def shown(row: Row) -> Callable[[float | None], Any]:
        return lambda value: units.as_json(value, row.known.unit)["value"]

    return {
        "crafts": list(made.names),
        "ticks": list(made.rates),
        "rows": [
            {
                "drill": row.drill.id,
                "measure": row.known.name,
                "unit": units.name_of(row.known.unit),
                "values": {
                    name: dict(zip(rates, map(shown(row), of), strict=True))
                    for name, of in zip(made.names, row.values, strict=True)
                },
                "met": {
                    name: {rate: row.meets(value) for rate, value in zip(rates, of, strict=True)}
                    for name, of in zip(made.names, row.values, strict=True)
                },
            }
            for row in made.rows
        ],
        "tick_s": {name: dict(zip(rates, of, strict=True)) for name, of in zip(made.names, made.tick_s, strict=True)},
        "diverged": list(made.messages),
    }
