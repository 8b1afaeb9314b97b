"""The start of a craft: its pose and motion from a document and the ground below it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from oak_sled.core.assembly import ground_shape
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.kernel import spatial
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.orbit import Orbit
from oak_sled.core.yard.singles import FIRST
from oak_sled.core.yard.tie import Stretched

CLEAR = 0.5
"""m that a body that hangs begins above the ground, so that it swings and does not scrape."""


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


def start_states(craft: Craft, start: Start, ground: Ground, step: float = 0.0) -> tuple[Floats, ...]:
    """The states at the start of all bodies of a craft, see `Craft.singles`, each of shape (13,): as they are on it,
    turned and moving as one, so high that each of them stands clear of the ground, and one that hangs by CLEAR.

    step : s of a step, by half of which the velocity of an orbit is staggered; 0: not at all.
    """
    singles = craft.singles
    if start.orbit is not None:
        return _in_orbit(singles, start, start.orbit, ground, step)
    if len(singles) == 1:
        return (start_state(singles[0], start, ground),)
    level = [on_craft(one.body) for one in singles]
    first = start_state(singles[0], start, ground)
    angle = math.radians(start.heading_deg)
    turn = _axes_of(attitude(angle, 0.0, 0.0))
    high = []
    for one, (at, axes) in zip(singles, level, strict=True):
        lever = turn @ at
        own = start.replace(x=start.x + lever[0], y=start.y + lever[1], heading_deg=start.heading_deg + _heading(one))
        centre = (at + axes @ np.array(one.body.centre()))[2]
        under = start_state(one, own, ground)[2]
        if abs(axes[2, 2] - 1.0) > 1e-12:  # it lies over: what carries it does not tell, its corners do
            under += _lowest(one.body, axes) - _lowest(one.body, np.eye(3))
        high.append(under - centre + (CLEAR if hangs(craft, one.body) else 0.0))
    pose = _axes_of(first[3:7])
    origin = first[:3] - pose @ np.array(singles[0].body.centre())
    origin[2] = max(high)
    spin, velocity = first[10:13], first[7:10]
    lead, found = origin + pose @ np.array(singles[0].body.centre()), []
    for one, (at, axes) in zip(singles, level, strict=True):
        place = origin + pose @ (at + axes @ np.array(one.body.centre()))
        moves = velocity + np.cross(spin, place - lead)
        found.append(np.concatenate([place, _turned(first[3:7], _attitude_on_craft(one.body)), moves, spin]))
    return tuple(found)


def orbit_frame(orbit: Orbit, ground: Ground, step: float = 0.0) -> tuple[Floats, Floats, Floats]:
    """Place, m, axes, shape (3, 3) (along the motion, to the left, away from the block), and velocity, m/s, where an
    orbit begins, world axes; raises `Refused` where there is nothing to go round. step : see `start_states`."""
    block = next((one for one in ground.wells if one.id == orbit.around), None)
    if block is None or block.moves != "fixed":
        what = f"nothing static called {orbit.around!r} attracts on the ground {ground.id}"
        raise refuse("start.orbit.around", what, close_match(orbit.around, [one.id for one in ground.wells]))
    place, velocity = orbit.elements(block.radius).state(math.radians(orbit.anomaly_deg), block.mu)
    far = float(np.linalg.norm(place))
    up = place / far
    left = np.cross(up, velocity)
    left /= np.linalg.norm(left)
    if orbit.staggered:
        velocity = velocity + 0.5 * step * block.mu / far**2 * up
    return np.array(block.middle()) + place, np.stack([np.cross(left, up), left, up], axis=1), velocity


def _in_orbit(
    singles: tuple[Craft, ...], start: Start, orbit: Orbit, ground: Ground, step: float
) -> tuple[Floats, ...]:
    """The states of bodies of a craft that begins in an orbit, each of shape (13,)."""
    place, axes, velocity = orbit_frame(orbit, ground, step)
    angle = math.radians(start.heading_deg)
    own = _quaternion_of(axes)
    pose = _turned(own, attitude(angle, math.radians(start.pitch_deg), math.radians(start.roll_deg)))
    heading = axes @ _axes_of(attitude(angle, 0.0, 0.0))
    velocity = velocity + heading @ np.array([start.speed, start.side_speed, start.rise_speed])
    rates = (start.roll_rate_deg, start.pitch_rate_deg, start.yaw_rate_deg)
    spin = heading @ np.array([math.radians(one) for one in rates])
    turned = _axes_of(pose)
    lead = place + axes @ np.array([start.x, start.y, start.height])
    origin = lead - turned @ np.array(singles[0].body.centre())
    found = []
    for one in singles:
        at, on = on_craft(one.body)
        centre = origin + turned @ (at + on @ np.array(one.body.centre()))
        moves = velocity + np.cross(spin, centre - lead)
        found.append(np.concatenate([centre, _turned(pose, _attitude_on_craft(one.body)), moves, spin]))
    return tuple(found)


def hangs(craft: Craft, body: Body) -> bool:
    """True if all that holds a further body of a craft are ropes and the like, and one of them leads rather up than
    aside: it hangs, where one that is towed on a rope stands."""
    if not isinstance(body, Limb):
        return False
    held = [tie for tie in craft.ties if body.id in (tie.one or FIRST, tie.other or FIRST)]
    return all(isinstance(tie, Stretched) for tie in held) and any(_leads_up(tie, body.id) for tie in held)


def _leads_up(tie: Stretched, name: str) -> bool:
    """True if a tie leads up from the body of that name, steeper than halfway."""
    x, y, z = (end - one for one, end in zip((tie.x, tie.y, tie.z), tie.end, strict=True))
    return math.hypot(x, y) < (z if tie.one == name else -z)


def stands_at(craft: Craft, ground: Ground) -> float:
    """m from the origin of a craft down to level ground where it begins: it stands, or its lowest body does."""
    level = ground.bare().replace(floor=True)
    single = craft.singles[0]
    state = start_states(craft, Start(), level)[0]
    return float(state[2] - single.body.centre()[2])


def origin_of(craft: Craft, state: Floats) -> tuple[Floats, Floats]:
    """The origin of a craft whose first body is in a state, m, shape (3,), and its axes, shape (3, 3), world axes."""
    axes = _axes_of(state[3:7])
    return state[:3] - axes @ np.array(craft.body.centre()), axes


def on_craft(body: Body) -> tuple[Floats, Floats]:
    """The origin of a body on its craft, m, shape (3,), and its axes there, shape (3, 3)."""
    if not isinstance(body, Limb):
        return np.zeros(3), np.eye(3)
    return np.array([body.x, body.y, body.z]), _axes_of(_attitude_on_craft(body))


def _attitude_on_craft(body: Body) -> tuple[float, float, float, float]:
    if not isinstance(body, Limb):
        return 1.0, 0.0, 0.0, 0.0
    return attitude(*(math.radians(one) for one in (body.heading_deg, body.pitch_deg, body.roll_deg)))


def _axes_of(quaternion: Sequence[float] | Floats) -> Floats:
    axes = np.zeros((3, 3))
    spatial.axes_of(np.asarray(quaternion, dtype=np.float64), axes)
    return axes


def _turned(first: Floats, then: Sequence[float]) -> Floats:
    """The quaternion of an attitude in the axes of another (their product, any text on quaternions)."""
    a, b = first[0], first[1:]
    c, d = then[0], np.array(then[1:])
    return np.array([a * c - b @ d, *(a * d + c * b + np.cross(b, d))])


def _quaternion_of(axes: Floats) -> Floats:
    """The quaternion of axes, shape (3, 3) (Shepperd's choice of the greatest of four squares)."""
    squares = np.array([np.trace(axes), axes[0, 0], axes[1, 1], axes[2, 2]])
    k = int(np.argmax(squares))
    found = np.zeros(4)
    if k == 0:
        found[0] = 1.0 + squares[0]
        found[1:] = axes[2, 1] - axes[1, 2], axes[0, 2] - axes[2, 0], axes[1, 0] - axes[0, 1]
    else:
        i, j, m = k - 1, k % 3, (k + 1) % 3
        found[0] = axes[m, j] - axes[j, m]
        found[1 + i] = 1.0 + 2.0 * axes[i, i] - squares[0]
        found[1 + j], found[1 + m] = axes[j, i] + axes[i, j], axes[m, i] + axes[i, m]
    return np.asarray(found / np.linalg.norm(found))


def _heading(single: Craft) -> float:
    return single.body.heading_deg if isinstance(single.body, Limb) else 0.0


def _lowest(body: Body, axes: Floats) -> float:
    """m from the centre of mass down to the lowest corner of the box of a body in axes, shape (3, 3)."""
    middle, half = np.array(body.middle()) - np.array(body.centre()), np.array(body.half_extents())
    return float(np.abs(axes[2]) @ half - axes[2] @ middle)


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
