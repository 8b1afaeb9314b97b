"""The document of a state of motion, such as "slide": what must hold for a craft to be in it, with hysteresis."""

from typing import Literal

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field

WATCHED = {
    "speed": "m/s",
    "forward_speed": "m/s",
    "side_speed": "m/s",
    "rise_speed": "m/s",
    "slip_angle": "°",
    "yaw_rate": "°/s",
    "forward_g": "g",
    "side_g": "g",
    "height": "m",
    "aloft": "s",
}
"""Traces that a condition may watch beside channels, with their units."""
CHANNEL = "channel."
MOST_STATES, MOST_CONDITIONS = 12, 8


class Condition(Frozen):
    """A trace that must be above or below a value for a state to begin; it ends once that is passed back by the
    hysteresis."""

    trace: str = Field("speed", max_length=60, description="the trace: one of those below, or channel.NAME")
    of: Literal["value", "size"] = Field("value", description="the value, or its size without its sign")
    side: Literal["above", "below"] = Field("above", description="above or below")
    value: float = dial(
        1.0, "", "where a state begins", low=-1e6, high=1e6, slider=(0.0, 20.0), unit_by=("trace", WATCHED)
    )
    hysteresis: float = dial(
        0.0, "", "by which it must be passed back for a state to end", low=0.0, high=1e6, slider=(0.0, 5.0),
        unit_by=("trace", WATCHED),
    )  # fmt: skip

    @property
    def ends(self) -> float:
        """The value at which a state ends that has begun."""
        return self.value - self.hysteresis if self.side == "above" else self.value + self.hysteresis


class MotionState(Frozen):
    """A state of motion of a craft. Of those whose conditions all hold, the first in the list is the one it is in."""

    id: str = name_field("the name of the state")
    title: str = Field("", max_length=60, description="display name")
    conditions: tuple[Condition, ...] = Field(
        (), max_length=MOST_CONDITIONS, description="all of them must hold; none: always"
    )
    least: float = dial(
        0.0, "s", "for which it lasts at least once it has begun", low=0.0, high=60.0, slider=(0.0, 1.0),
        title="lasts at least",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")


USUAL = (
    MotionState(id="airborne", conditions=(Condition(trace="aloft", value=0.1),)),
    MotionState(
        id="slide",
        conditions=(
            Condition(trace="speed", value=2.0, hysteresis=0.5),
            Condition(trace="slip_angle", of="size", value=12.0, hysteresis=4.0),
        ),
    ),
    MotionState(id="roll", conditions=(Condition(trace="speed", value=0.5, hysteresis=0.3),)),
    MotionState(id="idle"),
)
"""The states that most crafts have: what begins on the ground, moves, slides and leaps."""
