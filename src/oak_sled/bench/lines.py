"""Format of a printed figure."""

from __future__ import annotations


def line(name: str, value: str, against: str, ratio: float | None, note: str = "") -> None:
    """One figure."""
    shown = "" if ratio is None else f"{ratio:7.2f}"
    print(f"{name:<40} {value:<12} {against:<28} {shown}  {note}", flush=True)
