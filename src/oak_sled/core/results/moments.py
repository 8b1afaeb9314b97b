"""Moments of a run: hits, slides, limits, gates, flights."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.contact import stage
from oak_sled.core.results import tied
from oak_sled.core.results.run import Run


@dataclass(frozen=True)
class Event:
    """A rule that fired: when, what in a short word, on which ledger line, and a sentence where there is one."""

    row: int
    word: str
    source: str
    says: str = ""


def events(run: Run) -> tuple[Event, ...]:
    """Hits, slides, limits and gates, in order of time: what leaves a tick on the time axis."""
    return run.analysis.once("events", lambda: _events(run))


def _events(run: Run) -> tuple[Event, ...]:
    found: list[Event] = []
    # a craft that leans on a wall touches it again and again: one hit, until it has been clear for a while
    apart = int(stage.APART * run.job.ticks)
    touched = np.flatnonzero(run.column("in_wall") > 0.5)
    fresh = np.diff(touched, prepend=-apart - 1) > apart + 1  # so many whole ticks clear between two touches
    found += [Event(int(row), "hit", "walls") for row in touched[fresh]]
    for part in run.job.single.parts:
        if part.EVENT:
            lasting = run.column(f"{part.id}.activity") > part.EVENT_FROM
            found += [Event(row, part.EVENT, part.id) for row in _rises(lasting)]
    if run.job.ground.gates:
        missed, gate = run.column("gates_missed"), run.column("next_gate")
        for row in np.flatnonzero(np.diff(gate) > 0) + 1:
            found.append(Event(int(row), "gate missed" if missed[row] > missed[row - 1] else "gate", "gates"))
    if run.job.ground.edges == "return":
        for row in np.flatnonzero(np.any(run.line("edge")[:, :3] != 0.0, axis=1)):
            found.append(Event(int(row), "edge", "edge"))
    for name in run.layout.triggers:
        held = run.column(f"{name}.inside")
        found += [Event(int(row), "report", name.partition(".")[2]) for row in np.flatnonzero(np.diff(held) > 0) + 1]
    for name in run.layout.shots:
        ages = run.column(f"shot.{name}.age")
        ended = np.flatnonzero((ages[1:] < 0.0) & (ages[:-1] > 0.0)) + 1
        part = next(one for one in run.job.single.parts if one.id == name.rpartition(".")[0])
        lasted = getattr(part, "lifetime", 0.0) - 1.5 * run.job.dt
        found += [Event(int(row), "burst", part.id) for row in ended if ages[row - 1] < lasted]
    found += [Event(one.row, one.word, one.tie, one.says) for one in tied.changes(run)]
    if run.layout.blocks or run.layout.triggers or np.any(run.column("on_ground") == 0.0):
        found += _flights(run)
    return tuple(sorted(found, key=lambda event: event.row))


SHORT_HOP = 0.1
"""s off the ground below which it is a bump and no flight."""


def _flights(run: Run) -> list[Event]:
    """The moments at which a craft leaves the ground and lands."""
    up = np.concatenate([[0.0], (run.column("on_ground")[1:] == 0.0).astype(float), [0.0]])
    begins, ends = np.flatnonzero(np.diff(up) > 0), np.flatnonzero(np.diff(up) < 0)
    found = []
    for begin, end in zip(begins, ends, strict=True):
        if (end - begin) * run.job.dt >= SHORT_HOP:
            found.append(Event(int(begin), "lift-off", "contact"))
            if end < run.ticks:
                found.append(Event(int(end), "lands", "contact"))
    return found


def _rises(on: NDArray[np.bool_]) -> list[int]:
    return [int(row) for row in np.flatnonzero(on[1:] & ~on[:-1]) + 1]
