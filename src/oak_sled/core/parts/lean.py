"""Lean for the eye: the drawn body leans as its craft turns and speeds up, while physics stays as it is.

It pushes nothing: the lean is computed from the motion of its craft (see `results/leaning.py`), and the yard view draws
the body with it; what touches the ground, arrows and rays stay where they are.
"""

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import LeanModel, Pack, Setting
from oak_sled.core.parts.swing import Swing

RECORD = np.dtype([("most", "f8")])
SHARP = 0.3
"""g of the turn by which its lean is told."""


class Lean(Part):
    """x'' = w2 (u - x) - 2 z w x', w = 2 pi frequency, z the damping ratio, and u the share of the angle at which
    gravity and the turn together pull along the craft's own up, atan(a / g), held to the largest lean; a is the
    acceleration to the left for roll, and ahead for pitch."""

    TITLE: ClassVar[str] = "Lean for the eye"
    EXPLAINS: ClassVar[str] = "the drawn body leans into turns and dips as it speeds up; applies no force"
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    SHOWS: ClassVar[Shown] = "lean"

    kind: Literal["lean"] = "lean"
    turn_share: float = dial(
        1.0, "", "of the lean of a coordinated turn; below 0: out of the turn, as a boat", low=-3.0, high=3.0,
        slider=(-1.0, 1.5), main=True, title="lean into turns",
    )  # fmt: skip
    speed_share: float = dial(
        0.5, "", "nose down as it speeds up, as a copter; below 0: up, as a boat", low=-3.0, high=3.0,
        slider=(-1.0, 1.5), main=True, title="dip as it speeds up",
    )  # fmt: skip
    max_deg: float = dial(30.0, "°", "largest lean", low=0.0, high=90.0, slider=(1.0, 60.0), main=True,
        title="largest lean",
    )  # fmt: skip
    frequency: float = dial(
        1.2, "Hz", "natural frequency of the follower", low=0.01, high=10.0, slider=(0.2, 5.0), scale="log", main=True
    )
    damping_ratio: float = dial(0.7, "", "of the follower; 1: no overshoot", low=0.05, high=5.0, slider=(0.2, 1.5))
    x: float = dial(0.0, "m", "point about which it leans, forward of the origin", low=-1e3, high=1e3, slider=(-3, 3))
    y: float = dial(0.0, "m", "the same, left of the origin", low=-1e3, high=1e3, slider=(-3, 3))
    z: float = dial(0.0, "m", "the same, above the origin", low=-1e3, high=1e3, slider=(-2, 2))
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")

    def record(self, pack: Pack) -> dict[str, Any]:
        return {"most": math.radians(self.max_deg)}

    def leans(self) -> LeanModel:
        return LeanModel(
            (self.x, self.y, self.z), self.trim * self.turn_share, self.trim * self.speed_share,
            math.radians(self.max_deg), math.tau * self.frequency, self.damping_ratio,
        )  # fmt: skip

    def summary(self) -> str:
        return "drawn only: physics does not know of it"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        angle = min(self.max_deg, abs(self.trim * self.turn_share) * math.degrees(math.atan(SHARP)))
        swing = Swing(math.tau * self.frequency, self.damping_ratio)
        return (f"a turn of {show(SHARP, 'g')} leans it by {show(angle, '°')}", swing.words())

    def cautions(self, case: Case) -> Iterator[Caution]:
        if self.max_deg == 0.0 or self.turn_share == self.speed_share == 0.0:
            where = "max_deg" if self.max_deg == 0.0 else "turn_share"
            yield self.caution("leans_by_nothing", where, "its body is drawn as it is", "more than 0")


KIND = Kind(Lean, RECORD)
