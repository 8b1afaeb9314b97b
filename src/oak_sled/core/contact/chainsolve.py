"""The solve of a chain: its block-tridiagonal system, eliminated from node to node and solved back (Thomas)."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import pairs, ties
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

PLACE, SPEED, BESIDE, INVERSE, RIGHT, PULLS = 0, 3, 6, 15, 24, 27
"""Columns of a node: place (m), velocity (m/s), what couples it to the next one, the inverse of its block, its right
side, and whether the segment behind it pulls."""
MEETS, NORMAL, LEVER, LOAD, CLOSES = 28, 29, 32, 35, 36
"""Columns of what it touches in this tick: the body (0: none that moves), the normal there, from the centre of mass of
that body to there (m), the mass of that body which goes along with it (kg; 0: none), and how fast that comes along the
normal, less what is left between them (m/s)."""
COLUMNS = 37
FIXED_MASS = 1e30
"""kg of a node that stands."""


@compiled
def three(g, r, c):
    """Three numbers of a node from a column on."""
    return (g[r, c], g[r, c + 1], g[r, c + 2])


@compiled
def along(g, r):
    """The unit vector from a node to the next, and m between them."""
    off = spatial.minus(three(g, r + 1, PLACE), three(g, r, PLACE))
    size = spatial.length(off)
    scale = 1.0 / size if size > 0.0 else 0.0
    return (scale * off[0], scale * off[1], scale * off[2]), size


@compiled
def eliminate(own, link, scene, dt):
    """Finds the velocities at the end of the tick, into the columns from RIGHT on."""
    g, first, last = scene.chain, own.first, own.first + own.nodes - 1
    block = own.block
    for r in range(first, last + 1):
        side = 0 if r == first else 1 if r == last else 2
        weigh(own, link, scene, side)
        v = three(g, r, SPEED)
        for i in range(3):
            total = 0.0
            for k in range(3):
                total += block[i, k] * v[k]
            g[r, RIGHT + i] = total
        if side == 2 and g[r, LOAD] > 0.0:
            carry(own, g, r)
        if r > first:
            take_in(own, g, r - 1, -1.0, r, dt)
        if r < last:
            couple(own, g, r, dt)
            take_in(own, g, r, 1.0, r, dt)
        if r > first:
            reduce_by(own, g, r)
        ties.invert(block)
        for i in range(3):
            for k in range(3):
                g[r, INVERSE + 3 * i + k] = block[i, k]
    for back in range(own.nodes):
        r = last - back
        right = three(g, r, RIGHT)
        if r < last:
            moved = times(g, r, BESIDE, three(g, r + 1, RIGHT))
            right = spatial.minus(right, moved)
        found = times(g, r, INVERSE, right)
        for i in range(3):
            g[r, RIGHT + i] = found[i]


@compiled
def weigh(own, link, scene, side):
    """The mass of a node in all directions into its block: of an end that of its body at that point."""
    block = own.block
    for i in range(3):
        for k in range(3):
            block[i, k] = 0.0
    if side == 2:
        for i in range(3):
            block[i, i] = own.mass
        return
    solid = scene.solids[link.a if side == 0 else link.b]
    if solid.kind != FREE:
        for i in range(3):
            block[i, i] = FIXED_MASS
        return
    ties.give(solid, pairs.triple(own.lever_a if side == 0 else own.lever_b), block)
    for i in range(3):
        block[i, i] += 1e-12  # what is held along an axis gives way a hair there
    ties.invert(block)


@compiled
def carry(own, g, r):
    """Has the body that a node touches go along with it, across which it moves freely: its mass into the block, and
    what it comes with into the right side."""
    n, load = three(g, r, NORMAL), g[r, LOAD]
    for i in range(3):
        g[r, RIGHT + i] += load * g[r, CLOSES] * n[i]
        for k in range(3):
            own.block[i, k] += load * n[i] * n[k]


@compiled
def couple(own, g, r, dt):
    """The coupling of a node to the next: minus dt2 times the stiffness of the segment, and dt times its damping."""
    n, size = along(g, r)
    tension = max(own.stiff * (size - own.rest), 0.0)
    across = dt * dt * tension / size if size > 0.0 else 0.0
    axial = dt * dt * own.stiff + dt * own.damping
    for i in range(3):
        for k in range(3):
            value = (axial - across) * n[i] * n[k] + (across if i == k else 0.0)
            g[r, BESIDE + 3 * i + k] = -value if g[r, PULLS] == 1.0 else 0.0


@compiled
def take_in(own, g, s, sign, r, dt):
    """Adds what segment `s` does to node `r`: its stiffness, and its tension at the start of the tick."""
    for i in range(3):
        for k in range(3):
            own.block[i, k] -= g[s, BESIDE + 3 * i + k]
    if g[s, PULLS] == 1.0:
        n, size = along(g, s)
        push = sign * dt * own.stiff * (size - own.rest)
        for i in range(3):
            g[r, RIGHT + i] += push * n[i]


@compiled
def reduce_by(own, g, r):
    """Takes the node before out of the block and the right side of a node."""
    for k in range(3):
        column = (g[r - 1, BESIDE + k], g[r - 1, BESIDE + 3 + k], g[r - 1, BESIDE + 6 + k])
        solved = times(g, r - 1, INVERSE, column)
        taken = times(g, r - 1, BESIDE, solved)
        for i in range(3):
            own.block[i, k] -= taken[i]
    solved = times(g, r - 1, INVERSE, three(g, r - 1, RIGHT))
    taken = times(g, r - 1, BESIDE, solved)
    for i in range(3):
        g[r, RIGHT + i] -= taken[i]


@compiled
def times(g, r, c, v):
    """A matrix of a node, nine columns from c on, times a vector."""
    return (
        g[r, c] * v[0] + g[r, c + 1] * v[1] + g[r, c + 2] * v[2],
        g[r, c + 3] * v[0] + g[r, c + 4] * v[1] + g[r, c + 5] * v[2],
        g[r, c + 6] * v[0] + g[r, c + 7] * v[1] + g[r, c + 8] * v[2],
    )
