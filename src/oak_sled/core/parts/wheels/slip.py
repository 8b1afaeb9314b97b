"""The turning of a wheel and the force of its tire, solved for the end of a tick.

Per direction the tire is deflected by the speed at which its contact slides, and the deflection is carried away by
rolling: d' = v_slip - |v| d / relaxation (Pacejka, Tire and Vehicle Dynamics, section 7.2). Slip is d / relaxation: in
steady rolling v_slip / |v|, and at standstill a spring, so that what is parked stays. Force and turn rate are solved
together at the end of the tick, so that no tire and no wheel is too stiff for it.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.parts.wheels import tirecurve
from oak_sled.core.parts.wheels.tirecurve import SHARE

ROUNDS, AGREES = 5, 1e-4
"""Rounds at most in which slip and force come to agree, and the difference that ends them."""
SHORTEST = 0.02
"""m of relaxation length at least: what holds at standstill."""
CREEP = 0.5
"""m/s, below which a slip is counted by this speed."""
EXPLICIT = 0.5
"""Share of its slip speed that a tire may take in a tick from the speed at the start of it; what is stiffer is solved
for the end of the tick."""
SLOW, DAMPED = 1.0, 0.5
"""m/s below which a deflected tire is damped, so that what stops does not sway, and the share of critical damping."""
SPINNING = 0.5
"""m/s by which a wheel may always turn faster or slower than it rolls, aids or not."""


@compiled
def spin(axle, along, push, slope, brake, dt):
    """The turn rate at the end of a tick, rad/s: I w' = drive + binding (bound - w) - push - slope w - brake.

    push, slope : N m, N m s/rad, of the tire. brake : N m, dry: it holds a wheel that less than it would turn.
    """
    resists = axle.inertia + dt * (slope + axle.binding)
    bare = axle.inertia * axle.turn + dt * (axle.binding * axle.bound - push)
    driven = bare + dt * axle.drive
    if axle.spin_limit > 0.0 and axle.drive != 0.0:
        way = 1.0 if axle.drive > 0.0 else -1.0
        most = (max(way * along, 0.0) * (1.0 + axle.spin_limit) + SPINNING) / axle.radius
        if way * driven / resists > most:
            driven = way * max(most * resists, way * bare)
    least = 0.0
    if axle.lock_limit > 0.0:
        least = max(abs(along) * (1.0 - axle.lock_limit) - SPINNING, 0.0) / axle.radius * resists
    if driven > 0.0:
        return max(driven - dt * brake, min(driven, least if along > 0.0 else 0.0)) / resists
    return min(driven + dt * brake, max(driven, -least if along < 0.0 else 0.0)) / resists


@compiled
def deflected(law, share, relaxation, speed, most, mass, slip, dt):
    """Response of a direction to a slip speed: the length by which slip is counted, and the deflection so far, m."""
    if law == SHARE:
        return dt * dt * most / max(share * mass, 1e-9), 0.0
    length = max(relaxation, SHORTEST)
    return length + dt * speed, slip * length


@compiled
def ahead_of_time(law, rate, mass, after, dt):
    """Share of a change of slip speed that a direction answers already within the tick, 0 to 1, and by what its
    answer is divided, since it changes that speed itself.

    rate : N/m, by which it answers a deflection. after : s, the tick and what its damping adds. Where a tick is short
    for that, nothing: the slip is that of the start of the tick, and a steady turn has no error by it.
    """
    if law == SHARE:
        return 1.0, 1.0
    stiff = dt * after * rate / mass
    return max(1.0 - EXPLICIT / stiff, 0.0) if stiff > 0.0 else 0.0, 1.0 + max(stiff - EXPLICIT, 0.0)


@compiled
def damped(law, rate, mass, speed):
    """s by which the speed of a deflection counts beside the deflection itself: only near standstill."""
    if law == SHARE or speed >= SLOW or rate <= 0.0:
        return 0.0
    return 2.0 * DAMPED * (1.0 - speed / SLOW) * math.sqrt(mass / rate)


@compiled
def roll(part, axle, load, grip, rolling, motion, mass_along, mass_side, dt):
    """Turns a wheel by one tick: N along it and to its left.

    load : N. grip : of the surface, with the gain of its part. rolling : N m of rolling resistance. motion : m/s of its
    contact over the surface, along and to its left; what all else adds to that in the tick, and what the tires of its
    part would add if they pushed as in the last one. mass_along, mass_side : kg that its forces move.

    The tick is predicted from the forces of the last one, so that what stands stays, whatever it is thought to weigh.
    """
    along, side = motion[0], motion[1]
    loose, fades = axle.sliding, max(1.0 - part.fades * (load / part.nominal - 1.0), 0.1)
    grip *= axle.grip * fades * (1.0 + (part.slide_grip - 1.0) * loose)
    most_x, most_y = max(part.along_grip * grip * load, 1e-9), max(part.side_grip * grip * load, 1e-9)
    stretch = 1.0 + (part.slide_slip - 1.0) * loose
    scale_x = max(part.along_scale * stretch * (grip if part.along_keeps == 1 else 1.0), 1e-6)
    scale_y = max(part.side_scale * stretch * (grip if part.side_keeps == 1 else 1.0), 1e-6)
    speed, brake = abs(along), axle.brake + rolling
    length_x, held_x = deflected(
        part.along_law, part.along_share, part.along_relaxation, speed, most_x, mass_along, axle.slip_along, dt
    )
    length_y, held_y = deflected(
        part.side_law, part.side_share, part.side_relaxation, speed, most_y, mass_side, axle.slip_side, dt
    )
    x, y, turn, slope, push = axle.slip_along, axle.slip_side, axle.turn, 0.0, 0.0
    left_x, left_y = x, y  # the slips less what damping adds
    moving = math.sqrt(along * along + side * side)
    by_x, by_y, per_x, per_y = 1.0 / scale_x, 1.0 / scale_y, 1.0 / length_x, 1.0 / length_y
    rho = math.sqrt(by_x * x * by_x * x + by_y * y * by_y * y)
    for _ in range(ROUNDS):
        rate_x = most_x * by_x * tirecurve.at(part.along_shape, rho) * per_x
        rate_y = most_y * by_y * tirecurve.at(part.side_shape, rho) * per_y
        after_x = dt + damped(part.along_law, rate_x, mass_along, moving)
        after_y = dt + damped(part.side_law, rate_y, mass_side, moving)
        share_x, soft_x = ahead_of_time(part.along_law, rate_x, mass_along, after_x, dt)
        share_y, soft_y = ahead_of_time(part.side_law, rate_y, mass_side, after_y, dt)
        over, across = along + share_x * motion[2], side + share_y * motion[3]
        if part.along_law != SHARE:
            over += share_x * (motion[4] - dt * axle.along / mass_along)
        if part.side_law != SHARE:
            across += share_y * (motion[5] - dt * axle.side / mass_side)
        answer = axle.radius * rate_x / soft_x
        push = answer * (held_x - after_x * over)
        slope = answer * axle.radius * after_x
        turn = spin(axle, along, push, slope, brake, dt)
        x = (held_x + after_x * (turn * axle.radius - over)) * per_x / soft_x
        y = (held_y - after_y * across) * per_y / soft_y
        left_x, left_y = x, y
        if after_x > dt or after_y > dt:
            gives = share_x * dt * rate_x * length_x * x / mass_along
            left_x = x - (after_x - dt) * per_x * (turn * axle.radius - over - gives)
            left_y = y + (after_y - dt) * per_y * (across + share_y * dt * rate_y * length_y * y / mass_side)
        before, rho = rho, math.sqrt(by_x * x * by_x * x + by_y * y * by_y * y)
        if abs(rho - before) < AGREES * (1.0 + rho):
            break
    ahead = most_x * by_x * x * tirecurve.at(part.along_shape, rho)
    left = most_y * by_y * y * tirecurve.at(part.side_shape, rho)
    used = math.sqrt((ahead / most_x) ** 2 + (left / most_y) ** 2)
    if used > 1.0:  # by what lies between two samples of a shape
        ahead, left = ahead / used, left / used
    axle.turn, axle.slope, axle.rest, axle.slip = turn, slope, push, rho
    settle(part, axle, left_x, left_y, scale_x, scale_y, along, side, dt)
    axle.along, axle.side, axle.limit, axle.limit_along = ahead, left, most_y, most_x
    return ahead, left


@compiled
def settle(part, axle, x, y, scale_x, scale_y, along, side, dt):
    """Keeps the slips for the next tick, no further than a tire that grips is deflected, unless it really slides so;
    and whether it is on its second set of grip."""
    sliding = axle.turn * axle.radius - along
    counted = max(abs(along), CREEP)
    axle.slip_ratio, axle.slip_angle = sliding / counted, math.atan2(side, counted)
    real = math.sqrt((sliding / (counted * scale_x)) ** 2 + (side / (counted * scale_y)) ** 2)
    rho = math.sqrt((x / scale_x) ** 2 + (y / scale_y) ** 2)
    kept = min(1.0, max(1.0, real) / max(rho, 1e-9))
    axle.slip_along, axle.slip_side = kept * x, kept * y
    angle = math.atan(kept * rho * scale_y)
    if angle > part.slides_past:
        axle.loose = 1.0
    elif angle < part.grips_below:
        axle.loose = 0.0
    step = part.blend_rate * dt
    axle.sliding += min(max(axle.loose - axle.sliding, -step), step)


@compiled
def spin_freely(axle, dt):
    """Turns a wheel that stands on nothing, or whose tire carries nothing."""
    axle.turn = spin(axle, axle.turn * axle.radius, 0.0, 0.0, axle.brake, dt)
    axle.slip_along, axle.slip_side, axle.slip_ratio, axle.slip_angle, axle.slip = 0.0, 0.0, 0.0, 0.0, 0.0
    axle.along, axle.side, axle.limit, axle.limit_along, axle.slope, axle.rest = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
