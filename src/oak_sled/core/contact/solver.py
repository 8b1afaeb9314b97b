"""Contacts and ties solved at velocity level, one after another until they agree (projected Gauss-Seidel).

Overlap is taken out by a shift that is no speed, so that it adds no energy; the impulses are those of Catto's
sequential impulses (2005), the shift that of split impulses.

Hits come first (see `impacts`). Bodies that touch or are tied form islands, each solved for itself with rounds of its
own: what is elsewhere changes nothing. What makes rows beside contacts stands in `rowkinds`.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import broad, contactrows, impacts, islands, links, loosebodies, overlap, pairs, rowkinds
from oak_sled.core.contact.records import (
    FIRST_ROUNDS,
    FIRST_WORK,
    FOUND,
    SOLVED,
    SPARE_ROUNDS,
    SPARE_WORK,
    STANDING,
    STANDING_ROUNDS,
    STANDING_WORK,
    TICKS,
    TOLERANCE,
    VELOCITY_ROUNDS,
)

ACCELERATED = 9
"""Contacts of an island from which on its rounds are hurried: fewer agree soon."""


@compiled
def shift_places(scene, dt):
    """The shift that takes overlap out bit by bit, and keeps what is fast from passing: island by island."""
    overlap.begin(scene, dt)
    first, count = 0, scene.counts[FOUND]
    while first < count:
        last = islands.end_of_island(scene, first)
        island = scene.contacts[scene.turns[first]].island
        asked = overlap.ask(scene, first, last, dt)
        if asked or rowkinds.holds(scene, island):
            overlap.correct_island(scene, first, last, dt)
        first = last
    rowkinds.correct_alone(scene, dt)


@compiled
def stands(scene, first, last):
    """True if no body of an island moves faster than a stack that settles."""
    for j in range(first, last):
        contact = scene.contacts[scene.turns[j]]
        for side in range(2):
            one = scene.solids[contact.a if side == 0 else contact.b]
            for i in range(3):
                if abs(one.velocity[i]) > STANDING + abs(one.gained[i]):
                    return False
    return True


@compiled
def solve_islands(scene, dt):
    """Solves every island until its contacts agree, or for as many rounds as its size allows."""
    contacts, turns, count = scene.contacts, scene.turns, scene.counts[FOUND]
    first = 0
    while first < count:
        last = islands.end_of_island(scene, first)
        wide, island = last - first, contacts[turns[first]].island
        spare = SPARE_WORK // wide
        most = VELOCITY_ROUNDS + min(SPARE_ROUNDS, spare)
        if stands(scene, first, last):
            most = max(most, min(STANDING_ROUNDS, STANDING_WORK // wide))
        if scene.counts[TICKS] == 1 and spare < SPARE_ROUNDS:
            most = max(most, min(FIRST_ROUNDS, FIRST_WORK // wide))
        before, held = 0.0, rowkinds.holds(scene, island)
        for turn in range(most):
            moved = 0.0
            if held:
                moved = rowkinds.step(scene, island, dt)
            changed, squares = contactrows.solve_once(scene, turn, first, wide)
            if max(changed, moved) < TOLERANCE:
                break
            if wide >= ACCELERATED and not held and turn < most - 1:
                contactrows.accelerate(scene, first, wide, squares / before if before > 0.0 else 2.0)
            before = squares
        for j in range(first, last):  # no friction where there is no push
            contact = contacts[turns[j]]
            if contact.push == 0.0 and (contact.drag_way != 0.0 or contact.drag_across != 0.0):
                pairs.apply(scene.solids, contact, 0.0, -contact.drag_way, -contact.drag_across)
                contact.drag_way, contact.drag_across = 0.0, 0.0
        first = last
    rowkinds.solve_alone(scene, dt)


@compiled
def solve_contacts(scene, dt):
    """Finds every contact and solves them for the velocities of all bodies, crafts included."""
    broad.sweep(scene, dt)
    solve(scene, dt)


@unit
def solve(scene, dt):
    """Solves what the sweep found."""
    if rowkinds.are_any(scene):
        rowkinds.prepare(scene, dt)
        impacts.blow(scene, dt)
        solve_islands(scene, dt)
        for k in range(scene.counts[FOUND]):
            contact = scene.contacts[k]
            contact.push += contact.blow[0]
            contact.drag_way += contact.blow[1]
            contact.drag_across += contact.blow[2]
    shift_places(scene, dt)
    scene.counts[SOLVED] += scene.counts[FOUND]
    contactrows.keep(scene)


@compiled
def run_alone(scene, ground, dt, ticks, out):
    """Ticks of a scene without a craft: a heap that falls, a stack that stands.

    out : shape (ticks, solids, 13): position, attitude, velocity and spin of every solid after each tick.
    """
    broad.seek_neighbours(scene, dt)
    for k in range(ticks):
        loosebodies.speed_up(scene, ground, dt)
        solve_contacts(scene, dt)
        loosebodies.move_all(scene, ground, dt)
        links.finish(scene, dt)
        for s in range(scene.solids.shape[0]):
            one = scene.solids[s]
            for i in range(3):
                out[k, s, i] = one.position[i]
                out[k, s, 7 + i] = one.velocity[i]
                out[k, s, 10 + i] = one.spin[i]
            for i in range(4):
                out[k, s, 3 + i] = one.attitude[i]
