"""Outlook and caution that all parts share which burn the fuel of tanks."""

import math
from collections.abc import Iterator

from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import Setting


def velocity_change(exhaust: float, setting: Setting) -> float:
    """m/s that all fuel of a craft gives it, burnt at an exhaust speed, m/s: the rocket equation."""
    return exhaust * math.log(setting.mass / max(setting.mass - setting.fuel, 1e-9))


def no_fuel(part: Part, exhaust: float, setting: Setting) -> Iterator[Caution]:
    """The caution of a part with an exhaust speed, m/s, that burns fuel, where its craft has no tank with any."""
    if exhaust > 0.0 and setting.fuel <= 0.0:
        yield part.caution(
            "no_fuel", "exhaust", "it burns fuel, and its craft has no tank with any",
            "fit a tank, or an exhaust speed of 0, which burns nothing", "burn nothing", {"exhaust": 0.0},
        )  # fmt: skip
