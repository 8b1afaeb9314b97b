"""The document of a control: what of a pointer or of a pad drives a channel, and by how much."""

from typing import Literal

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field

Device = Literal["pointer", "pad"]
PAD = (
    "left x", "left y", "right x", "right y", "left trigger", "right trigger", "hat x", "hat y", "wheel", "pedal",
    "brake", "throttle", "rudder", *(f"button {number}" for number in range(1, 13)),
)  # fmt: skip
"""Controls of pads and steering wheels that are offered; an axis without a name is called axis and its number."""
POINTER = ("x", "y", "wheel", "left", "middle", "right")
"""Controls of a pointer: its movement to the right and upward, its wheel, and its buttons."""


class Control(Frozen):
    """A control of a pointer or of a pad that drives a channel, beside its keys."""

    id: str = name_field("its name")
    device: Device = Field("pad", description="what it is of: the pointer, or a pad or a steering wheel")
    number: int = Field(1, ge=1, le=8, description="of several pads, in the order in which they were plugged in")
    what: str = Field(
        "left x", min_length=1, max_length=30,
        description="the axis, the button, the wheel: x, y, wheel, left of a pointer; left x, hat y, button 3 of a pad",
    )  # fmt: skip
    acts_as: Literal["stick", "motion"] = Field(
        "stick",
        description="of a pointer: a stick that stays where it was moved to, or its motion (a rate for a channel that "
        "takes levels, an aim for one that takes increments)",
    )
    factor: float = dial(
        1.0, "", "of what it gives; below 0: reversed; of a pointer: for each 100 px", low=-100.0, high=100.0,
        slider=(-4.0, 4.0), main=True,
    )  # fmt: skip

    @property
    def words(self) -> str:
        """Its device and what of it, as it is shown."""
        return f"pad {self.number} {self.what}" if self.device == "pad" else f"pointer {self.what}"
