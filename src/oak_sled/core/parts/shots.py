"""Shots in flight: fired from a slot of their launcher, flown through the air, removed when they are spent.

A shot is a ball among the bodies of the scene, so that it hits walls, blocks and the ground as any other;
what the air, its own thrust and its steering do to it is here. In each tick this comes before gravity and the
contacts, and `path` flies a shot alone in the same order, so that a preview agrees with the run.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats, Ints
from oak_sled.core.compiler.kernel import Address, compiled, unit
from oak_sled.core.compiler.types import FLOAT, NOTHING, Array, Record
from oak_sled.core.contact import blockledger, pushes
from oak_sled.core.contact.records import COLLIDES, FOUND, FREE, PARKED, STALE, TOUCHING
from oak_sled.core.kernel import environment, seams, spatial
from oak_sled.core.kernel.state import CRAFT, GROUND, NOW
from oak_sled.core.parts import knockbacks, push

FIRED, RECYCLED = 0, 1
"""Notes of a launcher: shots fired, and how many of them took the slot of one still in flight."""
NOTES = 4


class ShotMemory(NamedTuple):
    """Memory of shots and knockbacks, a row a part of all crafts.

    last, rounds : shape (parts, solids), time in s and number of the knockback that hit a solid last; spared : 1 for
    those it passes by; notes : counts, see FIRED and `knockbacks.FOUND_NONE`; course : m/s of every shot before the
    contacts of this tick, shape (solids, 3)."""

    last: Floats
    rounds: Floats
    spared: Ints
    notes: Floats
    course: Floats


@compiled
def dice(seed, number):
    """A number from 0 to 1 that depends on nothing but its seed and place (Steele and others, SplitMix64, 2014)."""
    z = np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(number) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return float(z >> np.uint64(11)) / 9007199254740992.0


@compiled
def wants_to_fire(part, p, now):
    """True if it fires in this tick: at its rate while held, once a press, or when an event says so.

    Memory 0 is the time at which it is loaded again, so that the rate does not depend on the tick.
    """
    memory = now.memory[p]
    triggered, value, before = push.read_input(part.channel, p, now)
    held = value >= push.PRESSED
    if part.once == 1:
        held = held and before < push.PRESSED
    if not (held or triggered) or memory[0] > now.time + 0.5 * now.dt:
        return False
    memory[0] = max(memory[0], now.time - 0.5 * now.dt) + 1.0 / part.rate
    return True


@compiled
def line_of(part, body, now):
    """The unit direction of the muzzle, world axes, as its channels lay it."""
    azimuth, elevation = part.azimuth, part.elevation
    if part.swing_channel >= 0:
        azimuth += part.swing * now.channels[part.swing_channel]
    if part.tilt_channel >= 0:
        elevation += part.tilt * now.channels[part.tilt_channel]
    flat = math.cos(elevation)
    return push.aimed(part, (flat * math.cos(azimuth), flat * math.sin(azimuth), math.sin(elevation)), body, now)


@compiled
def scattered(part, way, number, now):
    """The direction of shot `number`: anywhere in the cone of the spread, evenly over its disc."""
    if part.spread == 0.0:
        return way
    off = part.spread * math.sqrt(dice(part.seed, 2 * number))
    round_ = math.tau * dice(part.seed, 2 * number + 1)
    left, up = environment.across(now, way)
    a, b, c = math.cos(off), math.sin(off) * math.cos(round_), math.sin(off) * math.sin(round_)
    return (
        a * way[0] + b * left[0] + c * up[0],
        a * way[1] + b * left[1] + c * up[1],
        a * way[2] + b * left[2] + c * up[2],
    )


@compiled
def fire(part, k, p, gain, scene, shot_memory, body, now):
    """Fires a shot if it is time; the recoil goes to `now.reaction`, so that momentum is kept.

    The shot was carried along before, so that it leaves with the speed of the muzzle and the muzzle speed on top.
    """
    now.memory[p, 2] = 0.0
    if not wants_to_fire(part, p, now):
        return
    number = int(now.memory[p, 1])
    now.memory[p, 1] += 1.0
    now.memory[p, 2] = 1.0
    way = scattered(part, line_of(part, body, now), number, now)
    lever = spatial.to_world(body.axes, part.point)
    swing = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    speed = part.muzzle * gain
    slot = free_slot(part, scene.solids, shot_memory.notes[k])
    shot = scene.solids[slot]
    left, up = environment.across(now, way)
    for i in range(3):
        shot.position[i] = body.position[i] + lever[i]
        shot.velocity[i] = body.velocity[i] + swing[i] + speed * way[i]
        shot.spin[i] = part.twist * up[i] - part.backspin * left[i]
        now.reaction[p, i] = -gain * part.mass * part.muzzle * part.recoil * way[i] / now.dt
    torque = spatial.cross(lever, (now.reaction[p, 0], now.reaction[p, 1], now.reaction[p, 2]))
    for i in range(3):
        now.reaction[p, 3 + i] = torque[i]
    shot.attitude[0] = 1.0
    for i in range(1, 4):
        shot.attitude[i] = 0.0
    shot.age = 0.0
    pushes.set_free(scene, slot)
    shot_memory.notes[k, FIRED] += 1.0


@compiled
def free_slot(part, solids, notes):
    """The solid the next shot is: one that is not in flight, else the one that has flown longest."""
    oldest = part.first_solid
    for s in range(part.first_solid, part.first_solid + part.slots):
        if solids[s].kind == PARKED:
            return s
        if solids[s].age > solids[oldest].age:
            oldest = s
    notes[RECYCLED] += 1.0
    return oldest


@compiled
def park(scene, s):
    """Takes a shot out of the scene."""
    shot = scene.solids[s]
    scene.counts[STALE] = 1
    shot.kind = PARKED
    shot.age = -1.0
    for i in range(3):
        shot.velocity[i], shot.spin[i], shot.inverse_mass[i] = 0.0, 0.0, 0.0


@compiled
def pull_of(part, ground, place, velocity, spin, age, line, closing):
    """m/s2 of a shot in flight, gravity apart: drag, lift of its spin, thrust while it burns, and steering.

    line : m to what it homes on, closing : m/s of that against the shot; zeros for none. Drag 1/2 rho Cd A v2;
    lift of a spinning ball 1/2 rho A CL r (w x v), CL about 1 in the linear range (Kutta-Joukowski for a ball, any
    text on sports ballistics); steering across the line of sight, N Vc (rate of the line) (Zarchan, Tactical and
    Strategic Missile Guidance, chapter 2).
    """
    wind, density = environment.air_at(ground, place[0], place[1], place[2])
    v = (velocity[0] - wind[0], velocity[1] - wind[1], velocity[2] - wind[2])
    speed = spatial.length(v)
    drag = part.drag * density * speed / part.mass
    turned = spatial.cross(spin, v)
    lift = part.spin_lift * density / part.mass
    x, y, z = lift * turned[0] - drag * v[0], lift * turned[1] - drag * v[1], lift * turned[2] - drag * v[2]
    own = spatial.length(velocity)
    if part.thrust > 0.0 and age < part.burn and own > 0.0:
        push_on = part.thrust / part.mass / own
        x, y, z = x + push_on * velocity[0], y + push_on * velocity[1], z + push_on * velocity[2]
    away = spatial.length(line)
    if part.homing > 0.0 and away > 1e-6:
        unit = (line[0] / away, line[1] / away, line[2] / away)
        rate = spatial.cross(line, closing)
        rate = (rate[0] / (away * away), rate[1] / (away * away), rate[2] / (away * away))
        nearing = max(-spatial.dot(closing, unit), 0.0)
        steer = spatial.cross(rate, unit)
        size = part.homing * nearing * spatial.length(steer)
        share = part.homing * nearing * (1.0 if size <= part.homing_limit else part.homing_limit / size)
        x, y, z = x + share * steer[0], y + share * steer[1], z + share * steer[2]
    return x, y, z


@compiled
def way_to(scene, shot, other):
    """m from a shot to a body, by its nearest image."""
    at, to = shot.position, other.position
    return seams.way(scene.period, (at[0], at[1], at[2]), (to[0], to[1], to[2]))


@compiled
def goal(part, scene, shot):
    """The solid a shot homes on: the one it was set to, else the loose one nearest to its course; -1 for none."""
    if part.homes_on >= 0:
        return part.homes_on
    solids = scene.solids
    best, found = 0.5, -1  # within 60 degrees of where it flies
    speed = spatial.length((shot.velocity[0], shot.velocity[1], shot.velocity[2]))
    for s in range(1, solids.shape[0]):
        other = solids[s]
        if other.kind != FREE or other.shot > 0 or s == shot.owner or speed == 0.0:
            continue
        if scene.layers[shot.layer, other.layer] != COLLIDES:
            continue
        dx, dy, dz = way_to(scene, shot, other)
        away = spatial.length((dx, dy, dz))
        near = (dx * shot.velocity[0] + dy * shot.velocity[1] + dz * shot.velocity[2]) / (max(away, 1e-9) * speed)
        if near > best:
            best, found = near, s
    return found


@unit
def fly(parts, ground, scene, shot_memory, dt):
    """Every shot in flight through one tick of air, thrust and steering; the spent ones are parked."""
    solids = scene.solids
    for s in range(1, solids.shape[0]):
        shot = solids[s]
        if shot.shot == 0 or shot.kind == PARKED:
            continue
        part = parts[shot.shot - 1].launcher
        if shot.age >= part.lifetime - 0.5 * dt:
            park(scene, s)
            continue
        line, closing = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
        if part.homing > 0.0:
            g = goal(part, scene, shot)
            if g >= 0:
                to = solids[g]
                line = way_to(scene, shot, to)
                closing = (
                    to.velocity[0] - shot.velocity[0],
                    to.velocity[1] - shot.velocity[1],
                    to.velocity[2] - shot.velocity[2],
                )
        velocity = (shot.velocity[0], shot.velocity[1], shot.velocity[2])
        spin = (shot.spin[0], shot.spin[1], shot.spin[2])
        if shot.asleep == 0:
            place = (shot.position[0], shot.position[1], shot.position[2])
            pull = pull_of(part, ground, place, velocity, spin, shot.age, line, closing)
            for i in range(3):
                shot.velocity[i] += dt * pull[i]
        for i in range(3):
            shot_memory.course[s, i] = shot.velocity[i]
        shot.age += dt


@unit
def land(crafts, parts, scene, shot_memory, nows):
    """Ends or goes on with the shots that met something in this tick: they bounce, vanish, or burst."""
    solids = scene.solids
    for c in range(scene.counts[FOUND]):
        contact = scene.contacts[c]
        if contact.fast == 1 or (contact.push <= 0.0 and contact.gap > TOUCHING):
            continue
        for side in range(2):
            s = contact.a if side == 0 else contact.b
            if solids[s].shot == 0 or solids[s].kind == PARKED:
                continue
            part = parts[solids[s].shot - 1].launcher
            c = solids[solids[s].owner].craft
            if part.on_hit == 0:
                continue
            if part.blast >= 0 and parts[crafts[c].first_part + part.blast].gain > 0.0:
                course = (shot_memory.course[s, 0], shot_memory.course[s, 1], shot_memory.course[s, 2])
                speed = max(spatial.length(course), 1e-9)
                facing = (course[0] / speed, course[1] / speed, course[2] / speed)
                at = (contact.point[0], contact.point[1], contact.point[2])
                knockbacks.burst(crafts, parts, c, part.blast, scene, shot_memory, at, facing, nows)
            park(scene, s)
    blockledger.book_pushes(scene)


@compiled
def path(part, ground, start, spin, dt, floor, out):
    """Flies one shot alone from `start` (position and velocity, (6,)) into `out`, shape (ticks, 3); returns the ticks.

    The order of the tick: air and thrust, gravity, then the place. It ends at the height `floor` or with its lifetime.
    """
    x, y, z, u, v, w = start[0], start[1], start[2], start[3], start[4], start[5]
    age = 0.0
    for k in range(out.shape[0]):
        if age >= part.lifetime - 0.5 * dt:
            return k
        pull = pull_of(part, ground, (x, y, z), (u, v, w), spin, age, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))
        u, v, w = u + dt * pull[0], v + dt * pull[1], w + dt * pull[2]
        falls = environment.gravity_at(ground, x, y, z)
        u = u + falls[0] * part.gravity_scale * dt
        v = v + falls[1] * part.gravity_scale * dt
        w = w + falls[2] * part.gravity_scale * dt
        x, y, z = x + dt * u, y + dt * v, z + dt * w
        age += dt
        out[k, 0], out[k, 1], out[k, 2] = x, y, z
        if z <= floor:
            return k + 1
    return out.shape[0]


FLYING = Address((None, Record(GROUND), None, None, FLOAT), NOTHING)
"""`fly` by its address."""
LANDING = Address((Array(Record(CRAFT), (None,)), None, None, None, Array(Record(NOW), (None,))), NOTHING)
"""`land` by its address."""
