"""Tick check: the same drill at several tick rates beside a reference, with the spread of each measure."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import measures
from oak_sled.core.results.record import Layout
from oak_sled.core.study import longruns
from oak_sled.core.study.longruns import Told

RATES = (30, 60, 120, 240)
TOLERANCE = 1e-3
"""m (and m/s) by which a halving of the substeps may still change the reference."""
_MOST_SUBSTEPS = 256


@dataclass(frozen=True)
class Reference:
    """A run on substeps so fine that halving them changes it by no more than `error` (m and m/s)."""

    told: Told
    names: tuple[str, ...]
    """Of the columns that `told` holds."""
    substeps: int
    error: float

    @property
    def settled(self) -> bool:
        """True if the error came below the tolerance."""
        return self.error <= TOLERANCE


def reference(job: Job, tolerance: float = TOLERANCE) -> Reference:
    """The reference of a job: substeps are doubled until places and speeds no longer change.

    Numbers that mean a share per tick keep meaning the job's own tick. The method is that of the
    run itself, so its error falls in proportion to the substep; a craft that hits a wall may keep
    a remainder, which is then stated.
    """
    base = replace(job, integrator="semi_implicit")
    names = moving(Layout.of(job))
    coarse = longruns.told(replace(base, substeps=8), names)
    substeps, error = 8, np.inf
    while substeps < _MOST_SUBSTEPS:
        substeps *= 2
        fine = longruns.told(replace(base, substeps=substeps), names)
        before, error = error, difference(coarse.columns, fine.columns)
        coarse = fine
        if error <= tolerance or (substeps > 32 and error > 0.8 * before):
            break  # what no longer comes nearer, as among things that tumble, does not settle
    return Reference(coarse, tuple(names), substeps, float(error))


def moving(layout: Layout) -> list[str]:
    """The columns of places and velocities of all crafts and blocks."""
    names = [name for name in layout.names if name.rpartition(".")[0].endswith(("position", "velocity"))]
    return [name for name in names if not name.startswith("shot.") and "/shot." not in name]


def difference(one: Floats, other: Floats) -> float:
    """The greatest difference of columns, each of shape (rows, columns), over the time that both runs cover."""
    rows = min(len(one), len(other))
    gap = one[:rows] - other[:rows]
    return float(np.max(np.abs(gap, out=gap))) if np.all(np.isfinite(gap)) else np.inf


@dataclass(frozen=True)
class TickCheck:
    """Measures by tick rate. by_rate : (rate, measures); the reference is that of the greatest rate."""

    by_rate: tuple[tuple[int, dict[str, float | None]], ...]
    reference: dict[str, float | None]
    substeps: int
    error: float
    messages: tuple[str, ...]
    diverged: tuple[int, ...] = ()
    """The rates at which it diverged; they show no measure."""

    @property
    def reference_diverged(self) -> bool:
        """True if even the reference diverged: it shows no measure."""
        return all(value is None for value in self.reference.values())

    @property
    def settled(self) -> bool:
        """True if the error of the reference came below the tolerance."""
        return self.error <= TOLERANCE

    @property
    def names(self) -> tuple[str, ...]:
        """The measures that a rate or the reference shows, those of watched blocks and of the cast too."""
        found = [readings for _, readings in self.by_rate] + [self.reference]
        return tuple(name for name in self.reference if any(one.get(name) is not None for one in found))

    def spread(self, name: str) -> float | None:
        """(greatest - least) over the size of the reference, as a share.

        None where a rate does not show the measure, or where the reference is noise and the rates differ by more. What
        differs by less than the floor of its unit (`units.floor_of`) does not differ.
        """
        values = [found.get(name) for _, found in self.by_rate]
        truth = self.reference.get(name)
        if truth is None or any(value is None for value in values):
            return None
        known = [value for value in values if value is not None]
        gap, floor = max(known) - min(known), units.floor_of(measures.known(name).unit)
        if gap <= floor:
            return 0.0
        return gap / abs(truth) if abs(truth) > floor else None


def check(job: Job, rates: tuple[int, ...] = RATES, on_progress: Callable[[int, int], None] | None = None) -> TickCheck:
    """Runs the drill at every rate and as the reference. on_progress(done, of) reports progress."""
    runs: list[Told] = []
    messages = []
    for place, rate in enumerate(rates):
        made = longruns.told(replace(job, ticks=rate))
        runs.append(made)
        if made.diverged:
            messages.append(f"{rate} ticks/s: {made.message}")
        if on_progress:
            on_progress(place + 1, len(rates) + 1)
    truth = reference(replace(job, ticks=max(rates)))
    if on_progress:
        on_progress(len(rates) + 1, len(rates) + 1)
    wild = tuple(rate for rate, made in zip(rates, runs, strict=True) if made.diverged)
    if truth.told.diverged:
        messages.append(f"reference: {truth.told.message}")
    found = tuple((rate, made.found) for rate, made in zip(rates, runs, strict=True))
    return TickCheck(found, truth.told.found, truth.substeps, truth.error, tuple(messages), wild)


def table(result: TickCheck) -> str:
    """The check as text: a line a measure, a column a rate, the reference, and the spread."""
    rates = [rate for rate, _ in result.by_rate]
    lines = [f"{'measure':<15}" + "".join(f"{rate:>12}" for rate in rates) + f"{'reference':>12}{'spread':>10}"]
    if result.diverged:
        words = ["diverged" if rate in result.diverged else "" for rate in rates]
        lines.append(f"{'status':<15}" + "".join(f"{word:>12}" for word in words))
    for name in result.names:
        values = [found.get(name) for _, found in result.by_rate] + [result.reference.get(name)]
        cells = "".join(f"{units.told(value, measures.known(name).unit):>12}" for value in values)
        gap = result.spread(name)
        share = "—" if gap is None else f"{units.significant(100.0 * gap, 2)} %"
        lines.append(f"{name:<15}{cells}{share:>10} {units.name_of(measures.known(name).unit)}")
    if not result.reference_diverged:
        lines.append(
            f"reference: {result.substeps} substeps a tick at {max(rates)} ticks/s, "
            f"settled to {units.plain(result.error, 'm', 2)}"
        )
    return "\n".join([*lines, *result.messages])
