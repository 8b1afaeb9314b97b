"""The document of a coupling."""

from typing import Any, ClassVar, Literal

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.contact import coupling
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.yard.tie import Stretched


class Coupling(Stretched):
    """A coupling: free within its slack, drawn by a spring and a damper past it, held off by a buffer before it."""

    kind: Literal["coupling"] = Field("coupling", description="the kind of tie")
    length: float = dial(
        0.0, "m", "distance of its ends at which the buffer touches; 0: that at the start", low=0.0, high=1e4,
        slider=(0.0, 10.0),
    )  # fmt: skip
    slack: float = dial(0.1, "m", "play between buffer and drawing", low=0.0, high=1e3, slider=(0.0, 1.0), main=True)
    stiffness: float = dial(
        200_000.0, "N/m", "stiffness of what draws", low=1.0, high=1e10, slider=(1e3, 1e7), scale="log", main=True
    )
    buffer: float = dial(
        200_000.0, "N/m", "stiffness of the buffer", low=0.0, high=1e10, slider=(1e3, 1e7), scale="log", main=True,
        title="buffer stiffness",
    )  # fmt: skip
    damping: float = dial(
        4000.0, "N s/m", "damping of both, while they bear", low=0.0, high=1e9, slider=(10.0, 1e5), scale="log",
        main=True,
    )  # fmt: skip
    breaks_at: float = dial(0.0, "N", "pull at which it breaks; 0: never", low=0.0, high=1e9, slider=(0.0, 500_000.0))

    TITLE: ClassVar[str] = "coupling"
    ROWS: ClassVar[LinkKind] = coupling.KIND

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but its ends."""
        least = self.length if self.length > 0.0 else apart
        return {
            "least": least, "most": least + self.slack, "draws": self.stiffness, "pushes": self.buffer,
            "damping": self.damping, "breaks": self.breaks_at,
        }  # fmt: skip

    def at_start(self, apart: float) -> dict[str, float]:
        """Values it shows before the first tick."""
        return {"length": apart}
