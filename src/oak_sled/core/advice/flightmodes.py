"""Modes of a flight: how a craft that flies steadily answers a small disturbance, from the real tick linearised.

The tick is asked with every state a little off: speeds along the heading, left and up, spins, pitch and roll, height,
heading and place where they matter, and the memories of parts (lags, downwash, holders). What neither moves anything
else nor is moved is left out. The roots of that map are those of the flight, at a tick so short that the scheme adds
less than half a percent to the fastest of them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine, State
from oak_sled.core.assembly.trim import Trim
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel import state
from oak_sled.core.results import rotations
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

TICKS = 3840
"""A second, of the tick that is linearised."""
RIGID = ("x", "y", "z", "heading", "pitch", "roll", "ahead", "left", "up", "rolling", "pitching", "yawing")
"""States of the body: m, rad, m/s along the heading, to its left and up, rad/s about the axes of the craft, the nose up
in `pitching`."""
AHEAD, UP, PITCH, PITCHING = RIGID.index("ahead"), RIGID.index("up"), RIGID.index("pitch"), RIGID.index("pitching")
LONGWISE = ("x", "z", "pitch", "ahead", "up", "pitching")
STEP = 1e-5
"""m, rad, m/s, rad/s and so on by which a state is off."""
SETTLES = 20.0
"""s for which a flight is held, and a hover is flown, until memories are steady."""
NEUTRAL = 1e-4
"""1/s below which a root is one of what may be anywhere: place, heading."""
QUICK = 60.0
"""1/s above which a root is none of the body."""
OWN = 0.15
"""Share of a mode that must be in the states of the body."""
HOVERS = 2.0
"""m/s below which a flight is a hover."""


@dataclass(frozen=True)
class FlightMode:
    """A mode. root : 1/s, the one with the positive imaginary part of a pair. shape : how much of it is in each of
    RIGID, shares of all."""

    name: str
    root: complex
    shape: tuple[float, ...]

    @property
    def period(self) -> float:
        """s of a swing; infinite where it does not swing."""
        return math.tau / abs(self.root.imag) if self.root.imag != 0.0 else math.inf

    @property
    def damping(self) -> float:
        """Damping ratio; below 0 where it grows."""
        return -self.root.real / abs(self.root)

    @property
    def grows(self) -> bool:
        """True if it grows."""
        return self.root.real > 0.0

    def words(self) -> str:
        """It in a line: period, damping, and what it feels like."""
        if self.root.imag != 0.0:
            swing = f"{units.show(self.period, 's')} a swing, damping ratio {self.damping:.2f}"
        else:
            swing = f"{units.show(1.0 / abs(self.root.real), 's')} to {'grow' if self.grows else 'fade'} by e"
        return f"{swing}: {self.feel()}"

    def feel(self) -> str:
        """The feel of it in a word or two."""
        if self.grows:
            doubles = math.log(2.0) / self.root.real
            return "runs away at once" if doubles < 1.0 else "must be held" if doubles < 8.0 else "wanders off slowly"
        if self.root.imag == 0.0:
            fades = 1.0 / abs(self.root.real)
            return "crisp" if fades < 0.4 else "soft" if fades < 2.0 else "lazy" if fades < 10.0 else "hardly felt"
        if self.damping < 0.1:
            return "goes on swinging" if self.period < 10.0 else "a long slow swell"
        if self.damping < 0.35:
            return "bouncy"
        return "firm" if self.period < 3.0 else "smooth"


def of_trim(craft: Craft, ground: Ground, trim: Trim) -> tuple[FlightMode, ...]:
    """The modes of a craft about a trim, fastest first."""
    flight = _Flight(craft, ground, dict(trim.channels), trim.speed)
    climb = math.asin(trim.climb / trim.speed)
    velocity = (trim.speed * math.cos(climb), 0.0, trim.speed * math.sin(climb))
    flight.hold(trim, velocity)
    return _named(flight.roots(), trim.speed)


def of_hover(craft: Craft, ground: Ground) -> tuple[FlightMode, ...]:
    """The modes of a craft that its holders keep in the air, fastest first, about where it comes to rest by itself."""
    flight = _Flight(craft, ground, {}, 0.0)
    flight.fly()
    return _named(flight.roots(), 0.0)


class _Flight:
    """A craft in a steady flight, and the map of its tick."""

    def __init__(self, craft: Craft, ground: Ground, channels: dict[str, float], speed: float):
        quick = tuple(
            one.replace(rise=1e6, fall=1e6, exponent=1.0, dead_zone=0.0, stays="no", takes="level", offset=0.0)
            for one in craft.channels
        )
        drill = Drill(id="modes", ground=ground.id, craft=craft.id, start=Start(height=1000.0), duration=1.0)
        air = ground.bare().replace(floor=False, wind_speed=0.0)
        self.job = Job(craft.replace(channels=quick), air, drill, TICKS)
        self.machine = Machine.of(self.job)
        self.inputs = np.array([channels.get(one.id, 0.0) for one in craft.channels])
        self._coarse = Job(craft.replace(channels=quick), air, drill, 120)
        self.speed = speed
        self._base = self.machine.save()

    def hold(self, trim: Trim, velocity: tuple[float, float, float]) -> None:
        """Settles memories while the body is held in a flight."""
        place = np.zeros(len(RIGID))
        place[2] = 1000.0
        place[3:6] = trim.slip, trim.pitch, trim.bank
        cos, sin = math.cos(trim.slip), math.sin(trim.slip)
        place[6:9] = cos * velocity[0] + sin * velocity[1], cos * velocity[1] - sin * velocity[0], velocity[2]
        turn = trim.turn * rotations.rotation(np.array(starts.attitude(trim.slip, -trim.pitch, trim.bank)))[2]
        place[9:12] = turn * (1.0, -1.0, 1.0)
        coarse = Machine.of(self._coarse)
        for _ in range(round(SETTLES * 120)):
            _put(coarse, place)
            coarse.tick(self.inputs)
        self._carry_on(coarse, place)

    def fly(self) -> None:
        """Lets the craft come to rest in the air by itself."""
        coarse = Machine.of(self._coarse)
        for _ in range(round(2.0 * SETTLES * 120)):
            coarse.tick(self.inputs)
        self._carry_on(coarse, _rigid(coarse))

    def _carry_on(self, coarse: Machine, place: Floats) -> None:
        """Takes over what a machine of longer ticks has settled to."""
        kept = coarse.save().arrays
        dt, nominal = self.machine.nows["dt"].copy(), self.machine.nows["nominal_dt"].copy()
        self.machine.load(state_with(self.machine, kept))
        self.machine.nows["dt"], self.machine.nows["nominal_dt"] = dt, nominal
        for _ in range(4):  # what comes a tick late
            _put(self.machine, place)
            self.machine.tick(self.inputs)
        _put(self.machine, place)
        self._base = self.machine.save()
        self._place = place

    def after(self, moved: Floats) -> Floats:
        """The states a tick later, where they are `moved` off, shape (states,)."""
        self.machine.load(self._base)
        _put(self.machine, self._place + moved[: len(RIGID)])
        memory = self.machine.nows["memory"][0]
        count = int(self.machine.nows["parts"][0])
        memory[:count] += moved[len(RIGID) :].reshape(count, state.MEMORY)
        self.machine.tick(self.inputs)
        return np.concatenate([_rigid(self.machine), self.machine.nows["memory"][0][:count].reshape(-1)])

    def roots(self) -> list[tuple[complex, Floats]]:
        """Every root, 1/s, that belongs to the body, and its shape over RIGID."""
        count = int(self.machine.nows["parts"][0])
        size = len(RIGID) + count * state.MEMORY
        found = np.empty((size, size))
        for k in range(size):
            off = np.zeros(size)
            off[k] = STEP
            found[:, k] = (self.after(off) - self.after(-off)) / (2.0 * STEP)
        found = np.nan_to_num(found)
        kept = _at_work(found)
        values, vectors = np.linalg.eig(found[np.ix_(kept, kept)])
        back = np.linalg.pinv(vectors)
        roots = []
        for k, value in enumerate(values):
            if abs(value) < 1e-9 or value.imag < -1e-12:
                continue
            root = complex(np.log(value) * TICKS)
            if abs(root.imag) < 1e-6 + 1e-5 * abs(root):
                root = complex(root.real, 0.0)
            part = np.abs(vectors[:, k] * back[k])
            part = part / max(float(part.sum()), 1e-300)
            shape = np.zeros(len(RIGID))
            for place, share in zip(kept, part, strict=True):
                if place < len(RIGID):
                    shape[place] += share
            if NEUTRAL < abs(root) < QUICK and shape.sum() > OWN:
                roots.append((root, shape))
        return sorted(roots, key=lambda one: -abs(one[0]))


def state_with(machine: Machine, arrays: dict[str, np.ndarray]) -> State:
    """A state of a machine with arrays of another of the same craft, of any shape that is the same in both."""
    own = machine.save()
    for name, array in own.arrays.items():
        if name in arrays and arrays[name].shape == array.shape:
            array[...] = arrays[name]
    return own


def _at_work(found: Floats) -> list[int]:
    """The states that move others, themselves among what moves, shape (n, n) to a list: the rest has no part in it."""
    alive = list(range(len(found)))
    while True:
        part = np.abs(found[np.ix_(alive, alive)])
        np.fill_diagonal(part, 0.0)
        moves, moved = part.max(axis=0, initial=0.0) > 1e-11, part.max(axis=1, initial=0.0) > 1e-11
        left = [one for one, a, b in zip(alive, moves, moved, strict=True) if a and b]
        if len(left) == len(alive):
            return left
        alive = left


def _put(machine: Machine, place: Floats) -> None:
    """Puts the body of a craft into a state of RIGID, shape (12,)."""
    body, now = machine.scene.solids[1], machine.nows[0]
    heading, pitch, roll = place[3:6].tolist()
    q = starts.attitude(heading, -pitch, roll)
    body["position"] = place[0:3]
    body["attitude"] = q
    axes = rotations.rotation(np.array(q))
    cos, sin = math.cos(heading), math.sin(heading)
    u, v, w = place[6:9].tolist()
    body["velocity"] = (cos * u - sin * v, sin * u + cos * v, w)
    body["spin"] = axes @ (place[9], -place[10], place[11])
    body_module.refresh(body, now)
    for joint in machine.scene.joints:
        if joint["a"] == 1:  # what it carries goes with it
            carried, lever = machine.scene.solids[joint["b"]], axes @ joint["at_a"]
            carried["position"] = body["position"] + lever - carried["axes"] @ joint["at_b"]
            carried["velocity"] = body["velocity"] + np.cross(body["spin"], lever)


def _rigid(machine: Machine) -> Floats:
    """The state of the body of a craft, shape (12,): see RIGID."""
    body = machine.scene.solids[1]
    axes, v = body["axes"], body["velocity"]
    heading = math.atan2(axes[1, 0], axes[0, 0])
    cos, sin = math.cos(heading), math.sin(heading)
    spin = axes.T @ body["spin"]
    return np.array(
        [
            *body["position"], heading, math.asin(min(max(axes[2, 0], -1.0), 1.0)), math.atan2(axes[2, 1], axes[2, 2]),
            cos * v[0] + sin * v[1], cos * v[1] - sin * v[0], v[2], spin[0], -spin[1], spin[2],
        ]
    )  # fmt: skip


def _named(roots: list[tuple[complex, Floats]], speed: float) -> tuple[FlightMode, ...]:
    """Roots with the names of the trade: those of a hover by what moves most, those of a flight by their kind."""
    if speed < HOVERS:
        return tuple(FlightMode(_most(shape), root, tuple(shape.tolist())) for root, shape in roots)
    found, taken = [], set()
    for root, shape in roots:
        named = dict(zip(RIGID, shape.tolist(), strict=True))
        if sum(named[one] for one in LONGWISE) > 0.5 * shape.sum():
            slow = named["ahead"] + named["z"] > named["pitching"] + named["up"] or "short period" in taken
            name = "phugoid" if slow else "short period"
        elif root.imag != 0.0:
            name = "Dutch roll"
        else:
            name = "roll" if named["rolling"] > named["roll"] + named["heading"] else "spiral"
        if name in taken:
            name = f"{name}, {'slower' if root.imag == 0.0 else 'again'}"
        taken.add(name)
        found.append(FlightMode(name, root, tuple(shape.tolist())))
    return tuple(found)


def _most(shape: Floats) -> str:
    """The motion that a mode of a hover is most of."""
    groups = {
        "pitch": ("pitch", "pitching"), "roll": ("roll", "rolling"), "yaw": ("heading", "yawing"),
        "height": ("z", "up"), "drift ahead": ("x", "ahead"), "drift aside": ("y", "left"),
    }  # fmt: skip
    share = dict(zip(RIGID, shape.tolist(), strict=True))
    return max(groups, key=lambda name: sum(share[one] for one in groups[name]))
