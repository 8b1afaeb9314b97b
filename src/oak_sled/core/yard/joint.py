"""Documents of what holds bodies together."""

from typing import Self

from pydantic import model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference


class Joint(Frozen):
    """A ball joint: a point of one body stays at a point of another, or of the world; both turn freely about it."""

    id: str = name_field("its name")
    one: str = reference("block", "a dynamic block, or a craft", ...)
    other: str = reference("block", "body it is attached to: a block or a craft; empty: the world")
    x: float = dial(0.0, "m", "position at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    y: float = dial(0.0, "m", "position at the start", low=-1e5, high=1e5, slider=(-60.0, 60.0))
    z: float = dial(1.0, "m", "height above the level ground at the start", low=-1e3, high=1e4, slider=(0.0, 10.0))

    @model_validator(mode="after")
    def _of_two(self) -> Self:
        if self.one == self.other:
            raise ValueError(f"other: {self.one!r} is held to itself (another body, or empty for the world)")
        return self

    @property
    def heading(self) -> str:
        """What it is called."""
        return self.id.replace("_", " ")
