"""Hinges, sliders and fixed joints: two bodies that share an axis, and turn about it, slide along it, or neither.

Each asks for places and attitudes at the end of the tick, as its bodies move and turn now, as ropes and ball joints
do: for the points that is the method of Ryckaert, Ciccotti and Berendsen (SHAKE, J. Computational Physics 23, 1977).
Both bodies take the same impulse at one point, and the same torque, so that a free pair keeps its momenta. What is free
is driven by a motor, held by a spring and a damper, slowed by dry friction, and ends at limits: a row each, in this
order. Spring and damper stand at the end of the tick as far as they are too stiff for it (see `coupling`).
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import hingerows, linkkind, pairs, rope, ties
from oak_sled.core.contact.linkkind import LinkKind, Shown
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

DRAWN = 0.3
"""Share of what has drifted apart that is taken out in a tick."""
BY_RATE, BY_PLACE = 1, 2
OPEN, CLOSED = 1, 2

HINGE = np.dtype(
    [
        ("at_a", "f8", (3,)),  # m, of its point from the centre of mass, own axes
        ("at_b", "f8", (3,)),
        ("axis_a", "f8", (3,)),  # unit, own axes
        ("axis_b", "f8", (3,)),
        ("mark_a", "f8", (3,)),  # unit, own axes: across the axis, one on the other at the start
        ("mark_b", "f8", (3,)),
        ("mode", "i8"),  # TURNS, SLIDES or FIXED
        ("low", "f8"),  # rad or m
        ("high", "f8"),
        ("motor", "i8"),  # 0 none, BY_RATE or BY_PLACE
        ("rate", "f8"),  # rad/s or m/s
        ("aim", "f8"),  # rad or m
        ("most", "f8"),  # N m or N of the motor
        ("stiffness", "f8"),
        ("damping", "f8"),
        ("friction", "f8"),  # N m or N
        ("breaks", "f8"),  # N; 0: never
        ("latch", "i8"),  # OPEN or CLOSED; 0 for what is no latch
        ("within", "f8"),  # m, rad and m/s within which it closes
        ("aligned", "f8"),
        ("slower", "f8"),
        ("lever_a", "f8", (3,)),  # m, the same in world axes
        ("lever_b", "f8", (3,)),
        ("arm_b", "f8", (3,)),  # m from the centre of mass of b to the point of a: both take an impulse there
        ("inverse_a", "f8", (3, 3)),  # 1/(kg m2), own axes
        ("inverse_b", "f8", (3, 3)),
        ("axis", "f8", (3,)),  # world axes, at the start of the tick
        ("gap", "f8", (3,)),  # m from the point of b to that of a, at the start of the tick
        ("lean", "f8", (3,)),  # rad that both are turned against each other, but about the axis of a hinge
        ("place", "f8"),  # rad or m of what is free, at the start of the tick
        ("given", "f8", (3,)),  # N s on a at its point
        ("turned", "f8", (3,)),  # N m s on a
        ("factor", "f8", (6, 6)),  # lower factor of what its held rows give way, 1/kg and 1/(kg m2); see `lay_rows`
        ("answers", "f8", (6,)),  # impulses by which the held rows answer one along or about the axis
        ("mass", "f8"),  # kg m2 about its axis, or kg along it, with that answer
        ("driven", "f8"),  # of the motor, along or about the axis
        ("sprung", "f8"),
        ("slowed", "f8"),
        ("stopped", "f8"),
    ]
)


@compiled
def lay(own, link, scene):
    """Levers, axis, and how far its bodies are apart, as they are now."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    lever_a = spatial.to_world(one.axes, pairs.triple(own.at_a))
    lever_b = spatial.to_world(other.axes, pairs.triple(own.at_b))
    axis = spatial.to_world(other.axes, pairs.triple(own.axis_b))
    for i in range(3):
        own.lever_a[i], own.lever_b[i], own.axis[i] = lever_a[i], lever_b[i], axis[i]
        own.arm_b[i] = one.position[i] + lever_a[i] - other.position[i]
        own.gap[i] = own.arm_b[i] - lever_b[i]
    if own.mode == hingerows.TILTS:
        lay_tilt(own, one, axis)
        return
    still = (1.0, 0.0, 0.0, 0.0)
    lean = hingerows.leaning(own, one, other, still, still)
    for i in range(3):
        own.lean[i] = lean[i]
    own.place = (
        spatial.dot(pairs.triple(own.gap), axis)
        if own.mode == hingerows.SLIDES
        else hingerows.angle(own, one, other, still, still)
    )


@compiled
def lay_tilt(own, one, axis):
    """The axis about which a is tilted against b, and by how much. axis : that of b."""
    tilted = spatial.to_world(one.axes, pairs.triple(own.axis_a))
    about = spatial.cross(axis, tilted)
    sine = spatial.length(about)
    own.place = math.atan2(sine, spatial.dot(axis, tilted))
    way, _ = hingerows.across(axis)
    for i in range(3):
        own.axis[i] = about[i] / sine if sine > 1e-9 else way[i]


@unit
def reach(own, link, scene, dt):
    """It always acts; a latch once it has closed, which it does where its points meet slowly and aligned."""
    spatial.inverse_symmetric(scene.solids[link.a].inertia, own.inverse_a)
    if scene.solids[link.b].kind == FREE:
        spatial.inverse_symmetric(scene.solids[link.b].inertia, own.inverse_b)
    lay(own, link, scene)
    if own.latch == OPEN:
        if not meets(own, link, scene):
            return 0
        close(own, link, scene)
    return 1


@compiled
def meets(own, link, scene):
    """True if the points of an open latch are near enough, aligned, and slow against each other."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    gap = spatial.length(pairs.triple(own.gap))
    if gap > own.within:
        return False
    axis = spatial.to_world(one.axes, pairs.triple(own.axis_a))
    if spatial.dot(axis, pairs.triple(own.axis)) < math.cos(own.aligned):
        return False
    speed = pairs.speed_at(one, other, pairs.triple(own.lever_a), pairs.triple(own.lever_b))
    return spatial.length(speed) <= own.slower


@compiled
def close(own, link, scene):
    """A latch holds both bodies as they are from now on."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    axis = spatial.to_craft(other.axes, spatial.to_world(one.axes, pairs.triple(own.axis_a)))
    mark = spatial.to_craft(other.axes, spatial.to_world(one.axes, pairs.triple(own.mark_a)))
    at = spatial.to_craft(other.axes, pairs.triple(own.arm_b))
    for i in range(3):
        own.at_b[i], own.axis_b[i], own.mark_b[i] = at[i], axis[i], mark[i]
    own.latch = CLOSED
    lay(own, link, scene)


@unit
def prepare(own, link, scene, dt):
    """Gives both bodies what it gave in the tick before."""
    hingerows.push_points(own, link, scene, pairs.triple(own.given))
    hingerows.turn_both(own, link, scene, pairs.triple(own.turned))
    along = own.driven + own.sprung + own.slowed + own.stopped
    act_along(own, link, scene, along)
    hingerows.lay_rows(own, link, scene)


@compiled
def act_along(own, link, scene, size):
    """A torque about the axis, or an impulse along it: that of what is free."""
    n = pairs.triple(own.axis)
    if own.mode == hingerows.TURNS or own.mode == hingerows.TILTS:
        hingerows.turn_both(own, link, scene, (size * n[0], size * n[1], size * n[2]))
    elif own.mode == hingerows.SLIDES:
        hingerows.push_points(own, link, scene, (size * n[0], size * n[1], size * n[2]))


@compiled
def drive(own, link, scene, size):
    """Gives what is free an impulse, which the held rows answer."""
    act_along(own, link, scene, size)
    for k in range(6):
        if hingerows.is_held(own, k):
            hingerows.give_row(own, link, scene, k, size * own.answers[k])


@compiled
def free_speed(own, link, scene):
    """rad/s of a against b about the axis, or m/s along it."""
    one, other, n = scene.solids[link.a], scene.solids[link.b], pairs.triple(own.axis)
    if own.mode == hingerows.TURNS or own.mode == hingerows.TILTS:
        wa = pairs.triple(one.spin) if one.kind == FREE else (0.0, 0.0, 0.0)
        wb = pairs.triple(other.spin) if other.kind == FREE else (0.0, 0.0, 0.0)
        return spatial.dot(n, spatial.minus(wa, wb))
    return pairs.speed_along(one, other, pairs.triple(own.lever_a), pairs.triple(own.arm_b), n)


@unit
def solve(own, link, scene, dt):
    """One round: what is free, then all that is held."""
    moved = 0.0
    if own.mode != hingerows.FIXED and own.mass > 0.0:
        moved = solve_free(own, link, scene, dt)
    held = hingerows.solve_held(own, link, scene, dt)
    return max(moved, held)


@compiled
def solve_free(own, link, scene, dt):
    """Motor, spring and damper, dry friction, limits, in this order; the largest speed that they changed."""
    mass, largest = own.mass, 0.0
    if own.motor > 0:
        wanted = own.rate * link.drives[0]
        if own.motor == BY_PLACE:
            wanted = min(max((own.aim * link.drives[0] - own.place) / dt, -abs(own.rate)), abs(own.rate))
        total = own.driven + mass * (wanted - free_speed(own, link, scene))
        total = min(max(total, -own.most * dt), own.most * dt)
        drive(own, link, scene, total - own.driven)
        largest, own.driven = max(largest, abs(total - own.driven) / mass), total
    if own.stiffness > 0.0 or own.damping > 0.0:
        early = max(1.0 - 0.5 * mass / max(own.stiffness * dt * dt, 1e-300), 0.0)
        answers = dt * (early * dt * own.stiffness + own.damping)
        speed = free_speed(own, link, scene) - own.sprung / mass
        total = -(dt * own.stiffness * own.place + answers * speed) / (1.0 + answers / mass)
        drive(own, link, scene, total - own.sprung)
        largest, own.sprung = max(largest, abs(total - own.sprung) / mass), total
    if own.friction > 0.0:
        total = own.slowed - mass * free_speed(own, link, scene)
        total = min(max(total, -own.friction * dt), own.friction * dt)
        drive(own, link, scene, total - own.slowed)
        largest, own.slowed = max(largest, abs(total - own.slowed) / mass), total
    if own.low > -1e300 or own.high < 1e300:
        after = own.place + dt * free_speed(own, link, scene)
        over, under = after - max(own.high, own.place), after - min(own.low, own.place)
        total = own.stopped
        if own.stopped < 0.0 or over > 0.0:
            total = min(own.stopped - mass * over / dt, 0.0)
        elif own.stopped > 0.0 or under < 0.0:
            total = max(own.stopped - mass * under / dt, 0.0)
        drive(own, link, scene, total - own.stopped)
        largest, own.stopped = max(largest, abs(total - own.stopped) / mass), total
    return largest


@unit
def correct(own, link, scene, dt):
    """One round of the shift that takes out a share of what has drifted apart."""
    one, other, largest = scene.solids[link.a], scene.solids[link.b], 0.0
    la, lb, n = pairs.triple(own.lever_a), pairs.triple(own.arm_b), pairs.triple(own.axis)
    u, w = hingerows.across(n)
    for k in range(6):
        way = u if k % 3 == 0 else w if k % 3 == 1 else n
        if not hingerows.is_held(own, k):
            continue
        twist_a, twist_b = pairs.triple(one.twist), pairs.triple(other.twist)
        least = hingerows.NOTHING * hingerows.at_most(own, link, scene, k)
        if k < 3:
            give = rope.given(one, la, way) + rope.given(other, lb, way)
            swing = spatial.minus(spatial.cross(twist_a, la), spatial.cross(twist_b, lb))
            speed = DRAWN * spatial.dot(way, pairs.triple(own.gap)) / dt + spatial.dot(way, swing)
            for i in range(3):
                speed += way[i] * (one.shift[i] - other.shift[i])
            size = -speed / give if give > least else 0.0
            if one.kind == FREE:
                ties.shift_body(one, la, (size * way[0], size * way[1], size * way[2]), 1.0)
            if other.kind == FREE:
                ties.shift_body(other, lb, (size * way[0], size * way[1], size * way[2]), -1.0)
        else:
            give = hingerows.spun(one, other, way)
            speed = DRAWN * spatial.dot(way, pairs.triple(own.lean)) / dt
            speed += spatial.dot(way, spatial.minus(twist_a, twist_b))
            size = -speed / give if give > least else 0.0
            twist(one, other, way, size)
        largest = max(largest, abs(speed))
    return largest


@compiled
def twist(one, other, way, size):
    """Turns both by a shift, against each other."""
    torque = (size * way[0], size * way[1], size * way[2])
    pairs.turn(one.twist, one, torque, 1.0)
    pairs.turn(other.twist, other, torque, -1.0)


@unit
def finish(own, link, scene, dt):
    """Load at its point, where it stands, and what acts along or about the axis; past its breaking load it breaks."""
    lay(own, link, scene)
    if own.latch > 0:
        link.shown[1] = spatial.length(pairs.triple(own.gap))
        link.shown[2] = 1.0 if own.latch == CLOSED else 0.0
        show_approach(own, link, scene)
        if own.latch == OPEN:
            return
    load = spatial.length(pairs.triple(own.given)) / dt
    link.shown[0] = load
    if own.latch == 0:
        link.shown[1] = own.place
        show_free(own, link, dt)
    if own.breaks > 0.0 and load > own.breaks:
        linkkind.break_off(link)


@compiled
def show_approach(own, link, scene):
    """Shows how the points of a latch move against each other, and the angle of its axis on both bodies."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    speed = pairs.speed_at(one, other, pairs.triple(own.lever_a), pairs.triple(own.lever_b))
    axis = spatial.to_world(one.axes, pairs.triple(own.axis_a))
    sine = spatial.length(spatial.cross(pairs.triple(own.axis), axis))
    link.shown[3] = spatial.length(speed)
    link.shown[4] = math.atan2(sine, spatial.dot(pairs.triple(own.axis), axis))


@compiled
def show_free(own, link, dt):
    """Shows what acts along or about the axis, or the torque that a fixed joint holds."""
    link.shown[2] = (own.driven + own.sprung + own.slowed + own.stopped) / dt
    if own.mode == hingerows.FIXED:
        link.shown[2] = spatial.length(pairs.triple(own.turned)) / dt


def goes_on(fresh: np.void, old: np.void) -> None:
    """Takes over how a latch has closed."""
    if fresh["latch"] and old["latch"] == CLOSED:
        for name in ("latch", "at_b", "axis_b", "mark_b"):
            fresh[name] = old[name]


def _kind(name: str, place: Shown, along: Shown, *more: Shown) -> LinkKind:
    shows = (Shown("load", "N", "load at its point"), place, along, *more, Shown("broken", "", "broken or let go"))
    return LinkKind(name, HINGE, reach, prepare, solve, correct, finish, shows, goes_on)


HINGED = _kind("hinge", Shown("angle", "rad", "angle"), Shown("torque", "N m", "torque about its axis"))
SLIDING = _kind("slider", Shown("travel", "m", "travel"), Shown("force", "N", "force along its axis"))
FASTENED = _kind("fixed", Shown("angle", "rad", "angle"), Shown("torque", "N m", "torque that it holds"))
LATCHED = _kind(
    "latch",
    Shown("length", "m", "distance of its points"),
    Shown("closed", "", "closed"),
    Shown("speed", "m/s", "speed of its points"),
    Shown("tilt", "rad", "angle of its axes"),
)
TILTED = _kind("cone", Shown("angle", "rad", "tilt"), Shown("torque", "N m", "torque against its tilt"))
