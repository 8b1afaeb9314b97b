"""Forces of a tire on its wheel in a tick: the equations of `tire`."""

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts import breakaway
from oak_sled.core.parts.wheels import rolling, slip, tirecurve
from oak_sled.core.parts.wheels.onwheels import WHEELS
from oak_sled.core.parts.wheels.tirecurve import SAMPLES

CONTACT, HEIGHT, CRAFT_AXIS = range(3)
RECORD = np.dtype(
    [
        WHEELS,
        ("count", "i8"),
        ("first_of_all", "i8"),  # of the rays of the craft, and behind the last of them
        ("last_of_all", "i8"),
        ("side_law", "i8"),
        ("side_grip", "f8"),
        ("side_most", "f8"),  # the greatest share of it that its law gives
        ("side_share", "f8"),
        ("side_scale", "f8"),  # the slip at which it gives its most
        ("side_keeps", "i8"),  # 1: less grip moves that slip, and leaves the slope at no slip
        ("side_relaxation", "f8"),
        ("along_law", "i8"),
        ("along_grip", "f8"),
        ("along_most", "f8"),
        ("along_share", "f8"),
        ("along_scale", "f8"),
        ("along_keeps", "i8"),
        ("along_relaxation", "f8"),
        ("nominal", "f8"),
        ("fades", "f8"),
        *breakaway.FIELDS,
        ("slide_slip", "f8"),
        ("inertia", "f8"),
        ("rolling", "f8"),
        ("acts", "i8"),
        ("height", "f8"),
        ("side_shape", "f8", (SAMPLES,)),
        ("along_shape", "f8", (SAMPLES,)),
    ]
)


@compiled
def share_at(law, scale, most, shape, slip):
    """The share of a grip that a law gives at a slip, rad as its tangent, or ratio; a share of the slip speed a tick
    asks for all of it at any slip."""
    if law == tirecurve.SHARE:
        return 1.0 if slip != 0.0 else 0.0
    n = abs(slip) / scale
    return most * min(n * tirecurve.at(shape, n), 1.0)


@unit
def law_side(part, given):
    """The share of the side grip at the quantities of its place: see SIDE."""
    tangent = math.tan(min(abs(given[0]), 1.55))
    return share_at(part.side_law, part.side_scale, part.side_most, part.side_shape, tangent)


@unit
def law_along(part, given):
    """The share of the grip along at the quantities of its place: see ALONG."""
    return share_at(part.along_law, part.along_scale, part.along_most, part.along_shape, given[0])


@unit
def act(part, gain, p, body, ground, supports, now):
    """Turns its wheels and books what their tires push on its ledger line; returns 1 while one of them slides."""
    total, sliding = 0.0, 0.0
    x, y, z, weights = 0.0, 0.0, 0.0, 0.0
    for k in range(part.first_of_all, part.last_of_all):
        if supports[k].below >= 0 and supports[k].axle.tired == 1:
            total += max(supports[k].load, 0.0)
    pending = as_before(p, body, now)
    for i in range(6):
        now.lines[p, i] = 0.0
    for k in range(part.count):
        support = supports[part.wheels[k]]
        weight, lever = turn_wheel(part, gain, p, total, pending, support, body, ground, now)
        x, y, z, weights = x + weight * lever[0], y + weight * lever[1], z + weight * lever[2], weights + weight
        if weight > 0.0 and support.axle.loose == 1.0:
            sliding = 1.0
    for i in range(6):
        now.memory[p, i] = now.lines[p, i]
    if weights > 0.0:
        now.points[p, 0] = body.position[0] + x / weights
        now.points[p, 1] = body.position[1] + y / weights
        now.points[p, 2] = body.position[2] + z / weights
    return sliding


@compiled
def turn_wheel(part, gain, p, total, pending, support, body, ground, now):
    """Turns one wheel and adds what its tire pushes to ledger line p; returns the size of that, N, and where it acts, m
    from the centre of mass, world axes. total : N on all tires of the craft. pending : see `as_before`."""
    axle, before = support.axle, support.axle.turn
    ahead, left = rolling.ways(support, axle.steer, body)
    force, torque, weight = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0.0
    lever = (
        support.point[0] - body.position[0],
        support.point[1] - body.position[1],
        support.point[2] - body.position[2],
    )
    if support.below >= 0 and support.load > 0.0:
        share = support.load / total
        along, side = wheel_force(part, gain, share, pending, (lever, ahead, left), support, body, ground, now)
        weight, out = abs(along) + abs(side), left
        if part.acts == CRAFT_AXIS:
            _, out = rolling.ways(support, 0.0, body)
        aside = (side * out[0], side * out[1], side * out[2])
        force = (along * ahead[0] + aside[0], along * ahead[1] + aside[1], along * ahead[2] + aside[2])
        torque = spatial.cross(lever, force)
        if part.acts == HEIGHT:
            n = support.normal
            torque = spatial.plus(
                torque, spatial.cross((part.height * n[0], part.height * n[1], part.height * n[2]), aside)
            )
    else:
        slip.spin_freely(axle, now.dt)
    # what turns a wheel turns the craft the other way, and a turning wheel answers as a gyroscope does
    kick, spun = -part.inertia * (axle.turn - before) / now.dt, part.inertia * axle.turn
    whirl = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), left)
    for i in range(3):
        support.force[i] += force[i]
        now.lines[p, i] += force[i]
        now.lines[p, 3 + i] += torque[i] + kick * left[i] - spun * whirl[i]
    return weight, lever


@compiled
def as_before(p, body, now):
    """m/s and rad/s that the forces of the last tick would give the craft in this one, world axes. memory : 0 to 5 keep
    those forces, N and N m."""
    m, share = now.memory[p], now.dt / body.mass
    turned = spatial.times(body.inverse_inertia, (m[3], m[4], m[5]))
    return share * m[0], share * m[1], share * m[2], now.dt * turned[0], now.dt * turned[1], now.dt * turned[2]


@compiled
def wheel_force(part, gain, share, pending, frame, support, body, ground, now):
    """N along a wheel and to its left.

    frame : its lever, m, and unit vectors ahead and to the left. share : of the load on all tires, by which it answers
    for the craft. pending : see `as_before`.
    """
    lever, ahead, left = frame
    axle, dt = support.axle, now.dt
    u = speed_over(support, body.velocity, body.spin, lever)
    u_next = speed_over(support, now.next_velocity, now.next_spin, lever)
    along, side = spatial.dot(u, ahead), spatial.dot(u, left)
    again = spatial.cross((pending[3], pending[4], pending[5]), lever)
    again = (pending[0] + again[0], pending[1] + again[1], pending[2] + again[2])
    motion = (
        along,
        side,
        spatial.dot(u_next, ahead) - along,
        spatial.dot(u_next, left) - side,
        spatial.dot(again, ahead),
        spatial.dot(again, left),
    )
    grip, resists = rolling.surface_at(ground, support)
    mass_along = body_module.effective_mass(body, lever, ahead) * share
    mass_side = body_module.effective_mass(body, lever, left) * share
    load = support.load
    drag = part.rolling * load * resists * axle.radius
    return slip.roll(part, axle, load, gain * grip, drag, motion, mass_along, mass_side, dt)


@compiled
def speed_over(support, velocity, spin, lever):
    """m/s of a point of a body over what it stands on, world axes."""
    swing = spatial.cross((spin[0], spin[1], spin[2]), lever)
    return (
        velocity[0] + swing[0] - support.velocity[0],
        velocity[1] + swing[1] - support.velocity[1],
        velocity[2] + swing[2] - support.velocity[2],
    )
