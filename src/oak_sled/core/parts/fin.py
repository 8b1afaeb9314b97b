"""Fin: an upright panel in the air that turns the nose into the motion, until it stalls."""

import math
from typing import Any, ClassVar, Literal

import numpy as np

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.common import Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting

RECORD = np.dtype([("area", "f8"), ("slope", "f8"), ("stall", "f8"), ("point", "f8", (3,))])


class Fin(Part):
    """Side force of a thin panel, 1/2 rho v2 A a sin(b), with b the sideslip of the air at its mount.

    Past the stall angle the force stays where it was at that angle (flat-plate behaviour; Hoerner,
    Fluid-Dynamic Lift, chapter 3, shows the lift of low-aspect panels flatten like this).
    """

    TITLE: ClassVar[str] = "Fin"
    EXPLAINS: ClassVar[str] = "a vertical panel that turns the nose into the airflow"
    FAMILY: ClassVar[Family] = "air"
    GROUP: ClassVar[Group] = "air"

    kind: Literal["fin"] = "fin"
    area: float = dial(0.8, "m2", "area of the panel", low=0.0, high=1e4, slider=(0.0, 5.0), main=True)
    lift_slope: float = dial(
        2.5,
        "1/rad",
        "lift slope: side force coefficient per radian of slip",
        low=0.0,
        high=20.0,
        slider=(0.0, 7.0),
        main=True,
    )
    stall_deg: float = dial(18.0, "°", "slip angle above which the force stays constant", low=0.0, high=90.0, main=True)
    x: float = dial(-1.0, "m", "mount, forward of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "mount, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.3, "m", "mount, above the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        return {
            "area": self.area,
            "slope": self.lift_slope,
            "stall": math.radians(self.stall_deg),
            "point": pack.point(self.x, self.y, self.z),
        }

    def summary(self) -> str:
        return "upright panel · at its mount"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        speed = setting.last_speed or 10.0
        most = (
            0.5 * setting.air_density * speed**2 * self.area * self.lift_slope * math.sin(math.radians(self.stall_deg))
        )
        arm = abs(self.x - setting.centre[0])
        nose = "turns the nose in" if self.x < setting.centre[0] else "turns the nose away: mount it behind the centre"
        return (f"{show(most * self.trim, 'N')} at most at {show(speed, 'm/s')}", f"{nose}, {show(most * arm, 'N m')}")


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the side force of the fin on its ledger line; returns how near it is to its stall, 0 to 1."""
    lever = spatial.to_world(body.axes, part.point)
    against, density = environment.met_at(ground, body, lever)
    v = spatial.to_craft(body.axes, against)
    square = v[0] * v[0] + v[1] * v[1]
    if square == 0.0 or part.stall == 0.0:
        return 0.0
    slip = math.atan2(v[1], abs(v[0]))
    effective = min(max(slip, -part.stall), part.stall)
    size = -0.5 * gain * density * square * part.area * part.slope * math.sin(effective)
    force = spatial.to_world(body.axes, (0.0, size, 0.0))
    body_module.book_at(now, p, body, lever, force)
    return abs(effective) / part.stall


KIND = Kind(Fin, RECORD, act=act)
