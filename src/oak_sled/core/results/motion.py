"""Measures of motion: speed, stopping, sideslip, lateral acceleration, turning, gates and limits."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import traces
from oak_sled.core.results.measure import measured
from oak_sled.core.results.run import Run
from oak_sled.core.tick.loop import SLOWEST

HIT_S = 0.05
"""s over which what contacts give counts as one hit: a hit lasts several ticks where they are short."""


def _first(mask: NDArray[np.bool_], start: int = 0) -> int | None:
    hits = np.flatnonzero(mask[start:])
    return int(hits[0]) + start if len(hits) else None


def _event_row(run: Run) -> int:
    return run.at(run.job.drill.event_time)


@measured("top speed", "m/s", "greatest speed", formula="max |v|")
def top_speed(run: Run) -> float:
    return float(np.max(traces.values(run, "speed")))


@measured(
    "time to 90 % of top speed",
    "s",
    "from the start to 90 % of the top speed",
    formula="t where |v| first reaches 0.9 max |v|, between ticks",
    shows="a start below 90 % of the top speed",
    better="low",
)
def time_to_90(run: Run) -> float | None:
    """From the start; None when the run begins at that speed already."""
    speed = traces.values(run, "speed")
    wanted = 0.9 * np.max(speed)
    row = _first(speed >= wanted)
    return None if row is None or row == 0 else _crossing(run, speed, wanted, row)


def _crossing(run: Run, values: Floats, wanted: float, row: int) -> float:
    """The time at which a rising trace passes `wanted`, between row - 1 and row."""
    before, after = values[row - 1], values[row]
    share = (wanted - before) / (after - before) if after != before else 1.0
    return float((row - 1 + share) * run.job.dt)


@measured(
    "0 to 10 m/s",
    "s",
    "from the start to 10 m/s",
    formula="t where |v| first reaches 10 m/s, between ticks",
    shows="a start below 10 m/s, and that speed reached",
    better="low",
)
def time_to_10(run: Run) -> float | None:
    speed = traces.values(run, "speed")
    row = _first(speed >= 10.0)
    return None if row is None or row == 0 else _crossing(run, speed, 10.0, row)


@measured("distance", "m", "length of the path", formula="sum of |dx| over ticks")
def distance(run: Run) -> float:
    return float(np.sum(_steps(run)))


def _steps(run: Run) -> Floats:
    """m of path in every tick, between its places; wrapped edges do not count."""
    return np.asarray(np.linalg.norm(np.diff(traces.path(run), axis=0), axis=1))


@measured("drill time", "s", "from the start to the end of the drill", formula="ticks / tick rate")
def drill_time(run: Run) -> float:
    return run.duration


def _stop(run: Run) -> tuple[float, float] | None:
    """s and m from the event to speed 0: to the first row that is slow enough, or behind which the motion turns round
    within a tick, and on from there as it slowed down then. None where it does not stop."""
    start, speed = _event_row(run), traces.values(run, "speed")
    if speed[start] <= SLOWEST:
        return None
    motion = traces.velocity(run)
    turns = np.append(np.sum(motion[:-1] * motion[1:], axis=1) < 0.0, False)
    row = _first((speed <= SLOWEST) | turns, start)
    if row is None:
        return None
    ends = (row, row + 1) if turns[row] else (row - 1, row)
    slowing = float(np.linalg.norm(motion[ends[1]] - motion[ends[0]])) * run.job.ticks
    left = float(speed[row])
    rest = (left / slowing, left**2 / (2.0 * slowing)) if slowing > 0.0 else (0.0, 0.0)
    return (row - start) * run.job.dt + rest[0], float(np.sum(_steps(run)[start:row])) + rest[1]


@measured(
    "stopping distance",
    "m",
    "path from the event to standstill",
    formula="sum of |dx| from the event, the last tick by its deceleration",
    shows="motion at the event, and standstill after it",
    better="low",
)
def stop_distance(run: Run) -> float | None:
    found = _stop(run)
    return None if found is None else found[1]


@measured(
    "stopping time",
    "s",
    "from the event to standstill",
    formula="t of standstill - t of the event, the last tick by its deceleration",
    shows="motion at the event, and standstill after it",
    better="low",
)
def stop_time(run: Run) -> float | None:
    found = _stop(run)
    return None if found is None else found[0]


@measured(
    "time to half speed",
    "s",
    "from the event to half the speed at it",
    formula="t where |v| first reaches half of |v| at the event",
    shows="motion at the event, and half of that speed after it",
)
def halving_time(run: Run) -> float | None:
    start = _event_row(run)
    speed = traces.values(run, "speed")
    if speed[start] <= SLOWEST:
        return None
    row = _first(speed <= 0.5 * speed[start], start)
    return None if row is None else (row - start) * run.job.dt


@measured(
    "largest sideslip angle", "°", "greatest angle of motion to heading", formula="max |atan2(v_y, v_x)| in craft axes"
)
def peak_slip(run: Run) -> float:
    return float(np.max(np.abs(traces.values(run, "slip_angle"))))


@measured(
    "steady sideslip angle",
    "°",
    "greatest sideslip angle that is kept up for 1 s",
    formula="max over seconds of min |sideslip| in each",
    shows="a run of more than 1 s",
)
def held_slip(run: Run) -> float | None:
    """The greatest sideslip that is kept up for a second: the greatest of the least in every second."""
    slips, count = np.abs(traces.values(run, "slip_angle")), int(run.job.ticks)
    if len(slips) <= count:
        return None
    return float(np.max(np.min(np.lib.stride_tricks.sliding_window_view(slips, count), axis=1)))


@measured(
    "time sliding",
    "%",
    "share of ticks in which a runner or tire slides",
    formula="100 ticks sliding / ticks",
    shows="a part that can slide: runners or tires",
    ledger=True,
)
def slide_share(run: Run) -> float | None:
    runners = [part.id for part in run.job.single.parts if part.SLIDES]
    if not runners:
        return None
    sliding = np.max([run.column(f"{name}.activity") for name in runners], axis=0)
    return float(100.0 * np.mean(sliding[1:] > 0.5))


@measured(
    "time to regain grip",
    "s",
    "from the event to the sideslip angle staying below 5°",
    formula="t of the last |sideslip| > 5° - t of the event",
    shows="sideslip above 5° after the event, and less at the end",
    better="low",
)
def regain_time(run: Run) -> float | None:
    """From the event to the last moment with more than 5 degrees of sideslip."""
    start = _event_row(run)
    slipping = np.flatnonzero(np.abs(traces.values(run, "slip_angle")[start:]) > 5.0)
    if not len(slipping) or slipping[-1] + start >= run.ticks:
        return None
    return float((slipping[-1] + 1) * run.job.dt)


@measured(
    "peak lateral g", "g", "greatest mean lateral acceleration over 0.05 s", formula="max |mean of a_y / g| over 0.05 s"
)
def peak_side_g(run: Run) -> float:
    """The greatest mean over HIT_S: a blow that a tick takes counts by its change of speed, at any tick rate."""
    found = _greatest_mean_side_g(run, max(1, round(HIT_S * run.job.ticks)))
    return float(np.max(np.abs(traces.values(run, "side_g")))) if found is None else found


@measured(
    "sustained lateral g",
    "g",
    "greatest mean lateral acceleration over 1 s",
    formula="max |mean of a_y / g| over 1 s",
    shows="a run of more than 1 s",
)
def held_side_g(run: Run) -> float | None:
    """The greatest mean over one second."""
    return _greatest_mean_side_g(run, run.job.ticks)


def _greatest_mean_side_g(run: Run, window: int) -> float | None:
    """window : ticks."""
    side = traces.values(run, "side_g")
    if len(side) <= window:
        return None
    sums = np.concatenate([[0.0], np.cumsum(side)])
    return float(np.max(np.abs(sums[window:] - sums[:-window])) / window)


def _steady_yaw(run: Run) -> float | None:
    """°/s, the mean yaw rate of the last tenth of the run; None if the craft stands or hardly turns."""
    rate = traces.values(run, "yaw_rate")
    tail = rate[-max(2, len(rate) // 10) :]
    steady = float(np.mean(tail))
    return None if abs(steady) < 0.5 or float(np.ptp(tail)) > 0.5 * abs(steady) else steady


@measured(
    "yaw response time",
    "s",
    "from the event to 90 % of the steady yaw rate",
    formula="t where r first reaches 0.9 r_steady - t of the event",
    shows="a yaw rate that is steady over the last tenth",
    source="ISO 7401, step input",
    better="low",
)
def yaw_response(run: Run) -> float | None:
    """ISO 7401, step input: from the event to 90 % of the steady yaw rate."""
    steady = _steady_yaw(run)
    if steady is None:
        return None
    share = traces.values(run, "yaw_rate") / steady
    start = _event_row(run)
    row = _first(share >= 0.9, start)
    return None if row is None or row == 0 else max(0.0, _crossing(run, share, 0.9, row) - start * run.job.dt)


@measured(
    "yaw overshoot",
    "%",
    "yaw rate past the steady one",
    formula="100 (max r / r_steady - 1)",
    shows="a yaw rate that is steady over the last tenth",
    source="ISO 7401, step input",
    better="low",
)
def yaw_overshoot(run: Run) -> float | None:
    """ISO 7401, step input: (greatest - steady) / steady."""
    steady = _steady_yaw(run)
    if steady is None:
        return None
    share = traces.values(run, "yaw_rate")[_event_row(run) :] / steady
    return float(max(0.0, 100.0 * (np.max(share) - 1.0)))


@measured(
    "turn radius",
    "m",
    "steady speed over steady yaw rate",
    formula="|v| / |r|, means of the last tenth",
    shows="a yaw rate that is steady over the last tenth",
)
def turn_radius(run: Run) -> float | None:
    """Speed over yaw rate, both steady over the last tenth of the run."""
    steady = _steady_yaw(run)
    if steady is None:
        return None
    speed = traces.values(run, "speed")
    mean = float(np.mean(speed[-max(2, len(speed) // 10) :]))
    return mean / abs(np.radians(steady)) if mean > traces.SLOW else None


@measured(
    "heading change",
    "°",
    "heading at the end less heading at the start",
    formula="psi(end) - psi(0), whole turns counted",
)
def turned(run: Run) -> float:
    """Heading at the end less heading at the start."""
    angle = traces.values(run, "heading")
    return float(angle[-1] - angle[0])


@measured(
    "path width",
    "m",
    "extent of the path across the start heading",
    formula="max y - min y, y across the heading at the start",
)
def path_width(run: Run) -> float:
    """Greatest distance to the left plus greatest to the right of the line of the start heading."""
    way = traces.heading(run)[0]
    place = traces.path(run)
    aside = (place[:, 1] - place[0, 1]) * way[0] - (place[:, 0] - place[0, 0]) * way[1]
    return float(np.ptp(aside))


@measured("gates passed", "", "gates crossed between their poles", shows="a ground with gates", better="high")
def gates_passed(run: Run) -> float | None:
    if not run.job.ground.gates:
        return None
    return float(run.column("next_gate")[-1] - run.column("gates_missed")[-1])


@measured("gates missed", "", "gates crossed beside their poles", shows="a ground with gates", better="low")
def gates_missed(run: Run) -> float | None:
    return float(run.column("gates_missed")[-1]) if run.job.ground.gates else None


@measured(
    "time at limits",
    "%",
    "share of ticks in which a limiter acted",
    formula="100 ticks limited / ticks",
    shows="a part that limits",
    ledger=True,
)
def limit_share(run: Run) -> float | None:
    if not any(part.LIMITS for part in run.job.single.parts):
        return None
    return float(100.0 * np.mean(traces.values(run, "limit")[1:] > 0.0)) if run.ticks else None
