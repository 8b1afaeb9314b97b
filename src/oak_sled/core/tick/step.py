"""One tick, from top to bottom, each stage over all bodies.

`tick` is the order of the stages: events, channels, what acts on other bodies, supports, forces of parts, gravity and
damping, velocities, contacts, limiters, positions. Every change of speed of a craft is booked on a line of its ledger
in the tick that made it, so that the lines of a tick sum to what the body really did.

One file, so that the order of a tick is read from above downward.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, inlined, unit
from oak_sled.core.contact import crossing, immersion, links, pushes, rays, stage
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, seams, spatial
from oak_sled.core.kernel.state import (
    ARRIVES,
    CAST,
    COLLIDE,
    COMMAND,
    DAMPING,
    EDGE,
    FIXED_LINES,
    FLY,
    FORWARD,
    GRAVITY,
    HOLDS,
    IN_PLACE,
    INTEGRATOR,
    LAND,
    LATENESS,
    LEVEL,
    LEVER,
    NEWEST,
    NOTCH,
    OTHERS,
    PRESSED,
    PUSH_BACK,
    RETURNS,
    SPENT,
    STEERING,
    TICK,
    TOGGLE,
    WEIGHTLESS,
    WISHES,
)
from oak_sled.core.parts import register, runnerforce, shots
from oak_sled.core.tick import events

FIXED = len(FIXED_LINES)
EXACT, IMPLICIT, EXPLICIT = range(3)


@inlined
def tick(world, scene, shot_memory, nows, raw):
    """Moves every body by one tick (or one substep).

    nows : a record of NOW for every body of a craft. raw : channel inputs of all crafts, shape (channels,).
    shot_memory : see `shots.ShotMemory`.

    Axes and inertia of a craft are in step with its attitude, at the start as at the end.
    """
    crafts, bodies, ground = world.crafts, scene.solids, world.ground[0]
    if ground.winds > 0:
        ground.time = nows[0].time
    for k in range(ground.wells):
        for i in range(3):
            ground.well[k].middle[i] = bodies[ground.well[k].solid].position[i]
    for c in range(crafts.shape[0]):
        begin(bodies[crafts[c].body], ground, nows[c])
    if events.is_due(world.events, nows[0]):
        events.take_all(world.events, crafts, world.parts, scene, nows)
        for c in range(crafts.shape[0]):
            read_motion(bodies[crafts[c].body], nows[c])
    for c in range(crafts.shape[0]):
        if crafts[c].lead == c:
            body = bodies[crafts[c].body]
            shape_channels(crafts[c], world.channels, world.gates, world.late, body, nows[c], raw)  # 1
    if world.calls[CAST] != 0:
        rays.CAST(world.calls[CAST], crafts, scene, world.supports, nows)  # 2
    if world.calls[COMMAND] != 0:
        command_channels(crafts, world.parts, scene, ground, world.supports, nows, True)  # 2b
    followers = False
    for c in range(crafts.shape[0]):
        if crafts[c].lead != c:
            followers = True
            take_channels(nows[crafts[c].lead], nows[c])
    if followers and world.calls[COMMAND] != 0:
        command_channels(crafts, world.parts, scene, ground, world.supports, nows, False)
    links.take_channels(scene, nows)
    if world.calls[OTHERS] != 0:
        act_on_others(crafts, world.parts, scene, shot_memory, nows)
    if world.calls[FLY] != 0:
        shots.FLYING(world.calls[FLY], world.parts, ground, scene, shot_memory, nows[0].dt)
    for c in range(crafts.shape[0]):
        craft, now = crafts[c], nows[c]
        body = bodies[craft.body]
        stand(craft, body, ground, world.supports, now)  # 2
        weigh(craft, body, ground, now)
        immerse(craft, scene, ground, now)
        push_parts(craft, world.parts, body, ground, world.supports, now)  # 3
        force, torque = damp(craft, body, now)  # 4
        speed_up(craft, body, now, force, torque)  # 5
    if world.calls[PUSH_BACK] != 0:
        rays.PUSH_BACK(world.calls[PUSH_BACK], crafts, scene, world.supports, nows)
    if world.calls[COLLIDE] != 0:
        stage.STAGE(world.calls[COLLIDE], crafts, scene, world.supports, ground, nows)  # 6
        for c in range(crafts.shape[0]):
            hold(crafts[c], bodies[crafts[c].body], nows[c])
    if world.calls[LAND] != 0:
        shots.LANDING(world.calls[LAND], crafts, world.parts, scene, shot_memory, nows)
    for c in range(crafts.shape[0]):
        craft, now = crafts[c], nows[c]
        body = bodies[craft.body]
        limit(craft, world.parts, body, now)  # 7
        move(craft, body, ground, world.gates, now)  # 8
        if ground.edge_kind == 3:
            reach_edge(ground, crafts, c, bodies, nows)
        if ground.pushing > 0:
            bring_back(crafts, c, scene, ground, nows)
        now.time += now.dt
    links.finish(scene, nows[0].dt)
    if seams.wraps(ground.period):
        crossing.bring_all(scene, ground)


@compiled
def look(world, scene, nows):
    """Books what every part, gravity and damping push at this moment, and moves nothing: see `probe`."""
    if world.calls[CAST] != 0:
        rays.CAST(world.calls[CAST], world.crafts, scene, world.supports, nows)
    for c in range(world.crafts.shape[0]):
        craft, now = world.crafts[c], nows[c]
        body, ground = scene.solids[craft.body], world.ground[0]
        if ground.winds > 0:
            ground.time = now.time
        body_module.refresh(body, now)
        begin(body, ground, now)
        now.fuel = 1.0  # nothing is empty while it is only asked
        stand(craft, body, ground, world.supports, now)
        weigh(craft, body, ground, now)
        immerse(craft, scene, ground, now)
        push_parts(craft, world.parts, body, ground, world.supports, now)
        damp(craft, body, now)


@inlined
def begin(body, ground, now):
    """An empty ledger, and what the craft does at this moment."""
    clear(body, now)
    environment.level(ground, body, now)
    read_motion(body, now)
    now.aloft = 0.0 if now.on_ground > 0.0 else now.aloft + now.dt
    now.fuel_before, now.fuel, now.burnt, now.burn = now.fuel, 0.0, now.burn, 0.0
    for i in range(3):
        now.start_velocity[i], now.start_spin[i] = body.velocity[i], body.spin[i]
    start_momentum(body, now)


@unit
def act_on_others(crafts, parts, scene, shot_memory, nows):
    """Lets parts act on other bodies than their craft: shots leave, and knockbacks act."""
    for c in range(crafts.shape[0]):
        craft, now = crafts[c], nows[c]
        for p in range(craft.parts):
            part = parts[craft.first_part + p]
            if part.others == 0:
                continue
            for i in range(6):
                now.reaction[p, i] = 0.0
            if part.gain != 0.0 and now.lost[p] == 0.0:
                register.OTHERS(part.others, crafts, parts, c, p, scene, shot_memory, nows)


@compiled
def read_motion(body, now):
    """Heading and speeds of this moment, for everything that asks."""
    hx, hy, _ = environment.to_level(now, (body.axes[0, 0], body.axes[1, 0], body.axes[2, 0]))
    size = math.sqrt(hx * hx + hy * hy)
    if size > 1e-9:  # pointing straight up it keeps the heading it had
        now.heading_x, now.heading_y = hx / size, hy / size
    v = environment.to_level(now, (body.velocity[0], body.velocity[1], body.velocity[2]))
    now.speed = math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2])
    now.forward = v[0] * now.heading_x + v[1] * now.heading_y
    now.side = v[1] * now.heading_x - v[0] * now.heading_y


@compiled
def start_momentum(body, now):
    """Angular momentum about the centre of mass, from the spin."""
    momentum = spatial.times(now.inertia, (body.spin[0], body.spin[1], body.spin[2]))
    for i in range(3):
        now.momentum[i] = momentum[i]


@unit
def shape_channels(craft, channels, gates, late, body, now, raw):
    """Raw input -> sensitivity -> dead zone -> response exponent -> smoothing -> rise and return rates, or what stays
    -> value."""
    dt = now.dt
    steering, forward = 0.0, now.forward
    if craft.driver_channel >= 0:
        steering = steer_for_gate(craft, gates, body, now)
    if craft.late_room > 0:
        steering, forward = come_late(craft, late, steering, forward)
    for c in range(craft.channels):
        setting = channels[craft.first_channel + c]
        wanted = raw[craft.first_channel + c]
        if craft.driver_channel == c:
            wanted = steering
        elif craft.pace_channel == c:
            wanted = craft.pace_gain * (wanted * craft.pace - forward)
        now.before[c] = now.channels[c]
        if setting.takes != LEVEL:
            now.raw[c] = wanted
            now.shaped[c] = moved_by(setting, now, c, spread(setting, now, c, setting.sensitivity * wanted))
            now.channels[c] = with_offset(setting, now.shaped[c])
            continue
        now.raw[c] = min(max(wanted, setting.least_input), 1.0)
        wanted = min(max(setting.sensitivity * now.raw[c], setting.least_input), 1.0)
        size = abs(wanted)
        if size <= setting.dead_zone:
            size = 0.0
        else:
            size = (size - setting.dead_zone) / (1.0 - setting.dead_zone)
        if setting.exponent != 1.0:
            size = size**setting.exponent
        wanted = size if wanted >= 0.0 else -size
        if setting.smoothing > 0.0:
            now.smooth[c] += (1.0 - math.exp(-dt / setting.smoothing)) * (wanted - now.smooth[c])
            wanted = now.smooth[c]
        if setting.stays == RETURNS:
            value = now.shaped[c]
            if value * wanted < 0.0:
                wanted = 0.0  # it returns through zero before it rises on the other side
            step = dt * (setting.rise if abs(wanted) > abs(value) else setting.fall)
            now.shaped[c] = value + min(max(wanted - value, -step), step)
        else:
            now.shaped[c] = stay(setting, now, c, wanted)
        now.channels[c] = with_offset(setting, now.shaped[c])


@compiled
def come_late(craft, late, steering, forward):
    """The steering of a driver, and the speed by which he holds his pace, as they come in by the delays of the drill:
    the newest of what was sent that is there; as he began until anything is."""
    room = craft.late_room - 1
    head, first = late[craft.late_first], craft.late_first + 1
    tick = int(head[TICK])
    sent = late[first + tick % room]
    sent[ARRIVES], sent[STEERING], sent[FORWARD] = tick + sent[LATENESS], steering, forward
    if tick == 0:
        head[STEERING], head[FORWARD] = 0.0, forward
    for k in range(int(head[NEWEST]), tick + 1):
        one = late[first + k % room]
        if one[ARRIVES] <= tick:
            head[NEWEST], head[STEERING], head[FORWARD] = k + 1, one[STEERING], one[FORWARD]
    head[TICK] = tick + 1
    return head[STEERING], head[FORWARD]


@compiled
def spread(setting, now, c, moved):
    """The share of a movement that is given in this tick; what is left is given later, so that the sum of all is kept.
    Notches are not spread."""
    if setting.smoothing <= 0.0 or setting.takes == NOTCH:
        return moved
    waiting = now.smooth[c] + moved
    given = (1.0 - math.exp(-now.dt / setting.smoothing)) * waiting
    now.smooth[c] = waiting - given
    return given


@compiled
def with_offset(setting, value):
    """The value of a channel with that of its trim wheel."""
    if setting.offset == 0.0:
        return value
    return min(max(value + setting.offset, setting.low), 1.0)


@compiled
def take_channels(lead, now):
    """The channels of a craft, for the parts that are on another of its bodies than the first."""
    for c in range(lead.channel_count):
        now.channels[c], now.before[c] = lead.channels[c], lead.before[c]


@compiled
def stay(setting, now, c, wanted):
    """The value of a channel that stays where it is: input moves a lever at its rate, a press steps the others."""
    value = now.shaped[c]
    if setting.stays == SPENT:
        return wanted
    if setting.stays == LEVER:
        return min(max(value + now.dt * setting.rise * wanted, setting.low), 1.0)
    pressed = 1.0 if wanted > PRESSED else -1.0 if wanted < -PRESSED else 0.0
    is_new = pressed != 0.0 and pressed != now.pressed[c]
    now.pressed[c] = pressed
    if not is_new:
        return value
    if setting.stays == TOGGLE:
        end = 1.0 if pressed > 0.0 else setting.low
        return 0.0 if value == end else end
    step = (1.0 - setting.low) / (setting.notches - 1.0)
    notch = math.floor((value - setting.low) / step + 0.5) + pressed
    return setting.low + step * min(max(notch, 0.0), setting.notches - 1.0)


@compiled
def moved_by(setting, now, c, moved):
    """The value of a channel whose input moves it: all of an increment at once, or so many steps."""
    value = now.shaped[c]
    if setting.stays == SPENT:
        return moved
    if setting.takes == NOTCH and setting.stays == TOGGLE:
        end = 1.0 if moved > 0.0 else setting.low
        if math.floor(0.5 * (abs(moved) + 0.5)) == math.floor(0.5 * (abs(moved) + 1.5)):  # an even number of them
            return value
        return 0.0 if value == end else end
    if moved == 0.0:
        if setting.stays == RETURNS:
            step = now.dt * setting.fall
            return value - min(max(value, -step), step)
        return value
    if setting.takes == NOTCH:
        moved *= (1.0 - setting.low) / (setting.notches - 1.0)
    return min(max(value + moved, setting.low), 1.0)


@compiled
def command_channels(crafts, parts, scene, ground, supports, nows, first):
    """Controllers on the first bodies of crafts, or on the others, from the state at the start of the tick: they write
    what parts read of the channels, those on a further body for the parts there, and what is asked of actuators."""
    for c in range(crafts.shape[0]):
        if (crafts[c].lead == c) != first:
            continue
        craft, now = crafts[c], nows[c]
        body = scene.solids[craft.body]
        for k in range(WISHES):
            now.wish[k] = 0.0
        for p in range(craft.parts):
            now.asked[p, 0], now.asked[p, 1] = 0.0, 0.0
        for p in range(craft.parts):
            part = parts[craft.first_part + p]
            if part.command != 0 and part.gain != 0.0 and now.lost[p] == 0.0:
                register.COMMAND(part.command, part.own, part.gain, p, body, scene.solids, ground, supports, now)


@compiled
def steer_for_gate(craft, gates, body, now):
    """The steering of a driver who looks ahead: gain x bearing of the aim - damping x yaw rate.

    The aim is the middle of the next gate, and within the sight distance of it moves on toward the
    gate behind, so that the craft is already turning when it passes.
    """
    count = gates.shape[0]
    number = min(int(now.next_gate), count - 1)
    gate = gates[number]
    aim_x, aim_y = gate.x, gate.y
    next_x, next_y = gate.x + craft.driver_sight * gate.cos, gate.y + craft.driver_sight * gate.sin
    if number + 1 < count:
        next_x, next_y = gates[number + 1].x, gates[number + 1].y
    away = math.hypot(gate.x - body.position[0], gate.y - body.position[1])
    if now.next_gate >= count:
        aim_x, aim_y = body.position[0] + gate.cos, body.position[1] + gate.sin
    elif craft.driver_sight > 0.0 and away < craft.driver_sight:
        share = 0.5 * (1.0 - away / craft.driver_sight)
        aim_x += share * (next_x - gate.x)
        aim_y += share * (next_y - gate.y)
    dx, dy, _ = environment.to_level(now, (aim_x - body.position[0], aim_y - body.position[1], 0.0))
    _, _, turning = environment.to_level(now, (body.spin[0], body.spin[1], body.spin[2]))
    ahead = dx * now.heading_x + dy * now.heading_y
    left = dy * now.heading_x - dx * now.heading_y
    return craft.driver_gain * math.atan2(left, ahead) - craft.driver_damping * turning


@compiled
def stand(craft, body, ground, supports, now):
    """The supports of a craft whose height is held: its feet that touch the level plane share its weight.

    Those of a free craft are what its contacts of the tick before say.
    """
    if craft.free[2] == 1.0:
        return
    touching = 0.0
    last = craft.first_support + max(craft.feet, 1)  # a hull has one, and only where there are no feet
    for k in range(craft.first_support, last):
        foot = supports[k]
        foot.load = 0.0
        lever = spatial.to_world(body.axes, (foot.at[0], foot.at[1], foot.at[2]))
        for i in range(3):
            foot.point[i] = body.position[i] + lever[i]
        foot.gap = foot.point[2]
        if foot.gap <= runnerforce.TOUCH:
            touching += 1.0
    now.on_ground = 1.0 if touching > 0.0 else 0.0
    gravity = environment.strength_at(ground, body.position[0], body.position[1], body.position[2])
    weight = max(body.mass * gravity * craft.gravity_scale, 0.0)
    now.load = weight * now.on_ground
    if touching == 0.0:
        return
    for k in range(craft.first_support, last):
        if supports[k].gap <= runnerforce.TOUCH:
            supports[k].load = weight / touching


@compiled
def clear(body, now):
    """An empty ledger, with the point where each part acts at the centre of mass."""
    x, y, z = body.position[0], body.position[1], body.position[2]
    leans = body.free_spin[0] + body.free_spin[1] > 0.0
    if now.moved_along == 1:
        now.moved_along = 0
        for k in range(now.parts + FIXED + now.volumes):
            for i in range(6):
                now.added[k, i] = 0.0
    for k in range(now.parts + FIXED + now.volumes):
        for i in range(6):
            if leans:
                now.last[k, i] = now.lines[k, i]
            now.lines[k, i] = 0.0
    for k in range(now.parts):
        now.points[k, 0] = x
        now.points[k, 1] = y
        now.points[k, 2] = z


@compiled
def push_parts(craft, parts, body, ground, supports, now):
    """Every part books its force. Its gain (trim, mute and solo in one number) stands before its caps.

    Dry friction (runners, brakes, then wheels) comes last, since it answers what the rest pushes.
    """
    first = craft.first_part
    for p in range(now.parts):
        part = parts[first + p]
        now.activity[p] = 0.0
        if part.gain == 0.0 or part.act == 0 or now.lost[p] != 0.0:
            continue
        if part.predicts == 1:
            body_module.predict_velocity(body, now)
        now.activity[p] = register.ACT(part.act, part.own, part.gain, p, body, ground, supports, now)
    for p in range(now.parts):
        part = parts[first + p]
        if part.gain != 0.0 and part.dry_friction != 0 and now.lost[p] == 0.0:
            body_module.predict_velocity(body, now)
            now.activity[p] = register.ACT(part.dry_friction, part.own, part.gain, p, body, ground, supports, now)
    for p in range(craft.first_limiter, now.parts):
        part = parts[first + p]
        if part.gain > 0.0 and now.lost[p] == 0.0:
            now.activity[p] = register.FADE(part.fade, part.own, part.gain, parts, first, p, body, now)


@compiled
def weigh(craft, body, ground, now):
    """Gravity, booked before the parts, since dry friction holds against it."""
    if now.held != WEIGHTLESS:
        pull = environment.gravity_at(ground, body.position[0], body.position[1], body.position[2])
        for i in range(3):
            now.lines[now.parts + GRAVITY, i] = body.mass * pull[i] * craft.gravity_scale + 0.0


@compiled
def immerse(craft, scene, ground, now):
    """Books what the volumes of the ground push, each on its line, and what moves along in them."""
    for j in range(ground.pushing):
        force, torque, along = immersion.push(scene, ground, craft.body, j, now.dt)
        k = now.parts + FIXED + j
        for i in range(3):
            now.lines[k, i], now.lines[k, 3 + i] = force[i], torque[i]
        if along > 0.0:
            now.moved_along = 1
            for i in range(3):
                now.added[k, i] = along


@compiled
def carry_along(body, now, force, torque):
    """The rest of a force, N, and of a torque, N m, where something must be moved along with the craft: each of what is
    moved takes its share, booked on its line."""
    x, y, z, p, q, r = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(now.parts + FIXED + now.volumes):
        one = now.added[k]
        x, y, z, p, q, r = x + one[0], y + one[1], z + one[2], p + one[3], q + one[4], r + one[5]
    own, turn = spatial.to_craft(body.axes, force), spatial.to_craft(body.axes, torque)
    a = (own[0] / (body.mass + x), own[1] / (body.mass + y), own[2] / (body.mass + z))
    w = (
        turn[0] / (body.inertia[0, 0] + p), turn[1] / (body.inertia[1, 1] + q), turn[2] / (body.inertia[2, 2] + r)
    )  # fmt: skip
    for k in range(now.parts + FIXED + now.volumes):
        one = now.added[k]
        if one[0] + one[1] + one[2] > 0.0:
            back = spatial.to_world(body.axes, (one[0] * a[0], one[1] * a[1], one[2] * a[2]))
            held = spatial.to_world(body.axes, (one[3] * w[0], one[4] * w[1], one[5] * w[2]))
            for i in range(3):
                now.lines[k, i] -= back[i]
                now.lines[k, 3 + i] -= held[i]
    left = (body.mass * a[0], body.mass * a[1], body.mass * a[2])
    kept = (turn[0] - p * w[0], turn[1] - q * w[1], turn[2] - r * w[2])
    return spatial.to_world(body.axes, left), spatial.to_world(body.axes, kept)


@compiled
def bring_back(crafts, c, scene, ground, nows):
    """Puts a craft back to its start, all its bodies, where a volume asks for it, booked on the line of that."""
    j = immersion.has_to_return(scene, ground, crafts[c].body)
    if j < 0:
        return
    for k in range(crafts.shape[0]):
        if crafts[k].lead == crafts[c].lead:
            begin_again(crafts[k], scene.solids[crafts[k].body], nows[k], nows[k].parts + FIXED + j)
            immersion.forget(scene, crafts[k].body)


@compiled
def damp(craft, body, now):
    """The damping of the body in the law it was set to, with all that was booked before acting too.

    Returns force (N) and torque (N m) of all lines so far, world axes.
    """
    force, torque = body_module.booked(now, now.parts + 1)
    for k in range(now.parts + FIXED, now.parts + FIXED + now.volumes):
        force = spatial.plus(force, (now.lines[k, 0], now.lines[k, 1], now.lines[k, 2]))
        torque = spatial.plus(torque, (now.lines[k, 3], now.lines[k, 4], now.lines[k, 5]))
    if craft.damping == 0.0 and craft.spin_damping == 0.0:
        if now.moved_along == 1:
            force, torque = carry_along(body, now, force, torque)
        return force, torque
    k = now.parts + DAMPING
    kept, driven = damped(craft.damping_law, craft.damping, now)
    kept_spin, driven_spin = damped(craft.damping_law, craft.spin_damping, now)
    for i in range(3):
        now.lines[k, i] = (kept - 1.0) * body.mass * body.velocity[i] / now.dt + (driven - 1.0) * force[i]
        now.lines[k, 3 + i] = (kept_spin - 1.0) * now.momentum[i] / now.dt + (driven_spin - 1.0) * torque[i]
    damping = (now.lines[k, 0], now.lines[k, 1], now.lines[k, 2])
    twisting = (now.lines[k, 3], now.lines[k, 4], now.lines[k, 5])
    force, torque = spatial.plus(force, damping), spatial.plus(torque, twisting)
    if now.moved_along == 1:
        force, torque = carry_along(body, now, force, torque)
    return force, torque


@compiled
def damped(law, number, now):
    """Shares that damping leaves in this tick of a speed, and of the speed that a steady force gives in it.

    exact : v' = v e^(-c dt) + (a/c) (1 - e^(-c dt)); implicit : v' = (v + a dt) / (1 + c dt), both ends of the
    linear equation v' = a - c v, so that the terminal speed is a/c at every tick rate. explicit : v + dt (a - c v).
    A fixed share belongs to the nominal tick; substeps of it take together what that tick takes.
    """
    x = number * now.dt
    if x == 0.0:
        return 1.0, 1.0
    if law == EXACT:
        kept = math.exp(-x)
        return kept, (1.0 - kept) / x if x > 1e-5 else 1.0 - 0.5 * x
    if law == IMPLICIT:
        return 1.0 / (1.0 + x), 1.0 / (1.0 + x)
    if law == EXPLICIT:
        return 1.0 - x, 1.0
    if now.dt != now.nominal_dt:
        return (1.0 - number) ** (now.dt / now.nominal_dt), 1.0
    return 1.0 - number, 1.0


@compiled
def speed_up(craft, body, now, force, torque):
    """Velocities from all that was booked, N and N m; what held axes took is booked as theirs."""
    for i in range(3):
        body.velocity[i] += now.dt * force[i] / body.mass
        now.momentum[i] += now.dt * torque[i]
    spin = spatial.times(body.inverse_inertia, (now.momentum[0], now.momentum[1], now.momentum[2]))
    if craft.integrator == 1:
        # explicit: the gyroscopic term enters as a torque of the start of the tick
        start = (now.start_spin[0], now.start_spin[1], now.start_spin[2])
        whirl = spatial.cross(start, spatial.times(now.inertia, start))
        kick = spatial.times(body.inverse_inertia, whirl)
        spin = (spin[0] - now.dt * kick[0], spin[1] - now.dt * kick[1], spin[2] - now.dt * kick[2])
    for i in range(3):
        body.spin[i] = spin[i]
    hold(craft, body, now)


@compiled
def hold(craft, body, now):
    """Cancels every velocity along a held axis, or all of it while a sling holds the craft, and books that."""
    k = now.parts + HOLDS
    if now.held == IN_PLACE:
        pushes.hold_in_place(body, now, k)
        return
    held_spin = False
    for i in range(3):
        if craft.free[i] == 0.0:
            now.lines[k, i] -= body.mass * body.velocity[i] / now.dt
            body.velocity[i] = 0.0
        held_spin = held_spin or craft.free_spin[i] == 0.0
    if held_spin:
        true = spatial.times(now.inertia, (body.spin[0], body.spin[1], body.spin[2]))
        for i in range(3):
            if craft.free_spin[i] == 0.0:
                now.lines[k, 3 + i] += (true[i] - now.momentum[i]) / now.dt
                now.momentum[i] = true[i]


@compiled
def limit(craft, parts, body, now):
    """Limiters, last of all that changes a speed; they stand last among the parts."""
    for p in range(craft.first_limiter, now.parts):
        part = parts[craft.first_part + p]
        if part.gain > 0.0 and now.lost[p] == 0.0:
            acted = register.LIMIT(part.limit, part.own, part.gain, p, body, now)
            now.activity[p] = max(now.activity[p], acted)


@unit
def move(craft, body, ground, gates, now):
    """Place and attitude, with what contacts shift it by; then gates and edges."""
    old_x, old_y = body.position[0], body.position[1]
    moved = 0.0
    for i in range(3):
        speed = body.velocity[i]
        if craft.integrator == 1:
            speed = now.start_velocity[i]
        step = (speed + body.shift[i]) * now.dt
        body.position[i] += step
        moved += step * step
    now.moved += math.sqrt(moved)
    if body.twist[0] != 0.0 or body.twist[1] != 0.0 or body.twist[2] != 0.0:
        untwist(body, now)
    turn_body(craft, body, now)
    pass_gate(gates, now, old_x, old_y, body.position[0], body.position[1])


@compiled
def untwist(body, now):
    """Turns a craft out of an overlap: that is no motion, so the spin stays, and its momentum is what it means then."""
    dt, k = now.dt, now.parts + INTEGRATOR
    spatial.turn(body.attitude, (dt * body.twist[0], dt * body.twist[1], dt * body.twist[2]))
    body_module.refresh(body, now)
    after = spatial.times(now.inertia, (body.spin[0], body.spin[1], body.spin[2]))
    for i in range(3):
        now.lines[k, 3 + i] += (after[i] - now.momentum[i]) / now.dt
        now.momentum[i] = after[i]


@compiled
def turn_body(craft, body, now):
    """Attitude after the tick, and the spin that the kept angular momentum means there."""
    free = craft.free_spin[0] * craft.free_spin[1] * craft.free_spin[2]
    if craft.integrator == 0 and free == 1.0:
        body_module.turn_freely(body, now, now.dt)
    else:
        w = body.spin
        if craft.integrator == 1:
            w = now.start_spin
        spatial.turn(body.attitude, (w[0] * now.dt, w[1] * now.dt, w[2] * now.dt))
    body_module.refresh(body, now)
    if craft.integrator == 0:
        after = spatial.times(body.inverse_inertia, (now.momentum[0], now.momentum[1], now.momentum[2]))
        for i in range(3):
            body.spin[i] = after[i]
        hold(craft, body, now)
        return
    true = spatial.times(now.inertia, (body.spin[0], body.spin[1], body.spin[2]))
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


@unit
def reach_edge(ground, crafts, c, bodies, nows):
    """Back to the start at the edge of the ground, once the last body of a craft has moved: all bodies of a craft go
    with the first. Edge walls are walls, and an open edge is none; those that wrap: see `crossing.bring_all`."""
    count = crafts.shape[0]
    lead = crafts[c].lead
    if c + 1 < count and crafts[c + 1].lead == lead:
        return
    first = bodies[crafts[lead].body]
    outside = False
    for i in range(2):
        outside = outside or first.position[i] < ground.low[i] or first.position[i] > ground.high[i]
    if not outside:
        return
    for k in range(lead, c + 1):
        begin_again(crafts[k], bodies[crafts[k].body], nows[k], nows[k].parts + EDGE)


@compiled
def begin_again(craft, body, now, line):
    """Puts a craft to its start, at rest; what that takes is booked on a line."""
    for i in range(3):
        now.lines[line, i] -= body.mass * body.velocity[i] / now.dt
        now.lines[line, 3 + i] -= now.momentum[i] / now.dt
        body.position[i] = craft.start[i]
        body.velocity[i] = 0.0
        body.spin[i] = 0.0
        now.momentum[i] = 0.0
    for i in range(4):
        body.attitude[i] = craft.start[3 + i]
    body_module.refresh(body, now)
