"""How many cases are tried at random: a few in `make test`, many times as many in `make hostile`."""

from __future__ import annotations

import os

from hypothesis import HealthCheck, settings

MORE = int(os.environ.get("OAK_SLED_HOSTILE", "1"))
"""Times as many cases as in `make test`."""


def times(count: int) -> int:
    """So many cases, or more of them."""
    return count * MORE


def CALM(count: int) -> settings:
    """Settings of a test at random: the same cases each time where they are few."""
    return settings(
        max_examples=times(count), deadline=None, derandomize=MORE == 1, suppress_health_check=list(HealthCheck)
    )
