"""An island before its joints: remembered, to be done anew, and weighed, to tell what they gave or took."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import islands, pairs, ties
from oak_sled.core.contact.records import ACTIVE, FOUND, FREE
from oak_sled.core.kernel import spatial


@compiled
def settle(scene):
    """The island of every joint, and which of them lead one that has no contacts, of how many joints."""
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        joint.island, joint.leads = islands.find(scene.roots, joint.a), 1
        for k in range(scene.counts[FOUND]):
            if scene.contacts[k].island == joint.island:
                joint.leads = 0
        for i in range(j):
            if scene.joints[i].island == joint.island:
                scene.joints[i].leads += 1 if scene.joints[i].leads > 0 else 0
                joint.leads = 0


@compiled
def weigh(scene, when):
    """The energy of motion, J, of every island that has joints: before last tick's impulses (0), and with them (1)."""
    if scene.joints.shape[0] == 0:
        return
    for k in range(scene.counts[ACTIVE]):
        scene.energy[scene.active[k], when] = 0.0
    for k in range(scene.counts[ACTIVE]):
        s = scene.active[k]
        solid = scene.solids[s]
        tied = ties.is_tied(scene, s)
        if tied and solid.kind == FREE and solid.asleep == 0:
            own, v = spatial.to_craft(solid.axes, pairs.triple(solid.spin)), pairs.triple(solid.velocity)
            moving = solid.mass * spatial.dot(v, v) + spatial.dot(own, spatial.times(solid.inertia, own))
            root = islands.find(scene.roots, s)
            scene.energy[root, when] += 0.5 * moving


@compiled
def is_lifted(scene, island):
    """True if last tick's impulses gave the bodies of an island energy."""
    return scene.energy[island, 1] > scene.energy[island, 0]


@compiled
def drop_guesses(scene):
    """Takes back last tick's impulses where bodies with joints would have more energy with them than without: rounds
    that begin so would not be done before it is there. From nothing they only take energy."""
    if scene.joints.shape[0] == 0:
        return
    weigh(scene, 1)
    for k in range(scene.counts[FOUND]):
        contact = scene.contacts[k]
        if contact.push != 0.0 and is_lifted(scene, contact.island):
            pairs.apply(scene.solids, contact, -contact.push, -contact.drag_way, -contact.drag_across)
            contact.push, contact.drag_way, contact.drag_across = 0.0, 0.0, 0.0
    for j in range(scene.joints.shape[0]):
        if ties.holds(scene, scene.joints[j]) and is_lifted(scene, scene.joints[j].island):
            drop_guess(scene, j)


@compiled
def drop_guess(scene, j):
    """Takes last tick's impulse of a joint back."""
    joint = scene.joints[j]
    ties.share_impulse(scene, joint, (-joint.impulse[0], -joint.impulse[1], -joint.impulse[2]))
    for i in range(3):
        joint.impulse[i], joint.guess[i] = 0.0, 0.0
    for side in range(2):
        k = joint.tie_a if side == 0 else joint.tie_b
        if k >= 0:
            tie = scene.ties[k]
            for i in range(3):
                scene.solids[tie.solid].spin[i] -= tie.given[i]
                tie.given[i] = 0.0


@compiled
def remember(scene, island):
    """Notes the speeds and impulses of an island as they are."""
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        for i in range(3):
            tie.velocity[i], tie.spin[i] = solid.velocity[i], solid.spin[i]
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        for i in range(3):
            if joint.island == island:
                joint.guess[i] = joint.impulse[i]


@compiled
def recall(scene, island):
    """Brings back what was noted last."""
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        solid = scene.solids[tie.solid]
        if solid.kind == FREE and ties.is_in(scene, tie.solid, island):
            for i in range(3):
                solid.velocity[i], solid.spin[i] = tie.velocity[i], tie.spin[i]
    for j in range(scene.joints.shape[0]):
        joint = scene.joints[j]
        for i in range(3):
            if joint.island == island:
                joint.impulse[i] = joint.guess[i]


@compiled
def energy_of(scene, island, before):
    """J of motion of the bodies of an island that joints hold: as they would move without them, or as they do now."""
    total = 0.0
    for k in range(scene.ties.shape[0]):
        solid = scene.solids[scene.ties[k].solid]
        if solid.kind == FREE and ties.is_in(scene, scene.ties[k].solid, island):
            tie = scene.ties[k]
            v, w = pairs.triple(solid.velocity), pairs.triple(solid.spin)
            if before:
                v, w = pairs.triple(tie.velocity), pairs.triple(tie.spin)
            own = spatial.to_craft(solid.axes, w)
            total += solid.mass * spatial.dot(v, v) + spatial.dot(own, spatial.times(solid.inertia, own))
    return 0.5 * total


@compiled
def turned_most(scene, island):
    """The greatest change of spin that joints gave a body of an island in this tick, rad/s."""
    most = 0.0
    for k in range(scene.ties.shape[0]):
        tie = scene.ties[k]
        if scene.solids[tie.solid].kind == FREE and ties.is_in(scene, tie.solid, island):
            size = spatial.length(pairs.triple(tie.given))
            most = size if not size <= most else most  # one that is not finite is the most
    return most
