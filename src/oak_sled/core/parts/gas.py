"""Lifting gas: the buoyancy of a volume in the air, and the air that moves along with it."""

import math
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Pack, Setting

RECORD = np.dtype(
    [
        ("volume", "f8"),
        ("gas", "f8"),  # kg/m3
        ("point", "f8", (3,)),
        ("along", "f8", (3,)),  # share of the mass of the air pushed aside that moves along, craft axes
        ("turning", "f8", (3,)),  # m2: with that mass, of its inertia, likewise
    ]
)


class Gas(Part):
    """Buoyancy V (rho - rho of the gas) g at its middle. The air round it moves along: accelerations cost k rho V more
    along each axis, turns move that momentum, and slanting flow turns the craft across it (Lamb, Hydrodynamics,
    chapter 6; Munk, 1924). The shares k are those of an ellipsoid of its length over its width."""

    TITLE: ClassVar[str] = "Lifting gas"
    EXPLAINS: ClassVar[str] = "buoyancy of a volume of gas in the air, and the air that moves along with it"
    FAMILY: ClassVar[Family] = "air"
    GROUP: ClassVar[Group] = "air"
    SHOWS: ClassVar[Shown] = "up"

    kind: Literal["gas"] = "gas"
    volume: float = dial(
        900.0, "m3", "filled with gas", low=0.001, high=1e7, slider=(1.0, 20_000.0), scale="log", main=True
    )
    gas_density: float = dial(
        0.18, "kg/m3", "of the gas, whose weight is counted here; 0 is nothing", low=0.0, high=10.0, slider=(0.0, 1.3),
        title="gas density",
    )  # fmt: skip
    slender: float = dial(
        3.0, "", "length over width, by which the air moves along", low=1.0, high=20.0, slider=(1.0, 8.0), main=True,
        title="slenderness",
    )  # fmt: skip
    moves_air: bool = Field(True, description="whether the air round it moves along; off: buoyancy alone")
    x: float = dial(0.0, "m", "its middle, ahead of the origin", low=-1e3, high=1e3, slider=(-10.0, 10.0))
    y: float = dial(0.0, "m", "its middle, left of the origin", low=-1e3, high=1e3, slider=(-10.0, 10.0))
    z: float = dial(0.5, "m", "its middle, above the origin", low=-1e3, high=1e3, slider=(-5.0, 10.0), main=True)

    def along(self) -> tuple[float, float]:
        """Shares of the air that it pushes aside which move along: ahead, and across."""
        return added_shares(self.slender) if self.moves_air else (0.0, 0.0)

    def turning(self) -> float:
        """m2 that make, times the mass of the air pushed aside, the inertia of the air that turns along end over end
        (Lamb, article 114): k' (a2 + b2) / 5."""
        if not self.moves_air or self.slender < 1.001:
            return 0.0
        wide = (6.0 * self.volume / (math.pi * self.slender)) ** (1.0 / 3.0)
        a, b = 0.5 * self.slender * wide, 0.5 * wide
        e2 = 1.0 - 1.0 / self.slender**2
        ahead, across = added_shares(self.slender)
        apart = 2.0 * across / (1.0 + across) - 2.0 * ahead / (1.0 + ahead)
        share = e2 * e2 * apart / ((2.0 - e2) * (2.0 * e2 - (2.0 - e2) * apart))
        return share * (a * a + b * b) / 5.0

    def record(self, pack: Pack) -> dict[str, Any]:
        ahead, across = self.along()
        return {
            "volume": self.volume,
            "gas": self.gas_density,
            "point": pack.point(self.x, self.y, self.z),
            "along": (ahead, across, across),
            "turning": (0.0, self.turning(), self.turning()),
        }

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        return {**super().idle(setting), **({} if self.moves_air else {"slender": "the air does not move along"})}

    def lift(self, air_density: float, gravity: float) -> float:
        """N."""
        return self.trim * self.volume * (air_density - self.gas_density) * gravity

    def lifts(self, weight: float) -> float:
        return 0.0  # the air is not known here; what stands on the ground finds it by its tick

    def drawn_by(self) -> tuple[float, ...]:
        return (self.volume, self.slender)

    def plates(self) -> list[Floats]:
        wide = (6.0 * self.volume / (math.pi * self.slender)) ** (1.0 / 3.0)
        long, turn = self.slender * wide, np.linspace(0.0, 2.0 * math.pi, 41)
        middle = np.array([self.x, self.y, self.z])
        cos, sin, none = 0.5 * np.cos(turn), 0.5 * np.sin(turn), np.zeros(41)
        return [
            middle + np.column_stack([long * cos, wide * sin, none]),
            middle + np.column_stack([long * cos, none, wide * sin]),
        ]

    def summary(self) -> str:
        wide = (6.0 * self.volume / (math.pi * self.slender)) ** (1.0 / 3.0)
        return f"{show(self.slender * wide, 'm')} long and {show(wide, 'm')} wide"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        ahead, across = self.along()
        gravity = setting.weight / setting.mass if setting.mass > 0.0 else 0.0
        lift = self.lift(setting.air_density, gravity)
        air = setting.air_density * self.volume
        lines = [f"lifts {show(lift, 'N')}"]
        if setting.weight > 0.0:
            off = lift - setting.weight
            lines[0] += f", {100.0 * lift / setting.weight:.1f} % of the weight: {show(abs(off), 'N')} "
            lines[0] += "too light" if off > 0.0 else "too heavy"
        if self.moves_air:
            lines.append(f"moves {show(ahead * air, 'kg')} of air along ahead, {show(across * air, 'kg')} across")
        return tuple(lines)

    def cautions(self, case: Case) -> Iterator[Caution]:
        if case.setting.air_density <= self.gas_density and case.setting.air_density > 0.0:
            yield self.caution(
                "no_lift_of_gas", "gas_density", "its gas is no lighter than the air",
                f"less than {show(case.setting.air_density, 'kg/m3')}",
            )  # fmt: skip


def added_shares(slender: float) -> tuple[float, float]:
    """Shares of the displaced mass that move along with an ellipsoid of revolution, ahead and across (Lamb, article
    114): 1/2 each for a ball."""
    if slender < 1.0 + 1e-6:
        return 0.5, 0.5
    e = math.sqrt(1.0 - 1.0 / slender**2)
    half = 0.5 * math.log((1.0 + e) / (1.0 - e))
    alpha = 2.0 * (1.0 - e * e) / e**3 * (half - e)
    beta = 1.0 / (e * e) - (1.0 - e * e) / e**3 * half
    return alpha / (2.0 - alpha), beta / (2.0 - beta)


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books buoyancy and what the air takes of turns and slanting flow; says how much of it moves along; returns 1."""
    lever = spatial.to_world(body.axes, (part.point[0], part.point[1], part.point[2]))
    x, y, z = body.position[0] + lever[0], body.position[1] + lever[1], body.position[2] + lever[2]
    wind, density = environment.air_at(ground, x, y, z)
    pull = environment.gravity_at(ground, x, y, z)
    light = -gain * part.volume * (density - part.gas)
    lift = (light * pull[0], light * pull[1], light * pull[2])
    turned = spatial.cross(lever, lift)
    air = gain * density * part.volume
    k = (air * part.along[0], air * part.along[1], air * part.along[2])
    against = (body.velocity[0] - wind[0], body.velocity[1] - wind[1], body.velocity[2] - wind[2])
    v = spatial.to_craft(body.axes, against)
    w = spatial.to_craft(body.axes, (body.spin[0], body.spin[1], body.spin[2]))
    carried = (k[0] * v[0], k[1] * v[1], k[2] * v[2])
    swept, turning = spatial.cross(w, carried), spatial.cross(w, v)
    turns = (air * part.turning[0] * w[0], air * part.turning[1] * w[1], air * part.turning[2] * w[2])
    across = spatial.plus(spatial.cross(v, carried), spatial.cross(w, turns))
    # the momentum of the air turns with the craft; what an acceleration costs is taken when all forces are known
    force = spatial.to_world(
        body.axes, (k[0] * turning[0] - swept[0], k[1] * turning[1] - swept[1], k[2] * turning[2] - swept[2])
    )
    torque = spatial.to_world(body.axes, across)
    for i in range(3):
        now.lines[p, i] = lift[i] + force[i]
        now.lines[p, 3 + i] = turned[i] - torque[i]
        now.points[p, i] = body.position[i] + lever[i]
        now.added[p, i], now.added[p, 3 + i] = k[i], air * part.turning[i]
    if air > 0.0:
        now.moved_along = 1
    return 1.0


KIND = Kind(Gas, RECORD, act=act)
