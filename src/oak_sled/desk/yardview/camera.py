"""Cameras: where the view stands, where it looks, and what that does to points."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial.transform import Rotation

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import flights, levels, rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.sight import sight
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.craft import Craft

NAMES = ("chase", "side", "top", "ride", "orbit")
NEAR, FAR = 0.2, 2500.0


MOST_SPOTS = 20_000
"""Places of a path that say which way it is longest."""


@dataclass(frozen=True)
class Camera:
    """An eye, a target, an up direction, and the size of the picture in px."""

    eye: Floats
    target: Floats
    up: Floats
    width: int
    height: int
    fov_deg: float = 46.0

    def view(self) -> Floats:
        """World to camera, shape (4, 4)."""
        # in plain numbers: arrays of three cost more to hand about than to compute with
        eye = self.eye.tolist()
        ahead = _unit(*[to - at for to, at in zip(self.target.tolist(), eye, strict=True)])
        right = _unit(*_cross(ahead, self.up.tolist()))
        up = _cross(right, ahead)
        rows = [right, up, (-ahead[0], -ahead[1], -ahead[2])]
        return np.array(
            [[*row, -sum(one * at for one, at in zip(row, eye, strict=True))] for row in rows] + [[0.0, 0.0, 0.0, 1.0]]
        )

    def projection(self) -> Floats:
        """Camera to clip space, shape (4, 4)."""
        scale = 1.0 / math.tan(math.radians(self.fov_deg) / 2.0)
        made = np.zeros((4, 4))
        made[0, 0] = scale * self.height / max(self.width, 1)
        made[1, 1] = scale
        made[2, 2] = (FAR + NEAR) / (NEAR - FAR)
        made[2, 3] = 2.0 * FAR * NEAR / (NEAR - FAR)
        made[3, 2] = -1.0
        return made

    @cached_property
    def matrix(self) -> Floats:
        """World to clip space, shape (4, 4)."""
        return self.projection() @ self.view()

    @cached_property
    def _to_px(self) -> tuple[Floats, Floats]:
        """World to px times the depth, and to the depth: a matrix of shape (3, 3), to be multiplied from the right, and
        what is added, shape (3,)."""
        clip = self.matrix
        rows = np.stack(
            [
                0.5 * self.width * (clip[0] + clip[3]),
                0.5 * self.height * (clip[3] - clip[1]),
                clip[3],
            ]
        )
        return np.ascontiguousarray(rows[:, :3].T), rows[:, 3]

    def project(self, points: Floats) -> tuple[Floats, Floats]:
        """px of points, shape (n, 2), and how far they lie before the eye, m, shape (n,); <= 0: behind."""
        turn, shift = self._to_px
        found = np.atleast_2d(points) @ turn + shift
        depth = found[:, 2]
        safe = np.where(np.abs(depth) < 1e-6, 1e-6, depth)
        return found[:, :2] / safe[:, None], depth


def _cross(a: Sequence[float], b: Sequence[float]) -> tuple[float, float, float]:
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


def _unit(x: float, y: float, z: float) -> tuple[float, float, float]:
    size = max(math.sqrt(x * x + y * y + z * z), 1e-9)
    return x / size, y / size, z / size


@dataclass
class Rig:
    """Camera settings of the user: which one, its lag, and the orbit."""

    name: str = "chase"
    lag_s: float = 0.35
    turn_deg: float = 205.0
    tilt_deg: float = 24.0
    distance: float = 9.0
    fitted: tuple[float, float, float, float] | None = None  # x, y, z and radius of what is framed
    film: YardCamera | None = None
    """The camera of the yard that is looked through, if it is one of those."""
    round_deg: tuple[float, float] = (0.0, 0.0)
    """Degrees by which it is turned to the left and raised beside what that camera sees; no edit of it."""
    closer: float = 1.0
    """The distance in it, or the angle of view of one that stands somewhere, is this many times its own."""

    @property
    def rides(self) -> bool:
        """True if it looks out of the craft."""
        return self.name == "ride" if self.film is None else self.film.kind == "ride"

    def camera(self, run: Run, row: int, width: int, height: int) -> Camera:
        """The camera at a row of a run. It is a function of the run alone, so that scrubbing repeats it."""
        if self.fitted is not None:
            return self._framed(width, height)
        if self.film is not None:
            return self._filmed(self.film, run, row, width, height)
        position, size = whole_of(run, row)
        course = lagged_heading(run, row, self.lag_s)
        level = levels.at_row(run, row)
        ahead = level @ np.array([math.cos(course), math.sin(course), 0.0])
        up = level[:, 2]
        if self.name == "chase":
            eye = position - ahead * (1.35 * size + 1.9) + up * (0.66 * size + 0.8)
            return Camera(eye, position + ahead * 1.0 * size - up * 0.15, up, width, height)
        if self.name == "side":
            left = np.cross(up, ahead)
            return Camera(position - left * (1.7 * size + 2.0) + up * 1.1, position + up * 0.3, up, width, height)
        if self.name == "top":
            size = size_of(run.job.single) + 0.3 * (size - size_of(run.job.single))
            return Camera(position + up * (6.0 * size + 8.0), position, level[:, 0], width, height)
        if self.name == "ride":
            position, size = run.place_at(row), size_of(run.job.single)
            axes = rotations.rotation(run.own_row(row)[3:7])
            forward, craft_up = axes[:, 0], axes[:, 2]
            eye = position + forward * 0.18 * size + craft_up * (0.42 * size)
            return Camera(eye, eye + forward * 8.0 - craft_up * 0.9, craft_up, width, height, 62.0)
        return self._orbit(position, level, width, height)

    def _filmed(self, film: YardCamera, run: Run, row: int, width: int, height: int) -> Camera:
        seen = sight(run, film)
        row = min(row, len(seen.fov) - 1)
        eye, target, up = seen.eye[row], seen.target[row], seen.up[row]
        (turn, raised), fov = self.round_deg, float(seen.fov[row])
        stands = film.kind in ("ride", "tripod")
        if stands:
            fov = min(140.0, max(2.0, fov * self.closer))
        elif self.closer != 1.0:
            eye = target + (eye - target) * self.closer
        if turn or raised:
            # about the middle of the picture; one that sits or stands somewhere looks about instead
            arm, side = (target - eye, -1.0) if stands else (eye - target, 1.0)
            right = np.cross(up, arm) / max(float(np.linalg.norm(np.cross(up, arm))), 1e-9)
            arm = Rotation.from_rotvec(-math.radians(raised) * side * right).apply(arm)
            arm = Rotation.from_rotvec(math.radians(turn) * side * up).apply(arm)
            eye, target = (eye, eye + arm) if stands else (target + arm, target)
        return Camera(eye, target, up, width, height, fov)

    def _orbit(self, middle: Floats, level: Floats, width: int, height: int) -> Camera:
        turn, tilt = math.radians(self.turn_deg), math.radians(self.tilt_deg)
        out = level @ np.array([math.cos(turn) * math.cos(tilt), math.sin(turn) * math.cos(tilt), math.sin(tilt)])
        up = level[:, 2]
        return Camera(middle + out * self.distance, middle + up * 0.2, up, width, height)

    def _framed(self, width: int, height: int) -> Camera:
        assert self.fitted is not None
        x, y, z, radius = self.fitted
        turn, tilt = math.radians(self.turn_deg), math.radians(max(self.tilt_deg, 34.0))
        out = np.array([math.cos(turn) * math.cos(tilt), math.sin(turn) * math.cos(tilt), math.sin(tilt)])
        half_angle = math.tan(math.radians(23.0))
        across = radius / (half_angle * width / max(height, 1))  # the path lies across the picture
        deep = radius * math.sin(tilt) / half_angle * 0.35
        away = max(across, deep) * 1.08 + 5.0
        middle = np.array([x, y, z])
        return Camera(middle + out * away, middle, np.array([0.0, 0.0, 1.0]), width, height)

    def fit(self, run: Run) -> None:
        """Frames the whole path."""
        (low, high), place = box_of(run), spots_of(run)
        place = np.concatenate([place[:: max(1, len(place) // MOST_SPOTS)], place[-1:]])
        middle = 0.5 * (low + high)
        radius = max(0.5 * float(np.linalg.norm(high - low)), 4.0)
        if np.ptp(place[:, :2], axis=0).max() > 1.0:
            # look across the longest way of the path, so that it fills the width
            spread = np.cov((place[:, :2] - middle[:2]).T)
            _, ways = np.linalg.eigh(spread)
            way = ways[:, 1] if ways[:, 1] @ (place[-1, :2] - place[0, :2]) >= 0.0 else -ways[:, 1]
            self.turn_deg = math.degrees(math.atan2(way[1], way[0])) - 90.0  # from left to right
        self.fitted = (float(middle[0]), float(middle[1]), float(middle[2]), radius)

    def turned(self, by_turn: float, by_tilt: float) -> None:
        """Turns the orbit; the limits keep it above the ice."""
        if self.film is not None:
            turn, raised = self.round_deg
            self.round_deg = ((turn + by_turn + 180.0) % 360.0 - 180.0, min(80.0, max(-80.0, raised + by_tilt)))
            return
        self.turn_deg = (self.turn_deg + by_turn) % 360.0
        self.tilt_deg = min(88.0, max(3.0, self.tilt_deg + by_tilt))


def size_of(craft: Craft) -> float:
    """m of the longest side of a craft of one body."""
    return 2.0 * max(craft.body.half_extents())


def own_bodies(run: Run) -> frozenset[str]:
    """Ids of all bodies of the craft that is looked at."""
    lead = run.job.actors[run.job.who].lead
    return frozenset(one.craft.id for one in run.job.actors if one.lead == lead)


def whole_of(run: Run, row: int) -> tuple[Floats, float]:
    """The middle of all bodies of the craft that is looked at, m, shape (3,), and how large they are together, m."""
    own = run.job.actors[run.job.who].lead
    every = [who for who, one in enumerate(run.job.actors) if one.lead == own]
    if len(every) == 1:
        return run.place_at(row), size_of(run.job.single)
    numbers = run.record.row(row)
    places = np.array([numbers[first : first + 3] for first in (run.layout.first_of(who) for who in every)])
    reach = np.array([[0.5 * size_of(run.job.actors[who].craft)] for who in every])
    low, high = (places - reach).min(axis=0), (places + reach).max(axis=0)
    return np.asarray(0.5 * (low + high)), float((high - low).max())


def lagged_heading(run: Run, row: int, lag_s: float) -> float:
    """The heading, rad, seen through a first-order lag: a weighted mean over the time before `row`."""
    back = int(4.0 * lag_s * run.job.ticks)
    first = max(0, row - back)
    ways = traces.heading(run)[first : row + 1]  # kept with the run: a long one is not read anew for every picture
    angles = np.unwrap(np.arctan2(ways[:, 1], ways[:, 0]))
    if lag_s <= 0.0 or len(angles) < 2:
        return float(angles[-1])
    ages = np.arange(len(angles))[::-1] * run.job.dt
    weights = np.exp(-ages / lag_s)
    weights[0] *= 1.0 / max(1e-9, 1.0 - math.exp(-run.job.dt / lag_s)) if first == 0 else 1.0
    return float(np.sum(weights * angles) / np.sum(weights))


def box_of(run: Run) -> tuple[Floats, Floats]:
    """The lowest and highest corner of the box round all that `spots_of` gives, m; found once a run."""
    made: tuple[Floats, Floats] = run.analysis.once(("box of spots",), lambda: _box(spots_of(run)))
    return made


def _box(spots: Floats) -> tuple[Floats, Floats]:
    return spots.min(axis=0), spots.max(axis=0)


def spots_of(run: Run) -> Floats:
    """Positions of the craft in a run, and of what it launched: watched blocks and shots, shape (n, 3), m."""
    found = [run.columns("position.x", "position.y", "position.z")]
    for name in flights.watched(run):
        found.append(run.columns(*(f"block.{name}.position.{axis}" for axis in "xyz")))
    for name in run.layout.shots:
        flying = run.column(f"shot.{name}.age") > 0.0
        found.append(run.columns(*(f"shot.{name}.position.{axis}" for axis in "xyz"))[flying])
    return np.concatenate(found)
