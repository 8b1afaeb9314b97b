"""Events of a drill: moments at which something is fired, held, let go, dropped, poked or fails."""

from typing import Literal

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field, reference

What = Literal["trigger", "hold", "release", "drop", "poke", "fail", "let_go", "switch"]
SAYS = {
    "trigger": "fires a part as if its key were pressed",
    "hold": "a sling takes hold of the craft",
    "release": "a sling is released with its pull",
    "drop": "a block that hung until then falls",
    "poke": "an impulse at a point of the craft or of a block",
    "fail": "a part stops doing anything",
    "let_go": "a tie lets go of what it holds",
    "switch": "the switches of a rail are thrown, to lead onto it or past it",
}

AIMS = {"drop": "block", "poke": "block", "let_go": "tie", "switch": "rail"}
"""Targets of events that are not for a part."""
MOST_EVENTS = 500
"""Events that a drill holds."""
UNITS = {"release": "m", "poke": "N s"}


class Event(Frozen):
    """An event at a moment of a drill."""

    id: str = name_field("its name")
    what: What = Field("trigger", description="what happens")
    t: float = dial(0.0, "s", "when", low=0.0, high=1e5, slider=(0.0, 20.0), main=True)
    craft: str = Field("", max_length=60, description="the craft whose part it is; empty: the craft under test")
    target: str = reference(
        "block",
        "the part that is fired or released, the block or craft that is dropped or poked, the tie that lets go, the "
        "rail whose switches are thrown; empty for a poke of the craft under test",
    )
    x: float = dial(
        0.0, "", "of a pull or of a poke, east", low=-1e7, high=1e7, slider=(-20.0, 20.0), unit_by=("what", UNITS)
    )
    y: float = dial(
        0.0, "", "of a pull or of a poke, north", low=-1e7, high=1e7, slider=(-20.0, 20.0), unit_by=("what", UNITS)
    )
    z: float = dial(
        0.0, "", "of a pull or of a poke, up", low=-1e7, high=1e7, slider=(-20.0, 20.0), unit_by=("what", UNITS)
    )
    at_x: float = dial(0.0, "m", "where it is poked, forward of the centre of mass", low=-1e3, high=1e3)
    at_y: float = dial(0.0, "m", "where it is poked, left of the centre of mass", low=-1e3, high=1e3)
    at_z: float = dial(0.0, "m", "where it is poked, above the centre of mass", low=-1e3, high=1e3)

    @property
    def aims_at(self) -> str:
        """The kind of its target: a "part" of a craft, a "tie", or a "block" or a "rail" of the ground."""
        return AIMS.get(self.what, "part")

    @property
    def heading(self) -> str:
        """The event in words."""
        return f"{self.what.replace('_', ' ')} {self.target.replace('_', ' ')}".strip()
