"""The document of a rope."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.contact import chain, rope, wrapped
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.yard.tie import Stretched

MOST_NODES = 200
"""Segments of a rope with mass."""
GRIP = 0.3
"""Friction of a rope with mass on what it lies on."""


class Rope(Stretched):
    """A rope: it keeps its ends from being farther apart than its length, and only pulls. Without mass it may bend
    round what is in its way; with mass it is a chain of nodes that hangs through."""

    kind: Literal["rope"] = Field("rope", description="the kind of tie")
    length: float = dial(
        0.0, "m", "length; 0: the distance of its ends at the start", low=0.0, high=1e5, slider=(0.0, 60.0)
    )
    breaks_at: float = dial(0.0, "N", "tension at which it breaks; 0: never", low=0.0, high=1e9, slider=(0.0, 50_000.0))

    channel: str = Field("", max_length=60, description="the channel that reels it in, below 0 out; empty: no reel")
    reel_speed: float = dial(1.0, "m/s", "speed of its reel at a full channel", low=0.0, high=1e4, slider=(0.0, 10.0))
    reel_force: float = dial(
        5000.0, "N", "greatest pull of its reel; past that it stands, and holds", low=0.0, high=1e9,
        slider=(10.0, 1e5), scale="log",
    )  # fmt: skip
    shortest: float = dial(0.3, "m", "length to which it is reeled in", low=0.0, high=1e5, slider=(0.0, 10.0))

    wraps: bool = Field(False, description="whether it bends round bodies and the ground, or passes them")
    wrap_friction: float = dial(
        0.2, "", "friction where it bends", low=0.0, high=10.0, slider=(0.0, 1.0), title="bend friction"
    )

    mass: float = dial(
        0.0, "kg/m", "mass of a metre of it; 0: none", low=0.0, high=1e4, slider=(0.0, 5.0), title="mass per metre"
    )
    axial_stiffness: float = dial(
        1e6, "N", "of a rope with mass: pull at which it would be twice as long", low=1.0, high=1e12,
        slider=(1e4, 1e8), scale="log", title="axial stiffness",
    )  # fmt: skip
    axial_damping: float = dial(
        100.0, "N s", "of a rope with mass: damping of its stretch", low=0.0, high=1e9, slider=(0.0, 10_000.0),
        title="axial damping",
    )  # fmt: skip
    spacing: float = dial(
        0.5, "m", "of a rope with mass: distance of its nodes", low=0.01, high=100.0, slider=(0.1, 5.0), scale="log"
    )
    diameter: float = dial(
        0.03, "m", "of a rope with mass: its diameter, where it lies on something", low=0.0, high=10.0,
        slider=(0.005, 0.3),
    )  # fmt: skip

    TITLE: ClassVar[str] = "rope"
    ROWS: ClassVar[LinkKind] = rope.KIND
    KINDS: ClassVar[tuple[LinkKind, ...]] = (rope.KIND, wrapped.KIND, chain.KIND)
    LOAD: ClassVar[str] = "tension"
    SAGS: ClassVar[bool] = True

    @model_validator(mode="after")
    def _of_so_many_nodes(self) -> Self:
        if self.length > 0.0 and (wrong := self._too_fine(self.length)):
            raise ValueError(wrong)
        return self

    def _too_fine(self, length: float) -> str:
        """The fault of nodes that are too many at a length, m; "" where they are not."""
        if self.mass == 0.0 or length / self.spacing <= MOST_NODES:
            return ""
        return (
            f"spacing: {length / self.spacing:.0f} nodes are too many (at most {MOST_NODES}: "
            f"{units.show(length / MOST_NODES, 'm')} or more)"
        )

    def flaw(self) -> str:
        if self.length > 0.0:
            return ""
        apart = math.dist(self.begin, self.end)
        if apart <= 0.0:
            return "length: its ends lie in each other, so that it has none (above 0, or ends that are apart)"
        return self._too_fine(apart)

    def _length(self) -> float:
        """m of it, as its ends stand."""
        return self.length if self.length > 0.0 else math.dist(self.begin, self.end)

    def rows(self) -> LinkKind:
        if self.mass > 0.0:
            return chain.KIND
        return wrapped.KIND if self.wraps else rope.KIND

    def nodes(self) -> int:
        return self._segments() - 1 if self.mass > 0.0 else 0

    def _segments(self) -> int:
        return max(math.ceil(self._length() / self.spacing - 1e-9), 2)

    def laid(self) -> Floats:
        """Its nodes at the start, both ends with them, shape (nodes, chain.COLUMNS)."""
        if self.mass == 0.0:
            return super().laid()
        return chain.laid(self.begin, self.end, self._segments() + 1, self._length())

    def idle(self) -> Mapping[str, str]:
        if self.mass > 0.0:
            says = "a rope with mass has no reel, and lies on what it meets by itself"
            return dict.fromkeys(("reel_speed", "reel_force", "shortest", "wrap_friction"), says)
        found = dict.fromkeys(("axial_stiffness", "axial_damping", "spacing", "diameter"), "it has no mass")
        found |= {} if self.wraps else {"wrap_friction": "it bends round nothing"}
        if not self.channel:
            found |= dict.fromkeys(("reel_speed", "reel_force", "shortest"), "it has no reel")
        return found

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but its ends."""
        length = self.length if self.length > 0.0 else apart
        if self.mass > 0.0:
            rest = length / self._segments()
            return {
                "nodes": self._segments() + 1, "rest": rest, "stiff": self.axial_stiffness / rest,
                "damping": self.axial_damping / rest, "mass": self.mass * rest, "radius": 0.5 * self.diameter,
                "grip": GRIP, "breaks": self.breaks_at,
            }  # fmt: skip
        return {
            "length": length, "whole": length, "breaks": self.breaks_at,
            "reel": self.reel_speed if self.channel else 0.0, "strong": self.reel_force, "shortest": self.shortest,
            **({"friction": self.wrap_friction} if self.wraps else {}),
        }  # fmt: skip

    def at_start(self, apart: float) -> dict[str, float]:
        """Values it shows before the first tick."""
        return {"length": apart}
