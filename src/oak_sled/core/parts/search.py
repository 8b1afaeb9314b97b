"""Where a law reaches a value, for closed forms of laws that are formulas."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from oak_sled.core.kernel.state import Floats


def crossing(push: Callable[[float], float], load: float, places: Sequence[float] | Floats) -> float | None:
    """Where `push` first reaches a load on the way through some places; None where it never does."""
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
