"""The broad phase: which pairs can touch at all, by boxes along the axes, sorted along x and swept."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import narrow
from oak_sled.core.contact.linkkind import HOLDS
from oak_sled.core.contact.records import (
    ACTIVE,
    DRIVEN,
    FOUND,
    FREE,
    GROUND,
    HUNG,
    LOST,
    MARGIN,
    MET,
    PARKED,
    PASSES,
    REPORTING,
    REPORTS,
    RESERVE,
    RESERVE_S,
    STALE,
    TICKS,
    TRIGGER,
)
from oak_sled.core.kernel import seams, spatial

CLEAR_OF_MUZZLE = 0.25
"""s in which a shot does not touch the craft that fired it."""


@compiled
def box(solid, dt):
    """Writes the box round a solid as it stands and where its speed takes it in this tick."""
    axes, half = solid.axes, solid.half
    middle = spatial.to_world(axes, (solid.middle[0], solid.middle[1], solid.middle[2]))
    turning = dt * spatial.length((solid.spin[0], solid.spin[1], solid.spin[2])) * solid.reach
    for i in range(3):
        at, go = solid.position[i] + middle[i], solid.velocity[i] * dt
        wide = abs(axes[i, 0]) * half[0] + abs(axes[i, 1]) * half[1] + abs(axes[i, 2]) * half[2] + turning
        wide = min(wide, solid.reach) + MARGIN
        solid.low[i] = at - wide + min(go, 0.0)
        solid.high[i] = at + wide + max(go, 0.0)


@compiled
def sort(order, solids):
    """Insertion sort along x: nearly sorted from the time before."""
    for k in range(1, order.shape[0]):
        one = order[k]
        x = solids[one].near_low[0]
        j = k - 1
        while j >= 0 and solids[order[j]].near_low[0] > x:
            order[j + 1] = order[j]
            j -= 1
        order[j + 1] = one


@compiled
def may_move(solid):
    """True if it is or can become a body that is pushed."""
    return solid.kind == FREE or solid.kind == HUNG


@compiled
def is_met(solid):
    """True if anything can touch it at all."""
    return solid.pieces > 0 and solid.kind != PARKED


@compiled
def overlap(a_low, a_high, b_low, b_high):
    """True if two boxes overlap."""
    for i in range(3):  # noqa: SIM110 - the language of the kernel has no any()
        if a_low[i] > b_high[i] or b_low[i] > a_high[i]:
            return False
    return True


@compiled
def leaves(solid):
    """True if the box of this tick reaches out of the one for which its neighbours are known."""
    for i in range(3):
        if solid.low[i] - solid.feel < solid.near_low[i] or solid.high[i] + solid.feel > solid.near_high[i]:
            return True
    return False


@compiled
def widen(solid):
    """Lays the box for which neighbours are sought round that of this tick, farther where its speed takes it."""
    for i in range(3):
        spare, ahead = solid.feel, 0.0
        if solid.active == 1:
            spare, ahead = RESERVE * solid.reach + MARGIN + solid.feel, RESERVE_S * solid.velocity[i]
        solid.near_low[i] = solid.low[i] - spare + min(ahead, 0.0)
        solid.near_high[i] = solid.high[i] + spare + max(ahead, 0.0)


@unit
def seek_neighbours(scene, dt):
    """Lists the active bodies, and for each body all that can come near it for a while, both in their order.

    What is far away changes neither, so that it changes no bit of what the solver does.
    """
    solids, counts = scene.solids, scene.counts
    counts[ACTIVE], counts[STALE] = 0, 0
    for s in range(solids.shape[0]):
        one = solids[s]
        one.near_first, one.near_last = 0, 0
        moves = (one.kind == FREE and one.asleep == 0) or one.kind == DRIVEN or one.kind == TRIGGER
        one.active = 1 if moves and is_met(one) else 0
        if one.active == 1:
            scene.active[counts[ACTIVE]] = s
            counts[ACTIVE] += 1
        for i in range(3):
            one.shift[i], one.twist[i] = 0.0, 0.0
        if is_met(one):
            box(one, dt)
        widen(one)
    sort(scene.order, solids)
    found, place = 0, 0
    if seams.wraps(scene.period):
        found = couple_all(scene)
    else:
        found = couple(scene)
    for s in range(solids.shape[0]):
        one = solids[s]
        wide = one.near_last
        one.near_first, one.near_last = place, place
        place += wide
    for k in range(found):
        s, t = scene.couples[k, 0], scene.couples[k, 1]
        insert(scene.near, solids[s], t)
        insert(scene.near, solids[t], s)


@compiled
def couple(scene):
    """Writes the pairs of bodies whose wide boxes overlap, sweeping along x, and counts them for each; how many."""
    solids, order, found = scene.solids, scene.order, 0
    for k in range(order.shape[0]):
        s = order[k]
        one = solids[s]
        if s == GROUND or not is_met(one):
            continue
        for j in range(k + 1, order.shape[0]):
            t = order[j]
            other = solids[t]
            if other.near_low[0] > one.near_high[0]:
                break
            if t == GROUND or not is_met(other) or not (may_move(one) or may_move(other)):
                continue
            if not overlap(one.near_low, one.near_high, other.near_low, other.near_high):
                continue
            if found >= scene.couples.shape[0]:
                scene.counts[LOST] += 1
                continue
            scene.couples[found, 0], scene.couples[found, 1] = s, t
            one.near_last += 1
            other.near_last += 1
            found += 1
    return found


@compiled
def couple_all(scene):
    """`couple` in a world that wraps: every pair by its nearest images."""
    solids, found = scene.solids, 0
    for s in range(1, solids.shape[0]):
        one = solids[s]
        if not is_met(one):
            continue
        for t in range(s + 1, solids.shape[0]):
            other = solids[t]
            if not is_met(other) or not (may_move(one) or may_move(other)):
                continue
            seam = narrow.seam_of(scene, one, other)
            if not overlap_across(one.near_low, one.near_high, other.near_low, other.near_high, seam):
                continue
            if found >= scene.couples.shape[0]:
                scene.counts[LOST] += 1
                continue
            scene.couples[found, 0], scene.couples[found, 1] = s, t
            one.near_last += 1
            other.near_last += 1
            found += 1
    return found


@compiled
def overlap_across(a_low, a_high, b_low, b_high, seam):
    """True if two boxes overlap, the second moved by `seam` m."""
    for i in range(3):  # noqa: SIM110 - the language of the kernel has no any()
        if a_low[i] > b_high[i] + seam[i] or b_low[i] + seam[i] > a_high[i]:
            return False
    return True


@compiled
def are_apart(scene, one, other):
    """True if the boxes of two bodies do not overlap, by their nearest images."""
    if seams.wraps(scene.period):
        return not overlap_across(one.low, one.high, other.low, other.high, narrow.seam_of(scene, one, other))
    return not overlap(one.low, one.high, other.low, other.high)


@compiled
def insert(near, solid, t):
    """Puts a neighbour into the stretch of a body, in order."""
    place = solid.near_last
    while place > solid.near_first and near[place - 1] > t:
        near[place] = near[place - 1]
        place -= 1
    near[place] = t
    solid.near_last += 1


@unit
def sweep(scene, dt):
    """Narrow phase of every pair that can collide: writes the contacts."""
    solids, counts = scene.solids, scene.counts
    counts[FOUND], counts[MET] = 0, 0
    counts[TICKS] += 1
    stale = counts[STALE] == 1 or counts[TICKS] == 1
    if counts[REPORTING] > 0:
        for s in range(solids.shape[0]):
            solids[s].inside = 0
    for k in range(counts[ACTIVE]):
        one = solids[scene.active[k]]
        one.inside = 0
        box(one, dt)
        stale = stale or leaves(one)
    if stale:
        seek_neighbours(scene, dt)
    k = 0
    while k < counts[ACTIVE]:  # what is woken on the way comes behind the others
        s = scene.active[k]
        k += 1
        one = solids[s]
        one.looked = counts[TICKS]
        below = scene.layers[one.layer, solids[GROUND].layer]
        # what is held at its height, the hold carries
        if one.kind == FREE and one.inverse_mass[2] != 0.0 and below != PASSES:
            since = counts[FOUND]
            if scene.grid[0].plane == 1 and one.low[2] < 0.0:
                narrow.collide_plane(scene, s, dt)
            if scene.grid[0].cells[0] > 0:
                narrow.collide_triangles(scene, s, dt, since)
            if below == REPORTS:
                narrow.report_ground(scene, one, since)
        for place in range(one.near_first, one.near_last):
            t = scene.near[place]
            other = solids[t]
            if other.looked == counts[TICKS] or other.kind == PARKED or (one.kind != FREE and other.kind != FREE):
                continue  # a pair is met from the one that is looked at first
            if are_apart(scene, one, other):
                continue
            if scene.layers[one.layer, other.layer] == PASSES:
                continue
            if (scene.joints.shape[0] > 0 or scene.links.shape[0] > 0) and hangs_together(scene, s, t):
                continue
            if (one.owner == t and young(one)) or (other.owner == s and young(other)):
                continue
            narrow.collide_pair(scene, min(s, t), max(s, t), dt)


@compiled
def hangs_together(scene, s, t):
    """True if two bodies hang together by a joint, or by a link that lets them pass: they do not touch each other."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        both = (link.a == s and link.b == t) or (link.a == t and link.b == s)
        if both and link.passes == 1 and link.state == HOLDS:
            return True
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if (joint.a == s and joint.b == t) or (joint.a == t and joint.b == s):
            return True
    return False


@compiled
def young(solid):
    """True if it is a shot that has hardly left the muzzle: it does not touch the craft that fired it."""
    return solid.shot > 0 and solid.age < CLEAR_OF_MUZZLE
