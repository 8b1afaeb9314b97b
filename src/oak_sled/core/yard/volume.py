"""The document of a volume of a ground: wind, another gravity, drag, water, a boost, a launch, or a way back."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field
from oak_sled.core.kernel import volumes
from oak_sled.core.parts.common import Family

Does = Literal["wind", "gravity", "drag", "water", "boost", "launch", "return"]
VolumeShape = Literal["box", "cylinder", "ball"]
DOES: dict[str, tuple[str, tuple[str, ...]]] = {
    "wind": (
        "adds a wind to that of the ground, with gusts",
        ("speed", "to_deg", "rise_deg", "gusts", "gust_length", "seed", "fade"),
    ),
    "gravity": ("another gravity than that of the ground", ("gravity", "to_deg", "rise_deg", "fade")),
    "drag": ("slows what is in it: deep snow, mud", ("linear_drag", "square_drag", "fade")),
    "water": (
        "lifts what is below its top by what it pushes aside, and slows it",
        ("density", "linear_drag", "square_drag", "added_mass"),
    ),
    "boost": (
        "pushes what is in it along, by an acceleration",
        ("boost", "to_deg", "rise_deg", "along_heading", "top_speed", "fade"),
    ),
    "launch": (
        "changes the speed of what comes in, once",
        ("launch_speed", "to_deg", "rise_deg", "along_heading", "cool_down"),
    ),
    "return": ("brings what comes in back to its start, at rest", ("delay",)),
}
"""A line on what a volume may do, and the fields that count then."""
PLACED = ("x", "y", "z", "heading_deg", "length", "width", "height")
PUSHES = ("drag", "water", "boost", "launch", "return")
"""Those with a ledger line of their own: the others act through the air and through gravity."""


class Volume(Frozen):
    """A part of the space of a ground in which something else holds; several may lie over one another."""

    FAMILY_OF: ClassVar[Mapping[str, Family]] = {
        "wind": "air", "gravity": "gravity", "drag": "grip", "water": "support", "boost": "drive", "launch": "impulse",
        "return": "holder",
    }  # fmt: skip
    """The family, and so the ink, by what it does."""

    id: str = name_field("its name")
    title: str = Field("", max_length=60, description="display name")
    does: Does = Field("wind", description="what it does to what is in it")
    shape: VolumeShape = Field("box", description="its shape; a cylinder stands upright")
    everywhere: bool = Field(False, description="has no edges: all of the yard; water: all that is below its top")
    x: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "middle", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    z: float = dial(0.0, "m", "height of its underside", low=-1e4, high=1e4, slider=(-10.0, 50.0))
    heading_deg: float = dial(0.0, "°", "heading", low=-360.0, high=360.0)
    length: float = dial(20.0, "m", "along it (diameter of a ball, a cylinder)", low=0.1, high=1e5, slider=(1.0, 200.0))
    width: float = dial(20.0, "m", "across it", low=0.1, high=1e5, slider=(1.0, 200.0))
    height: float = dial(10.0, "m", "upward", low=0.1, high=1e5, slider=(0.5, 100.0))
    fade: float = dial(0.0, "m", "inside its edge, over which it begins", low=0.0, high=1e4, slider=(0.0, 20.0))
    to_deg: float = dial(0.0, "°", "direction to which it points: 0 east, 90 north", low=-360.0, high=360.0)
    rise_deg: float = dial(
        0.0, "°", "by which it points up: 90 straight up, -90 down", low=-90.0, high=90.0, title="rise"
    )
    along_heading: bool = Field(False, description="its direction counts from the heading of what is in it")
    speed: float = dial(8.0, "m/s", "of its wind", low=0.0, high=300.0, slider=(0.0, 30.0), main=True)
    gusts: float = dial(
        0.0, "m/s", "of each component of the gusts, in the root mean square; 0: none", low=0.0, high=100.0,
        slider=(0.0, 8.0), title="gusts",
    )  # fmt: skip
    gust_length: float = dial(
        30.0, "m", "length scale of the gusts", low=0.1, high=1e4, slider=(2.0, 300.0), scale="log"
    )
    seed: int = Field(1, ge=0, le=2**31 - 1, description="of its gusts: another one, another weather")
    gravity: float = dial(
        9.80665, "m/s2", "in place of that of the ground", low=0.0, high=1e3, slider=(0.0, 30.0), main=True
    )
    linear_drag: float = dial(
        1.0, "1/s", "by which speed and spin decay", low=0.0, high=1e4, slider=(0.0, 10.0), main=True
    )
    square_drag: float = dial(
        0.0, "1/m", "by which speed decays for each m/s of it", low=0.0, high=1e3, slider=(0.0, 2.0)
    )
    density: float = dial(1000.0, "kg/m3", "of the water", low=0.0, high=1e5, slider=(100.0, 2000.0), main=True)
    added_mass: float = dial(
        0.5, "", "share of what is pushed aside that moves along", low=0.0, high=5.0, slider=(0.0, 1.5),
        title="added mass",
    )  # fmt: skip
    boost: float = dial(6.0, "m/s2", "acceleration", low=0.0, high=1e4, slider=(0.0, 40.0), main=True)
    top_speed: float = dial(
        0.0, "m/s", "along it, past which it pushes no more; 0: none", low=0.0, high=1e4, slider=(0.0, 60.0),
        title="maximum speed",
    )  # fmt: skip
    launch_speed: float = dial(8.0, "m/s", "added on entry", low=0.0, high=1e4, slider=(0.0, 40.0), main=True)
    cool_down: float = dial(1.0, "s", "after which it acts again", low=0.0, high=1e4, slider=(0.0, 10.0))
    delay: float = dial(2.0, "s", "in it, before it brings back", low=0.0, high=1e4, slider=(0.0, 10.0), main=True)

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")

    @property
    def line(self) -> str:
        """The name of its ledger line."""
        return f"volume.{self.id}"

    @property
    def pushes(self) -> bool:
        """True if what it does is booked on a line of its own."""
        return self.does in PUSHES

    def uses(self, name: str) -> bool:
        """True if a field counts as it is set."""
        if name in PLACED:
            return not (self.everywhere and not (self.does == "water" and name in ("z", "height")))
        if name == "width" and self.shape != "box":
            return False
        every = {name for _, names in DOES.values() for name in names}
        return name in DOES[self.does][1] or name not in every

    def half_extents(self) -> tuple[float, float, float]:
        """Half of its size, m, its own axes."""
        a, b, c = 0.5 * self.length, 0.5 * self.width, 0.5 * self.height
        if self.shape == "ball":
            return (a, a, a)
        return (a, a, c) if self.shape == "cylinder" else (a, b, c)

    def middle(self) -> tuple[float, float, float]:
        """m of its middle, world axes."""
        return (self.x, self.y, self.z + self.half_extents()[2])

    def way(self) -> tuple[float, float, float]:
        """The direction that it points to: a unit vector."""
        turn, rise = math.radians(self.to_deg), math.radians(self.rise_deg)
        return math.cos(rise) * math.cos(turn), math.cos(rise) * math.sin(turn), math.sin(rise)

    def record(self, ground_wind: tuple[float, float, float]) -> dict[str, Any]:
        """The fields of its record, SI. ground_wind : m/s, which carries its gusts beside its own."""
        size = {
            "wind": self.speed, "gravity": self.gravity, "boost": self.boost, "launch": self.launch_speed
        }.get(self.does, 0.0)  # fmt: skip
        vector = size * np.array(self.way())
        turn = math.radians(self.heading_deg)
        cos, sin = math.cos(turn), math.sin(turn)
        gusty = self.does == "wind" and self.gusts > 0.0
        drags = self.does in ("drag", "water")
        found: dict[str, Any] = {
            "shape": get_args(VolumeShape).index(self.shape),
            "does": get_args(Does).index(self.does),
            "everywhere": int(self.everywhere),
            "middle": self.middle(),
            "half": self.half_extents(),
            "axes": [[cos, -sin, 0.0], [sin, cos, 0.0], [0.0, 0.0, 1.0]],
            "fade": self.fade if "fade" in DOES[self.does][1] else 0.0,
            "vector": vector,
            "along": int(self.along_heading and self.does in ("boost", "launch")),
            "gusts": volumes.WAVES if gusty else 0,
            "linear": self.linear_drag if drags else 0.0,
            "square": self.square_drag if drags else 0.0,
            "top_speed": self.top_speed,
            "density": self.density if self.does == "water" else 0.0,
            "added": self.added_mass,
            "rest": self.cool_down if self.does == "launch" else self.delay,
        }
        if gusty:
            found["waves"] = volumes.gust_waves(self.gusts, self.gust_length, vector + np.array(ground_wind), self.seed)
        return found
