"""Telemetry of one game, in SI and our axes: what it sends is turned there first, where it counts otherwise."""

from __future__ import annotations

import csv
import io

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.link.messages import Hello, Telemetry
from oak_sled.core.yard.game import Game

MOST_TICKS = 1_000_000
"""Ticks that are kept of one take."""
HEADS = (
    "t [s]", *(f"position.{axis} [m]" for axis in "xyz"), *(f"rotation.{axis}" for axis in "wxyz"),
    *(f"velocity.{axis} [m/s]" for axis in "xyz"), *(f"spin.{axis} [rad/s]" for axis in "xyz"),
)  # fmt: skip


class Take:
    """All that a game sent since its tick 0. hello : its first message; game : units and axes of the yard."""

    def __init__(self, hello: Hello, game: Game):
        self.hello, self.game = hello, game
        self.inputs: list[str] = []
        self.numbers: list[str] = []
        self._rows: list[list[float]] = []
        self._more: list[dict[str, float]] = []

    def __len__(self) -> int:
        return len(self._rows)

    def add(self, told: Telemetry) -> None:
        """One message more; tick 0 begins anew."""
        if told.tick == 0:
            self._rows, self._more, self.inputs, self.numbers = [], [], [], []
        if len(self._rows) >= MOST_TICKS:
            return
        t = told.tick / self.hello.ticks
        place, attitude = np.array(told.position), np.array(told.attitude)
        velocity = None if told.velocity is None else np.array(told.velocity)
        spin = np.full(3, np.nan) if told.spin is None else np.array(told.spin)
        if self.hello.units == "game":
            display, back = self.game.told(), self.game.axes.back()
            place = back.vectors(place) / display.shown(1.0, "m")[0]
            order = [self.game.quaternion.index(letter) for letter in "wxyz"]
            attitude = back.attitudes(attitude[order])
            spin = back.axials(spin) / display.shown(1.0, "rad/s")[0]
            if velocity is not None:
                velocity = back.vectors(velocity) / display.shown(1.0, "m/s")[0]
        if velocity is None:  # by the places, between the two
            before = self._rows[-1] if self._rows else None
            gap = t - before[0] if before is not None else 0.0
            velocity = (place - np.array(before[1:4])) / gap if before is not None and gap > 0.0 else np.zeros(3)
        self._rows.append([t, *place.tolist(), *attitude.tolist(), *velocity.tolist(), *spin.tolist()])
        self._more.append({**told.inputs, **told.numbers})
        self.inputs += [name for name in told.inputs if name not in self.inputs]
        self.numbers += [name for name in told.numbers if name not in self.numbers]

    def motion(self) -> Floats:
        """A row a message as `HEADS` says, shape (messages, 14); NaN where a spin was not told."""
        return np.array(self._rows).reshape(-1, len(HEADS))

    def column(self, name: str) -> Floats:
        """An input or a number of the game, shape (messages,); NaN where it was not told."""
        return np.array([one.get(name, np.nan) for one in self._more])

    def table(self) -> str:
        """All of it as CSV; floats round-trip, and what was not told is empty."""
        text = io.StringIO()
        writer = csv.writer(text, lineterminator="\n")
        more = [*(f"input.{name}" for name in self.inputs), *(f"number.{name}" for name in self.numbers)]
        writer.writerow([*HEADS, *more])
        for row, told in zip(self._rows, self._more, strict=True):
            cells = [*row, *(told.get(name, np.nan) for name in (*self.inputs, *self.numbers))]
            writer.writerow(["" if np.isnan(cell) else repr(float(cell)) for cell in cells])
        return text.getvalue()
