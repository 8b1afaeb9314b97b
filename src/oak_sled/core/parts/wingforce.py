"""Forces of a wing in the kernel: see `wing` for its document, `airfoil` for lift and drag."""

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts import airfoil, polarcurve
from oak_sled.core.parts.airfoil import POLAR
from oak_sled.core.parts.polarcurve import SAMPLES

MOST_PANELS = 12
STATIONS = 2 * MOST_PANELS
"""Two Gauss stations a panel: what is linear or square along it is summed exactly."""
SLIGHT = 0.2
"""m/s2 that the pressure of the air on all of a wing must be able to give its craft, for a stall of it to count: in a
hover the air comes from any side, and nobody flies by it."""
GAUSS = 1.0 / math.sqrt(3.0)

STATION = np.dtype(
    [
        ("place", "f8", (3,)),  # of its quarter chord, m from the centre of mass, craft axes
        ("chord", "f8", (3,)),  # unit, toward the leading edge
        ("normal", "f8", (3,)),  # unit, upward
        ("control", "f8"),  # which way the control surface turns there: 1, 0 or -1
        ("flap", "f8"),
    ]
)
RECORD = np.dtype(
    [
        ("polar", POLAR),
        ("under", "f8"),  # rad below no lift at which it stalls upside down
        ("drawn", "i8"),  # 1 where the curves below take the place of the closed form
        ("first", "f8"),  # rad from no lift, of the first sample of a curve
        ("last", "f8"),
        ("count", "i8"),
        ("area", "f8"),  # m2 a station
        ("depth", "f8"),  # m, of the chord
        ("zero_lift", "f8"),  # rad
        ("moment", "f8"),
        ("ground_ray", "i8"),  # the support that looks for the ground; -1: it feels none
        ("span", "f8"),  # m
        ("mixed", "i8"),  # 1 where a mixer commands the control surface too
        ("control_channel", "i8"),
        ("control_turn", "f8"),  # rad
        ("control_rate", "f8"),  # rad/s
        ("control_effect", "f8"),
        ("control_moment", "f8"),
        ("control_stall", "f8"),  # share of what it adds by which the stall comes sooner
        ("flap_channel", "i8"),
        ("flap_turn", "f8"),
        ("flap_rate", "f8"),
        ("flap_effect", "f8"),
        ("flap_moment", "f8"),
        ("flap_stall", "f8"),
        ("behind", "i8"),  # the wing in whose downwash it flies; -1: none
        ("downwash", "f8"),
        ("blown_by", "i8"),  # the propeller whose wash meets it
        ("blown", "f8"),
        ("stations", STATION, (STATIONS,)),
        ("lifts", "f8", (SAMPLES,)),
        ("drags", "f8", (SAMPLES,)),
    ]
)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books what all stations give on its ledger line; returns the share of its area that is stalled
    where that counts. memory : 0 its
    mean lift coefficient, 1 and 2 the turns of control surface and flap, 3 the downwash far behind it,
    rad."""
    memory = now.memory[p]
    asked = now.asked[p, 0] if part.mixed == 1 else 0.0
    memory[1] = turned(memory[1], part.control_channel, asked, part.control_turn, part.control_rate, now)
    memory[2] = turned(memory[2], part.flap_channel, 0.0, part.flap_turn, part.flap_rate, now)
    for i in range(6):
        now.lines[p, i] = 0.0
    x, y, z, weights, stalled, lifts, pressed = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    sunk, blown = 0.0, 0.0
    freed = 1.0 - bound_by_ground(part, supports)
    helped = freed * part.polar.induced * memory[0]  # rad by which its own flow turns the air less
    if part.behind >= 0:
        sunk = part.downwash * now.memory[part.behind, 3]
    if part.blown_by >= 0:
        blown = part.blown * now.memory[part.blown_by, 1]
    for k in range(part.count):
        lever, chord, normal, ahead, down, density = met_by(part.stations[k], body, ground, sunk, blown)
        square = ahead * ahead + down * down
        if square == 0.0:
            continue
        lift, drag, nose, past = coefficients(part, part.stations[k], memory, math.atan2(down, ahead) + helped)
        drag = max(drag - freed * part.polar.induced * lift * lift, 0.0)
        press = 0.5 * gain * density * part.area
        speed = math.sqrt(square)
        # drag along the wind in the plane of the section, lift across it
        with_lift, with_drag = press * speed * lift, press * speed * drag
        force = (
            with_lift * (down * chord[0] + ahead * normal[0]) - with_drag * (ahead * chord[0] - down * normal[0]),
            with_lift * (down * chord[1] + ahead * normal[1]) - with_drag * (ahead * chord[1] - down * normal[1]),
            with_lift * (down * chord[2] + ahead * normal[2]) - with_drag * (ahead * chord[2] - down * normal[2]),
        )
        torque = spatial.cross(lever, force)
        nose_up = press * square * part.depth * nose
        about = spatial.cross(chord, normal)
        for i in range(3):
            now.lines[p, i] += force[i]
            now.lines[p, 3 + i] += torque[i] + nose_up * about[i]
        size = spatial.length(force)
        x, y, z = x + size * lever[0], y + size * lever[1], z + size * lever[2]
        weights += size
        lifts += lift / part.count
        stalled += past / part.count
        pressed += press * square
    memory[0], memory[3] = lifts, 2.0 * (1.0 - freed) * part.polar.induced * lifts
    if weights > 0.0:  # shown where its forces are in the mean
        now.points[p, 0] = body.position[0] + x / weights
        now.points[p, 1] = body.position[1] + y / weights
        now.points[p, 2] = body.position[2] + z / weights
    return stalled if pressed > SLIGHT * body.mass else 0.0


@compiled
def bound_by_ground(part, supports):
    """Share of the induced flow that is left over the ground: (16 h / b)2 / (1 + (16 h / b)2), h its height and b its
    span (McCormick, Aerodynamics, Aeronautics and Flight Mechanics, chapter 7)."""
    if part.ground_ray < 0 or supports[part.ground_ray].gap >= supports[part.ground_ray].reach:
        return 1.0
    high = 16.0 * max(supports[part.ground_ray].gap, 0.0) / part.span
    return high * high / (1.0 + high * high)


@compiled
def met_by(station, body, ground, sunk, blown):
    """The air that meets a station: its lever, m, unit vectors of chord and normal, world axes, m/s along the chord and
    against the normal, and kg/m3. sunk : rad of downwash. blown : m/s of wash."""
    lever = spatial.to_world(body.axes, (station.place[0], station.place[1], station.place[2]))
    chord = spatial.to_world(body.axes, (station.chord[0], station.chord[1], station.chord[2]))
    normal = spatial.to_world(body.axes, (station.normal[0], station.normal[1], station.normal[2]))
    against, density = environment.met_at(ground, body, lever)
    ahead, down = spatial.dot(against, chord), -spatial.dot(against, normal)
    down -= ahead * sunk
    if blown > 0.0:  # the air comes from the front of the craft
        ahead += blown * station.chord[0]
        down -= blown * station.normal[0]
    return lever, chord, normal, ahead, down, density


@compiled
def coefficients(part, station, memory, attack):
    """Coefficients of lift, drag and moment (nose up) of a station at an angle of attack, rad, with its surfaces as
    they are turned; and 1 where it is stalled, else 0."""
    control, flap = station.control * airfoil.working(memory[1]), station.flap * airfoil.working(memory[2])
    added = part.control_effect * control + part.flap_effect * flap
    angle = attack - part.zero_lift + added
    stall = part.polar.stall if angle > 0.0 else part.under
    kept = (1.0 - part.control_stall) * part.control_effect * control
    kept += (1.0 - part.flap_stall) * part.flap_effect * flap
    stall = max(stall + (kept if angle > 0.0 else -kept), 0.1 * stall)
    if part.drawn == 1:
        lift, drag = polarcurve.drawn_lift_and_drag(
            part.lifts, part.drags, part.first, part.last, part.polar.slope, part.polar.broadside, angle, kept
        )
    else:
        lift, drag = airfoil.lift_and_drag(part.polar, angle, stall)
    nose = part.moment + part.control_moment * control + part.flap_moment * flap
    return lift, drag, nose, 1.0 if abs(angle) > stall else 0.0


@compiled
def turned(turn, channel, asked, most, rate, now):
    """The turn of a surface, rad, a tick nearer to what its channel and a mixer ask."""
    level = asked
    if channel >= 0:
        level += now.channels[channel]
    wanted, step = most * min(max(level, -1.0), 1.0), rate * now.dt
    return turn + min(max(wanted - turn, -step), step)
