"""A table of a run as a game has it: its units, its axes, its order of a quaternion.

Columns are told apart by their names: `NAME.x`, `NAME.y` and `NAME.z` beside one another are a vector, which turns with
the axes; one of `AXIAL` is counted by the hand as well; a `w` before them makes a quaternion.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Callable, Sequence

import numpy as np

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats

AXIAL = ("spin", "torque")
"""Vectors that are counted by the hand of the axes: the last word of their names."""
_LABEL = re.compile(r"(?P<name>.*?)(?: \[(?P<unit>.*)\])?$")
Turn = Callable[[Floats], Floats]


class GameTable:
    """The columns of a table, turned into those of a game. labels : the header of the game's table."""

    def __init__(self, given: Sequence[str], display: units.Display):
        self.labels: list[str] = []
        self._turns: list[tuple[slice, Turn]] = []
        pairs = [_split(label) for label in given]
        names = [name for name, _ in pairs]
        place = 0
        while place < len(names):
            name, unit = pairs[place]
            base = name.rpartition(".")[0]
            if names[place : place + 4] == [f"{base}.{letter}" for letter in "wxyz"]:
                order = display.attitude(np.zeros((1, 4)))[1]
                self._add(place, [f"{base}.{letter}" for letter in order], lambda of: display.attitude(of)[0])
                place += 4
            elif names[place : place + 3] == [f"{base}.{letter}" for letter in "xyz"]:
                turn = display.axes.axials if base.rpartition(".")[2] in AXIAL else display.axes.vectors
                factor, shown = display.shown(1.0, unit or "")
                labels = [_label(one, unit, shown) for one in names[place : place + 3]]
                self._add(place, labels, functools.partial(_scaled, turn, factor))
                place += 3
            else:
                factor, shown = display.shown(1.0, unit or "")
                self._add(place, [_label(name, unit, shown)], functools.partial(np.multiply, factor))
                place += 1

    def _add(self, place: int, labels: list[str], turn: Turn) -> None:
        self.labels += labels
        self._turns.append((slice(place, place + len(labels)), turn))

    def rows(self, ours: Floats) -> Floats:
        """Rows of the given table, shape (n, columns), as the game has them."""
        made = np.empty_like(ours)
        for columns, turn in self._turns:
            made[:, columns] = turn(ours[:, columns])
        return made


def _scaled(turn: Turn, factor: float, ours: Floats) -> Floats:
    return factor * turn(ours)


def _split(label: str) -> tuple[str, str | None]:
    found = _LABEL.match(label)
    assert found is not None  # the pattern matches any text
    return found["name"], found["unit"]


def _label(name: str, unit: str | None, shown: str) -> str:
    return name if unit is None else f"{name} [{shown}]"
