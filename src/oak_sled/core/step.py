"""One tick, from top to bottom.

`tick` is the order of things: channels, contacts as they stand, forces of every part, gravity and
damping, velocities, walls, limiters, positions. Every change of speed is booked on a ledger line
in the tick that made it, so that the lines of a tick sum to what the body really did.
"""

from __future__ import annotations

import math

from oak_sled.core import body as body_module
from oak_sled.core import spatial
from oak_sled.core.compiler.kernel import compiled, inlined, unit
from oak_sled.core.contact import meeting, walls
from oak_sled.core.parts import register, runner
from oak_sled.core.state import (
    CONTACT,
    DAMPING,
    EDGE,
    FIXED_LINES,
    FLY,
    GRAVITY,
    HOLDS,
    IN_PLACE,
    INTEGRATOR,
    LAND,
    WALLS,
    WEIGHTLESS,
)
from oak_sled.core.sudden import events, shots

FIXED = len(FIXED_LINES)


@inlined
def tick(world, now, raw):
    """Moves the craft by one tick (or one substep). raw : channel inputs, shape (channels,).

    Axes and inertia of `now` are in step with its attitude, at the start as at the end.
    """
    body, ground, drill = world.body[0], world.ground[0], world.drill[0]
    begin(now)
    if events.is_due(world.events, now):
        events.take_all(world.events, world.parts, now)
        read_motion(now)
    shape_channels(world.channels, drill, world.gates, now, raw)  # 1
    until_contacts(body, ground, world.parts, now)  # 2 to 5
    meet_walls(body, world.walls, now)  # 6
    after_contacts(body, ground, drill, world.parts, world.walls, world.gates, now, True)  # 7 and 8


@inlined
def tick_among(world, scene, sudden, now, raw):
    """The same tick for a craft among things, whose contacts the solver answers. sudden : see `shots.Sudden`."""
    body, ground, drill = world.body[0], world.ground[0], world.drill[0]
    begin(now)
    if events.is_due(world.events, now):
        events.take_all_among(world.events, world.parts, scene.solids, now)
        read_motion(now)
    shape_channels(world.channels, drill, world.gates, now, raw)  # 1
    let_fly(world.calls, world.parts, ground, scene, sudden, now)
    until_contacts(body, ground, world.parts, now)  # 2 to 5
    meeting.meet_things(body, scene, now, ground.gravity, now.parts + CONTACT)  # 6
    hold(body, now)
    if world.calls[LAND] != 0:
        shots.LANDING(world.calls[LAND], world.parts, scene, sudden, now)
    after_contacts(body, ground, drill, world.parts, world.walls, world.gates, now, False)  # 7 and 8


@inlined
def begin(now):
    """An empty ledger, and what the craft does at this moment."""
    clear(now)
    read_motion(now)
    for i in range(3):
        now.start_velocity[i], now.start_spin[i] = now.velocity[i], now.spin[i]
    start_momentum(now)


@unit
def let_fly(calls, parts, ground, scene, sudden, now):
    """What acts on other things than the craft: shots leave, blows fall, and shots in flight go on."""
    for p in range(now.parts):
        part = parts[p]
        if part.others == 0:
            continue
        for i in range(6):
            now.reaction[p, i] = 0.0
        if part.gain != 0.0:
            register.OTHERS(part.others, parts, p, scene, sudden, now)
    if calls[FLY] != 0:
        shots.FLYING(calls[FLY], parts, ground, scene, sudden, now)


@inlined
def until_contacts(body, ground, parts, now):
    """Supports, forces, gravity and damping, velocities."""
    stand(body, ground, now)  # 2
    push_parts(parts, body, ground, now)  # 3
    weigh_and_damp(body, ground, now)  # 4
    speed_up(body, now, (now.start_spin[0], now.start_spin[1], now.start_spin[2]))  # 5


@inlined
def after_contacts(body, ground, drill, parts, walls_there, gates, now, by_walls):
    """Limiters, then places."""
    limit(parts, body, now)  # 7
    v, w = now.velocity, now.spin
    if body.integrator == 1:
        v, w = now.start_velocity, now.start_spin
    velocity, spin = (v[0], v[1], v[2]), (w[0], w[1], w[2])
    move(body, ground, drill, walls_there, gates, now, velocity, spin, by_walls)  # 8
    now.time += now.dt


@compiled
def read_motion(now):
    """Heading and speeds of this moment, for everything that asks."""
    hx, hy = now.axes[0, 0], now.axes[1, 0]
    size = math.sqrt(hx * hx + hy * hy)
    if size > 1e-9:  # pointing straight up it keeps the heading it had
        now.heading_x, now.heading_y = hx / size, hy / size
    v = now.velocity
    now.speed = math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2])
    now.forward = v[0] * now.heading_x + v[1] * now.heading_y
    now.side = v[1] * now.heading_x - v[0] * now.heading_y


@compiled
def start_momentum(now):
    """Angular momentum about the centre of mass, from the spin."""
    momentum = spatial.times(now.inertia, (now.spin[0], now.spin[1], now.spin[2]))
    for i in range(3):
        now.momentum[i] = momentum[i]


@unit
def shape_channels(channels, drill, gates, now, raw):
    """Raw input -> dead zone -> response exponent -> rise and return rates -> value."""
    dt = now.dt
    for c in range(raw.shape[0]):
        setting = channels[c]
        wanted = raw[c]
        if drill.driver_channel == c:
            wanted = steer_for_gate(drill, gates, now)
        wanted = min(max(wanted, setting.low), 1.0)
        size = abs(wanted)
        if size <= setting.dead_zone:
            size = 0.0
        else:
            size = (size - setting.dead_zone) / (1.0 - setting.dead_zone)
        if setting.exponent != 1.0:
            size = size**setting.exponent
        wanted = size if wanted >= 0.0 else -size
        value = now.channels[c]
        now.before[c] = value
        if value * wanted < 0.0:
            wanted = 0.0  # it returns through zero before it rises on the other side
        step = dt * (setting.rise if abs(wanted) > abs(value) else setting.fall)
        now.channels[c] = value + min(max(wanted - value, -step), step)


@compiled
def steer_for_gate(drill, gates, now):
    """The steering of a driver who looks ahead: gain x bearing of the aim - damping x yaw rate.

    The aim is the middle of the next gate, and within the sight distance of it moves on toward the
    gate behind, so that the craft is already turning when it passes.
    """
    count = gates.shape[0]
    number = min(int(now.next_gate), count - 1)
    gate = gates[number]
    aim_x, aim_y = gate.x, gate.y
    next_x, next_y = gate.x + drill.driver_sight * gate.cos, gate.y + drill.driver_sight * gate.sin
    if number + 1 < count:
        next_x, next_y = gates[number + 1].x, gates[number + 1].y
    away = math.hypot(gate.x - now.position[0], gate.y - now.position[1])
    if now.next_gate >= count:
        aim_x, aim_y = now.position[0] + gate.cos, now.position[1] + gate.sin
    elif drill.driver_sight > 0.0 and away < drill.driver_sight:
        share = 0.5 * (1.0 - away / drill.driver_sight)
        aim_x += share * (next_x - gate.x)
        aim_y += share * (next_y - gate.y)
    dx, dy = aim_x - now.position[0], aim_y - now.position[1]
    ahead = dx * now.heading_x + dy * now.heading_y
    left = dy * now.heading_x - dx * now.heading_y
    return drill.driver_gain * math.atan2(left, ahead) - drill.driver_damping * now.spin[2]


@compiled
def stand(body, ground, now):
    """What of the craft is on the ground, and the load it carries there."""
    if now.among == 1.0 and body.free[2] == 1.0:
        return  # what carried it in the tick before says so
    now.on_ground = 1.0 if now.position[2] - body.foot <= runner.TOUCH else 0.0
    weight = body.mass * ground.gravity * body.gravity_scale
    now.load = max(weight, 0.0) * now.on_ground


@compiled
def clear(now):
    """An empty ledger, with every point of action at the centre of mass."""
    for k in range(now.parts + FIXED):
        for i in range(6):
            now.lines[k, i] = 0.0
        for i in range(3):
            now.points[k, i] = now.position[i]


@compiled
def push_parts(parts, body, ground, now):
    """Every part books its force, scaled by its gain: trim, mute and solo in one number.

    Dry friction (runners, brakes) stands behind the rest, since it answers what the rest pushes.
    """
    for p in range(now.parts):
        part = parts[p]
        now.activity[p] = 0.0
        if part.gain == 0.0:
            continue
        if part.act != 0:
            if part.foresees == 1:
                body_module.foresee(now)
            now.activity[p] = register.ACT(part.act, part.own, p, body, ground, now)
        if part.gain != 1.0:
            for i in range(6):
                now.lines[p, i] *= part.gain
    for p in range(body.first_limiter, now.parts):
        part = parts[p]
        if part.gain > 0.0:
            now.activity[p] = register.FADE(part.fade, part.own, part.gain, parts, p, now)


@compiled
def weigh_and_damp(body, ground, now):
    """Gravity, and the damping of the body in the law it was set to."""
    if now.held != WEIGHTLESS:
        now.lines[now.parts + GRAVITY, 2] = -body.mass * ground.gravity * body.gravity_scale
    k = now.parts + DAMPING
    if body.damping != 0.0:
        lost = damping_share(body.damping_law, body.damping, now)
        for i in range(3):
            now.lines[k, i] = -lost * body.mass * now.velocity[i] / now.dt
    if body.spin_damping != 0.0:
        lost = damping_share(body.damping_law, body.spin_damping, now)
        for i in range(3):
            now.lines[k, 3 + i] = -lost * now.momentum[i] / now.dt


@compiled
def damping_share(law, number, now):
    """The share of a speed that damping takes in this tick: exact, implicit, explicit, or a fixed share.

    A fixed share belongs to the nominal tick; substeps of it take together what that tick takes.
    """
    if law == 0:
        return 1.0 - math.exp(-number * now.dt)
    if law == 1:
        return 1.0 - 1.0 / (1.0 + number * now.dt)
    if law == 2:
        return number * now.dt
    if now.dt != now.nominal_dt:
        return 1.0 - (1.0 - number) ** (now.dt / now.nominal_dt)
    return number


@compiled
def speed_up(body, now, start_spin):
    """Velocities from the sum of the lines; what held axes took is booked as theirs."""
    for i in range(3):
        force, torque = 0.0, 0.0
        for k in range(now.parts + 2):
            force += now.lines[k, i]
            torque += now.lines[k, 3 + i]
        now.velocity[i] += now.dt * force / body.mass
        now.momentum[i] += now.dt * torque
    spin = spatial.times(now.inverse_inertia, (now.momentum[0], now.momentum[1], now.momentum[2]))
    if body.integrator == 1:
        # explicit: the gyroscopic term enters as a torque of the start of the tick
        whirl = spatial.cross(start_spin, spatial.times(now.inertia, start_spin))
        kick = spatial.times(now.inverse_inertia, whirl)
        spin = (spin[0] - now.dt * kick[0], spin[1] - now.dt * kick[1], spin[2] - now.dt * kick[2])
    for i in range(3):
        now.spin[i] = spin[i]
    hold(body, now)


@compiled
def hold(body, now):
    """Takes back every speed along a held axis, or all of it while a sling holds the craft, and books that."""
    k = now.parts + HOLDS
    if now.held == IN_PLACE:
        events.hold_in_place(now, k)
        return
    held_spin = False
    for i in range(3):
        if body.free[i] == 0.0:
            now.lines[k, i] -= body.mass * now.velocity[i] / now.dt
            now.velocity[i] = 0.0
        held_spin = held_spin or body.free_spin[i] == 0.0
    if held_spin:
        true = spatial.times(now.inertia, (now.spin[0], now.spin[1], now.spin[2]))
        for i in range(3):
            if body.free_spin[i] == 0.0:
                now.lines[k, 3 + i] += (true[i] - now.momentum[i]) / now.dt
                now.momentum[i] = true[i]


@unit
def meet_walls(body, all_walls, now):
    """The walls answer; on the bumper's line if one is fitted, else on their own."""
    k = body.bumper_line if body.bumper_line >= 0 else now.parts + WALLS
    now.in_wall = walls.meet(body, all_walls, now, k)
    now.clear_for = 0.0 if now.in_wall > 0.0 else now.clear_for + now.dt
    if body.bumper_line >= 0:
        now.activity[k] = now.in_wall
    if now.in_wall > 0.0:
        hold(body, now)


@compiled
def limit(parts, body, now):
    """Limiters, last of all that changes a speed; they stand last among the parts."""
    for p in range(body.first_limiter, now.parts):
        part = parts[p]
        if part.gain > 0.0:
            acted = register.LIMIT(part.limit, part.own, part.gain, p, now)
            now.activity[p] = max(now.activity[p], acted)


@unit
def move(body, ground, drill, all_walls, gates, now, velocity, spin, by_walls):
    """Place and attitude; a fast craft stops at the wall it would pass through; then gates and edges."""
    dx, dy, dz = velocity[0] * now.dt, velocity[1] * now.dt, velocity[2] * now.dt
    share = 1.0
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    if by_walls and length >= 0.5 * body.thinnest:
        share = walls.clear_way(body, all_walls, now, dx, dy, dz)
    old_x, old_y = now.position[0], now.position[1]
    now.position[0] += share * dx
    now.position[1] += share * dy
    now.position[2] += share * dz
    now.moved += share * length
    turn_body(body, now, spin)
    pass_gate(gates, now, old_x, old_y, now.position[0], now.position[1])
    meet_edge(ground, drill, now)


@compiled
def turn_body(body, now, spin):
    """Attitude after the tick, and the spin that the kept angular momentum means there."""
    free = body.free_spin[0] * body.free_spin[1] * body.free_spin[2]
    if body.integrator == 0 and free == 1.0:
        body_module.turn_freely(body, now, now.dt, now.scratch[0], now.scratch[1])
    else:
        spatial.turn(now.attitude, (spin[0] * now.dt, spin[1] * now.dt, spin[2] * now.dt))
    body_module.refresh(body, now)
    if body.integrator == 0:
        after = spatial.times(now.inverse_inertia, (now.momentum[0], now.momentum[1], now.momentum[2]))
        for i in range(3):
            now.spin[i] = after[i]
        hold(body, now)
        return
    true = spatial.times(now.inertia, (now.spin[0], now.spin[1], now.spin[2]))
    for i in range(3):
        now.lines[now.parts + INTEGRATOR, 3 + i] += (true[i] - now.momentum[i]) / now.dt
        now.momentum[i] = true[i]


@compiled
def pass_gate(gates, now, old_x, old_y, x, y):
    """Counts the next gate as passed or missed when its line is crossed in its direction."""
    number = int(now.next_gate)
    if number >= gates.shape[0] or gates[number].half_width <= 0.0:
        return
    gate = gates[number]
    before = (old_x - gate.x) * gate.cos + (old_y - gate.y) * gate.sin
    after = (x - gate.x) * gate.cos + (y - gate.y) * gate.sin
    if before < 0.0 <= after:
        share = before / (before - after)
        cross_x, cross_y = old_x + share * (x - old_x), old_y + share * (y - old_y)
        aside = (cross_y - gate.y) * gate.cos - (cross_x - gate.x) * gate.sin
        now.next_gate += 1.0
        if abs(aside) > gate.half_width:
            now.gates_missed += 1.0


@compiled
def meet_edge(ground, drill, now):
    """The edge of the ground: open, wrapped round, or back to the start. Edge walls are walls."""
    if ground.edge_kind == 0 or ground.edge_kind == 2:
        return
    outside = False
    for i in range(2):
        size = ground.high[i] - ground.low[i]
        if now.position[i] < ground.low[i] or now.position[i] > ground.high[i]:
            outside = True
            if ground.edge_kind == 1:
                now.position[i] -= size * math.floor((now.position[i] - ground.low[i]) / size)
    if outside and ground.edge_kind == 3:
        start, k = drill.start, now.parts + EDGE
        for i in range(3):
            now.lines[k, i] -= now.mass * now.velocity[i] / now.dt
            now.lines[k, 3 + i] -= now.momentum[i] / now.dt
            now.position[i] = start[i]
            now.velocity[i] = 0.0
            now.spin[i] = 0.0
            now.momentum[i] = 0.0
        for i in range(4):
            now.attitude[i] = start[3 + i]
