"""Air drag: quadratic by craft axis and linear, about a centre of pressure, in the wind."""

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.formulas import machine
from oak_sled.core.formulas.machine import FORMULA
from oak_sled.core.formulas.place import Place, Quantity
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import environment, spatial
from oak_sled.core.parts.common import Family, Group, Kind, Part
from oak_sled.core.parts.context import Pack, Setting
from oak_sled.core.parts.lawful import MOUNT_ACTS, ActsIf

RECORD = np.dtype(
    [("area", "f8", (3,)), ("viscous", "f8"), ("at_point", "i8"), ("point", "f8", (3,)), ("formula", FORMULA)]
)
DRAG = Place(
    "drag",
    "drag",
    "N",
    "formula",
    (
        Quantity("speed", "m/s", "through the air", "damper"),
        Quantity("density", "kg/m3", "of the air"),
    ),
    replaces=("front_area", "side_area", "top_area", "drag_coefficient", "viscous"),
)


class AirDrag(Part):
    """F = -1/2 rho Cd A |v| v for each craft axis, and -c v; v against the air. A formula takes the place of both."""

    TITLE: ClassVar[str] = "Air drag"
    EXPLAINS: ClassVar[str] = "drag that grows with speed, by axis"
    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = (MOUNT_ACTS,)
    FAMILY: ClassVar[Family] = "air"
    GROUP: ClassVar[Group] = "air"
    PLACES: ClassVar[tuple[Place, ...]] = (DRAG,)

    WAS: ClassVar[Mapping[str, str]] = {"drag_figure": "drag_coefficient"}

    kind: Literal["air_drag"] = "air_drag"
    front_area: float = dial(1.2, "m2", "area seen from the front", low=0.0, high=1e5, slider=(0.0, 6.0), main=True)
    side_area: float = dial(2.5, "m2", "area seen from the side", low=0.0, high=1e5, slider=(0.0, 10.0), main=True)
    top_area: float = dial(3.5, "m2", "area seen from above", low=0.0, high=1e5, slider=(0.0, 20.0))
    drag_coefficient: float = dial(
        1.0, "", "drag coefficient Cd", low=0.0, high=100.0, slider=(0.0, 3.0), main=True, title="drag coefficient"
    )
    viscous: float = dial(0.0, "N s/m", "linear drag", low=0.0, high=1e6, slider=(0.0, 200.0), title="linear drag")
    formula: str = Field("", max_length=60, description="formula for its drag; empty: areas and linear drag")
    at_point: bool = Field(False, description="act at the centre of pressure, with the resulting torque")
    x: float = dial(0.0, "m", "centre of pressure, forward", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "centre of pressure, left", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.0, "m", "centre of pressure, up", low=-1e3, high=1e3, slider=(-3.0, 3.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        areas = (self.front_area, self.side_area, self.top_area)
        return {
            "area": tuple(0.5 * self.drag_coefficient * area for area in areas),
            "viscous": self.viscous,
            "at_point": int(self.at_point),
            "point": pack.point(self.x, self.y, self.z),
            "formula": pack.formula(self.formula),
        }

    def drag_at(self, speed: float, air_density: float) -> float:
        """N at a speed through the air, m/s, of a drag that is a formula."""
        written = self.formula_of(DRAG)
        return 0.0 if written is None else self.trim * written.finite(speed, air_density)

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        both = ("as set", {"formula": ""})
        if self.viscous == 0.0:
            return [both]
        return [
            both,
            ("quadratic", {"formula": "", "viscous": 0.0}),
            ("linear", {"formula": "", "drag_coefficient": 0.0}),
        ]

    def written_as(self, place: Place) -> str:
        linear = f" + {self.viscous:.6g} [N s/m] * speed" if self.viscous else ""
        return f"{0.5 * self.drag_coefficient * self.front_area:.6g} [m2] * density * speed^2{linear}"

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        return {} if setting is None else {"speed": setting.last_speed or 10.0, "density": setting.air_density}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        return (0.0, 2.0) if quantity == "density" else (0.0, 1.3 * max(setting.last_speed, 15.0))

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        angle, ground = math.radians(run.job.ground.wind_to_deg), run.job.ground
        wind = ground.wind_speed * np.array([math.cos(angle), math.sin(angle), 0.0])
        against = run.columns("velocity.x", "velocity.y", "velocity.z") - wind
        return {"speed": np.linalg.norm(against, axis=1)}

    def blew_up(self, speed: float, air_density: float, mass: float, ticks: int) -> str:
        square, linear = self.drag_factors(air_density)
        slope = square * speed + linear
        if slope < mass * ticks:  # what it takes in one tick is less than the whole speed: it did not throw the craft
            return super().blew_up(speed, air_density, mass, ticks)
        need = max(1, math.ceil(slope / (2.0 * mass)), ticks * 2)
        return (
            f"Drag of {units.plain(slope, 'N', 3)} per m/s on {units.plain(mass, 'kg')} overshoots in one tick; "
            f"at least {need} ticks/s would hold, or a smaller drag."
        )

    def summary(self) -> str:
        return f"by axis · at {'centre of pressure' if self.at_point else 'centre'}"

    def drag_factors(self, air_density: float) -> tuple[float, float]:
        if self.formula_of(DRAG) is not None:
            return (0.0, 0.0)
        square = 0.5 * air_density * self.drag_coefficient * self.front_area * self.trim
        return (square, self.viscous * self.trim)

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        if self.formula_of(DRAG) is not None:
            speed = setting.last_speed or 10.0
            return (f"{show(self.drag_at(speed, setting.air_density), 'N')} at {show(speed, 'm/s')}", "by its formula")
        square, linear = self.drag_factors(setting.air_density)
        speed = setting.last_speed or 10.0
        first = f"{show(square * speed**2 + linear * speed, 'N')} at {show(speed, 'm/s')} ahead"
        sideways = 0.5 * setting.air_density * self.drag_coefficient * self.side_area * self.trim * 25.0
        if square > 0.0 and linear == 0.0 and setting.thrust > 0.0:
            equal = (setting.thrust / square) ** 0.5
            return (first, f"equals full thrust at {show(equal, 'm/s')}")
        return (first, f"side wind 5 m/s: {show(sideways + 5.0 * linear, 'N')}")


@compiled
def drag_of(part, speed, density):
    """N of a drag that is a formula, at a speed through the air, m/s."""
    part.formula.given[0], part.formula.given[1] = speed, density
    return machine.value_of(part.formula)


@compiled
def book(part, p, body, now, force):
    """Books a force (N, world axes) at the centre of pressure, or at the centre of mass."""
    if part.at_point == 1:
        body_module.book_at(now, p, body, spatial.to_world(body.axes, part.point), force)
    else:
        body_module.book(now, p, force)


@unit
def law_drag(part, given):
    """The drag ahead at the quantities of its place: see DRAG."""
    speed = given[0]
    if part.formula.at != 0:
        return drag_of(part, speed, given[1])
    return part.area[0] * given[1] * abs(speed) * speed + part.viscous * speed


@unit
def act(part, gain, p, body, ground, supports, now):
    """Books the drag of the air on its ledger line; returns 0."""
    wind, density = environment.air_at(ground, body.position[0], body.position[1], body.position[2])
    against = (body.velocity[0] - wind[0], body.velocity[1] - wind[1], body.velocity[2] - wind[2])
    speed = spatial.length(against)
    v = spatial.to_craft(body.axes, against)
    if part.formula.at != 0:
        drag = drag_of(part, speed, density)
        size = -gain * drag / max(speed, 1e-9)
        book(part, p, body, now, (size * against[0], size * against[1], size * against[2]))
        return 0.0
    strength, viscous = gain * density * speed, gain * part.viscous
    force = spatial.to_world(
        body.axes,
        (
            -(strength * part.area[0] + viscous) * v[0],
            -(strength * part.area[1] + viscous) * v[1],
            -(strength * part.area[2] + viscous) * v[2],
        ),
    )
    book(part, p, body, now, force)
    return 0.0


KIND = Kind(AirDrag, RECORD, act=act, laws={DRAG.name: law_drag})
