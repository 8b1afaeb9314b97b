"""A further body of a craft: its numbers, and where it is on the craft at the start."""

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import name_field
from oak_sled.core.yard.body import Body


class Limb(Body):
    """A further rigid body of a craft, such as a trailer or a jib. Parts that name it are mounted on it, in its axes,
    from its origin; ties of the craft hold it to the others."""

    id: str = name_field("the name by which parts and ties refer to it")
    title: str = Field("", max_length=60, description="display name")
    x: float = dial(-3.0, "m", "its origin at the start, forward of the craft's", low=-1e3, high=1e3,
                    slider=(-10.0, 10.0))  # fmt: skip
    y: float = dial(0.0, "m", "its origin at the start, left of the craft's", low=-1e3, high=1e3, slider=(-10.0, 10.0))
    z: float = dial(0.0, "m", "its origin at the start, above the craft's", low=-1e3, high=1e3, slider=(-10.0, 10.0))
    heading_deg: float = dial(0.0, "°", "heading against the craft at the start", low=-360.0, high=360.0)
    pitch_deg: float = dial(
        0.0, "°", "pitch against the craft at the start, positive nose down", low=-180.0, high=180.0
    )
    roll_deg: float = dial(
        0.0, "°", "roll against the craft at the start, positive right side down", low=-180.0, high=180.0
    )

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ").capitalize()
