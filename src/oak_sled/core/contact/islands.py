"""Islands of bodies that touch, each solved for itself, and the order of the contacts in them."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact.linkkind import ALSO, HOLDS
from oak_sled.core.contact.records import FOUND, FREE

FEW = 80
"""Contacts that are put in order by insertion; more by a heap, whose work does not grow with their square."""


@compiled
def find(roots, k):
    """The root of the group of k."""
    while roots[k] != k:
        roots[k] = roots[roots[k]]
        k = roots[k]
    return k


@unit
def divide(scene):
    """The island of every contact, and their order: island by island, in each by height, so that weight passes through
    a stack in one round and not in many."""
    solids, contacts, roots = scene.solids, scene.contacts, scene.roots
    count = scene.counts[FOUND]
    for k in range(count):
        roots[contacts[k].a], roots[contacts[k].b] = contacts[k].a, contacts[k].b
    for j in range(scene.joints.shape[0]):
        roots[scene.joints[j].a], roots[scene.joints[j].b] = scene.joints[j].a, scene.joints[j].b
    for k in range(scene.links.shape[0]):
        roots[scene.links[k].a], roots[scene.links[k].b] = scene.links[k].a, scene.links[k].b
        for i in range(ALSO):
            roots[scene.links[k].also[i]] = scene.links[k].also[i]
    for k in range(count):
        contact = contacts[k]
        if solids[contact.b].kind == FREE:
            roots[find(roots, contact.a)] = find(roots, contact.b)
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if solids[joint.b].kind == FREE:
            roots[find(roots, joint.a)] = find(roots, joint.b)
    join_links(scene)
    for k in range(count):
        contacts[k].island = find(roots, contacts[k].a)
    put_in_order(scene, count)


@compiled
def join_links(scene):
    """Has the two bodies of each link that acts, and what it pushes beside them, be of one group. Their roots are their
    own before."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if is_of_both(scene, link):
            scene.roots[find(scene.roots, link.a)] = find(scene.roots, link.b)
        for i in range(ALSO):
            if link.also[i] > 0 and link.state == HOLDS and link.acts == 1 and scene.solids[link.also[i]].kind == FREE:
                held = link.a if scene.solids[link.a].kind == FREE or scene.solids[link.b].kind != FREE else link.b
                scene.roots[find(scene.roots, link.also[i])] = find(scene.roots, held)


@compiled
def is_of_both(scene, link):
    """True if a link acts in this tick on two bodies that are free."""
    both = scene.solids[link.a].kind == FREE and scene.solids[link.b].kind == FREE
    return link.state == HOLDS and link.acts == 1 and both


@compiled
def put_in_order(scene, count):
    """Sorts `turns`: by insertion, which is quick for few, else as a heap."""
    contacts, turns = scene.contacts, scene.turns
    if count <= FEW:
        for k in range(count):
            j = k - 1
            while j >= 0 and is_lower(contacts, k, turns[j]):
                turns[j + 1] = turns[j]
                j -= 1
            turns[j + 1] = k
        return
    for k in range(count):
        turns[k] = k
    for k in range(count // 2 - 1, -1, -1):
        sink(scene, k, count)
    for last in range(count - 1, 0, -1):
        turns[0], turns[last] = turns[last], turns[0]
        sink(scene, 0, last)


@compiled
def sink(scene, start, count):
    """Lets an entry of the heap of `turns` sink to its place: the last in the order on top."""
    contacts, turns = scene.contacts, scene.turns
    at = start
    while 2 * at + 1 < count:
        below = 2 * at + 1
        if below + 1 < count and is_lower(contacts, turns[below], turns[below + 1]):
            below += 1
        if not is_lower(contacts, turns[at], turns[below]):
            return
        turns[at], turns[below] = turns[below], turns[at]
        at = below


@compiled
def is_lower(contacts, one, other):
    """True if a contact comes before another: by island, by height, then by number."""
    p, q = contacts[one], contacts[other]
    if p.island != q.island:
        return p.island < q.island
    a, b = p.point[2], q.point[2]
    return a < b or (a == b and one < other)


@compiled
def end_of_island(scene, first):
    """Behind the last contact, in the order, of the island whose contacts begin at `first`."""
    contacts, turns = scene.contacts, scene.turns
    last = first + 1
    while last < scene.counts[FOUND] and contacts[turns[last]].island == contacts[turns[first]].island:
        last += 1
    return last
