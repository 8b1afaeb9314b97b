"""The laws of a hand-written game, read off what it did: what moves it, what slows it, what clamps it, what turns it.

Each law is run frame by frame on the inputs that the game told, and its numbers are fitted so that the places come out
(the headings, of what turns it). The law that leaves least is named with what the next best one leaves; where that is
no more, nobody can tell. All run in the frames of the game: a share that is kept in each frame is another number at
another rate of frames.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.results import rotations
from oak_sled.core.study import lawkinds
from oak_sled.core.study.lawkinds import STILL, Kind, run
from oak_sled.core.yard.recording import INPUT, PLACE, TURN, Recording, rate_of

MOST_FRAMES = 2400
"""Frames from the start on that are read."""
LEAST_FRAMES = 60
UNEVEN = 0.2
"""Share of a frame by which frames may differ in length: beyond it nothing is read of what happens in each."""
TELLS_APART = 1.1
"""Times what a law leaves from which on the next best one is told from it."""
ACTS = 1.02
"""Times what a law leaves without its clamp, from which on the clamp is taken to be there."""
_TIGHT = {"ftol": 1e-12, "xtol": 1e-12, "gtol": 1e-12, "max_nfev": 60}
EXACT = 1e-5
"""m or rad that a law may leave and be exact: what is smaller is of the arithmetic."""
Complex = NDArray[np.complex128]


@dataclass(frozen=True)
class Number:
    """A number of a law: its name, value and unit. per_frame : a share of each frame, which is another one at another
    rate; else it is the same in SI."""

    name: str
    value: float
    unit: str
    per_frame: bool = False

    def at(self, ticks: float, other: float) -> float:
        """Its value at another rate of frames, where it does the same in a second: (1 - share) ^ (ticks / other)."""
        if not self.per_frame:
            return self.value
        kept = self.value if self.name == "kept" else 1.0 - self.value
        moved = max(kept, 0.0) ** (ticks / other)
        return moved if self.name == "kept" else 1.0 - moved

    @property
    def words(self) -> str:
        """Its name and value."""
        return f"{self.name} {units.plain(self.value, self.unit, 4)}"


@dataclass(frozen=True)
class Law:
    """A law with its numbers. name : in a word or two; says : what it does in a frame. left : root mean square of what
    it leaves, m, or rad of what turns it."""

    name: str
    says: str
    numbers: tuple[Number, ...]
    left: float

    def value(self, name: str) -> float | None:
        """One of its numbers; None for one that it has not."""
        return next((one.value for one in self.numbers if one.name == name), None)


@dataclass(frozen=True)
class Told:
    """The laws of a motion, the best first, and the input that they follow. unit : of what they leave."""

    laws: tuple[Law, ...]
    channel: str
    unit: str

    @property
    def best(self) -> Law:
        """The law that leaves least."""
        return self.laws[0]

    @property
    def other(self) -> Law:
        """The next best law that is not the best one with another number to it."""
        return next(one for one in self.laws[1:] if self.best.name not in lawkinds.HOLDS.get(one.name, ()))

    @property
    def margin(self) -> float:
        """Times what the best leaves that the next best one does."""
        return max(self.other.left, EXACT) / max(self.best.left, EXACT)

    @property
    def is_told(self) -> bool:
        """True if the best is told from the next."""
        return self.margin >= TELLS_APART


@dataclass(frozen=True)
class OwnLaws:
    """The laws of a game. ticks : its frames a second. drive, turn : what was read; None where it told no input that
    does anything, or no heading. why : a sentence for what is not there."""

    ticks: float
    drive: Told | None
    turn: Told | None
    why: tuple[str, ...]


@dataclass(frozen=True)
class _Frames:
    """A game frame by frame. places : m as complex numbers, shape (frames,); ahead : directions, as complex numbers;
    heading : rad, unwrapped; inputs : of each channel, what led to a frame."""

    dt: float
    places: Complex
    ahead: Complex
    heading: Floats | None
    inputs: dict[str, Floats]

    @property
    def velocity(self) -> Complex:
        """m/s over each frame, the first 0, shape (frames,)."""
        steps: Complex = np.diff(self.places, prepend=self.places[:1]) / self.dt
        return steps


def read(recording: Recording) -> OwnLaws:
    """The laws of a game, from what it told. Raises `Refused` for too few frames, or uneven ones."""
    frames, ticks = _frames(recording)
    why = []
    drive = _drive(frames)
    if drive is None:
        why.append("what moves it is not read: it tells no input that moves it, or stands still")
    turn = _turn(frames)
    if turn is None:
        why.append("what turns it is not read: it tells no heading, or no input that turns it")
    return OwnLaws(ticks, drive, turn, tuple(why))


def _frames(recording: Recording) -> tuple[_Frames, float]:
    times = recording.t.array[:MOST_FRAMES]
    if len(times) < LEAST_FRAMES:
        raise refuse("recording", f"has {len(times)} frames", f"{LEAST_FRAMES} at least, to read laws off")
    steps = np.diff(times)
    dt = 1.0 / rate_of(times)
    uneven = float(np.abs(steps - dt).max()) / dt
    if uneven > UNEVEN:
        raise refuse(
            "recording",
            f"has frames that differ by {100.0 * uneven:.0f} % in length: what happens in each cannot be told",
            "a row for each frame, at a fixed rate",
        )
    x, y = (recording.column(name)[: len(times)] for name in PLACE[:2])
    places = x + 1j * y
    heading = None
    if recording.has(TURN[0]):
        turns = np.stack([recording.column(name)[: len(times)] for name in TURN], axis=1)
        nose = rotations.rotations(turns / np.linalg.norm(turns, axis=1, keepdims=True))[:, :2, 0]
        heading = np.unwrap(np.arctan2(nose[:, 1], nose[:, 0]))
        ahead = np.exp(1j * heading)
    else:
        velocity = np.diff(places, prepend=places[:1]) / dt
        moves = np.abs(velocity) > 1e-3 * max(float(np.abs(velocity).max()), STILL)
        angle = np.unwrap(np.angle(velocity[moves])) if moves.any() else np.zeros(1)
        ahead = np.exp(1j * (np.interp(times, times[moves], angle) if moves.any() else np.zeros(len(times))))
    inputs = {name: recording.column(f"{INPUT}{name}")[: len(times)] for name in recording.inputs}
    moved = {name: one for name, one in inputs.items() if np.ptp(one) > 0.0}
    return _Frames(dt, places, ahead, heading, moved), 1.0 / dt


def _drive(frames: _Frames) -> Told | None:
    velocity = frames.velocity
    fastest = float(np.abs(velocity).max())
    if fastest < 1e-6 or not frames.inputs:
        return None
    channel = _driver(frames, velocity)
    if channel is None:
        return None
    given = frames.inputs[channel]
    laws = []
    for kind in lawkinds.DRIVES:
        first = _begin(kind, frames, velocity, given, fastest)
        plain = _fitted(kind, frames, given, velocity[1], first, None)
        # a speed that is asked for is beyond a clamp that acts: from below it, nothing would draw it there
        beyond = (1.5 * plain.values[0], *plain.values[1:]) if kind.numbers[0][0] == "speed" else plain.values
        clamped = _fitted(kind, frames, given, velocity[1], (*beyond, fastest), fastest)
        better = max(clamped.left, EXACT) * ACTS < plain.left
        laws.append((clamped if better else plain).law(kind, better))
    return Told(_in_order(laws), channel, "m")


def _driver(frames: _Frames, velocity: Complex) -> str | None:
    """The input that pushes it along its heading best, by what it explains of the change of speed."""
    gained = (np.diff(velocity, prepend=velocity[:1]) * frames.ahead.conjugate()).real
    speed = (velocity * frames.ahead.conjugate()).real
    before = np.concatenate([[0.0], speed[:-1]])
    found = {}
    for name, values in frames.inputs.items():
        table = np.stack([values, before], axis=1)
        found[name] = float(np.sum((table @ np.linalg.lstsq(table, gained, rcond=None)[0]) ** 2))
    best = max(found, key=lambda name: found[name], default=None)
    return best if best is not None and found[best] > STILL else None


def _begin(kind: Kind, frames: _Frames, velocity: Complex, given: Floats, fastest: float) -> tuple[float, ...]:
    """Numbers to begin with, from the changes of the velocity frame by frame."""
    before, after = velocity[1:-1], velocity[2:]
    pushed = frames.ahead[2:] * given[2:] * frames.dt
    slows = {"kept": before, "slowed by": -before / np.maximum(np.abs(before), STILL) * frames.dt,
             "drag": -np.abs(before) * before * frames.dt}  # fmt: skip
    second = kind.numbers[-1][0]
    if second in slows:
        free = np.abs(after) < 0.97 * fastest
        gained = after - (0.0 if second == "kept" else before)
        table = np.stack([pushed[free], slows[second][free]], axis=1)
        table, wanted = np.concatenate([table.real, table.imag]), np.concatenate([gained[free].real, gained[free].imag])
        push, slow = np.linalg.lstsq(table, wanted, rcond=None)[0].tolist() if free.sum() > 4 else (1.0, 0.0)
        if second == "kept":
            slow = min(max(slow, 0.5), 0.9999)
            push /= slow
        return push, max(slow, 1e-6)
    size = max(float(np.abs(given).max()), STILL)
    steep = float(np.percentile(np.abs(np.diff(np.abs(velocity))), 95)) / frames.dt
    return {"speed": (fastest / size,), "rate": (fastest / size, max(steep, 1e-3)), "share": (fastest / size, 0.05)}[
        second
    ]


@dataclass(frozen=True)
class _Fitted:
    values: tuple[float, ...]
    left: float

    def law(self, kind: Kind, clamped: bool) -> Law:
        """The law with these numbers; the last one is that of the clamp, where it has one."""
        numbers = [
            Number(name, value, unit, share)
            for (name, unit, share), value in zip(kind.numbers, self.values, strict=False)
        ]
        if clamped:
            numbers.append(Number("clamped at", self.values[-1], "m/s"))
        return Law(kind.name, kind.says, tuple(numbers), self.left)


def _fitted(
    kind: Kind, frames: _Frames, given: Floats, begins: complex, first: tuple[float, ...], fastest: float | None
) -> _Fitted:
    """The numbers with which a law comes nearest to the places. fastest : m/s of the fastest frame, where it is clamped
    to a last number."""
    low = np.array([-kind.most[0], *(0.0 for _ in kind.most[1:]), *([1e-3 * fastest] if fastest else [])])
    high = np.array([*kind.most, *([2.0 * fastest] if fastest else [])])
    start = np.clip(np.array(first), low + 1e-9, high - 1e-9)
    size = np.maximum(np.abs(start), 1e-6)
    ahead, inputs, dt = frames.ahead.tolist(), given.tolist(), frames.dt
    wanted = frames.places - frames.places[0]

    def off(scaled: Floats) -> Floats:
        numbers = (scaled * size).tolist()
        made = np.fromiter(run(kind.step, ahead, inputs, begins, numbers, dt, fastest is not None), np.complex128)
        return np.concatenate([(made - wanted).real, (made - wanted).imag])

    found = least_squares(
        off, start / size, bounds=(low / size, high / size), ftol=1e-12, xtol=1e-12, gtol=1e-12, max_nfev=60
    )
    left = math.sqrt(2.0 * float(np.mean(found.fun**2)))
    return _Fitted(tuple((found.x * size).tolist()), left)


# what turns it


def _turn(frames: _Frames) -> Told | None:
    if frames.heading is None or not frames.inputs or float(np.ptp(frames.heading)) < 1e-4:
        return None
    rates = np.diff(frames.heading, prepend=frames.heading[:1]) / frames.dt
    ahead = (frames.velocity * frames.ahead.conjugate()).real
    channel = _steers(frames, rates)
    if channel is None:
        return None
    laws = []
    for kind in lawkinds.TURNS:
        given = frames.inputs[channel] * (ahead if kind.name == "a turn by the way" else 1.0)
        rate = float(np.sum(rates * given) / max(float(np.sum(given * given)), STILL))
        seconds = {"share": (0.2,), "gains": (4.0 * abs(rate) + 1e-3,)}
        first = (rate, *seconds.get(kind.numbers[-1][0], ()))
        laws.append(_turned(kind, frames, given, rates[1], first).law(kind, False))
    return Told(_in_order(laws), channel, "rad")


def _in_order(laws: list[Law]) -> tuple[Law, ...]:
    """Laws by what they leave; of those that leave as little as the best, that of the fewest numbers comes first."""
    least = TELLS_APART * max(min(law.left for law in laws), EXACT)
    return tuple(
        sorted(laws, key=lambda law: (law.left > least, len(law.numbers) if law.left <= least else 0, law.left))
    )


def _steers(frames: _Frames, rates: Floats) -> str | None:
    """The input with which its turn rate goes best, by the size of their correlation."""
    found = {
        name: abs(float(np.sum(values * rates))) / math.sqrt(max(float(np.sum(values**2)), STILL))
        for name, values in frames.inputs.items()
    }
    best = max(found, key=lambda name: found[name], default=None)
    return best if best is not None and found[best] > STILL else None


def _turned(kind: Kind, frames: _Frames, given: Floats, begins: float, first: tuple[float, ...]) -> _Fitted:
    """The numbers with which a law of turning comes nearest to the headings."""
    assert frames.heading is not None
    low, high = np.array([-kind.most[0], *(0.0 for _ in kind.most[1:])]), np.array(kind.most)
    start = np.clip(np.array(first), low + 1e-9, high - 1e-9)
    size = np.maximum(np.abs(start), 1e-6)
    ones, inputs = [1 + 0j] * len(given), given.tolist()
    wanted = frames.heading - frames.heading[0]

    def off(scaled: Floats) -> Floats:
        numbers = (scaled * size).tolist()
        made = np.fromiter(run(kind.step, ones, inputs, complex(begins), numbers, frames.dt, False), np.complex128)
        return np.asarray(made.real - wanted)

    found = least_squares(
        off, start / size, bounds=(low / size, high / size), ftol=1e-12, xtol=1e-12, gtol=1e-12, max_nfev=60
    )
    return _Fitted(tuple((found.x * size).tolist()), math.sqrt(float(np.mean(found.fun**2))))


# in words


def words(told: Told, ticks: float, other: float) -> list[str]:
    """The laws in sentences. ticks : frames a second of the game; other : those of the bench."""
    best, following = told.best, told.other
    factor, unit = (180.0 / math.pi, "°") if told.unit == "rad" else (1.0, told.unit)
    left, next_left = (units.show(factor * one.left, unit) for one in (best, following))
    numbers = ", ".join(one.words for one in best.numbers)
    lines = [f"{told.channel}: {best.says}: {numbers}"]
    if told.is_told:
        lines.append(f"it leaves {left}; the next best law, {following.name}, {next_left}")
    else:
        lines.append(f"cannot tell it from {following.name}: they leave {left} and {next_left}")
    for one in best.numbers:
        if one.per_frame:
            kept = one.value if one.name == "kept" else 1.0 - one.value
            rate = -ticks * math.log(max(kept, 1e-300))
            lines.append(
                f"{one.name} {one.value:.5g} a frame at {ticks:g} frames/s is {one.at(ticks, other):.5g} at {other:g}, "
                f"and {units.plain(rate, '1/s', 4)} at any rate"
            )
    return lines
