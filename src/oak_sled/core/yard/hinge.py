"""The documents of a hinge, a slider and a fixed joint: ties at one point, with an axis."""

import math
from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.contact import hinge, hingerows
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.yard.tie import Stretched, Tie

MOTORS = ("none", "rate", "place")
FAR = 1e308


class Jointed(Tie):
    """A tie at one point, about or along an axis."""

    azimuth_deg: float = dial(
        0.0, "°", "direction of its axis: 0 east, 90 north; on a craft 0 forward, 90 left", low=-360.0, high=360.0
    )
    elevation_deg: float = dial(0.0, "°", "of its axis: 90 straight up", low=-90.0, high=90.0)
    collide: bool = Field(False, description="whether its two bodies still touch each other")
    breaks_at: float = dial(0.0, "N", "load at which it breaks; 0: never", low=0.0, high=1e9, slider=(0.0, 500_000.0))

    MODE: ClassVar[int] = hingerows.FIXED

    def way(self) -> Floats:
        """Its axis at the start, a unit vector in world axes, shape (3,)."""
        turn, rise = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        return np.array([math.cos(rise) * math.cos(turn), math.cos(rise) * math.sin(turn), math.sin(rise)])

    def passes(self) -> bool:
        return not self.collide

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but what stands in the axes of its bodies."""
        return {"mode": self.MODE, "breaks": self.breaks_at, "low": -FAR, "high": FAR}

    def frames(self, to_one: Callable[[Floats], Floats], to_other: Callable[[Floats], Floats]) -> dict[str, Any]:
        """Its axis and a mark across it, in the axes of both bodies, each of shape (3,)."""
        way = self.way()
        mark = np.cross(way, (1.0, 0.0, 0.0) if abs(way[0]) < 0.7 else (0.0, 1.0, 0.0))
        mark /= np.linalg.norm(mark)
        return {
            "axis_a": to_one(way), "axis_b": to_other(way), "mark_a": to_one(mark), "mark_b": to_other(mark),
        }  # fmt: skip


class Driven(Jointed):
    """A joint with something free: a motor, dry friction, a spring and a damper toward the start, limits."""

    motor: Literal["none", "rate", "place"] = Field(
        "none", description="what its motor holds: nothing, a rate, or a place that it goes to at that rate"
    )
    channel: str = Field(
        "",
        max_length=60,
        description="the channel that drives its motor, as a factor on rate or place; empty: always full",
    )
    limited: bool = Field(False, description="whether it ends at its limits")

    PLACE: ClassVar[str] = ""
    """The dial of the place that its motor goes to."""
    MOTOR: ClassVar[tuple[str, ...]] = ()
    LIMITS: ClassVar[tuple[str, ...]] = ()

    def idle(self) -> Mapping[str, str]:
        found = {} if self.limited else dict.fromkeys(self.LIMITS, "it has no limits")
        if self.motor == "none":
            return {**found, **dict.fromkeys((*self.MOTOR, self.PLACE), "it has no motor")}
        return found if self.motor == "place" else {**found, self.PLACE: "its motor holds a rate"}

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        numbers = self.numbers(0.0)
        if self.limited and numbers["low"] > numbers["high"]:
            raise ValueError("low: is above the other limit (low <= high, and the start, 0, between them)")
        return self


class Hinge(Driven):
    """A hinge: both bodies turn about one axis alone."""

    kind: Literal["hinge"] = Field("hinge", description="the kind of tie")
    motor_rate_deg: float = dial(
        30.0, "°/s", "rate of its motor, of the first body against the other", low=-1e5, high=1e5,
        slider=(-180.0, 180.0),
    )  # fmt: skip
    motor_angle_deg: float = dial(0.0, "°", "angle that its motor goes to", low=-179.0, high=179.0)
    motor_torque: float = dial(
        1000.0, "N m", "greatest torque of its motor", low=0.0, high=1e9, slider=(1.0, 1e5), scale="log"
    )
    low_deg: float = dial(-45.0, "°", "least angle", low=-179.0, high=0.0)
    high_deg: float = dial(45.0, "°", "greatest angle", low=0.0, high=179.0)
    stiffness: float = dial(0.0, "N m/rad", "spring toward the start", low=0.0, high=1e9, slider=(0.0, 1e5))
    damping: float = dial(0.0, "N m s/rad", "damping of its turn", low=0.0, high=1e9, slider=(0.0, 1e4))
    friction: float = dial(0.0, "N m", "dry friction of its turn", low=0.0, high=1e9, slider=(0.0, 1000.0))

    TITLE: ClassVar[str] = "hinge"
    ROWS: ClassVar[LinkKind] = hinge.HINGED
    MODE: ClassVar[int] = hingerows.TURNS
    PLACE: ClassVar[str] = "motor_angle_deg"
    MOTOR: ClassVar[tuple[str, ...]] = ("motor_rate_deg", "motor_torque")
    LIMITS: ClassVar[tuple[str, ...]] = ("low_deg", "high_deg")

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but what stands in the axes of its bodies."""
        limits = {"low": math.radians(self.low_deg), "high": math.radians(self.high_deg)} if self.limited else {}
        return {
            **super().numbers(apart), **limits, "motor": MOTORS.index(self.motor),
            "rate": math.radians(self.motor_rate_deg), "aim": math.radians(self.motor_angle_deg),
            "most": self.motor_torque, "stiffness": self.stiffness, "damping": self.damping,
            "friction": self.friction,
        }  # fmt: skip


class Slider(Driven):
    """A slider: one body moves along an axis of the other alone, and turns with it."""

    kind: Literal["slider"] = Field("slider", description="the kind of tie")
    motor_rate: float = dial(
        0.5, "m/s", "rate of its motor, of the first body against the other", low=-1e4, high=1e4, slider=(-5.0, 5.0)
    )
    motor_place: float = dial(0.0, "m", "travel that its motor goes to", low=-1e4, high=1e4, slider=(-10.0, 10.0))
    motor_force: float = dial(
        1000.0, "N", "greatest force of its motor", low=0.0, high=1e9, slider=(1.0, 1e5), scale="log"
    )
    low: float = dial(-1.0, "m", "least travel", low=-1e4, high=0.0, slider=(-10.0, 0.0))
    high: float = dial(1.0, "m", "greatest travel", low=0.0, high=1e4, slider=(0.0, 10.0))
    stiffness: float = dial(0.0, "N/m", "spring toward the start", low=0.0, high=1e9, slider=(0.0, 1e5))
    damping: float = dial(0.0, "N s/m", "damping of its travel", low=0.0, high=1e9, slider=(0.0, 1e4))
    friction: float = dial(0.0, "N", "dry friction of its travel", low=0.0, high=1e9, slider=(0.0, 1000.0))

    TITLE: ClassVar[str] = "slider"
    ROWS: ClassVar[LinkKind] = hinge.SLIDING
    MODE: ClassVar[int] = hingerows.SLIDES
    PLACE: ClassVar[str] = "motor_place"
    MOTOR: ClassVar[tuple[str, ...]] = ("motor_rate", "motor_force")
    LIMITS: ClassVar[tuple[str, ...]] = ("low", "high")

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but what stands in the axes of its bodies."""
        limits = {"low": self.low, "high": self.high} if self.limited else {}
        return {
            **super().numbers(apart), **limits, "motor": MOTORS.index(self.motor), "rate": self.motor_rate,
            "aim": self.motor_place, "most": self.motor_force, "stiffness": self.stiffness, "damping": self.damping,
            "friction": self.friction,
        }  # fmt: skip


class Fixed(Jointed):
    """A fixed joint: both bodies move as one, until it breaks."""

    kind: Literal["fixed"] = Field("fixed", description="the kind of tie")

    TITLE: ClassVar[str] = "fixed joint"
    ROWS: ClassVar[LinkKind] = hinge.FASTENED


BALL = {"cone_deg": 179.0}
"""A cone joint that tilts as it likes: a ball joint."""


class Cone(Jointed):
    """A ball joint whose axis on one body stays within a cone about that on the other; both spin freely about it."""

    kind: Literal["cone"] = Field("cone", description="the kind of tie")
    cone_deg: float = dial(45.0, "°", "greatest tilt of its axis", low=0.0, high=179.0, main=True)
    stiffness: float = dial(0.0, "N m/rad", "spring against its tilt", low=0.0, high=1e9, slider=(0.0, 1e5))
    damping: float = dial(0.0, "N m s/rad", "damping of its tilt", low=0.0, high=1e9, slider=(0.0, 1e4))
    friction: float = dial(0.0, "N m", "dry friction of its tilt", low=0.0, high=1e9, slider=(0.0, 1000.0))

    TITLE: ClassVar[str] = "cone joint"
    ROWS: ClassVar[LinkKind] = hinge.TILTED
    MODE: ClassVar[int] = hingerows.TILTS

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but what stands in the axes of its bodies."""
        return {
            **super().numbers(apart), "high": math.radians(self.cone_deg), "stiffness": self.stiffness,
            "damping": self.damping, "friction": self.friction,
        }  # fmt: skip


class Latch(Jointed, Stretched):
    """A latch: open at first; where its points meet near, aligned and slow enough, both bodies are one from then on.

    An event lets it go.
    """

    kind: Literal["latch"] = Field("latch", description="the kind of tie")
    within: float = dial(
        0.2, "m", "distance of its points within which it closes", low=0.0, high=1e3, slider=(0.0, 2.0)
    )
    aligned_deg: float = dial(
        30.0, "°", "angle of its axis on both bodies within which it closes; a drill tells it in axes of each craft, "
        "on a ground it is the same on both at the start", low=0.0, high=180.0,
    )  # fmt: skip
    slower_than: float = dial(
        0.5, "m/s", "speed of its points against each other below which it closes", low=0.0, high=1e4,
        slider=(0.0, 5.0),
    )  # fmt: skip

    TITLE: ClassVar[str] = "latch"
    AXIS_OF_EACH: ClassVar[bool] = True
    ROWS: ClassVar[LinkKind] = hinge.LATCHED

    def passes(self) -> bool:
        return False

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but what stands in the axes of its bodies."""
        return {
            **super().numbers(apart), "latch": hinge.OPEN, "within": self.within,
            "aligned": math.radians(self.aligned_deg), "slower": self.slower_than,
        }  # fmt: skip

    def at_start(self, apart: float) -> dict[str, float]:
        """Values it shows before the first tick."""
        return {"length": apart}
