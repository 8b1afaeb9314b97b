"""The document of a bogie: it binds a body to a rail."""

from collections.abc import Callable
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import reference
from oak_sled.core.contact import bogie, bogierows
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.geometry.railpath import Path
from oak_sled.core.yard.tie import Tie


class Bogie(Tie):
    """A bogie: it binds the point of a body that is nearest to a rail to that rail, along which it runs by forces."""

    kind: Literal["bogie"] = Field("bogie", description="the kind of tie")
    rail: str = reference("rail", "the rail that it runs on", ...)
    turns: Literal["along", "free"] = Field(
        "along", description="whether the body keeps its way along the rail; free for both of two bogies of one body"
    )
    roll: Literal["held", "free"] = Field("held", description="whether the rail keeps the body from rolling about it")
    friction: float = dial(0.0, "", "friction on its load", low=0.0, high=10.0, slider=(0.0, 0.5))
    resistance: float = dial(0.0, "N", "resistance at any load", low=0.0, high=1e9, slider=(0.0, 2000.0))
    channel: str = Field("", max_length=60, description="the channel that drives it ahead; empty: it is not driven")
    drive_force: float = dial(
        1000.0, "N", "force of its drive at a full channel", low=0.0, high=1e9, slider=(10.0, 1e5), scale="log"
    )
    drive_speed: float = dial(
        0.0, "m/s", "speed up to which it is driven; 0: any", low=0.0, high=1e4, slider=(0.0, 40.0)
    )
    brake_channel: str = Field("", max_length=60, description="the channel that brakes it; empty: it has no brake")
    brake_force: float = dial(
        2000.0, "N", "force of its brake at a full channel", low=0.0, high=1e9, slider=(10.0, 1e5), scale="log"
    )
    derails_at: float = dial(
        0.0, "N", "side load over 0.1 s at which it derails; 0: never", low=0.0, high=1e9, slider=(0.0, 1e5)
    )
    bends: Literal["forces", "speed_kept"] = Field(
        "forces",
        description="how it takes bends: by forces across the rail, or wrongly by turning its whole velocity along it, "
        "which adds what presses it on the rail to its speed",
    )

    TITLE: ClassVar[str] = "bogie"
    ROWS: ClassVar[LinkKind] = bogie.KIND
    BREAKS_BY: ClassVar[str] = "lasting"
    BREAKS: ClassVar[str] = "derailed"
    COMES_OFF: ClassVar[str] = "ran off"

    @model_validator(mode="after")
    def _on_the_ground(self) -> Self:
        if self.other:
            raise ValueError(f"other: a bogie runs on a rail, which stands still, not on {self.other!r} (empty)")
        return self

    def idle(self) -> dict[str, str]:
        found = {} if self.channel else dict.fromkeys(("drive_force", "drive_speed"), "it is not driven")
        if not self.brake_channel:
            found["brake_force"] = "it has no brake"
        if self.bends == "speed_kept":
            says = "its speed is kept whatever acts along the rail"
            found |= dict.fromkeys(("friction", "resistance", "drive_force", "drive_speed", "brake_force"), says)
        return found

    def driven_by(self) -> tuple[str, ...]:
        return self.channel, self.brake_channel

    def limit(self) -> float:
        return self.derails_at

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but its place on the rail."""
        rolled, along = self.roll == "held", self.turns == "along"
        rows = (bogierows.POINT, bogierows.ROLLED, bogierows.ALONG, bogierows.UPRIGHT)[2 * along + rolled]
        return {
            "rows": rows, "bends": bogie.FORCED if self.bends == "forces" else bogie.SPEED_KEPT,
            "friction": self.friction, "resistance": self.resistance, "derails": self.derails_at,
            "push": self.drive_force if self.channel else 0.0, "top": self.drive_speed,
            "brake": self.brake_force if self.brake_channel else 0.0,
        }  # fmt: skip

    def on(self, path: Path, number: int, to_one: Callable[[Floats], Floats], ahead: Floats) -> dict[str, Any]:
        """Its rail and place, and what runs ahead and stands up on it in the axes of its body, each of shape (3,)."""
        place = path.nearest(self.begin)
        _, way, top = path.at(place)
        sense = -1.0 if float(np.dot(way, ahead)) < 0.0 else 1.0
        return {"rail": number, "place": place, "sense": sense, "along_a": to_one(sense * way), "up_a": to_one(top)}
