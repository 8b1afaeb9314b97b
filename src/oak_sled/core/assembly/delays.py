"""Delay of inputs: each comes in a while after it was given, with jitter from a seed; none is lost or overtaken."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.yard.channel import Channel


def late_ticks(delay_ms: float, jitter_ms: float, seed: int, first: int, count: int, rate: float) -> Ints:
    """Ticks by which the inputs of some ticks come late, shape (count,), from tick `first` on: the delay, and evenly up
    to the jitter more or less. The same tick has the same jitter, in however many pieces they are asked for."""
    if jitter_ms <= 0.0:
        return np.full(count, round(delay_ms * rate / 1000.0), np.int64)
    numbers = np.arange(first, first + count, dtype=np.uint64)
    share = _dice(seed, numbers)
    late = (delay_ms + jitter_ms * (2.0 * share - 1.0)) * rate / 1000.0
    return np.maximum(np.rint(late), 0.0).astype(np.int64)


def _dice(seed: int, numbers: np.ndarray) -> Floats:
    """A share from 0 to 1 for each number (the mixing step of SplitMix64; Steele, Lea and Flood, OOPSLA 2014)."""
    with np.errstate(over="ignore"):
        z = numbers + np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z = z ^ (z >> np.uint64(31))
    return (z >> np.uint64(11)).astype(np.float64) / float(1 << 53)


class DelayLine:
    """Inputs on their way. A level counts from when it comes in until a later one does; increments and notches are
    summed in the tick in which they come in."""

    def __init__(
        self, channels: Sequence[Channel], rate: float, delay_ms: float, jitter_ms: float = 0.0, seed: int = 1
    ):
        self._is_level = np.array([channel.takes == "level" for channel in channels], dtype=bool)
        self._rate, self._delay, self._jitter, self._seed = rate, delay_ms, jitter_ms, seed
        most = math.ceil((delay_ms + jitter_ms) * rate / 1000.0) + 2
        self._sums = np.zeros((most, len(channels)))
        self._levels = np.zeros((most, len(channels)))
        self._sent = np.full(most, -1, np.int64)
        self._held = np.zeros(len(channels))
        self._newest, self._tick = -1, 0

    def through(self, given: Floats) -> Floats:
        """The values that come in over the next ticks, for those that are given in them, shape (ticks, channels)."""
        out = np.empty_like(given, dtype=np.float64)
        late = late_ticks(self._delay, self._jitter, self._seed, self._tick, len(given), self._rate)
        size = len(self._sums)
        for k, row in enumerate(given):
            at = (self._tick + int(late[k])) % size
            self._sums[at] += row
            if self._sent[at] < self._tick:
                self._sent[at], self._levels[at] = self._tick, row
            here = self._tick % size
            if self._sent[here] > self._newest:
                self._newest, self._held = int(self._sent[here]), self._levels[here].copy()
            out[k] = np.where(self._is_level, self._held, self._sums[here])
            self._sums[here], self._sent[here] = 0.0, -1
            self._tick += 1
        return out


def delayed(given: Floats, channels: Sequence[Channel], rate: float, delay: tuple[float, float, int]) -> Floats:
    """Inputs of a whole drill as they come in, shape (ticks, channels). delay : ms, ms of jitter, seed."""
    if delay[0] <= 0.0 and delay[1] <= 0.0:
        return given
    return DelayLine(channels, rate, *delay).through(given)
