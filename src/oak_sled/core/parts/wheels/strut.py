"""Forces of a sprung wheel on its craft in a tick: the equations of `wheel`."""

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts import dryfriction, speedcurve
from oak_sled.core.parts.speedcurve import SPEEDS
from oak_sled.core.parts.wheels import rolling

HANGS = 1e30
"""Mark of a hub that has no ground below: it moves with the craft."""
RECORD = np.dtype(
    [
        ("stiffness", "f8"),
        ("progression", "f8"),
        ("preload", "f8"),
        ("travel", "f8"),
        ("bump_stop", "f8"),
        ("bump", "f8"),
        ("rebound", "f8"),
        ("radius", "f8"),
        ("side_grip", "f8"),
        ("rolling", "f8"),
        ("steer_channel", "i8"),
        ("steer", "f8"),
        ("first_ray", "i8"),
        ("rays", "i8"),
        ("first_of_all", "i8"),  # of the rays of the craft, and behind the last of them
        ("last_of_all", "i8"),
        ("unsprung", "f8"),  # kg of a wheel and its hub; 0: they weigh nothing, and the tire does not give
        ("tire", "f8"),  # N/m
        ("bends", "i8"),  # 1 where the damping changes with speed, by the curve
        ("top", "f8"),
        ("damper_curve", "f8", (SPEEDS,)),
        ("spring_formula", FORMULA),
        ("damper_formula", FORMULA),
    ]
)


def _root(square: float, linear: float, value: float) -> float:
    """x > 0 with square x2 + linear x = value > 0; inf where there is none."""
    if square <= 0.0:
        return value / linear if linear > 0.0 else math.inf
    return 2.0 * value / (linear + math.sqrt(linear * linear + 4.0 * square * value))


@compiled
def spring_force(part, gain, squeeze, closing):
    """N that a wheel pushes up at a compression (m) that grows by `closing` m/s."""
    if squeeze < 0.0:
        return 0.0
    still = still_force(part, squeeze)
    damped = damper_force(part, squeeze, closing)
    return max(gain * (still + damped), 0.0)


@compiled
def still_force(part, squeeze):
    """N of a spring at a compression, m."""
    if part.spring_formula.at != 0:
        part.spring_formula.given[0] = squeeze
        return machine.value_of(part.spring_formula)
    force = part.preload + part.stiffness * squeeze * (1.0 + part.progression * squeeze / part.travel)
    return force + part.bump_stop * max(squeeze - part.travel, 0.0)


@compiled
def damper_force(part, squeeze, closing):
    """N of a damper at a speed of compression, m/s."""
    if part.damper_formula.at != 0:
        part.damper_formula.given[0], part.damper_formula.given[1] = closing, squeeze
        return machine.value_of(part.damper_formula)
    damping = part.bump if closing > 0.0 else part.rebound
    return damping * closing * (speedcurve.at(part.damper_curve, part.top, closing) if part.bends == 1 else 1.0)


@compiled
def hub(part, gain, memory, foot, whole, closing, weight, first, dt):
    """A wheel with a mass of its own, between its spring and its tire: N that its strut pushes the craft up with, and N
    of its tire on the ground.

    whole : m by which spring and tire are squeezed together. closing : m/s of the mount toward the ground. weight : N
    of the wheel along its strut. first : 1 in the first tick of a run, where it stands at rest. memory : 0 to 3 keep m
    of the tire, 4 to 7 m/s of the hub toward the ground. The hub's speed is implicit, so that no tire is too stiff.
    """
    tire = memory[foot]
    if first == 1:
        low, high = 0.0, max(whole, 0.0)
        for _ in range(50):
            middle = 0.5 * (low + high)
            force = still_force(part, middle)
            if gain * force + weight > part.tire * (whole - middle):
                high = middle
            else:
                low = middle
        tire = whole - high
    tire = min(tire, whole)  # the strut ends at full droop
    squeeze, before = whole - tire, memory[4 + foot] if memory[4 + foot] < HANGS else closing
    still, ahead = still_force(part, squeeze), still_force(part, squeeze + 1e-5)
    rises = closing - before
    damped = damper_force(part, squeeze, rises if abs(rises) > 1e-6 else 1e-6)
    rate = gain * max(ahead - still, 0.0) / 1e-5
    damping = gain * max(damped / (rises if abs(rises) > 1e-6 else 1e-6), 0.0)
    stiff = rate * dt + damping
    pushed = part.unsprung * before + dt * (weight + gain * still + stiff * closing)
    slows = part.unsprung + dt * stiff
    speed = (pushed - dt * part.tire * tire) / (slows + dt * dt * part.tire)
    if tire + dt * speed < 0.0:
        speed = pushed / slows
    tire += dt * speed
    # the craft feels the spring as it stands and the damper at the new speed of the hub: with k dt in it too, which
    # the hub has, its own bounce would be damped by the tick
    push = gain * still + damping * (closing - speed)
    if squeeze + dt * (closing - speed) < 0.0:
        speed = closing
    memory[foot], memory[4 + foot] = tire, speed
    return push, part.tire * max(tire, 0.0)


@unit
def law_spring(part, given):
    """The force of a spring at the quantities of its place: see SPRING."""
    if given[0] <= 0.0:
        return 0.0
    return still_force(part, given[0])


@unit
def law_damper(part, given):
    """The force of a damper at the quantities of its place: see DAMPER."""
    return damper_force(part, given[1], given[0])


@compiled
def contact_friction(part, gain, share, grip, lever, support, body, now):
    """Rolling resistance along a wheel and side force to its left, N, its ways, and whether it slides sideways.

    Both are dry friction: never more than stops the wheel's own share of the craft in this tick, counted with what the
    parts before it push and with the friction of the tick before (see `dryfriction`).
    """
    turn, load = support.axle.steer, support.load
    if part.steer_channel >= 0:
        turn += part.steer * now.channels[part.steer_channel]
    ahead, left = rolling.ways(support, turn, body)
    swing = spatial.cross((now.next_spin[0], now.next_spin[1], now.next_spin[2]), lever)
    u = (
        now.next_velocity[0] + swing[0] - support.velocity[0],
        now.next_velocity[1] + swing[1] - support.velocity[1],
        now.next_velocity[2] + swing[2] - support.velocity[2],
    )
    along, side = spatial.dot(u, ahead), spatial.dot(u, left)
    most = gain * part.side_grip * grip * load
    mass_side = share * dryfriction.mass_of_all(support, body, lever, left, True)
    mass_along = share * dryfriction.mass_of_all(support, body, lever, ahead, True)
    holds = dryfriction.holding(support, left, mass_side, side, now.dt)
    slows = dryfriction.holding(support, ahead, mass_along, along, now.dt)
    resists = gain * part.rolling * load
    return min(max(slows, -resists), resists), min(max(holds, -most), most), ahead, left, abs(holds) > most


@compiled
def strut(part, gain, p, foot, support, ground, now):
    """N that the strut of a wheel pushes its craft with, and N that the ground carries beside that, along the strut."""
    squeeze = part.travel + part.radius - support.gap
    push, extra = 0.0, 0.0
    if part.unsprung > 0.0:
        pull = environment.gravity_at(ground, support.point[0], support.point[1], support.point[2])
        weight, first = 0.0, 1 if now.time == 0.0 else 0
        for i in range(3):
            weight += part.unsprung * pull[i] * support.way[i]
        push, tread = hub(part, gain, now.memory[p], foot, squeeze, -support.rate, weight, first, now.dt)
        extra = tread - push
    else:
        push = spring_force(part, gain, squeeze, -support.rate)
    if squeeze >= 0.0:
        push = max(push, -support.load - extra)  # what a bar lifts it by: the ground does not pull
    return push, extra


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books what the struts of all wheels push on its ledger line; their friction comes behind all parts."""
    x, y, z, weights = 0.0, 0.0, 0.0, 0.0
    for i in range(6):
        now.lines[p, i] = 0.0
    for foot in range(part.rays):
        support = supports[part.first_ray + foot]
        if support.axle.tired == 1 and part.steer_channel >= 0:
            support.axle.steer += part.steer * now.channels[part.steer_channel]
        if support.below < 0:
            now.memory[p, 4 + foot] = HANGS
            continue
        push, extra = strut(part, gain, p, foot, support, ground, now)
        load = support.load + push + extra
        if push == 0.0 and load == 0.0:
            continue
        n = (support.normal[0], support.normal[1], support.normal[2])
        leans = rolling.lean(support)
        push, extra = push / leans, extra / leans
        load = max(support.load + push + extra, min(support.load, 0.0)) if part.unsprung > 0.0 else support.load + push
        support.load = load
        lever = dryfriction.found_lever(support, body)
        force = (push * n[0], push * n[1], push * n[2])
        torque = spatial.cross(lever, force)
        size = abs(push)
        for i in range(3):
            support.force[i] += force[i] + extra * n[i]
            now.lines[p, i] += force[i]
            now.lines[p, 3 + i] += torque[i]
        x, y, z, weights = x + size * lever[0], y + size * lever[1], z + size * lever[2], weights + size
    if weights > 0.0:
        now.points[p, 0] = body.position[0] + x / weights
        now.points[p, 1] = body.position[1] + y / weights
        now.points[p, 2] = body.position[2] + z / weights
    return 0.0


@unit
def friction_of_all(part, gain, p, body, ground, supports, now):
    """Adds the friction of all wheels without tires to the ledger line of their struts; returns 1 while one of them
    slides sideways."""
    standing, sliding, pending = 0.0, 0.0, (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    for k in range(part.first_of_all, part.last_of_all):
        if supports[k].below >= 0:
            standing += max(supports[k].load, 0.0)
            if k >= part.first_ray and supports[k].axle.tired == 0:
                pending = dryfriction.add_pending(pending, supports[k], dryfriction.found_lever(supports[k], body))
    dryfriction.add_predicted(pending, body, now)
    for foot in range(part.rays):
        support = supports[part.first_ray + foot]
        if support.below < 0 or support.load <= 0.0 or support.axle.tired == 1:
            dryfriction.keep(support, (0.0, 0.0, 0.0))
            continue
        grip, _ = rolling.surface_at(ground, support)
        lever = dryfriction.found_lever(support, body)
        drag, bite, ahead, left, slides = contact_friction(
            part, gain, support.load / standing, grip, lever, support, body, now
        )
        if slides:
            sliding = 1.0
        force = (
            drag * ahead[0] + bite * left[0],
            drag * ahead[1] + bite * left[1],
            drag * ahead[2] + bite * left[2],
        )
        dryfriction.keep(support, force)
        body_module.add_at_support(now, p, body, support, force)
    return sliding
