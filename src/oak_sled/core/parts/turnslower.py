"""Slower in turns: takes speed off while a craft is steered, so that it does not run out of grip or tip; an aid."""

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting

RECORD = np.dtype([("channel", "i8"), ("limit_g", "f8"), ("strength", "f8")])


class TurnSlower(Part):
    """A force against the motion, up to strength x weight x |channel|, while the side acceleration that its yaw rate
    asks for at this speed is past a limit; it never takes more speed than what is past it."""

    TITLE: ClassVar[str] = "Slower in turns"
    EXPLAINS: ClassVar[str] = "aid: slows down in turns above a lateral acceleration"
    FAMILY: ClassVar[Family] = "holder"
    GROUP: ClassVar[Group] = "limits and holders"
    CHANNEL_GUESS: ClassVar[str] = "steer"

    WAS: ClassVar[Mapping[str, str]] = {"most_g": "limit_g"}

    kind: Literal["turn_slower"] = "turn_slower"
    aid: bool = Field(True, description="marks a part that departs from physics on purpose")
    channel: str = Field("", description="the channel that steers; empty: it acts in every turn")
    limit_g: float = dial(
        0.3, "g", "lateral g above which it slows the craft", low=0.0, high=100.0, slider=(0.0, 1.5), main=True,
        title="from lateral g",
    )  # fmt: skip
    strength: float = dial(
        0.3, "", "maximum force as a share of the weight", low=0.0, high=100.0, slider=(0.0, 1.0), main=True
    )

    def record(self, pack: Pack) -> dict[str, Any]:
        return {"channel": pack.channel(self.channel), "limit_g": self.limit_g, "strength": self.strength}

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def summary(self) -> str:
        return "while steered" if self.channel else "in every turn"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        return (f"slows by up to {show(self.trim * self.strength, 'g')} past {show(self.limit_g, 'g')} to the side",)

    def cautions(self, case: Case) -> Iterator[Caution]:
        grip = case.setting.side_grip / max(case.setting.weight, 1e-9)
        if 0.0 < grip < self.limit_g:
            yield self.caution(
                "beyond_the_grip",
                "limit_g",
                f"its tires slide at {show(grip, 'g')}, before it acts",
                f"below {show(grip, 'g')}",
            )


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books its force; returns the share of the greatest one."""
    steered = 1.0
    if part.channel >= 0:
        steered = abs(now.channels[part.channel])
    _, _, turning = environment.to_level(now, (body.spin[0], body.spin[1], body.spin[2]))
    rate = abs(turning)
    if now.on_ground == 0.0 or rate < 1e-6 or now.speed < 1e-6:
        return 0.0
    gravity = environment.strength_at(ground, body.position[0], body.position[1], body.position[2])
    past = now.speed - part.limit_g * gravity / rate  # m/s faster than this turn may be
    if past <= 0.0:
        return 0.0
    most = gain * part.strength * steered * body.mass * gravity
    size = min(most, body.mass * past / now.dt)
    share = -size / now.speed
    body_module.book(now, p, (share * body.velocity[0], share * body.velocity[1], share * body.velocity[2]))
    return size / most if most > 0.0 else 0.0


KIND = Kind(TurnSlower, RECORD, act=act)
