"""The laws of a tire: force over slip, as one shape that is read by its own scale.

A law becomes two things: the slip at which it gives its most, and the share of the most over slip by that scale,
divided by it (so that the slope at no slip is the first value). In that form two directions combine by the friction
ellipse: with n each slip by its own scale and rho the length of both together, F = most * n * shape(rho).
"""

import functools
import math
from collections.abc import Callable
from typing import Literal

import numpy as np

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.documents.dial import dial
from oak_sled.core.documents.document import Frozen
from oak_sled.core.geometry import curve
from oak_sled.core.kernel.state import Floats

Law = Literal["share", "linear", "curve", "sine_arctangent", "brush"]
SHARE, LINEAR, CURVE, SINE_ARCTANGENT, BRUSH = range(5)
LAW_WORDS: dict[str, str] = {
    "share": "share of the slip speed a tick",
    "linear": "linear in slip",
    "curve": "drawn curve",
    "sine_arctangent": "sine of arctangent",
    "brush": "brush",
}
STEPS = 128
SAMPLES = STEPS + 1
"""Samples of a shape over n / (1 + n), n the slip by its scale: evenly from no slip to all of it."""
MOST_SHARE = 10.0
"""Times the grip that a formula may give."""
STEEPEST = math.tan(math.radians(89.9))


class SlipKnot(Frozen):
    """A point of a curve over slip ratio: share of the grip."""

    slip: float = dial(0.0, "", "slip ratio", low=0.0, high=10.0)
    grip: float = dial(0.0, "", "share of the grip", low=0.0, high=3.0)


ALONG_CURVE = tuple(
    SlipKnot(slip=slip, grip=grip) for slip, grip in ((0, 0), (0.05, 0.8), (0.1, 1.0), (0.3, 0.85), (1, 0.7))
)


PRESETS = {
    "firm ground, a clear peak": ((0.0, 0.0), (0.05, 0.8), (0.1, 1.0), (0.3, 0.85), (1.0, 0.7)),
    "ice, early and flat": ((0.0, 0.0), (0.03, 0.9), (0.06, 1.0), (0.3, 0.9), (1.0, 0.85)),
    "snow, digs in": ((0.0, 0.0), (0.1, 0.5), (0.3, 0.8), (1.0, 1.0)),
}
"""Curves to begin with."""


@functools.lru_cache(maxsize=256)
def shape(
    law: Law, grip: float, stiffness: float, factor: float, curvature: float, knots: tuple[tuple[float, float], ...],
    is_angle: bool, straight: bool = False,
) -> tuple[float, float, Floats]:  # fmt: skip
    """The slip at which a law gives its most, that most over the grip, and its shape, shape (SAMPLES,).

    grip : the most, as a share of the load. stiffness : force over load and slip at no slip, 1/rad or per 1 of slip
    ratio. factor, curvature : of the sine of arctangent. knots : of the drawn curve, (slip, share). is_angle : whether
    the slip is the tangent of an angle, of which the law tells the force; else it is a slip ratio. straight : whether
    lines join the knots of a drawn curve.

    sine_arctangent : D sin(C atan(B s - E (B s - atan(B s)))), D the grip, B = stiffness / (C D) (Pacejka, Tire and
    Vehicle Dynamics, section 4.3.1). brush : a row of bristles that stick until they slide, D (1 - (1 - t)^3) with
    t = stiffness s / (3 D), D past t = 1 (same, section 3.2.1).
    """
    top = _top(is_angle)
    share = _law(law, max(grip, 1e-9), stiffness, factor, curvature, knots, straight)
    scale = _most_at(law, share, max(grip, 1e-9), stiffness, knots, top, is_angle)
    most = max(knot[1] for knot in knots) if law == "curve" else 1.0
    return scale, most, _sampled(share, scale, most, is_angle)


def shape_of(share: Callable[[Floats], Floats], is_angle: bool) -> tuple[float, float, Floats]:
    """The same of any share of the grip over slip, rad or ratio, held to 0 to MOST_SHARE."""
    slips = np.linspace(0.0, 1.0, 1001)[1:] ** 3 * _top(is_angle)
    shares = np.clip(share(slips), 0.0, MOST_SHARE)
    most, found = float(shares.max()), float(slips[int(np.argmax(shares))])
    if most <= 0.0:
        return 1.0, 0.0, np.zeros(SAMPLES)
    scale = min(math.tan(found), STEEPEST) if is_angle else found
    return scale, most, _sampled(lambda slip: np.clip(share(slip), 0.0, MOST_SHARE), scale, most, is_angle)


def _top(is_angle: bool) -> float:
    return math.radians(90.0) if is_angle else 10.0


def _sampled(share: Callable[[Floats], Floats], scale: float, most: float, is_angle: bool) -> Floats:
    u = np.linspace(0.0, 1.0, SAMPLES)[:-1]
    n = np.maximum(u / (1.0 - u), 1e-7)
    slip = np.arctan(n * scale) if is_angle else n * scale
    found = np.append(share(np.minimum(slip, _top(is_angle))) / (most * n), 0.0)
    found.flags.writeable = False  # shared by every run of this law
    return found


def _law(
    law: Law, grip: float, stiffness: float, factor: float, curvature: float, knots: tuple[tuple[float, float], ...],
    straight: bool,
) -> Callable[[Floats], Floats]:  # fmt: skip
    """The share of the grip over slip, rad or ratio."""
    if law == "sine_arctangent":
        steep = stiffness / (factor * grip)

        def sine(slip: Floats) -> Floats:
            x = steep * slip
            return np.asarray(np.sin(factor * np.arctan(x - curvature * (x - np.arctan(x)))))

        return sine
    if law == "brush":
        return lambda slip: np.asarray(1.0 - (1.0 - np.minimum(stiffness * slip / (3.0 * grip), 1.0)) ** 3)
    if law == "curve":
        slips, grips = np.array(knots).T
        return lambda slip: curve.through(slips, grips, slip, straight)
    if law == "share":  # its slip is counted by what the grip can take: see `slip.roll`
        return lambda slip: np.minimum(slip, 1.0)
    return lambda slip: np.minimum(stiffness * slip / grip, 1.0)


def _most_at(
    law: Law, share: Callable[[Floats], Floats], grip: float, stiffness: float,
    knots: tuple[tuple[float, float], ...], top: float, is_angle: bool,
) -> float:  # fmt: skip
    """The slip at which a law gives its most; as the tangent where it is an angle."""
    if law == "share":
        return 1.0
    if law == "linear":
        found = grip / max(stiffness, 1e-9)
    elif law == "brush":
        found = 3.0 * grip / max(stiffness, 1e-9)
    elif law == "curve":
        found = max(knots, key=lambda knot: knot[1])[0]
    else:
        slips = np.linspace(0.0, 1.0, 4001)[1:] ** 3 * top
        found = float(slips[int(np.argmax(share(slips)))])
    found = min(max(found, 1e-4), top)
    return min(math.tan(found), STEEPEST) if is_angle else found


@compiled
def at(table, n):
    """A shape at a slip of `n` scales, n >= 0."""
    place = STEPS * (n / (1.0 + n))
    k = min(int(place), STEPS - 1)
    part = place - k
    return table[k] + part * (table[k + 1] - table[k])
