"""A curve of a share over speed: its knots as a document, and its samples for the kernel."""

import functools

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.geometry import curve

SPEEDS = 65
"""Samples from standstill to the last knot, evenly."""


MOST_IN_TABLE = 20
"""Knots of a curve that go into a formula."""


class SpeedKnot(Frozen):
    """A point of a curve over speed."""

    speed: float = dial(0.0, "m/s", "speed", low=0.0, high=1e4)
    share: float = dial(1.0, "", "share of the whole", low=0.0, high=10.0)


FLAT = (SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=1.0, share=1.0))
"""The whole at every speed."""


def is_flat(knots: tuple[SpeedKnot, ...]) -> bool:
    """True if it is the whole at every speed."""
    return all(knot.share == 1.0 for knot in knots)


def as_table(knots: tuple[SpeedKnot, ...], of: str) -> str:
    """The curve as a formula of a speed."""
    if len(knots) == 1:
        return f"{knots[0].share:g}"
    points = ", ".join(f"{knot.speed:g} [m/s]: {knot.share:g}" for knot in knots[:MOST_IN_TABLE])
    return f"table({of}, {points})"


def check(name: str, knots: tuple[SpeedKnot, ...]) -> None:
    """Raises ValueError for knots out of order."""
    speeds = [knot.speed for knot in knots]
    if sorted(set(speeds)) != speeds:
        raise ValueError(f"{name}: speeds must rise from knot to knot (order the knots by their speed)")


def record(knots: tuple[SpeedKnot, ...], straight: bool = False) -> tuple[float, Floats]:
    """The speed of the last sample, m/s, and the samples, shape (SPEEDS,). straight : whether lines join the knots."""
    return _sampled(tuple((knot.speed, knot.share) for knot in knots), straight)


def share_at(knots: tuple[SpeedKnot, ...], speed: float, straight: bool = False) -> float:
    """The share at a speed, m/s."""
    top, samples = record(knots, straight)
    return float(np.interp(abs(speed), np.linspace(0.0, top, SPEEDS), samples))


@functools.lru_cache(maxsize=64)
def _sampled(knots: tuple[tuple[float, float], ...], straight: bool) -> tuple[float, Floats]:
    if len(knots) == 1:
        return 1.0, np.full(SPEEDS, knots[0][1])
    speeds, shares = np.array(knots).T
    at = np.clip(np.linspace(0.0, speeds[-1], SPEEDS), speeds[0], speeds[-1])
    found = np.maximum(curve.through(speeds, shares, at, straight), 0.0)
    found.flags.writeable = False  # shared by every run of this curve
    return float(speeds[-1]), found


@compiled
def at(samples, top, speed):
    """The share at a speed, m/s; past the last knot it stays."""
    place = min(abs(speed) / top, 1.0) * (SPEEDS - 1)
    k = min(int(place), SPEEDS - 2)
    return samples[k] + (place - k) * (samples[k + 1] - samples[k])
