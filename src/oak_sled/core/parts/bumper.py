"""Bumper: how a craft answers a wall. Without one it slides along."""

import math
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

    kind: Literal["bumper"] = "bumper"
    response: Response = Field("slide", description="response to a wall")
    keep_along: float = dial(
        0.85,
        "",
        "share of the tangential speed kept at a hit",
        low=0.0,
        high=1.0,
        main=True,
        title="speed kept",
    )
    bounce: float = dial(0.1, "", "coefficient of restitution", low=0.0, high=1.0, main=True, title="restitution")
    scrape: float = dial(
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
            "keep_along": self.keep_along,
            "bounce": self.bounce if self.response == "bounce" else 0.0,
            "scrape": self.scrape,
        }

    def summary(self) -> str:
        return {"slide": "slides along", "bounce": "bounces off", "stop": "stops dead"}[self.response] + " · on a wall"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.response == "stop":
            return ("loses all speed at any wall",)
        along, into = math.cos(math.radians(30.0)), math.sin(math.radians(30.0))
        kept = math.hypot(along * self.keep_along, into * (self.bounce if self.response == "bounce" else 0.0))
        head_on = self.bounce if self.response == "bounce" else 0.0
        return (f"graze at 30°: loses {100 * (1 - kept):.0f} %", f"head on: {100 * head_on:.0f} % comes back")


KIND = Kind(Bumper, RECORD)
