"""Bodies that belong to no craft: what gravity, air and a path give them in a tick, and where they move."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import blockledger, immersion, pairs, railway, sleep
from oak_sled.core.contact.records import (
    ACTIVE,
    CONTACTS,
    DRIVEN,
    FREE,
)
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial


@compiled
def speed_up(scene, ground, dt):
    """Gravity and the drag of the air on every body that belongs to no craft; driven ones take the speed of their path.

    Drag 1/2 rho Cd A v2 against the air, implicit, so that it never reverses.
    """
    solids = scene.solids
    for k in range(scene.counts[ACTIVE]):
        one = solids[scene.active[k]]
        if one.craft >= 0:
            continue
        one.time += dt
        if one.kind == FREE and one.asleep == 0:
            pull = environment.gravity_at(ground, one.position[0], one.position[1], one.position[2])
            for i in range(3):
                one.gained[i] = pull[i] * one.gravity_scale * dt + 0.0
            if one.air > 0.0:
                wind, density = environment.air_at(ground, one.position[0], one.position[1], one.position[2])
                v = spatial.minus(pairs.triple(one.velocity), wind)
                taken = dt * density * one.air * spatial.length(v) / one.mass
                for i in range(3):
                    one.gained[i] -= (v[i] + one.gained[i]) * taken / (1.0 + taken)
            if ground.pushing > 0:
                immersion.push_loose(scene, ground, scene.active[k], dt)
            for i in range(3):
                one.velocity[i] += one.gained[i]
                one.gained[i] += one.pushed[i]
                one.pushed[i] = 0.0
        elif one.kind == DRIVEN and one.rail > 0:
            follow_rail(scene, one, dt)
        elif one.kind == DRIVEN:
            turn = math.tau / one.period
            ahead = math.sin(turn * one.time + one.phase)
            if one.time < one.ramp:
                ahead *= one.time / one.ramp
            for i in range(3):
                one.velocity[i] = (one.home[i] + one.sway[i] * ahead - one.position[i]) / dt
    blockledger.book_forces(scene, ground, dt)


@compiled
def follow_rail(scene, one, dt):
    """Gives a driven solid the speed and spin with which it goes along its rail by the clock."""
    rail, before = scene.rails[one.rail - 1], one.rail_place
    share = min(one.time / one.ramp, 1.0) if one.ramp > 0.0 else 1.0
    place = railway.wrapped(rail, before + dt * share * one.rail_speed)
    if rail.closed == 0:
        place = min(max(place, 0.0), rail.length)
    one.rail_place = place
    way, next_way = (
        railway.tangent_at(rail, scene.rail_points, before),
        railway.tangent_at(rail, scene.rail_points, place),
    )
    top = railway.top_at(rail, scene.rail_points, before, way)
    next_top = railway.top_at(rail, scene.rail_points, place, next_way)
    left, next_left = spatial.cross(top, way), spatial.cross(next_top, next_way)
    # of a turn, the sum of what it makes of three axes across these is 2 sin(angle) along its axis
    a, b, c = spatial.cross(way, next_way), spatial.cross(left, next_left), spatial.cross(top, next_top)
    axis = (0.5 * (a[0] + b[0] + c[0]), 0.5 * (a[1] + b[1] + c[1]), 0.5 * (a[2] + b[2] + c[2]))
    sine = spatial.length(axis)
    cosine = 0.5 * (spatial.dot(way, next_way) + spatial.dot(left, next_left) + spatial.dot(top, next_top) - 1.0)
    scale = math.atan2(sine, cosine) / (sine * dt) if sine > 1e-14 else 0.0
    off = spatial.minus(pairs.triple(one.position), railway.point_at(rail, scene.rail_points, before))
    to = railway.point_at(rail, scene.rail_points, place)
    along, aside, above = spatial.dot(off, way), spatial.dot(off, left), spatial.dot(off, top)
    for i in range(3):
        after = to[i] + along * next_way[i] + aside * next_left[i] + above * next_top[i]
        one.spin[i] = scale * axis[i]
        one.velocity[i] = (after - one.position[i]) / dt


@compiled
def refresh(solid):
    """Axes and inverse inertia in step with the attitude."""
    spatial.axes_of(solid.attitude, solid.axes)
    if solid.kind == FREE:
        body_module.world_inertia(solid.inertia, solid.axes, solid.inverse_inertia)
        body_module.free_inverse(solid.inverse_inertia, solid.free_spin, solid.inverse_inertia)


@compiled
def refresh_all(solids):
    """The same for every body of a scene: one call from outside, where a call for each costs more than the rest."""
    for s in range(solids.shape[0]):
        refresh(solids[s])


@compiled
def move(solid, dt):
    """Place and attitude of a solid after the tick; its angular momentum is carried, its spin follows (midpoint)."""
    for i in range(3):
        solid.position[i] += dt * (solid.velocity[i] + solid.shift[i])
    w = pairs.triple(solid.spin)
    if solid.kind == DRIVEN and solid.rail > 0:
        spatial.turn(solid.attitude, (dt * w[0], dt * w[1], dt * w[2]))
        refresh(solid)
    if solid.kind != FREE:
        return
    turned = (w[0] + solid.twist[0], w[1] + solid.twist[1], w[2] + solid.twist[2])
    if turned[0] == 0.0 and turned[1] == 0.0 and turned[2] == 0.0:
        return
    b = solid.inertia
    ball = b[0, 0] == b[1, 1] and b[1, 1] == b[2, 2] and b[0, 1] == 0.0 and b[0, 2] == 0.0 and b[1, 2] == 0.0
    if not ball:
        momentum = spatial.to_world(solid.axes, spatial.times(solid.inertia, spatial.to_craft(solid.axes, w)))
        q = (solid.attitude[0], solid.attitude[1], solid.attitude[2], solid.attitude[3])
        spatial.turn(solid.attitude, (0.5 * dt * w[0], 0.5 * dt * w[1], 0.5 * dt * w[2]))
        refresh(solid)
        w = spatial.times(solid.inverse_inertia, momentum)
        for i in range(4):
            solid.attitude[i] = q[i]
        turned = (w[0] + solid.twist[0], w[1] + solid.twist[1], w[2] + solid.twist[2])
        spatial.turn(solid.attitude, (dt * turned[0], dt * turned[1], dt * turned[2]))
        refresh(solid)
        w = spatial.times(solid.inverse_inertia, momentum)
        for i in range(3):
            solid.spin[i] = w[i]
        return
    spatial.turn(solid.attitude, (dt * turned[0], dt * turned[1], dt * turned[2]))
    refresh(solid)


@unit
def move_all(scene, ground, dt):
    """Moves every body that is no craft's, and lets what is at rest fall asleep."""
    sleep.rest(scene, dt)
    blockledger.book(scene, CONTACTS)
    for k in range(scene.counts[ACTIVE]):
        one = scene.solids[scene.active[k]]
        if one.asleep == 0 and one.craft < 0:
            move(one, dt)
            if ground.pushing > 0:
                immersion.bring_back(scene, ground, scene.active[k])
    blockledger.mark(scene)
