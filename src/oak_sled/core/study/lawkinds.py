"""The laws by which hand-written games move and turn things, each as it makes the velocity over a frame of that before.

A law of turning is one of moving along a line: the heading for the place, the turn rate for the velocity.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

STILL = 1e-9
"""m/s below which a velocity has no direction."""
LOST = 1e9
"""m/s beyond which numbers are nonsense: what goes on from there stands still."""

Step = Callable[[complex, complex, float, Sequence[float], float], complex]
"""The velocity over a frame from the one before, the direction ahead, the input, the numbers, and s of a frame."""


def _share(v: complex, d: complex, u: float, n: Sequence[float], dt: float) -> complex:
    return (v + d * (n[0] * u * dt)) * n[1]


def _constant(v: complex, d: complex, u: float, n: Sequence[float], dt: float) -> complex:
    v += d * (n[0] * u * dt)
    size = abs(v)
    return v * (max(size - n[1] * dt, 0.0) / size) if size > STILL else 0j


def _square(v: complex, d: complex, u: float, n: Sequence[float], dt: float) -> complex:
    return (v + d * (n[0] * u * dt)) / (1.0 + n[1] * abs(v) * dt)


def _approach(v: complex, d: complex, u: float, n: Sequence[float], dt: float) -> complex:
    speed = (v * d.conjugate()).real
    by = n[1] * dt
    return d * (speed + min(max(n[0] * u - speed, -by), by))


def _follow(v: complex, d: complex, u: float, n: Sequence[float], dt: float) -> complex:
    speed = (v * d.conjugate()).real
    return d * (speed + (n[0] * u - speed) * n[1])


def _given(v: complex, d: complex, u: float, n: Sequence[float], dt: float) -> complex:
    return d * (n[0] * u)


@dataclass(frozen=True)
class Kind:
    """A law that may be. numbers : name, unit and whether it is a share of a frame. most : the greatest of each."""

    name: str
    says: str
    numbers: tuple[tuple[str, str, bool], ...]
    most: tuple[float, ...]
    step: Step


_PUSH = ("push", "m/s2", False)
DRIVES = (
    Kind(
        "a share kept in each frame", "it is pushed, and keeps a share of its velocity in each frame",
        (_PUSH, ("kept", "", True)), (1e4, 1.0), _share,
    ),
    Kind(
        "a constant deceleration", "it is pushed, and slowed by the same in each second, whatever its speed",
        (_PUSH, ("slowed by", "m/s2", False)), (1e4, 1e4), _constant,
    ),
    Kind(
        "a quadratic drag", "it is pushed, and slowed by the square of its speed",
        (_PUSH, ("drag", "1/m", False)), (1e4, 1e2), _square,
    ),
    Kind(
        "an approach by a rate", "its speed goes to one that the input asks for by so much in each second, and it "
        "moves where it points",
        (("speed", "m/s", False), ("rate", "m/s2", False)), (1e4, 1e5), _approach,
    ),
    Kind(
        "an approach by a share", "its speed goes a share of the way to one that the input asks for in each frame, "
        "and it moves where it points",
        (("speed", "m/s", False), ("share", "", True)), (1e4, 1.0), _follow,
    ),
    Kind(
        "a speed that is set", "its speed is what the input asks for, and it moves where it points",
        (("speed", "m/s", False),), (1e4,), _given,
    ),
)  # fmt: skip


TURNS = (
    Kind("a turn rate that is set", "its turn rate is what the input asks for", (("rate", "rad/s", False),), (1e3,),
          _given),
    Kind(
        "a turn rate by a share", "its turn rate goes a share of the way to what the input asks for in each frame",
        (("rate", "rad/s", False), ("share", "", True)), (1e3, 1.0), _follow,
    ),
    Kind(
        "a turn rate by a rate", "its turn rate goes to what the input asks for by so much in each second",
        (("rate", "rad/s", False), ("gains", "rad/s2", False)), (1e3, 1e5), _approach,
    ),
    Kind("a turn by the way", "it turns by so much in each metre that it goes ahead", (("turn", "rad/m", False),),
          (1e3,), _given),
)  # fmt: skip


HOLDS = {
    "an approach by a share": ("a speed that is set",),
    "an approach by a rate": ("a speed that is set",),
    "a turn rate by a share": ("a turn rate that is set",),
    "a turn rate by a rate": ("a turn rate that is set",),
}
"""Laws that are others with one number at its end: a share of the whole way, a rate without bound."""


def run(
    step: Step,
    ahead: list[complex],
    inputs: list[float],
    begins: complex,
    numbers: list[float],
    dt: float,
    clamps: bool,
) -> Iterator[complex]:
    """The places that a law makes, from the first two frames on, m."""
    most = numbers[-1] if clamps else math.inf
    place, velocity = 0j, begins
    yield place
    place += velocity * dt
    yield place
    for d, u in zip(ahead[2:], inputs[2:], strict=True):
        velocity = step(velocity, d, u, numbers, dt)
        size = abs(velocity)
        if size > most:
            velocity *= most / size
        if size > LOST:
            velocity = 0j
        place += velocity * dt
        yield place
