"""Forces of runners on their craft in a tick: the equations of `runner`. Its laws stand in `runnerlaws`."""

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.kernel import environment, spatial, surface
from oak_sled.core.parts import dryfriction
from oak_sled.core.parts.runnerlaws import force_of

CREEP = 0.25
"""m/s below which a slip angle loses its meaning, and the edge holds like dry friction more and more."""
TOUCH = 0.02
"""m above the ground within which a runner still carries load."""


@compiled
def slide_share(part, slip, memory, foot, dt):
    """Share to which a foot slides, 0 to 1, after `dt` at this slip angle.

    It breaks loose past one angle and grips again below a smaller one (memory 4 to 7 keeps which),
    and the share (memory 0 to 3) follows over the blend time, so that grip does not jump in a tick.
    """
    if slip > part.slides_past:
        memory[4 + foot] = 1.0
    elif slip < part.grips_below:
        memory[4 + foot] = 0.0
    step = part.blend_rate * dt
    change = memory[4 + foot] - memory[foot]
    memory[foot] += min(max(change, -step), step)
    return memory[foot]


@compiled
def side_force(part, gain, slip, along, side, stops, load, now):
    """The wanted side force without its cap, by formula or by its law; >= 0, N.

    along, side : m/s of the foot. stops : kg/s, what its side speed takes to be stopped in this tick.
    """
    if part.formula.at != 0:
        share = by_formula(part, slip, math.hypot(along, side), load)
        return gain * part.side_grip * load * share
    return force_of(part, gain, slip, load, stops, abs(side), now.dt / now.nominal_dt)


@compiled
def by_formula(part, slip, speed, load):
    """Share of the side grip by the formula of the user, at a slip angle (rad), a speed (m/s) and a load (N)."""
    part.formula.given[0], part.formula.given[1], part.formula.given[2] = slip, speed, load
    share = machine.value_of(part.formula)
    return max(share, 0.0)


@unit
def law_grip(part, given):
    """The share of the side grip at the quantities of its place: see GRIP."""
    if part.formula.at != 0:
        return by_formula(part, given[0], given[1], given[2])
    if part.side_grip == 0.0:
        return 0.0
    return min(force_of(part, 1.0, given[0], 1.0, part.side_grip, 1.0, 1.0) / part.side_grip, 1.0)


@compiled
def slip_angle(along, side):
    """The angle of the motion to the runner, rad: at standstill, where it has none, it goes to 0."""
    along, side = abs(along), abs(side)
    if along + side >= CREEP:
        return math.atan2(side, along)
    return math.atan2(side, along + CREEP - (along + side))


@compiled
def foot_force(part, gain, p, foot, frame, support, surface, body, now):
    """Force of one foot along the runner and to its left, N, and how far it slides.

    frame : its lever, m, and unit vectors ahead and to the left, world axes. surface : load, N, its share of that on
    all feet, and the shares of grip and of sliding resistance that the ground leaves.

    A foot never takes more than would stop its own share of the craft in this tick, counted with what the parts before
    it push and with the friction of the tick before (`now.next_velocity`, see `dryfriction`).
    """
    lever, ahead, left = frame
    load, share, grip, glide = surface
    below = (support.velocity[0], support.velocity[1], support.velocity[2])
    swing = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    v = (body.velocity[0] - below[0], body.velocity[1] - below[1], body.velocity[2] - below[2])
    u = (v[0] + swing[0], v[1] + swing[1], v[2] + swing[2])
    along, side = spatial.dot(u, ahead), spatial.dot(u, left)
    later = spatial.cross((now.next_spin[0], now.next_spin[1], now.next_spin[2]), lever)
    v = (now.next_velocity[0] - below[0], now.next_velocity[1] - below[1], now.next_velocity[2] - below[2])
    n = (v[0] + later[0], v[1] + later[1], v[2] + later[2])
    along_next, side_next = spatial.dot(n, ahead), spatial.dot(n, left)
    slip = slip_angle(along, side)
    sliding = slide_share(part, slip, now.memory[p], foot, now.dt)
    left_grip = grip * (1.0 - sliding * (1.0 - part.slide_grip))
    mass_side = share * dryfriction.mass_of_all(support, body, lever, left, False)
    mass_along = share * dryfriction.mass_of_all(support, body, lever, ahead, False)
    wanted = side_force(part, gain, slip, along, side, mass_side / now.dt, load, now)
    bite = wanted * left_grip
    most_bite = gain * part.side_grip * load * left_grip
    if part.each_tick == 0 or part.formula.at != 0:
        # a slip angle means little near standstill: there the edge holds like dry friction
        stick = 1.0 - (abs(along) + abs(side)) / CREEP
        most = min(max(bite, stick * most_bite), most_bite)
        holds = dryfriction.holding(support, left, mass_side, side_next, now.dt)
        bite = min(max(holds, -most), most)
    else:
        bite = min(bite, most_bite)
        bite = -bite if side > 0.0 else bite
    most = gain * part.glide * load * glide
    holds = dryfriction.holding(support, ahead, mass_along, along_next, now.dt)
    return min(max(holds, -most), most), bite, sliding


@compiled
def ways(part, body, now):
    """Along the runners and to their left, unit, on the ground that carries the craft."""
    x, y = now.heading_x, now.heading_y
    if part.steer_channel >= 0:
        turn = part.steer * now.channels[part.steer_channel]
        cos, sin = math.cos(turn), math.sin(turn)
        x, y = x * cos - y * sin, y * cos + x * sin
    up = environment.to_level(now, (now.up[0], now.up[1], now.up[2]))
    if up[2] == 1.0:
        return environment.from_level(now, (x, y, 0.0)), environment.from_level(now, (-y, x, 0.0))
    into = x * up[0] + y * up[1]
    ahead = (x - into * up[0], y - into * up[1], -into * up[2])
    size = spatial.length(ahead)
    if size < 1e-9:
        return environment.from_level(now, (x, y, 0.0)), environment.from_level(now, (-y, x, 0.0))
    ahead = (ahead[0] / size, ahead[1] / size, ahead[2] / size)
    left = spatial.cross(up, ahead)
    return environment.from_level(now, ahead), environment.from_level(now, left)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the forces of all feet of runner `p` on its ledger line; returns the largest slide share.

    Each foot carries what its support says. Of what has to be stopped, a foot answers for one part in as many as there
    are loaded feet from this runner on: those before it have taken theirs.
    """
    ahead, left = ways(part, body, now)
    weights, most = 0.0, 0.0
    middle_x, middle_y, middle_z = 0.0, 0.0, 0.0
    standing, pending = 0.0, (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    for k in range(part.first_support, part.last_support):
        if supports[k].load > 0.0:
            standing += supports[k].load
            pending = dryfriction.add_pending(pending, supports[k], dryfriction.foot_lever(supports[k], body))
    if dryfriction.leans(body):
        pending = dryfriction.not_booked_yet(p, now)
    dryfriction.add_predicted(pending, body, now)
    for foot in range(part.columns * part.rows):
        support = supports[part.first_support + foot]
        if support.load <= 0.0:
            dryfriction.keep(support, (0.0, 0.0, 0.0))
            continue
        lever = dryfriction.foot_lever(support, body)
        load = support.load
        grip, glide, shake = ground.grip, ground.grip, 0.0
        if ground.patch_count > 0:
            x, y = body.position[0] + lever[0], body.position[1] + lever[1]
            k = surface.under(ground.patches, ground.patch_count, x, y)
            if k >= 0:
                patch = ground.patches[k]
                grip, glide = grip * patch.grip, glide * patch.glide
                shake = load * patch.roughness * surface.bump(x, y)
                load = max(load + shake, 0.0)
        share = support.load / standing
        frame, below = (lever, ahead, left), (load, share, grip, glide)
        drag, bite, sliding = foot_force(part, gain, p, foot, frame, support, below, body, now)
        friction = (
            drag * ahead[0] + bite * left[0],
            drag * ahead[1] + bite * left[1],
            drag * ahead[2] + bite * left[2],
        )
        dryfriction.keep(support, friction)
        if support.below < 0:
            shake = 0.0  # what holds it level takes the bumps
        force = (
            friction[0] + gain * shake * now.up[0],
            friction[1] + gain * shake * now.up[1],
            friction[2] + gain * shake * now.up[2],
        )
        most = max(most, sliding)
        torque = spatial.cross(lever, force)
        for i in range(3):
            now.lines[p, i] += force[i]
            now.lines[p, 3 + i] += torque[i]
        size = math.sqrt(drag * drag + bite * bite) + 1e-9
        weights += size
        middle_x += size * lever[0]
        middle_y += size * lever[1]
        middle_z += size * lever[2]
    if weights > 0.0:  # shown where the forces act, weighed by their size
        now.points[p, 0] += middle_x / weights
        now.points[p, 1] += middle_y / weights
        now.points[p, 2] += middle_z / weights
    return most
