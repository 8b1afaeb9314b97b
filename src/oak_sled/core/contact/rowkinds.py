"""The kinds of solver rows, at each stage of a tick: contacts, ball joints, and links of every kind.

Contacts and joints have arrays of their own, and are solved as groups; all other kinds are links, a file each.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.contact import contactrows, islands, joints, jointstate, links
from oak_sled.core.contact.records import FOUND, PLACE_ROUNDS

JOINTS_AGREE = 1e-10
"""m/s: joints alone in an island are solved so far."""


@compiled
def are_any(scene):
    """True if anything has to be solved in this tick."""
    return scene.counts[FOUND] > 0 or scene.joints.shape[0] > 0 or scene.links.shape[0] > 0


@compiled
def prepare(scene, dt):
    """Divides what holds together into islands, and gives every row what it needs and its first guess."""
    contactrows.place_contacts(scene)
    contactrows.warm_start(scene)
    links.seek(scene, dt)
    islands.divide(scene)
    jointstate.settle(scene)
    links.settle(scene)
    jointstate.weigh(scene, 0)
    contactrows.prepare(scene, dt)
    joints.prepare(scene, dt)
    links.prepare(scene, dt)
    jointstate.drop_guesses(scene)


@compiled
def holds(scene, island):
    """True if an island has other rows than those of contacts."""
    return joints.any_of(scene, island) or links.any_of(scene, island)


@compiled
def step(scene, island, dt):
    """One round over the rows of an island with contacts, but those of contacts; the largest change of a speed, m/s."""
    moved = 0.0
    if joints.any_of(scene, island):
        moved = joints.step(scene, island, dt)
    if links.any_of(scene, island):
        changed = links.step(scene, island, dt)
        moved = max(moved, changed)
    return moved


@compiled
def solve_alone(scene, dt):
    """Solves the islands that have no contacts."""
    for j in range(scene.joints.shape[0]):
        if scene.joints[j].leads > 0 and not links.any_of(scene, scene.joints[j].island):
            joints.solve_alone(scene, scene.joints[j].island, dt)
    for k in range(scene.links.shape[0]):
        if scene.links[k].leads == 1:
            links.solve_alone(scene, scene.links[k].island, dt)


@compiled
def correct(scene, island, dt):
    """One round of the shift of an island with contacts, but that of contacts; the largest that was missing, m/s."""
    missing = joints.draw(scene, island, dt)
    if links.any_of(scene, island):
        more = links.correct(scene, island, dt)
        missing = max(missing, more)
    return missing


@compiled
def correct_alone(scene, dt):
    """The shifts of the islands that have no contacts."""
    for j in range(scene.joints.shape[0]):
        if scene.joints[j].leads > 0:
            for _ in range(rounds_of(scene.joints[j], PLACE_ROUNDS)):
                missing = joints.draw(scene, scene.joints[j].island, dt)
                if missing < JOINTS_AGREE:
                    break
    for k in range(scene.links.shape[0]):
        if scene.links[k].leads == 1:
            for _ in range(PLACE_ROUNDS):
                missing = correct(scene, scene.links[k].island, dt)
                if missing < JOINTS_AGREE:
                    break


@compiled
def rounds_of(joint, most):
    """Rounds for the joints of an island without contacts: the rows of one are solved as one, so that of one alone
    nothing is left after a round."""
    return most if joint.leads > 1 else 1
