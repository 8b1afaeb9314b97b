"""Cautions about the events of a drill that find no target, and about what it watches."""

from __future__ import annotations

from collections.abc import Iterator

from oak_sled.core.assembly import bodynames
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.faults import close_match
from oak_sled.core.parts.caution import Caution


def find(job: Job) -> Iterator[Caution]:
    """Every caution about the events of a drill, and about what it watches."""
    yield from _events(job)
    yield from _watched(job)


def _events(job: Job) -> Iterator[Caution]:
    parts = {part.id: part for part in job.craft.parts}
    lead = job.actors[0].craft.id
    blocks = [one.id for one in job.ground.blocks]
    bodies = [*blocks, *(one.craft.id for one in job.actors)]
    for event in job.drill.events:
        if event.t >= job.drill.duration:
            yield Caution(
                "event_too_late", "", f"{event.heading} at {units.plain(event.t, 's')} comes after the drill's end",
                f"before {units.plain(job.drill.duration, 's')}, or a longer drill",
            )  # fmt: skip
        if event.aims_at == "block":
            if event.target and event.target not in bodies:
                yield _no_target(event.heading, "body", event.target, bodies)
            elif event.what == "drop" and event.target not in blocks:
                yield _no_target(event.heading, "block", event.target, blocks)
            elif event.what == "drop" and next(b for b in job.ground.blocks if b.id == event.target).moves != "free":
                yield Caution(
                    "drops_nothing", "", f"{event.target} is not loose, so that it cannot fall", "let it move freely"
                )
            continue
        if event.aims_at != "part":
            known = [one.id for one in getattr(job.ground, f"{event.aims_at}s")]
            if event.aims_at == "tie":
                known = [one.tie.id for one in bodynames.ties_of(job)]
            if event.target not in known:
                yield _no_target(event.heading, event.aims_at, event.target, known)
            continue
        if (event.craft or lead) != job.craft.id:
            continue  # of another craft
        part = parts.get(event.target)
        if part is None:
            yield _no_target(event.heading, "part", event.target, list(parts))
        elif event.what not in part.OBEYS and event.what not in ("trigger", "fail"):
            yield Caution("not_a_sling", "", f"{event.what} is for a sling, and {event.target} is none", "add a sling")


def _no_target(heading: str, what: str, name: str, known: list[str]) -> Caution:
    return Caution("no_such_target", "", f"{heading}: there is no {what} {name!r} here", close_match(name, known))


def _watched(job: Job) -> Iterator[Caution]:
    blocks = [one.id for one in bodynames.moving(job.ground)]
    for name in job.drill.watch:
        if name not in blocks:
            yield _no_target(f"watch {name}", "dynamic block", name, blocks)
