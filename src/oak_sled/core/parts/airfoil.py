"""Lift and drag of a whole wing over the full circle of angle of attack, in closed form, for Python and the kernel.

Attached flow: slope of a wing of finite span by Helmbold's formula with sweep (Polhamus; Hoak, USAF Stability and
Control Datcom, 4.1.3.2): a = 2 pi A / (2 + sqrt(4 + (A / k)^2 (1 + tan^2 sweep))), k = slope of the section over 2 pi.
Drag is that of the section and CL^2 / (pi e A) of the span (Prandtl). Beyond the stall: flat plate, joined at the stall
by the method of Viterna and Corrigan (NASA CP-2230, 1982): CL = D/2 sin 2b + A2 cos^2 b / sin b,
CD = D sin^2 b + B2 cos b, D = 1.11 + 0.018 A, at most 2. Backward flow has 0.7 of that lift, with its sign turned.

Angles are counted from that of no lift. A control surface moves that angle by the effectiveness of thin-aerofoil theory
(Glauert, The Elements of Aerofoil and Airscrew Theory, chapter 10), and by a share of that the angle of stall.
"""

import math
from typing import NamedTuple

import numpy as np

from oak_sled.core.compiler.kernel import compiled

FLOWS_TO, LEFT_AT = math.radians(10.0), math.radians(40.0)
"""rad of turn of a control surface up to which the flow follows it, and at which half of it is left."""
BACKWARD = 0.7
"""Lift of flow from behind, as a share of that from ahead."""

POLAR = np.dtype(
    [
        ("slope", "f8"),  # 1/rad, of the whole wing
        ("stall", "f8"),  # rad from the angle of no lift
        ("soft", "f8"),  # rad below it over which lift rounds off
        ("friction", "f8"),  # drag coefficient at no lift
        ("induced", "f8"),  # drag coefficient for each lift coefficient squared
        ("broadside", "f8"),  # drag coefficient across the flow
    ]
)
"""The numbers that lift and drag follow from."""


class Polar(NamedTuple):
    """The same as POLAR, for closed forms outside the kernel."""

    slope: float
    stall: float
    soft: float
    friction: float
    induced: float
    broadside: float

    @staticmethod
    def of(
        aspect: float, sweep: float, section_slope: float, stall: float, soft: float, friction: float,
        efficiency: float,
    ) -> "Polar":  # fmt: skip
        """That of a wing. aspect : span over chord. sweep, stall, soft : rad. section_slope : 1/rad. efficiency : of
        its span, 1 at best."""
        return Polar(
            slope=slope_of(aspect, sweep, section_slope),
            stall=stall,
            soft=min(soft, stall),
            friction=friction,
            induced=1.0 / (math.pi * efficiency * aspect),
            broadside=min(1.11 + 0.018 * aspect, 2.0),
        )

    @property
    def _row(self) -> np.void:
        return np.array([tuple(self)], POLAR)[0]

    def lift(self, angle: float) -> float:
        """Lift coefficient at rad from no lift."""
        return float(lift_and_drag(self._row, angle, self.stall)[0])

    def drag(self, angle: float) -> float:
        """Drag coefficient at rad from no lift."""
        return float(lift_and_drag(self._row, angle, self.stall)[1])

    def drag_of(self, lift: float) -> float:
        """Drag coefficient with a lift coefficient before the stall, less that of no lift."""
        return self.induced * lift * lift

    @property
    def most_lift(self) -> float:
        """The lift coefficient at the stall."""
        return self.slope * (self.stall - 0.5 * self.soft)

    @property
    def best_glide(self) -> tuple[float, float]:
        """The greatest lift over drag before the stall, and the lift coefficient there."""
        lift = min(math.sqrt(self.friction / self.induced), self.most_lift)
        return lift / (self.friction + self.induced * lift * lift), lift


def slope_of(aspect: float, sweep: float, section_slope: float) -> float:
    """Lift over angle of attack of a whole wing, 1/rad."""
    share = section_slope / (2.0 * math.pi)
    bent = (aspect / share) ** 2 * (1.0 + math.tan(sweep) ** 2)
    return 2.0 * math.pi * aspect / (2.0 + math.sqrt(4.0 + bent))


def effectiveness(share: float) -> float:
    """By how much a control surface moves the angle of no lift, rad a rad. share : of the chord, 0 to 1."""
    turn = math.acos(2.0 * share - 1.0)
    return 1.0 - (turn - math.sin(turn)) / math.pi


def stall_share(share: float) -> float:
    """Share of what a surface adds to the angle of attack by which the stall comes sooner: all of it for one that takes
    the whole chord, less for a flap, which raises the most lift (our own fit to the trend of measured plain flaps)."""
    return 1.0 - (1.0 - share) ** 2


def moment_of(share: float) -> float:
    """Pitching moment coefficient about the quarter chord, nose up, a rad by which a surface is turned down."""
    turn = math.acos(2.0 * share - 1.0)
    return -0.5 * math.sin(turn) * (1.0 - math.cos(turn))


@compiled
def lift_and_drag(polar, angle, stall):
    """Coefficients of lift and drag at an angle from no lift, rad within a turn. stall : the angle of stall, rad, with
    what control surfaces add to it."""
    side, size, share = 1.0, angle, 1.0
    if size > math.pi:
        size -= 2.0 * math.pi
    if size < -math.pi:
        size += 2.0 * math.pi
    if size < 0.0:
        side, size = -1.0, -size
    if size > 0.5 * math.pi:
        size, share = math.pi - size, -BACKWARD
    if size <= stall:
        lift = attached(polar, size, stall)
        return share * side * lift, polar.friction + polar.induced * lift * lift
    sin, cos, sin_s, cos_s = math.sin(size), math.cos(size), math.sin(stall), math.cos(stall)
    most = attached(polar, stall, stall)
    drag_s = polar.friction + polar.induced * most * most
    a2 = (most - polar.broadside * sin_s * cos_s) * sin_s / (cos_s * cos_s)
    b2 = (drag_s - polar.broadside * sin_s * sin_s) / cos_s
    lift = polar.broadside * sin * cos + a2 * cos * cos / sin
    return share * side * lift, polar.broadside * sin * sin + b2 * cos


@compiled
def working(turn):
    """The turn of a control surface that counts, rad: beyond 10 degrees the flow leaves it, and half of 40 is left (our
    own fit to the trend of measured plain flaps)."""
    size = abs(turn)
    if size <= FLOWS_TO:
        return turn
    return turn * max(1.0 - 0.5 * (size - FLOWS_TO) / (LEFT_AT - FLOWS_TO), 0.5)


@compiled
def attached(polar, size, stall):
    """Lift coefficient before the stall, toward which it rounds off to a level."""
    lift = polar.slope * size
    over = size - (stall - polar.soft)
    if over > 0.0 and polar.soft > 0.0:
        lift -= 0.5 * polar.slope * over * over / polar.soft
    return lift
