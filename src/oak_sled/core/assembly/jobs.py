"""A job: all that decides a run, and who takes part in it."""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass, replace
from typing import Any

from oak_sled.core.assembly import starts
from oak_sled.core.base import document
from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.yard import Yard


@dataclass(frozen=True)
class Actor:
    """A body that takes part in a job, with the parts on it as a craft of a single body.

    start, tracks : of its craft. whole : that craft. lead : the number of its first body. channels : those that its
    row has: none for a further body, whose parts read those of the first.
    """

    craft: Craft
    start: Start
    tracks: tuple[Track, ...]
    whole: Craft
    lead: int
    channels: tuple[Channel, ...]


@dataclass(frozen=True)
class Job:
    """All that decides a run: documents, tick rate, integrator. A frozen request; equal jobs give equal runs.

    craft : the one that is looked at; others : those that take part in the same world. Which of them is the craft under
    test says the drill: the one that is not of its cast. body : the body of it that is looked at; "" for the first.
    substeps : ticks are cut into so many equal steps, for the
    reference; the documents' per-tick numbers keep meaning the nominal tick.
    """

    craft: Craft
    ground: Ground
    drill: Drill
    ticks: int = 120
    integrator: str = "semi_implicit"
    substeps: int = 1
    others: tuple[Craft, ...] = ()
    body: str = ""

    @property
    def dt(self) -> float:
        """s of a nominal tick."""
        return 1.0 / self.ticks

    @functools.cached_property
    def actors(self) -> tuple[Actor, ...]:
        """Every body of everyone who takes part: those of the craft under test first, then of the cast in its order."""
        known = {one.id: one for one in (*self.others, self.craft)}
        members = {member.id: member for member in self.drill.cast if member.id in known}
        lead = next((one for one in known.values() if one.id not in members), None)
        cast = [(lead, self.drill.start, self.drill.tracks)] if lead is not None else []
        cast += [(known[one.id], one.start, one.tracks) for one in members.values()]
        found: list[Actor] = []
        for whole, start, tracks in cast:
            first = len(found)
            found.append(Actor(whole.singles[0], start, tracks, whole, first, whole.channels))
            found += [Actor(one, start, (), whole, first, ()) for one in whole.singles[1:]]
        return tuple(found)

    @property
    def crafts(self) -> tuple[Craft, ...]:
        """The crafts that take part, the one under test first, each with all its bodies."""
        return tuple(one.whole for k, one in enumerate(self.actors) if one.lead == k)

    @functools.cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The channels of all crafts, one after another."""
        return tuple(channel for one in self.actors for channel in one.channels)

    @functools.cached_property
    def starts(self) -> tuple[Floats, ...]:
        """Position, attitude, velocity and spin of every actor at the start, each of shape (13,), world axes."""
        leads = [one for k, one in enumerate(self.actors) if one.lead == k]
        step = self.dt / self.substeps if self.integrator == "semi_implicit" else 0.0
        return tuple(state for one in leads for state in starts.start_states(one.whole, one.start, self.ground, step))

    @functools.cached_property
    def who(self) -> int:
        """The number of the body that is looked at among the actors."""
        name = f"{self.craft.id}.{self.body}" if self.body else self.craft.id
        return next(k for k, one in enumerate(self.actors) if one.craft.id == name)

    @property
    def single(self) -> Craft:
        """The body that is looked at, with the parts on it, as a craft of a single body."""
        return self.actors[self.who].craft

    @property
    def bodies(self) -> tuple[Craft, ...]:
        """All bodies of the craft that is looked at, each as a craft of a single body."""
        return self.craft.singles

    @property
    def actor(self) -> Actor:
        """The craft that is looked at, with its start and its tracks."""
        return self.actors[self.who]

    def seen_from(self, craft: str) -> Job:
        """The same job, looked at from another craft of it, or from a body of one as CRAFT.BODY; raises `Refused` for
        one that takes no part."""
        whole, _, body = craft.partition(".")
        if (whole, body) == (self.craft.id, self.body):
            return self
        every = (self.craft, *self.others)
        found = document.member(every, whole, "cast")
        if body:
            document.member(found.bodies, body, f"crafts.{whole}.bodies")
        return replace(self, craft=found, others=tuple(one for one in every if one.id != whole), body=body)


def job_of(yard: Yard, drill: Drill | None = None, craft: str = "") -> Job:
    """The job of a drill of a yard (of the one on the bench), looked at from a craft, or from a body of one as
    CRAFT.BODY.

    Without a name that is the one on the bench, or, of a drill that is asked for, the one that it names, where the one
    on the bench takes no part in it. A craft that the drill does not name takes the place of the craft under test.
    """
    craft, _, body = craft.partition(".")
    if drill is not None and not craft:
        craft = yard.craft_for(drill)
    chosen, looked = drill or yard.drill(), yard.craft(craft)
    names = [member.id for member in chosen.cast]
    if names and looked.id in names and chosen.craft:
        names.append(chosen.craft)
    others = tuple(yard.craft(name) for name in names if name != looked.id)
    job = Job(looked, yard.ground_of(chosen), chosen, yard.ticks, yard.integrator, others=others)
    return job.seen_from(f"{looked.id}.{body}") if body else job


def twin_jobs(yard: Yard, drill: Drill | None = None) -> tuple[Job, ...]:
    """A drill (the one on the bench) for each of its twins, which has a world of its own and stands aside of the start.

    The craft under test is no twin of itself.
    """
    lead = yard.craft_for(drill) if drill is not None else yard.bench.craft
    drill, found = drill or yard.drill(), []
    for place, name in enumerate(drill.twins):
        if name == (lead or yard.bench.craft):
            continue
        gap = drill.twin_gap * (1 + place // 2) * (1.0 if place % 2 == 0 else -1.0)
        angle = math.radians(drill.start.heading_deg)
        start = drill.start.replace(x=drill.start.x - math.sin(angle) * gap, y=drill.start.y + math.cos(angle) * gap)
        alone = drill.replace(craft="", cast=(), twins=(), start=start)
        found.append(Job(yard.craft(name), yard.ground_of(drill), alone, yard.ticks, yard.integrator))
    return tuple(found)


def with_documents(yard: Yard, job: Job) -> Yard:
    """The yard with the documents of a job in the place of its own of the same names, and on the bench."""

    def placed(items: tuple[Any, ...], item: Any) -> tuple[Any, ...]:
        if item.id in [old.id for old in items]:
            return tuple(item if old.id == item.id else old for old in items)
        return (*items, item)

    crafts = yard.crafts
    for one in (*job.others, job.craft):
        crafts = placed(crafts, one)
    there = [craft.id for craft in crafts]
    drill = job.drill.replace(twins=tuple(name for name in job.drill.twins if name in there))
    bench = yard.bench.replace(craft=job.craft.id, ground=job.ground.id, drill=job.drill.id)
    return yard.without(
        ticks=job.ticks,
        integrator=job.integrator,
        crafts=crafts,
        grounds=placed(yard.grounds, job.ground),
        drills=placed(yard.drills, drill),
        bench=bench,
    )
