"""Curves of parts: which fields are curves, over what, and what to begin with; and knots from plain text."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import Field

from oak_sled.core.base.faults import refuse

Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class CurveField:
    """A field of a part that is a curve through knots.

    name, title : of the field. x, y : the fields of a knot. x_unit : the unit of x. high : the
    greatest x that is drawn, more where a knot lies beyond it. presets : by what they are called, points to begin with.
    low, least : the least x and y that a knot may have. full : the y that is always drawn.
    """

    name: str
    title: str
    x: str
    y: str
    x_unit: str
    high: float
    presets: Mapping[str, Points] = field(default_factory=dict)
    low: float = 0.0
    least: float = 0.0
    full: float = 1.0

    @property
    def shared(self) -> str:
        """The field of the part that names a shared curve."""
        return f"{self.name}_of"

    @property
    def straight(self) -> str:
        """The field of the part that says whether its knots are joined by straight lines."""
        return f"{self.name}_straight"

    def points(self, part: Any) -> Points:
        """The knots of a part, as (x, y)."""
        return tuple((getattr(one, self.x), getattr(one, self.y)) for one in getattr(part, self.name))

    def knots(self, points: Iterable[tuple[float, float]]) -> tuple[dict[str, float], ...]:
        """The fields of knots at points, in order of x: what an edit of the part takes, and checks."""
        return tuple({self.x: x, self.y: y} for x, y in sorted(points))


def joined_straight() -> Any:
    """The field NAME_straight of a curve NAME."""
    return Field(False, description="join its knots by straight lines, not by a smooth curve")


def follows_shared() -> Any:
    """The field NAME_of of a curve NAME."""
    return Field("", max_length=60, description="the shared curve that it follows; empty: its own")


def read_points(text: str) -> Points:
    """Points from lines of two numbers, parted by a comma, a semicolon, a tab or spaces, under a line of headings or
    none; refused with the line that is not so."""
    found: list[tuple[float, float]] = []
    for number, line in enumerate(text.strip().splitlines(), start=1):
        words = line.replace(";", " ").replace(",", " ").replace("\t", " ").split()
        try:
            x, y = (float(word) for word in words)
        except ValueError:
            if number == 1 and not found:
                continue  # headings
            raise refuse(f"line {number}", f"{line.strip()!r} is no point", "two numbers: x, value") from None
        found.append((x, y))
    if len(found) < 2:
        raise refuse("curve", f"{len(found)} points were found", "at least two lines of x, value")
    xs = [x for x, _ in found]
    if len(set(xs)) < len(xs):
        raise refuse("curve", "two points have the same x", "each x once")
    return tuple(sorted(found))
