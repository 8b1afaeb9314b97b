"""A rope that bends round bodies and ground: one line from end to end, with friction where it bends.

It is held between its first and its last bend by friction: the pulls at both ends differ by the factor exp(mu angle) at
most (the capstan equation of Euler and Eytelwein). Within that both ends are held to the lengths that are out there, by
a row each; past it the line slips, and one row holds the whole length, with the pulls in that ratio. Bodies that move
carry their bends along, and are pushed by what the line pulls on both sides of each; between the two ends its pull
goes evenly over with the angle that it has turned. Without a bend it is the rope of `rope`.
"""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import bends, hook, linkkind, narrow, pairs, rope, ties, wraps
from oak_sled.core.contact.linkkind import LinkKind, Shown
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

STEADY = 1e-9
"""m by which the way between its bends may change from tick to tick, by rounding, where they go with one body."""
STICKS, TO_A, TO_B = range(3)
"""Ways of a line in its bends: it sticks, or slips toward an end."""

WRAPPED = np.dtype(
    [
        *((name, rope.ROPE[name]) for name in rope.ROPE.names or ()),
        ("friction", "f8"),
        ("wraps", "i8"),  # how many bends it has
        ("points", "f8", (wraps.MOST, 3)),  # m
        ("turns", "f8", (wraps.MOST, 3)),  # unit, about which it turns there
        ("on", "i8", (wraps.MOST,)),  # the body that it bends round there; 0: the ground
        ("places", "f8", (wraps.MOST, 3)),  # m, and unit: both as before, own axes of that body
        ("axes", "f8", (wraps.MOST, 3)),
        ("over", "f8", (wraps.MOST,)),  # share of its turning that lies before and at each bend
        ("was_a", "f8", (3,)),  # m, its ends a tick before
        ("was_b", "f8", (3,)),
        ("known", "i8"),  # 1 where these are set
        ("out_a", "f8"),  # m of it from the first end to the first bend, and from the last to the other end
        ("out_b", "f8"),
        ("spare", "f8"),  # m of it in bends that are not kept as points
        ("between", "f8"),  # m from the first bend to the last
        ("ratio", "f8"),  # of the pulls at both ends at most
        ("slips", "i8"),  # STICKS, TO_A or TO_B
        ("normal_b", "f8", (3,)),  # unit, from the last bend to the other end
        ("apart_a", "f8"),  # m, those lengths as they are
        ("apart_b", "f8"),
        ("mass_a", "f8"),
        ("mass_b", "f8"),
        ("pull_b", "f8"),  # N s at the other end
        ("phase", "i8"),
        ("pressed", "i8"),  # 1 while its channel is pressed
        ("way", "f8", (3,)),  # unit, own axes of a: where its hook is thrown
        ("speed", "f8"),  # m/s of that
        ("recoil", "f8"),  # kg of the hook
        ("most", "f8"),  # m that it pays out
        ("back", "f8"),  # s until a hook that missed is back
        ("waits", "f8"),  # s left of that
        ("hook", "f8", (3,)),  # m, m/s
        ("flight", "f8", (3,)),
        ("pump", "f8"),  # share by which it is shortened low in a swing
        ("cap", "f8"),  # m/s up to which a swing goes; 0: any
        ("boost", "f8"),  # m/s that letting go adds
    ]
)


@compiled
def ends_of(own, link, scene):
    """Both its ends, m."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    lever_a = spatial.to_world(one.axes, pairs.triple(own.at_a))
    lever_b = spatial.to_world(other.axes, pairs.triple(own.at_b))
    return (
        spatial.plus(pairs.triple(one.position), lever_a),
        spatial.plus(pairs.triple(other.position), lever_b),
    )


@unit
def reach(own, link, scene, dt):
    """1 if it is taut at the end of the tick, or pulled in the one before; its hook flies, and bends come and go."""
    if own.phase != hook.TIED:
        hook.throw(own, link, scene, dt)
        if own.phase != hook.TIED:
            own.pull, own.pull_b = 0.0, 0.0
            return 0
    elif hook.lets_go(own, link, scene):
        return 0
    hook.aid(own, link, scene)
    a, b = ends_of(own, link, scene)
    if own.known == 0:
        remember(own, a, b)
    before = own.wraps
    whole = own.between
    wraps.follow(own, scene)
    wraps.let_off(own, a, b)
    wraps.catch_on(own, link, scene, a, b, pairs.triple(own.was_a), pairs.triple(own.was_b), dt)
    remember(own, a, b)
    if before < own.wraps:  # something has come upon it
        narrow.wake(scene, link.a)
        if scene.solids[link.b].kind == FREE:
            narrow.wake(scene, link.b)
    bends.note_bodies(own, link, scene)
    if own.wraps == 0:
        own.between, own.spare = 0.0, 0.0
        return rope.reach(own, link, scene, dt)
    own.between = wraps.length_between(own)
    if before != own.wraps or abs(whole - own.between) > STEADY:
        share_out(own, link, scene, a, b)
    wind(own, link, dt)
    lay(own, link, scene, a, b)
    if own.pull > 0.0 or own.pull_b > 0.0:
        return 1
    one, two = end_after(own, link, scene, dt)
    return 1 if one + two >= own.length - own.between else 0


@compiled
def remember(own, a, b):
    """Keeps where its ends are for the next tick."""
    own.known = 1
    for i in range(3):
        own.was_a[i], own.was_b[i] = a[i], b[i]


@compiled
def share_out(own, link, scene, a, b):
    """The lengths at both ends, after bends came or went: both have the same slack, and what is too long is too long
    where a body moves."""
    left = own.length - own.between
    size_a = spatial.length(spatial.minus(a, wraps.point_of(own, 0)))
    size_b = spatial.length(spatial.minus(b, wraps.point_of(own, own.wraps - 1)))
    slack = left - size_a - size_b
    own.out_a = size_a + 0.5 * slack
    if slack < 0.0 and scene.solids[link.a].kind != FREE:
        own.out_a = size_a
    elif slack < 0.0 and scene.solids[link.b].kind != FREE:
        own.out_a = left - size_b
    own.out_a = min(max(own.out_a, 0.0), left)
    own.out_b = left - own.out_a


@compiled
def wind(own, link, dt):
    """Reels it in or out at its first end."""
    own.wound = 0.0
    if own.reel == 0.0:
        return
    step = dt * own.reel * link.drives[0]
    if step > 0.0:
        step = min(step, max(own.length - own.shortest, 0.0))
        own.wound = step
    own.length -= step
    own.out_a -= step


@compiled
def lay(own, link, scene, a, b):
    """Levers, lines and lengths at both ends, and the ratio of the pulls."""
    one, other = scene.solids[link.a], scene.solids[link.b]
    lever_a = spatial.minus(a, pairs.triple(one.position))
    lever_b = spatial.minus(b, pairs.triple(other.position))
    off_a = spatial.minus(a, wraps.point_of(own, 0))
    off_b = spatial.minus(b, wraps.point_of(own, own.wraps - 1))
    own.apart_a, own.apart_b = spatial.length(off_a), spatial.length(off_b)
    own.apart = own.apart_a + own.between + own.apart_b
    for i in range(3):
        own.lever_a[i], own.lever_b[i] = lever_a[i], lever_b[i]
        own.normal[i] = off_a[i] / own.apart_a if own.apart_a > 0.0 else 0.0
        own.normal_b[i] = off_b[i] / own.apart_b if own.apart_b > 0.0 else 0.0
    whole = wraps.turning(own, a, b)
    own.ratio = math.exp(min(own.friction * whole, 50.0))
    so_far = 0.0
    for k in range(own.wraps):
        so_far += wraps.turning_at(own, a, b, k)
        own.over[k] = so_far / whole if whole > 0.0 else 0.5


@compiled
def end_after(own, link, scene, dt):
    """m from the first bend to the first end, and from the last to the other, after the tick."""
    a = rope.end_of(scene.solids[link.a], own.lever_a, dt)
    b = rope.end_of(scene.solids[link.b], own.lever_b, dt)
    one = spatial.length(spatial.minus(a, bends.bend_after(own, scene, 0, dt)))
    two = spatial.length(spatial.minus(b, bends.bend_after(own, scene, own.wraps - 1, dt)))
    return one, two


@unit
def prepare(own, link, scene, dt):
    """Its effective masses, and what it pulled in the tick before."""
    if own.wraps == 0:
        own.slips = STICKS
        rope.prepare(own, link, scene, dt)
        own.pull_b = own.pull
        return
    one, other = scene.solids[link.a], scene.solids[link.b]
    give_a = rope.given(one, pairs.triple(own.lever_a), pairs.triple(own.normal))
    give_b = rope.given(other, pairs.triple(own.lever_b), pairs.triple(own.normal_b))
    give_a += bends.given_at(own, scene, 0, pairs.triple(own.normal))
    give_b += bends.given_at(own, scene, own.wraps - 1, pairs.triple(own.normal_b))
    own.mass_a = 1.0 / give_a if give_a > 0.0 else 0.0
    own.mass_b = 1.0 / give_b if give_b > 0.0 else 0.0
    own.mass = 1.0 / (give_a + give_b) if give_a + give_b > 0.0 else 0.0
    own.drawn, own.slips = 0.0, STICKS
    pull_a(own, link, scene, own.pull)
    pull_b(own, link, scene, own.pull_b)
    bends.draw_between(own, scene, own.pull, own.pull_b)


@compiled
def pull_a(own, link, scene, size):
    """Draws the first end toward the first bend by an impulse, N s."""
    one, n = scene.solids[link.a], pairs.triple(own.normal)
    if one.kind == FREE:
        pairs.push(one, pairs.triple(own.lever_a), n, -size)
    bends.push_bend(own, scene, 0, n, size)
    for i in range(3):
        link.given[i] -= size * n[i]
        link.lever[i] = own.lever_a[i]


@compiled
def pull_b(own, link, scene, size):
    """Draws the other end toward the last bend by an impulse, N s."""
    other = scene.solids[link.b]
    if other.kind == FREE:
        pairs.push(other, pairs.triple(own.lever_b), pairs.triple(own.normal_b), -size)
    bends.push_bend(own, scene, own.wraps - 1, pairs.triple(own.normal_b), size)


@unit
def solve(own, link, scene, dt):
    """One round: each end is held to what is out there, or the whole of it where it slips."""
    if own.wraps == 0:
        changed = rope.solve(own, link, scene, dt)
        own.pull_b = own.pull
        return changed
    if own.mass == 0.0:
        return 0.0
    one, two = end_after(own, link, scene, dt)
    over_a = one - max(own.out_a, own.apart_a - own.wound)
    over_b = two - max(own.out_b, own.apart_b)
    now_a = max(own.pull + own.mass_a * over_a / dt, 0.0) if own.mass_a > 0.0 else own.pull
    now_b = max(own.pull_b + own.mass_b * over_b / dt, 0.0) if own.mass_b > 0.0 else own.pull_b
    own.slips = STICKS
    if own.mass_b == 0.0:  # an end that stands bears whatever it must, once nothing is slack there
        now_b = now_a / own.ratio
        if own.apart_b < own.out_b - 1e-9:
            now_b = 0.0
    elif own.mass_a == 0.0:
        now_a = now_b / own.ratio
        if own.apart_a < own.out_a - 1e-9:
            now_a = 0.0
    over = one + two - max(own.length - own.between, own.apart_a + own.apart_b - own.wound)
    if now_a > own.ratio * now_b * (1.0 + 1e-12):
        own.slips = TO_A
        give = (own.ratio / own.mass_a if own.mass_a > 0.0 else 0.0) + (1.0 / own.mass_b if own.mass_b > 0.0 else 0.0)
        now_b = max(own.pull_b + over / dt / give, 0.0)
        now_a = own.ratio * now_b
    elif now_b > own.ratio * now_a * (1.0 + 1e-12):
        own.slips = TO_B
        give = (own.ratio / own.mass_b if own.mass_b > 0.0 else 0.0) + (1.0 / own.mass_a if own.mass_a > 0.0 else 0.0)
        now_a = max(own.pull + over / dt / give, 0.0)
        now_b = own.ratio * now_a
    if own.wound > 0.0 and own.mass_a > 0.0:
        held = own.pull + own.mass_a * (one - max(own.out_a + own.wound, own.apart_a)) / dt
        now_a = min(now_a, max(own.strong * dt, held))
    change_a, change_b = now_a - own.pull, now_b - own.pull_b
    own.pull, own.pull_b = now_a, now_b
    pull_a(own, link, scene, change_a)
    pull_b(own, link, scene, change_b)
    bends.draw_between(own, scene, change_a, change_b)
    largest = abs(change_a) / own.mass_a if own.mass_a > 0.0 else 0.0
    return max(largest, abs(change_b) / own.mass_b if own.mass_b > 0.0 else 0.0)


@unit
def correct(own, link, scene, dt):
    """One round of the shift that takes out a share of what it is too long."""
    if own.wraps == 0:
        return rope.correct(own, link, scene, dt)
    over = own.apart - own.length - own.wound
    if own.mass == 0.0 or over <= 0.0:
        return 0.0
    one, other = scene.solids[link.a], scene.solids[link.b]
    lever_a, lever_b = pairs.triple(own.lever_a), pairs.triple(own.lever_b)
    na, nb = pairs.triple(own.normal), pairs.triple(own.normal_b)
    swing_a = spatial.cross(pairs.triple(one.twist), lever_a)
    swing_b = spatial.cross(pairs.triple(other.twist), lever_b)
    speed = rope.DRAWN * over / dt
    for i in range(3):
        speed += na[i] * (one.shift[i] + swing_a[i]) + nb[i] * (other.shift[i] + swing_b[i])
    speed -= bends.shifted(own, scene, 0, na) + bends.shifted(own, scene, own.wraps - 1, nb)
    total = max(own.drawn + own.mass * speed, 0.0)
    change, own.drawn = total - own.drawn, total
    if one.kind == FREE:
        ties.shift_body(one, lever_a, na, -change)
    if other.kind == FREE:
        ties.shift_body(other, lever_b, nb, -change)
    bends.shift_bend(own, scene, 0, na, change)
    bends.shift_bend(own, scene, own.wraps - 1, nb, change)
    return abs(change) / own.mass


@unit
def finish(own, link, scene, dt):
    """Tension at both ends, length, bends and hook; past its breaking load it breaks."""
    if own.phase != hook.TIED:
        show(own, link, pairs.triple(own.hook), 0.0)
        return
    if link.acts == 0:
        own.pull, own.pull_b = 0.0, 0.0
    a, b = ends_of(own, link, scene)
    wraps.follow(own, scene)
    if own.wraps == 0:
        rope.lay(own, link, scene)
        if own.wound > 0.0:
            own.length = min(max(own.length, own.apart), own.length + own.wound)
    else:
        lay(own, link, scene, a, b)
        if own.wound > 0.0:  # what did not follow is not on the reel
            back = min(max(own.apart - own.length, 0.0), own.wound)
            own.length, own.out_a = own.length + back, own.out_a + back
        slip(own)
    show(own, link, b, dt)
    if own.breaks > 0.0 and max(own.pull, own.pull_b) > own.breaks * dt:
        linkkind.break_off(link)


@compiled
def slip(own):
    """Moves line from one end to the other where it slipped in this tick, or hangs slack on both."""
    left = own.length - own.between
    if own.pull == 0.0 and own.pull_b == 0.0:
        own.out_a = own.apart_a + 0.5 * (left - own.apart_a - own.apart_b)
    elif own.slips == TO_A:
        own.out_a = max(own.out_a, left - own.apart_b)
    elif own.slips == TO_B:
        own.out_a = min(own.out_a, own.apart_a)
    own.out_b = left - own.out_a


@compiled
def show(own, link, b, dt):
    """Writes its columns: pulls, lengths, hook or other end, and its bends; those that are not there stand at its
    end."""
    link.shown[0] = own.pull / dt if dt > 0.0 else 0.0
    link.shown[1] = own.apart if own.phase == hook.TIED else 0.0
    link.shown[2] = own.pull_b / dt if dt > 0.0 else 0.0
    link.shown[3] = max(own.length - own.apart, 0.0) if own.phase == hook.TIED else 0.0
    link.shown[4] = own.phase
    link.shown[5] = own.wraps if own.phase == hook.TIED else 0.0
    for i in range(3):
        link.shown[6 + i] = b[i]
    for k in range(wraps.MOST):
        for i in range(3):
            link.shown[9 + 3 * k + i] = own.points[k, i] if k < own.wraps and own.phase == hook.TIED else b[i]


def goes_on(fresh: np.void, old: np.void) -> None:
    """Takes over its bends, its hook, and what was reeled in or out."""
    rope.goes_on(fresh, old)
    for name in ("on", "places", "axes"):
        fresh[name] = old[name]
    for name in ("wraps", "points", "turns", "was_a", "was_b", "known", "out_a", "out_b", "between", "spare", "phase"):
        fresh[name] = old[name]
    for name in ("pressed", "waits", "hook", "flight", "at_b"):
        fresh[name] = old[name]
    if fresh["speed"] > 0.0:
        fresh["length"], fresh["whole"] = old["length"], old["whole"]


AXES = ("x", "y", "z")
KIND = LinkKind(
    "wrapped",
    WRAPPED,
    reach,
    prepare,
    solve,
    correct,
    finish,
    (
        Shown("tension", "N", "tension at its first end"),
        Shown("length", "m", "length of its way"),
        Shown("tension_b", "N", "tension at its other end"),
        Shown("slack", "m", "slack"),
        Shown("phase", "", "0 ties, 1 ready, 2 flies, 3 comes back"),
        Shown("wraps", "", "bends"),
        *(Shown(f"end.{axis}", "m", f"other end or hook, {axis}") for axis in AXES),
        *(Shown(f"bend{k + 1}.{axis}", "m", f"bend {k + 1}, {axis}") for k in range(wraps.MOST) for axis in AXES),
        Shown("broken", "", "broken or let go"),
    ),
    goes_on,
    watches=True,
)
