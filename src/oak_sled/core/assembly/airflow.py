"""The wind of a ground at many places, as its parts meet it."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import groundrows
from oak_sled.core.base.arrays import Floats
from oak_sled.core.kernel import environment
from oak_sled.core.yard.ground import Ground


class Airflow:
    """The air of a ground."""

    def __init__(self, ground: Ground):
        self._ground = groundrows.ground_record(ground)

    def at(self, places: Floats, time: float) -> Floats:
        """m/s of the wind, shape (n, 3), at places in m, shape (n, 3), and a time in s."""
        found = np.empty_like(places, dtype=float)
        self._ground["time"] = time
        environment.sample(self._ground[0], np.ascontiguousarray(places, dtype=float), found)
        return found


def blows(ground: Ground) -> bool:
    """True if there is wind anywhere on a ground."""
    return ground.wind_speed > 0.0 or any(one.does == "wind" for one in ground.volumes)
