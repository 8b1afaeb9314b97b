"""The document of a rope."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.contact import rope, wrapped
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.yard.tie import Stretched


class Rope(Stretched):
    """A rope without mass: it keeps its ends from being farther apart than its length, only pulls, and may bend round
    what stands in its way."""

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

    wraps: bool = Field(False, description="whether it bends round static bodies and the ground, or passes them")
    wrap_friction: float = dial(
        0.2, "", "friction where it bends", low=0.0, high=10.0, slider=(0.0, 1.0), title="bend friction"
    )

    TITLE: ClassVar[str] = "rope"
    ROWS: ClassVar[LinkKind] = rope.KIND
    KINDS: ClassVar[tuple[LinkKind, ...]] = (rope.KIND, wrapped.KIND)
    LOAD: ClassVar[str] = "tension"
    SAGS: ClassVar[bool] = True

    def rows(self) -> LinkKind:
        return wrapped.KIND if self.wraps else rope.KIND

    def idle(self) -> Mapping[str, str]:
        found = {} if self.wraps else {"wrap_friction": "it bends round nothing"}
        if not self.channel:
            found |= dict.fromkeys(("reel_speed", "reel_force", "shortest"), "it has no reel")
        return found

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but its ends."""
        length = self.length if self.length > 0.0 else apart
        return {
            "length": length, "whole": length, "breaks": self.breaks_at,
            "reel": self.reel_speed if self.channel else 0.0, "strong": self.reel_force, "shortest": self.shortest,
            **({"friction": self.wrap_friction} if self.wraps else {}),
        }  # fmt: skip

    def at_start(self, apart: float) -> dict[str, float]:
        """Values it shows before the first tick."""
        return {"length": apart}
