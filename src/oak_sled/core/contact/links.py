"""Links: rows of the solver between two bodies, of any kind that `linkkind` describes.

A link knows no kind: its record holds the addresses of what its kind does at each stage of a tick. A link may appear in
a run, in a record that was kept free for it, and vanish again; one that finds no room is counted as lost.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import islands, joints, linkkind, narrow
from oak_sled.core.contact.linkkind import HOLDS, ROOM
from oak_sled.core.contact.records import FOUND, FREE, LOST
from oak_sled.core.kernel import environment

ALONE_ROUNDS = 200
"""Rounds at most over the links of an island that has no contacts."""
AGREE = 1e-10
"""m/s: links that change less than this in a round agree."""


@compiled
def seek(scene, dt):
    """Tells which links act in this tick; one that does wakes a body that sleeps beside one that does not."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if link.state != HOLDS:
            continue
        one, other = scene.solids[link.a], scene.solids[link.b]
        link.acts = 0
        for i in range(3):
            link.given[i] = 0.0
        if is_driven(link) and sleeps(scene, link):
            narrow.wake(scene, link.a)
            if other.kind == FREE:
                narrow.wake(scene, link.b)
        asleep = sleeps(scene, link)
        if not asleep or link.watches == 1:
            link.acts = linkkind.REACH(link.reach, link.own, link, scene, dt)
            if asleep and sleeps(scene, link):
                link.acts = 0
        other = scene.solids[link.b]  # a line may just have caught it
        if link.acts == 1 and other.kind == FREE and one.asleep != other.asleep:
            narrow.wake(scene, link.a)
            narrow.wake(scene, link.b)


@compiled
def take_channels(scene, nows):
    """Has each link driven as the channels of its craft stand, if it follows any."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        for i in range(link.channels.shape[0]):
            if link.channels[i] >= 0:
                link.drives[i] = nows[link.who].channels[link.channels[i]]


@compiled
def is_driven(link):
    """True if one of its channels is not at 0."""
    for i in range(link.channels.shape[0]):  # noqa: SIM110 - the language of the kernel has no any()
        if link.channels[i] >= 0 and link.drives[i] != 0.0:
            return True
    return False


@compiled
def let_fall(scene, ground):
    """Brings what falls of each link in step with the gravity where its first body is."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        at = scene.solids[link.a].position
        pull = environment.gravity_at(ground, at[0], at[1], at[2])
        for i in range(3):
            link.fall[i] = pull[i]


@compiled
def sleeps(scene, link):
    """True if all that a link holds sleeps: it goes on to hold it as it did."""
    other = scene.solids[link.b]
    return scene.solids[link.a].asleep == 1 and (other.kind != FREE or other.asleep == 1)


@compiled
def acts(link):
    """True if a link is there and acts in this tick."""
    return link.state == HOLDS and link.acts == 1


@compiled
def settle(scene):
    """The island of each link that acts, and which of them lead one without contacts."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        link.leads = 0
        if not acts(link):
            continue
        link.island, link.leads = islands.find(scene.roots, link.a), 1
        for c in range(scene.counts[FOUND]):
            if scene.contacts[c].island == link.island:
                link.leads = 0
        for i in range(k):
            if acts(scene.links[i]) and scene.links[i].island == link.island:
                link.leads = 0


@compiled
def any_of(scene, island):
    """True if an island has links."""
    for k in range(scene.links.shape[0]):  # noqa: SIM110 - the language of the kernel has no any()
        if acts(scene.links[k]) and scene.links[k].island == island:
            return True
    return False


@compiled
def prepare(scene, dt):
    """Prepares each link for the rounds, with the impulse of the tick before as its first guess."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if acts(link):
            for i in range(6):
                link.gave[0, i], link.gave[1, i] = 0.0, 0.0
            note(scene, link, -1.0)
            linkkind.PREPARE(link.prepare, link.own, link, scene, dt)
            note(scene, link, 1.0)


@compiled
def note(scene, link, sign):
    """Adds the motion of its bodies to what a link gave them, before (-1) and after (1) it acts: only for those of
    crafts, which book it."""
    for side in range(2):
        solid = scene.solids[link.a] if side == 0 else scene.solids[link.b]
        if solid.craft >= 0:
            for i in range(3):
                link.gave[side, i] += sign * solid.velocity[i]
                link.gave[side, 3 + i] += sign * solid.spin[i]


@compiled
def one_round(scene, island, dt, corrects):
    """One round over the links of an island, of their speeds or of their shifts; the largest change, m/s."""
    largest = 0.0
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if acts(link) and link.island == island:
            if corrects == 1:
                changed = linkkind.SOLVE(link.correct, link.own, link, scene, dt)
            else:
                note(scene, link, -1.0)
                changed = linkkind.SOLVE(link.solve, link.own, link, scene, dt)
                note(scene, link, 1.0)
            largest = max(largest, changed)
    return largest


@unit
def step(scene, island, dt):
    """One round over the links of an island; the largest speed that any of them still changed, m/s."""
    return one_round(scene, island, dt, 0)


@unit
def solve_alone(scene, island, dt):
    """All links and joints of an island without contacts, until they agree."""
    jointed = joints.any_of(scene, island)
    for _ in range(ALONE_ROUNDS):
        moved = 0.0
        if jointed:
            moved = joints.step(scene, island, dt)
        changed = step(scene, island, dt)
        if max(changed, moved) < AGREE:
            break


@unit
def correct(scene, island, dt):
    """One round of the shift that takes out what links have been stretched too far; the largest speed of it, m/s."""
    return one_round(scene, island, dt, 1)


@compiled
def finish(scene, dt):
    """Writes what each link shows at the end of this tick, where bodies have moved, and breaks it if it must."""
    for k in range(scene.links.shape[0]):
        link = scene.links[k]
        if link.state == HOLDS and not sleeps(scene, link):
            linkkind.PREPARE(link.finish, link.own, link, scene, dt)


@compiled
def add(scene, like):
    """Makes room for one more link of the kind of link `like`: its number, as a copy of that link; -1 where all room is
    taken, which is counted."""
    for k in range(scene.links.shape[0]):
        if scene.links[k].state == ROOM:
            scene.links[k] = scene.links[like]
            scene.links[k].state, scene.links[k].acts = HOLDS, 0
            return k
    scene.counts[LOST] += 1
    return -1


@compiled
def remove(scene, k):
    """Ends a link, and wakes what it held; its record may be taken by another."""
    narrow.wake(scene, scene.links[k].a)
    narrow.wake(scene, scene.links[k].b)
    scene.links[k].state, scene.links[k].acts = ROOM, 0
