"""The document of a channel: keys, and how raw input becomes a value."""

from typing import Literal, Self

from pydantic import Field, model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field
from oak_sled.core.yard.control import Control
from oak_sled.core.yard.naming import unique

Stays = Literal["no", "lever", "toggle", "selector", "spent"]
"""Behaviour of a channel without input."""
Takes = Literal["level", "increment", "notch"]
"""Kinds of raw input."""


class Channel(Frozen):
    """A control input: its keys, and how raw input becomes a value."""

    id: str = name_field("the name by which parts and drills refer to this channel")
    title: str = Field("", max_length=60, description="display name")
    two_sided: bool = Field(True, description="-1 to 1, or 0 to 1")
    plus_keys: tuple[str, ...] = Field((), max_length=8, description="keys that push it up")
    minus_keys: tuple[str, ...] = Field((), max_length=8, description="keys that push it down")
    controls: tuple[Control, ...] = Field((), max_length=8, description="controls of a pointer or a pad that drive it")
    sensitivity: float = dial(
        1.0, "", "factor on raw input; below 0: reversed", low=-100.0, high=100.0, slider=(-4.0, 4.0)
    )
    dead_zone: float = dial(0.0, "", "dead zone: input below it counts as 0", low=0.0, high=0.95, slider=(0.0, 0.5))
    exponent: float = dial(
        1.0, "", "response: above 1 is finer near the middle", low=0.1, high=10.0, slider=(0.3, 4.0), scale="log"
    )
    smoothing: float = dial(
        0.0, "s", "time constant by which input is smoothed; a movement is spread, and none of it is lost", low=0.0,
        high=10.0, slider=(0.0, 0.5),
    )  # fmt: skip
    rise: float = dial(
        8.0, "1/s", "rate at which it rises", low=0.01, high=1e6, slider=(0.2, 100.0), scale="log", main=True
    )
    fall: float = dial(
        8.0, "1/s", "rate at which it returns to 0", low=0.01, high=1e6, slider=(0.2, 100.0), scale="log", main=True
    )
    stays: Stays = Field(
        "no",
        description="without input: returns to 0, or stays (lever, toggle, selector); spent: each movement counts once",
    )
    takes: Takes = Field(
        "level", description="raw input: how far it is pushed, how far it was moved in the tick, or notches"
    )
    notches: int = Field(3, ge=2, le=24, description="positions of a selector, or notches from end to end")
    offset: float = dial(
        0.0, "", "added to what it gives, as a trim wheel does", low=-1.0, high=1.0, title="trim wheel"
    )
    start: float = dial(0.0, "", "value at the start of a lever, toggle or selector", low=-1.0, high=1.0)

    @model_validator(mode="after")
    def _whole(self) -> Self:
        unique("controls", self.controls)
        return self

    @property
    def least_input(self) -> float:
        """The least raw input it takes: what stays is moved back by input the other way."""
        return -1.0 if self.two_sided or self.stays != "no" else 0.0

    @property
    def step(self) -> float:
        """Change of its value by a notch."""
        return (2.0 if self.two_sided else 1.0) / (self.notches - 1)

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")
