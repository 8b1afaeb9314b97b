"""Records that tell parts of their surroundings, and those by which they answer."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Literal, get_args

import numpy as np

from oak_sled.core.base import units
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.parts.actuator import Actuator, Axis
from oak_sled.core.parts.layer import BODIES

Spot = tuple[float, float, float]
NO_FORMULA = np.zeros(1, FORMULA)[0]
Aim = Literal["craft", "world", "ground"]
AIMS = get_args(Aim)
"""Directions of a ray: down in craft axes, down in world axes, or against the normal of what carries the craft."""


@dataclass(frozen=True)
class Handling:
    """Cornering of a craft on tires: m between its ends, rad of steering for each g beyond what the circle asks for
    (above 0: it understeers), g at which an end slides, and which: "front", "rear", or "all" wheels at once."""

    base: float
    understeer: float
    limit_g: float
    first: str

    def critical_speed(self, gravity: float) -> float:
        """m/s past which it turns in by itself, sqrt(-g L / K); inf where it never does."""
        return math.sqrt(-gravity * self.base / self.understeer) if self.understeer < -1e-6 else math.inf

    def characteristic_speed(self, gravity: float) -> float:
        """m/s at which it turns most for its steering, sqrt(g L / K); inf where it does not understeer."""
        return math.sqrt(gravity * self.base / self.understeer) if self.understeer > 1e-6 else math.inf

    def largest_steer(self, speed: float, gravity: float) -> float:
        """The steering angle, rad, that asks for the most that its tires can hold at a speed, m/s."""
        if speed <= 0.0:
            return 0.5 * math.pi
        return self.base * self.limit_g * gravity / speed**2 + self.understeer * self.limit_g

    def words(self, gravity: float) -> str:
        """Its character."""
        degrees = math.degrees(self.understeer)
        if abs(degrees) < 0.05:
            return "neutral"
        if degrees > 0.0:
            speed = units.fixed(self.characteristic_speed(gravity), "m/s", 1)
            return f"understeers {units.fixed(degrees, '°/g', 2)}, characteristic {speed}"
        speed = units.fixed(self.critical_speed(gravity), "m/s", 1)
        return f"oversteers {units.fixed(-degrees, '°/g', 2)}, critical {speed}"


@dataclass(frozen=True)
class Setting:
    """The craft and the ground around a part, as numbers for closed forms.

    All SI. moves : kg of all bodies of the craft, which its thrust moves; mass is of the one body. carried : N of the
    weight left on the supports, an equal share of it on each of the rays; spring (N/m) and
    damper (N s/m) are of all of them together. modes : name, rad/s and share of critical damping of each way in which
    it swings on them, from the last run. track is from the leftmost to the rightmost of them, and centre_height that of
    the centre of mass, m. thrust, friction and drag are along the heading at full channel; `range_of` holds the (least,
    greatest, 95 %) of the quantities a limiter can limit, from the last run, if any. drag_at : N of the drags that are
    formulas at a speed, m/s, which stand in no factor; None where there are none. tired : the parts whose wheels have
    tires of another part. actuators : what a mixer may command, with the gain of its part. fuel : kg in its tanks, and
    burns : kg/s at full thrust. handling : how it corners on them; None where it has none at two ends. tips_at : finds
    what `tips` tells, once it is asked.
    """

    mass: float
    yaw_inertia: float
    roll_inertia: float
    pitch_inertia: float
    weight: float
    air_density: float
    dt: float
    grip: float
    thrust: float
    friction: float
    square_drag: float
    linear_drag: float
    damping: float
    side_grip: float
    contacts: int
    centre: tuple[float, float, float]
    channel_names: tuple[str, ...]
    range_of: dict[str, tuple[float, float, float]]
    acted: dict[str, int]
    ticks: int
    last_speed: float
    carried: float = 0.0
    rays: int = 0
    spring: float = 0.0
    damper: float = 0.0
    modes: tuple[tuple[str, float, float], ...] = ()
    track: float = 0.0
    centre_height: float = 0.0
    moves: float = 0.0
    drag_at: Callable[[float], float] | None = None
    tired: frozenset[str] = frozenset()
    handling: Handling | None = None
    tips_at: Callable[[], float] | None = None
    actuators: tuple[tuple[float, Actuator], ...] = ()
    fuel: float = 0.0
    burns: float = 0.0

    def tips(self) -> float:
        """g sideways, pushed slowly, at which it tips; infinite where it cannot."""
        return math.inf if self.tips_at is None else self.tips_at()


@dataclass(frozen=True)
class WheelAt:
    """A wheel of a craft: its ray among the supports, the part whose wheel it is, its hub at full droop, m from the
    origin, craft axes."""

    ray: int
    part: str
    at: Spot


@dataclass(frozen=True)
class Thrown:
    """A line that a part throws: where it is fixed (m from the origin, craft axes), the channels that reel it and throw
    it, the tension at which it breaks (N; 0: never), and the numbers of its record: see `wrapped.WRAPPED`."""

    at: Spot
    channels: tuple[str, str]
    limit: float
    numbers: Mapping[str, Any]


@dataclass(frozen=True)
class Pack:
    """The answers a part needs while it is packed into its record: names by number, points from the centre.

    bodies : the bodies of the job by name. shots : where the shots of a part begin among them. layers : the layers of
    the ground; own_layer : the name of that of the craft. blasts : the parts of the craft that a burst can set off.
    supports : where the feet of a part begin among the supports of all crafts; last_support : behind those of the last
    part of the craft. rays : where the rays of a part begin among them, and ray_counts : how many it
    has; two_sided : the parts that have as many left as right; last_ray : behind the last ray of the craft.
    links : the rope that a part throws. joints : the joint by which a part carries a body. formulas : the records of
    the formulas of the craft, by name.
    wheels : those of the craft that carry. places : its parts by their numbers. actuators : what a mixer may command,
    with the number of its part and its gain. wishes : the forces and moments that its parts ask of the mixer.
    """

    channel_names: tuple[str, ...]
    centre: tuple[float, float, float]
    bodies: Mapping[str, int] = field(default_factory=dict)
    shots: Mapping[str, int] = field(default_factory=dict)
    layers: Mapping[str, int] = field(default_factory=dict)
    own_layer: str = ""
    blasts: Mapping[str, int] = field(default_factory=dict)
    supports: Mapping[str, int] = field(default_factory=dict)
    last_support: int = 0
    rays: Mapping[str, int] = field(default_factory=dict)
    ray_counts: Mapping[str, int] = field(default_factory=dict)
    two_sided: frozenset[str] = frozenset()
    last_ray: int = 0
    joints: Mapping[str, int] = field(default_factory=dict)
    links: Mapping[str, int] = field(default_factory=dict)
    gravity_scale: float = 1.0
    wheels: tuple[WheelAt, ...] = ()
    formulas: Mapping[str, np.void] = field(default_factory=dict)
    places: Mapping[str, int] = field(default_factory=dict)
    actuators: tuple[tuple[int, float, Actuator], ...] = ()
    wishes: frozenset[Axis] = frozenset()

    def formula(self, name: str, fixed: Mapping[int, float] = MappingProxyType({})) -> np.void:
        """The record of a formula; one without an address for none. fixed : the quantities that do not change in a
        run, by their places."""
        found = self.formulas.get(name)
        if found is None:
            return NO_FORMULA
        own = found.copy()
        for place, value in fixed.items():
            own["given"][place] = value
        return own

    def channel(self, name: str) -> int:
        """The number of a channel; -1 for none."""
        return self.channel_names.index(name) if name else -1

    def layer(self, name: str) -> int:
        """The number of a layer: that of plain bodies where the ground has none of that name."""
        return self.layers.get(name, self.layers.get(BODIES, 1))

    def point(self, x: float, y: float, z: float) -> tuple[float, float, float]:
        """A point given in craft axes from the craft's origin, from the centre of mass."""
        return (x - self.centre[0], y - self.centre[1], z - self.centre[2])


@dataclass(frozen=True)
class Shot:
    """A body that a part sends out: how many of them can be in flight, m across, kg, share of gravity, names."""

    in_flight: int
    size: float
    mass: float
    gravity_scale: float
    material: str
    layer: str


@dataclass(frozen=True)
class Ray:
    """A ray that finds what lies under a craft: its mount, m from the origin, craft axes; where it points; its reach,
    m; the layer that decides what it finds ("": that of its craft); the radius of the sphere that is swept along it, m,
    whose far side its reach is counted to (0: a ray); that of the wheel that rolls at its end (0: none); and whether it
    only looks, and carries nothing."""

    at: tuple[float, float, float]
    aim: Aim
    reach: float
    layer: str = ""
    radius: float = 0.0
    wheel: float = 0.0
    senses: bool = False


@dataclass(frozen=True)
class HeadModel:
    """The head of one who rides along: where it is mounted, m from the origin, craft axes, and the stiffness (1/s2) and
    the damping (1/s) that hold it there, over its mass."""

    at: Spot
    spring: float
    damper: float


@dataclass(frozen=True)
class LeanModel:
    """The lean of a drawn body: the point about which it leans, m from the origin, craft axes, shares of the lean of a
    turn and of speeding up, the largest angle, rad, and natural frequency, rad/s, and damping ratio of its follower."""

    at: Spot
    turn_share: float
    speed_share: float
    most: float
    rate: float
    ratio: float


@dataclass(frozen=True)
class Carried:
    """A body that rides with its craft: kg, m across, and where it is held at the start, m from the origin."""

    mass: float
    size: float
    at: tuple[float, float, float]
