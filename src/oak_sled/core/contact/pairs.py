"""Two bodies at a contact: how fast they close, and what an impulse does to them."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial


@compiled
def triple(v):
    """Three floats of a record as a tuple."""
    return (v[0], v[1], v[2])


@compiled
def speed_at(one, other, lever_a, lever_b):
    """m/s of one solid against the other at the point."""
    a = spatial.cross((one.spin[0], one.spin[1], one.spin[2]), lever_a)
    b = spatial.cross((other.spin[0], other.spin[1], other.spin[2]), lever_b)
    return (
        one.velocity[0] - other.velocity[0] + a[0] - b[0],
        one.velocity[1] - other.velocity[1] + a[1] - b[1],
        one.velocity[2] - other.velocity[2] + a[2] - b[2],
    )


@compiled
def speed_along(one, other, lever_a, lever_b, way):
    """The same along `way`."""
    return spatial.dot(speed_at(one, other, lever_a, lever_b), way)


@compiled
def turn(rates, solid, torque, side):
    """Adds to the three rates of a solid, rad/s, what `side` times a torque impulse, N m s, makes of it where it is
    free."""
    if solid.kind == FREE:
        turned = spatial.times(solid.inverse_inertia, torque)
        for i in range(3):
            rates[i] += side * turned[i]


@compiled
def push(solid, lever, way, size):
    """Gives a solid an impulse of `size` N s along `way`."""
    arm = spatial.cross(lever, way)
    turned = spatial.times(solid.inverse_inertia, arm)
    for i in range(3):
        solid.velocity[i] += size * way[i] * solid.inverse_mass[i]
        solid.spin[i] += size * turned[i]


@compiled
def apply(solids, contact, along, way, across):
    """Gives both solids of a contact an impulse along its three directions."""
    x = along * contact.normal[0] + way * contact.way[0] + across * contact.across[0]
    y = along * contact.normal[1] + way * contact.way[1] + across * contact.across[1]
    z = along * contact.normal[2] + way * contact.way[2] + across * contact.across[2]
    push(solids[contact.a], triple(contact.lever_a), (x, y, z), 1.0)
    if solids[contact.b].kind == FREE:
        push(solids[contact.b], triple(contact.lever_b), (x, y, z), -1.0)


@compiled
def speed_of(solids, contact):
    """m/s of the bodies of a contact against each other along its normal."""
    one, other = solids[contact.a], solids[contact.b]
    return speed_along(one, other, triple(contact.lever_a), triple(contact.lever_b), triple(contact.normal))


@compiled
def friction_impulse(contact, way, across, slip_way, slip_across, most):
    """N s of friction along and across a contact that had `way` and `across` so far and slips by so many m/s.

    What would hold it, where that is not more than `most`; else `most`, against the slip: one mass for both directions,
    since with a mass for each it would point aside of the slip (Jean, Computer Methods in Applied Mechanics and
    Engineering 177, 1999: the projection of the whole tangential reaction).
    """
    x, y = way - contact.mass_way * slip_way, across - contact.mass_across * slip_across
    if x * x + y * y <= most * most:
        return x, y
    mass = min(contact.mass_way, contact.mass_across)
    x, y = way - mass * slip_way, across - mass * slip_across
    square = x * x + y * y
    if square > most * most:
        share = most / math.sqrt(square)
        x, y = x * share, y * share
    return x, y
