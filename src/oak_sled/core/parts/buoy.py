"""Buoy: a force that brings its mount up to a height, like a spring with damping."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

import numpy as np

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import spatial
from oak_sled.core.parts.common import Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting

RECORD = np.dtype([("height", "f8"), ("stiffness", "f8"), ("damping", "f8"), ("most", "f8"), ("point", "f8", (3,))])


class Buoy(Part):
    """Upward force at its mount, F = k (h - z) - c v_z with z and v_z of the mount, from 0 to its greatest, and none
    above the height: a linear restoring force with viscous damping, as of a float on a still surface.

    One at the centre of mass leaves roll and pitch free; four at the corners of a body hold it level.
    """

    TITLE: ClassVar[str] = "Buoy"
    EXPLAINS: ClassVar[str] = "floats at a height, by a spring with damping"
    FAMILY: ClassVar[Family] = "support"
    GROUP: ClassVar[Group] = "ground"
    SHOWS: ClassVar[Shown] = "up"

    WAS: ClassVar[Mapping[str, str]] = {"most": "max_force"}

    kind: Literal["buoy"] = "buoy"
    height: float = dial(
        1.0,
        "m",
        "water level: it pushes below this height",
        low=-1e4,
        high=1e4,
        slider=(-2.0, 10.0),
        main=True,
        title="water level",
    )
    stiffness: float = dial(
        6000.0, "N/m", "force per metre of depth", low=0.0, high=1e9, slider=(10.0, 1e5), scale="log", main=True
    )
    damping: float = dial(
        1500.0,
        "N s/m",
        "vertical damping",
        low=0.0,
        high=1e8,
        slider=(1.0, 1e4),
        scale="log",
        main=True,
    )
    max_force: float = dial(
        20000.0, "N", "maximum force", low=0.0, high=1e9, slider=(100.0, 1e6), scale="log", title="maximum force"
    )
    x: float = dial(0.0, "m", "mount, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "mount, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.0, "m", "mount, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "height": self.height,
            "stiffness": self.stiffness,
            "damping": self.damping,
            "most": self.max_force,
            "point": pack.point(self.x, self.y, self.z),
        }

    def summary(self) -> str:
        return "pushes up · at its mount"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        stiffness, most = self.stiffness * self.trim, min(self.max_force, 1e300)
        if stiffness == 0.0 or setting.weight > most:
            return (f"{show(most, 'N')} at most: less than the weight of {show(setting.weight, 'N')}",)
        rests = self.height - setting.weight / stiffness
        period = 2.0 * math.pi * math.sqrt(setting.mass / stiffness)
        share = self.damping * self.trim / (2.0 * math.sqrt(stiffness * setting.mass))
        calm = "settles without a swing" if share >= 1.0 else f"{100.0 * share:.0f} % of critical damping"
        return (f"alone it holds its mount at {show(rests, 'm')}", f"bobs in {show(period, 's')} · {calm}")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the upward force on its ledger line; returns the share of its greatest force."""
    lever = spatial.to_world(body.axes, part.point)
    swing = spatial.cross((body.spin[0], body.spin[1], body.spin[2]), lever)
    below = part.height - (body.position[2] + lever[2])
    rising = body.velocity[2] + swing[2]
    size = min(max(gain * (part.stiffness * below - part.damping * rising), 0.0), part.most)
    if below <= 0.0:
        size = 0.0
    body_module.book_at(now, p, body, lever, (0.0, 0.0, size))
    return size / part.most if part.most > 0.0 else 0.0


KIND = Kind(Buoy, RECORD, act=act)
