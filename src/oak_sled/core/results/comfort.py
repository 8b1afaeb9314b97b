"""Comfort of one who rides along, by ISO 2631-1:1997: accelerations of a head, weighted by what people feel.

A head follower of the craft says where the head is and how its neck gives; a craft without one has no comfort. All is
computed on the whole run at once, by its spectrum. What moves faster than a tenth of the tick rate is told too small: a
tick knows no more than the mean of its acceleration.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Floats
from oak_sled.core.parts.context import HeadModel
from oak_sled.core.results import rotations, traces
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run

Complex = NDArray[np.complex128]

LEAST_S = 2.0
"""s of a run below which a spectrum says nothing."""


def head_of(run: Run) -> HeadModel | None:
    """The head of one who rides along on the craft of a run; None for none, or a muted one."""
    craft = run.job.single
    necks = (part.neck() for part in craft.parts if craft.gain_of(part) > 0.0)
    return next((one for one in necks if one is not None), None)


def seat_acceleration(run: Run) -> Floats:
    """m/s2 of the place where the head is mounted, without gravity, craft axes, shape (ticks, 3)."""
    velocity = run.columns("velocity.x", "velocity.y", "velocity.z")
    head = head_of(run)
    frames = rotations.rotations(run.columns(*(f"rotation.{axis}" for axis in "wxyz")))
    if head is not None:
        lever = frames @ (np.array(head.at) - np.array(run.job.single.body.centre()))
        velocity = velocity + np.cross(run.columns("spin.x", "spin.y", "spin.z"), lever)
    change = np.diff(velocity, axis=0) * run.job.ticks
    return np.asarray(np.einsum("kji,kj->ki", frames[1:], change))


def transfer(head: HeadModel, frequencies: Floats) -> Complex:
    """Acceleration of a head over that of its mount, complex, shape (n,). frequencies : Hz, shape (n,)."""
    s = 2j * math.pi * frequencies
    return np.asarray((head.damper * s + head.spring) / (s * s + head.damper * s + head.spring))


def _second_order(s: Complex, frequency: float, q: float) -> Complex:
    w = math.tau * frequency
    return np.asarray(s * s / w**2 + s / (q * w) + 1.0)


def weight_wk(frequencies: Floats) -> Complex:
    """Weight of vertical vibration as a seated person feels it (ISO 2631-1, annex A, Wk), shape (n,), at Hz, shape
    (n,)."""
    return _weight(frequencies, (0.4, 100.0), 12.5, (12.5, 0.63), ((2.37, 0.91), (3.35, 0.91)))


def weight_wd(frequencies: Floats) -> Complex:
    """The same for vibration to the front and to the side (Wd), shape (n,)."""
    return _weight(frequencies, (0.4, 100.0), 2.0, (2.0, 0.63), None)


def weight_wf(frequencies: Floats) -> Complex:
    """Weight of slow vertical motion by which it makes people sick (Wf), shape (n,), at Hz, shape (n,)."""
    return _weight(frequencies, (0.08, 0.63), math.inf, (0.25, 0.86), ((0.0625, 0.80), (0.1, 0.80)))


def _weight(
    frequencies: Floats, band: tuple[float, float], third: float, fourth: tuple[float, float],
    step: tuple[tuple[float, float], tuple[float, float]] | None,
) -> Complex:  # fmt: skip
    """Band limits (Butterworth, second order), the transition from acceleration to velocity, and the upward step."""
    s = 2j * math.pi * np.maximum(frequencies, 1e-9)
    root = 1.0 / math.sqrt(2.0)
    low = math.tau * band[0]
    made = (s * s) / (s * s + low / root * s + low**2) / _second_order(s, band[1], root)
    made = made * (1.0 + (s / (math.tau * third) if math.isfinite(third) else 0.0)) / _second_order(s, *fourth)
    if step is not None:
        (f5, q5), (f6, q6) = step
        made = made * _second_order(s, f5, q5) / _second_order(s, f6, q6) * (f5 / f6) ** 2
    return np.asarray(made)


def _weighted(run: Run) -> dict[str, Floats] | None:
    """m/s2 of the head, weighted: forward, left and up by comfort, and up by sickness; each of shape (ticks,)."""
    seat = seat_acceleration(run)
    if len(seat) < LEAST_S * run.job.ticks:
        return None
    # doubled with zeros, so that its end does not run into its start
    count = 2 * len(seat)
    frequencies = np.asarray(np.fft.rfftfreq(count, run.job.dt), dtype=np.float64)
    head = head_of(run)
    gives = np.ones(len(frequencies)) if head is None else transfer(head, frequencies)
    spectrum = np.fft.rfft(seat, count, axis=0) * gives[:, None]
    laws = {"x": (0, weight_wd), "y": (1, weight_wd), "z": (2, weight_wk), "sick": (2, weight_wf)}
    return {
        name: np.fft.irfft(spectrum[:, axis] * law(frequencies), count)[: len(seat)]
        for name, (axis, law) in laws.items()
    }


def weighted(run: Run) -> dict[str, Floats] | None:
    """The same, shape (rows,) each, kept with the run; None for a run too short, and where nobody rides along."""
    if head_of(run) is None:
        return None
    return run.analysis.once("comfort", lambda: _weighted(run))


@measured(
    "ride comfort (head)",
    "m/s2",
    "weighted acceleration of the head follower: below 0.315 not uncomfortable, above 2 extremely so; vibration up to "
    "a tenth of the tick rate counts",
    formula="root mean square of the acceleration weighted by W_d and W_k",
    shows="a head follower",
    source="ISO 2631-1",
    better="low",
)
def comfort(run: Run) -> float | None:
    """The root of the mean square of all three directions together, m/s2 (ISO 2631-1, section 6.5, k = 1)."""
    found = weighted(run)
    if found is None:
        return None
    return math.sqrt(sum(float(np.mean(found[axis] ** 2)) for axis in "xyz"))


@measured(
    "motion sickness dose",
    "m/s1.5",
    "of the head follower, over the whole run",
    formula="sqrt(integral of a_w^2 dt), weighted by W_f",
    shows="a head follower",
    source="ISO 2631-1, section 9",
    better="low",
)
def sickness(run: Run) -> float | None:
    """Motion sickness dose value of the run, m/s1.5: the root of the integral of the square over time (section 9)."""
    found = weighted(run)
    return None if found is None else math.sqrt(float(np.sum(found["sick"] ** 2)) * run.job.dt)


@measured(
    "peak jerk",
    "m/s3",
    "greatest change of acceleration a tick, horizontal, hits included",
    formula="max |a(k) - a(k-1)| times the tick rate",
    shows="three ticks",
    better="low",
)
def peak_jerk(run: Run) -> float | None:
    """Greatest change of acceleration in a tick over the tick, level, hits included."""
    pull = traces.acceleration(run)[1:, :2]
    if len(pull) < 2:
        return None
    return float(np.max(np.linalg.norm(np.diff(pull, axis=0), axis=1)) * run.job.ticks)
