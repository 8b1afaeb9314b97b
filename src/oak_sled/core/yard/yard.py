"""Documents of where and how a craft is tested: ground, drill, target, and the yard of them all.

One file, since ground, drill and yard refer to each other in their checks.
"""

import functools
import operator
from collections.abc import Collection, Iterable, Sequence
from typing import Any, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator, model_validator

from oak_sled.core.base import document
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference
from oak_sled.core.base.faults import close_match
from oak_sled.core.geometry import terrain
from oak_sled.core.geometry.terrain import Patch, Relief
from oak_sled.core.kernel.surface import MOST_PATCHES
from oak_sled.core.parts import layer
from oak_sled.core.parts.layer import BUILT_IN_LAYERS, Layer, LayerPair
from oak_sled.core.yard.block import BUILT_IN, Block, Material, Pair
from oak_sled.core.yard.craft import Craft, unique
from oak_sled.core.yard.event import MOST_EVENTS, Event
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.spreads import Spread

FORMAT = 3
"""The number of the yard format this program writes. A greater one is refused."""

TICK_RATES = (30, 60, 120, 240, 480, 960)
"""Ticks per second the desk offers; any from 20 to 2000 is allowed."""

MOST_KNOTS = 500_000
"""Knots that a track holds."""

MANY = 1000
"""Knots from which on two tracks are compared by their arrays."""

FAR = 2.0
"""Half the side of a sloping plane, as a share of the length and width of its ground: it goes on past the edges."""

End = Literal["time", "distance", "stopped", "hit", "last_gate", "left_ground"]


class Wall(Frozen):
    """An upright box that no craft passes."""

    id: str = name_field("its name")
    layer: str = reference("layer", "the collision layer; empty: ground")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    heading_deg: float = dial(0.0, "°", "direction of its length", low=-360.0, high=360.0)
    length: float = dial(10.0, "m", "length", low=0.01, high=1e5)
    width: float = dial(0.8, "m", "thickness", low=0.01, high=1e4)
    height: float = dial(1.0, "m", "height above the ground", low=0.01, high=1e4)


class Gate(Frozen):
    """A line between two poles, passed in the direction of its heading."""

    id: str = name_field("its name")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5)
    heading_deg: float = dial(0.0, "°", "heading in which it is passed", low=-360.0, high=360.0)
    width: float = dial(4.0, "m", "distance between its poles", low=0.1, high=1e3)


OF_SURFACES = ("materials", "pairs", "layers", "layer_pairs")
"""Lists of a ground that say what surfaces and layers are, and put nothing on it."""


class Ground(Frozen):
    """A place to test on: level ice with walls, gates, air and edges."""

    id: str = name_field("the name by which drills refer to this ground")
    title: str = Field("", max_length=60, description="display name")
    gravity: float = dial(9.80665, "m/s2", "gravity", low=0.0, high=1e3, slider=(0.0, 30.0))
    air_density: float = dial(1.34, "kg/m3", "density of the air", low=0.0, high=1e3, slider=(0.0, 2.0))
    wind_speed: float = dial(0.0, "m/s", "speed of the wind", low=0.0, high=300.0, slider=(0.0, 30.0))
    wind_to_deg: float = dial(0.0, "°", "direction the wind blows to", low=-360.0, high=360.0)
    grip: float = dial(1.0, "", "factor on all grip and sliding resistance", low=0.0, high=10.0, slider=(0.0, 2.0))
    edges: Literal["open", "wrap", "wall", "return"] = Field("open", description="behaviour at the edge")
    length: float = dial(400.0, "m", "size from west edge to east edge", low=1.0, high=1e5, slider=(20.0, 2000.0))
    width: float = dial(200.0, "m", "size from south edge to north edge", low=1.0, high=1e5, slider=(20.0, 2000.0))
    middle_x: float = dial(0.0, "m", "middle of the ground", low=-1e5, high=1e5)
    middle_y: float = dial(0.0, "m", "middle of the ground", low=-1e5, high=1e5)
    walls: tuple[Wall, ...] = Field((), max_length=500, description="walls")
    gates: tuple[Gate, ...] = Field((), max_length=500, description="gates in the order in which they are passed")
    floor: bool = Field(True, description="whether the ground is solid for crafts with free height")
    tilt_deg: float = dial(0.0, "°", "slope of the ground, about its middle", low=0.0, high=55.0, slider=(0.0, 30.0))
    rises_to_deg: float = dial(0.0, "°", "heading in which a sloping ground rises", low=-360.0, high=360.0)
    friction: float = dial(0.08, "", "friction coefficient of the ground", low=0.0, high=10.0, slider=(0.0, 1.5))
    bounce: float = dial(0.0, "", "coefficient of restitution of the ground", low=0.0, high=1.0)
    materials: tuple[Material, ...] = Field((), max_length=60, description="materials of blocks")
    pairs: tuple[Pair, ...] = Field((), max_length=500, description="material pair overrides")
    blocks: tuple[Block, ...] = Field((), max_length=900, description="bodies on it")
    joints: tuple[Joint, ...] = Field((), max_length=100, description="ball joints between bodies")
    layers: tuple[Layer, ...] = Field((), max_length=30, description="collision layers: groups of bodies")
    layer_pairs: tuple[LayerPair, ...] = Field(
        (),
        max_length=500,
        description="layer pairs that only report or ignore each other; all others collide",
    )
    patches: tuple[Patch, ...] = Field((), max_length=MOST_PATCHES, description="surface patches")
    relief: Relief | None = Field(None, description="uneven ground from a picture")

    def bare(self) -> Self:
        """The level part of it with nothing on it, open at its edges: the same air, gravity and surface."""
        fields = type(self).model_fields.items()
        empty = {name: of.default for name, of in fields if of.default in ((), None) and name not in OF_SURFACES}
        return self.replace(**empty, tilt_deg=0.0, edges="open")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.is_known_whole():
            return self
        unique("walls", self.walls)
        unique("gates", self.gates)
        unique("materials", self.materials)
        unique("pairs", self.pairs)
        unique("blocks", self.blocks)
        unique("patches", self.patches)
        unique("joints", self.joints)
        unique("layers", self.layers)
        unique("layer_pairs", self.layer_pairs)
        layered = [(f"blocks.{one.id}.layer", one.layer) for one in self.blocks if one.layer]
        layered += [(f"walls.{one.id}.layer", one.layer) for one in self.walls if one.layer]
        layer.check(self.layers, self.layer_pairs, layered)
        if self.is_tilted and self.edges == "wrap":
            raise ValueError("edges: a ground that slopes cannot wrap (open, wall or return, or tilt_deg 0)")
        own = [material.id for material in self.materials]
        for name in set(own) & set(BUILT_IN):
            raise ValueError(f"materials.{name}: every ground has it already (choose another id, or set a pair)")
        names = [*BUILT_IN, *own]
        used = [(f"blocks.{one.id}.material", one.material) for one in self.blocks if one.material]
        used += [(f"pairs.{pair.id}", name) for pair in self.pairs for name in (pair.one, pair.other)]
        for where, name in used:
            if name not in names:
                raise ValueError(f"{where}: there is no material {name!r} ({close_match(name, names)})")
        return self.found_whole()

    @property
    def heading(self) -> str:
        """What the ground is called."""
        return self.title or self.id.replace("_", " ")

    @property
    def is_tilted(self) -> bool:
        """Whether its surface is a sloping plane."""
        return self.floor and self.tilt_deg > 0.0

    @property
    def is_level(self) -> bool:
        """Whether its surface is the level plane at height 0."""
        return self.floor and self.tilt_deg == 0.0

    def slope(self) -> terrain.Slope | None:
        """Its sloping plane; None where it has none."""
        if not self.is_tilted:
            return None
        far = FAR * (self.length + self.width)
        return terrain.Slope(self.middle_x, self.middle_y, far, self.tilt_deg, self.rises_to_deg)

    def with_whole_joints(self, crafts: Collection[str]) -> Self:
        """The ground without the joints whose bodies are no longer there. crafts : ids of those of the yard."""
        there = {"", *crafts, *(block.id for block in self.blocks)}
        left = tuple(joint for joint in self.joints if joint.one in there and joint.other in there)
        return self if left == self.joints else self.replace(joints=left)

    def edges_at(self) -> tuple[float, float, float, float]:
        """(least x, least y, greatest x, greatest y), m."""
        half_length, half_width = 0.5 * self.length, 0.5 * self.width
        return (
            self.middle_x - half_length,
            self.middle_y - half_width,
            self.middle_x + half_length,
            self.middle_y + half_width,
        )


class Start(Frozen):
    """Where and how a craft begins."""

    x: float = dial(0.0, "m", "place", low=-1e5, high=1e5)
    y: float = dial(0.0, "m", "place", low=-1e5, high=1e5)
    height: float = dial(0.0, "m", "height above standing on the ground", low=0.0, high=1e5, slider=(0.0, 50.0))
    heading_deg: float = dial(0.0, "°", "heading, 0 along x, positive to the left", low=-360.0, high=360.0)
    roll_deg: float = dial(0.0, "°", "roll, positive to the right side down", low=-180.0, high=180.0)
    pitch_deg: float = dial(0.0, "°", "pitch, positive with the nose down", low=-180.0, high=180.0)
    speed: float = dial(0.0, "m/s", "forward speed", low=-1e4, high=1e4, slider=(-10.0, 40.0))
    side_speed: float = dial(0.0, "m/s", "speed to the left", low=-1e4, high=1e4, slider=(-20.0, 20.0))
    rise_speed: float = dial(0.0, "m/s", "speed upward", low=-1e4, high=1e4, slider=(-20.0, 20.0))
    roll_rate_deg: float = dial(0.0, "°/s", "spin about the forward axis", low=-1e5, high=1e5)
    pitch_rate_deg: float = dial(0.0, "°/s", "spin about the left axis", low=-1e5, high=1e5)
    yaw_rate_deg: float = dial(0.0, "°/s", "spin about the vertical axis", low=-1e5, high=1e5)


class Knot(Frozen):
    """A channel value at a time."""

    t: float = dial(0.0, "s", "time from the start", low=0.0, high=1e5, slider=(0.0, 20.0))
    value: float = dial(0.0, "", "raw channel value", low=-1.0, high=1.0)


class _Told:
    """The knots of a track as arrays. What is derived makes no track differ from another: it equals any other."""

    def __init__(self, times: NDArray[np.float64], values: NDArray[np.float64]):
        self.times, self.values = times, values

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Told)

    def __hash__(self) -> int:
        return 0


class Track(Frozen):
    """The input of one channel over time.

    steps: holds each knot's value until the next. ramps: straight between knots. sine and pulses: amplitude
    and period from the first knot's time to the last one's, a pulse on for its share of the period.
    aim: a driver who steers for the next gate. pace: a driver who holds a speed; ramps between the knots, whose values
    are shares of the pace.
    """

    channel: str = Field(description="the channel it drives")
    shape: Literal["steps", "ramps", "sine", "pulses", "aim", "pace"] = Field(
        "steps", description="how values vary over time"
    )
    knots: tuple[Knot, ...] = Field((), max_length=MOST_KNOTS, description="values at times")
    amplitude: float = dial(1.0, "", "of a sine or of pulses", low=-1.0, high=1.0)
    on_share: float = dial(0.3, "", "duty cycle of pulses", low=0.0, high=1.0)
    period: float = dial(2.0, "s", "of a sine or of pulses", low=0.02, high=1e4, slider=(0.2, 10.0), scale="log")
    gain: float = dial(2.0, "1/rad", "driver: steering per radian off the gate", low=0.0, high=100.0, slider=(0.0, 8.0))
    lead: float = dial(0.5, "s", "driver: steering against yaw rate, per rad/s", low=0.0, high=100.0, slider=(0.0, 3.0))

    sight: float = dial(
        12.0,
        "m",
        "driver: distance before a gate at which it aims at the next",
        low=0.0,
        high=1e3,
        slider=(0.0, 40.0),
    )

    pace: float = dial(10.0, "m/s", "driver: forward speed at a value of 1", low=0.0, high=1e4, slider=(0.0, 40.0))
    pace_gain: float = dial(
        0.5, "s/m", "driver: input per m/s below the wanted speed", low=0.0, high=100.0, slider=(0.0, 2.0),
        title="pace gain",
    )  # fmt: skip

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        back = np.flatnonzero(np.diff(self.times) < 0.0)
        if len(back):
            sooner, later = self.times[back[0] : back[0] + 2].tolist()
            raise ValueError(f"knots: {later:g} s comes after {sooner:g} s (order the knots by time)")
        return self

    def __eq__(self, other: object) -> bool:
        """Whether it says the same. Of very many knots the arrays are compared: one by one they take half a second."""
        if self is other or type(other) is not Track:
            return self is other
        if self.knots is not other.knots and min(len(self.knots), len(other.knots)) > MANY:
            alike = np.array_equal(self.times, other.times) and np.array_equal(self.values, other.values)
            names = (name for name in Track.model_fields if name != "knots")
            return alike and all(getattr(self, name) == getattr(other, name) for name in names)
        return super().__eq__(other)

    def __hash__(self) -> int:
        return hash((self.channel, self.shape, len(self.knots)))

    @property
    def times(self) -> NDArray[np.float64]:
        """s of its knots, shape (knots,); made once, since a recorded track has very many."""
        return self._told.times

    @property
    def values(self) -> NDArray[np.float64]:
        """What its knots say, shape (knots,); made once."""
        return self._told.values

    @functools.cached_property
    def _told(self) -> "_Told":
        count = len(self.knots)
        times, values = (map(operator.attrgetter(name), self.knots) for name in ("t", "value"))
        return _Told(np.fromiter(times, np.float64, count), np.fromiter(values, np.float64, count))


def told_once(tracks: Iterable[Track]) -> None:
    """Raises ValueError when two tracks tell one channel."""
    told = [track.channel for track in tracks]
    for channel in told:
        if told.count(channel) > 1:
            raise ValueError(f"tracks: {channel!r} has two tracks (one track a channel)")


class Member(Frozen):
    """A craft that takes part in a drill beside the craft under test, in the same world."""

    id: str = name_field("the craft")
    start: Start = Field(default_factory=Start, description="its start")
    tracks: tuple[Track, ...] = Field((), max_length=16, description="inputs over time")

    @model_validator(mode="after")
    def _once(self) -> Self:
        told_once(self.tracks)
        return self


RENAMED_MEASURES = {"calm_time": "settling_time"}
"""Measures that had another name in files of before."""


class Target(Frozen):
    """The band a measure should lie in; an open side is left out."""

    measure: str = Field(description="the measure, by name")
    low: float | None = Field(
        None, allow_inf_nan=False, description="least value that passes, in the unit of the measure"
    )
    high: float | None = Field(None, allow_inf_nan=False, description="greatest value that passes")

    @field_validator("measure", mode="before")
    @classmethod
    def _by_its_name_of_today(cls, name: object) -> object:
        return RENAMED_MEASURES.get(name, name) if isinstance(name, str) else name

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if self.low is None and self.high is None:
            raise ValueError("has neither low nor high (at least one of them)")
        return self


class Drill(Frozen):
    """A scripted manoeuvre: start, channels over time, end condition, ground and targets."""

    id: str = name_field("its name")
    title: str = Field("", max_length=80, description="display name")
    ground: str = Field("", description="ground; empty: the selected one")
    craft: str = Field("", description="craft under test; empty: the selected one")
    start: Start = Field(default_factory=Start, description="start of the craft under test")
    tracks: tuple[Track, ...] = Field((), max_length=16, description="inputs over time")
    cast: tuple[Member, ...] = Field((), max_length=7, description="other crafts in the same world")
    duration: float = dial(10.0, "s", "maximum duration", low=0.05, high=7200.0, slider=(1.0, 60.0), scale="log")
    events: tuple[Event, ...] = Field((), max_length=MOST_EVENTS, description="events")
    end: End = Field("time", description="end condition")
    end_value: float = dial(
        0.0, "", 'distance, or earliest time at which "stopped" ends it', low=0.0, high=1e6, slider=(0.0, 200.0),
        unit_by=("end", {"distance": "m", "stopped": "s"}),
    )  # fmt: skip
    event_time: float = dial(
        0.0,
        "s",
        "time at which measuring begins (the step, the brake, the release)",
        low=0.0,
        high=1e5,
        slider=(0.0, 30.0),
    )
    twins: tuple[str, ...] = Field(
        (), max_length=6, description="twins: crafts that run the drill too, each in its own world"
    )
    twin_gap: float = dial(
        0.0,
        "m",
        "lateral spacing of twins, left and right in turn",
        low=0.0,
        high=1e3,
        slider=(0.0, 20.0),
    )
    watch: tuple[str, ...] = Field(
        (),
        max_length=12,
        description="blocks whose flight is measured and whose ledger is kept",
        json_schema_extra={"names": "block"},
    )
    recorded: bool = Field(False, description="kept from a live drive")
    targets: tuple[Target, ...] = Field((), max_length=50, description="targets: ranges for measures")

    @model_validator(mode="after")
    def _once(self) -> Self:
        told_once(self.tracks)
        unique("events", self.events)
        unique("cast", self.cast)
        if self.cast and not self.craft:
            raise ValueError("craft: is empty, and others take part (name the craft under test)")
        if self.craft in [member.id for member in self.cast]:
            raise ValueError(f"cast.{self.craft}: is the craft under test already (each craft once)")
        return self

    @property
    def heading(self) -> str:
        """What the drill is called."""
        return self.title or self.id.replace("_", " ")


def _targets(event: Event, drill: Drill, crafts: Iterable[Craft], grounds: Iterable[Ground]) -> list[str] | None:
    """What an event may aim at: parts of any craft, blocks of the grounds that its drill runs on; None: the craft."""
    if event.aims_at_block:
        if not event.target and event.what == "poke":
            return None
        there = [one.id for ground in grounds if drill.ground in ("", ground.id) for one in ground.blocks]
        return [*there, *(craft.id for craft in crafts)] if event.what == "poke" else there
    return [part.id for craft in crafts for part in craft.parts]


class Bench(Frozen):
    """What stands on the bench: the craft, ground and drill that are selected."""

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

    @model_validator(mode="after")
    def _references(self) -> Self:
        for where in ("crafts", "grounds", "drills", "spreads"):
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
            for member in drill.cast:
                self._must_exist(f"drills.{drill.id}.cast", member.id, self.crafts)
                self._must_tell(f"drills.{drill.id}.cast.{member.id}", member)
            for twin in drill.twins:
                self._must_exist(f"drills.{drill.id}.twins", twin, self.crafts)
            for event in drill.events:
                known = _targets(event, drill, self.crafts, self.grounds)
                if known is not None and event.target not in known:
                    what = "block" if event.aims_at_block else "part"
                    where = f"drills.{drill.id}.events.{event.id}.target"
                    raise ValueError(
                        f"{where}: there is no {what} {event.target!r} ({close_match(event.target, known)})"
                    )
        return self

    @staticmethod
    def _must_exist(where: str, name: str, items: Any) -> None:
        names = [item.id for item in items]
        if name not in names:
            raise ValueError(f"{where}: there is no {name!r} ({close_match(name, names)})")

    def _must_hold(self, ground: Ground) -> None:
        loose = {block.id: block.moves == "free" for block in ground.blocks}
        known = [*loose, *(craft.id for craft in self.crafts)]
        for joint in ground.joints:
            where = f"grounds.{ground.id}.joints.{joint.id}"
            for side, name in (("one", joint.one), ("other", joint.other)):
                if name not in known and (name or side == "one"):
                    raise ValueError(f"{where}.{side}: there is no body {name!r} ({close_match(name, known)})")
            if not loose.get(joint.one, True):
                raise ValueError(f"{where}.one: {joint.one!r} does not move (a loose block or a craft)")

    def _must_tell(self, where: str, member: Member) -> None:
        channels = [channel.id for channel in self.craft(member.id).channels]
        for track in member.tracks:
            if track.channel not in channels:
                raise ValueError(
                    f"{where}: {member.id} has no channel {track.channel!r} ({close_match(track.channel, channels)})"
                )

    def without(self, **changes: Any) -> Self:
        """`replace`, where crafts or grounds lose something: events that were aimed at it, and joints that held it, go
        with it."""
        crafts, grounds = changes.get("crafts", self.crafts), changes.pop("grounds", self.grounds)
        names = {craft.id for craft in crafts}
        grounds = tuple(ground.with_whole_joints(names) for ground in grounds)
        drills = []
        for drill in changes.pop("drills", self.drills):
            aims = {event.id: _targets(event, drill, crafts, grounds) for event in drill.events}
            left = tuple(e for e in drill.events if aims[e.id] is None or e.target in (aims[e.id] or ()))
            drills.append(drill if len(left) == len(drill.events) else drill.replace(events=left))
        return self.replace(**changes, grounds=grounds, drills=tuple(drills))

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
