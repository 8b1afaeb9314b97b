"""A curve of grip over slip angle: its knots as a document, and its samples for the kernel."""

from __future__ import annotations

import functools
import math

import numpy as np

from oak_sled.core.documents.dial import dial
from oak_sled.core.documents.document import Frozen
from oak_sled.core.geometry import curve
from oak_sled.core.kernel.state import Floats

SAMPLES = 181
"""Samples over slip angle, 0 to 90 degrees, half a degree apart."""
STEP = math.radians(0.5)


class Knot(Frozen):
    """A point of a grip curve: share of the side grip at a slip angle."""

    slip_deg: float = dial(0.0, "°", "slip angle", low=0.0, high=90.0)
    grip: float = dial(0.0, "", "share of the side grip", low=0.0, high=3.0)


DEFAULT_CURVE = tuple(
    Knot(slip_deg=slip, grip=grip) for slip, grip in ((0, 0), (4, 0.72), (8, 1.0), (14, 0.94), (30, 0.8), (90, 0.7))
)


@functools.lru_cache(maxsize=64)
def sampled(knots: tuple[tuple[float, float], ...]) -> Floats:
    """The curve through knots (degrees, share) at SAMPLES slip angles, shape (SAMPLES,)."""
    slips, grips = np.array(knots).T
    at = np.clip(np.linspace(0.0, 90.0, SAMPLES), slips[0], slips[-1])
    sampled = curve.monotone(slips, grips, at)
    sampled.flags.writeable = False  # shared by every run of this curve
    return sampled
