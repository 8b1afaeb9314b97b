"""Bounded least squares with slopes from differences: Levenberg and Marquardt's step, kept within bounds (any text on
numerical optimisation). What asks for it says in which units its numbers are counted."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oak_sled.core.base.arrays import Floats

Residuals = Callable[[Floats], Floats | None]
"""Residuals at a place, shape (n,); None where there are none."""
Slopes = Callable[[Floats, Floats], Floats]
"""Slopes of the residuals at a place where they are known, shape (n, m)."""
FIRST_DAMPING, MOST_DAMPING = 1e-3, 1e9
LEAST_GAIN = 1e-9
"""Share of what is left below which a step is the last one."""


def descend(
    first: Floats,
    bounds: tuple[Floats, Floats],
    residuals: Residuals,
    slopes: Slopes,
    most: int,
    least_gain: float = LEAST_GAIN,
    enough: float = 0.0,
    most_damping: float = MOST_DAMPING,
) -> tuple[Floats, Floats]:
    """The place with the least sum of squares that is found from `first`, shape (m,), and the residuals there.

    bounds : least and greatest place, shape (m,) each. most : steps. least_gain : share of the sum that a step must
    gain to be followed by another. enough : sum at which it ends. most_damping : at which it gives a step up.
    """
    low, high = bounds
    at, damping = np.clip(first, low, high), FIRST_DAMPING
    found = residuals(at)
    if found is None:
        raise ValueError("there are no residuals where the search begins")
    now = found
    for _ in range(most):
        if float(now @ now) <= enough:
            break
        turned = slopes(at, now)
        free = ~((at <= low) & (turned.T @ now > 0.0)) & ~((at >= high) & (turned.T @ now < 0.0))
        if not free.any():
            break
        normal, push = turned[:, free].T @ turned[:, free], turned[:, free].T @ now
        gained = 0.0
        while damping < most_damping:
            step = np.zeros(len(at))
            step[free] = np.linalg.solve(normal + damping * np.diag(np.maximum(np.diag(normal), 1e-12)), -push)
            tried = np.clip(at + step, low, high)
            other = residuals(tried)
            if other is not None and other @ other < now @ now:
                gained = 1.0 - float(other @ other) / max(float(now @ now), 1e-300)
                at, now, damping = tried, other, damping / 5.0
                break
            damping *= 4.0
        if gained < least_gain:
            break
    return at, now


def telling(slopes: Floats, most: int, least: float) -> list[int]:
    """The numbers that tell most and that are not told by the others: the next one is always that whose slope is
    farthest from what those before it span (pivoted Gram-Schmidt, any text on numerics).

    slopes : shape (n, m). most : how many. least : share of the longest slope below which nothing is left to tell.
    """
    chosen: list[int] = []
    left = slopes.copy()
    largest = float(np.linalg.norm(slopes, axis=0).max(initial=0.0))
    while len(chosen) < min(most, slopes.shape[1]):
        size = np.linalg.norm(left, axis=0)
        best = int(np.argmax(size))
        if size[best] <= least * largest or size[best] == 0.0:
            break
        chosen.append(best)
        way = left[:, best] / size[best]
        left = left - np.outer(way, way @ left)
    return chosen
