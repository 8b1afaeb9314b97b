"""The craft in the contact scene: it goes in with the speeds its forces gave it, and comes out with those that agree.

What contacts gave it is booked on a ledger line as a force over the tick, at the point where it acted.
"""

from __future__ import annotations

import math

from oak_sled.core import body as body_module
from oak_sled.core import spatial
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import solver
from oak_sled.core.contact.things import CRAFT, FIXED, GROUND, OVERLAP, TOUCHING, UPRIGHT
from oak_sled.core.contact.walls import APART

STOP = 2


@unit
def meet_things(body, scene, now, gravity, k):
    """Step 6 among things; what it did stands on ledger line `k`."""
    craft = scene.solids[CRAFT]
    put_in(body, craft, now)
    solver.speed_up(scene, gravity, now.dt)
    solver.meet(scene, now.dt)
    if now.time == 0.0:
        note_overlap(scene)
    look_round(scene, now, k)
    answer_wall(scene, craft, now)
    take_out(body, craft, now, k)
    solver.move_all(scene, now.dt)


@compiled
def put_in(body, craft, now):
    """The craft's state into its solid."""
    craft.mass = body.mass
    for i in range(3):
        craft.position[i], craft.velocity[i], craft.spin[i] = now.position[i], now.velocity[i], now.spin[i]
        craft.inverse_mass[i] = body.free[i] / body.mass
        for j in range(3):
            craft.axes[i, j] = now.axes[i, j]
            craft.inverse_inertia[i, j] = now.inverse_inertia[i, j]


@compiled
def take_out(body, craft, now, k):
    """What the contacts gave the craft, booked; the shift out of an overlap is a change of place and not of speed."""
    gained = (craft.spin[0] - now.spin[0], craft.spin[1] - now.spin[1], craft.spin[2] - now.spin[2])
    moment = spatial.times(now.inertia, gained)
    turned = 0.0
    for i in range(3):
        now.lines[k, i] += body.mass * (craft.velocity[i] - now.velocity[i]) / now.dt
        now.lines[k, 3 + i] += moment[i] / now.dt
        now.velocity[i], now.spin[i] = craft.velocity[i], craft.spin[i]
        now.momentum[i] += moment[i]
        now.position[i] += now.dt * craft.shift[i]
        turned += abs(craft.twist[i])
    if turned > 0.0:
        dt = now.dt
        spatial.turn(now.attitude, (dt * craft.twist[0], dt * craft.twist[1], dt * craft.twist[2]))
        body_module.refresh(body, now)
        # the turn is no motion: the spin stays, and the momentum is what that spin means now
        after = spatial.times(now.inertia, (now.spin[0], now.spin[1], now.spin[2]))
        for i in range(3):
            now.lines[k, 3 + i] += (after[i] - now.momentum[i]) / now.dt
            now.momentum[i] = after[i]


@compiled
def note_overlap(scene):
    """Which two solids start farthest into one another."""
    for c in range(scene.counts[0]):
        contact = scene.contacts[c]
        if -contact.gap > max(scene.start[0], OVERLAP):
            scene.start[0], scene.start[1], scene.start[2] = -contact.gap, contact.a, contact.b


@compiled
def look_round(scene, now, k):
    """What carries the craft, what it leans on, and where the contacts act on it."""
    load, leans, stands, total = 0.0, 0.0, 0.0, 0.0
    x, y, z = 0.0, 0.0, 0.0
    up_x, up_y, up_z = 0.0, 0.0, 0.0
    for p in range(now.parts):
        for foot in range(4):
            now.foot_load[p, foot] = 0.0
    for c in range(scene.counts[0]):
        contact = scene.contacts[c]
        if contact.a != CRAFT or contact.fast == 1:
            continue
        if contact.push <= 0.0 and contact.gap > TOUCHING:
            continue
        if contact.normal[2] > UPRIGHT:
            stands = 1.0
            load += contact.push * contact.normal[2] / now.dt
            up_x += contact.push * contact.normal[0]
            up_y += contact.push * contact.normal[1]
            up_z += contact.push * contact.normal[2]
            piece = scene.pieces[(contact.key // 4096) % 4096]
            if piece.part >= 0:
                column = 1 if piece.long == 1 and contact.local[0] < piece.centre[0] else 0
                foot = column + 2 * piece.row if piece.long == 1 else piece.row
                now.foot_load[piece.part, foot] += contact.push / now.dt
        elif contact.normal[2] > -UPRIGHT and contact.push > 0.0 and contact.b != GROUND:
            leans = 1.0
        total += contact.push
        x += contact.push * contact.point[0]
        y += contact.push * contact.point[1]
        z += contact.push * contact.point[2]
    size = math.sqrt(up_x * up_x + up_y * up_y + up_z * up_z)
    if size > 0.0:
        now.up[0], now.up[1], now.up[2] = up_x / size, up_y / size, up_z / size
    else:
        now.up[0], now.up[1], now.up[2] = 0.0, 0.0, 1.0
    now.on_ground, now.load, now.leaning, now.in_wall = stands, load, leans, leans
    if total > 0.0:
        now.points[k, 0], now.points[k, 1], now.points[k, 2] = x / total, y / total, z / total


@compiled
def answer_wall(scene, craft, now):
    """A bumper that stops dead, or that keeps only a share along: at the hit, not while it leans on."""
    first = now.clear_for > APART + 0.5 * now.dt
    if now.leaning == 0.0:
        now.clear_for += now.dt
        return
    now.clear_for = 0.0
    if not first or scene.answer[0] < 0.0:
        return
    for c in range(scene.counts[0]):
        contact = scene.contacts[c]
        if contact.a != CRAFT or contact.push <= 0.0 or abs(contact.normal[2]) > UPRIGHT:
            continue
        if scene.solids[contact.b].kind != FIXED or contact.b == GROUND:
            continue
        if scene.answer[0] == STOP:
            for i in range(3):
                craft.velocity[i], craft.spin[i] = 0.0, 0.0
            return
        n = contact.normal
        size = math.sqrt(n[0] * n[0] + n[1] * n[1])
        tx, ty = -n[1] / size, n[0] / size
        lost = (1.0 - scene.answer[1]) * (craft.velocity[0] * tx + craft.velocity[1] * ty)
        craft.velocity[0] -= lost * tx
        craft.velocity[1] -= lost * ty
        return
