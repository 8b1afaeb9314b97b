"""Anti-roll bar: presses the less compressed of two wheels or pads less, and the more compressed one more."""

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.faults import close_match
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting

RECORD = np.dtype([("stiffness", "f8"), ("first_left", "i8"), ("first_right", "i8"), ("pairs", "i8")])


class Bar(Part):
    """F = k (c_left - c_right) up at the left and down at the right, c the compression of each, while both touch.

    It joins the left and the right wheels (or pads) of one part; where that has front and rear ones, a bar at each end.
    It carries no weight, and turns the craft level.
    """

    TITLE: ClassVar[str] = "Anti-roll bar"
    EXPLAINS: ClassVar[str] = "resists roll, by the difference of a left and a right spring"
    FAMILY: ClassVar[Family] = "tie"
    GROUP: ClassVar[Group] = "wheels"
    SHOWS: ClassVar[Shown] = "roll"

    kind: Literal["bar"] = "bar"
    joins: str = Field("", max_length=60, description="wheels or pads that it joins left to right")
    stiffness: float = dial(
        10000.0, "N/m", "force at each end per metre of difference", low=0.0, high=1e8, slider=(100.0, 2e5),
        scale="log", main=True,
    )  # fmt: skip

    def record(self, pack: Pack) -> dict[str, Any]:
        first, count = pack.rays.get(self.joins, 0), pack.ray_counts.get(self.joins, 0)
        pairs = count // 2 if self.joins in pack.two_sided else 0
        return {"stiffness": self.stiffness, "first_left": first, "first_right": first + pairs, "pairs": pairs}

    def summary(self) -> str:
        return f"joins {self.joins.replace('_', ' ')}" if self.joins else "joins nothing"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if setting.track <= 0.0:
            return ("nothing left and right to join",)
        return (f"{show(self.trim * self.stiffness * setting.track**2, 'N m/rad')} against roll at each end",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        known = [name for name, part in case.parts.items() if part.rays()]
        if self.joins not in known:
            says = f"there are no wheels or pads {self.joins!r}" if self.joins else "it joins no wheels"
            yield self.caution("no_such_wheels", "joins", says, close_match(self.joins, known))
        elif len({at.at[1] for at in case.parts[self.joins].rays()}) != 2:
            yield self.caution(
                "bar_with_one_wheel",
                "joins",
                f"{case.parts[self.joins].heading.lower()} has no left and right wheel that it could join",
                "spread them to the sides, or leave the bar out",
            )


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the moment of all bars on its ledger line; returns the share of them that act."""
    acting = 0.0
    for k in range(part.pairs):
        left, right = supports[part.first_left + k], supports[part.first_right + k]
        if left.below < 0 or right.below < 0:
            continue
        more = (left.reach - left.axle.farther - left.gap) - (right.reach - right.axle.farther - right.gap)
        size = gain * part.stiffness * more
        acting += 1.0
        for side in range(2):
            support = left if side == 0 else right
            push = size if side == 0 else -size
            force = (-push * support.way[0], -push * support.way[1], -push * support.way[2])
            body_module.add_at_support(now, p, body, support, force)
            support.load += push
    return acting / part.pairs if part.pairs > 0 else 0.0


KIND = Kind(Bar, RECORD, act=act)
