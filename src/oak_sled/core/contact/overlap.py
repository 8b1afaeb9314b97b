"""Overlap of contacts, taken out by a shift that is no speed; what is fast is kept from passing by one too."""

from __future__ import annotations

import math

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import pairs, rowkinds
from oak_sled.core.contact.records import ACTIVE, FOUND, GROUND, PLACE_ROUNDS, SHARED_ROUNDS, SLOP
from oak_sled.core.kernel import spatial


@compiled
def shift_along(one, other, lever_a, lever_b, way):
    """m/s of the shift of one solid against that of the other along `way`, at the point."""
    total = 0.0
    swing_a = spatial.cross((one.twist[0], one.twist[1], one.twist[2]), lever_a)
    swing_b = spatial.cross((other.twist[0], other.twist[1], other.twist[2]), lever_b)
    for i in range(3):
        total += way[i] * (one.shift[i] - other.shift[i])
    return total + spatial.dot(way, swing_a) - spatial.dot(way, swing_b)


@compiled
def shift_body(solid, lever, way, size):
    """The same for the shift."""
    arm = spatial.cross(lever, way)
    turned = spatial.times(solid.inverse_inertia, arm)
    for i in range(3):
        solid.shift[i] += size * way[i] * solid.inverse_mass[i]
        solid.twist[i] += size * turned[i]


@compiled
def is_ball(scene, s):
    """True if a body is one ball about its centre of mass."""
    solid = scene.solids[s]
    if s == GROUND or solid.pieces != 1:
        return False
    piece = scene.pieces[solid.first_piece]
    corner = scene.corners[piece.first]
    return piece.count == 1 and corner[0] == 0.0 and corner[1] == 0.0 and corner[2] == 0.0


@compiled
def set_down(scene, contact, dt):
    """Has two balls that would meet in this tick end it where they touch, as they stand to each other then, so that
    they are struck along the normal of that moment: it turns while they pass. Those that miss each other pass on."""
    one, other = scene.solids[contact.a], scene.solids[contact.b]
    if spatial.length(pairs.triple(one.shift)) + spatial.length(pairs.triple(other.shift)) > 0.0:
        return  # it meets another in this tick
    there = spatial.plus(pairs.triple(other.position), pairs.triple(contact.seam))
    d = spatial.minus(pairs.triple(one.position), there)
    u = spatial.minus(pairs.triple(one.velocity), pairs.triple(other.velocity))
    radius = scene.pieces[one.first_piece].radius + scene.pieces[other.first_piece].radius
    a, b, c = spatial.dot(u, u), spatial.dot(d, u), spatial.dot(d, d) - radius * radius
    square = b * b - a * c
    if a == 0.0 or b >= 0.0:
        return
    contact.set_down = 1
    after = c / (-b + math.sqrt(square)) if square >= 0.0 else dt
    if after >= dt:
        return
    for i in range(3):
        give = one.inverse_mass[i] + other.inverse_mass[i]
        back = (1.0 - after / dt) * u[i] / give if give > 0.0 else 0.0
        one.shift[i] -= back * one.inverse_mass[i]
        other.shift[i] += back * other.inverse_mass[i]


@compiled
def begin(scene, dt):
    """No shift of any body yet, but of two balls that meet in this tick: see `set_down`."""
    solids, contacts = scene.solids, scene.contacts
    for k in range(scene.counts[ACTIVE]):
        one = solids[scene.active[k]]
        for i in range(3):
            one.shift[i], one.twist[i] = 0.0, 0.0
    for k in range(scene.counts[FOUND]):
        contacts[k].set_down = 0
        if contacts[k].fast == 1 and is_ball(scene, contacts[k].a) and is_ball(scene, contacts[k].b):
            set_down(scene, contacts[k], dt)


@compiled
def ask(scene, first, last, dt):
    """The shift that each contact of an island asks for; true if any does."""
    busy = False
    for j in range(first, last):
        contact = scene.contacts[scene.turns[j]]
        contact.wanted = -1e30
        if contact.set_down == 1:
            continue
        if contact.fast == 1:
            contact.wanted = -contact.gap / dt - pairs.speed_of(scene.solids, contact)
        elif contact.gap < -SLOP:
            contact.wanted = min(0.2 * (-contact.gap - SLOP) / dt, 2.0)
        busy = busy or contact.wanted > 0.0
    return busy


@compiled
def correct_island(scene, first, last, dt):
    """The shifts of an island whose contacts stand from `first` to `last` in the order."""
    solids, contacts, turns = scene.solids, scene.contacts, scene.turns
    for turn in range(SHARED_ROUNDS):
        largest = rowkinds.correct(scene, contacts[turns[first]].island, dt)
        for j in range(first, last):
            contact = contacts[turns[j]]
            if contact.wanted < -1e29:
                continue
            one, other = solids[contact.a], solids[contact.b]
            la, lb, n = pairs.triple(contact.lever_a), pairs.triple(contact.lever_b), pairs.triple(contact.normal)
            speed = shift_along(one, other, la, lb, n)
            total = max(contact.place_push + contact.mass * (contact.wanted - speed), 0.0)
            change, contact.place_push = total - contact.place_push, total
            if change == 0.0:
                continue
            shift_body(one, la, n, change)
            shift_body(other, lb, n, -change)
            if contact.fast == 1:
                largest = max(largest, abs(change) / contact.mass)
        if turn >= PLACE_ROUNDS - 1 and largest < 1e-9:
            return
