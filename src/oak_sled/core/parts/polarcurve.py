"""Drawn lift and drag of a wing over its angle of attack: their knots, closed forms outside the kernel, and samples.

What is drawn is that of the whole wing, with the induced drag of its span. It holds from the first knot of the lift to
the last, where drag stays that of its own end past it; beyond, a flat plate is joined as `airfoil` joins one beyond the
stall. A control surface moves the curve: by its effect along the angle, and its share of the stall along the slope at
no lift.
"""

import functools
import itertools
import math
from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.geometry import curve
from oak_sled.core.parts.airfoil import BACKWARD, Polar
from oak_sled.core.parts.curvefield import CurveField, Points

SAMPLES = 241
"""Samples of a curve from its first knot to its last, evenly: a third of a degree of 80."""
MOST_EDGE = math.radians(80.0)
"""rad from no lift at which the flat plate is joined at the latest."""
MOST_DEG = 70.0
"""Degrees of angle of attack to which a curve is drawn."""
NEAR_NO_LIFT = math.radians(2.0)
"""rad to both sides of no lift over which its slope is told."""


class LiftKnot(Frozen):
    """A point of a drawn lift curve."""

    angle_deg: float = dial(0.0, "°", "angle of attack", low=-MOST_DEG, high=MOST_DEG)
    lift: float = dial(0.0, "", "lift coefficient of the whole wing", low=-5.0, high=5.0)


class DragKnot(Frozen):
    """A point of a drawn drag curve."""

    angle_deg: float = dial(0.0, "°", "angle of attack", low=-MOST_DEG, high=MOST_DEG)
    drag: float = dial(0.0, "", "drag coefficient of the whole wing", low=0.0, high=5.0)


LIFT_POINTS: Points = ((-16, -0.7), (-12, -0.85), (-2, 0.0), (8, 0.85), (12, 1.12), (15, 1.2), (18, 1.12), (25, 0.85))
DRAG_POINTS: Points = ((-16, 0.16), (-12, 0.06), (-2, 0.014), (2, 0.018), (8, 0.05), (15, 0.13), (18, 0.2), (25, 0.45))
LIFT_CURVE = tuple(LiftKnot(angle_deg=angle, lift=lift) for angle, lift in LIFT_POINTS)
DRAG_CURVE = tuple(DragKnot(angle_deg=angle, drag=drag) for angle, drag in DRAG_POINTS)
LIFT = CurveField(
    "lift_curve", "lift coefficient over angle of attack", "angle_deg", "lift", "°", 30.0,
    {
        "bent section, soft stall": LIFT_POINTS,
        "straight section, sharp stall": ((-20, -0.5), (-14, -0.6), (-11, -1.0), (-8, -0.78), (0, 0.0), (8, 0.78),
                                          (11, 1.0), (14, 0.6), (20, 0.5)),
        "slender, vortex lift": ((-35, -1.3), (-25, -1.1), (0, 0.0), (10, 0.38), (25, 1.1), (35, 1.3), (45, 1.1)),
        "flat plate": ((-40, -0.75), (-10, -0.7), (-7, -0.55), (7, 0.55), (10, 0.7), (40, 0.75)),
    },
    low=-30.0, least=-5.0, full=0.5,
)  # fmt: skip
DRAG = CurveField(
    "drag_curve", "drag coefficient over angle of attack", "angle_deg", "drag", "°", 30.0,
    {
        "bent section, soft stall": DRAG_POINTS,
        "straight section, sharp stall": ((-20, 0.3), (-14, 0.18), (-11, 0.07), (0, 0.01), (11, 0.07), (14, 0.18),
                                          (20, 0.3)),
        "slender, vortex lift": ((-35, 0.95), (-25, 0.55), (0, 0.012), (10, 0.08), (25, 0.55), (35, 0.95), (45, 1.15)),
        "flat plate": ((-40, 0.75), (-10, 0.14), (0, 0.02), (10, 0.14), (40, 0.75)),
    },
    low=-30.0, least=0.0, full=0.2,
)  # fmt: skip


class DrawnPolar(NamedTuple):
    """Drawn lift and drag, with the numbers of `airfoil.Polar` that follow from them. Angles from that of no lift."""

    slope: float
    stall: float
    soft: float
    friction: float
    induced: float
    broadside: float
    no_lift: float
    """rad of angle of attack."""
    under: float
    """rad below no lift at which it stalls upside down, >= 0."""
    first: float
    last: float
    """rad from no lift, of the first and the last sample."""
    lifts: Floats
    drags: Floats

    @staticmethod
    def of(lift: Points, drag: Points, straight: tuple[bool, bool], induced: float, broadside: float) -> "DrawnPolar":
        """That through knots of lift and of drag over degrees of angle of attack. straight : whether lines join them.
        induced : drag for each lift squared of its span. broadside : drag across the flow."""
        return _drawn(lift, drag, straight, induced, broadside)

    def lift(self, angle: float) -> float:
        """Lift coefficient at rad from no lift."""
        return float(self._at(angle)[0])

    def drag(self, angle: float) -> float:
        """Drag coefficient at rad from no lift."""
        return float(self._at(angle)[1])

    def _at(self, angle: float) -> tuple[float, float]:
        found = drawn_lift_and_drag(
            self.lifts, self.drags, self.first, self.last, self.slope, self.broadside, angle, 0.0
        )
        return float(found[0]), float(found[1])

    @property
    def most_lift(self) -> float:
        """The greatest lift coefficient that is drawn."""
        return max(float(self.lifts.max()), 0.0)

    @property
    def best_glide(self) -> tuple[float, float]:
        """The greatest lift over drag, and the lift coefficient there."""
        best = int(np.argmax(self.lifts / np.maximum(self.drags, 1e-9)))
        return float(self.lifts[best] / max(self.drags[best], 1e-9)), float(self.lifts[best])

    def drag_of(self, lift: float) -> float:
        """Drag coefficient with a lift coefficient before the stall, less the least one."""
        angles = np.linspace(self.first, self.last, SAMPLES)
        rising = (angles >= -self.under) & (angles <= self.stall)
        order = np.argsort(self.lifts[rising])
        return float(np.interp(lift, self.lifts[rising][order], self.drags[rising][order])) - self.friction


@functools.lru_cache(maxsize=64)
def _drawn(lift: Points, drag: Points, straight: tuple[bool, bool], induced: float, broadside: float) -> DrawnPolar:
    (x, y), (u, v) = np.array(lift, dtype=float).T, np.array(drag, dtype=float).T
    at = np.linspace(x[0], x[-1], SAMPLES)
    lifts = curve.through(x, y, at, straight[0])
    drags = np.maximum(curve.through(u, v, at, straight[1]), 0.0)
    angles = np.radians(at)
    no_lift = _crossing(angles, lifts)
    near = np.clip([no_lift - NEAR_NO_LIFT, no_lift + NEAR_NO_LIFT], angles[0], angles[-1])
    ends = np.interp(near, angles, lifts)
    slope = max(float(np.diff(ends)[0] / np.diff(near)[0]), 0.0) if near[1] > near[0] else 0.0
    stall = max(float(angles[int(np.argmax(lifts))]) - no_lift, 1e-3)
    under = max(no_lift - float(angles[int(np.argmin(lifts))]), 1e-3)
    most = max(float(lifts.max()), 0.0)
    soft = min(max(2.0 * (stall - most / slope), 0.0), stall) if slope > 0.0 else 0.0
    for made in (lifts, drags):
        made.flags.writeable = False  # shared by every run of this curve
    return DrawnPolar(
        slope, stall, soft, float(drags.min()), induced, broadside, no_lift, under, float(angles[0]) - no_lift,
        float(angles[-1]) - no_lift, lifts, drags,
    )  # fmt: skip


def _crossing(angles: Floats, lifts: Floats) -> float:
    """The angle nearest to 0 at which lift rises through none."""
    rises = np.flatnonzero((lifts[:-1] <= 0.0) & (lifts[1:] > 0.0))
    k = int(rises[np.argmin(np.abs(angles[rises]))])
    share = -lifts[k] / (lifts[k + 1] - lifts[k])
    return float(angles[k] + share * (angles[k + 1] - angles[k]))


def drawn_as(polar: Polar, no_lift_deg: float) -> tuple[Points, Points]:
    """Knots of lift and of drag, degrees of angle of attack, that follow a closed form to ten degrees past its stall on
    both sides. no_lift_deg : its angle of attack without lift."""
    stall, soft = math.degrees(polar.stall), math.degrees(polar.soft)
    round_off = [stall - soft, stall - 0.5 * soft] if soft > 0.0 else [0.6 * stall, stall - 0.5]
    most = MOST_DEG - abs(no_lift_deg)
    ups = [one for one in (*round_off, stall, stall + 3.0, stall + 10.0, most) if 1e-6 < one <= min(most, stall + 10.0)]
    ways = sorted({round(one, 2) for one in (*ups, 0.0, *(-one for one in ups))})
    wide = sorted({*ways, *(round(share * stall, 2) for share in (-0.4, 0.4))})
    return (
        tuple((round(one + no_lift_deg, 2), round(polar.lift(math.radians(one)), 3)) for one in ways),
        tuple((round(one + no_lift_deg, 2), round(polar.drag(math.radians(one)), 4)) for one in wide),
    )


def check(lift: tuple[LiftKnot, ...], drag: tuple[DragKnot, ...]) -> None:
    """Raises ValueError for knots out of order, and for lift that does not rise from below none to above."""
    for name, angles in (("lift_curve", [k.angle_deg for k in lift]), ("drag_curve", [k.angle_deg for k in drag])):
        if sorted(set(angles)) != angles:
            raise ValueError(f"{name}: angles must rise from knot to knot (order the knots by their angle)")
    lifts = [knot.lift for knot in lift]
    if not any(before <= 0.0 < after for before, after in itertools.pairwise(lifts)):
        raise ValueError("lift_curve: lift never rises from below 0 to above (a knot below 0, and one above after it)")


@compiled
def sampled(samples, first, last, angle):
    """The value at an angle; past its ends that of the end."""
    place = min(max((angle - first) / (last - first), 0.0), 1.0) * (SAMPLES - 1)
    k = min(int(place), SAMPLES - 2)
    return samples[k] + (place - k) * (samples[k + 1] - samples[k])


@compiled
def drawn_lift_and_drag(lifts, drags, first, last, slope, broadside, angle, kept):
    """Coefficients of lift and drag of drawn curves at an angle from no lift, rad within a turn. kept : rad by which
    control surfaces raise the angle of stall."""
    share = 1.0
    if angle > math.pi:
        angle -= 2.0 * math.pi
    if angle < -math.pi:
        angle += 2.0 * math.pi
    if abs(angle) > 0.5 * math.pi:  # flow from behind
        angle, share = (math.pi if angle > 0.0 else -math.pi) - angle, -BACKWARD
    side = 1.0 if angle >= 0.0 else -1.0
    edge = last if side > 0.0 else -first
    edge = min(max(edge + side * kept, 0.1 * edge), MOST_EDGE)
    if side * angle <= edge:
        lift = sampled(lifts, first, last, angle - kept) + slope * kept
        return share * lift, sampled(drags, first, last, angle - kept)
    most = side * (sampled(lifts, first, last, side * edge - kept) + slope * kept)
    drag_s = sampled(drags, first, last, side * edge - kept)
    size = side * angle
    sin, cos, sin_s, cos_s = math.sin(size), math.cos(size), math.sin(edge), math.cos(edge)
    a2 = (most - broadside * sin_s * cos_s) * sin_s / (cos_s * cos_s)
    b2 = (drag_s - broadside * sin_s * sin_s) / cos_s
    lift = broadside * sin * cos + a2 * cos * cos / sin
    return share * side * lift, max(broadside * sin * sin + b2 * cos, 0.0)
