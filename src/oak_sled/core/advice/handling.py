"""Cornering of a craft on tires, in closed form: its understeer, the speeds that follow from it, and where it slides or
tips, from the loads of its wheels at rest and the laws of their tires.

The single-track model (ISO 8855; Milliken and Milliken, Race Car Vehicle Dynamics, chapter 5): with c the cornering
stiffness of an end over its load, a steady circle asks for delta = L / R + K a / g, K = 1 / c_front - 1 / c_rear.
"""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.parts.context import Handling, WheelAt
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.parts.wheels import tirecurve
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground

ROUNDS = 40
SAME = 0.01
"""Share of the side acceleration within which both ends slide at once."""


def of(craft: Craft, ground: Ground, centre_height: float) -> Handling | None:
    """Cornering of a craft on the bare surface of a ground; None without tires at two ends. centre_height : m, of its
    centre of mass over what its wheels stand on."""
    own = bodynames.wheels(craft)
    fitted = [part for part in craft.working_parts if craft.gain_of(part) > 0.0]
    tires = {ray: part for part in fitted for ray in part.grips(own)}
    wheels = [one for one in own if one.ray in tires]
    if len(wheels) < len(own) or len({one.at[0] for one in wheels}) < 2:
        return None
    ends = bodynames.front_and_rear(wheels)
    places = [float(np.mean([one.at[0] for one in end])) for end in ends]
    base = places[0] - places[1]
    mass, centre = _mass_and_centre(craft)
    shares = [(centre - places[1]) / base, (places[0] - centre) / base]
    if min(shares) <= 0.0:
        return None
    soft = []
    for end in ends:
        stiffness = [_stiffness(tires[one.ray], ground.grip) for one in end]
        soft.append(1.0 / max(float(np.mean(stiffness)), 1e-9))
    weight = mass * ground.gravity * max(craft.body.gravity_scale, 0.0)
    held = [
        _most_g(end, tires, ground.grip, weight * share, centre_height) for end, share in zip(ends, shares, strict=True)
    ]
    first = "all" if abs(held[0] - held[1]) < SAME * min(held) else "front" if held[0] < held[1] else "rear"
    return Handling(base, soft[0] - soft[1], min(held), first)


def _mass_and_centre(craft: Craft) -> tuple[float, float]:
    """kg of a craft with all that it carries, and how far forward of its origin their common centre is, m."""
    masses = [(craft.body.true_mass(), craft.body.centre()[0])]
    for part in craft.parts:
        carried = part.carried()
        if carried is not None and craft.gain_of(part) > 0.0:
            masses.append((carried.mass, carried.at[0]))
    total = sum(mass for mass, _ in masses)
    return total, sum(mass * at for mass, at in masses) / total


def _stiffness(part: AnyPart, grip: float) -> float:
    """Side force over load for each rad of slip angle, at no slip."""
    scale, most, shape = part.side_shape()
    held = grip * part.trim
    scale *= held if part.keeps_stiffness() else 1.0
    return float(part.side_grip * most * held * tirecurve.read(shape, np.zeros(1))[0] / max(scale, 1e-9))


def _most_g(end: list[WheelAt], tires: dict[int, AnyPart], grip: float, weight: float, height: float) -> float:
    """Side acceleration in g at which the tires of an end give no more, their load moved outward by it."""
    track = max(one.at[1] for one in end) - min(one.at[1] for one in end)
    part = tires[end[0].ray]
    gives = part.side_grip * part.side_shape()[1] * grip * part.trim
    loaded, loss = weight / _each(end) / part.nominal_load, part.load_sensitivity
    found = 0.0
    for _ in range(ROUNDS):
        moved = min(found * height / track, 0.5) if track > 0.0 else 0.0
        held = 0.0
        for share in (0.5 - moved, 0.5 + moved):
            held += share * max(1.0 - loss * (share * loaded - 1.0), 0.1)
        found = 0.5 * (found + gives * held)
    return found


def _each(end: list[WheelAt]) -> float:
    """Number of wheels that share the load of a side."""
    return max(0.5 * len(end), 1.0) if len({one.at[1] for one in end}) > 1 else float(len(end))
