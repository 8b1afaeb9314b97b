"""The air through a lift rotor: blade elements, momentum theory, and a measured curve where that has no answer.

Thrust by blade elements with a uniform inflow: CT = s a / 2 (t / 3 (1 + 3/2 mu2) - lambda / 2), t the pitch of the
blades at three quarters of the radius, exact for a linear twist (Leishman, Principles of Helicopter Aerodynamics, ch.
3). Momentum after Glauert: T = 2 rho A v sqrt(Vx2 + (v + Vz)2), v the induced velocity, Vz the climb, Vx the flow in
the plane of the disc. From hover down to a descent of twice the induced velocity of hover, the vortex ring, momentum
theory has no answer, and the measured mean of the same book, v / vh = 1 - 1.125 x - 1.372 x2 - 1.718 x3 - 0.655 x4 with
x = Vz / vh, stands in its place. Each is written as T = 2 rho A v sqrt(Vx2 + (v K)2) with K over Vz / v; a flow in the
plane carries the ring away, and from the induced velocity on there is none.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.compiler.kernel import compiled

RING = (1.0, -1.125, -1.372, -1.718, -0.655)
"""Coefficients of the measured mean, in powers of the climb over the induced velocity of hover, from -2 to 0."""
SAMPLES = 65


def ring_curve() -> tuple[float, Floats]:
    """The lowest Vz / v of the ring, and K over Vz / v from there to 0, shape (SAMPLES,)."""
    climb = np.linspace(-2.0, 0.0, 2001)
    induced = np.polynomial.polynomial.polyval(climb, RING)
    over, flow = climb / induced, 1.0 / induced**2
    lowest = float(over[0])
    return lowest, np.interp(np.linspace(lowest, 0.0, SAMPLES), over, flow)


@compiled
def through(part, induced, climb, plane):
    """m/s of the flow through the disc that its momentum counts: |v + Vz|, or what was measured in the vortex ring,
    less of it the more flows in the plane."""
    if induced > 1e-9:
        over = climb / induced
        if part.ring_from < over < 0.0:
            at = (over / part.ring_from) * (SAMPLES - 1.0)
            low = min(int(at), SAMPLES - 2)
            share = at - float(low)
            flow = part.ring[SAMPLES - 1 - low] + share * (part.ring[SAMPLES - 2 - low] - part.ring[SAMPLES - 1 - low])
            flow += (abs(1.0 + over) - flow) * min(plane / induced, 1.0)
            return induced * flow
    return abs(induced + climb)


@compiled
def ring_depth(part, induced, climb, plane):
    """0 outside the vortex ring to 1 in the middle of it. plane : m/s in the plane of the disc."""
    if induced <= 1e-9 or climb >= 0.0:
        return 0.0
    over = climb / induced
    depth = min((-over - 0.35) / 0.2, (over - part.ring_from) / 0.4, (1.0 - plane / induced) / 0.3)
    return min(max(depth, 0.0), 1.0)


@compiled
def lift_coefficient(part, pitch, ahead, inflow):
    """Of thrust, over rho A (tip speed)2. pitch : rad. ahead, inflow : over the tip speed, in the plane and through
    it."""
    return 0.5 * part.solidity * part.slope * (pitch / 3.0 * (1.0 + 1.5 * ahead * ahead) - 0.5 * inflow)


@compiled
def ground_share(part, height, induced, plane):
    """Share of the induced velocity that is left over the ground: 1 - (R / 4 z)2, less the more flows in the plane
    (Cheeseman and Bennett, 1955). height : m of the disc; below half a radius as there."""
    near = part.radius / (4.0 * max(height, 0.5 * part.radius))
    faded = 1.0
    if induced > 1e-9:
        faded = 1.0 / (1.0 + (plane / induced) * (plane / induced))
    return 1.0 - near * near * faded


def hover_pitch(thrust: float, solidity: float, slope: float) -> float:
    """rad of blade pitch that gives a coefficient of thrust in hover."""
    return 3.0 * (2.0 * thrust / (solidity * slope) + 0.5 * math.sqrt(0.5 * max(thrust, 0.0)))


def hover_thrust(pitch: float, solidity: float, slope: float) -> float:
    """The coefficient of thrust in hover at a blade pitch, rad: the root of the line of `hover_pitch` in sqrt(CT)."""
    a, b = 2.0 / (solidity * slope), 0.5 * math.sqrt(0.5)
    root = (-b + math.sqrt(b * b + 4.0 * a * max(pitch, 0.0) / 3.0)) / (2.0 * a)
    return root * root
