"""Cautions about sudden pushes: triggers that reach nobody, pulls past a cap, knockbacks that reach no body."""

from __future__ import annotations

import math
from collections.abc import Iterator

from oak_sled.core.advice.caution import Caution
from oak_sled.core.build import scenes
from oak_sled.core.build.jobs import Job
from oak_sled.core.documents.faults import close_match
from oak_sled.core.documents.units import show
from oak_sled.core.impulses import knockbacks, shots
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.push import Push
from oak_sled.core.parts.sling import Sling
from oak_sled.core.results.run import Run


def find(job: Job, run: Run | None) -> Iterator[Caution]:
    """Every caution about what is fired, flung and blown in a job, and in its run if there is one."""
    yield from _events(job)
    yield from _watched(job)
    for part in job.craft.parts:
        if part.mute:
            continue
        if isinstance(part, Impulse | Knockback | Launcher):
            yield from _fired_by_nobody(job, part)
        elif isinstance(part, Brake | Push):
            yield from _held_by_nobody(part)
        if isinstance(part, Impulse | Knockback) and 0.0 < part.cool_down < job.dt:
            yield Caution(
                "short_cool_down",
                f"parts.{part.id}.cool_down",
                f"a cool-down of {show(part.cool_down, 's')} is shorter than a tick of {show(job.dt, 's')}",
                f"{show(job.dt, 's')} or more would act, 0 is none",
            )
        if isinstance(part, Launcher):
            yield from _launcher(job, part)
        elif isinstance(part, Knockback):
            yield from _knockback(job, part)
    if run is not None and (notes := run.own_notes()) is not None:
        for place, part in enumerate(job.craft.parts):
            yield from _of_run(part, notes[place].tolist())


def _events(job: Job) -> Iterator[Caution]:
    parts = {part.id: part for part in job.craft.parts}
    lead = job.actors[0].craft.id
    blocks = [one.id for one in job.ground.blocks]
    bodies = [*blocks, *(one.craft.id for one in job.actors)]
    for event in job.drill.events:
        if event.t >= job.drill.duration:
            yield Caution(
                "event_too_late", "", f"{event.heading} at {event.t:g} s comes after the drill's end",
                f"before {job.drill.duration:g} s, or a longer drill",
            )  # fmt: skip
        if event.aims_at_block:
            if event.target and event.target not in bodies:
                yield _no_target(event.heading, "body", event.target, bodies)
            elif event.what == "drop" and event.target not in blocks:
                yield _no_target(event.heading, "block", event.target, blocks)
            elif event.what == "drop" and next(b for b in job.ground.blocks if b.id == event.target).moves != "free":
                yield Caution(
                    "drops_nothing", "", f"{event.target} is not loose, so that it cannot fall", "let it move freely"
                )
            continue
        if (event.craft or lead) != job.craft.id:
            continue  # of another craft
        part = parts.get(event.target)
        if part is None:
            yield _no_target(event.heading, "part", event.target, list(parts))
        elif event.what in ("hold", "release") and not isinstance(part, Sling):
            yield Caution("not_a_sling", "", f"{event.what} is for a sling, and {event.target} is none", "fit a sling")
        elif isinstance(part, Sling) and event.what == "release":
            pull = math.hypot(event.x, event.y, event.z)
            if pull > part.cap * (1.0 + 1e-9):
                yield Caution(
                    "pull_past_cap",
                    f"parts.{part.id}.cap",
                    f"a pull of {show(pull, 'm')} is past the cap of {show(part.cap, 'm')}; the rest adds nothing",
                    "a longer cap, or a shorter pull",
                )
            elif pull == 0.0:
                yield Caution(
                    "no_pull", f"parts.{part.id}", "it is released without a pull", "pull it back on the plan"
                )


def _no_target(heading: str, what: str, name: str, known: list[str]) -> Caution:
    return Caution("no_such_target", "", f"{heading}: there is no {what} {name!r} here", close_match(name, known))


def _watched(job: Job) -> Iterator[Caution]:
    blocks = [one.id for one in scenes.moving(job.ground)]
    for name in job.drill.watch:
        if name not in blocks:
            yield _no_target(f"watch {name}", "loose block", name, blocks)


def _fired_by_nobody(job: Job, part: Part) -> Iterator[Caution]:
    given = any(event.what == "trigger" and event.target == part.id for event in job.drill.events)
    used = any(isinstance(other, Launcher) and other.blast == part.id for other in job.craft.parts)
    if not part.channels_used() and not given and not used:
        yield Caution(
            "nothing_fires_it",
            f"parts.{part.id}",
            "no channel, event or shot sets it off",
            "give it a channel, or an event in the drill",
        )


def _held_by_nobody(part: Brake | Push) -> Iterator[Caution]:
    if not part.channel and part.timing == "while_held":
        does = "brakes" if isinstance(part, Brake) else "is full on"
        yield Caution(
            "always_on",
            f"parts.{part.id}.channel",
            f"it acts while held, but no channel holds it, so it {does} all the time",
            "give it a channel, or let it act always",
        )


def _launcher(job: Job, part: Launcher) -> Iterator[Caution]:
    where = f"parts.{part.id}"
    if part.rate > job.ticks:
        yield Caution(
            "rate_above_ticks", f"{where}.rate", f"{part.rate:g} shots a second are more than the {job.ticks} ticks",
            "one shot a tick is the most",
        )  # fmt: skip
    other = next((one for one in job.craft.parts if one.id == part.blast), None)
    if part.blast and not isinstance(other, Knockback):
        known = [one.id for one in job.craft.parts if isinstance(one, Knockback)]
        yield Caution(
            "no_such_blast", f"{where}.blast", f"there is no knockback {part.blast!r}", close_match(part.blast, known)
        )
    elif part.blast and part.on_hit != "bursts":
        yield Caution(
            "never_bursts", f"{where}.on_hit", "it has a blast, but its shots go on at a hit", "let them burst"
        )
    goals = [*(one.id for one in job.ground.blocks), *(one.craft.id for one in job.actors if one.craft != job.craft)]
    if part.homes_on and part.homes_on not in goals:
        yield _no_target("homes on", "block or craft", part.homes_on, goals)


def _knockback(job: Job, part: Knockback) -> Iterator[Caution]:
    where = f"parts.{part.id}"
    others = [one.craft.id for one in job.actors if one.craft != job.craft]
    bodies = [*(one.id for one in job.ground.blocks), *others]
    if not others and not any(one.moves == "free" for one in job.ground.blocks):
        yield Caution(
            "nobody_to_push", where, "no dynamic body here, and a knockback never pushes its own craft",
            "place a loose block on the ground",
        )  # fmt: skip
    for name in part.spares:
        if name not in bodies:
            yield _no_target("spares", "block or craft", name, bodies)


def _of_run(part: Part, notes: list[float]) -> Iterator[Caution]:
    where = f"parts.{part.id}"
    if isinstance(part, Launcher) and notes[shots.RECYCLED] > 0.0:
        yield Caution(
            "shots_taken_away",
            f"{where}.in_flight",
            f"{notes[shots.RECYCLED]:.0f} of {notes[shots.FIRED]:.0f} shots took the place of one still in flight",
            f"more than {part.in_flight} in flight, or a shorter lifetime",
        )
    if isinstance(part, Knockback):
        if notes[knockbacks.FOUND_NONE] > 0.0:
            yield Caution(
                "found_nobody",
                where,
                f"it found no body {notes[knockbacks.FOUND_NONE]:.0f} times out of {notes[knockbacks.ROUNDS]:.0f}",
                "a longer reach or a wider volume; the craft itself does not count",
            )
        if notes[knockbacks.SAME_SPOT] > 0.0:
            yield Caution(
                "same_spot",
                f"{where}.direction",
                "a body stood on the very spot of the source, so that no way leads away: it went as the source faces",
                "move the source, or push as it faces",
            )
