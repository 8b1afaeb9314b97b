"""The document of a recording: what a game did over time, row by row, in SI units and the axes of the bench."""

import functools
from collections.abc import Mapping
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from oak_sled.core.base import document, units
from oak_sled.core.base.document import Frozen

MOST_ROWS = 40_000
"""Rows of a recording: eleven minutes of a game at 60 ticks a second."""
MOST_COLUMNS = 160
LONGEST = 7200.0
"""s from its first row to its last, as of a drill."""
LARGEST = 1e12

PLACE = tuple(f"position.{axis}" for axis in "xyz")
TURN = tuple(f"rotation.{axis}" for axis in "wxyz")
MOVES = tuple(f"velocity.{axis}" for axis in "xyz")
SPINS = tuple(f"spin.{axis}" for axis in "xyz")
INPUT, NUMBER = "input.", "number."
"""Heads of the columns of inputs, by their channels, and of numbers of the game's own."""


class Column(Frozen):
    """One quantity of a recording over its rows."""

    name: str = Field(max_length=140, description='"position.x", "rotation.w", "input.throttle", "number.load", ...')
    values: tuple[Annotated[float, Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)], ...] = Field(
        max_length=MOST_ROWS, description="one a row: m, m/s, rad/s, a unit quaternion, or of its own unit"
    )

    def __hash__(self) -> int:
        return hash((self.name, len(self.values)))

    @functools.cached_property
    def _told(self) -> "_Kept":
        return _Kept(np.array(self.values, dtype=np.float64))

    @property
    def array(self) -> NDArray[np.float64]:
        """The values, shape (rows,); made once."""
        return self._told.values


class _Kept:
    """Values as an array. What is derived makes no column differ from another: it equals any other."""

    def __init__(self, values: NDArray[np.float64]):
        self.values = values

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Kept)

    def __hash__(self) -> int:
        return 0


class Recording(Frozen):
    """Rows that a game told: at each time the place of the centre of mass of its craft, and whatever else it told."""

    name: str = Field("a game", max_length=80, description="the game that it is of")
    ticks: float = Field(60.0, gt=0.0, le=2000.0, description="ticks of the game to a second")
    t: Column = Field(description="s from the start, growing")
    columns: tuple[Column, ...] = Field(max_length=MOST_COLUMNS, description="what it told; the place at least")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        rows, names = len(self.t.values), [one.name for one in self.columns]
        if rows < 2:
            raise ValueError(f"t: has {rows} rows (at least two)")
        back = np.flatnonzero(np.diff(self.t.array) <= 0.0)
        if len(back):
            raise ValueError(f"t: row {back[0] + 2} is not later than the row before (times that grow)")
        if self.duration > LONGEST:
            lasts, most = units.plain(self.duration, "s"), units.plain(LONGEST, "s")
            raise ValueError(f"t: lasts {lasts} (at most {most})")
        for one in self.columns:
            if names.count(one.name) > 1:
                raise ValueError(f"columns: {one.name!r} is there twice (each once)")
            if len(one.values) != rows:
                raise ValueError(f"columns.{one.name}: has {len(one.values)} rows, t has {rows} (as many)")
        for group in (PLACE, TURN, MOVES, SPINS):
            there = [name for name in group if name in names]
            if (there and len(there) < len(group)) or (group is PLACE and not there):
                missing = next(name for name in group if name not in names)
                raise ValueError(f"columns: there is no {missing!r} (all of {', '.join(group)})")
        return self

    def __hash__(self) -> int:
        return hash((self.name, self.ticks, len(self.t.values), len(self.columns)))

    @property
    def duration(self) -> float:
        """s from its first row to its last."""
        return self.t.values[-1] - self.t.values[0]

    def has(self, name: str) -> bool:
        """True if it tells a column."""
        return any(one.name == name for one in self.columns)

    def column(self, name: str) -> NDArray[np.float64]:
        """A column by its name, shape (rows,); raises KeyError for one that it does not tell."""
        found = next((one for one in self.columns if one.name == name), None)
        if found is None:
            raise KeyError(name)
        return found.array

    @property
    def inputs(self) -> tuple[str, ...]:
        """The channels whose inputs it tells."""
        return tuple(one.name.removeprefix(INPUT) for one in self.columns if one.name.startswith(INPUT))


EVEN = 2e-4
"""Share by which a rate may be off a whole number that it is taken for: times in a file are rounded."""


def rate_of(t: NDArray[np.float64]) -> float:
    """Rows a second, from times that grow, s, shape (rows,): of the usual step, told more finely by the whole span
    where no row is missing; near a whole number that number."""
    usual = 1.0 / float(np.median(np.diff(t)))
    whole = (len(t) - 1) / float(t[-1] - t[0])
    rate = whole if abs(whole - usual) < 0.02 * usual else usual
    return float(round(rate)) if 0.0 < abs(rate - round(rate)) < EVEN * rate else rate


def of_columns(name: str, ticks: float, t: NDArray[np.float64], told: Mapping[str, NDArray[np.float64]]) -> Recording:
    """A recording of columns by their names, each of shape (rows,); raises `Refused` with what is wrong with them."""
    data = {
        "name": name,
        "ticks": ticks,
        "t": {"name": "t", "values": tuple(t.tolist())},
        "columns": [{"name": own, "values": tuple(values.tolist())} for own, values in told.items()],
    }
    made: Recording = document.checked(Recording, data, "recording", None)
    return made
