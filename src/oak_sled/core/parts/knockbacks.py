"""Knockback volumes: which bodies are inside, and which way, how hard and how often they are pushed."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import pushes
from oak_sled.core.contact.records import COLLIDES, FREE
from oak_sled.core.kernel import environment, seams, spatial
from oak_sled.core.parts import push

FOUND_NONE, SAME_SPOT, ROUNDS, HITS = range(4)
"""Notes of a knockback: rounds that found nobody, bodies on the spot of the source, rounds, and pushes given."""
BOX, BALL, CONE = range(3)
FROM_SOURCE, FACING, FIXED_WAY = range(3)
IMPULSE, SPEED_CHANGE, FORCE, ACCELERATION = range(4)
HELD, PRESS, ON_HIT = range(3)
NEVER = -1e9


@compiled
def openness(part, p, notes, now):
    """Share to which the volume is open in this tick, 0 to 1; counts its rounds.

    Memory 0: one more than the s it has been open, 0 while closed; 1: s until it can open again; 2: number of the
    round; 3: which bodies it found in it.
    """
    memory = now.memory[p]
    memory[1] -= now.dt
    triggered, value, before = push.read_input(part.channel, p, now)
    pressed = value >= push.PRESSED and before < push.PRESSED
    if part.timing == HELD and value >= push.PRESSED:
        if pressed or memory[0] == 0.0:
            begin_round(memory, notes)
        memory[0] += now.dt
        return 1.0
    if part.timing == HELD and not triggered and part.lasts <= memory[0] - 1.0:
        end_round(memory, notes)
        return 0.0
    if (triggered or (pressed and part.timing != ON_HIT)) and memory[1] <= 0.5 * now.dt:
        begin_round(memory, notes)
        memory[1] = part.cool_down
    if memory[0] == 0.0:
        return 0.0
    since = memory[0] - 1.0
    memory[0] += now.dt
    if since > 0.0 and since >= part.lasts - 0.5 * now.dt:
        end_round(memory, notes)
        return 0.0
    profile, middle = 1.0, since + 0.5 * now.dt
    if part.rise_time > 0.0:
        profile = min(profile, middle / part.rise_time)
    if part.fall_time > 0.0:
        profile = min(profile, (part.lasts - middle) / part.fall_time)
    return max(profile, 0.0)


@compiled
def begin_round(memory, notes):
    """A new round: whoever was hit before can be hit again."""
    end_round(memory, notes)
    memory[0] = 1.0
    memory[2] += 1.0
    memory[3] = 0.0
    notes[ROUNDS] += 1.0


@compiled
def end_round(memory, notes):
    """The round is over; one that found no body is counted."""
    if memory[0] > 0.0 and memory[3] == 0.0:
        notes[FOUND_NONE] += 1.0
    memory[0] = 0.0


@compiled
def blow(crafts, parts, c, p, scene, shot_memory, nows):
    """Knockback `p` of craft `c` in this tick: whoever is in its volume is pushed; the craft feels its share."""
    k, now, body = crafts[c].first_part + p, nows[c], scene.solids[crafts[c].body]
    part = parts[k].knockback
    level = openness(part, p, shot_memory.notes[k], now)
    if level <= 0.0:
        return
    flat = math.cos(part.elevation)
    local = (flat * math.cos(part.azimuth), flat * math.sin(part.azimuth), math.sin(part.elevation))
    facing = spatial.to_world(body.axes, local)
    lever = spatial.to_world(body.axes, part.point)
    origin = (body.position[0] + lever[0], body.position[1] + lever[1], body.position[2] + lever[2])
    back = reach_out(crafts[c].body, parts, k, scene, shot_memory, (origin, facing), (level, True), now.memory[p], nows)
    torque = spatial.cross(lever, back)
    for i in range(3):
        now.reaction[p, i] = part.reaction * back[i] / now.dt
        now.reaction[p, 3 + i] = part.reaction * torque[i] / now.dt


@unit
def burst(crafts, parts, c, p, scene, shot_memory, at, facing, nows):
    """Knockback `p` of craft `c` at once round a point where a shot of it hit; its own craft feels nothing of it."""
    k, memory = crafts[c].first_part + p, nows[c].memory[p]
    memory[2] += 1.0
    memory[3] = 0.0
    shot_memory.notes[k, ROUNDS] += 1.0
    reach_out(crafts[c].body, parts, k, scene, shot_memory, (at, facing), (1.0, False), memory, nows)
    if memory[3] == 0.0:
        shot_memory.notes[k, FOUND_NONE] += 1.0
    nows[c].activity[p] = 1.0


@compiled
def is_inside(part, away, facing, left, up, size):
    """True if a centre of mass, at `away` m from the source, is in the volume."""
    if part.volume == BALL:
        return size <= part.reach
    ahead = spatial.dot(away, facing)
    if part.volume == CONE:
        return size <= part.reach and ahead >= size * part.cos_half
    aside, above = spatial.dot(away, left), spatial.dot(away, up)
    return 0.0 <= ahead <= part.reach and abs(aside) <= 0.5 * part.width and abs(above) <= 0.5 * part.height


@compiled
def way_of(part, away, size, facing, notes, now):
    """The unit direction of the push: from the source, as it faces, or fixed; then lifted."""
    way = facing
    if part.direction == FROM_SOURCE:
        if size > 1e-6:
            way = (away[0] / size, away[1] / size, away[2] / size)
        else:
            notes[SAME_SPOT] += 1.0  # no direction leads away from where both are: it goes as the source faces
    elif part.direction == FIXED_WAY:
        way = environment.from_level(now, (math.cos(part.fixed), math.sin(part.fixed), 0.0))
    x, y, z = environment.to_level(now, way)
    flat = math.sqrt(x * x + y * y)
    if flat < 1e-9:
        return way
    rise = math.atan2(z, flat)
    if part.level == 1:
        rise = 0.0
    rise = min(max(rise + part.lift, -0.5 * math.pi), 0.5 * math.pi)
    cos = math.cos(rise) / flat
    return environment.from_level(now, (x * cos, y * cos, math.sin(rise)))


@compiled
def reach_out(own, parts, k, scene, shot_memory, ray, strength, memory, nows):
    """Pushes every body in the volume but the body `own`; returns the sum of what came back, N s.

    ray : where it begins, m, and the unit vector that it faces. strength : the share of a force that acts in this tick,
    and whether that is one of many; else it acts for its whole time at once.
    """
    origin, facing = ray
    level, lasting = strength
    part, gain, now = parts[k].knockback, parts[k].gain, nows[own - 1]
    solids, notes = scene.solids, shot_memory.notes[k]
    left, up = environment.across(now, facing)
    x, y, z = 0.0, 0.0, 0.0
    for s in range(1, solids.shape[0]):
        solid = solids[s]
        if s == own or solid.kind != FREE or solid.shot > 0 or shot_memory.spared[k, s] == 1:
            continue
        if scene.layers[part.layer, solid.layer] != COLLIDES:
            continue
        at = (solid.position[0], solid.position[1], solid.position[2])
        away = seams.way(scene.period, origin, at)
        distance = spatial.length(away)
        if not is_inside(part, away, facing, left, up, distance):
            continue
        memory[3] += 1.0
        steady = part.way == FORCE or part.way == ACCELERATION
        rests = part.again == 0 or now.time - shot_memory.last[k, s] < part.pause - 0.5 * now.dt
        if not steady and rests and shot_memory.rounds[k, s] == memory[2]:
            continue
        shot_memory.rounds[k, s], shot_memory.last[k, s] = memory[2], now.time
        notes[HITS] += 1.0
        way = way_of(part, away, distance, facing, notes, now)
        weaker = max(1.0 - distance / part.reach, 0.0)
        share = gain * (1.0 if part.fall_off == 0 else weaker if part.fall_off == 1 else weaker * weaker)
        if steady:
            share *= level * now.dt if lasting else part.lasts
        push_of = share * part.size * (solid.mass if part.way == SPEED_CHANGE or part.way == ACCELERATION else 1.0)
        lever = (0.0, 0.0, part.above)
        pushes.give(scene, s, lever, (push_of * way[0], push_of * way[1], push_of * way[2]), nows)
        fling(part, solid, way, share, now, nows)
        x, y, z = x - push_of * way[0], y - push_of * way[1], z - push_of * way[2]
    return (x, y, z)


@compiled
def fling(part, solid, way, share, now, nows):
    """The spin that goes with a push: head over heels along it, or about the upright; mass is not counted."""
    if part.fling == 0.0:
        return
    x, y, _ = environment.to_level(now, way)
    flat = math.sqrt(x * x + y * y)
    if part.twirls == 1:
        pushes.give_spin(solid, environment.from_level(now, (0.0, 0.0, share * part.fling)), nows)
    elif flat > 1e-9:
        size = share * part.fling / flat
        pushes.give_spin(solid, environment.from_level(now, (-size * y, size * x, 0.0)), nows)
