"""Rays cast over and over, for the benchmark: a call from Python costs more than a ray."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import rays


@compiled
def cast(crafts, scene, supports, nows, times):
    """Casts the rays of all crafts so many times."""
    for _ in range(times):
        rays.cast_all(crafts, scene, supports, nows)
