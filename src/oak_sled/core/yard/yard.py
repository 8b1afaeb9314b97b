"""The document of a yard: crafts, grounds, drills and spreads, and what of them is on the bench."""

from collections.abc import Iterable, Sequence
from typing import Any, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base import document
from oak_sled.core.base.document import Frozen
from oak_sled.core.base.faults import close_match
from oak_sled.core.parts.layer import BUILT_IN_LAYERS
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Member, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.game import Game
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.naming import unique
from oak_sled.core.yard.spreads import Spread
from oak_sled.core.yard.wish import Wish

FORMAT = 4
"""The number of the yard format this program writes. A greater one is refused."""

TICK_RATES = (30, 60, 120, 240, 480, 960)
"""Ticks per second the desk offers; any from 20 to 2000 is allowed."""


def _must_take(where: str, tracks: tuple[Track, ...], craft: Craft) -> None:
    """Raises ValueError where a track gives a channel of the craft more than a level can be."""
    levels = {channel.id for channel in craft.channels if channel.takes == "level"}
    for number, track in enumerate(tracks):
        if track.channel in levels and len(track.knots) and np.abs(track.values).max() > 1.0:
            knot = int(np.argmax(np.abs(track.values) > 1.0))
            raise ValueError(
                f"{where}.tracks.{number}.knots.{knot}.value: must be from -1 to 1, got {track.values[knot]:g} "
                f"(channel {track.channel!r} of {craft.id} takes a level)"
            )


def _targets(event: Event, drill: Drill, crafts: Iterable[Craft], grounds: Iterable[Ground]) -> list[str] | None:
    """Targets of an event: parts of any craft, or what it aims at on the grounds of its drill; None: the craft."""
    if event.aims_at == "part":
        return [part.id for craft in crafts for part in craft.parts]
    if not event.target and event.what == "poke":
        return None
    grounds = [ground for ground in grounds if drill.ground in ("", ground.id)]
    there = [one.id for ground in grounds for one in getattr(ground, f"{event.aims_at}s")]
    if event.aims_at == "tie":
        there += [tie.id for tie in drill.ties]
        there += [f"{craft.id}_{tie.id}"[:40] for craft in crafts for tie in craft.ties]
    return [*there, *(one.id for craft in crafts for one in craft.singles)] if event.what == "poke" else there


class Bench(Frozen):
    """The craft, ground and drill on the bench."""

    craft: str = Field(description="the craft under test")
    ground: str = Field(description="the selected ground")
    drill: str = Field(description="the selected drill")


class Yard(Frozen):
    """The whole document."""

    format: int = Field(FORMAT, ge=1, le=FORMAT, description="number of the yard format")
    title: str = Field("Yard", max_length=80, description="what the yard is called")
    ticks: int = Field(120, ge=20, le=2000, description="ticks per second")
    integrator: Literal["semi_implicit", "explicit"] = Field("semi_implicit", description="how a tick is integrated")
    bench: Bench = Field(description="what is selected on the bench")
    crafts: tuple[Craft, ...] = Field(min_length=1, max_length=50, description="what moves")
    grounds: tuple[Ground, ...] = Field(min_length=1, max_length=50, description="places to test on")
    drills: tuple[Drill, ...] = Field(min_length=1, max_length=500, description="scripted manoeuvres")
    spreads: tuple[Spread, ...] = Field((), max_length=20, description="grids of variants that are kept")
    cameras: tuple[YardCamera, ...] = Field(
        (), max_length=20, description="how crafts are filmed; no run depends on them"
    )
    wishes: tuple[Wish, ...] = Field(
        (), max_length=50, description="words of feel of its own, or its own of a built-in one; no run depends on them"
    )
    game: Game = Field(Game(), description="units and axes of the game; no run depends on them")

    @model_validator(mode="after")
    def _references(self) -> Self:
        for where in ("crafts", "grounds", "drills", "spreads", "cameras", "wishes"):
            unique(where, getattr(self, where))
        self._must_exist("bench.craft", self.bench.craft, self.crafts)
        self._must_exist("bench.ground", self.bench.ground, self.grounds)
        self._must_exist("bench.drill", self.bench.drill, self.drills)
        for ground in self.grounds:
            self._must_hold(ground)
        layers = [*BUILT_IN_LAYERS, *dict.fromkeys(one.id for ground in self.grounds for one in ground.layers)]
        for craft in self.crafts:
            for where, name in craft.layers_used():
                if name not in layers:
                    where = f"crafts.{craft.id}.{where}"
                    raise ValueError(f"{where}: no ground has a layer {name!r} ({close_match(name, layers)})")
        for drill in self.drills:
            if drill.ground:
                self._must_exist(f"drills.{drill.id}.ground", drill.ground, self.grounds)
            if drill.craft:
                self._must_exist(f"drills.{drill.id}.craft", drill.craft, self.crafts)
            _must_take(f"drills.{drill.id}", drill.tracks, self._lead(drill))
            for member in drill.cast:
                self._must_exist(f"drills.{drill.id}.cast", member.id, self.crafts)
                self._must_tell(f"drills.{drill.id}.cast.{member.id}", member)
            for twin in drill.twins:
                self._must_exist(f"drills.{drill.id}.twins", twin, self.crafts)
            if drill.ties:
                self._must_tie(drill)
            for event in drill.events:
                known = _targets(event, drill, self.crafts, self.grounds)
                if known is not None and event.target not in known:
                    where = f"drills.{drill.id}.events.{event.id}.target"
                    raise ValueError(
                        f"{where}: there is no {event.aims_at} {event.target!r} ({close_match(event.target, known)})"
                    )
        return self

    @staticmethod
    def _must_exist(where: str, name: str, items: Any) -> None:
        names = [item.id for item in items]
        if name not in names:
            raise ValueError(f"{where}: there is no {name!r} ({close_match(name, names)})")

    def _must_hold(self, ground: Ground) -> None:
        loose = {block.id: block.moves == "free" for block in ground.blocks}
        known = [*loose, *(one.id for craft in self.crafts for one in craft.singles)]
        for field, tie in [*(("joints", one) for one in ground.joints), *(("ties", one) for one in ground.ties)]:
            where = f"grounds.{ground.id}.{field}.{tie.id}"
            for side, name in (("one", tie.one), ("other", tie.other)):
                if name not in known and (name or side == "one"):
                    raise ValueError(f"{where}.{side}: there is no body {name!r} ({close_match(name, known)})")
            if not loose.get(tie.one, True):
                raise ValueError(f"{where}.one: {tie.one!r} does not move (a dynamic block or a craft)")

    def _must_tie(self, drill: Drill) -> None:
        """Raises ValueError where a tie of a drill names a body that takes no part in it."""
        cast = [self._lead(drill), *(self.craft(member.id) for member in drill.cast)]
        bodies = [one.id for craft in cast for one in craft.singles]
        grounds = [ground for ground in self.grounds if drill.ground in ("", ground.id)]
        blocks = [block.id for ground in grounds for block in ground.blocks]
        known, where = [*bodies, *blocks], f"drills.{drill.id}.ties"
        for tie in drill.ties:
            for side, name in (("one", tie.one), ("other", tie.other)):
                if name not in known and (name or side == "one"):
                    raise ValueError(f"{where}.{tie.id}.{side}: there is no body {name!r} ({close_match(name, known)})")

    def _must_tell(self, where: str, member: Member) -> None:
        channels = [channel.id for channel in self.craft(member.id).channels]
        for track in member.tracks:
            if track.channel not in channels:
                raise ValueError(
                    f"{where}: {member.id} has no channel {track.channel!r} ({close_match(track.channel, channels)})"
                )
        _must_take(where, member.tracks, self.craft(member.id))

    def without(self, **changes: Any) -> Self:
        """`replace`, where crafts or grounds lose something: events that were aimed at it, and what tied it, goes
        with it."""
        crafts, grounds = changes.get("crafts", self.crafts), changes.pop("grounds", self.grounds)
        names = {one.id for craft in crafts for one in craft.singles}
        grounds = tuple(ground.with_whole_ties(names) for ground in grounds)
        drills = []
        for drill in changes.pop("drills", self.drills):
            aims = {event.id: _targets(event, drill, crafts, grounds) for event in drill.events}
            left = tuple(e for e in drill.events if aims[e.id] is None or e.target in (aims[e.id] or ()))
            there = {"", *names, *(one.id for ground in grounds for one in ground.blocks)}
            ties = tuple(tie for tie in drill.ties if tie.one in there and tie.other in there)
            whole = (len(left), len(ties)) == (len(drill.events), len(drill.ties))
            drills.append(drill if whole else drill.replace(events=left, ties=ties))
        return self.replace(**changes, grounds=grounds, drills=tuple(drills))

    def runs_as(self, other: "Yard") -> bool:
        """True if every run of it is one of `other`: at most cameras, words of feel or the units of the game
        differ."""
        told = ("cameras", "game", "wishes")
        return all(getattr(self, name) == getattr(other, name) for name in type(self).model_fields if name not in told)

    def edit(self, path: str, value: Any) -> "Yard":
        """The yard with `value` at `path`; raises `Refused` when place or value is wrong."""
        edited: Yard = document.edit(self, path, value)
        return edited

    def edit_all(self, changes: Sequence[tuple[str, Any]]) -> "Yard":
        """The yard with every value at its path, validated together; raises `Refused` with every fault."""
        edited: Yard = document.edit_all(self, changes)
        return edited

    def craft(self, name: str = "") -> Craft:
        """The craft of that id, or the one on the bench."""
        found: Craft = document.member(self.crafts, name or self.bench.craft, "crafts")
        return found

    def craft_for(self, drill: Drill) -> str:
        """The craft to look at in a drill: the one that it names, unless the one on the bench takes part in it."""
        here = self.bench.craft in [member.id for member in drill.cast]
        return self.bench.craft if here or not drill.craft else drill.craft

    def _lead(self, drill: Drill) -> Craft:
        """The craft that a drill starts and drives itself, whichever of its cast is on the bench."""
        return self.craft(drill.craft or self.bench.craft)

    def drill(self, name: str = "") -> Drill:
        """The drill of that id, or the one on the bench."""
        found: Drill = document.member(self.drills, name or self.bench.drill, "drills")
        return found

    def ground(self, name: str = "") -> Ground:
        """The ground of that id, or the one on the bench."""
        found: Ground = document.member(self.grounds, name or self.bench.ground, "grounds")
        return found

    def ground_of(self, drill: Drill) -> Ground:
        """The ground a drill runs on."""
        return self.ground(drill.ground)
