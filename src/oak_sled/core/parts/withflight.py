"""Answers of a part about flight, fuel and the mixer of its craft: those of parts that have nothing to do with any."""

from collections.abc import Mapping
from typing import Any

from oak_sled.core.base.document import Frozen
from oak_sled.core.parts.actuator import Actuator, Axis


class WithFlight(Frozen):
    """A document that may lift, push through the air, burn, or take part in a mixer."""

    def actuators(self) -> list[Actuator]:
        """The commands that a mixer may give it."""
        return []

    def wishes(self) -> tuple[Axis, ...]:
        """The forces and moments that it asks of the mixer of its craft, as it is set."""
        return ()

    def burns(self) -> float:
        """kg/s of fuel that it burns at full thrust."""
        return 0.0

    def most_thrust(self) -> float:
        """N of its thrust at full, of a part that burns fuel for it; 0 for all others."""
        return 0.0

    def holds_fuel(self) -> float:
        """kg of fuel in it at the start."""
        return 0.0

    def flight_drag(self, speed: float, air_density: float, weight: float) -> float | None:
        """N of drag by which it carries a weight, N, at a speed, m/s; None where it cannot."""
        return None

    def lift_line(self, parts: Mapping[str, Any]) -> tuple[float, float] | None:
        """Its lift for each rad of angle of attack, over the pressure of the air, m2, in the downwash of what flies
        ahead; and the m ahead of the origin where that acts. None where it does not lift upward. parts : those of its
        craft, by name."""
        return None

    def most_lift(self, air_density: float) -> float:
        """N of lift at its stall for each (m/s)2 of airspeed, where it carries the craft."""
        return 0.0

    def roll_by_pressure(self) -> float:
        """m3: N m of roll about its mount that its control surface gives fully over, each Pa of the air."""
        return 0.0

    def turns_craft(self, air_density: float) -> float:
        """N m about the forward axis with which what it turns turns the craft, at rest, driven fully."""
        return 0.0

    def chord(self) -> float:
        """m of the chord of a wing; 0 where it is none."""
        return 0.0

    def thrust_ahead(self, speed: float, air_density: float, mass: float) -> float:
        """N ahead at full channel at an airspeed, m/s."""
        return 0.0

    def hover_power_at(self, share: float) -> float:
        """W in hover at a share of its lift."""
        return 0.0
