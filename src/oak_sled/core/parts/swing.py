"""A mass on a spring with a damper: its rate, its damping ratio, what they mean, and what a tick can hold."""

import math
from typing import NamedTuple, Self

from oak_sled.core.base.units import show


class Swing(NamedTuple):
    """rate : rad/s, undamped. share : of critical damping."""

    rate: float
    share: float

    @classmethod
    def of(cls, spring: float, damper: float, mass: float) -> Self:
        """That of m x'' = -k x - c x': w = sqrt(k / m), z = c / (2 sqrt(k m)); k above 0. Any text on vibrations."""
        return cls(math.sqrt(spring / mass), damper / (2.0 * math.sqrt(spring * mass)))

    def words(self) -> str:
        """The bounce in words: its frequency, and the time until it has died to 2 %."""
        if self.share <= 0.0:
            return "without end"
        if self.share >= 1.0:
            slow = self.rate * (self.share - math.sqrt(self.share * self.share - 1.0))
            return f"settles without a bounce in {show(math.log(50.0) / slow, 's')}"
        times = math.log(50.0) * math.sqrt(1.0 - self.share * self.share) / (self.share * math.tau)
        return f"{times:.1f} times, still after {show(math.log(50.0) / (self.share * self.rate), 's')}"


class Limit(NamedTuple):
    """The stiffest spring beside the damper that is there, the strongest damper beside the spring, and whether the
    spring is the greater cause."""

    spring: float
    damper: float
    by_spring: bool


def overshoot(spring: float, damper: float, mass: float, dt: float) -> Limit | None:
    """The remedy where spring and damper make a bounce grow from tick to tick; None where they do not.

    Semi-implicit Euler of m x'' = -k x - c x' is stable while k dt2 + 2 c dt < 4 m (its characteristic polynomial, by
    Jury's test).
    """
    if spring * dt * dt + 2.0 * damper * dt < 4.0 * mass:
        return None
    return Limit(
        max(4.0 * mass / dt**2 - 2.0 * damper / dt, 0.0),
        max(2.0 * mass / dt - 0.5 * spring * dt, 0.0),
        spring * dt > 2.0 * damper,
    )
