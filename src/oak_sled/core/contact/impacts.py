"""Hits, answered before the rounds of the solver: pair by pair, in their order, until none approaches that bounces.

Newton's rule, in the sequence in which a hit passes on (a row of balls). A body bounces with the speed it has at the
moment of touch: half a tick of what its forces give is taken off, since places are those of semi-implicit Euler, whose
parabola has the speed of a tick in its middle. What comes too fast to touch in this tick is set down at the surface by
a shift; behind the moment of touch its forces give it nothing, so that it bounces as high as it fell.
"""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import pairs
from oak_sled.core.contact.records import BLOW_ROUNDS, BOUNCING, FOUND, SHARED_ROUNDS, TOUCHING


@compiled
def touches_after(contact, dt):
    """s until what approaches touches, at most `dt`: the root of gap + u t + a t^2 / 2, with the speed u at the start
    of the tick and a = gained / dt."""
    if contact.gap <= 0.0:
        return 0.0
    start, a = contact.approach - 0.5 * contact.gained, contact.gained / dt
    square = start * start - 2.0 * a * contact.gap
    if square < 0.0:
        return dt
    root = -start + math.sqrt(square)
    return min(2.0 * contact.gap / root, dt) if root > 0.0 else dt


@compiled
def is_blow(contact, speed):
    """True if a contact that closes at `speed` m/s along the normal at the end of the tick hits, not only presses."""
    at_touch = speed - 0.5 * contact.gained
    near = contact.fast == 0 and contact.gap <= TOUCHING
    return near and -at_touch > max(BOUNCING, abs(contact.gained))


@compiled
def parting(speed, gained):
    """m/s with which what touches at `speed` parts again if nothing is lost.

    Less by what the first tick of a fall from rest has too much, g dt^2 / 8 of height, so that no bounce is ever higher
    than the drop before it.
    """
    if speed > 0.0:
        return -speed
    return math.sqrt(max(speed * speed - 0.25 * gained * gained, 0.0))


@unit
def blow(scene, dt):
    """Answers fast approaches first: what is kept from passing in this tick keeps the speed it has at the
    touch, without what its forces would give it behind that; what touches and bounces parts again."""
    solids, contacts, count = scene.solids, scene.contacts, scene.counts[FOUND]
    busy = False
    for k in range(count):
        contact = contacts[k]
        speed = contact.approach
        if contact.fast == 1:
            late = 1.0 - touches_after(contact, dt) / dt
            contact.target = contact.approach - min(contact.gained, 0.0) * late
            busy = busy or contact.gained < 0.0
        elif is_blow(contact, speed):
            busy = True
    if not busy:
        return
    first = 0
    while first < count:
        last = end_of_pair(contacts, first, count)
        held = False
        for k in range(first, last):
            held = held or (contacts[k].fast == 1 and contacts[k].gained < 0.0)
        if held:
            share(scene, first, last, True)
        first = last
    for _ in range(BLOW_ROUNDS + count):
        busy, first = False, 0
        while first < count:
            last = end_of_pair(contacts, first, count)
            hit = False
            for k in range(first, last):
                hit = hit or is_blow(contacts[k], pairs.speed_of(solids, contacts[k]))
            if hit:
                for k in range(first, last):  # also those that part already: else they would gain energy
                    contact = contacts[k]
                    contact.target = 0.0
                    if contact.bounce > 0.0:
                        speed = pairs.speed_of(solids, contact) - 0.5 * contact.gained
                        contact.target = contact.bounce * parting(speed, contact.gained) + 0.5 * contact.gained
                share(scene, first, last, False)
                busy = True
            first = last
        if not busy:
            break
    for k in range(count):
        contacts[k].target = -max(contacts[k].gap, 0.0) / dt


@compiled
def end_of_pair(contacts, first, count):
    """Behind the last contact of the pair of bodies whose contacts begin at `first`."""
    last = first + 1
    while last < count and contacts[last].a == contacts[first].a and contacts[last].b == contacts[first].b:
        last += 1
    return last


@compiled
def share(scene, first, last, fast):
    """Answers a hit of two bodies at all points of their meeting together, with friction, until each has its target: at
    those that are kept from passing only, or at the others. What an earlier hit of the tick gave is not taken back."""
    solids, contacts = scene.solids, scene.contacts
    for j in range(first, last):
        for i in range(3):
            contacts[j].event[i] = 0.0
    for turn in range(SHARED_ROUNDS):
        largest = 0.0
        for j in range(first, last):
            contact = contacts[j if turn % 2 == 0 else last - 1 - (j - first)]
            if (contact.fast == 1) != fast or (contact.fast == 0 and contact.gap > TOUCHING):
                continue
            speed = pairs.speed_of(solids, contact)
            total = max(contact.event[0] + contact.mass * (contact.target - speed), 0.0)
            change = total - contact.event[0]
            way, across = 0.0, 0.0
            if not fast:
                way, across = friction_impulse(solids, contact, total)
            if change != 0.0 or way != 0.0 or across != 0.0:
                pairs.apply(solids, contact, change, way, across)
                contact.event[0] += change
                contact.event[1] += way
                contact.event[2] += across
            largest = max(largest, (abs(change) + abs(way) + abs(across)) / contact.mass)
        if largest < 1e-12:
            break
    for j in range(first, last):
        for i in range(3):
            contacts[j].blow[i] += contacts[j].event[i]


@compiled
def friction_impulse(solids, contact, push):
    """N s along and across the surface that friction gives more in a hit that has pushed by `push` N s so far."""
    one, other = solids[contact.a], solids[contact.b]
    la, lb = pairs.triple(contact.lever_a), pairs.triple(contact.lever_b)
    slip_way = pairs.speed_along(one, other, la, lb, pairs.triple(contact.way)) + contact.belt_way
    slip_across = pairs.speed_along(one, other, la, lb, pairs.triple(contact.across)) + contact.belt_across
    most = contact.friction * push
    way, across = pairs.friction_impulse(contact, contact.event[1], contact.event[2], slip_way, slip_across, most)
    return way - contact.event[1], across - contact.event[2]
