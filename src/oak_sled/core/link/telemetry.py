"""Telemetry of one game, in SI and our axes: what it sends is turned there first, where it counts otherwise."""

from __future__ import annotations

import csv
import io

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.link.messages import Hello, Telemetry
from oak_sled.core.results import recorded
from oak_sled.core.results.run import Run
from oak_sled.core.yard.game import Game
from oak_sled.core.yard.recording import INPUT, MOST_ROWS, MOVES, NUMBER, PLACE, SPINS, TURN, Recording, of_columns

MOST_TICKS = 1_000_000
"""Ticks that are kept of one take."""
COLUMNS = (*PLACE, *TURN, *MOVES, *SPINS)
HEADS = (
    "t [s]", *(f"position.{axis} [m]" for axis in "xyz"), *(f"rotation.{axis}" for axis in "wxyz"),
    *(f"velocity.{axis} [m/s]" for axis in "xyz"), *(f"spin.{axis} [rad/s]" for axis in "xyz"),
)  # fmt: skip


class Take:
    """All that a game sent since its tick 0. hello : its first message; game : units and axes of the yard."""

    def __init__(self, hello: Hello, game: Game):
        self.hello, self.game = hello, game
        self._begin()

    def _begin(self) -> None:
        self.inputs: list[str] = []
        self.numbers: list[str] = []
        self._rows = np.empty((1024, len(HEADS)))
        self._count = 0
        self._names: dict[str, int] = {}
        self._more = np.full((1024, 8), np.nan)
        """Inputs and numbers, a row a message, in the columns of `_names`; NaN where one was not told."""

    def __len__(self) -> int:
        return self._count

    def add(self, told: Telemetry) -> None:
        """One message more; tick 0 begins anew."""
        if told.tick == 0:
            self._begin()
        if self._count >= MOST_TICKS:
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
            before = self._rows[self._count - 1] if self._count else None
            gap = t - before[0] if before is not None else 0.0
            velocity = (place - before[1:4]) / gap if before is not None and gap > 0.0 else np.zeros(3)
        if self._count == len(self._rows):
            self._rows = np.concatenate([self._rows, np.empty_like(self._rows)])
            self._more = np.concatenate([self._more, np.full_like(self._more, np.nan)])
        self._rows[self._count] = (t, *place, *attitude, *velocity, *spin)
        for head, values in ((INPUT, told.inputs), (NUMBER, told.numbers)):
            for name, value in values.items():
                self._more[self._count, self._place(head + name)] = value
        self._count += 1
        self.inputs += [name for name in told.inputs if name not in self.inputs]
        self.numbers += [name for name in told.numbers if name not in self.numbers]

    def _place(self, name: str) -> int:
        """The column of an input or a number; a new one is made room for."""
        if name not in self._names:
            self._names[name] = len(self._names)
            if len(self._names) > self._more.shape[1]:
                self._more = np.concatenate([self._more, np.full_like(self._more, np.nan)], axis=1)
        return self._names[name]

    def motion(self) -> Floats:
        """A row a message as `HEADS` says, shape (messages, 14); NaN where a spin was not told."""
        return self._rows[: self._count]

    def inputs_of(self, row: int) -> dict[str, float]:
        """The inputs of a message, by their channels; those that it did not tell are left out."""
        told = {name: float(self._more[row, self._names[INPUT + name]]) for name in self.inputs}
        return {name: value for name, value in told.items() if not np.isnan(value)}

    def told(self, job: Job, seconds: float, origin: int = 0) -> Run:
        """Its newest stretch as a run of the craft under test of a job; raises `Refused` without a message.

        origin : the row from which its time is counted.
        """
        if not self._count:
            raise refuse("telemetry", f"{self.hello.name} has told nothing yet", "telemetry each tick")
        times = self._rows[: self._count, 0] - self._rows[origin, 0]
        first_tick = int(max(times[-1] - seconds, 0.0) * job.ticks)
        first = max(int(np.searchsorted(times, first_tick * job.dt)) - 1, origin)
        return recorded.run_of(self._columns(first), times[first:], recorded.alone(job), first_tick)

    def recording(self, first: int = 0, end: int | None = None) -> Recording:
        """The rows from one to before another as a recording, the first `MOST_ROWS` of them; raises `Refused` with
        fewer than two."""
        end = min(self._count if end is None else end, first + MOST_ROWS)
        if end - first < 2:
            raise refuse("telemetry", f"{self.hello.name} has told {self._count} messages", "at least two")
        times = self._rows[first:end, 0] - self._rows[first, 0]
        return of_columns(self.hello.name, self.hello.ticks, times, self._columns(first, end))

    def _columns(self, first: int, end: int | None = None) -> dict[str, Floats]:
        """Columns from a row to before another, as `Recording` names them: a spin only where all of it was told, and 0
        for an input or a number that was not told."""
        end = self._count if end is None else end
        rows = self._rows[first:end]
        found = dict(zip(COLUMNS, rows.T[1:], strict=True))
        if np.isnan(rows[:, -3:]).any():
            found = {name: values for name, values in found.items() if name not in SPINS}
        names = [*(INPUT + name for name in self.inputs), *(NUMBER + name for name in self.numbers)]
        more = np.nan_to_num(self._more[first:end], nan=0.0)
        return found | {name: more[:, self._names[name]] for name in names}

    def table(self) -> str:
        """All of it as CSV; floats round-trip, and what was not told is empty."""
        text = io.StringIO()
        writer = csv.writer(text, lineterminator="\n")
        more = [*(f"input.{name}" for name in self.inputs), *(f"number.{name}" for name in self.numbers)]
        writer.writerow([*HEADS, *more])
        for row, told in zip(self.motion(), self._more[: self._count], strict=True):
            cells = [*row, *(told[self._names[name]] for name in more)]
            writer.writerow(["" if np.isnan(cell) else repr(float(cell)) for cell in cells])
        return text.getvalue()
