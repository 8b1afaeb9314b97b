"""The document of a drill: start, inputs over time, events, end and targets."""

import functools
import operator
from collections.abc import Iterable
from typing import Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator, model_validator

from oak_sled.core.base import units
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field
from oak_sled.core.yard.event import MOST_EVENTS, Event
from oak_sled.core.yard.naming import unique
from oak_sled.core.yard.network import Network
from oak_sled.core.yard.orbit import Orbit
from oak_sled.core.yard.recording import Recording
from oak_sled.core.yard.ties import AnyTie

MOST_KNOTS = 500_000
"""Knots that a track holds."""


MANY = 1000
"""Knots from which on two tracks are compared by their arrays."""


End = Literal["time", "distance", "stopped", "hit", "last_gate", "left_ground"]


class Start(Frozen):
    """Pose and motion at which a craft begins."""

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
    orbit: Orbit | None = Field(None, description="in an orbit: place, heading and speeds count from the state there")


class Knot(Frozen):
    """A channel value at a time."""

    t: float = dial(0.0, "s", "time from the start", low=0.0, high=1e5, slider=(0.0, 20.0))
    value: float = dial(
        0.0, "", "raw channel value; a level counts from -1 to 1, increments and notches as they are",
        low=-1e4, high=1e4, slider=(-1.0, 1.0),
    )  # fmt: skip


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
            raise ValueError(
                f"knots: {units.plain(later, 's')} comes after {units.plain(sooner, 's')} (order the knots by time)"
            )
        return self

    def __eq__(self, other: object) -> bool:
        """True if it says the same. Of very many knots the arrays are compared: one by one they take half a second."""
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
        """Values of its knots, shape (knots,); made once."""
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
    weight: float = Field(
        1.0, ge=0.0, le=100.0, allow_inf_nan=False, description="how much it counts beside the others, where tuned"
    )

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
    ties: tuple[AnyTie, ...] = Field(
        (), max_length=24, description="ties of its crafts at the start; places in the axes of each, from its origin"
    )
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
    input_delay: float = dial(
        0.0, "ms", "from an input to its effect: in the drill, of its drivers too, and while driving",
        low=0.0, high=2000.0, slider=(0.0, 300.0), title="input delay",
    )  # fmt: skip
    input_jitter: float = dial(
        0.0, "ms", "by which that is longer or shorter, from a seed", low=0.0, high=1000.0, slider=(0.0, 100.0),
        title="input jitter",
    )  # fmt: skip
    display_delay: float = dial(
        0.0, "ms", "from an effect to what a driver of the drill sees of it, and to your picture while driving",
        low=0.0, high=2000.0, slider=(0.0, 300.0), title="display delay",
    )  # fmt: skip
    display_jitter: float = dial(
        0.0, "ms", "by which that is longer or shorter, from a seed", low=0.0, high=1000.0, slider=(0.0, 100.0),
        title="display jitter",
    )  # fmt: skip
    delay_seed: int = Field(1, ge=0, le=2**31 - 1, description="of both jitters")
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
    recording: Recording | None = Field(
        None, description="what a game did from the same start with the same inputs, which the run is held against"
    )
    network: Network | None = Field(
        None, description="the connection over which others, or its driver, see the craft under test"
    )
    targets: tuple[Target, ...] = Field((), max_length=50, description="targets: ranges for measures")

    @model_validator(mode="after")
    def _once(self) -> Self:
        told_once(self.tracks)
        unique("events", self.events)
        unique("cast", self.cast)
        unique("ties", self.ties)
        for tie in self.ties:
            if tie.on_rail():
                raise ValueError(f"ties.{tie.id}.rail: a drill has no rails (a bogie among the ties of the ground)")
        if self.cast and not self.craft:
            raise ValueError("craft: is empty, and others take part (name the craft under test)")
        if self.craft in [member.id for member in self.cast]:
            raise ValueError(f"cast.{self.craft}: is the craft under test already (each craft once)")
        return self

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")
