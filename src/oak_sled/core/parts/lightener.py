"""Counter-gravity: takes a share of the weight away, always or only near the ground."""

from collections.abc import Iterator
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting

Acts = Literal["always", "on_ground", "in_air"]

RECORD = np.dtype([("share", "f8"), ("acts", "i8"), ("scale", "f8")])


class Lightener(Part):
    """A force upward at the centre of mass: its share times the weight of the craft."""

    TITLE: ClassVar[str] = "Counter-gravity"
    EXPLAINS: ClassVar[str] = "cancels a share of the weight, always, on the ground or in the air"
    FAMILY: ClassVar[Family] = "gravity"
    GROUP: ClassVar[Group] = "mass"
    SHOWS: ClassVar[Shown] = "up"

    kind: Literal["lightener"] = "lightener"
    share: float = dial(
        0.5, "", "share of the weight that it cancels; negative: presses down", low=-10.0, high=10.0,
        slider=(-1.0, 1.5), main=True,
    )  # fmt: skip
    acts: Acts = Field("always", description="when it acts: always, on the ground, or in the air")
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")

    def record(self, pack: Pack) -> dict[str, Any]:
        return {"share": self.share, "acts": get_args(Acts).index(self.acts), "scale": pack.gravity_scale}

    def lifts(self, weight: float) -> float:
        return 0.0 if self.acts == "in_air" else self.trim * self.share * weight

    def summary(self) -> str:
        return f"{100.0 * self.share:.0f} % of the weight · {self.acts.replace('_', ' ')}"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        left = setting.weight * (1.0 - self.trim * self.share)
        return (
            f"{show(left, 'N')} of {show(setting.weight, 'N')} are left",
            f"falls at {show(left / setting.mass, 'm/s2')}",
        )

    def cautions(self, case: Case) -> Iterator[Caution]:
        if self.acts == "always" and self.trim * self.share > 1.0 and case.setting.weight > 0.0:
            yield self.caution(
                "lighter_than_nothing",
                "share",
                f"it takes {100.0 * self.trim * self.share:.0f} % of the weight, so the craft rises forever",
                "at most 1",
            )


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the force on its ledger line; returns 1 while it acts."""
    if (part.acts == 1 and now.on_ground == 0.0) or (part.acts == 2 and now.on_ground > 0.0):
        return 0.0
    pull = environment.gravity_at(ground, body.position[0], body.position[1], body.position[2])
    size = -gain * part.share * part.scale * body.mass
    body_module.book(now, p, (size * pull[0], size * pull[1], size * pull[2]))
    return 1.0


KIND = Kind(Lightener, RECORD, act=act)
