"""The document of a game's own units and axes: how it counts what is tuned here. No run depends on it."""

import math
from typing import Literal, Self

from pydantic import Field, model_validator

from oak_sled.core.base import units
from oak_sled.core.base.axes import Axes
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen
from oak_sled.core.base.faults import Refused
from oak_sled.core.base.gameunits import Basis, GameDisplay

Way = Literal["x", "y", "z", "-x", "-y", "-z"]

_LENGTHS = {"m": 1.0, "cm": 100.0, "mm": 1000.0}
_ANGLES = {"deg": ("°", 180.0 / math.pi), "rad": ("rad", 1.0), "turn": ("turn", 0.5 / math.pi)}
_MASSES = {"kg": 1.0, "t": 0.001}


class Game(Frozen):
    """As the game has it: its units, its axes, and whether numbers are shown and typed so."""

    used: bool = Field(False, description="numbers are shown, typed and written as the game has them")
    length: Literal["m", "cm", "mm", "px"] = Field("m", description="unit of length")
    pixels: float = dial(
        64.0, "", "pixels to a metre, where lengths are in pixels", low=1e-3, high=1e6, slider=(1.0, 1000.0),
        scale="log", title="pixels a metre",
    )  # fmt: skip
    lasts: Literal["s", "tick"] = Field("s", description="how long something takes: in seconds, or in ticks")
    rates: Literal["second", "tick"] = Field("second", description="speeds and rates: by the second, or by the tick")
    ticks: float = dial(
        60.0, "", "ticks to a second of the game, where it counts by them", low=1.0, high=2000.0, slider=(10.0, 240.0),
        title="ticks a second",
    )  # fmt: skip
    angle: Literal["deg", "rad", "turn"] = Field("deg", description="unit of angle")
    mass: Literal["kg", "t", "own"] = Field("kg", description="unit of mass; own: one of the game's")
    kilograms: float = dial(
        1.0, "", "kilograms in one unit of mass of the game's own", low=1e-9, high=1e9, slider=(0.01, 1000.0),
        scale="log", title="kilograms a unit",
    )  # fmt: skip
    forward: Way = Field("x", description="the axis that points forward")
    up: Way = Field("z", description="the axis that points up")
    hand: Literal["right", "left"] = Field("right", description="the hand of the axes")
    quaternion: Literal["wxyz", "xyzw"] = Field("wxyz", description="order in which a quaternion is written")

    @model_validator(mode="after")
    def _rotates(self) -> Self:
        try:
            Axes.of(self.forward, self.up, self.hand)
        except Refused as refused:
            fault = refused.faults[0]
            raise ValueError(f"{fault.where}: {fault.what} ({fault.right})") from None
        return self

    @property
    def axes(self) -> Axes:
        """Its axes against ours."""
        return Axes(self.forward, self.up, self.hand)

    def basis(self) -> Basis:
        """The units in which it counts."""
        per_tick = ("tick", self.ticks)
        return Basis(
            length=("px", self.pixels) if self.length == "px" else (self.length, _LENGTHS[self.length]),
            mass=("mu", 1.0 / self.kilograms) if self.mass == "own" else (self.mass, _MASSES[self.mass]),
            angle=_ANGLES[self.angle],
            rate=per_tick if self.rates == "tick" else ("s", 1.0),
            lasts=per_tick if self.lasts == "tick" else ("s", 1.0),
        )

    def told(self) -> GameDisplay:
        """Quantities as it has them, whether it is used or not."""
        return GameDisplay(self.basis(), self.axes, self.quaternion)

    def acts(self) -> tuple[str, ...]:
        """The dials that do something as it is set."""
        by_tick = "tick" in (self.lasts, self.rates)
        wanted = {"pixels": self.length == "px", "ticks": by_tick, "kilograms": self.mass == "own"}
        return tuple(name for name, acts in wanted.items() if acts)

    def facing(self, name: str, way: Way) -> Self:
        """With another forward or up; where the other one lies along that axis too, the two change places."""
        other = "up" if name == "forward" else "forward"
        before, there = getattr(self, name), getattr(self, other)
        return self.replace(**{name: way, **({other: before} if there[-1] == way[-1] else {})})

    def display(self) -> units.Display:
        """Quantities as they are to be shown."""
        return self.told() if self.used else units.Display()

    def words(self) -> str:
        """As a sentence says it: "y up, z forward, left-handed; px (64 a metre), by the tick (60 a second), °, kg"."""
        basis = self.basis()
        length = f"px ({self.pixels:g} a metre)" if self.length == "px" else basis.length[0]
        mass = f"mu ({self.kilograms:g} kilograms)" if self.mass == "own" else basis.mass[0]
        rates = f"rates by the tick ({self.ticks:g} a second)" if self.rates == "tick" else "rates by the second"
        lasts = f"times in ticks ({self.ticks:g} a second)" if self.lasts == "tick" else "times in seconds"
        turned = f"quaternions {' '.join(self.quaternion)}"
        return f"{self.axes.words()}; {length}, {mass}, {basis.angle[0]}; {rates}, {lasts}; {turned}"


PRESETS: dict[str, Game] = {
    "z up, x forward, right-handed, metres": Game(),
    "y up, -z forward, right-handed, metres": Game(forward="-z", up="y"),
    "y up, z forward, right-handed, metres": Game(forward="z", up="y"),
    "y up, z forward, left-handed, metres": Game(forward="z", up="y", hand="left", quaternion="xyzw"),
    "z up, x forward, left-handed, centimetres": Game(length="cm", hand="left", quaternion="xyzw"),
    "z up, y forward, right-handed, metres": Game(forward="y"),
    "a flat plan: x right, y down, in pixels, by the tick": Game(length="px", rates="tick", lasts="tick", up="-z"),
    "a flat side view: x right, y down, in pixels, by the tick": Game(length="px", rates="tick", lasts="tick", up="-y"),
}
"""Settings that many games have, by what they are."""
