"""Every quantity of feel: how a craft picks up, coasts, stops, turns, slides, and takes a shove.

Times of the drive are told over the time constant with which it gathers speed, those of turning and of a shove over
the own time of the craft (`Probed.own_time`), speeds over its top speed: so one band fits a sled and an airship. What
does not happen while a probe lasts counts as long as that, so that there is always a number to go by. To add one is to
write a function with `felt` above it in one of the modules here.
"""

from __future__ import annotations

import math

from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.feel import driving, shoved, turning
from oak_sled.core.feel.probes import Probed
from oak_sled.core.feel.quantity import Quantity, declared_in

QUANTITIES = tuple(one for module in (driving, turning, shoved) for one in declared_in(module))
BY_NAME = {one.name: one for one in QUANTITIES}


def known(name: str) -> Quantity:
    """The quantity of that name; raises `Refused` for an unknown one."""
    if name not in BY_NAME:
        raise refuse("quantity", f"there is no {name!r}", close_match(name, BY_NAME))
    return BY_NAME[name]


def read_all(probed: Probed) -> dict[str, float | None]:
    """Every quantity of a craft by its name; None for what its probes do not show."""
    return {one.name: _finite(one.read(probed)) for one in QUANTITIES}


def _finite(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else float(value)
