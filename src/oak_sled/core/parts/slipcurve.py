"""A curve of grip over slip angle: its knots as a document, and its samples for the kernel."""

import functools
import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen
from oak_sled.core.geometry import curve

SAMPLES = 181
"""Samples over slip angle, 0 to 90 degrees, half a degree apart."""
STEPS_A_RADIAN = 2.0 * 180.0 / math.pi


class GripKnot(Frozen):
    """A point of a grip curve: share of the side grip at a slip angle."""

    slip_deg: float = dial(0.0, "°", "slip angle", low=0.0, high=90.0)
    grip: float = dial(0.0, "", "factor on the lateral friction coefficient", low=0.0, high=3.0)


DEFAULT_CURVE = tuple(
    GripKnot(slip_deg=slip, grip=grip) for slip, grip in ((0, 0), (4, 0.72), (8, 1.0), (14, 0.94), (30, 0.8), (90, 0.7))
)


PRESETS = {
    "a firm edge, a clear peak": ((0.0, 0.0), (4.0, 0.72), (8.0, 1.0), (14.0, 0.94), (30.0, 0.8), (90.0, 0.7)),
    "soft, forgiving": ((0.0, 0.0), (8.0, 0.6), (16.0, 0.95), (24.0, 1.0), (45.0, 0.95), (90.0, 0.9)),
    "sharp, lets go at once": ((0.0, 0.0), (3.0, 0.8), (5.0, 1.0), (8.0, 0.7), (20.0, 0.5), (90.0, 0.45)),
    "sand and snow, still rising": ((0.0, 0.0), (10.0, 0.4), (25.0, 0.75), (50.0, 0.95), (90.0, 1.0)),
}
"""Curves to begin with: the shapes by which tires and edges on firm and loose ground differ."""


@functools.lru_cache(maxsize=64)
def sampled(knots: tuple[tuple[float, float], ...], straight: bool = False) -> Floats:
    """The curve through knots (degrees, share) at SAMPLES slip angles, shape (SAMPLES,). straight : whether lines join
    them."""
    slips, grips = np.array(knots).T
    at = np.clip(np.linspace(0.0, 90.0, SAMPLES), slips[0], slips[-1])
    sampled = curve.through(slips, grips, at, straight)
    sampled.flags.writeable = False  # shared by every run of this curve
    return sampled
