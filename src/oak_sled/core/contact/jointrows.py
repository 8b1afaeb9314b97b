"""The rows of all joints of an island as one system, solved directly: its work grows with the length of a chain."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import pairs, ties
from oak_sled.core.contact.records import FREE
from oak_sled.core.kernel import spatial

SOFT = 1e-7
"""Share by which a joint gives more than its bodies do, so that joints that hold the same twice share the load."""


@compiled
def solve_rows(scene, island):
    """Solves the rows of an island for the impulses that take the speeds in `tie_right` away, N s, in its place.

    Elimination without pivots on the profile of the matrix: of a chain, whose joints stand in order, it has a width of
    two joints (any text on finite elements, such as Bathe's, section 8.2).
    """
    m, right, count = scene.tie_rows, scene.tie_right, scene.joints.shape[0]
    for j in range(count):
        if ties.is_of(scene, scene.joints[j], island):
            lay_rows(scene, j, island)
    for j in range(count):
        if not ties.is_of(scene, scene.joints[j], island):
            continue
        for i in range(3 * j, 3 * j + 3):
            eliminate(scene, m, right, i, island)
    for j in range(count - 1, -1, -1):
        if not ties.is_of(scene, scene.joints[j], island):
            continue
        for i in range(3 * j + 2, 3 * j - 1, -1):
            right[i] /= m[i, i]
            for k in range(3 * scene.joints[j].first, i):
                if scene.joints[k // 3].island == island:
                    right[k] -= m[k, i] * right[i]


@compiled
def eliminate(scene, m, right, i, island):
    """Row and column `i` of the factors L U, in the place of the matrix, and of the right side."""
    first = 3 * scene.joints[i // 3].first
    for k in range(first, i):
        joint = scene.joints[k // 3]
        if joint.island != island:
            continue
        low = max(first, 3 * joint.first)
        lower, upper = m[i, k], m[k, i]
        for p in range(low, k):
            lower -= m[i, p] * m[p, k]
            upper -= m[k, p] * m[p, i]
        m[k, i] = upper
        m[i, k] = lower / m[k, k]
    diagonal = m[i, i]
    for p in range(first, i):
        diagonal -= m[i, p] * m[p, i]
        right[i] -= m[i, p] * right[p]
    m[i, i] = diagonal


@compiled
def lay_rows(scene, j, island):
    """Writes the rows of a joint and the columns of those before it: what its points part by for their impulses."""
    joint, m = scene.joints[j], scene.tie_rows
    joint.first = j
    for k in range(j + 1):
        other = scene.joints[k]
        if k < joint.first and shares_body(joint, other) and ties.is_of(scene, other, island):
            joint.first = k
    for k in range(joint.first, j + 1):
        for i in range(3):
            for n in range(3):
                m[3 * j + i, 3 * k + n] = 0.0
                m[3 * k + i, 3 * j + n] = 0.0
    for k in range(joint.first, j + 1):
        if ties.is_of(scene, scene.joints[k], island):
            lay_block(scene, j, k)
            if k != j:
                lay_block(scene, k, j)
    for i in range(3):
        at = 3 * j + i
        m[at, at] = m[at, at] * (1.0 + SOFT) + 1e-30


@compiled
def shares_body(one, other):
    """True if two joints hold the same body."""
    if one.tie_a >= 0 and (one.tie_a == other.tie_a or one.tie_a == other.tie_b):
        return True
    return one.tie_b >= 0 and (one.tie_b == other.tie_a or one.tie_b == other.tie_b)


@compiled
def lay_block(scene, j, k):
    """Writes what the points of joint `j` part by for an impulse of joint `k`, 1/kg."""
    joint, other = scene.joints[j], scene.joints[k]
    if joint.tie_a >= 0:
        if joint.tie_a == other.tie_a:
            lay_share(scene, j, k, joint.tie_a, joint.end_a, other.lever_a, 1.0)
        if joint.tie_a == other.tie_b:
            lay_share(scene, j, k, joint.tie_a, joint.end_a, other.lever_b, -1.0)
    if joint.tie_b >= 0:
        if joint.tie_b == other.tie_a:
            lay_share(scene, j, k, joint.tie_b, joint.end_b, other.lever_a, -1.0)
        if joint.tie_b == other.tie_b:
            lay_share(scene, j, k, joint.tie_b, joint.end_b, other.lever_b, 1.0)


@compiled
def lay_share(scene, j, k, t, end, lever, sign):
    """The same by one body."""
    tie, m = scene.ties[t], scene.tie_rows
    solid = scene.solids[tie.solid]
    if solid.kind != FREE:
        return
    for n in range(3):
        unit_n = (1.0 if n == 0 else 0.0, 1.0 if n == 1 else 0.0, 1.0 if n == 2 else 0.0)
        turned = spatial.times(tie.inverse, spatial.cross(pairs.triple(lever), unit_n))
        moved = spatial.cross(turned, pairs.triple(end))
        for i in range(3):
            m[3 * j + i, 3 * k + n] += sign * moved[i]
        m[3 * j + n, 3 * k + n] += sign * solid.inverse_mass[n]


@compiled
def take_rows(scene, j):
    """Gives the bodies of a joint what its rows were solved for."""
    joint = scene.joints[j]
    right = scene.tie_right
    impulse = (-right[3 * j], -right[3 * j + 1], -right[3 * j + 2])
    ties.share_impulse(scene, joint, impulse)
    for i in range(3):
        joint.impulse[i] += impulse[i]
