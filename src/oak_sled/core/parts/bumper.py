"""Bumper: how a craft answers a wall. Without one it slides along."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal, get_args

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.kernel.state import BUMPER
from oak_sled.core.parts.common import Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting

Response = Literal["slide", "bounce", "stop"]
SLIDE, BOUNCE, STOP = range(3)

RECORD = BUMPER


class Bumper(Part):
    """The wall response of a craft: slide along, bounce off, or stop dead."""

    TITLE: ClassVar[str] = "Bumper"
    EXPLAINS: ClassVar[str] = "response to walls: slide along, bounce, or stop"
    FAMILY: ClassVar[Family] = "impulse"
    GROUP: ClassVar[Group] = "ground"
    STAGE: ClassVar[float] = 6
    ANSWERS_WALLS: ClassVar[bool] = True

    WAS: ClassVar[Mapping[str, str]] = {
        "keep_along": "tangential_share",
        "bounce": "restitution",
        "scrape": "wall_friction",
    }

    kind: Literal["bumper"] = "bumper"
    response: Response = Field("slide", description="response to a wall")
    tangential_share: float = dial(
        0.85,
        "",
        "share of the tangential speed kept at a hit",
        low=0.0,
        high=1.0,
        main=True,
        title="speed kept",
    )
    restitution: float = dial(0.1, "", "coefficient of restitution", low=0.0, high=1.0, main=True, title="restitution")
    wall_friction: float = dial(
        0.05,
        "",
        "friction coefficient while sliding along the wall",
        low=0.0,
        high=5.0,
        slider=(0.0, 1.0),
        main=True,
        title="wall friction",
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "wall_response": get_args(Response).index(self.response),
            "tangential_share": self.tangential_share,
            "restitution": self.restitution if self.response == "bounce" else 0.0,
            "wall_friction": self.wall_friction,
        }

    def summary(self) -> str:
        return {"slide": "slides along", "bounce": "bounces off", "stop": "stops dead"}[self.response] + " · on a wall"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.response == "stop":
            return ("loses all speed at any wall",)
        along, into = math.cos(math.radians(30.0)), math.sin(math.radians(30.0))
        kept = math.hypot(
            along * self.tangential_share, into * (self.restitution if self.response == "bounce" else 0.0)
        )
        head_on = self.restitution if self.response == "bounce" else 0.0
        return (f"graze at 30°: loses {100 * (1 - kept):.0f} %", f"head on: {100 * head_on:.0f} % comes back")


KIND = Kind(Bumper, RECORD)
