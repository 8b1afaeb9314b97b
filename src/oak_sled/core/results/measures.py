"""Every measure by its name, what a run shows of them, and targets against them.

A measure that a run does not show (a stopping distance of a run that never stops) is None, and says so on the desk
instead of inventing a number. To add one is to write a function with `measured` above it in one of the modules here.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from oak_sled.core.base import units
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.results import (
    comfort,
    flights,
    flying,
    hovering,
    launches,
    meetings,
    motion,
    networked,
    rides,
    rolling,
    space,
    states,
    tied,
)
from oak_sled.core.results.measure import Measure, declared_in
from oak_sled.core.results.run import Run
from oak_sled.core.yard.drill import Drill, Target

MEASURES = declared_in(
    motion, meetings, launches, flying, hovering, rides, rolling, tied, space, comfort, networked, states
)
_BY_NAME = {known.name: known for known in MEASURES}
OF_CAST = ("top_speed", "distance", "peak_side_g", "hits", "hardest_hit")
"""Measures of the other crafts of a cast that are listed; any other can be asked for by its name."""
OF_BLOCKS = {
    "launch_speed": "speed",
    "launch_distance": "distance",
    "launch_height": "height",
    "launch_air": "air",
    "launch_turns": "turns",
    "settling_time": "settled",
}
"""Measures that a watched block has too, as "launch_speed@crate", with the number of its flight."""


def declared() -> list[dict[str, object]]:
    """Every measure as data: name, title, unit, definition, formula, what a run must show, source, better."""
    return [
        {
            "name": one.name,
            "title": one.title,
            "unit": one.unit,
            "definition": one.says,
            "formula": one.formula,
            "needs": one.shows,
            "source": one.source,
            "better": one.better,
            "of_blocks": one.name in OF_BLOCKS,
        }
        for one in MEASURES
    ]


def page() -> str:
    """docs/measures.md: every measure as it is declared."""
    lines = [
        "# Measures",
        "",
        "What a run is judged by, as `oak-sled measures` lists it. A measure that a run does not show is none.",
        "*The event* is the moment from which a drill measures (`event_time`); g is standard gravity. Made from the",
        "declarations by `scripts/write_pages.py`.",
    ]
    for one in MEASURES:
        unit = f" [{one.unit}]" if one.unit else ""
        lines += ["", f"## `{one.name}`: {one.title}{unit}", "", f"{one.says[0].upper()}{one.says[1:]}."]
        told = [
            f"`{one.formula}`" if one.formula else "",
            f"needs {one.shows}" if one.shows else "",
            f"{'less' if one.better == 'low' else 'more'} is better" if one.better else "",
            one.source,
            "also of a watched block, as `" + one.name + "@BLOCK`" if one.name in OF_BLOCKS else "",
        ]
        if any(told):
            lines += ["", "; ".join(part for part in told if part) + "."]
    return "\n".join(lines) + "\n"


def measure(name: str, crafts: Collection[str] = ()) -> Measure:
    """The measure of that name, "launch_speed@crate" for that of a block, "top_speed@courier" for that of one of
    `crafts`; raises `Refused` for an unknown one."""
    base, _, whose = name.partition("@")
    if base in _BY_NAME and not whose:
        return _BY_NAME[name]
    if whose and (base in OF_BLOCKS or (base in _BY_NAME and whose in crafts)):
        known = _BY_NAME[base]
        title = f"{whose.replace('_', ' ')}: {known.title}"
        return replace(known, name=name, title=title, read=_of(known, whose))
    raise refuse("measure", f"there is no {name!r}", close_match(base, OF_BLOCKS if whose else _BY_NAME))


def known(name: str) -> Measure:
    """A measure by a name that was checked before, such as one of `names_of`."""
    return measure(name, (name.partition("@")[2],))


def _of(known: Measure, whose: str) -> Callable[[Run], float | None]:
    """Reads a measure of another craft of the run, or of a block."""

    def read(run: Run) -> float | None:
        if whose in [one.craft.id for one in run.job.actors]:
            return known.read(run.seen_from(whose))
        return launches.of_flight(OF_BLOCKS[known.name], whose)(run) if known.name in OF_BLOCKS else None

    return read


def names_of(run: Run) -> tuple[str, ...]:
    """Every measure that a run may show: those of the craft that is looked at, those of the blocks that are watched,
    and a few of the other crafts of the cast."""
    others = [one.craft.id for one in run.job.actors if one.craft.id != run.job.single.id]
    return (
        *_BY_NAME,
        *(f"{name}@{block}" for block in flights.watched(run) for name in OF_BLOCKS),
        *(f"{name}@{craft}" for craft in others for name in OF_CAST),
    )


class Readings(Mapping[str, float | None]):
    """Every measure of a run, by name; None for what it does not show, and for all of a run that diverged. Each is read
    when it is first asked for, so that a drag pays only for those in sight."""

    def __init__(self, run: Run):
        self._run: Run | None = run
        self._names = names_of(run)
        self._found: dict[str, float | None] = {}

    def __getitem__(self, name: str) -> float | None:
        if name not in self._found:
            if name not in self._names and "@" not in name:
                raise KeyError(name)
            run = self._run
            value = known(name).read(run) if run is not None and run.ticks and not run.is_diverged else None
            self._found[name] = None if value is None or not np.isfinite(value) else float(value)
        return self._found[name]

    def settle(self) -> None:
        """Reads all that were not asked for yet, and what the targets of the drill ask for, and lets go of the run."""
        run = self._run
        if run is None:
            return
        known = [one.measure for one in run.job.drill.targets if one.measure.partition("@")[0] in _BY_NAME]
        for name in (*self._names, *(asked_of(run.job.drill, one) for one in known)):
            self[name]
        self._run = None

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def read_all(run: Run) -> dict[str, float | None]:
    """Every measure of a run, by name; None for what it does not show."""
    return dict(Readings(run))


@dataclass(frozen=True)
class Verdict:
    """A target against what the run showed."""

    target: Target
    value: float | None
    met: bool

    def bounds(self) -> dict[str, float | None]:
        """Ends of the band, "low" and "high", in the units in use; None for an end that is open."""
        unit, shown = known(self.target.measure).unit, units.in_use().shown
        ends = {"low": self.target.low, "high": self.target.high}
        return {name: None if end is None else shown(end, unit)[0] for name, end in ends.items()}

    def words(self) -> str:
        """The target and the value in words."""
        asked = known(self.target.measure)
        low, high = self.target.low, self.target.high
        if low is not None and high is not None:
            wanted = units.bounds(low, high, asked.unit)
        elif low is not None:
            wanted = f"at least {units.plain(low, asked.unit)}"
        else:
            wanted = f"at most {units.plain(high or 0.0, asked.unit)}"
        value = "not shown by this run" if self.value is None else units.plain(self.value, asked.unit, 4)
        return f"{asked.title} {value}, wanted {wanted}"


def asked_of(drill: Drill, name: str) -> str:
    """A measure that a drill asks for, with the craft under test named where others take part."""
    return f"{name}@{drill.craft}" if drill.cast and "@" not in name else name


def judge(drill: Drill, found: Mapping[str, float | None]) -> tuple[Verdict, ...]:
    """Every target of a drill against measures that were read; one that is not shown is missed."""
    verdicts = []
    for target in drill.targets:
        value = found.get(asked_of(drill, target.measure))
        met = value is not None
        if value is not None:
            met = (target.low is None or value >= target.low) and (target.high is None or value <= target.high)
        verdicts.append(Verdict(target, value, met))
    return tuple(verdicts)


def headline(drill: Drill, found: Mapping[str, float | None]) -> tuple[float | None, str, str]:
    """The one measure a card shows: (value, unit, title). That of the first target that is missed, or else of the
    first; without targets by what the drill is."""
    if drill.targets:
        missed = (one.target for one in judge(drill, found) if not one.met)
        first = known(next(missed, drill.targets[0]).measure)
        return found.get(asked_of(drill, first.name)), first.unit, first.title
    usual = measure("drill_time" if drill.end == "last_gate" else "top_speed")
    return found.get(usual.name), usual.unit, usual.title
