"""The laws of a tire, each one object: its share of the grip over slip, its peak, its words. A law is an entry of LAWS.

A law is told once, in Python: `tirecurve` samples it into the table that the kernel reads. Adding one: an entry of
LAWS; yard files, the drawn chart, the Laws page and tests follow from it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal, NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.geometry import curve

Share = Callable[[Floats], Floats]
"""The share of a grip over slips, rad or ratio, at least 0."""


class Numbers(NamedTuple):
    """The numbers of a tire in one direction.

    grip : the most, as a share of the load. stiffness : force over load and slip at no slip, 1/rad or per 1 of slip
    ratio. factor, curvature : of the sine of arctangent. knots : of the drawn curve, (slip, share), rad or ratio.
    straight : whether lines join the knots.
    """

    grip: float
    stiffness: float
    factor: float = 1.4
    curvature: float = 0.0
    knots: tuple[tuple[float, float], ...] = ()
    straight: bool = False

    @property
    def steep(self) -> float:
        """Share of the grip over slip, at no slip."""
        return self.stiffness / max(self.grip, 1e-9)


class TireLaw(NamedTuple):
    """A law of tires.

    name : in a yard file. words : on the screen. uses : the numbers of a tire, beside its grip, that change it.
    share : it, for a tire. text : it as a formula of `slip`, which is given the knots of a drawn curve as text.
    peak : the slip, rad or ratio, at which it gives its most; None: searched for. keeps_stiffness : whether less grip
    moves its peak and leaves its slope at no slip. each_tick : whether it takes a share of the slip speed a tick, at
    any slip, and is no law over slip.
    """

    name: str
    words: str
    uses: tuple[str, ...]
    share: Callable[[Numbers], Share]
    text: Callable[[Numbers, str], str]
    peak: Callable[[Numbers], float] | None = None
    keeps_stiffness: bool = True
    each_tick: bool = False


def _linear(of: Numbers) -> Share:
    return lambda slip: np.minimum(of.stiffness * slip / of.grip, 1.0)


def _drawn(of: Numbers) -> Share:
    slips, grips = np.array(of.knots).T
    return lambda slip: curve.through(slips, grips, slip, of.straight)


def _sine(of: Numbers) -> Share:
    """sin(C atan(B s - E (B s - atan(B s)))), B = stiffness / (C grip): Pacejka, Tire and Vehicle Dynamics, 4.3.1."""
    steep = of.stiffness / (of.factor * of.grip)

    def sine(slip: Floats) -> Floats:
        x = steep * slip
        return np.asarray(np.sin(of.factor * np.arctan(x - of.curvature * (x - np.arctan(x)))))

    return sine


def _sine_text(of: Numbers, knots: str) -> str:
    bent = f"{of.steep / of.factor:.6g} * slip"
    if of.curvature:
        bent = f"{bent} - {of.curvature:.6g} * ({bent} - atan({bent}))"
    return f"sin({of.factor:g} * atan({bent}))"


def _brush(of: Numbers) -> Share:
    """1 - (1 - t)^3, t = stiffness s / (3 grip), of bristles that stick until they slide: the same, 3.2.1."""
    return lambda slip: np.asarray(1.0 - (1.0 - np.minimum(of.stiffness * slip / (3.0 * of.grip), 1.0)) ** 3)


LAWS = (
    TireLaw(
        "share",
        "share of the slip speed a tick",
        ("share",),
        lambda of: lambda slip: np.minimum(slip, 1.0),  # its slip is counted by what the grip can take: see `slip.roll`
        lambda of, knots: "1",
        peak=lambda of: 1.0,
        keeps_stiffness=False,
        each_tick=True,
    ),
    TireLaw(
        "linear",
        "linear in slip",
        ("stiffness",),
        _linear,
        lambda of, knots: f"clamp({of.steep:.6g} * slip, 0, 1)",
        peak=lambda of: of.grip / max(of.stiffness, 1e-9),
    ),
    TireLaw(
        "curve",
        "drawn curve",
        ("curve",),
        _drawn,
        lambda of, knots: f"table(slip, {knots})",
        peak=lambda of: max(of.knots, key=lambda knot: knot[1])[0],
        keeps_stiffness=False,
    ),
    TireLaw("sine_arctangent", "sine of arctangent", ("stiffness", "factor", "curvature"), _sine, _sine_text),
    TireLaw(
        "brush",
        "brush",
        ("stiffness",),
        _brush,
        lambda of, knots: f"1 - (1 - min({of.steep / 3.0:.6g} * slip, 1))^3",
        peak=lambda of: 3.0 * of.grip / max(of.stiffness, 1e-9),
    ),
)
"""Every law of tires."""
BY_NAME = {law.name: law for law in LAWS}
INDEX = {law.name: place for place, law in enumerate(LAWS)}

if TYPE_CHECKING:
    Name = str
else:
    Name = Literal[tuple(law.name for law in LAWS)]
"""The name of a law in a yard file."""
