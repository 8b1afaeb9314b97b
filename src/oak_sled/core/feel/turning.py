"""Quantities of turning: its rate, its ends, and the path of the craft meanwhile."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.feel.probes import BACK, FREE, HELD, LEAD, Probed, Seen
from oak_sled.core.feel.quantity import felt
from oak_sled.core.feel.timing import since, stays_below, when

QUARTER = math.radians(90.0)
"""rad of a turn of its nose within which slip is looked at: held on, every craft that slides goes backward."""
MOST_OVERSHOOT = 200.0
"""% beyond which an overshoot is only told to be large."""
LEAST_TURN = math.radians(0.25)
"""rad in an own time below which it is not said to turn."""
GOES = 0.2
"""Lengths in an own time from which on a craft is on its way."""


def _steady_turn(seen: Seen) -> float:
    """rad in an own time, the mean over the last third of the time in which a turn is held: of one that spins too."""
    rows = slice(seen.row(LEAD + 2.0 * HELD / 3.0), seen.row(LEAD + HELD) + 1)
    return float(seen.turning[rows].mean())


def _turned_into(seen: Seen) -> tuple[int, int]:
    """The rows from the step of the steering to where its nose has turned QUARTER, or to where it is let go."""
    begins, ends = seen.row(LEAD), seen.row(LEAD + HELD)
    past = np.flatnonzero(np.abs(seen.heading[begins:ends] - seen.heading[begins]) >= QUARTER)
    return begins, max(begins + int(past[0]) if len(past) else ends, begins + 1)


@felt(
    "turn-in", "", "turn", "time from the step of the steering to 90 % of the steady rate of turn, in own times",
    scale=(0.0, 6.0), size=0.3, moved_by="steering force over inertia, damping of the turn, rise of the channel",
)  # fmt: skip
def turn_in(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or (steady := _steady_turn(seen)) < LEAST_TURN:
        return None
    return since(when(seen, seen.turning, 0.9 * steady, seen.row(LEAD)), LEAD, HELD)


@felt(
    "rate of turn", "", "turn", "angle in radians that it turns in its own time while the turn is held",
    scale=(0.0, 2.0), size=0.1, moved_by="steering force over damping of the turn, turn radius",
)  # fmt: skip
def turn_rate(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or (steady := _steady_turn(seen)) < LEAST_TURN:
        return None
    return steady


@felt(
    "overshoot of the turn", "%", "turn", "by which the rate of turn passes the steady one",
    scale=(0.0, 100.0), size=8.0, moved_by="damping of the turn over steering, stiffness of the rear against the front",
)  # fmt: skip
def turn_overshoot(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or (steady := _steady_turn(seen)) < LEAST_TURN:
        return None
    rows = slice(seen.row(LEAD), seen.row(LEAD + HELD))
    return min(100.0 * max(float(seen.turning[rows].max()) / steady - 1.0, 0.0), MOST_OVERSHOOT)


@felt(
    "turning back", "", "turn",
    "time from steering the other way to 90 % of the rate of turn to that side, in own times",
    scale=(0.0, 8.0), size=0.4, moved_by="steering force over inertia, fall and rise of the channel",
)  # fmt: skip
def turn_back(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if (
        seen is None
        or (steady := _steady_turn(seen)) < LEAST_TURN
        or not probed.roles.channel(probed.roles.turn).two_sided
    ):
        return None
    start = LEAD + HELD
    return since(when(seen, -seen.turning, 0.9 * steady, seen.row(start)), start, BACK)


@felt(
    "turn stops", "", "turn",
    "time from letting the steering go until it turns at less than a tenth of the steady rate, in own times",
    scale=(0.0, 6.0), size=0.3, moved_by="damping of the turn, fins, runners, fall of the channel",
)  # fmt: skip
def turn_stops(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or (steady := _steady_turn(seen)) < LEAST_TURN:
        return None
    start = LEAD + HELD + BACK
    calm = stays_below(seen, np.abs(seen.turning), 0.1 * steady, seen.row(start))
    return since(calm, start, FREE)


@felt(
    "slip in a turn", "°", "turn",
    "greatest angle between nose and motion until the nose has turned by 90°, or the steering is let go",
    scale=(0.0, 90.0), size=5.0, moved_by="side grip of runners and tires, speed, rate of turn",
)  # fmt: skip
def turn_slip(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or probed.roles.way == 2:
        return None
    begins, ends = _turned_into(seen)
    return math.degrees(float(seen.slip[begins : ends + 1].max()))


@felt(
    "follows its nose", "", "turn",
    "share of the first 90° of the turn of its nose that its path turned too: 1 on rails, 0 when it slides straight on",
    scale=(0.0, 1.2), size=0.06, moved_by="side grip, thrust across the path",
)  # fmt: skip
def follows(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or probed.roles.way == 2:
        return None
    ends = _turned_into(seen)
    nose, path = (float(angle[ends[1]] - angle[ends[0]]) for angle in (seen.heading, seen.course))
    if abs(nose) < math.radians(5.0) or seen.speed[ends[0]] < seen.walks(GOES):
        return None
    return min(max(path / nose, 0.0), 2.0)


@felt(
    "lean in a turn", "°", "turn", "greatest angle by which it leans over from its attitude before",
    scale=(0.0, 60.0), size=3.0, moved_by="height of the centre of mass, springs, bars, track width",
)  # fmt: skip
def lean(probed: Probed) -> float | None:
    seen = probed.seen.get("turn")
    if seen is None or probed.roles.is_winged or probed.roles.axis != 2:
        return None
    rows = slice(seen.row(LEAD), seen.row(LEAD + HELD + BACK))
    return math.degrees(float(np.abs(seen.tilt[rows] - seen.tilt[seen.row(LEAD)]).max()))


@felt(
    "slip in a circle", "°", "circle", "mean angle between nose and motion at the end of a circle with half steering",
    scale=(0.0, 60.0), size=4.0, moved_by="side grip over speed",
)  # fmt: skip
def circle_slip(probed: Probed) -> float | None:
    seen = probed.seen.get("circle")
    if seen is None or probed.roles.way == 2 or probed.roles.axis != 2:
        return None
    return math.degrees(float(seen.slip[seen.row(seen.t[-1] - 4.0) :].mean()))


@felt(
    "speed kept", "", "slalom", "speed at the end of a slalom of full steering over that before it",
    scale=(0.0, 1.2), size=0.06, moved_by="side grip, drag of tires and runners, thrust",
)  # fmt: skip
def speed_kept(probed: Probed) -> float | None:
    seen = probed.seen.get("slalom")
    if seen is None or probed.roles.way != 0:
        return None
    before = float(seen.speed[seen.row(LEAD)])
    return None if before < seen.walks(GOES) else float(seen.speed[-1]) / before
