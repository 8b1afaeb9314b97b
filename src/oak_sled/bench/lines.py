"""Figures: taken in turn, and printed."""

from __future__ import annotations

import statistics
from collections.abc import Callable


def interleaved(count: int, *works: Callable[[], float]) -> list[float]:
    """The median of each work's result, taken in turn, so that a noisy moment hits all alike."""
    results: list[list[float]] = [[] for _ in works]
    for _ in range(count):
        for place, work in enumerate(works):
            results[place].append(work())
    return [statistics.median(found) for found in results]


def line(name: str, value: str, against: str, ratio: float | None, note: str = "") -> None:
    """One figure."""
    shown = "" if ratio is None else f"{ratio:7.2f}"
    print(f"{name:<40} {value:<12} {against:<28} {shown}  {note}", flush=True)
