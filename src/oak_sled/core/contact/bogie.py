"""A bogie: it binds a point of a body to a rail, and may turn the body along it.

Its point is asked for on the rail at the end of the tick, at the place nearest to where the body takes it, by impulses
across the tangent at the start of the tick: of a point without other forces on a curve that is the method of Ryckaert,
Ciccotti and Berendsen (SHAKE, J. Computational Physics 23, 1977), which keeps its speed; across the tangent in the
middle of the tick the cosine of what it turns in a tick would be lost every time. A body that is turned along the rail
turns with the place of its point, so that what turns it also pushes along the rail: entering a bend costs it the speed
that its spin takes, and leaving gives that back. What pushes, slows and stops it along the rail is a row each.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import bogierows, linkkind, pairs, railway, ties, turns
from oak_sled.core.contact.linkkind import LinkKind, Shown
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

DRAWN = 0.3
"""Share of what has drifted off the rail that is taken out in a tick."""
FORCED, SPEED_KEPT = range(2)
"""Ways to take bends: by forces across the rail, or by turning the whole velocity along it."""
LASTING = 0.1
"""s over which a side load lasts that derails: the mean over the last of them, as of a filter of the first order."""
NEAR = 0.25
"""Steps of a rail over which its turn is measured."""

BOGIE = np.dtype(
    [
        ("at_a", "f8", (3,)),  # m, of its point from the centre of mass, own axes
        ("at_b", "f8", (3,)),
        ("along_a", "f8", (3,)),  # unit, own axes: what runs ahead along the rail
        ("up_a", "f8", (3,)),  # unit, own axes: what stands up on it
        ("rows", "i8"),  # POINT, ROLLED, ALONG or UPRIGHT of `bogierows`
        ("bends", "i8"),  # FORCED or SPEED_KEPT
        ("rail", "i8"),
        ("place", "f8"),  # m of arc length
        ("sense", "f8"),  # 1 where the body runs ahead with growing arc length, else -1
        ("friction", "f8"),
        ("resistance", "f8"),  # N
        ("push", "f8"),  # N at a full channel
        ("top", "f8"),  # m/s up to which it pushes; 0: any
        ("brake", "f8"),  # N at a full channel
        ("derails", "f8"),  # N of side load that lasts; 0: never
        ("lasting", "f8"),  # N of side load, its mean over LASTING
        ("inverse_a", "f8", (3, 3)),  # 1/(kg m2), own axes
        ("lever_a", "f8", (3,)),  # m, world axes
        ("way", "f8", (3,)),  # unit tangent at the start of the tick
        ("gap", "f8", (3,)),  # m from the rail to its point then
        ("lean", "f8", (3,)),  # rad that the body is turned against the rail then
        (
            "pushes",
            "f8",
            (5, 3),
        ),  # N s, and N m s about the centre of mass, of an impulse of 1 in each held row
        ("turns", "f8", (5, 3)),
        ("factor", "f8", (5, 5)),  # lower factor of what the held rows give way
        ("answers", "f8", (5,)),  # impulses by which they answer one along the rail
        ("wanted", "f8", (5,)),  # what the rows are to take away in a round
        ("mass", "f8"),  # kg along the rail, with that answer
        ("sizes", "f8", (5,)),  # impulse of each held row in this tick, the first guess of the next
        ("given", "f8", (3,)),  # N s across the rail in this tick
        ("turned", "f8", (3,)),  # N m s with which it is turned along it
        ("kept", "f8"),  # m/s that it keeps where its velocity is turned
        ("driven", "f8"),  # N s along the rail
        ("slowed", "f8"),
        ("stopped", "f8"),
    ]
)


@compiled
def reached(own, scene, point, place):
    """Rail, place and way of the place nearest to a point, from one near it on the rail that it is on."""
    found = railway.nearest(scene.rails[own.rail], scene.rail_points, place, point)
    number, after, way = railway.course(scene.rails, own.rail, own.place, found)
    if number != own.rail:
        after = railway.nearest(scene.rails[number], scene.rail_points, after, point)
    return number, after, way


@compiled
def leaning(own, solid, scene, turn, number, place, sense):
    """rad that a body, turned further, is turned against the rail at a place, world axes."""
    rail = scene.rails[number]
    way = railway.tangent_at(rail, scene.rail_points, place)
    top = railway.top_at(rail, scene.rail_points, place, way)
    ahead = (sense * way[0], sense * way[1], sense * way[2])
    along = ties.rotated(turn, spatial.to_world(solid.axes, pairs.triple(own.along_a)))
    lean = spatial.cross(ahead, along)
    if own.rows == bogierows.ALONG:
        return lean
    up = ties.rotated(turn, spatial.to_world(solid.axes, pairs.triple(own.up_a)))
    about = math.atan2(spatial.dot(spatial.cross(top, up), ahead), spatial.dot(top, up))
    return (lean[0] + about * ahead[0], lean[1] + about * ahead[1], lean[2] + about * ahead[2])


@compiled
def turn_of_rail(own, scene):
    """rad for each m by which the tangent and the top of the rail turn at its place, world axes."""
    rail = scene.rails[own.rail]
    far = NEAR * rail.step
    before = railway.tangent_at(rail, scene.rail_points, own.place - far)
    after = railway.tangent_at(rail, scene.rail_points, own.place + far)
    top_before = railway.top_at(rail, scene.rail_points, own.place - far, before)
    top_after = railway.top_at(rail, scene.rail_points, own.place + far, after)
    way, scale = pairs.triple(own.way), 0.5 / far
    turn = spatial.cross(way, spatial.minus(after, before))
    left = spatial.cross(railway.top_at(rail, scene.rail_points, own.place, way), way)
    about = -spatial.dot(spatial.minus(top_after, top_before), left)
    return (
        scale * (turn[0] + about * way[0]),
        scale * (turn[1] + about * way[1]),
        scale * (turn[2] + about * way[2]),
    )


@unit
def reach(own, link, scene, dt):
    """It always acts: its place, and what it is off the rail, as its body stands now."""
    one = scene.solids[link.a]
    spatial.inverse_symmetric(one.inertia, own.inverse_a)
    lever = spatial.to_world(one.axes, pairs.triple(own.at_a))
    point = spatial.plus(pairs.triple(one.position), lever)
    rail = scene.rails[own.rail]
    own.place = railway.nearest(rail, scene.rail_points, own.place, point)
    way = railway.tangent_at(rail, scene.rail_points, own.place)
    off = spatial.minus(point, railway.point_at(rail, scene.rail_points, own.place))
    lean = leaning(own, one, scene, (1.0, 0.0, 0.0, 0.0), own.rail, own.place, own.sense)
    for i in range(3):
        own.lever_a[i], own.way[i], own.gap[i], own.lean[i] = lever[i], way[i], off[i], lean[i]
    own.kept = spatial.length(bogierows.velocity_of(own, one))
    if bogierows.speed_of(own, one) < 0.0:
        own.kept = -own.kept
    return 1


@unit
def prepare(own, link, scene, dt):
    """Lays its rows, and gives its body what they gave in the tick before."""
    one = scene.solids[link.a]
    bogierows.lay_rows(own, one, turn_of_rail(own, scene))
    for i in range(3):
        own.given[i], own.turned[i] = 0.0, 0.0
    for k in range(own.rows):  # row by row: across the rail as it runs now
        size, own.sizes[k] = own.sizes[k], 0.0
        bogierows.give_row(own, one, k, size)
    along = own.driven + own.slowed + own.stopped
    bogierows.push_along(own, one, along)


@unit
def solve(own, link, scene, dt):
    """One round: along the rail, then across it."""
    one, largest = scene.solids[link.a], 0.0
    if one.kind != FREE or own.mass == 0.0:
        return 0.0
    if own.bends == SPEED_KEPT:
        total = own.driven + own.mass * (own.kept - bogierows.speed_of(own, one))
        bogierows.drive(own, one, total - own.driven)
        largest, own.driven = abs(total - own.driven) / own.mass, total
    else:
        largest = solve_along(own, link, scene, dt)
    held = solve_across(own, one, scene, dt)
    return max(largest, held)


@compiled
def solve_along(own, link, scene, dt):
    """Drive, friction and brake, and buffers, in this order; the largest speed that they changed."""
    one, mass = scene.solids[link.a], own.mass
    total = own.sense * own.push * link.drives[0] * dt
    if own.top > 0.0 and total != 0.0:
        way = 1.0 if total > 0.0 else -1.0
        room = way * own.driven + mass * (own.top - way * bogierows.speed_of(own, one))
        total = way * min(way * total, max(room, 0.0))
    bogierows.drive(own, one, total - own.driven)
    largest, own.driven = abs(total - own.driven) / mass, total
    most = own.friction * spatial.length(pairs.triple(own.given))
    most += dt * (own.resistance + own.brake * max(link.drives[1], 0.0))
    if most > 0.0 or own.slowed != 0.0:
        total = own.slowed - mass * bogierows.speed_of(own, one)
        total = min(max(total, -most), most)
        bogierows.drive(own, one, total - own.slowed)
        largest, own.slowed = max(largest, abs(total - own.slowed) / mass), total
    rail = scene.rails[own.rail]
    if rail.closed == 0 and rail.ends == railway.STOPS:
        after = own.place + dt * bogierows.speed_of(own, one)
        over, under = after - max(rail.length, own.place), after - min(0.0, own.place)
        total = own.stopped
        if rail.onto[1] < 0 and (own.stopped < 0.0 or over > 0.0):
            total = min(own.stopped - mass * over / dt, 0.0)
        elif rail.onto[0] < 0 and (own.stopped > 0.0 or under < 0.0):
            total = max(own.stopped - mass * under / dt, 0.0)
        bogierows.drive(own, one, total - own.stopped)
        largest, own.stopped = max(largest, abs(total - own.stopped) / mass), total
    return largest


@compiled
def solve_across(own, solid, scene, dt):
    """Its point stays on the rail to the end of the tick, and its body along it; the largest speed of it."""
    turn = turns.turn_of(solid, own.inverse_a, dt)
    point = turns.end_of(solid, pairs.triple(own.lever_a), turn, dt)
    number, place, way = reached(own, scene, point, own.place + dt * bogierows.speed_of(own, solid))
    off = spatial.minus(point, railway.point_at(scene.rails[number], scene.rail_points, place))
    off = spatial.minus(off, pairs.triple(own.gap))
    lean = (0.0, 0.0, 0.0)
    if own.rows > bogierows.POINT:
        lean = spatial.minus(leaning(own, solid, scene, turn, number, place, way * own.sense), pairs.triple(own.lean))
    largest = 0.0
    for k in range(own.rows):
        own.wanted[k] = -spatial.dot(bogierows.axis_of(own, k), off if k < 2 else lean) / dt
        largest = max(largest, abs(own.wanted[k]))
    bogierows.answer(own, own.wanted)
    for k in range(own.rows):
        bogierows.give_row(own, solid, k, own.wanted[k])
    return largest


@unit
def correct(own, link, scene, dt):
    """One round of the shift that takes out a share of what has drifted off the rail."""
    one, largest = scene.solids[link.a], 0.0
    if one.kind != FREE:
        return 0.0
    for k in range(own.rows):
        axis = bogierows.axis_of(own, k)
        off = pairs.triple(own.gap) if k < 2 else pairs.triple(own.lean)
        speed = DRAWN * spatial.dot(axis, off) / dt
        speed += spatial.dot(bogierows.row(own.pushes, k), pairs.triple(one.shift))
        speed += spatial.dot(bogierows.row(own.turns, k), pairs.triple(one.twist))
        size = -speed / bogierows.gives(own, one, k, k)
        pairs.turn(one.twist, one, bogierows.row(own.turns, k), size)
        for i in range(3):
            one.shift[i] += size * own.pushes[k, i] * one.inverse_mass[i]
        largest = max(largest, abs(speed))
    return largest


@unit
def finish(own, link, scene, dt):
    """Its load and place; past its side load it derails, and past an open end it comes off."""
    one = scene.solids[link.a]
    side = side_load(own, scene, dt)
    load = spatial.length(pairs.triple(own.given)) / dt
    lever = spatial.to_world(one.axes, pairs.triple(own.at_a))
    point = spatial.plus(pairs.triple(one.position), lever)
    number, place, way = reached(own, scene, point, own.place + dt * bogierows.speed_of(own, one))
    own.rail, own.place, own.sense = number, place, own.sense * way
    if way < 0.0:  # what acts along the rail keeps its way
        own.driven, own.slowed, own.stopped = -own.driven, -own.slowed, -own.stopped
    rail = scene.rails[number]
    own.place = railway.wrapped(rail, own.place)
    turned = spatial.length(turn_of_rail(own, scene))
    link.shown[0], link.shown[1], link.shown[2] = load, side, own.place
    link.shown[3], link.shown[4], link.shown[5] = own.sense * bogierows.speed_of(own, one), turned, number
    own.lasting += (side - own.lasting) * dt / (LASTING + dt)
    link.shown[6] = own.lasting
    gone = rail.closed == 0 and rail.ends == railway.OPEN and (own.place < 0.0 or own.place > rail.length)
    if gone or (own.derails > 0.0 and abs(own.lasting) > own.derails):
        linkkind.break_off(link)


@compiled
def side_load(own, scene, dt):
    """N across the rail and its top, to the left of growing arc length, on the body."""
    way = pairs.triple(own.way)
    top = railway.top_at(scene.rails[own.rail], scene.rail_points, own.place, way)
    return spatial.dot(spatial.cross(top, way), pairs.triple(own.given)) / dt


def goes_on(fresh: np.void, old: np.void) -> None:
    """Takes over where it is on which rail."""
    for name in ("rail", "place", "sense"):
        fresh[name] = old[name]


KIND = LinkKind(
    "bogie",
    BOGIE,
    reach,
    prepare,
    solve,
    correct,
    finish,
    (
        Shown("load", "N", "load across the rail"),
        Shown("side", "N", "side load, to the left"),
        Shown("place", "m", "place along the rail"),
        Shown("speed", "m/s", "speed along the rail"),
        Shown("bend", "1/m", "curvature of the rail there"),
        Shown("rail", "", "number of the rail, from 0"),
        Shown("lasting", "N", "side load over 0.1 s"),
        Shown("broken", "", "derailed, run off or let go"),
    ),
    goes_on,
)
