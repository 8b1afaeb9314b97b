"""The work of a propeller in a tick: its rate, swivel, thrust, torque, gyroscopic moment and wash."""

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts import speedcurve
from oak_sled.core.parts.actuator import rate_share
from oak_sled.core.parts.speedcurve import SPEEDS

FASTEST = 1.3
"""Times the coefficient at rest that thrust may have with the wind from behind, and that it may brake with."""
RECORD = np.dtype(
    [
        ("channel", "i8"),
        ("mixed", "i8"),
        ("reverse", "f8"),  # share of its thrust, backward
        ("swivel_channel", "i8"),
        ("swivel", "f8"),  # rad
        ("swivel_rate", "f8"),  # rad/s
        ("across", "f8", (3,)),  # the way toward which it swivels
        ("rate", "f8"),  # rad/s at a full channel
        ("lag", "f8"),  # s
        ("diameter", "f8"),
        ("thrust", "f8"),  # coefficient at rest
        ("power", "f8"),
        ("idle", "f8"),  # share of the power left where no thrust is
        ("pitch", "f8"),  # advance ratio without thrust
        ("inertia", "f8"),
        ("turns", "f8"),  # 1: to the right seen from behind, -1: to the left
        ("way", "f8", (3,)),
        ("point", "f8", (3,)),
        ("drawn", "i8"),  # 1 where its thrust follows the curve
        ("top", "f8"),  # m/s of the last sample, at full rate
        ("curve", "f8", (SPEEDS,)),
    ]
)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books thrust, torque and gyroscopic moment; returns the share of its full rate. memory : 0 its rate, rad/s, 1 m/s
    by which the air behind it is faster, 2 its swivel, rad, 3 whether it has begun."""
    asked = swivel(part, p, now)
    level = 1.0
    if part.channel >= 0:
        level = max(now.channels[part.channel], -math.sqrt(part.reverse))
    elif part.mixed == 1:
        level = 0.0
    if part.mixed == 1:
        level = min(max(rate_share(level, asked), -math.sqrt(part.reverse)), 1.0)
    wanted = part.rate * level
    if now.memory[p, 3] == 0.0:  # it begins as its channel stands, or as a mixer asks
        now.memory[p, 3] = 1.0
        now.memory[p, 0] = wanted if part.channel < 0 and part.mixed == 1 else part.rate * begun(part, now)
    before = now.memory[p, 0]
    rate = wanted
    if part.lag > 0.0:
        rate = before + (wanted - before) * (1.0 - math.exp(-now.dt / part.lag))
    now.memory[p, 0] = rate
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    way = spatial.to_world(body.axes, pointing(part, now.memory[p, 2]))
    against, density = environment.met_at(ground, body, lever)
    speed = spatial.dot(against, way)
    thrust, power = coefficients(part, speed, rate)
    turns = rate / (2.0 * math.pi)
    press = gain * density * turns * turns * part.diameter**4
    push, torque = press * thrust, press * part.diameter * power / (2.0 * math.pi)
    if rate < 0.0:
        push, torque = -push, -torque
    now.memory[p, 1] = wash(push, speed, density * 0.25 * math.pi * part.diameter * part.diameter)
    body_module.book_at(now, p, body, lever, (push * way[0], push * way[1], push * way[2]))
    kick = -part.turns * (torque + part.inertia * (rate - before) / now.dt)
    spun = part.turns * part.inertia * rate
    whirl = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), way)
    for i in range(3):
        now.lines[p, 3 + i] += kick * way[i] - spun * whirl[i]
    return rate / part.rate


@compiled
def swivel(part, p, now):
    """Swivels it a tick farther; returns what a mixer asks of its thrust then: the share that its command has along the
    way it points, so that it does not push elsewhere while it turns."""
    if part.swivel <= 0.0:
        return now.asked[p, 0]
    ahead, across = now.asked[p, 0], now.asked[p, 1]
    level, wanted = math.hypot(ahead, across), 0.0
    if part.swivel_channel >= 0:
        wanted = part.swivel * now.channels[part.swivel_channel]
    if part.mixed == 1 and level > 1e-6:
        wanted = nearer(part, math.atan2(across, ahead), now.memory[p, 2], level)
    elif part.mixed == 1:
        wanted = now.memory[p, 2]
    wanted = min(max(wanted, -part.swivel), part.swivel)
    step = part.swivel_rate * now.dt
    angle = now.memory[p, 2] + min(max(wanted - now.memory[p, 2], -step), step)
    now.memory[p, 2] = angle
    return max(ahead * math.cos(angle) + across * math.sin(angle), -part.reverse)


@compiled
def begun(part, now):
    """The share of its rate at which it turned before the first tick."""
    if part.channel < 0:
        return 0.0
    return min(max(now.before[part.channel], -math.sqrt(part.reverse)), 1.0)


@compiled
def nearer(part, wanted, stands, level):
    """The swivel, rad, for a push at an angle: that angle, or the opposite one to push backward, where that can be
    given and is nearer to where it stands."""
    opposite = wanted - math.pi if wanted > 0.0 else wanted + math.pi
    if part.reverse < level or abs(opposite) > part.swivel:
        return wanted
    if abs(wanted) > part.swivel or abs(opposite - stands) < abs(wanted - stands):
        return opposite
    return wanted


@compiled
def pointing(part, angle):
    """The way of its thrust at a swivel, rad: a unit vector in craft axes."""
    if angle == 0.0:
        return (part.way[0], part.way[1], part.way[2])
    cos, sin = math.cos(angle), math.sin(angle)
    return (
        cos * part.way[0] + sin * part.across[0],
        cos * part.way[1] + sin * part.across[1],
        cos * part.way[2] + sin * part.across[2],
    )


@compiled
def coefficients(part, speed, rate):
    """Coefficients of thrust and power at an airspeed along its way, m/s, and a rate, rad/s."""
    if rate == 0.0:
        return 0.0, 0.0
    if rate < 0.0:  # backward it does the same to the air from behind
        speed, rate = -speed, -rate
    share = 2.0 * math.pi * speed / (rate * part.diameter * part.pitch)
    power = part.power * min(max(1.0 - (1.0 - part.idle) * share, 0.0), FASTEST)
    if part.drawn == 0:
        return part.thrust * min(max(1.0 - share, -FASTEST), FASTEST), power
    thrust = part.thrust * speedcurve.at(part.curve, part.top, max(speed * part.rate / rate, 0.0))
    return thrust, max(power, thrust * share * part.pitch)  # no propeller gives more than it takes


@compiled
def wash(push, speed, moved):
    """m/s by which air far behind a disc is faster than ahead of it. moved : kg/m, its area times the density."""
    if push <= 0.0 or moved <= 0.0:
        return 0.0
    speed = max(speed, 0.0)
    return math.sqrt(speed * speed + 2.0 * push / moved) - speed
