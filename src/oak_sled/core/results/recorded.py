"""A game as a run beside ours: the motion and inputs that it told at our ticks, and how far ours is off it.

What it did not tell is NaN in every column and in every trace that is made of it, so that nothing shows a force which
nobody told.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels, rotations
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.results.run import Run
from oak_sled.core.tick.rows import Block
from oak_sled.core.yard.recording import INPUT, MOVES, NUMBER, PLACE, SPINS, TURN, Recording

OFF = {
    "place": ("off the recording: place", "m"),
    "speed": ("off the recording: speed", "m/s"),
    "heading": ("off the recording: heading", "°"),
    "height": ("off the recording: height", "m"),
}
"""By how much a run is off what a game told: the words and the unit."""
MOST_TICKS = 1_000_000
"""Ticks of ours that are made of what a game told: it may name any tick."""
FASTEST_STILL = 0.05
"""m/s under which a motion has no heading, where a game tells no attitude."""


def is_told(run: Run) -> bool:
    """True of a run that a game told."""
    return told_by(run) == "game"


def told_by(run: Run) -> str:
    """The word for what told a run: a "game", or a "copy" over a network; empty: it was computed."""
    block = run.record.blocks[0]
    return block.by if isinstance(block, Told) else ""


class Told(Block):
    """Rows of which some columns were told: every other one is NaN, and takes no memory. told : by place, shape
    (rows,). numbers : of the game's own, by name, shape (rows,). by : who told it: a "game", or a "copy" over a
    network."""

    def __init__(
        self, told: Mapping[int, Floats], rows: int, width: int, numbers: Mapping[str, Floats], by: str = "game"
    ):
        self.by = by
        self.told, self.rows, self.width, self.numbers = told, rows, width, numbers
        self._nothing = np.broadcast_to(np.full(1, np.nan), (rows,))

    def __len__(self) -> int:
        return self.rows

    def column(self, place: int) -> Floats:
        """One column, shape (rows,)."""
        return self.told.get(place, self._nothing)

    def __getitem__(self, row: int) -> Floats:
        found = np.full(self.width, np.nan)
        for place, values in self.told.items():
            found[place] = values[row]
        return found

    def chunks(self, most: int) -> Iterator[Floats]:
        """All rows in pieces of at most `most`, shape (n, width)."""
        for first in range(0, self.rows, most):
            piece = np.full((min(most, self.rows - first), self.width), np.nan)
            for place, values in self.told.items():
                piece[:, place] = values[first : first + most]
            yield piece

    @property
    def nbytes(self) -> int:
        """Bytes it takes."""
        return sum(values.nbytes for values in self.told.values())


def alone(job: Job, who: int = 0) -> Job:
    """A job with one body alone on its ground, by its number: that of the craft under test, which a recording is of."""
    lead = job.actors[who]
    drill = job.drill.replace(
        craft="", cast=(), ties=(), twins=(), watch=(), events=(), targets=(), tracks=(), recording=None, network=None
    )
    return Job(lead.craft, job.ground, drill, job.ticks, job.integrator)


def as_run(recording: Recording, job: Job) -> Run:
    """A recording as a run of the craft under test of a job, at the ticks of the job from its own first row."""
    told = {one.name: one.array for one in recording.columns}
    return run_of(told, recording.t.array - recording.t.array[0], alone(job))


def run_of(told: Mapping[str, Floats], times: Floats, job: Job, first_tick: int = 0, by: str = "game") -> Run:
    """Columns that a game told as a run of a job of one craft, at its ticks.

    told : by names as `Recording` has them, each of shape (n,); times : s of each row from the start, shape (n,).
    Without velocities they follow from the places; without attitudes it heads where it moves; without spins they follow
    from the attitudes. Inputs hold from the row before to theirs. first_tick : of the first row that is made. by : who
    told it, see `Told`.
    """
    layout = Layout.of(job)
    last = max(math.floor(float(times[-1]) * job.ticks + 1e-6), first_tick)
    last = min(last, first_tick + MOST_TICKS)
    at = np.asarray(np.arange(first_tick, last + 1) * job.dt, dtype=np.float64)
    found: dict[str, Floats] = {}
    for name, values in told.items():
        if name.startswith(INPUT):
            held = np.asarray(values[np.clip(np.searchsorted(times, at - 1e-9), 0, len(times) - 1)])
            for where in (name, f"channel.{name.removeprefix(INPUT)}"):
                if where in layout.names:
                    found[where] = held
        elif name in (*PLACE, *MOVES, *SPINS):
            found[name] = np.interp(at, times, values)
    if MOVES[0] not in found:
        found |= zip(MOVES, (_rates(found[name], at) for name in PLACE), strict=True)
    turns = _turns(told, times, at, found)
    found |= zip(TURN, turns.T, strict=True)
    if SPINS[0] not in found:
        found |= zip(SPINS, _spins(turns, at).T, strict=True)
    by_place = {layout.place(name): np.ascontiguousarray(values) for name, values in found.items()}
    numbers = {
        name.removeprefix(NUMBER): np.interp(at, times, values)
        for name, values in told.items()
        if name.startswith(NUMBER)
    }
    return Run(job, Record(layout, [Told(by_place, len(at), layout.width, numbers, by)]), first_tick=first_tick)


def _rates(values: Floats, at: Floats) -> Floats:
    return np.asarray(np.gradient(values, at)) if len(at) > 1 else np.zeros(len(at))


def _turns(told: Mapping[str, Floats], times: Floats, at: Floats, found: Mapping[str, Floats]) -> Floats:
    """Attitudes at our ticks, shape (rows, 4): between two that were told straight, and made whole again."""
    if TURN[0] in told:
        turns = np.stack([told[name] for name in TURN], axis=1)
        against = np.cumprod(np.where(np.sum(turns[1:] * turns[:-1], axis=1) < 0.0, -1.0, 1.0))
        turns = turns * np.concatenate([[1.0], against])[:, None]
        mixed = np.stack([np.interp(at, times, column) for column in turns.T], axis=1)
        size = np.linalg.norm(mixed, axis=1, keepdims=True)
        return np.asarray(np.where(size > 1e-9, mixed / np.where(size > 1e-9, size, 1.0), (1.0, 0.0, 0.0, 0.0)))
    x, y = found[MOVES[0]], found[MOVES[1]]
    moves = np.hypot(x, y) > FASTEST_STILL
    angle = np.unwrap(np.arctan2(y, x)[moves]) if moves.any() else np.zeros(1)
    half = 0.5 * (np.interp(at, at[moves], angle) if moves.any() else np.zeros(len(at)))
    return np.stack([np.cos(half), np.zeros(len(at)), np.zeros(len(at)), np.sin(half)], axis=1)


def _spins(turns: Floats, at: Floats) -> Floats:
    """rad/s, world axes, shape (rows, 3), from attitudes: 2 dq/dt q* (any text on quaternions)."""
    if len(at) < 2:
        return np.zeros((len(at), 3))
    rates = np.gradient(turns, at, axis=0)
    w, v = turns[:, :1], -turns[:, 1:]
    return np.asarray(2.0 * (rates[:, :1] * v + w * rates[:, 1:] + np.cross(rates[:, 1:], v)))


def beside(run: Run) -> Run | None:
    """The run that a game told of the same drill, None where none did or where another craft than the one under test is
    looked at."""
    if run.told is not None:
        return run.told
    recording = run.job.drill.recording
    if recording is None or run.job.who != 0:
        return None
    found: Run = run.analysis.once("beside", lambda: as_run(recording, run.job))
    return found


def numbers_of(run: Run) -> tuple[str, ...]:
    """Names of the numbers of its own that a game told beside a run."""
    told = beside(run)
    block = None if told is None else told.record.blocks[0]
    return tuple(block.numbers) if isinstance(block, Told) else ()


def number(run: Run, name: str) -> Floats:
    """One of them at the ticks of the run, shape (rows,); NaN where it told nothing at that time."""
    told = beside(run)
    assert told is not None
    block = told.record.blocks[0]
    assert isinstance(block, Told)
    return _at(run.t, told.t, block.numbers[name])


def off(run: Run, what: str) -> Floats:
    """By how much a run is off what a game told, shape (rows,); NaN where it told nothing at that time. what : place (m
    between the two), speed (m/s ours is faster), heading (° ours is turned further to the left), height (m ours is
    higher)."""
    told = beside(run)
    if told is None:
        return np.full(run.ticks + 1, np.nan)
    t, at = run.t, told.t
    if what == "place":
        ours = run.columns(*PLACE)
        theirs = np.stack([_at(t, at, told.column(name)) for name in PLACE], axis=1)
        return np.asarray(np.linalg.norm(ours - theirs, axis=1))
    if what == "heading":
        ours, theirs = (np.unwrap(_angles(one)) for one in (run, told))
        away = ours - _at(t, at, theirs)
        return np.degrees((away + np.pi) % (2.0 * np.pi) - np.pi)
    if what == "height":
        return levels.heights(run) - _at(t, at, levels.heights(told))
    return _speed(run) - _at(t, at, _speed(told))


def _speed(run: Run) -> Floats:
    return np.asarray(np.linalg.norm(run.columns(*MOVES), axis=1))


def _angles(run: Run) -> Floats:
    ahead = rotations.rotations(run.columns(*TURN))[:, :2, 0]
    return np.asarray(np.arctan2(ahead[:, 1], ahead[:, 0]))


def _at(t: Floats, times: Floats, values: Floats) -> Floats:
    return np.asarray(np.interp(t, times, values, left=np.nan, right=np.nan))
