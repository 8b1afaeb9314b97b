"""Two sets of grip of what slides: past one slip the second begins, below a smaller one the first is back.

Shared by runners and tires: the numbers in their records, the check of the document, and a caution about their laws.
"""

import math
from typing import Any, Protocol

from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Part

FIELDS = (("slides_past", "f8"), ("grips_below", "f8"), ("slide_grip", "f8"), ("blend_rate", "f8"))
"""In the record of a part: rad, rad, share of the grip that the second set has, and shares a second of the change."""
AT_ONCE = 1e-4
"""s of blending below which the change takes no time."""


class Sliding(Protocol):
    """A part with two sets of grip."""

    @property
    def slides_past_deg(self) -> float:
        """Slip past which the second set begins, degrees."""

    @property
    def grips_below_deg(self) -> float:
        """Slip below which the first set is back, degrees."""

    @property
    def slide_grip(self) -> float:
        """Share of the grip that the second set has."""

    @property
    def blend_s(self) -> float:
        """Time from one set to the other, s."""


def record(part: Sliding) -> dict[str, Any]:
    """The values of FIELDS."""
    return {
        "slides_past": math.radians(part.slides_past_deg),
        "grips_below": math.radians(part.grips_below_deg),
        "slide_grip": part.slide_grip,
        "blend_rate": 1.0 / part.blend_s if part.blend_s > AT_ONCE else 1.0 / AT_ONCE,
    }


def check(part: Sliding) -> None:
    """Raises ValueError where the first set would be back at a slip at which the second begins."""
    if part.grips_below_deg > part.slides_past_deg:
        raise ValueError(
            f"grips_below_deg: {part.grips_below_deg:g} is above slides_past_deg (at most {part.slides_past_deg:g})"
        )


def by_tick(part: Part, law: str) -> Caution:
    """The caution about a law that takes a share of the slip speed a tick; its remedy is `law`."""
    return part.caution(
        "tick_dependent_grip",
        "law",
        "a share of the slip speed a tick grips harder at more ticks/s, and lets a parked craft creep",
        f"a law over slip, such as {law}",
        f"use the law {law}",
        {"law": law},
    )
