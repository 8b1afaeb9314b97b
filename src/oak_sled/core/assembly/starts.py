"""The start of a craft: its pose and motion from a document and the ground below it."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Start
from oak_sled.core.yard.ground import Ground


def start_state(craft: Craft, start: Start, ground: Ground) -> Floats:
    """Position, attitude, velocity and spin at the start, shape (13,), world axes; its height is above the ground.

    Attitude: heading about the upright, then pitch about the left axis, then roll about the forward one.
    """
    angle = math.radians(start.heading_deg)
    cos, sin = math.cos(angle), math.sin(angle)
    roll, pitch = math.radians(start.roll_rate_deg), math.radians(start.pitch_rate_deg)
    centre = craft.body.centre()
    x = start.x + cos * centre[0] - sin * centre[1]
    y = start.y + sin * centre[0] + cos * centre[1]
    return np.array(
        [
            x,
            y,
            start.height + craft.stands_above(ground.gravity) + _known_under(craft, ground, x, y, cos, sin),
            *attitude(angle, math.radians(start.pitch_deg), math.radians(start.roll_deg)),
            cos * start.speed - sin * start.side_speed,
            sin * start.speed + cos * start.side_speed,
            start.rise_speed,
            cos * roll - sin * pitch,
            sin * roll + cos * pitch,
            math.radians(start.yaw_rate_deg),
        ]
    )


def attitude(heading: float, pitch: float, roll: float) -> tuple[float, float, float, float]:
    """The quaternion (w, x, y, z) of a heading, then a pitch, then a roll, rad (z, y', x'', any text on attitude)."""
    a, b, c = math.cos(0.5 * heading), math.cos(0.5 * pitch), math.cos(0.5 * roll)
    d, e, f = math.sin(0.5 * heading), math.sin(0.5 * pitch), math.sin(0.5 * roll)
    return (a * b * c + d * e * f, a * b * f - d * e * c, a * e * c + d * b * f, d * b * c - a * e * f)


class _Under(NamedTuple):
    """m of ground under a craft at a start, and what decided it."""

    ground: Ground
    body: Body
    at: tuple[float, float, float, float]
    height: float


_kept: tuple[_Under, ...] = ()
_MOST_KEPT = 4


def _known_under(craft: Craft, ground: Ground, x: float, y: float, cos: float, sin: float) -> float:
    """`_ground_under`, kept for the last few: a spread starts a thousand crafts at one place of one ground."""
    global _kept  # replaced as a whole, so that threads that read it meanwhile are none the worse
    at = (x, y, cos, sin)
    for one in _kept:
        if one.ground is ground and one.body is craft.body and one.at == at:
            return one.height
    found = _Under(ground, craft.body, at, _ground_under(craft, ground, x, y, cos, sin))
    _kept = (found, *_kept[: _MOST_KEPT - 1])
    return found.height


def _ground_under(craft: Craft, ground: Ground, x: float, y: float, cos: float, sin: float) -> float:
    """m of uneven ground under a craft at a start: the highest of its middle, its sides and its corners."""
    if not ground_shape.is_uneven(ground) or "z" in craft.body.held:
        return 0.0
    a, b, _ = craft.body.half_extents()
    ahead, left, _ = craft.body.middle()
    spots = [(ahead + i * a, left + j * b) for i in (-1, 0, 1) for j in (-1, 0, 1)]
    under = [ground_shape.height_at(ground, x + cos * u - sin * v, y + sin * u + cos * v) for u, v in spots]
    found = [height for height in under if height is not None] + ([0.0] if ground.is_level else [])
    return max(found, default=0.0)
