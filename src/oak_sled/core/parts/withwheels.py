"""Answers of a part about the wheels of its craft: those of parts that have nothing to do with any."""

from collections.abc import Mapping, Sequence
from typing import Any

from oak_sled.core.base.document import Frozen
from oak_sled.core.parts.context import WheelAt


class WithWheels(Frozen):
    """A document that may act on wheels."""

    def grips(self, wheels: Sequence[WheelAt]) -> Mapping[int, float]:
        """The rays of the wheels of its craft for whose friction it answers, and the inertia of each wheel, kg m2."""
        return {}

    def looks_farther(self, wheels: Sequence[WheelAt]) -> Mapping[int, float]:
        """The rays of the wheels of its craft that look farther for the ground by it, and how far, m."""
        return {}

    def asks(self, activity: Any) -> Any:
        """Its own demand on its wheels at an activity (or at each of many), in the unit of what it shows; None
        where that is read from its wheels."""
        return None

    def wheels_of(self, wheels: Sequence[WheelAt]) -> list[WheelAt]:
        """The wheels of its craft on which it acts."""
        return []
