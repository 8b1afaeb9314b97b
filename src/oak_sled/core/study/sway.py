"""Sway: how what is towed swings behind its craft over speed, and the speed past which it swings ever wider.

At each speed the real tick runs straight on, with the speed of the craft along its way held as a steady pull at its
centre would; once with the last body turned a little to the left and once to the right, or pushed so where nothing
resists its turning. Half their difference is the answer of the linearised tick; its modes are those of the smallest
linear system that gives the same answer (eigensystem realisation: Juang and Pappa, Journal of Guidance 8, 1985). Told
is the mode that is damped least; where one grows and does not swing, it folds up: a jack-knife. Looked at are
velocities alone: what nothing holds keeps its velocity, a plain root at 0 that is told apart, where its place would be
a double one that seems to grow.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.contact import records
from oak_sled.core.yard.drill import Drill

SECONDS, RATE = 4.0, 60
"""s of an answer, and looks at it a second."""
KICKS = (3e-3, 3e-5, 3e-7)
"""rad/s by which the last body is turned, or m/s to the left: the first that does not take it far too soon."""
ORDER, FAINT = 8, 1e-4
"""States of the linear system at most, and the share of the strongest from which on one counts."""
FAR = 0.05
"""rad of turn past which an answer is none of a small disturbance, and is cut off."""
LONG = 90
"""Looks that an answer should have."""
HEARD = 0.01
"""Share of an answer from which on a mode is told."""
FREE = 0.05
"""Share of a yaw rate given to a body by which it changes at most where nothing resists its turning."""
NEUTRAL = 5e-3
"""1/s below which a mode that does not swing neither grows nor dies: what nothing holds."""
SPEEDS = (4.0, 8.0, 12.0, 16.0, 20.0, 25.0, 30.0, 40.0)
"""m/s of a table."""
CLOSE = 0.005
"""Share of the critical speed to which it is found."""


@dataclass(frozen=True)
class Swing:
    """The least damped mode at a speed, m/s. rate : 1/s, above 0 where it grows. turns : rad/s of its swing; 0 where it
    does not swing."""

    speed: float
    rate: float
    turns: float

    @property
    def damping(self) -> float:
        """Damping ratio; below 0 where it grows."""
        size = math.hypot(self.rate, self.turns)
        return -self.rate / size if size > 0.0 else 0.0

    @property
    def is_swing(self) -> bool:
        """True if it swings."""
        return self.turns > 0.0

    def words(self) -> str:
        """It in a line."""
        if not self.is_swing:
            if math.isinf(self.rate):
                return "nothing swings"
            return (
                f"folds up, e-fold in {units.show(1.0 / self.rate, 's')}" if self.rate > 0.0 else "straightens itself"
            )
        says = f"{units.show(self.turns / math.tau, 'Hz')}, damping ratio {self.damping:.3f}"
        return f"{says}: swings wider" if self.rate > 0.0 else says


@dataclass(frozen=True)
class Sway:
    """The swings of a towed row over speed, and the speed past which one grows, m/s; None where none does."""

    swings: tuple[Swing, ...]
    critical: float | None

    def words(self) -> str:
        """The critical speed in a line."""
        if self.critical is None:
            return f"stable up to {units.show(self.swings[-1].speed, 'm/s')}"
        worst = next(one for one in self.swings if one.rate > 0.0)
        what = "sways" if worst.is_swing else "jack-knifes"
        return f"{what} past {units.show(self.critical, 'm/s')}"


def towed(job: Job) -> list[int]:
    """The bodies that hang together with the craft under test by joints and ties, from that on, by their numbers."""
    pairs = [(one.a, one.b) for one in (*bodynames.joints_of(job), *bodynames.ties_of(job))]
    found = [1]
    for body in found:
        for a, b in pairs:
            for one, other in ((a, b), (b, a)):
                if one == body and other not in found and other != records.GROUND:
                    found.append(other)
    return found


def table(job: Job, speeds: Sequence[float] = SPEEDS, tell: Callable[[int, int], object] | None = None) -> Sway:
    """The least damped mode of what a craft tows at each of some speeds, m/s, and the critical speed.

    tell : called with how many speeds are done, and how many there are. Raises `Refused` where nothing is towed.
    """
    bodies = towed(job)
    if len(bodies) < 2:
        raise refuse(
            f"drills.{job.drill.id}", "nothing hangs on its craft", "a tie or a joint to a block, or to another craft"
        )
    swings = []
    for done, speed in enumerate(speeds):
        swings.append(swing_at(job, speed, bodies))
        if tell is not None:
            tell(done + 1, len(speeds))
    return Sway(tuple(swings), _critical(job, swings, bodies))


def _critical(job: Job, swings: Sequence[Swing], bodies: list[int]) -> float | None:
    """The least speed past which the least damped mode grows, by bisection between two of the table."""
    above = next((k for k, one in enumerate(swings) if one.rate > 0.0), None)
    if above is None:
        return None
    low = swings[above - 1].speed if above > 0 else 0.25 * swings[0].speed
    high = swings[above].speed
    while high - low > CLOSE * high:
        half = 0.5 * (low + high)
        if swing_at(job, half, bodies).rate > 0.0:
            high = half
        else:
            low = half
    return 0.5 * (low + high)


def swing_at(job: Job, speed: float, bodies: list[int] | None = None) -> Swing:
    """The least damped mode at a speed, m/s."""
    known = towed(job) if bodies is None else bodies
    for kick in KICKS:
        answer, large = _answers(job, speed, known, (kick, 0.0))
        if np.abs(answer[:, len(known) - 1] - kick).max() < FREE * kick:  # nothing resists, as with a load on a rope
            answer, large = _answers(job, speed, known, (0.0, kick))
        if large >= LONG:
            break
    kept = answer[: max(large, LONG // 2)]
    found = [one for one in modes_of(kept, 1.0 / RATE) if abs(one) > NEUTRAL]
    if not found:
        return Swing(speed, -math.inf, 0.0)
    worst = max(found, key=lambda one: one.real)
    return Swing(speed, float(worst.real), abs(float(worst.imag)))


def _answers(job: Job, speed: float, bodies: list[int], kick: tuple[float, float]) -> tuple[Floats, int]:
    """Half the difference of the answers to a kick to the left and to the right, and how many looks of it are of a
    small disturbance."""
    (left, turned), (right, other) = (_answer(job, speed, bodies, side * np.array(kick)) for side in (1.0, -1.0))
    large = np.flatnonzero(0.5 * np.abs(turned - other).max(axis=1) > FAR)
    return 0.5 * (left - right), int(large[0]) if len(large) else len(left)


def _answer(job: Job, speed: float, bodies: list[int], kick: Floats) -> tuple[Floats, Floats]:
    """Yaw rates, rad/s, and velocities to the left against the craft, m/s, shape (looks, 2 n - 1), after the last body
    is given a yaw rate and a velocity to the left, shape (2,); and the headings of what is towed against the craft,
    rad, shape (looks, n - 1)."""
    drill: Drill = job.drill.replace(tracks=(), events=(), targets=(), twins=(), end="time", duration=SECONDS)
    stands = {"speed": speed, "side_speed": 0.0, "rise_speed": 0.0, "yaw_rate_deg": 0.0}
    drill = drill.replace(
        start=drill.start.replace(**stands),
        cast=tuple(one.replace(start=one.start.replace(**stands), tracks=()) for one in drill.cast),
    )
    ticks = max(job.ticks // RATE, 1) * RATE
    made = replace(job, drill=drill, ticks=ticks)
    machine = Machine.of(made)
    solids = machine.scene.solids
    way = solids["axes"][1][:, 0].copy()
    for body in bodies:
        solids["velocity"][body] = speed * way
        solids["asleep"][body] = 0
    left = np.array([-way[1], way[0], 0.0])
    solids["spin"][bodies[-1], 2] += kick[0]
    solids["velocity"][bodies[-1]] += kick[1] * left
    inputs = np.zeros(sum(len(one.channels) for one in made.actors))
    looks = np.empty((round(SECONDS * RATE), 2 * len(bodies) - 1))
    turned = np.empty((len(looks), len(bodies) - 1))
    for look in range(len(looks)):
        for _ in range(ticks // RATE):
            machine.tick(inputs)
            solids["velocity"][1] += (speed - solids["velocity"][1] @ way) * way
        axes = solids["axes"][bodies]
        headings = np.arctan2(axes[:, 1, 0], axes[:, 0, 0])
        turned[look] = np.angle(np.exp(1j * (headings[1:] - headings[0])))
        sideways = solids["velocity"][bodies] @ left
        looks[look] = [*solids["spin"][bodies, 2], *(sideways[1:] - sideways[0])]
    return looks, turned


def modes_of(answer: Floats, step: float) -> list[complex]:
    """The roots, 1/s, of the smallest linear system with that answer, shape (looks, n), `step` s apart; those that are
    hardly heard in it are left out."""
    looks = len(answer)
    y = answer
    half = looks // 2
    rows = np.concatenate([y[k : k + looks - half - 1] for k in range(half)], axis=1).T
    later = np.concatenate([y[k + 1 : k + looks - half] for k in range(half)], axis=1).T
    if not np.isfinite(rows).all() or not np.abs(rows).max() > 0.0:
        return []
    u, sizes, v = np.linalg.svd(rows, full_matrices=False)
    order = min(int(np.sum(sizes > FAINT * sizes[0])), ORDER)
    root = np.sqrt(sizes[:order])
    step_map = (u[:, :order] / root).T @ later @ (v[:order].T / root)
    values = np.linalg.eigvals(step_map)
    values = values[np.abs(values) > 1e-6]
    powers = values[None, :] ** np.arange(looks)[:, None]
    shares, *_ = np.linalg.lstsq(powers, y.astype(complex), rcond=None)
    heard = np.abs(shares).max(axis=1)
    return [
        complex(np.log(value) / step)
        for value, loud in zip(values, heard, strict=True)
        if loud > HEARD * heard.max() and value.imag >= -1e-12
    ]
