"""The document of an orbit: where a craft begins round a block that attracts."""

from __future__ import annotations

import math

from pydantic import Field

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, reference
from oak_sled.core.geometry.conic import Elements


class Orbit(Frozen):
    """An orbit round a static block that attracts, and where on it a craft begins: its nose along the motion, its top
    away from the block. The place, heading and speeds of the start count from there."""

    around: str = reference("block", "the block that attracts")
    altitude: float = dial(
        10.0, "m", "of its lowest point, above the surface", low=0.0, high=1e6, slider=(0.0, 200.0), main=True
    )
    eccentricity: float = dial(0.0, "", "0: a circle", low=0.0, high=0.95, slider=(0.0, 0.9), main=True)
    inclination_deg: float = dial(
        0.0, "°", "of its plane against the horizontal; 180 turns it back", low=0.0, high=180.0
    )
    node_deg: float = dial(0.0, "°", "heading at which it rises through the horizontal", low=-360.0, high=360.0)
    argument_deg: float = dial(
        0.0, "°", "from there to its lowest point", low=-360.0, high=360.0, title="argument of the periapsis"
    )
    anomaly_deg: float = dial(
        0.0, "°", "from its lowest point to the start", low=-360.0, high=360.0, title="true anomaly"
    )
    staggered: bool = Field(
        True, description="starts with the velocity of half a tick before, as the steps of a tick need it"
    )

    def elements(self, radius: float) -> Elements:
        """Its conic. radius : m of the block."""
        angles = (math.radians(one) for one in (self.inclination_deg, self.node_deg, self.argument_deg))
        return Elements(radius + self.altitude, self.eccentricity, *angles)
