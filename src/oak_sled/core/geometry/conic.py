"""Orbits round one body that attracts: elements of the conic, and place and velocity on it.

Notation and formulas: Vallado, Fundamentals of Astrodynamics and Applications, chapter 2 (two-body motion; algorithms
9 and 10, elements from a state and back). Angles in rad; inclination and node against the axes of the world.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Floats

ROUND = 1e-9
"""Eccentricity below which an orbit has no periapsis, and sine of an inclination below which it has no node."""


class Elements(NamedTuple):
    """A conic: periapsis, m from the middle; eccentricity; inclination, node and argument of the periapsis, rad."""

    periapsis: float
    eccentricity: float
    inclination: float = 0.0
    node: float = 0.0
    argument: float = 0.0

    @property
    def parameter(self) -> float:
        """The semi-latus rectum p, m."""
        return self.periapsis * (1.0 + self.eccentricity)

    @property
    def semi_axis(self) -> float:
        """The semi-major axis a, m; infinite of a parabola, below 0 of a hyperbola."""
        return self.periapsis / (1.0 - self.eccentricity) if self.eccentricity != 1.0 else math.inf

    @property
    def apoapsis(self) -> float:
        """m from the middle; infinite where it does not come back."""
        return self.semi_axis * (1.0 + self.eccentricity) if self.eccentricity < 1.0 else math.inf

    def period(self, mu: float) -> float:
        """s of a turn; infinite where it does not come back. mu : m3/s2."""
        return math.tau * math.sqrt(self.semi_axis**3 / mu) if self.eccentricity < 1.0 else math.inf

    def axes(self) -> Floats:
        """Columns: toward the periapsis, a quarter turn on, and along the angular momentum, shape (3, 3)."""
        cn, sn = math.cos(self.node), math.sin(self.node)
        ci, si = math.cos(self.inclination), math.sin(self.inclination)
        cw, sw = math.cos(self.argument), math.sin(self.argument)
        return np.array(
            [
                [cn * cw - sn * sw * ci, -cn * sw - sn * cw * ci, sn * si],
                [sn * cw + cn * sw * ci, -sn * sw + cn * cw * ci, -cn * si],
                [sw * si, cw * si, ci],
            ]
        )

    def places(self, anomaly: Floats) -> Floats:
        """m from the middle at true anomalies, shape (n,); shape (n, 3)."""
        far = self.parameter / (1.0 + self.eccentricity * np.cos(anomaly))
        flat = np.stack([far * np.cos(anomaly), far * np.sin(anomaly)], axis=1)
        return np.asarray(flat @ self.axes()[:, :2].T)

    def state(self, anomaly: float, mu: float) -> tuple[Floats, Floats]:
        """Place, m from the middle, and velocity, m/s, at a true anomaly, each of shape (3,). mu : m3/s2."""
        speed = math.sqrt(mu / self.parameter)
        axes = self.axes()
        moves = axes[:, 0] * (-speed * math.sin(anomaly)) + axes[:, 1] * (
            speed * (self.eccentricity + math.cos(anomaly))
        )
        return self.places(np.array([anomaly]))[0], moves


def elements_of(place: Floats, velocity: Floats, mu: float) -> Elements | None:
    """The conic of a state; None of one that falls straight.

    place : m from the middle, shape (3,). velocity : m/s, shape (3,), the same axes. mu : m3/s2.
    """
    momentum = np.cross(place, velocity)
    far, size = float(np.linalg.norm(place)), float(np.linalg.norm(momentum))
    if far <= 0.0 or size <= ROUND * far * float(np.linalg.norm(velocity)) or mu <= 0.0:
        return None
    toward = np.cross(velocity, momentum) / mu - place / far
    eccentricity = float(np.linalg.norm(toward))
    parameter = size * size / mu
    up = momentum / size
    tilt = math.hypot(up[0], up[1])
    node = math.atan2(up[0], -up[1]) if tilt > ROUND else 0.0
    from_node = np.array([math.cos(node), math.sin(node), 0.0])
    argument = 0.0
    if eccentricity > ROUND:
        argument = math.atan2(float(np.cross(from_node, toward) @ up), float(from_node @ toward))
    return Elements(parameter / (1.0 + eccentricity), eccentricity, math.atan2(tilt, up[2]), node, argument)


def anomaly_of(elements: Elements, place: Floats) -> float:
    """The true anomaly of a place on a conic, rad; of a round one from its node. place : m from the middle, shape
    (3,)."""
    x, y, _ = elements.axes().T @ place
    return math.atan2(y, x)
