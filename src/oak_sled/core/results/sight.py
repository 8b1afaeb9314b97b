"""The sight of a camera of the yard over a run: its eye, what it looks at, its up and its angle of view at every tick.

All of it is a function of the record and of the camera alone, so that scrubbing repeats what driving showed, and a
game that follows by the same equation films the same.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from scipy import signal

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import levels, rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.camera import YardCamera

_SIDEWAYS = 1.31
"""The rate of shake in pitch over that in yaw: no small whole numbers, so that the two do not draw one line."""


class Sight(NamedTuple):
    """At every row of a run: eye and target, m, and up, shape (rows, 3), world axes; fov: deg, shape (rows,).

    The eye is at the image of the world that the craft is in, where a ground wraps.
    """

    eye: Floats
    target: Floats
    up: Floats
    fov: Floats


def sight(run: Run, camera: YardCamera) -> Sight:
    """The sight that `camera` has of the craft that is looked at; kept with the run until another camera's is asked
    for."""
    found: Sight = run.analysis.newest("sight", camera, lambda: _seen(run, camera))
    return found


def follow(values: Floats, dt: float, lag: float, damping: float, rate: Floats | float = 0.0) -> Floats:
    """A follower of `values`, shape (n, k) at steps of dt, s, that moves as a spring with a damper does: `lag` s behind
    what moves evenly. At first it is in the state that it would have if they had moved at `rate`, shape (k,), for ever.

    Exact for values that run straight from one step to the next (a first-order hold).
    """
    if lag <= 0.0 or len(values) < 2:
        return values
    over, under, still = _filter(dt, lag, damping)
    ramp = np.arange(len(values))[:, None] * dt * np.asarray(rate)
    left = values - ramp
    moved, _ = signal.lfilter(over, under, left, axis=0, zi=still[:, None] * left[0])
    return np.asarray(moved + ramp - lag * np.asarray(rate))


@lru_cache(64)
def _filter(dt: float, lag: float, damping: float) -> tuple[Floats, Floats, Floats]:
    own = 2.0 * damping / lag
    over, under, _ = signal.cont2discrete(([own**2], [1.0, 2.0 * damping * own, own**2]), dt, method="foh")
    over = over.ravel()
    return over, under, signal.lfilter_zi(over, under)


def _seen(run: Run, camera: YardCamera) -> Sight:
    dt = run.job.dt
    place, velocity = traces.path(run), traces.velocity(run)
    jumps = run.columns("position.x", "position.y", "position.z") - place
    forward, up = _way(run, camera)
    forward, up = _square(follow(forward, dt, camera.turn_lag, camera.damping), up, camera, dt)
    behind = follow(place, dt, camera.place_lag, camera.damping, velocity[0])
    fast = _fast(run, camera)
    target = place + velocity * camera.look_ahead
    if camera.kind == "ride":
        eye, forward, up = _ridden(run, camera, place)
        target = eye + forward
    elif camera.kind == "tripod":
        eye, up = np.tile([camera.x, camera.y, camera.z], (len(place), 1)) - jumps, _level_up(run)
        away = follow(target - eye, dt, camera.turn_lag, camera.damping, velocity[0])
        target = eye + away
    else:
        reach = (camera.distance + (camera.distance_fast - camera.distance) * fast)[:, None]
        if camera.kind == "cast":
            middle, size = _whole(run)
            target = follow(middle, dt, camera.place_lag, camera.damping)
            behind, reach = target, reach * follow(size, dt, camera.place_lag, camera.damping)
        eye = behind - forward * reach + up * camera.height
    if camera.shake > 0.0 and camera.shake_by in traces.book(run):
        target = eye + _shaken(run, camera, target - eye, up)
    fov = camera.fov + (camera.fov_fast - camera.fov) * fast
    return Sight(eye + jumps, target + jumps, _off(target - eye, up), fov)


def _off(looks: Floats, up: Floats) -> Floats:
    """The up, and north in its place where it looks along it, up or down."""
    along = np.linalg.norm(np.cross(looks, up), axis=1) < 1e-3 * np.linalg.norm(looks, axis=1)
    return np.where(along[:, None], np.array([0.0, 1.0, 0.0]), up)


def _fast(run: Run, camera: YardCamera) -> Floats:
    """Speed as a share of the fast speed, 0 to 1, behind by the lag in place."""
    speed = follow(traces.values(run, "speed")[:, None], run.job.dt, camera.place_lag, camera.damping)[:, 0]
    return np.clip(speed / camera.fast, 0.0, 1.0)


def _level_up(run: Run) -> Floats:
    frames = levels.frames(run)
    return np.tile([0.0, 0.0, 1.0], (len(run.record), 1)) if frames is None else frames[:, :, 2]


def _way(run: Run, camera: YardCamera) -> tuple[Floats, Floats]:
    """The forward and the up that the camera takes from the craft, world axes, each of shape (rows, 3)."""
    turns = _attitudes(run)
    nose, left = levels.in_level(run, turns[:, :, 0]), levels.in_level(run, turns[:, :, 1])
    ahead = np.concatenate([traces.heading(run), np.zeros((len(nose), 1))], axis=1)
    angle = math.radians(camera.around)
    beside = np.stack([-ahead[:, 1], ahead[:, 0], ahead[:, 2]], axis=1)
    pitch = np.arctan2(nose[:, 2], np.hypot(nose[:, 0], nose[:, 1]))[:, None]
    top = np.array([0.0, 0.0, 1.0])
    bank = np.arctan2(
        np.sum(left * (np.cos(pitch) * top - np.sin(pitch) * ahead), axis=1), np.sum(left * beside, axis=1)
    )
    shared, roll = camera.pitch_share * pitch, camera.roll_share * bank[:, None]
    forward = np.cos(shared) * ahead + np.sin(shared) * top
    upright = np.cos(shared) * top - np.sin(shared) * ahead
    up = np.cos(roll) * upright - np.sin(roll) * beside
    side = np.cross(up, forward)
    forward = math.cos(angle) * forward + math.sin(angle) * side
    frames = levels.frames(run)
    if frames is None:
        return forward, up
    return np.einsum("nij,nj->ni", frames, forward), np.einsum("nij,nj->ni", frames, up)


def _square(forward: Floats, up: Floats, camera: YardCamera, dt: float) -> tuple[Floats, Floats]:
    """Unit vectors at right angles: the forward, and the up as it follows."""
    up = follow(up, dt, camera.turn_lag, camera.damping)
    forward = _unit(forward)
    return forward, _unit(up - forward * np.sum(up * forward, axis=1, keepdims=True))


def _unit(vectors: Floats) -> Floats:
    size = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.where(size > 1e-9, vectors / np.maximum(size, 1e-9), np.array([1.0, 0.0, 0.0]))


def _attitudes(run: Run) -> Floats:
    return rotations.rotations(run.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z"))


def _ridden(run: Run, camera: YardCamera, place: Floats) -> tuple[Floats, Floats, Floats]:
    """Eye, forward and up of a head in the craft: a mass on a spring, pushed back as the craft accelerates."""
    turns = _attitudes(run)
    pushed = np.einsum("nji,nj->ni", turns, traces.acceleration(run))
    give = (camera.place_lag / (2.0 * camera.damping)) ** 2
    head = np.array([camera.x, camera.y, camera.z]) - give * follow(
        pushed, run.job.dt, camera.place_lag, camera.damping
    )
    return place + np.einsum("nij,nj->ni", turns, head), turns[:, :, 0], turns[:, :, 2]


def _whole(run: Run) -> tuple[Floats, Floats]:
    """The middle of the cast, m, shape (rows, 3), and the radius about it in which all of it is, m, shape (rows, 1);
    each craft at its image nearest to the one that is looked at."""
    own = run.columns("position.x", "position.y", "position.z")
    path, period = traces.path(run), np.asarray(run.job.ground.period(), dtype=float)
    every, reach = [], []
    for who, actor in enumerate(run.job.actors):
        first = run.layout.first_of(who)
        away = np.asarray(run.record.block(first, 3)) - own
        every.append(path + away - period * np.round(away / np.where(period > 0.0, period, 1.0)))
        reach.append(float(np.linalg.norm(actor.craft.body.half_extents())))
    places = np.stack(every)
    middle = 0.5 * (places.min(axis=0) + places.max(axis=0))
    size = np.linalg.norm(places - middle, axis=2) + np.array(reach)[:, None]
    return middle, size.max(axis=0)[:, None]


def _shaken(run: Run, camera: YardCamera, away: Floats, up: Floats) -> Floats:
    """The direction of the look, turned by the shake."""
    size = follow(np.abs(traces.values(run, camera.shake_by))[:, None], run.job.dt, camera.shake_lag, camera.damping)
    turn = 2.0 * math.pi * camera.shake_rate * run.t[:, None]
    angle = np.tan(np.minimum(np.radians(camera.shake * size), 1.0))
    side = _unit(np.cross(away, up))
    far = np.linalg.norm(away, axis=1, keepdims=True)
    return away + far * angle * (np.sin(turn) * side + np.sin(_SIDEWAYS * turn) * up)
