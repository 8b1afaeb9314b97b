"""Readings of a run on tires: its understeer, where the force of a tire jumps and why."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.parts.common import Part
from oak_sled.core.results import traces
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

TURNS_FROM, TURNS_SHARE = 0.05, 0.7
"""Side g from which a turn counts for an understeer gradient, and the share of the greatest up to which it does where
it grows: past that the tires are not linear any more."""
SETTLES = 0.3
"""1/s by which yaw rate and speed may change, as a share of themselves, where a turn is steady."""


def steered(run: Run) -> tuple[Floats, float] | None:
    """The mean angle of the front wheels less that of the rear, rad, shape (rows,), and m between them; None without
    tires at two ends."""
    craft = run.job.single
    ends = bodynames.front_and_rear(one for one in bodynames.wheels(craft) if one.ray in bodynames.tired(craft))
    if not all(ends):
        return None
    names = bodynames.ray_names(craft)
    front, rear = (np.mean([run.column(f"{names[one.ray]}.steer") for one in end], axis=0) for end in ends)
    places = [float(np.mean([one.at[0] for one in end])) for end in ends]
    return front - rear, places[0] - places[1]


@measured(
    "understeer gradient",
    "°/g",
    "steering angle beyond that of the circle, over lateral g, from the event on",
    formula="least squares through 0 of (delta - L r / v) over a_y / g",
    shows="tires at two ends, and a steady turn",
    source="ISO 4138",
)
def understeer(run: Run) -> float | None:
    """Degrees of steering for each g beyond what the circle itself asks for, by least squares through 0: above 0 it
    runs wide as it gets faster, below 0 it turns in (ISO 4138, from the angles of the wheels)."""
    found = steered(run)
    if found is None or run.ticks < run.job.ticks:
        return None
    first = run.at(run.job.drill.event_time)
    angle, base = found[0][first:], found[1]
    if len(angle) < 10:
        return None
    speed = traces.values(run, "forward_speed")[first:]
    rate = np.radians(traces.values(run, "yaw_rate")[first:])
    pull = speed * rate / STANDARD_GRAVITY
    most = float(np.max(np.abs(pull), initial=0.0))
    steady = (np.abs(pull) > TURNS_FROM) & (speed > 1.0)
    for trace in (rate, speed):
        steady &= np.abs(np.gradient(trace, run.job.dt)) <= SETTLES * np.abs(trace)
    if np.count_nonzero(steady) < 10:
        return None
    if float(np.min(np.abs(pull[steady]))) < 0.5 * TURNS_SHARE * most:  # it grows; a circle at one speed does not
        steady &= np.abs(pull) <= TURNS_SHARE * most
    excess = angle[steady] - base * rate[steady] / speed[steady]
    return float(np.degrees(np.sum(excess * pull[steady]) / np.sum(pull[steady] ** 2)))


def jumps_of(run: Run, name: str) -> Floats:
    """N by which the force of a tire changed in each tick, shape (ticks,); 0 in those in which all begins."""
    forces = run.columns(f"{name}.along", f"{name}.side")
    changed = np.linalg.norm(np.diff(forces, axis=0), axis=1)
    changed[:2] = 0.0
    return np.asarray(changed)


@measured(
    "largest jump of force",
    "N",
    "greatest change of the force of a tire in a tick",
    formula="max |F(k) - F(k-1)|",
    shows="a tire",
    better="low",
)
def force_jump(run: Run) -> float | None:
    """The greatest of them."""
    if not run.layout.own.tires or run.ticks < 3:
        return None
    return max(float(np.max(jumps_of(run, name))) for name in run.layout.own.tires)


@dataclass(frozen=True)
class Jump:
    """A jump of the force of a tire in one tick: the row at its end, whose it was, N, and its likely cause."""

    row: int
    wheel: str
    force: float
    cause: str


MOST_JUMPS, APART_S = 8, 0.15
"""Jumps that are listed, and s for which those of one wheel count as one."""
LEAST_JUMP = 0.02
"""Share of the load of a wheel from which a change in a tick is a jump."""


def jumps(run: Run) -> tuple[Jump, ...]:
    """The largest jumps of force in one tick, the largest first; kept with the run."""
    return run.analysis.once("jumps", lambda: _jumps(run))


def _jumps(run: Run) -> tuple[Jump, ...]:
    words, found = traces.ray_words(run.job.single), []
    apart = max(1, int(APART_S * run.job.ticks))
    for name in run.layout.own.tires:
        changed = jumps_of(run, name)
        least = LEAST_JUMP * float(np.mean(run.column(f"{name}.force")))
        owner, _, number = name.rpartition(".")
        for _ in range(MOST_JUMPS):
            if not len(changed) or changed.max() <= max(least, 1e-6):
                break
            row = int(np.argmax(changed)) + 1
            found.append(Jump(row, words[owner][int(number) - 1], float(changed[row - 1]), _cause(run, name, row)))
            changed[max(row - 1 - apart, 0) : row - 1 + apart] = 0.0
    return tuple(sorted(found, key=lambda jump: -jump.force)[:MOST_JUMPS])


def _cause(run: Run, name: str, row: int) -> str:
    """The quantity of a wheel that changed most in a tick, by the force that it is worth."""
    before, now = (
        {
            what: float(run.column(f"{name}.{what}")[k])
            for what in ("turn", "drive", "brake", "force", "most_side", "side")
        }
        for k in (row - 1, row)
    )
    owner, _, number = name.rpartition(".")
    wheel = next(part for part in run.job.single.parts if part.id == owner)
    radius = wheel.rays()[int(number) - 1].wheel
    size = float(np.hypot(run.column(f"{name}.along")[row], run.column(f"{name}.side")[row])) + 1.0
    if (before["turn"] == 0.0) != (now["turn"] == 0.0):
        return "the wheel locks" if now["turn"] == 0.0 else "the wheel turns again"
    if (before["force"] <= 0.0) != (now["force"] <= 0.0):
        return "it lifts off" if now["force"] <= 0.0 else "it lands"
    grips = [one["most_side"] / max(one["force"], 1.0) for one in (before, now)]
    pressed = _brake_words(run, row, now["brake"] > before["brake"])
    worth = {
        _load_words(run, wheel, name, row): abs(now["force"] / max(before["force"], 1.0) - 1.0) * size,
        _grip_words(run, row): abs(grips[1] / max(grips[0], 1e-9) - 1.0) * size,
        pressed: abs(now["brake"] - before["brake"]) / radius,
        "drive torque": abs(now["drive"] - before["drive"]) / radius,
    }
    cause, most = max(worth.items(), key=lambda item: item[1])
    return cause if most > 0.3 * float(jumps_of(run, name)[row - 1]) else "its slip changes fast"


def _brake_words(run: Run, row: int, more: bool) -> str:
    """The brake that was pressed or released in a tick."""
    for part in run.job.single.parts:
        level = run.column(f"{part.id}.activity")[row - 1 : row + 1]
        if part.shows() == "brake" and (level[1] > level[0]) == more and level[0] != level[1]:
            return f"{part.heading.lower()} {'pressed' if more else 'released'}"
    return "brake pressed" if more else "brake released"


def _load_words(run: Run, wheel: Part, name: str, row: int) -> str:
    gaps, travel = run.column(f"{name}.gap")[row - 1 : row + 1], getattr(wheel, "travel", 0.0)
    squeezes = travel + getattr(wheel, "radius", 0.0) - gaps
    return "bump stop" if float(squeezes.max()) > travel else "its load changes"


def _grip_words(run: Run, row: int) -> str:
    """The change of grip it was: of a part that was set off or let go in the tick, or of the surface."""
    for part in run.job.single.parts:
        level = run.column(f"{part.id}.activity")[row - 1 : row + 1]
        if getattr(part, "grip_kept", 1.0) < 1.0 and level[0] != level[1]:
            return f"{part.heading.lower()} {'pulled' if level[1] > level[0] else 'released'}"
        blends = int(getattr(part, "blend_s", 0.0) * run.job.ticks) + 1
        if part.SLIDES and np.ptp(run.column(f"{part.id}.activity")[max(row - blends, 0) : row + 1]) > 0.0:
            return "grip set switched"
    return "another surface"
