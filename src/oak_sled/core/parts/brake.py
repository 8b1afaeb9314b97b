"""Brake: dry friction on a channel, against motion or only along the craft, at the centre or a point."""

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial, surface
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.lawful import MOUNT_ACTS, ActsIf

RECORD = np.dtype([("channel", "i8"), ("bite", "f8"), ("along", "i8"), ("at_point", "i8"), ("point", "f8", (3,))])


class Brake(Part):
    """Coulomb friction of `bite` times the load, never more than stops the craft in the tick."""

    TITLE: ClassVar[str] = "Brake"
    EXPLAINS: ClassVar[str] = "dry friction while its channel is held"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (MOUNT_ACTS,)
    FAMILY: ClassVar[Family] = "grip"
    GROUP: ClassVar[Group] = "ground"
    STAGE: ClassVar[float] = 3.5
    CHANNEL_GUESS: ClassVar[str] = "brake"
    MAKES_CHANNEL: ClassVar[bool] = True

    kind: Literal["brake"] = "brake"
    channel: str = Field("", description="the channel that presses it; empty: always on")
    timing: Literal["while_held", "always"] = Field("while_held", description="when it acts")
    bite: float = dial(
        0.4, "", "friction coefficient", low=0.0, high=20.0, slider=(0.0, 1.5), main=True, title="friction"
    )
    acts: Literal["against_motion", "along_craft"] = Field(
        "against_motion", description="direction in which it resists"
    )
    at_point: bool = Field(False, description="act at the mount, with the resulting torque")
    x: float = dial(0.0, "m", "mount, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "mount, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(-0.4, "m", "mount, above the origin", low=-1e3, high=1e3, slider=(-2.0, 0.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "channel": pack.channel("" if self.timing == "always" else self.channel),
            "bite": self.bite,
            "along": int(self.acts == "along_craft"),
            "at_point": int(self.at_point),
            "point": pack.point(self.x, self.y, self.z),
        }

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel and self.timing == "while_held" else ()

    def looks(self) -> str:
        return "block" if self.at_point else ""

    def cautions(self, case: Case) -> Iterator[Caution]:
        if not self.channel and self.timing == "while_held":
            yield self.caution(
                "always_on",
                "channel",
                "it acts while held, and has no channel: it always brakes",
                "give it a channel, or let it act always",
                "let it act always",
                {"timing": "always"},
            )

    def at_rest(self) -> Part | None:
        return None

    def summary(self) -> str:
        return (
            ("always · " if self.timing == "always" else "")
            + self.acts.replace("_", " ")
            + (" · at its mount" if self.at_point else " · at centre")
        )

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        force = self.bite * self.trim * setting.weight * setting.grip + setting.friction
        if force <= 0.0:
            return ("no load to bite on",)
        slow = force / setting.moves
        speed = setting.last_speed or 10.0
        # v2 / (2 a) and v / a: drag of the air left out, which can only shorten them
        return (
            f"{show(speed, 'm/s')} to 0 in {show(speed**2 / (2.0 * slow), 'm')}",
            f"{show(speed / slow, 's')} at {show(slow / STANDARD_GRAVITY, 'g')}, air not counted",
        )


@compiled
def along_ground(now, v):
    """A vector without what of it points away from the ground that carries the craft."""
    up = (now.up[0], now.up[1], now.up[2])
    into = spatial.dot(v, up)
    return (v[0] - into * up[0], v[1] - into * up[1], v[2] - into * up[2])


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the braking force on its ledger line; returns how hard it is pressed, 0 to 1."""
    press = 1.0
    if part.channel >= 0:
        press = min(abs(now.channels[part.channel]), 1.0)
    if press == 0.0 or now.load <= 0.0:
        return 0.0
    lever = (0.0, 0.0, 0.0)
    if part.at_point == 1:
        lever = spatial.to_world(body.axes, part.point)
    swing = spatial.cross((now.next_spin[0], now.next_spin[1], now.next_spin[2]), lever)
    v = (now.next_velocity[0], now.next_velocity[1], now.next_velocity[2])
    v = (v[0] + swing[0] - now.below[0], v[1] + swing[1] - now.below[1], v[2] + swing[2] - now.below[2])
    way = along_ground(now, v)
    if part.along == 1:
        ahead = along_ground(now, environment.from_level(now, (now.heading_x, now.heading_y, 0.0)))
        along = spatial.dot(way, ahead) / max(spatial.dot(ahead, ahead), 1e-12)
        way = (along * ahead[0], along * ahead[1], along * ahead[2])
    speed = spatial.length(way)
    if speed == 0.0:
        return press
    way = (way[0] / speed, way[1] / speed, way[2] / speed)
    stopping = body_module.effective_mass(body, lever, way) * speed / now.dt
    grip = ground.grip
    if ground.patch_count > 0:
        x, y = body.position[0] + lever[0], body.position[1] + lever[1]
        grip *= surface.grip_at(ground.patches, ground.patch_count, x, y)
    size = min(gain * press * part.bite * now.load * grip, stopping)
    force = (-size * way[0], -size * way[1], -size * way[2])
    if part.at_point == 1:
        body_module.book_at(now, p, body, lever, force)
    else:
        body_module.book(now, p, force)
    return press


KIND = Kind(Brake, RECORD, act=act, predicts=True)
