"""Events of a drill in the kernel: what is fired, held, let go, dropped, poked, thrown or fails."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import narrow, pushes
from oak_sled.core.contact.linkkind import HOLDS, LOOSENED
from oak_sled.core.contact.records import FREE, HUNG
from oak_sled.core.kernel import spatial
from oak_sled.core.kernel.state import DROP, FAIL, HOLD, LET_GO, LOOSE, PUSHED, RELEASE, SWITCH, TRIGGER

HAIR = 1e-9
"""s of slack, so that an event at a tick's own time happens in that tick."""


@compiled
def is_due(events, first):
    """True if the next event happens in this tick. first : NOW of the first craft, which counts the events."""
    return first.next_event < events.shape[0] and events[first.next_event].time <= first.time + HAIR


@unit
def take_all(events, crafts, parts, scene, nows):
    """Every event of this tick."""
    while is_due(events, nows[0]):
        event = events[nows[0].next_event]
        nows[0].next_event += 1
        if event.what == DROP or event.what == PUSHED:
            happen_to_body(event, scene, nows)
        elif event.what == LET_GO:
            let_go(event, scene)
        elif event.what == SWITCH:
            throw(event, scene)
        elif event.part >= 0:
            happen_to_part(event, crafts, parts, nows[event.craft])


@compiled
def happen_to_part(event, crafts, parts, now):
    """A part is triggered or fails, or a sling holds or releases its craft."""
    if event.what == TRIGGER:
        now.trigger[event.part] = 1.0
    elif event.what == HOLD:
        now.held = float(parts[crafts[event.craft].first_part + event.part].sling.hold)
    elif event.what == FAIL:
        now.lost[event.part] = 1.0
    elif event.what == RELEASE:
        now.held = float(LOOSE)
        now.trigger[event.part] = 1.0
        for i in range(3):
            now.pull[i] = event.vector[i]


@compiled
def let_go(event, scene):
    """A tie holds nothing any more: what it held keeps its speed, and wakes."""
    if event.link < 0 or event.link >= scene.links.shape[0] or scene.links[event.link].state != HOLDS:
        return
    link = scene.links[event.link]
    link.state, link.acts = LOOSENED, 0
    for i in range(link.shown.shape[0]):
        link.shown[i] = 0.0
    link.shown[link.shows - 1] = 1.0
    narrow.wake(scene, link.a)
    if scene.solids[link.b].kind == FREE:
        narrow.wake(scene, link.b)


@compiled
def throw(event, scene):
    """The switches where a rail lies on others lead onto it, or past it if they did."""
    if event.link < 0 or event.link >= scene.rails.shape[0]:
        return
    rail = scene.rails[event.link]
    for end in range(2):
        if rail.onto[end] >= 0:
            rail.switched[end] = 1 - rail.switched[end]


@compiled
def happen_to_body(event, scene, nows):
    """A body that hung falls, or one that moves is poked at a point given in its own axes."""
    if event.solid < 0 or event.solid >= scene.solids.shape[0]:
        return
    body = scene.solids[event.solid]
    if event.what == DROP and body.kind == HUNG:
        pushes.set_free(scene, event.solid)
    elif event.what == PUSHED and body.kind == FREE:
        lever = spatial.to_world(body.axes, (event.point[0], event.point[1], event.point[2]))
        pushes.give(scene, event.solid, lever, (event.vector[0], event.vector[1], event.vector[2]), nows)
