"""Sleep: groups of bodies that touch and have been at rest for a while fall asleep together."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import islands, pairs
from oak_sled.core.contact.records import (
    ACTIVE,
    CALM_SPEED,
    CALM_SPIN,
    DRIVEN,
    FOUND,
    FREE,
    SLEEP_AFTER,
    SLEEP_SPEED,
    SLEEP_SPIN,
    STALE,
)
from oak_sled.core.kernel import spatial


@compiled
def is_slow(one):
    """True if a body is slow, and has been no faster or slower since it was first: what is accelerated slides on."""
    if (
        spatial.length(pairs.triple(one.velocity)) >= SLEEP_SPEED
        or spatial.length(pairs.triple(one.spin)) >= SLEEP_SPIN
    ):
        return False
    if one.still == 0.0:
        return True
    change, turned = 0.0, 0.0
    for i in range(3):
        change += (one.velocity[i] - one.rest_motion[i]) ** 2
        turned += (one.spin[i] - one.rest_motion[3 + i]) ** 2
    return change < CALM_SPEED * CALM_SPEED and turned < CALM_SPIN * CALM_SPIN


@compiled
def rest(scene, dt):
    """Groups that touch and have been at rest fall asleep together. A craft never sleeps, nor what leans on one."""
    solids, roots, active, count = scene.solids, scene.roots, scene.active, scene.counts[ACTIVE]
    for k in range(count):
        s = active[k]
        roots[s] = s
        one = solids[s]
        if one.kind != FREE or one.craft >= 0:
            continue
        resting = is_slow(one) and (one.reports == 0 or one.inside == 0)
        if one.still == 0.0 or not resting:
            for i in range(3):
                one.rest_motion[i], one.rest_motion[3 + i] = one.velocity[i], one.spin[i]
        one.still = one.still + dt if resting else 0.0
    for k in range(scene.counts[FOUND]):
        contact = scene.contacts[k]
        if contact.push == 0.0 or solids[contact.b].kind != FREE or solids[contact.a].kind != FREE:
            if solids[contact.b].kind == DRIVEN and contact.push > 0.0:
                solids[contact.a].still = 0.0
            continue
        roots[islands.find(roots, contact.a)] = islands.find(roots, contact.b)
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        if solids[joint.a].kind == FREE and solids[joint.b].kind == FREE:
            roots[islands.find(roots, joint.a)] = islands.find(roots, joint.b)
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if islands.is_of_both(scene, link):
            roots[islands.find(roots, link.a)] = islands.find(roots, link.b)
    for k in range(count):  # the least rest of a group is that of all
        s = active[k]
        if solids[s].kind == FREE:
            root = islands.find(roots, s)
            still = -1.0 if solids[s].craft >= 0 else solids[s].still
            if still < solids[root].still:
                solids[root].still = max(still, 0.0)
    for k in range(count):
        one = solids[active[k]]
        if one.kind != FREE or one.craft >= 0 or one.asleep == 1:
            continue
        root = islands.find(roots, active[k])
        still = solids[root].still
        one.still = min(one.still, still + dt) if still < one.still else one.still
        if still >= SLEEP_AFTER:
            one.asleep = 1
            scene.counts[STALE] = 1
            for i in range(3):
                one.velocity[i] = 0.0
                one.spin[i] = 0.0
