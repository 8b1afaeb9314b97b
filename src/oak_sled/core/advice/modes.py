"""The stand of a craft on its rays: ride height, the load on each, and its bounce, pitch and roll, from the real
kernel.

The craft is put on level ground and let go for single ticks. Where it stands still follows by Newton's method from the
velocities that a tick gives it; its modes are the eigenvalues of the tick itself, linearised there by central
differences. The tick of x'' = -w2 x - 2 z w x' by semi-implicit Euler has trace 2 - w2 dt2 - 2 z w dt and determinant
1 - 2 z w dt, so that w and z of the craft, without the error of the tick, are read from a pair of eigenvalues.
"""

from __future__ import annotations

import collections
import math
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.kernel import spatial
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.results.record import Layout
from oak_sled.core.results.run import Run
from oak_sled.core.tick.rowlayout import RAY
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.ground import Ground

NAMES = ("bounce", "roll", "pitch")
LEAN = math.radians(35.0)
"""Lean up to which it is looked for where a craft tips."""
FOLLOWS = 0.1
"""s that a craft moves on as it does before it is looked at, where wheels of their own mass follow it."""
STEPS = np.array([1e-5, 1e-5, 1e-5, 1e-4, 1e-4, 1e-4])
"""m, rad, m/s and rad/s of the differences."""


@dataclass(frozen=True)
class Mode:
    """A way in which a craft swings on its supports. rate : rad/s, undamped; share : of critical damping; grows :
    whether it grows from tick to tick at this tick rate. stiffest, strongest : by how much all springs, or all dampers,
    can be multiplied before it does."""

    name: str
    rate: float
    share: float
    grows: bool
    stiffest: float
    strongest: float

    def would_hold(self) -> str:
        """The remedy that keeps it from growing, in words: weaker springs or dampers where less of them helps."""
        less = [(self.stiffest, "springs"), (self.strongest, "dampers")]
        times = [f"{factor:.2g} times the {name}" for factor, name in less if 0.0 < factor < 1.0]
        return " or ".join([*times, "more ticks/s"])


@dataclass(frozen=True)
class Standing:
    """height : m of the centre of mass of the craft alone over level ground; roll, pitch : rad; loads : N a ray; tips :
    the sideways acceleration over gravity at which the rays of one side carry it all, as it leans then, None where it
    is held or leans over 35 degrees before."""

    height: float
    roll: float
    pitch: float
    loads: tuple[float, ...]
    modes: tuple[Mode, ...]
    tips: float | None = None

    def mode(self, name: str) -> Mode | None:
        """The mode of that name; None where that axis is held."""
        return next((one for one in self.modes if one.name == name), None)


def standing(job: Job) -> Standing | None:
    """The stand of the craft that a job looks at, alone on the level part of its ground, its channels at rest; None
    where it has no rays, is held at its height, or finds no place at which it stands."""
    return standing_of(job.single, job.ground, job.ticks, job.integrator)


def standing_of(craft: Craft, ground: Ground, ticks: int, integrator: str = "semi_implicit") -> Standing | None:
    """The stand of a craft alone on the level part of a ground: see `standing`."""
    if (
        not any(part.legs() for part in craft.parts)
        or "z" in craft.body.held
        or ground.gravity * craft.body.gravity_scale <= 0.0
    ):
        return None
    # dry friction holds a craft that hardly moves, and would pass for damping
    smooth = tuple([one for part in craft.parts if (one := _at_rest(part)) is not None])
    others = [getattr(craft, name) for name in Craft.model_fields if name != "parts"]
    key = (smooth, others, ground, ticks, integrator)
    # compared, not hashed: nearly all of it is the very document that it was a moment ago
    for known, found in tuple(_STANDS):
        if known == key:
            return found
    made = _standing(craft.with_only(smooth), _bare(ground), ticks, integrator)
    _STANDS.appendleft((key, made))
    return made


_STANDS: collections.deque[tuple[object, Standing | None]] = collections.deque(maxlen=8)
"""The last stands of crafts without friction: what only rubs changes nothing of it, so that a drag of a grip finds it
here."""
_RESTS: collections.deque[tuple[AnyPart, AnyPart | None]] = collections.deque(maxlen=64)
"""Parts that were asked last what is left of them where nothing slides."""


def _at_rest(part: AnyPart) -> AnyPart | None:
    """A part without its friction, asked once of each."""
    for known, rest in tuple(_RESTS):
        if known is part:
            return rest
    found: AnyPart | None = part.at_rest()
    _RESTS.appendleft((part, found))
    return found


def _bare(ground: Ground) -> Ground:
    """The level part of a ground with nothing on it."""
    return ground.bare().replace(floor=True, wind_speed=0.0)


def _standing(craft: Craft, ground: Ground, ticks: int, integrator: str) -> Standing | None:
    """The stand of a craft without friction on bare ground."""
    drill = Drill(id="stand", ground=ground.id, craft=craft.id, duration=1.0)
    table = _Table(Job(craft, ground, drill, ticks, integrator))
    rest = table.rest()
    return None if rest is None else Standing(*rest, table.loads(rest), table.modes(rest), table.tips(rest))


class _Table:
    """The craft alone on level ground, put into a state and let go for one tick.

    A state is height, roll, pitch, rise speed, roll rate and pitch rate, shape (6,); heading and place stay.
    """

    def __init__(self, job: Job):
        self.job = job
        held = job.single.body.held
        self.free = [place for place, name in enumerate(("z", "roll", "pitch")) if name not in held]
        self._machine = Machine.of(self.job)
        self._start = self._machine.save()
        self._inputs = np.zeros((1, len(job.single.channels)))
        self._riders = bodynames.riders(self.job)
        self._warm = math.ceil(FOLLOWS / job.dt) if any(part.is_unsprung() for part in job.single.parts) else 0
        layout = Layout.of(self.job)
        self._row = np.empty((1, layout.width))
        self._first_ray = layout.place(f"{bodynames.ray_names(job.single)[0]}.gap")

    def after(self, state: Floats) -> Floats:
        """The state a tick later, shape (6,)."""
        machine = self._machine
        machine.load(self._start)
        moves = np.concatenate([state[3:], np.zeros(3)])
        for back in range(self._warm, 0, -1):
            self._put(state - back * self.job.dt * moves)
            machine.advance(self._inputs, self._row)
            memory, supports = machine.nows["memory"].copy(), machine.world.supports.copy()
            machine.load(self._start)
            machine.nows["memory"], machine.nows["time"], machine.world.supports[:] = memory, self.job.dt, supports
        self._put(state)
        machine.advance(self._inputs, self._row)
        row = self._row[0]
        w, x, y, z = row[3:7]
        turned = (2.0 * (y * z + w * x), 2.0 * (w * y - x * z))
        return np.array([row[2], math.asin(turned[0]), math.asin(turned[1]), row[9], row[10], row[11]])

    def _put(self, state: Floats) -> None:
        """Has the craft, and what it carries, move as a state says."""
        machine = self._machine
        solids = machine.scene.solids
        body = solids[1]
        height, roll, pitch = state[:3]
        body["position"][2] = height
        body["attitude"] = _attitude(roll, pitch)
        spatial.axes_of(body["attitude"], body["axes"])
        body["velocity"], body["spin"] = (0.0, 0.0, state[3]), (state[4], state[5], 0.0)
        for rider in self._riders:
            other, joint = solids[rider.solid], machine.scene.joints[rider.joint]
            lever = body["axes"] @ joint["at_a"]
            other["position"] = body["position"] + lever
            other["velocity"] = body["velocity"] + np.cross(body["spin"], lever)
            other["attitude"], other["spin"] = body["attitude"], body["spin"]

    def rest(self) -> tuple[float, float, float] | None:
        """Height, roll and pitch at which a tick moves nothing, by Newton's method; None where it finds none."""
        place = np.zeros(6)
        place[0] = self._start.arrays["scene.solids"][1]["position"][2]
        speeds = [3 + one for one in self.free]
        for _ in range(30):
            now = self.after(place)[speeds]
            if np.abs(now).max() < 1e-13 * self.job.ground.gravity:
                break
            slope = np.empty((len(speeds), len(speeds)))
            for column, one in enumerate(self.free):
                ahead = place.copy()
                ahead[one] += STEPS[one]
                slope[:, column] = (self.after(ahead)[speeds] - now) / STEPS[one]
            try:
                move = np.linalg.solve(slope, -now)
            except np.linalg.LinAlgError:
                return None
            most = np.abs(move).max()
            place[self.free] += move * (0.1 / most if most > 0.1 else 1.0)
            if most < 1e-14:
                break
        height, roll, pitch = (float(number) for number in place[:3])
        held = np.abs(self.after(place)[speeds]).max() < 1e-6
        return (height, roll, pitch) if held and max(abs(roll), abs(pitch)) < 0.5 else None

    def loads(self, rest: tuple[float, float, float]) -> tuple[float, ...]:
        """N on every ray where it stands."""
        self.after(np.array([*rest, 0.0, 0.0, 0.0]))
        every = [not ray.senses for part in self.job.single.parts for ray in part.rays()]
        return tuple(float(self._row[0, self._first_ray + RAY * k + 2]) for k, one in enumerate(every) if one)

    def tips(self, rest: tuple[float, float, float]) -> float | None:
        """The sideways acceleration over gravity that lifts one side off, the lesser of both: see Standing.

        For a lean, height and pitch are those at which the rays carry it. What they carry then stands below the centre
        of mass but for W a / g times its height over them, which is the moment of the push.
        """
        if "roll" not in [("z", "roll", "pitch")[one] for one in self.free]:
            return None
        self.after(np.array([*rest, 0.0, 0.0, 0.0]))
        points, loads = self._found()
        moment = float(loads @ points[:, 1])
        alike = abs(moment) < 1e-6 * float(loads @ np.abs(points[:, 1])) and abs(rest[1]) < 1e-9
        found = [self._tips_to(rest, side) for side in ((1.0,) if alike else (-1.0, 1.0))]
        return min((one for one in found if one is not None), default=None)

    def _tips_to(self, rest: tuple[float, float, float], side: float) -> float | None:
        """The same for a push to one side: 1 to the left, so that it leans with negative roll."""
        held = [one for one in self.free if one != 1]
        place = np.array([*rest, 0.0, 0.0, 0.0])
        self._carried(place, held)
        points, loads = self._found()
        lifts, whole = side * points[:, 1] < 0.0, float(loads.sum())
        # the load of the side that lifts falls about evenly: by secants, between a lean at which it carries and one
        # at which it does not
        low, high, lean = 0.0, LEAN, 1e-3
        before, left = 0.0, float(loads[lifts].sum())
        for _ in range(24):
            place[1] = rest[1] - side * lean
            self._carried(place, held)
            points, loads = self._found()
            now = float(loads[lifts].sum())
            low, high = (lean, high) if now > 0.0 else (low, lean)
            if high - low < 1e-5 or 0.0 < now < 2e-3 * whole or lean >= LEAN:
                break
            slope = (now - left) / (lean - before)
            before, left = lean, now
            ahead = lean - now / slope if now > 0.0 and slope < 0.0 else low
            lean = min(ahead + 1e-6, LEAN) if low < ahead < high else 0.5 * (low + high)
        if now > 1e-2 * whole or loads.sum() <= 0.0:
            return None
        out, below = (float(loads @ points[:, axis] / loads.sum()) for axis in (1, 2))
        return abs(out / below) if below < 0.0 else None

    def _carried(self, place: Floats, held: list[int]) -> None:
        """Moves height and pitch to where a tick moves neither, at the lean of `place`, by Newton's method; the last
        tick is left in the row."""
        speeds = [3 + one for one in held]
        for _ in range(12):
            now = self.after(place)[speeds]
            if np.abs(now).max() < 1e-9 * self.job.ground.gravity:
                return
            slope = np.empty((len(held), len(held)))
            for column, one in enumerate(held):
                ahead = place.copy()
                ahead[one] += STEPS[one]
                slope[:, column] = (self.after(ahead)[speeds] - now) / STEPS[one]
            move = np.linalg.lstsq(slope, -now, rcond=None)[0]
            most = np.abs(move).max()
            place[held] += move * (0.1 / most if most > 0.1 else 1.0)

    def _found(self) -> tuple[Floats, Floats]:
        """Of the last tick: the points under the rays from the centre of mass, m, shape (rays, 3), and their loads, N,
        shape (rays,)."""
        count = len(bodynames.ray_names(self.job.single))
        rays = self._row[0, self._first_ray : self._first_ray + RAY * count].reshape(count, RAY)
        return rays[:, 3:6] - self._row[0, 0:3], np.maximum(rays[:, 2], 0.0)

    def modes(self, rest: tuple[float, float, float]) -> tuple[Mode, ...]:
        """Bounce, roll and pitch, as far as they are free, each read from the pair of eigenvalues that it leads."""
        place = np.array([*rest, 0.0, 0.0, 0.0])
        used = [*self.free, *(3 + one for one in self.free)]
        step = np.empty((len(used), len(used)))
        for column, one in enumerate(used):
            ahead, behind = place.copy(), place.copy()
            ahead[one] += STEPS[one]
            behind[one] -= STEPS[one]
            step[:, column] = ((self.after(ahead) - self.after(behind)) / (2.0 * STEPS[one]))[used]
        values, vectors = np.linalg.eig(step)
        count = len(self.free)
        size = np.array([1.0, *self.job.single.body.half_extents()[1::-1]])[self.free]  # m that a rad lifts an edge
        shares = np.abs(vectors[:count]) * size[:, None]
        shares /= np.maximum(shares.sum(axis=0), 1e-300)
        found, left = [], list(range(2 * count))
        for number in np.argsort(-shares.max(axis=1)):
            pair = sorted(left, key=(-shares[number]).__getitem__)[:2]
            left = [one for one in left if one not in pair]
            found.append((int(number), values[pair[0]], values[pair[1]]))
        made = [self._mode(NAMES[self.free[number]], one, other) for number, one, other in sorted(found)]
        return tuple(mode for mode in made if mode is not None)

    def _mode(self, name: str, one: complex, other: complex) -> Mode | None:
        dt = self.job.dt
        trace, determinant = (one + other).real, (one * other).real
        springs, damps = 1.0 - trace + determinant, 1.0 - determinant
        if springs <= 0.0:
            return None  # nothing brings it back
        rate = math.sqrt(springs) / dt
        strongest = (4.0 - springs) / (2.0 * damps) if damps > 0.0 else math.inf
        return Mode(
            name,
            rate,
            damps / (2.0 * rate * dt),
            max(abs(one), abs(other)) > 1.0 + 1e-6,
            (4.0 - 2.0 * damps) / springs,
            strongest,
        )


def _attitude(roll: float, pitch: float) -> tuple[float, float, float, float]:
    """The quaternion (w, x, y, z) of a pitch about y, then a roll about the x that turned with it."""
    a, b = math.cos(0.5 * pitch), math.sin(0.5 * pitch)
    c, d = math.cos(0.5 * roll), math.sin(0.5 * roll)
    return (a * c, a * d, b * c, -b * d)


def of_run(run: Run) -> Standing | None:
    """The stand of the craft of a run, found once a run and kept with it."""
    return run.analysis.once("standing", lambda: standing(run.job))


def is_found(run: Run) -> bool:
    """True if `of_run` has its answer at once."""
    return run.live or run.analysis.knows("standing")
