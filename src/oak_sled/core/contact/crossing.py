"""Bodies of a world that wraps: all of them brought back between its edges, and pairs that meet across a seam."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from oak_sled.core.base.arrays import Ints
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import chain
from oak_sled.core.contact.records import FREE, GROUND, HUNG
from oak_sled.core.kernel import seams

ALONE, STAYS = -1, -2
"""Bodies that follow no other across a seam: alone, or tied to the ground, so that they are never brought back."""


@unit
def bring_all(scene, ground):
    """Brings every body back between the edges, and what is tied to another to the nearest image of that; nodes of
    ropes follow one another from the first body on."""
    solids = scene.solids
    for s in range(1, solids.shape[0]):
        one = solids[s]
        if scene.follows[s] == ALONE and (one.kind == FREE or one.kind == HUNG):
            seams.fold(ground, one)
    for k in range(scene.ranks.shape[0]):
        s = scene.ranks[k]
        if solids[s].kind == FREE or solids[s].kind == HUNG:
            at = solids[scene.follows[s]].position
            seams.follow(ground, solids[s], (at[0], at[1], at[2]))
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if link.nodes > 0:
            at = solids[link.a].position
            place = (at[0], at[1], at[2])
            for r in range(link.first_node, link.first_node + link.nodes):
                place = follow_node(scene.chain[r], ground, place)


@compiled
def follow_node(node, ground, place):
    """Puts a node of a rope to its image nearest to a place, m, and gives its own."""
    v = (node[chain.PLACE] - place[0], node[chain.PLACE + 1] - place[1], node[chain.PLACE + 2] - place[2])
    by = seams.image(ground.period, v)
    for i in range(3):
        if by[i] != 0.0:
            node[chain.PLACE + i] += by[i]
    return (node[chain.PLACE], node[chain.PLACE + 1], node[chain.PLACE + 2])


def followed(count: int, movable: Iterable[int], tied: Iterable[tuple[int, int]]) -> tuple[Ints, Ints]:
    """The body that each follows across a seam, shape (count,), see ALONE, and those that follow one, each behind what
    it follows. movable : numbers of bodies that are pushed. tied : pairs of bodies that are held together."""
    moves = set(movable)
    found = np.full(count, ALONE, np.int64)
    beside: dict[int, list[int]] = {}
    for one, other in tied:
        beside.setdefault(one, []).append(other)
        beside.setdefault(other, []).append(one)
    ranks: list[int] = []
    known: set[int] = set()
    roots = [one for one in sorted(beside) if one not in moves] + sorted(one for one in beside if one in moves)
    for root in roots:
        if root in known:
            continue
        known.add(root)
        reached = [root]
        for one in reached:
            for other in sorted(beside[one]):
                if other in known or (other not in moves and other != GROUND):
                    continue
                known.add(other)
                reached.append(other)
                if one == GROUND or found[one] == STAYS:
                    found[other] = STAYS
                    continue
                found[other] = one
                ranks.append(other)
    return found, np.array(ranks, np.int64)
