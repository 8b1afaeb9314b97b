"""The contacts of a tick: crafts go in with the speeds their forces gave them, and come out with those that agree.

What contacts gave a craft is booked on lines of its ledger as a force over the tick, at the point where it acted: walls
on that of its bumper, or on their own; all else as contact. What carries it becomes its supports.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import Address, compiled, unit
from oak_sled.core.compiler.types import NOTHING, Array, Record
from oak_sled.core.contact import blockledger, broad, links, loosebodies, rowkinds, solver
from oak_sled.core.contact.records import ACTIVE, BEFORE, FIXED, FOUND, GROUND, OVERLAP, TICKS, TOUCHING, UPRIGHT
from oak_sled.core.kernel import environment, spatial, state
from oak_sled.core.kernel.state import CONTACT, HULL_SUPPORTS, TIES, WALLS

STOP = 2
APART = 0.25
"""s clear of every wall after which a touch is a new hit: a craft that scrapes along touches again and again."""


@unit
def collide(crafts, scene, supports, ground, nows):
    """Step 6: contacts of all bodies are solved; crafts take the change of their velocity, the others are moved."""
    solids, dt = scene.solids, nows[0].dt
    if scene.counts[TICKS] == 0:
        broad.seek_neighbours(scene, dt)  # bodies are active from the first tick on
    for c in range(crafts.shape[0]):
        put_in(solids[crafts[c].body], nows[c])
    blockledger.book_pushes(scene)
    loosebodies.speed_up(scene, ground, dt)
    broad.sweep(scene, dt)
    if scene.counts[BEFORE] == 0 and not rowkinds.are_any(scene):
        for c in range(crafts.shape[0]):
            touch_nothing(crafts[c], supports, nows[c])
        if scene.counts[ACTIVE] > crafts.shape[0]:
            loosebodies.move_all(scene, ground, dt)
        return
    if environment.is_bent(ground):
        links.let_fall(scene, ground)
    solver.solve(scene, dt)
    if nows[0].time == 0.0:
        note_penetration(scene)
    for c in range(crafts.shape[0]):
        craft, now = crafts[c], nows[c]
        collect_supports(craft, scene, supports, now)
        respond_to_wall(c, craft, scene, now)
        take_out(craft, scene, now)
    loosebodies.move_all(scene, ground, dt)


@compiled
def touch_nothing(craft, supports, now):
    """A craft that touches nothing, as in the tick before."""
    now.leaning, now.in_wall = 0.0, 0.0
    now.clear_for += now.dt
    if craft.free[2] == 1.0:
        release(craft, supports)
        sum_up(craft, supports, now)


@unit
def touch_none(crafts, scene, supports, ground, nows):
    """`collide` for a craft in a game, which has the contacts: crafts touch nothing here but by their rays."""
    for c in range(crafts.shape[0]):
        touch_nothing(crafts[c], supports, nows[c])


@compiled
def release(craft, supports):
    """Nothing carries a craft any more; what carried nothing before is left as it is."""
    for k in range(craft.first_support, craft.first_support + craft.supports):
        if supports[k].below >= 0:
            supports[k].load, supports[k].below = 0.0, -1


@compiled
def put_in(body, now):
    """Puts in what the forces of this tick gave a craft, and its speeds before the contacts."""
    for i in range(3):
        body.gained[i] = body.velocity[i] - now.start_velocity[i]
        body.gained_spin[i] = body.spin[i] - now.start_spin[i]
        now.next_velocity[i], now.next_spin[i] = body.velocity[i], body.spin[i]


@compiled
def take_out(craft, scene, now):
    """Books what the contacts gave a craft: what walls did by their impulses, the rest of the change as contact."""
    body = scene.solids[craft.body]
    line = craft.bumper_line if craft.bumper_line >= 0 else now.parts + WALLS
    gained = (body.spin[0] - now.next_spin[0], body.spin[1] - now.next_spin[1], body.spin[2] - now.next_spin[2])
    moment = spatial.times(now.inertia, gained)
    force, torque, walls, others = wall_impulses(craft, scene, now)
    k = now.parts + CONTACT
    if walls > 0.0 and others == 0.0:
        k = line
    elif walls > 0.0:
        turned = spatial.times(now.inertia, spatial.times(body.inverse_inertia, torque))
        for i in range(3):
            now.lines[line, i] += force[i] * craft.free[i] / now.dt
            now.lines[line, 3 + i] += turned[i] / now.dt
            now.lines[k, i] -= force[i] * craft.free[i] / now.dt
            now.lines[k, 3 + i] -= turned[i] / now.dt
    book_carried(craft, scene, now, k)
    book_ties(craft, scene, now, k)
    for i in range(3):
        now.lines[k, i] += body.mass * (body.velocity[i] - now.next_velocity[i]) / now.dt
        now.lines[k, 3 + i] += moment[i] / now.dt
        now.momentum[i] += moment[i]
    if craft.bumper_line >= 0:
        now.activity[line] = now.in_wall


@compiled
def book_carried(craft, scene, now, k):
    """Books what carried bodies and thrown lines gave a craft on the lines of their parts, and takes it off `k`."""
    body = scene.solids[craft.body]
    for j in range(scene.links.shape[0]):
        link = scene.links[j]
        if link.a == craft.body and link.part >= 0:
            given = (link.given[0] / now.dt, link.given[1] / now.dt, link.given[2] / now.dt)
            book_for_part(craft, body, now, k, link.part, given, (link.lever[0], link.lever[1], link.lever[2]))
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if joint.a != craft.body or joint.part < 0:
            continue
        force = (joint.impulse[0] / now.dt, joint.impulse[1] / now.dt, joint.impulse[2] / now.dt)
        lever = (joint.lever_a[0], joint.lever_a[1], joint.lever_a[2])
        book_for_part(craft, body, now, k, joint.part, force, lever)


@compiled
def book_ties(craft, scene, now, k):
    """Books what ties and joints that are of no part gave a craft on the line of ties, and takes it off `k`."""
    body, t = scene.solids[craft.body], now.parts + TIES
    for j in range(scene.links.shape[0]):
        link = scene.links[j]
        if link.acts == 0 or (link.a != craft.body and link.b != craft.body) or link.a == link.b:
            continue
        side = 0 if link.a == craft.body else 1
        if side == 0 and link.part >= 0:
            continue  # on the line of its part
        gave = link.gave[side]
        force = (body.mass * gave[0] / now.dt, body.mass * gave[1] / now.dt, body.mass * gave[2] / now.dt)
        turned = spatial.times(now.inertia, (gave[3], gave[4], gave[5]))
        move_to_line(now, t, k, force, (turned[0] / now.dt, turned[1] / now.dt, turned[2] / now.dt))
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if joint.part >= 0 or (joint.a != craft.body and joint.b != craft.body) or joint.a == joint.b:
            continue
        sign = 1.0 if joint.a == craft.body else -1.0
        lever = joint.lever_a if joint.a == craft.body else joint.lever_b
        push = (
            sign * joint.impulse[0] / now.dt, sign * joint.impulse[1] / now.dt, sign * joint.impulse[2] / now.dt
        )  # fmt: skip
        torque = spatial.cross((lever[0], lever[1], lever[2]), push)
        turned = spatial.times(now.inertia, spatial.times(body.inverse_inertia, torque))
        free = (push[0] * craft.free[0], push[1] * craft.free[1], push[2] * craft.free[2])
        move_to_line(now, t, k, free, turned)


@compiled
def move_to_line(now, line, k, force, torque):
    """Books a force, N, and a torque, N m, world axes, on a line of the ledger, and takes them off line `k`."""
    for i in range(3):
        now.lines[line, i] += force[i]
        now.lines[line, 3 + i] += torque[i]
        now.lines[k, i] -= force[i]
        now.lines[k, 3 + i] -= torque[i]


@compiled
def book_for_part(craft, body, now, k, part, force, lever):
    """Books a force at a lever, N and m, world axes, on the line of a part, and takes it off line `k`."""
    torque = spatial.cross(lever, force)
    turned = spatial.times(now.inertia, spatial.times(body.inverse_inertia, torque))
    free = (force[0] * craft.free[0], force[1] * craft.free[1], force[2] * craft.free[2])
    move_to_line(now, part, k, free, turned)
    for i in range(3):
        now.points[part, i] = body.position[i] + lever[i]


@compiled
def wall_impulses(craft, scene, now):
    """N s and N m s that upright faces of what never moves gave a craft, and how many contacts were such and others."""
    x, y, z, tx, ty, tz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    walls, others = 0.0, 0.0
    for c in range(scene.counts[FOUND]):
        contact = scene.contacts[c]
        if contact.push <= 0.0 or (contact.a != craft.body and contact.b != craft.body):
            continue
        if not is_wall(scene, contact, craft.body, now):
            others += 1.0
            continue
        walls += 1.0
        n, t, u = contact.normal, contact.way, contact.across
        p, q, r = contact.push, contact.drag_way, contact.drag_across
        j = (p * n[0] + q * t[0] + r * u[0], p * n[1] + q * t[1] + r * u[1], p * n[2] + q * t[2] + r * u[2])
        m = spatial.cross((contact.lever_a[0], contact.lever_a[1], contact.lever_a[2]), j)
        x, y, z, tx, ty, tz = x + j[0], y + j[1], z + j[2], tx + m[0], ty + m[1], tz + m[2]
    return (x, y, z), (tx, ty, tz), walls, others


@compiled
def is_wall(scene, contact, body, now):
    """True if a contact of a craft is with an upright face of something that never moves."""
    n = (contact.normal[0], contact.normal[1], contact.normal[2])
    _, _, rise = environment.to_level(now, n)
    if contact.a != body or contact.b == GROUND or abs(rise) > UPRIGHT:
        return False
    return scene.solids[contact.b].kind == FIXED


@compiled
def note_penetration(scene):
    """Notes the two solids that start farthest into one another."""
    for c in range(scene.counts[FOUND]):
        contact = scene.contacts[c]
        if -contact.gap > max(scene.start[0], OVERLAP):
            scene.start[0], scene.start[1], scene.start[2] = -contact.gap, contact.a, contact.b


@compiled
def collect_supports(craft, scene, supports, now):
    """Collects from the contacts of this tick what carries a craft, what it leans on, and where they act on it."""
    free = craft.free[2] == 1.0
    first, hulls = craft.first_support, 0
    if free:
        release(craft, supports)
    leans = 0.0
    total, x, y, z = 0.0, 0.0, 0.0, 0.0
    for c in range(scene.counts[FOUND]):
        contact = scene.contacts[c]
        if contact.a != craft.body and contact.b != craft.body:
            continue
        if contact.push <= 0.0 and contact.gap > TOUCHING:
            continue
        sign = 1.0 if contact.a == craft.body else -1.0
        _, _, above = environment.to_level(now, (contact.normal[0], contact.normal[1], contact.normal[2]))
        rise = sign * above
        if rise > UPRIGHT:
            if free:
                k = foot_of(craft, scene, contact, supports)
                if k < 0:
                    k = first + craft.feet + min(hulls, HULL_SUPPORTS - 1)
                    hulls += 1
                    supports[k].part = -1
                add_load(craft, scene, contact, sign, supports[k], now)
        elif rise > -UPRIGHT and touches(contact, now) and contact.a != GROUND and contact.b != GROUND:
            leans = 1.0
        total += contact.push
        x += contact.push * contact.point[0]
        y += contact.push * contact.point[1]
        z += contact.push * contact.point[2]
    now.leaning, now.in_wall = leans, leans
    if total > 0.0 and craft.bumper_line >= 0:
        k = craft.bumper_line
        now.points[k, 0], now.points[k, 1], now.points[k, 2] = x / total, y / total, z / total
    if free:
        sum_up(craft, supports, now)


@compiled
def touches(contact, now):
    """True if something upright is touched: pushed in this tick, or since a tick in which it was."""
    if contact.fast == 1:
        return False
    return contact.push > 0.0 or (now.leaning == 1.0 and contact.gap <= TOUCHING)


@compiled
def foot_of(craft, scene, contact, supports):
    """The support of the foot that a contact stands on; -1 where it is one of the hull."""
    if contact.a != craft.body:
        return -1
    piece = scene.pieces[contact.piece]
    if piece.part < 0:
        return -1
    foot = piece.row
    if piece.long == 1:
        foot = 2 * piece.row + (1 if contact.local[0] < piece.centre[0] else 0)
    for k in range(craft.first_support, craft.first_support + craft.feet):
        if supports[k].part == piece.part and supports[k].foot == foot:
            return k
    return -1


@compiled
def add_load(craft, scene, contact, sign, support, now):
    """Adds a contact to a support: its load, and what it stands on, by the greatest part of it."""
    load = contact.push / now.dt
    below = contact.b if sign > 0.0 else contact.a
    if load >= support.load:
        support.below, support.material = below, scene.solids[below].material
        support.gap = contact.gap
        lever = contact.lever_b
        if sign < 0.0:
            lever = contact.lever_a
        other = scene.solids[below]
        spin = (other.spin[0], other.spin[1], other.spin[2])
        swing = spatial.cross(spin, (lever[0], lever[1], lever[2]))
        belt = spatial.to_world(other.axes, (other.belt[0], other.belt[1], other.belt[2]))
        for i in range(3):
            support.point[i], support.normal[i] = contact.point[i], sign * contact.normal[i]
            support.velocity[i] = other.velocity[i] + swing[i] + belt[i]
    support.load += load


@compiled
def sum_up(craft, supports, now):
    """Load, upward direction and surface speed of a craft, from its supports."""
    load, stands, weights = 0.0, 0.0, 0.0
    x, y, z = 0.0, 0.0, 0.0
    for i in range(3):
        now.below[i] = 0.0
    for k in range(craft.first_support, craft.first_support + craft.supports + craft.rays):
        support = supports[k]
        if support.below < 0 or support.senses == 1:
            continue
        stands = 1.0
        _, _, rise = environment.to_level(now, (support.normal[0], support.normal[1], support.normal[2]))
        load += support.load * rise
        weights += support.load
        x, y, z = (
            x + support.load * support.normal[0],
            y + support.load * support.normal[1],
            z + support.load * support.normal[2],
        )
        for i in range(3):
            now.below[i] += support.load * support.velocity[i]
    size = math.sqrt(x * x + y * y + z * z)
    if size > 0.0:
        now.up[0], now.up[1], now.up[2] = x / size, y / size, z / size
        for i in range(3):
            now.below[i] /= weights
    else:
        for i in range(3):
            now.up[i] = now.level[i, 2]
    now.on_ground, now.load = stands, load


@compiled
def respond_to_wall(c, craft, scene, now):
    """A bumper that stops dead, or that keeps only a share along: at the hit, not while it leans on."""
    first = now.clear_for > APART + 0.5 * now.dt
    if now.leaning == 0.0:
        now.clear_for += now.dt
        return
    now.clear_for = 0.0
    if not first or scene.answer[c, 0] < 0.0:
        return
    body = scene.solids[craft.body]
    for k in range(scene.counts[FOUND]):
        contact = scene.contacts[k]
        if contact.push <= 0.0 or contact.fast == 1 or not is_wall(scene, contact, craft.body, now):
            continue
        if scene.answer[c, 0] == STOP:
            for i in range(3):
                body.velocity[i], body.spin[i] = 0.0, 0.0
            return
        n = environment.to_level(now, (contact.normal[0], contact.normal[1], contact.normal[2]))
        v = environment.to_level(now, (body.velocity[0], body.velocity[1], body.velocity[2]))
        size = math.sqrt(n[0] * n[0] + n[1] * n[1])
        tx, ty = -n[1] / size, n[0] / size
        lost = (1.0 - scene.answer[c, 1]) * (v[0] * tx + v[1] * ty)
        slower = environment.from_level(now, (lost * tx, lost * ty, 0.0))
        for i in range(3):
            body.velocity[i] -= slower[i]
        return


STAGE = Address(
    (
        Array(Record(state.CRAFT), (None,)),
        None,
        Array(Record(state.SUPPORT), (None,)),
        Record(state.GROUND),
        Array(Record(state.NOW), (None,)),
    ),
    NOTHING,
)
"""`collide` by its address."""
