"""Head follower: the head of one who rides along, a mass on a spring and a damper at a place of the craft.

It pushes nothing: its motion is computed from that of its craft, once a run is done (see `results/comfort.py`).
"""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import HeadModel, Pack, Setting
from oak_sled.core.parts.swing import Swing

RECORD = np.dtype([("mass", "f8")])


class Head(Part):
    """x'' = -k/m (x - s) - c/m (x' - s') in each direction, s the place at which it is mounted."""

    TITLE: ClassVar[str] = "Head follower"
    EXPLAINS: ClassVar[str] = "a rider's head on a spring and a damper, for comfort measures; applies no force"
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "mass"

    kind: Literal["head"] = "head"
    mass: float = dial(5.0, "kg", "of the head", low=0.01, high=1e4, slider=(1.0, 50.0), scale="log", main=True)
    stiffness: float = dial(
        3000.0, "N/m", "of the neck, in each direction", low=0.1, high=1e7, slider=(100.0, 1e5), scale="log", main=True
    )
    damping: float = dial(
        80.0, "N s/m", "of the neck, in each direction", low=0.0, high=1e6, slider=(1.0, 1000.0), scale="log", main=True
    )
    x: float = dial(0.3, "m", "mount, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "mount, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(1.0, "m", "mount, above the origin", low=-1e3, high=1e3, slider=(-1.0, 4.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {"mass": self.mass}

    def neck(self) -> HeadModel:
        return HeadModel((self.x, self.y, self.z), self.stiffness / self.mass, self.damping / self.mass)

    def summary(self) -> str:
        return "for the measures of comfort"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        swing = Swing.of(self.stiffness, self.damping, self.mass)
        return (f"nods at {show(swing.rate / math.tau, 'Hz')}, {swing.words()}",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        rate = math.sqrt(self.stiffness / self.mass) / math.tau
        if rate > 0.25 * case.ticks:
            yield self.caution(
                "faster_than_the_tick",
                "stiffness",
                f"it oscillates at {show(rate, 'Hz')}, too fast for {case.ticks:.0f} ticks/s",
                f"below {show(0.1 * case.ticks, 'Hz')}, or more ticks/s",
            )


KIND = Kind(Head, RECORD)
