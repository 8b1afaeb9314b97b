"""The shape of a wing as it is drawn: a plate a half."""

import math

import numpy as np

from oak_sled.core.base.arrays import Floats


def about_x(angle: float) -> Floats:
    """The turn of a half about the line of the nose by an angle, rad, shape (3, 3)."""
    cos, sin = math.cos(angle), math.sin(angle)
    return np.array([[1.0, 0.0, 0.0], [0.0, cos, -sin], [0.0, sin, cos]])


def plates(
    mount: tuple[float, float, float], span: float, depth: float, sweep: float, dihedral: float, bank: float,
    incidence: float,
) -> list[Floats]:  # fmt: skip
    """Both halves, shape (4, 3): leading and trailing edge at the root, trailing and leading edge at the tip, m.

    mount : of the quarter chord at the root, craft axes, m. span, depth : m. The angles : rad.
    """
    found, turn, half = [], about_x(bank), 0.5 * span
    for side in (1.0, -1.0):
        bent = turn @ about_x(side * dihedral)
        chord = depth * (bent @ (math.cos(incidence), 0.0, math.sin(incidence)))
        ends = [np.array(mount) + bent @ (-y * math.tan(sweep), side * y, 0.0) for y in (0.0, half)]
        found.append(
            np.stack([ends[0] + 0.25 * chord, ends[0] - 0.75 * chord, ends[1] - 0.75 * chord, ends[1] + 0.25 * chord])
        )
    return found
