"""Search for the place where a law reaches a value, for closed forms of laws that are formulas."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from oak_sled.core.base.arrays import Floats


def crossing(push: Callable[[float], float], load: float, places: Sequence[float] | Floats) -> float | None:
    """The place where `push` first reaches a load on the way through some places, shape (n,); None if it never does."""
    before = float(places[0])
    for after in places[1:]:
        if push(float(after)) >= load:
            low, high = before, float(after)
            for _ in range(50):
                middle = 0.5 * (low + high)
                low, high = (low, middle) if push(middle) >= load else (middle, high)
            return high
        before = float(after)
    return None


def area(push: Callable[[float], float], first: float, last: float) -> float:
    """The integral of a law from one place to another, by Simpson's rule over 64 steps."""
    places = np.linspace(first, last, 65)
    values = np.array([push(float(place)) for place in places])
    weights = np.ones(65)
    weights[1:-1:2], weights[2:-1:2] = 4.0, 2.0
    return float(np.dot(weights, values)) * (last - first) / 64.0 / 3.0
