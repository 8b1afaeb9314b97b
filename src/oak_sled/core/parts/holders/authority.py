"""The authority of a mixer: the force or moment along each axis that it makes with nothing beside it."""

from __future__ import annotations

import functools
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import show
from oak_sled.core.parts.actuator import AXES, Actuator, Triple

NOTHING = 1e-6
"""Share of the most that all actuators give along an axis, below which they give nothing of it."""
WORDS = {
    "ahead": ("ahead", "back"), "left": ("to the left", "to the right"), "lift": ("up", "down"),
    "roll": ("roll to the right", "roll to the left"), "pitch": ("nose down", "nose up"),
    "yaw": ("yaw left", "yaw right"),
}  # fmt: skip
"""Each axis of `AXES`, positive and negative about it, in words."""
STRAYS = {
    "ahead": "pushes it ahead or back", "left": "pushes it aside", "lift": "lifts it", "roll": "rolls it",
    "pitch": "pitches it", "yaw": "turns the nose",
}  # fmt: skip


class Command(NamedTuple):
    """One way along or about an axis. axis : place in AXES. sign : 1 or -1. pure : N or N m at most with nothing beside
    it. stray : where there is none, what the nearest to it makes most of beside it: place in AXES, and its share of the
    most that the actuators give of that, over the share of what was asked."""

    axis: int
    sign: int
    pure: float
    stray: tuple[int, float] | None

    @property
    def unit(self) -> str:
        """Of `pure`."""
        return "N" if self.axis < 3 else "N m"

    @property
    def words(self) -> str:
        """The way, in words."""
        return WORDS[AXES[self.axis]][0 if self.sign > 0 else 1]


def commands(found: Sequence[tuple[float, Actuator]], centre: Triple) -> tuple[Command, ...]:
    """The commands that actuators make, both ways of every axis. found : with the trim of each. centre : m."""
    return _commands(tuple(found), centre)


@functools.lru_cache(maxsize=32)
def _commands(found: tuple[tuple[float, Actuator], ...], centre: Triple) -> tuple[Command, ...]:
    columns = np.array([[gain * value for value in one.about(centre)] for gain, one in found])
    low, high = np.array([one.low for _, one in found]), np.array([one.high for _, one in found])
    most = np.maximum(np.abs(columns * low[:, None]), np.abs(columns * high[:, None])).sum(axis=0)
    scaled = columns / np.where(most > 0.0, most, 1.0)
    made = []
    for axis in range(6):
        for sign in (1, -1):
            share = _pure(scaled, low, high, axis, sign) if most[axis] > NOTHING else 0.0
            pure = share * most[axis] if share > NOTHING else 0.0
            stray = None if pure > 0.0 or most[axis] <= NOTHING else _stray(scaled, low, high, axis, sign)
            made.append(Command(axis, sign, float(pure), stray))
    return tuple(made)


def _pure(scaled: Floats, low: Floats, high: Floats, axis: int, sign: int) -> float:
    """The greatest share along an axis with nothing along the others."""
    from scipy.optimize import linprog  # heavy, and of use for what a mixer commands alone

    others = np.delete(scaled, axis, axis=1).T
    answer = linprog(
        -sign * scaled[:, axis], A_eq=others, b_eq=np.zeros(5), bounds=np.stack([low, high], axis=1), method="highs"
    )
    return max(float(-answer.fun), 0.0) if answer.status == 0 else 0.0


def _stray(scaled: Floats, low: Floats, high: Floats, axis: int, sign: int) -> tuple[int, float] | None:
    """The axis of which the nearest to a push along another one makes most beside it, and its share; None where it
    makes nothing along that."""
    from scipy.optimize import lsq_linear

    asked = np.zeros(6)
    asked[axis] = 0.3 * sign
    spread = np.where(high > low, high, low + 1e-12)
    made = scaled.T @ lsq_linear(scaled.T, asked, (low, spread)).x
    if made[axis] * sign <= NOTHING:
        return None
    shares = np.abs(made) / abs(made[axis])
    shares[axis] = 0.0
    worst = int(np.argmax(shares))
    return worst, float(shares[worst])


def lack(one: Command) -> str:
    """The reason why a command makes nothing pure, in words."""
    if one.stray is None:
        return f"nothing {one.words}"
    axis, share = one.stray
    return f"no pure push {one.words}: {100.0 * share:.0f} % of it {STRAYS[AXES[axis]]}"


def cheapest(found: Sequence[tuple[float, Actuator]], centre: Triple, axis: int, sign: int) -> tuple[float, ...] | None:
    """The commands for each N or N m along an axis of AXES, and nothing beside it, that burn least; None where there
    are none. found : with the trim of each. centre : m."""
    return _cheapest(tuple(found), centre, axis, sign)


@functools.lru_cache(maxsize=64)
def _cheapest(
    found: tuple[tuple[float, Actuator], ...], centre: Triple, axis: int, sign: int
) -> tuple[float, ...] | None:
    from scipy.optimize import linprog

    columns = np.array([[gain * value for value in one.about(centre)] for gain, one in found])
    most = np.abs(columns).sum(axis=0)
    if most[axis] <= 0.0:
        return None
    wanted = np.zeros(6)
    wanted[axis] = 0.01 * sign
    scaled = columns / np.where(most > 0.0, most, 1.0)
    cost = np.array([max(one.burns, 1e-12) for _, one in found])
    bounds = [(one.low, one.high) for _, one in found]
    answer = linprog(cost / cost.max(), A_eq=scaled.T, b_eq=wanted, bounds=bounds, method="highs")
    if answer.status != 0 or not np.any(answer.x > 0.0):
        return None
    return tuple(float(one) for one in answer.x / (0.01 * most[axis]))


def weakest(found: Sequence[Command]) -> str:
    """The weakest way of forces and of moments, or those that there are none of, in words."""
    lacks = [one for one in found if one.pure == 0.0]
    if lacks:
        more = f", and {len(lacks) - 1} more ways" if len(lacks) > 1 else ""
        return f"{lack(lacks[0])}{more}"
    least = [
        min((one for one in found if (one.axis < 3) == force), key=lambda one: one.pure) for force in (True, False)
    ]
    return "weakest " + ", ".join(f"{one.words} {show(one.pure, one.unit)}" for one in least)
