"""A rope with mass: nodes at even spacing, pulled by stiff segments that never push, solved as one chain.

The velocities at the end of a tick of all nodes and of the points where it is tied to bodies are found together: each
segment pulls with the tension that it has at the end of the tick, along with how that turns (its geometric stiffness),
both linear in the velocities (a linearly implicit step: Baraff and Witkin, Large Steps in Cloth Simulation, 1998). Of a
chain that is a block-tridiagonal system of 3 by 3 blocks, solved directly in one pass (Thomas). It is stable however
stiff and however heavy what hangs on it, gives what it ties its exact share of momentum, and takes energy of what
swings fast for the tick, but never gives any: an angular rate w loses about w2 dt / 2 of its amplitude a second.
"""

from __future__ import annotations

import numpy as np

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import chainmeets, chainsolve, linkkind, narrow, pairs, rays
from oak_sled.core.contact.chainsolve import BESIDE, COLUMNS, PLACE, PULLS, RIGHT, SPEED
from oak_sled.core.contact.linkkind import LinkKind, Shown
from oak_sled.core.contact.records import FREE, GROUND, PARKED, TRIGGER
from oak_sled.core.kernel import spatial

PASSES, BOTH_WAYS = 24, 4
"""Times that a tick is solved at most, until no segment pushes; and until none that does not pull is stretched."""
STRETCHED = 1.0 + 1e-9
NEARLY = 0.999
"""Share of its length from which on a segment is taken to pull at first."""
FINE = 8
"""Places between two nodes at which a rope is measured at the start."""
OUT = 0.5
"""m/s at which a node is taken out of what it is in."""
WAKES = 0.02
"""m/s that a node has to give a body that sleeps to wake it."""

CHAIN = np.dtype(
    [
        ("at_a", "f8", (3,)),  # m, of its end from the centre of mass, own axes
        ("at_b", "f8", (3,)),
        ("first", "i8"),  # its first node among those of the scene; that stands at its end on a, the last at b
        ("nodes", "i8"),
        ("rest", "f8"),  # m of a segment
        ("stiff", "f8"),  # N/m of a segment
        ("damping", "f8"),  # N s/m of a segment
        ("mass", "f8"),  # kg of a node between the ends
        ("radius", "f8"),  # m
        ("grip", "f8"),  # friction of what it lies on
        ("breaks", "f8"),  # N; 0: never
        ("lever_a", "f8", (3,)),  # m, world axes
        ("lever_b", "f8", (3,)),
        ("block", "f8", (3, 3)),  # scratch
        ("tension", "f8"),  # N at its end on a
        ("tension_b", "f8"),
        ("most", "f8"),  # N, the greatest of any segment
    ]
)


@unit
def reach(own, link, scene, dt):
    """It always acts: its ends are put where its bodies hold them."""
    for side in range(2):
        solid = scene.solids[link.a if side == 0 else link.b]
        lever = spatial.to_world(solid.axes, pairs.triple(own.at_a if side == 0 else own.at_b))
        r = own.first if side == 0 else own.first + own.nodes - 1
        v = chainmeets.velocity_at(solid, lever)
        for i in range(3):
            scene.chain[r, PLACE + i] = solid.position[i] + lever[i]
            scene.chain[r, SPEED + i] = v[i]
            if side == 0:
                own.lever_a[i] = lever[i]
            else:
                own.lever_b[i] = lever[i]
    return 1


@unit
def prepare(own, link, scene, dt):
    """Solves the chain, and gives both bodies what it pulls."""
    g, first, last = scene.chain, own.first, own.first + own.nodes - 1
    for r in range(first + 1, last):  # gravity on what is between
        for i in range(3):
            g[r, SPEED + i] += dt * link.fall[i]
    chainmeets.sense(own, link, scene, dt)
    for r in range(first, last):
        n, size = chainsolve.along(g, r)
        after = size + dt * spatial.dot(
            n, spatial.minus(chainsolve.three(g, r + 1, SPEED), chainsolve.three(g, r, SPEED))
        )
        g[r, PULLS] = 1.0 if max(size, after) > NEARLY * own.rest else 0.0
    for k in range(PASSES):
        chainsolve.eliminate(own, link, scene, dt)
        if k == PASSES - 1:
            break  # what was solved last is what is given
        stays = chainmeets.let_go(own, scene)
        if settled(own, scene, dt, k < BOTH_WAYS) and stays:
            break
    tell(own, scene, dt)
    for r in range(first, last):
        if g[r, PULLS] == 1.0:
            give_both(own, link, scene, r, dt)
    for r in range(first + 1, last):
        chainmeets.press(own, scene, r)


@compiled
def tension_of(own, g, r, dt):
    """N of a segment at the end of the tick, below 0 for one that would push."""
    n, size = chainsolve.along(g, r)
    speed = spatial.dot(n, spatial.minus(chainsolve.three(g, r + 1, RIGHT), chainsolve.three(g, r, RIGHT)))
    return own.stiff * (size - own.rest + dt * speed) + own.damping * speed


@compiled
def settled(own, scene, dt, both):
    """True if no segment that pulls would push, and none that does not would be stretched; they change over; the latter
    only where `both`."""
    g, good = scene.chain, True
    for r in range(own.first, own.first + own.nodes - 1):
        if g[r, PULLS] == 1.0:
            if tension_of(own, g, r, dt) < 0.0:
                g[r, PULLS], good = 0.0, False
        elif both:
            n, size = chainsolve.along(g, r)
            speed = spatial.dot(n, spatial.minus(chainsolve.three(g, r + 1, RIGHT), chainsolve.three(g, r, RIGHT)))
            if size + dt * speed > own.rest * STRETCHED:
                g[r, PULLS], good = 1.0, False
    return good


@compiled
def give_both(own, link, scene, r, dt):
    """Gives both ends of a segment what it pulls in this tick, to one as much as it takes from the other."""
    g = scene.chain
    n, size = chainsolve.along(g, r)
    push = dt * own.stiff * (size - own.rest)
    turned = chainsolve.times(
        g, r, BESIDE, spatial.minus(chainsolve.three(g, r + 1, RIGHT), chainsolve.three(g, r, RIGHT))
    )
    impulse = (push * n[0] - turned[0], push * n[1] - turned[1], push * n[2] - turned[2])
    for side in range(2):
        k, sign = r + side, 1.0 - 2.0 * side
        if k == own.first or k == own.first + own.nodes - 1:
            solid = scene.solids[link.a if side == 0 else link.b]
            if solid.kind == FREE:
                pairs.push(solid, pairs.triple(own.lever_a if side == 0 else own.lever_b), impulse, sign)
        else:
            for i in range(3):
                g[k, SPEED + i] += sign * impulse[i] / own.mass


@compiled
def tell(own, scene, dt):
    """Its tensions at the end of the tick."""
    g, last = scene.chain, own.first + own.nodes - 2
    own.most = 0.0
    for r in range(own.first, last + 1):
        tension = max(tension_of(own, g, r, dt), 0.0) if g[r, PULLS] == 1.0 else 0.0
        own.most = max(own.most, tension)
        if r == own.first:
            own.tension = tension
        if r == last:
            own.tension_b = tension


@unit
def solve(own, link, scene, dt):
    """Nothing is left to the rounds: the chain was solved with the motion that forces gave its bodies."""
    return 0.0


@unit
def correct(own, link, scene, dt):
    """Nothing is shifted: it gives way."""
    return 0.0


@unit
def finish(own, link, scene, dt):
    """Its nodes meet what is in their way and move; past its breaking load it breaks."""
    g, length = scene.chain, 0.0
    for r in range(own.first + 1, own.first + own.nodes - 1):
        meet(own, link, scene, r, dt)
        for i in range(3):
            g[r, PLACE + i] += dt * g[r, SPEED + i]
    for side in range(2):
        solid = scene.solids[link.a if side == 0 else link.b]
        lever = spatial.to_world(solid.axes, pairs.triple(own.at_a if side == 0 else own.at_b))
        r = own.first if side == 0 else own.first + own.nodes - 1
        for i in range(3):
            g[r, PLACE + i] = solid.position[i] + lever[i]
    for r in range(own.first, own.first + own.nodes - 1):
        _n, size = chainsolve.along(g, r)
        length += size
    link.shown[0], link.shown[1], link.shown[2], link.shown[3] = own.tension, length, own.tension_b, own.most
    if own.breaks > 0.0 and own.most > own.breaks:
        linkkind.break_off(link)


@compiled
def meet(own, link, scene, r, dt):
    """Keeps a node out of what it would go into in this tick, and slows it there by friction: what moves freely, and is
    awake, was part of the solve."""
    g = scene.chain
    v = chainsolve.three(g, r, SPEED)
    speed = spatial.length(v)
    if speed == 0.0:
        return
    way = (v[0] / speed, v[1] / speed, v[2] / speed)
    reach_, seen = dt * speed + 2.0 * own.radius, 0
    x = chainsolve.three(g, r, PLACE)
    for s in range(1, scene.solids.shape[0]):
        one = scene.solids[s]
        if (
            one.kind == PARKED
            or one.kind == TRIGGER
            or s == link.a
            or s == link.b
            or chainmeets.is_loose(scene, link, s)
        ):
            continue
        if rays.passes_near(one, x, way, reach_, 0.0):
            scene.sighted[seen] = s
            seen += 1
    far, below, n = rays.nearest(scene, scene.solids[link.a].layer, x, way, reach_, seen)
    if below < 0:
        return
    gap = -far * spatial.dot(way, n) - own.radius
    base = (0.0, 0.0, 0.0)
    if below != GROUND:
        base = pairs.triple(scene.solids[below].velocity)
    closing = spatial.dot(spatial.minus(v, base), n)
    if gap < 0.0:  # it is taken out of there bit by bit, and without a speed
        for i in range(3):
            g[r, PLACE + i] += min(-gap, OUT * dt) * n[i]
    lifted = max(-max(gap, 0.0) / dt - closing, 0.0)
    if lifted <= 0.0:
        return
    slip = spatial.minus(v, base)
    slip = (slip[0] - closing * n[0], slip[1] - closing * n[1], slip[2] - closing * n[2])
    size = spatial.length(slip)
    slowed = min(own.grip * lifted, size) / size if size > 0.0 else 0.0
    for i in range(3):
        g[r, SPEED + i] += lifted * n[i] - slowed * slip[i]
    if below != GROUND and own.mass * lifted > WAKES * scene.solids[below].mass:
        narrow.wake(scene, below)


def laid(one: tuple[float, ...], other: tuple[float, ...], nodes: int, length: float) -> np.ndarray:
    """The nodes of a chain at the start, shape (nodes, COLUMNS): on the straight line if it is taut, else on a parabola
    that hangs through and is about as long as the chain."""
    a, b = np.array(one), np.array(other)
    share = np.linspace(0.0, 1.0, FINE * (nodes - 1) + 1)
    line = a + share[:, None] * (b - a)
    apart = float(np.linalg.norm(b - a))
    if length > apart * (1.0 + 1e-9):
        low, high = 0.0, 2.0 * length
        for _ in range(60):  # the sag at which it is as long
            sag = 0.5 * (low + high)
            line[:, 2] = a[2] + share * (b[2] - a[2]) - 4.0 * sag * share * (1.0 - share)
            if float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) < length:
                low = sag
            else:
                high = sag
    arc = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    made = np.zeros((nodes, COLUMNS))
    for i in range(3):
        made[:, PLACE + i] = np.interp(np.linspace(0.0, arc[-1], nodes), arc, line[:, i])
    return made


KIND = LinkKind(
    "chain",
    CHAIN,
    reach,
    prepare,
    solve,
    correct,
    finish,
    (
        Shown("tension", "N", "tension at its first end"),
        Shown("length", "m", "length of its way"),
        Shown("tension_b", "N", "tension at its other end"),
        Shown("most", "N", "greatest tension"),
        Shown("broken", "", "broken or let go"),
    ),
)
