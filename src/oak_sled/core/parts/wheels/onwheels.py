"""The base of parts that steer, drive, brake or grip wheels: which of the wheels of its craft they act on."""

from collections.abc import Iterator, Sequence
from typing import Any, ClassVar, Literal

from pydantic import Field

from oak_sled.core.base.faults import close_match
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Group, Part
from oak_sled.core.parts.context import Pack, Spot, WheelAt

Which = Literal["all", "front", "rear", "left", "right", "front_left", "front_right", "rear_left", "rear_right"]
MOST_WHEELS = 16
"""Wheels that one part can act on."""
WHEELS = ("wheels", "i8", (MOST_WHEELS,))
"""A field of a record: the rays of its wheels among the supports."""


class OnWheels(Part):
    """A part that acts on wheels: those of one part or of all, at one end, on one side, or at one corner."""

    GROUP: ClassVar[Group] = "wheels"

    wheels: str = Field("", max_length=60, description="the part whose wheels they are; empty: all wheels of the craft")
    on: Which = Field("all", description="which wheels: all, at one end, on one side, or at one corner")

    def wheels_of(self, wheels: Sequence[WheelAt]) -> list[WheelAt]:
        own = [one for one in wheels if self.wheels in ("", one.part)]
        return [one for one, fits in zip(own, fitting([one.at for one in own], self.on), strict=True) if fits]

    def wheels_record(self, pack: Pack) -> dict[str, Any]:
        """The rays of its wheels, and how many they are."""
        rays = [one.ray for one in self.wheels_of(pack.wheels)][:MOST_WHEELS]
        return {"wheels": [*rays, *[0] * (MOST_WHEELS - len(rays))], "count": len(rays)}

    def of_case(self, case: Case) -> list[Spot]:
        """The wheels it acts on, m from the origin, by the parts of its craft."""
        spots = [
            ray.at
            for name, part in case.parts.items()
            if self.wheels in ("", name) and not part.mute
            for ray in part.rays()
            if ray.wheel > 0.0
        ]
        return [spot for spot, fits in zip(spots, fitting(spots, self.on), strict=True) if fits]

    def where(self) -> str:
        """The wheels it acts on, in words."""
        which = "all" if self.on == "all" else self.on.replace("_", " ")
        return f"{which} of {self.wheels.replace('_', ' ')}" if self.wheels else f"{which} wheels"

    def without_tires(self, case: Case) -> Iterator[Caution]:
        """The caution of a part whose torque no tire takes to the ground."""
        rolling = [name for name, part in case.parts.items() if any(ray.wheel > 0.0 for ray in part.rays())]
        bare = [name for name in rolling if self.wheels in ("", name) and name not in case.setting.tired]
        if bare and self.of_case(case):
            yield self.caution(
                "wheels_without_tires",
                "wheels",
                f"{case.parts[bare[0]].heading.lower()} have no tires, or not all: torque moves nothing without",
                "add tires to them",
            )

    def without_wheels(self, case: Case) -> Iterator[Caution]:
        """The caution of a part that finds no wheel, or more than it can act on."""
        rolling = [name for name, part in case.parts.items() if any(ray.wheel > 0.0 for ray in part.rays())]
        found = self.of_case(case)
        if self.wheels and self.wheels not in rolling:
            says = f"there are no sprung wheels {self.wheels!r}"
            yield self.caution("no_such_wheels", "wheels", says, close_match(self.wheels, rolling))
        elif not found and not rolling:
            yield self.caution("no_wheels", "", "its craft has no sprung wheel", "add sprung wheels, or leave it out")
        elif not found:
            yield self.caution(
                "no_wheel_there", "on", f"there is no {self.on.replace('_', ' ')} wheel among them", "all of them"
            )
        elif len(found) > MOST_WHEELS:
            yield self.caution(
                "too_many_wheels",
                "wheels",
                f"it acts on the first {MOST_WHEELS} of {len(found)} wheels",
                "one part for the wheels of each part",
            )


def fitting(spots: Sequence[Spot], which: Which) -> list[bool]:
    """Those of several wheels that are at an end, side or corner. Wheels in one line are at neither end (or side), and
    count as both."""
    found = []
    for x, y, _ in spots:
        ends = _part_of(x, [spot[0] for spot in spots], "front", "rear")
        sides = _part_of(y, [spot[1] for spot in spots], "left", "right")
        found.append(which == "all" or all(word in (*ends, *sides) for word in which.split("_")))
    return found


def _part_of(value: float, of: list[float], more: str, less: str) -> tuple[str, ...]:
    middle = 0.5 * (min(of) + max(of))
    if max(of) - min(of) < 1e-6:
        return (more, less)
    return (more,) if value > middle else (less,)
