"""Grip of a tire by a formula of the user: its shape, and whether it holds at every slip."""

import functools
import math
from typing import Any

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.formulas.code import Code
from oak_sled.core.formulas.parsed import Written
from oak_sled.core.formulas.place import Place
from oak_sled.core.parts.wheels import tirecurve


@functools.lru_cache(maxsize=64)
def _shape_of(code: Code, numbers: tuple[tuple[str, float], ...], place: Place, is_angle: bool) -> Any:
    return tirecurve.shape_of(Written(place, code, dict(numbers)).over, is_angle)


def written_shape(written: Written, is_angle: bool) -> tuple[float, float, Floats]:
    """The shape of a formula of the share of a grip: see `tirecurve.shape_of`."""
    numbers = tuple((name, written.numbers[name]) for name in written.code.names)
    found: tuple[float, float, Floats] = _shape_of(written.code, numbers, written.place, is_angle)
    return found


def wrong_slip(written: Written, is_angle: bool) -> float | None:
    """The first slip of a chart, rad or ratio, at which a formula is no finite number; None where it always is one."""
    slips = np.linspace(0.0, math.radians(90.0) if is_angle else 3.0, 181)
    wrong = ~np.isfinite([written.value(float(slip)) for slip in slips])
    return float(slips[int(np.argmax(wrong))]) if wrong.any() else None
