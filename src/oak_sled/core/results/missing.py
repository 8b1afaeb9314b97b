"""The force that a craft lacks beside what a game did: the acceleration that the game has and it has not, over time.

The craft is taken along the recording: it is put to the state that the game told, runs on for a moment with the inputs
of the game, and what its velocity then lacks of that of the game, over that moment, is the acceleration that is
missing. So no error of one moment is carried into the next. Which force explains it is found among simple ones, each
with the one number that fits it best; the best is named with what it leaves beside the next.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from scipy.signal import savgol_filter

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.results import recorded, rotations
from oak_sled.core.results import run as run_module
from oak_sled.core.results.copying import Again
from oak_sled.core.results.recorded import is_told
from oak_sled.core.yard.recording import INPUT, MOVES, PLACE, SPINS, TURN, Recording

MOMENT_S = 0.1
"""s that the craft runs on by itself; longer where places are noisy, as velocities are then smoothed over longer."""
SMOOTH_S, SMOOTHEST_S = 0.25, 1.25
"""s over which velocities are made of places, where a game tells none (a cubic by least squares, Savitzky and Golay):
at least, and at most."""
CLEAN_M = 2e-4
"""m of noise of places up to which the least will do."""
FAST = 0.05
"""m/s below which a motion has no direction."""
NAMED = 0.05
"""Share of what the game accelerates by from which on what is missing is named."""
EXPLAINS = 0.3
"""Share of what is missing that a force must explain to be named."""
TELLS_APART = 1.15
"""Times what the best explanation leaves from which on the next is told from it."""
STRETCH = 2.5
"""Times the usual size from which on a stretch does not fit."""
MISSING = {
    "along": ("missing: along the motion", "m/s2"),
    "side": ("missing: to the left", "m/s2"),
    "turn": ("missing: turning left", "°/s2"),
}
"""The acceleration that the craft lacks beside a game, over time: the words and the unit."""


@dataclass(frozen=True)
class Force:
    """A force that would explain what is missing. name : what it is; says : with its number; explains : share of what
    is missing, squared, that it takes away; along : "motion", "side" or "turn"."""

    name: str
    says: str
    explains: float
    along: str


@dataclass(frozen=True)
class Missing:
    """The acceleration that a craft lacks beside a recording.

    t : s of the middle of each moment, shape (n,). along, side : m/s2 along the motion and to its left; turn : rad/s2
    to the left, shape (n,). speed : m/s then. forces : what would explain it, the best first; empty where nothing does.
    stretch : s from and to where it fits worst; None where it is even.
    """

    t: Floats
    along: Floats
    side: Floats
    turn: Floats
    speed: Floats
    forces: tuple[Force, ...]
    stretch: tuple[float, float] | None

    @property
    def rms(self) -> float:
        """m/s2, root mean square of both parts."""
        return float(np.sqrt(np.mean(self.along**2 + self.side**2)))


def found(job: Job) -> Missing:
    """The acceleration that the craft of a drill with a recording lacks. Raises `Refused` without a recording, or for
    one too short."""
    recording = job.drill.recording
    if recording is None:
        raise refuse(f"drills.{job.drill.id}", "has no recording", "a drill made of what a game did")
    told = recorded.as_run(recording, job)
    smooth = _smooth_s(recording)
    ticks = max(round(MOMENT_S * smooth / SMOOTH_S * job.ticks), 1)
    if told.ticks < 4 * ticks:
        lasts = units.plain(told.ticks * job.dt, "s", 3)
        raise refuse("recording", f"lasts {lasts}", f"{units.plain(4 * MOMENT_S, 's', 3)} at least")
    states = _states(told, recording, smooth)
    alone = recorded.alone(job)
    again = Again(alone, ())
    inputs = _inputs(told, alone)
    rows = np.arange(0, told.ticks - ticks + 1, ticks)
    names = [one.id for one in alone.channels]
    lacks, given = np.empty((len(rows), 6)), np.zeros((len(rows), len(names)))
    for place, row in enumerate(rows.tolist()):
        again.put(states[row])
        for tick in range(row, row + ticks):
            pose = again.step(inputs[tick])
            given[place] += [again.channel(name) / ticks for name in names]
        lacks[place] = (states[row + ticks, 7:] - pose[7:]) / (ticks * job.dt)
    middle = rows + ticks // 2
    moves = states[middle, 7:9]
    speed = np.asarray(np.linalg.norm(moves, axis=1), dtype=np.float64)
    nose = rotations.rotations(states[middle, 3:7])[:, :2, 0]
    way = np.where((speed > FAST)[:, None], moves / np.maximum(speed, 1e-9)[:, None], nose)
    along = np.asarray(lacks[:, 0] * way[:, 0] + lacks[:, 1] * way[:, 1], dtype=np.float64)
    side = np.asarray(lacks[:, 1] * way[:, 0] - lacks[:, 0] * way[:, 1], dtype=np.float64)
    turn = np.asarray(lacks[:, 5], dtype=np.float64)
    gains = (states[rows + ticks, 7:] - states[rows, 7:]) / (ticks * job.dt)
    linear, turning = (float(np.mean(one**2)) * NAMED**2 for one in (np.hypot(gains[:, 0], gains[:, 1]), gains[:, 5]))
    every = {"motion": along, "side": side, "turn": turn}
    least = {"motion": linear, "side": linear, "turn": turning}
    named = {name: one for name, one in every.items() if float(np.mean(one**2)) > max(least[name], 1e-9)}
    forces = _explained(named, speed, np.asarray(states[middle, 12], dtype=np.float64), given, names)
    times = np.asarray(middle * job.dt, dtype=np.float64)
    return Missing(times, along, side, turn, speed, forces, _stretch(times, along, side) if named else None)


def beside(run: run_module.Run) -> Missing | None:
    """The same for a run whose drill has a recording; None where there is no recording, or too short a
    one, or another craft than the one under test is looked at."""
    job = run.job
    if job.drill.recording is None or job.who != 0:
        return None

    def made() -> Missing | None:
        try:
            return found(job)
        except Refused:
            return None

    return run.analysis.once("missing", made)


def values(run: run_module.Run, what: str) -> Floats:
    """The acceleration that is missing at each row, one of `MISSING`, shape (rows,); NaN beyond what was told."""
    lacks = beside(run)
    if lacks is None:
        return np.full(run.ticks + 1, np.nan)
    told = {"along": lacks.along, "side": lacks.side, "turn": np.degrees(lacks.turn)}[what]
    return np.asarray(np.interp(run.t, lacks.t, told, left=np.nan, right=np.nan))


def _smooth_s(recording: Recording) -> float:
    """s over which velocities are smoothed: longer, the noisier the places are, by their third differences."""
    if recording.has(MOVES[0]):
        return SMOOTH_S
    third = np.concatenate([np.diff(recording.column(name), 3) for name in PLACE[:2]])
    noise = float(np.median(np.abs(third))) / 0.6745 / math.sqrt(20.0)
    return float(np.clip(SMOOTH_S * (noise / CLEAN_M) ** 0.4, SMOOTH_S, SMOOTHEST_S))


def _states(told: run_module.Run, recording: Recording, smooth: float) -> Floats:
    """The states that a game told at each tick, shape (ticks + 1, 13); velocities that it does not tell are smoothed
    from its places."""
    assert is_told(told)
    states = told.columns(*PLACE, *TURN, *MOVES, *SPINS)
    wide = 2 * round(0.5 * smooth * told.job.ticks) + 1
    if wide > 5 and len(states) > wide:
        if not recording.has(MOVES[0]):
            states[:, 7:10] = savgol_filter(states[:, 0:3], wide, 3, deriv=1, delta=told.job.dt, axis=0)
        if not recording.has(SPINS[0]):
            states[:, 10:13] = savgol_filter(states[:, 10:13], wide, 3, axis=0)
    return states


def _inputs(told: run_module.Run, job: Job) -> Floats:
    """The raw inputs of each tick, shape (ticks, channels)."""
    columns = [
        told.column(f"{INPUT}{one.id}")[1:] if f"{INPUT}{one.id}" in told.layout.names else np.zeros(told.ticks)
        for one in job.channels
    ]
    made = np.stack(columns, axis=1) if columns else np.zeros((told.ticks, 0))
    return np.nan_to_num(made)


def _explained(
    lacks_of: Mapping[str, Floats], speed: Floats, spin: Floats, given: Floats, names: list[str]
) -> tuple[Force, ...]:
    """Forces that explain enough of it, the best first. Each is one number times a shape over the moments. lacks_of :
    what is missing by its direction; speed, spin : shape (n,); given : channels, shape (n, channels)."""
    fast = float(speed.max(initial=0.0))
    shapes: list[tuple[str, str, Floats, Callable[[float], str]]] = [
        ("friction", "motion", np.where(speed > FAST, -1.0, 0.0), _friction),
        ("linear drag", "motion", -speed, lambda k: f"a damping of {units.plain(k, '1/s', 3)}{_at(k * fast, fast)}"),
        (
            "quadratic drag",
            "motion",
            -(speed**2),
            lambda k: f"{units.plain(k, '1/m', 3)} times speed squared{_at(k * fast * fast, fast)}",
        ),
        ("turn damping", "turn", -spin, lambda k: f"a spin damping of {units.plain(k, '1/s', 3)}"),
    ]
    for place, name in enumerate(names):
        values = np.asarray(given[:, place], dtype=np.float64)
        if np.ptp(values) > 0.0:
            shapes.append((f"a push by {name}", "motion", values, _pushes))
            shapes.append((f"a turn by {name}", "turn", values, _turns))
    shapes.append(("a pull aside", "side", np.ones(len(speed)), lambda k: units.plain(k, "m/s2", 3) + " to the left"))
    forces = []
    for name, where, shape, says in shapes:
        lacks = lacks_of.get(where)
        power = float(np.sum(shape * shape))
        if lacks is None or power < 1e-12:
            continue
        whole, size = float(np.sum(lacks * lacks)), float(np.sum(shape * lacks)) / power
        explains = size * size * power / whole
        if explains > EXPLAINS:
            less = size < 0.0 and not name.startswith("a ")  # it has too much of it
            forces.append(Force(f"less {name}" if less else name, says(size), explains, where))
    return tuple(sorted(forces, key=lambda one: -one.explains))


def _at(size: float, speed: float) -> str:
    """The size of a drag at the greatest speed, m/s2 and m/s."""
    return f", {units.plain(size, 'm/s2', 2)} against motion at {units.plain(speed, 'm/s', 2)}"


def _pushes(size: float) -> str:
    return f"{units.plain(size, 'm/s2', 3)} at full input"


def _turns(size: float) -> str:
    return f"{units.plain(math.degrees(size), '°/s2', 3)} at full input"


def _friction(size: float) -> str:
    return f"{units.plain(size, 'm/s2', 3)} against motion, a friction of {size / STANDARD_GRAVITY:.3f}"


def _stretch(t: Floats, along: Floats, side: Floats) -> tuple[float, float] | None:
    """The longest stretch in which far more is missing than elsewhere, s; None where it is even."""
    size = np.hypot(along, side)
    if len(size) < 8:
        return None
    wide = min(5, len(size))
    smooth = np.convolve(size, np.ones(wide) / wide, mode="same")
    usual = float(np.median(smooth))
    worse = smooth > max(STRETCH * usual, 1e-6)
    if not worse.any() or worse.mean() > 0.6:
        return None
    edges = np.flatnonzero(np.diff(worse.astype(int), prepend=0, append=0)).reshape(-1, 2)
    first, last = max(edges.tolist(), key=lambda one: one[1] - one[0])
    return (float(t[first]), float(t[last - 1])) if last - first > 1 else None


def words(missing: Missing) -> list[str]:
    """The missing acceleration in sentences."""
    lines = [f"the game has {units.show(missing.rms, 'm/s2')} (rms) that the craft has not"]
    if missing.stretch is not None:
        first, last = (units.fixed(one, "s", 1) for one in missing.stretch)
        lines.append(f"it fits worst from {first} to {last}")
    for along in ("motion", "side", "turn"):
        own = [one for one in missing.forces if one.along == along]
        if not own:
            continue
        best = own[0]
        told = f"{best.name} would explain {100.0 * best.explains:.0f} % of it: {best.says}"
        if len(own) > 1:
            left, other = 1.0 - best.explains, 1.0 - own[1].explains
            apart = other - left > 0.02 and math.sqrt(other / max(left, 1e-12)) >= TELLS_APART
            told += "" if apart else f"; cannot tell it from {own[1].name} ({own[1].says})"
        lines.append({"motion": "along the motion: ", "side": "to the side: ", "turn": "turning: "}[along] + told)
    return lines
