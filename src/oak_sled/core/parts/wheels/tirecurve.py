"""A law of a tire as the kernel reads it: force over slip, as one shape that is read by its own scale.

A law becomes two things: the slip at which it gives its most, and the share of the most over slip by that scale,
divided by it (so that the slope at no slip is the first value). In that form two directions combine by the friction
ellipse: with n each slip by its own scale and rho the length of both together, F = most * n * shape(rho).
"""

import functools
import math
from collections.abc import Callable

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.parts.wheels import tirelaws
from oak_sled.core.parts.wheels.tirelaws import Numbers, TireLaw

SHARE = tirelaws.INDEX["share"]
KNOTS, BUCKETS = 192, 64
"""Knots of a shape at most, and stretches of equal length by which the knot before a slip is found."""
EVEN = 32
"""Stretches between knots that a shape begins with, before more are put where it bends."""
FINE = 1e-4
"""Share of its most by which a law may differ from its shape between two knots, while there are knots left."""
SAMPLES = 1 + BUCKETS + 2 * KNOTS
"""Numbers of a shape: its bend c, for each bucket the knot at or before it, the knots, and the values there. Knots
stand over u = n / (c + n), n the slip by its scale, from 0 to 1; at a jump of the law there are two at one place."""
MOST_SHARE = 10.0
"""Times the grip that a formula may give."""
STEEPEST = math.tan(math.radians(89.9))


class SlipKnot(Frozen):
    """A point of a curve over slip ratio: share of the grip."""

    slip: float = dial(0.0, "", "slip ratio", low=0.0, high=10.0)
    grip: float = dial(0.0, "", "share of the grip", low=0.0, high=3.0)


ALONG_CURVE = tuple(
    SlipKnot(slip=slip, grip=grip) for slip, grip in ((0, 0), (0.05, 0.8), (0.1, 1.0), (0.3, 0.85), (1, 0.7))
)


PRESETS = {
    "firm ground, a clear peak": ((0.0, 0.0), (0.05, 0.8), (0.1, 1.0), (0.3, 0.85), (1.0, 0.7)),
    "ice, early and flat": ((0.0, 0.0), (0.03, 0.9), (0.06, 1.0), (0.3, 0.9), (1.0, 0.85)),
    "snow, digs in": ((0.0, 0.0), (0.1, 0.5), (0.3, 0.8), (1.0, 1.0)),
}
"""Curves to begin with."""


@functools.lru_cache(maxsize=256)
def shape(name: str, numbers: Numbers, is_angle: bool) -> tuple[float, float, Floats]:
    """The slip at which a law gives its most, that most over the grip, and its shape, shape (SAMPLES,).

    is_angle : whether the slip is the tangent of an angle, of which the law tells the force; else it is a slip ratio.
    """
    law, numbers = tirelaws.BY_NAME[name], numbers._replace(grip=max(numbers.grip, 1e-9))
    share = law.share(numbers)
    scale = _most_at(law, numbers, share, is_angle)
    most = max(knot[1] for knot in numbers.knots) if name == "curve" else 1.0
    return scale, most, _sampled(share, scale, most, is_angle)


def shape_of(share: Callable[[Floats], Floats], is_angle: bool) -> tuple[float, float, Floats]:
    """The same of any share of the grip over slip, rad or ratio, held to 0 to MOST_SHARE; its shape is (SAMPLES,)."""
    slips = np.linspace(0.0, 1.0, 1001)[1:] ** 3 * _top(is_angle)
    shares = np.clip(share(slips), 0.0, MOST_SHARE)
    most, found = float(shares.max()), float(slips[int(np.argmax(shares))])
    if most <= 0.0:
        return 1.0, 0.0, _packed(1.0, np.array([0.0, 1.0]), np.zeros(2))
    scale = min(math.tan(found), STEEPEST) if is_angle else found
    return scale, most, _sampled(lambda slip: np.clip(share(slip), 0.0, MOST_SHARE), scale, most, is_angle)


def _top(is_angle: bool) -> float:
    return math.radians(90.0) if is_angle else 10.0


def _sampled(share: Callable[[Floats], Floats], scale: float, most: float, is_angle: bool) -> Floats:
    """The numbers of a shape: see SAMPLES. Knots are put where the law bends, and on both sides of where it jumps."""
    bend = _bend(share, scale, most, is_angle)

    def force(u: Floats) -> Floats:
        """The law over u, as a share of its most, in the shape of `u`."""
        n = np.maximum(bend * u / (1.0 - u), 1e-7)
        slip = np.arctan(n * scale) if is_angle else n * scale
        return np.asarray(share(np.minimum(slip, _top(is_angle))) / most)

    def value(u: Floats) -> Floats:
        """The shape over u: the law divided by n."""
        return np.asarray(force(u) / np.maximum(bend * u / (1.0 - u), 1e-7))

    u = np.linspace(0.0, 1.0, EVEN + 1)[:-1]
    v = value(u)
    while len(u) < KNOTS - 1:
        ends, last = np.append(u, 1.0), np.append(v, 0.0)
        inner = ends[:-1, None] + np.diff(ends)[:, None] * np.array([0.25, 0.5, 0.75])
        true = force(inner.reshape(-1)).reshape(inner.shape)
        part = np.array([0.25, 0.5, 0.75])
        between = last[:-1, None] + np.diff(last)[:, None] * part
        wrong = np.max(np.abs(between * bend * inner / (1.0 - inner) - true), axis=1)
        wrong[np.diff(ends) < 1e-9] = 0.0
        place = np.argsort(-wrong, kind="stable")[: min(16, KNOTS - 1 - len(u))]
        place = place[wrong[place] > FINE]
        if not len(place):
            break
        more = np.concatenate([_where_to_cut(force, ends[k], ends[k + 1]) for k in place.tolist()])
        u = np.unique(np.concatenate([u, more[: KNOTS - 1 - len(u)]]))
        v = value(u)
    return _packed(bend, np.append(u, 1.0), np.append(v, 0.0))


def _where_to_cut(force: Callable[[Floats], Floats], low: float, high: float) -> Floats:
    """Places of more knots in a stretch of a law: its middle, or both sides of its jump, if it has one."""
    left, right = low, high
    before, after = (float(one) for one in force(np.array([low, min(high, 1.0 - 1e-12)])))
    if abs(after - before) > 0.01:
        a, b, x, y = low, min(high, 1.0 - 1e-12), before, after
        for _ in range(36):
            middle = 0.5 * (a + b)
            found = float(force(np.array([middle]))[0])
            a, b, x, y = (middle, b, found, y) if abs(found - x) < abs(found - y) else (a, middle, x, found)
        if abs(y - x) > 0.5 * abs(after - before):
            return np.array([a, b])
    return np.array([0.5 * (left + right)])


def _bend(share: Callable[[Floats], Floats], scale: float, most: float, is_angle: bool) -> float:
    """By what slip the knots are spread, counted by its scale: 1 for a law with a clear peak; less where most of the
    grip is there long before, as where it only comes nearer to it up to a right angle."""
    n = np.geomspace(1e-6, 1.0, 241)
    slip = np.arctan(n * scale) if is_angle else n * scale
    half = np.flatnonzero(share(np.minimum(slip, _top(is_angle))) >= 0.5 * most)
    reached = float(n[half[0]]) if len(half) else 1.0
    return 1.0 if reached > 0.1 else 2.0 * reached


def _packed(bend: float, u: Floats, v: Floats) -> Floats:
    """The numbers of a shape from its knots."""
    found = np.zeros(SAMPLES)
    first, count = 1 + BUCKETS, len(u)
    found[0] = bend
    found[1:first] = np.maximum(np.searchsorted(u, np.arange(BUCKETS) / BUCKETS, side="right") - 1, 0)
    found[first : first + KNOTS] = 1.0
    found[first : first + count] = u
    found[first + KNOTS : first + KNOTS + count] = v
    found.flags.writeable = False  # shared by every run of this law
    return found


def read(table: Floats, n: Floats) -> Floats:
    """A shape at slips of `n` scales, as `at` reads it."""
    u = n / (table[0] + n)
    first = 1 + BUCKETS
    return np.asarray(np.interp(u, table[first : first + KNOTS], table[first + KNOTS :]))


def _most_at(law: TireLaw, numbers: Numbers, share: tirelaws.Share, is_angle: bool) -> float:
    """The slip at which a law gives its most; as the tangent where it is an angle."""
    if law.each_tick:
        return 1.0
    top = _top(is_angle)
    if law.peak is None:
        slips = np.linspace(0.0, 1.0, 4001)[1:] ** 3 * top
        found = float(slips[int(np.argmax(share(slips)))])
    else:
        found = law.peak(numbers)
    found = min(max(found, 1e-4), top)
    return min(math.tan(found), STEEPEST) if is_angle else found


@compiled
def at(table, n):
    """A shape at a slip of `n` scales, n >= 0: linear between its knots."""
    u = n / (table[0] + n)
    k = 1 + BUCKETS + int(table[1 + min(int(BUCKETS * u), BUCKETS - 1)])
    while table[k + 1] < u:
        k += 1
    low, high = table[k + KNOTS], table[k + 1 + KNOTS]
    return low + (high - low) * (u - table[k]) / max(table[k + 1] - table[k], 1e-300)
