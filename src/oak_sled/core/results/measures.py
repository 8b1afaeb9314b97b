"""Measures: one number read from a run, each with unit, definition and source.

A measure that a run does not show (a stopping distance of a run that never stops) is None, and
says so on the desk instead of inventing a number.

One file, since it is a list: a function and a line for each measure.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly import roster, scenes
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.results import comfort, flights, rides, rolling, traces
from oak_sled.core.results.run import Run
from oak_sled.core.tick.loop import SLOWEST
from oak_sled.core.yard.yard import Drill, Target

HIT_S = 0.05
"""s over which what contacts give counts as one hit: a hit lasts several ticks where they are short."""


@dataclass(frozen=True)
class Measure:
    """A number read from a run. better: "low", "high" or "" when neither is better as such. ledger: whether it may ask
    for the ledger of a craft; what does not is read from rows without it as well."""

    name: str
    title: str
    unit: str
    says: str
    read: Callable[[Run], float | None]
    better: str = ""
    ledger: bool = False


def _first(mask: NDArray[np.bool_], start: int = 0) -> int | None:
    hits = np.flatnonzero(mask[start:])
    return int(hits[0]) + start if len(hits) else None


def _event_row(run: Run) -> int:
    return run.at(run.job.drill.event_time)


def top_speed(run: Run) -> float:
    return float(np.max(traces.values(run, "speed")))


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


def time_to_10(run: Run) -> float | None:
    speed = traces.values(run, "speed")
    row = _first(speed >= 10.0)
    return None if row is None or row == 0 else _crossing(run, speed, 10.0, row)


def distance(run: Run) -> float:
    return float(np.sum(_steps(run)))


def _steps(run: Run) -> Floats:
    """m of path in every tick, between its places; wrapped edges do not count."""
    return np.asarray(np.linalg.norm(np.diff(traces.path(run), axis=0), axis=1))


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


def stop_distance(run: Run) -> float | None:
    found = _stop(run)
    return None if found is None else found[1]


def stop_time(run: Run) -> float | None:
    found = _stop(run)
    return None if found is None else found[0]


def halving_time(run: Run) -> float | None:
    start = _event_row(run)
    speed = traces.values(run, "speed")
    if speed[start] <= SLOWEST:
        return None
    row = _first(speed <= 0.5 * speed[start], start)
    return None if row is None else (row - start) * run.job.dt


def peak_slip(run: Run) -> float:
    return float(np.max(np.abs(traces.values(run, "slip_angle"))))


def slide_share(run: Run) -> float | None:
    runners = [part.id for part in run.job.craft.parts if part.SLIDES]
    if not runners:
        return None
    sliding = np.max([run.column(f"{name}.activity") for name in runners], axis=0)
    return float(100.0 * np.mean(sliding[1:] > 0.5))


def regain_time(run: Run) -> float | None:
    """From the event to the last moment with more than 5 degrees of side slip."""
    start = _event_row(run)
    slipping = np.flatnonzero(np.abs(traces.values(run, "slip_angle")[start:]) > 5.0)
    if not len(slipping) or slipping[-1] + start >= run.ticks:
        return None
    return float((slipping[-1] + 1) * run.job.dt)


def peak_side_g(run: Run) -> float:
    """The greatest mean over HIT_S: a blow that a tick takes counts by its change of speed, at any tick rate."""
    found = _greatest_mean_side_g(run, max(1, round(HIT_S * run.job.ticks)))
    return float(np.max(np.abs(traces.values(run, "side_g")))) if found is None else found


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


def yaw_response(run: Run) -> float | None:
    """ISO 7401, step input: from the event to 90 % of the steady yaw rate."""
    steady = _steady_yaw(run)
    if steady is None:
        return None
    share = traces.values(run, "yaw_rate") / steady
    start = _event_row(run)
    row = _first(share >= 0.9, start)
    return None if row is None or row == 0 else max(0.0, _crossing(run, share, 0.9, row) - start * run.job.dt)


def yaw_overshoot(run: Run) -> float | None:
    """ISO 7401, step input: (greatest - steady) / steady."""
    steady = _steady_yaw(run)
    if steady is None:
        return None
    share = traces.values(run, "yaw_rate")[_event_row(run) :] / steady
    return float(max(0.0, 100.0 * (np.max(share) - 1.0)))


def turn_radius(run: Run) -> float | None:
    """Speed over yaw rate, both steady over the last tenth of the run."""
    steady = _steady_yaw(run)
    if steady is None:
        return None
    speed = traces.values(run, "speed")
    mean = float(np.mean(speed[-max(2, len(speed) // 10) :]))
    return mean / abs(np.radians(steady)) if mean > traces.SLOW else None


def path_width(run: Run) -> float:
    """Greatest distance to the left plus greatest to the right of the line of the start heading."""
    way = traces.heading(run)[0]
    place = traces.path(run)
    aside = (place[:, 1] - place[0, 1]) * way[0] - (place[:, 0] - place[0, 0]) * way[1]
    return float(np.ptp(aside))


def gates_passed(run: Run) -> float | None:
    if not run.job.ground.gates:
        return None
    return float(run.column("next_gate")[-1] - run.column("gates_missed")[-1])


def gates_missed(run: Run) -> float | None:
    return float(run.column("gates_missed")[-1]) if run.job.ground.gates else None


def limit_share(run: Run) -> float | None:
    if not any(part.LIMITS for part in run.job.craft.parts):
        return None
    return float(100.0 * np.mean(traces.values(run, "limit")[1:] > 0.0)) if run.ticks else None


def hits(run: Run) -> float:
    return float(sum(event.word == "hit" for event in traces.events(run)))


def hardest_hit(run: Run) -> float | None:
    """The greatest impulse of contacts over HIT_S, without what only carries or leans against the other forces, and
    without what they gave as well in the same time before or after: that is a steady push."""
    bumpers = [part.id for part in run.job.craft.parts if part.ANSWERS_WALLS]
    touched = [*bumpers, "walls", "contact"]
    given = np.sum([run.line(name)[:, :3] for name in touched], axis=0)
    if not np.any(given):
        return None
    others = np.sum([run.line(name)[:, :3] for name in run.layout.lines if name not in touched], axis=0)
    size = np.linalg.norm(others, axis=1, keepdims=True)
    way = others / np.where(size > 0.0, size, 1.0)
    against = np.clip(-np.sum(given * way, axis=1, keepdims=True), 0.0, size)  # of it holds against what pushes
    count = max(2, round(HIT_S * run.job.ticks))
    summed = np.cumsum(np.concatenate([np.zeros((count, 3)), given + against * way, np.zeros((2 * count, 3))]), axis=0)
    windows = np.linalg.norm(summed[count:] - summed[:-count], axis=1)  # that ends at each row, and behind the last
    steady = np.maximum(np.concatenate([np.zeros(count), windows[: -2 * count]]), windows[count:])
    hit = float(np.max(windows[:-count] - steady, initial=0.0)) * run.job.dt
    return hit if hit > 1e-3 * run.job.craft.body.true_mass() else None


def speed_kept(run: Run) -> float | None:
    """Speed half a second after the first hit, as a share of the speed before it."""
    first = next((event.row for event in traces.events(run) if event.word == "hit"), None)
    if first is None:
        return None
    speed = traces.values(run, "speed")
    after = min(first + run.job.ticks // 2, run.ticks)
    return float(100.0 * speed[after] / speed[first - 1]) if speed[first - 1] > SLOWEST else None


def _among(run: Run) -> bool:
    return scenes.can_collide(run.job)


def air_time(run: Run) -> float | None:
    """Nothing below carries it; only for a craft whose height is free."""
    if not _among(run) or "z" in run.job.craft.body.held:
        return None
    return float(np.sum(run.column("on_ground")[1:] == 0.0) * run.job.dt)


def highest(run: Run) -> float | None:
    if "z" in run.job.craft.body.held:
        return None
    height = run.column("position.z")
    return float(np.max(height) - height[0])


def _lean(run: Run, axis: int) -> float | None:
    """Greatest angle of a craft axis to the level, degrees."""
    if {"roll", "pitch"} <= set(run.job.craft.body.held):
        return None
    w, x, y, z = (run.column(f"rotation.{name}") for name in "wxyz")
    up = 2.0 * (x * z - w * y) if axis == 0 else 2.0 * (y * z + w * x)
    return float(np.degrees(np.max(np.abs(np.arcsin(np.clip(up, -1.0, 1.0))))))


def largest_roll(run: Run) -> float | None:
    return _lean(run, 1)


def largest_pitch(run: Run) -> float | None:
    return _lean(run, 0)


MOVED = 0.25
"""m past which a block counts as moved."""


def blocks_moved(run: Run) -> float | None:
    """Of the blocks that are loose."""
    loose = [one.id for one in roster.moving(run.job.ground) if one.moves == "free"]
    if not loose or not run.layout.blocks:
        return None
    moved = 0
    for name in loose:
        place = run.columns(*(f"block.{name}.position.{axis}" for axis in "xyz"))
        moved += float(np.max(np.linalg.norm(place - place[0], axis=1))) > MOVED
    return float(moved)


def reports(run: Run) -> float | None:
    """Times that something came into a trigger, or into what only reports it."""
    if not run.layout.triggers:
        return None
    return float(sum(event.word == "report" for event in traces.events(run)))


def _flight(run: Run, name: str) -> flights.Flight | None:
    """The flight of a block, or of the craft where no name is given; None where there is none."""
    if not name:
        return flights.of_craft(run)
    return flights.of_block(run, name) if name in run.layout.blocks else None


def _of_flight(field: str, name: str = "") -> Callable[[Run], float | None]:
    """A number of the flight of the craft, or of a watched block; the flight is read once a run."""

    def read(run: Run) -> float | None:
        flight = run.analysis.once(("flight", name), lambda: _flight(run, name))
        if flight is None or (field in ("height", "air") and flight.air == 0.0):
            return None  # what slid along the ground did not fly
        return getattr(flight, field)

    return read


def drive_energy(run: Run) -> float:
    """The work of all parts that drive, of those that drive wheels by the torque on the wheels that they turn."""
    drives = [part for part in run.job.craft.parts if part.FAMILY == "drive"]
    pushed = sum(traces.work(run, part.id) for part in drives)
    if all(part.shows() != "drive" for part in drives):
        return pushed
    turned = 0.0
    for name in run.layout.own.tires:
        turn, torque = run.column(f"{name}.turn"), run.column(f"{name}.drive")
        turned += float(np.sum(torque[1:] * (turn[1:] + turn[:-1]))) * 0.5 * run.job.dt
    return pushed + turned


def peak_jerk(run: Run) -> float | None:
    """Greatest change of acceleration in a tick over the tick, level, hits included."""
    pull = traces.acceleration(run)[1:, :2]
    if len(pull) < 2:
        return None
    return float(np.max(np.linalg.norm(np.diff(pull, axis=0), axis=1)) * run.job.ticks)


def held_slip(run: Run) -> float | None:
    """The greatest side slip that is kept up for a second: the greatest of the least in every second."""
    slips, count = np.abs(traces.values(run, "slip_angle")), int(run.job.ticks)
    if len(slips) <= count:
        return None
    return float(np.max(np.min(np.lib.stride_tricks.sliding_window_view(slips, count), axis=1)))


def turned(run: Run) -> float:
    """Heading at the end less heading at the start."""
    angle = traces.values(run, "heading")
    return float(angle[-1] - angle[0])


def drill_time(run: Run) -> float:
    return run.duration


MEASURES = (
    Measure("top_speed", "top speed", "m/s", "greatest speed", top_speed),
    Measure("time_to_90", "time to 90 % of it", "s", "from the start to 90 % of the top speed", time_to_90, "low"),
    Measure("time_to_10", "0 to 10 m/s", "s", "from the start to 10 m/s", time_to_10, "low"),
    Measure("distance", "distance", "m", "length of the path", distance),
    Measure("drill_time", "drill time", "s", "from the start to the end of the drill", drill_time),
    Measure("stop_distance", "stopping distance", "m", "path from the event to standstill", stop_distance, "low"),
    Measure("stop_time", "stopping time", "s", "from the event to standstill", stop_time, "low"),
    Measure("halving_time", "speed halves in", "s", "from the event to half the speed at it", halving_time),
    Measure("peak_slip", "largest side slip", "°", "greatest angle of motion to heading", peak_slip),
    Measure("held_slip", "side slip held", "°", "greatest side slip that is kept up for 1 s", held_slip),
    Measure(
        "slide_share", "time sliding", "%", "share of ticks in which a runner or tire slides", slide_share, ledger=True
    ),
    Measure("regain_time", "grip regained in", "s", "from the event to side slip staying below 5°", regain_time, "low"),
    Measure("peak_side_g", "peak side g", "g", "greatest mean side acceleration over 0.05 s", peak_side_g),
    Measure("held_side_g", "held side g", "g", "greatest mean side acceleration over 1 s", held_side_g),
    Measure("yaw_response", "yaw response", "s", "event to 90 % of steady yaw rate (ISO 7401)", yaw_response, "low"),
    Measure("yaw_overshoot", "yaw overshoot", "%", "past the steady yaw rate (ISO 7401)", yaw_overshoot, "low"),
    Measure("turn_radius", "turn radius", "m", "steady speed over steady yaw rate", turn_radius),
    Measure("turned", "turned", "°", "heading at the end less heading at the start", turned),
    Measure("path_width", "path width", "m", "extent across the start heading", path_width),
    Measure("gates_passed", "gates passed", "", "gates crossed between their poles", gates_passed, "high"),
    Measure("gates_missed", "gates missed", "", "gates crossed beside their poles", gates_missed, "low"),
    Measure("limit_share", "time at limits", "%", "share of ticks in which a limit acted", limit_share, ledger=True),
    Measure("hits", "hits", "", "number of hits against walls and bodies", hits, "low", ledger=True),
    Measure(
        "hardest_hit",
        "hardest hit",
        "N s",
        "greatest impulse of contacts within 0.05 s, weight, thrust and steady pushes not counted",
        hardest_hit,
        "low",
        ledger=True,
    ),
    Measure(
        "speed_kept",
        "speed kept at a hit",
        "%",
        "half a second after the first hit, of that before",
        speed_kept,
        ledger=True,
    ),
    Measure("drive_energy", "energy put in", "J", "work of the parts that drive", drive_energy, "low", ledger=True),
    Measure("air_time", "air time", "s", "time with nothing below that carries it", air_time),
    Measure("highest", "highest", "m", "greatest height above the start", highest),
    Measure("largest_roll", "largest roll", "°", "greatest angle of the side axis to the level", largest_roll, "low"),
    Measure("largest_pitch", "largest pitch", "°", "greatest angle of the nose to the level", largest_pitch, "low"),
    Measure("blocks_moved", "blocks moved", "", "loose blocks that went more than 25 cm", blocks_moved),
    Measure(
        "reports", "reports", "", "times something came into a trigger or what only reports it", reports, ledger=True
    ),
    Measure(
        "launch_speed",
        "launch speed",
        "m/s",
        "greatest speed in half a second from the push",
        _of_flight("speed"),
        ledger=True,
    ),
    Measure(
        "launch_distance",
        "launch distance",
        "m",
        "level distance from the push to the end",
        _of_flight("distance"),
        ledger=True,
    ),
    Measure(
        "launch_height",
        "launch height",
        "m",
        "greatest height above where it was pushed; none if it stayed on the ground",
        _of_flight("height"),
        ledger=True,
    ),
    Measure(
        "launch_air",
        "time in flight",
        "s",
        "time in the air after the push; none if it stayed on the ground",
        _of_flight("air"),
        ledger=True,
    ),
    Measure("launch_turns", "turns", "", "whole turns of any kind after the push", _of_flight("turns"), ledger=True),
    Measure(
        "settling_time",
        "settled after",
        "s",
        "push until a block rests, or a craft obeys again",
        _of_flight("settled"),
        "low",
        ledger=True,
    ),
    Measure("ride_gap", "ride gap", "m", "mean gap of all rays in the last second", rides.ride_gap),
    Measure(
        "gap_ripple", "gap ripple", "m", "greatest less least mean gap in the last second", rides.gap_ripple, "low"
    ),
    Measure("gap_settling", "gap settles in", "s", "event until the mean gap stays in 2 %", rides.settles_in, "low"),
    Measure("bounces", "bounces", "", "times the mean gap swings back past where it ends", rides.bounces, "low"),
    Measure(
        "least_load", "least load share", "%", "least share of the load on any ray while one carries", rides.least_load
    ),
    Measure("greatest_load", "greatest load", "N", "greatest load on any ray", rides.greatest_load, "low"),
    Measure(
        "understeer",
        "understeer gradient",
        "°/g",
        "steering angle less that of the circle, over side g, from the event on (ISO 4138)",
        rolling.understeer,
    ),
    Measure(
        "force_jump",
        "largest jump of force",
        "N",
        "greatest change of the force of a tire in a tick",
        rolling.force_jump,
        "low",
    ),
    Measure(
        "comfort",
        "ride comfort (head)",
        "m/s2",
        "weighted acceleration of the head follower: below 0.315 not uncomfortable, above 2 extremely so (ISO 2631-1); "
        "vibration up to a tenth of the tick rate counts",
        comfort.comfort,
        "low",
    ),
    Measure(
        "sickness",
        "motion sickness dose",
        "m/s1.5",
        "of the head follower, over the whole run (ISO 2631-1, section 9)",
        comfort.sickness,
        "low",
    ),
    Measure("peak_jerk", "peak jerk", "m/s3", "greatest change of acceleration a tick", peak_jerk, "low"),
)


_BY_NAME = {known.name: known for known in MEASURES}
OF_CAST = ("top_speed", "distance", "peak_side_g", "hits", "hardest_hit")
"""Measures of the other crafts of a cast that are listed; any other can be asked for by its name."""
OF_BLOCKS = {
    "launch_speed": "speed",
    "launch_distance": "distance",
    "launch_height": "height",
    "launch_air": "air",
    "launch_turns": "turns",
    "settling_time": "settled",
}
"""Measures that a watched block has too, as "launch_speed@crate", with the number of its flight."""


def measure(name: str, crafts: Collection[str] = ()) -> Measure:
    """The measure of that name, "launch_speed@crate" for that of a block, "top_speed@courier" for that of one of
    `crafts`; raises `Refused` for an unknown one."""
    base, _, whose = name.partition("@")
    if base in _BY_NAME and not whose:
        return _BY_NAME[name]
    if whose and (base in OF_BLOCKS or (base in _BY_NAME and whose in crafts)):
        known = _BY_NAME[base]
        title = f"{whose.replace('_', ' ')}: {known.title}"
        return replace(known, name=name, title=title, read=_of(known, whose))
    raise refuse("measure", f"there is no {name!r}", close_match(base, OF_BLOCKS if whose else _BY_NAME))


def known(name: str) -> Measure:
    """A measure by a name that was checked before, such as one of `names_of`."""
    return measure(name, (name.partition("@")[2],))


def _of(known: Measure, whose: str) -> Callable[[Run], float | None]:
    """Reads a measure of another craft of the run, or of a block."""

    def read(run: Run) -> float | None:
        if whose in [one.craft.id for one in run.job.actors]:
            return known.read(run.seen_from(whose))
        return _of_flight(OF_BLOCKS[known.name], whose)(run) if known.name in OF_BLOCKS else None

    return read


def names_of(run: Run) -> tuple[str, ...]:
    """Every measure that a run may show: those of the craft that is looked at, those of the blocks that are watched,
    and a few of the other crafts of the cast."""
    others = [one.craft.id for one in run.job.actors if one.craft.id != run.job.craft.id]
    return (
        *_BY_NAME,
        *(f"{name}@{block}" for block in flights.watched(run) for name in OF_BLOCKS),
        *(f"{name}@{craft}" for craft in others for name in OF_CAST),
    )


class Readings(Mapping[str, float | None]):
    """Every measure of a run, by name; None for what it does not show, and for all of a run that diverged. Each is read
    when it is first asked for, so that a drag pays only for those in sight."""

    def __init__(self, run: Run):
        self._run: Run | None = run
        self._names = names_of(run)
        self._found: dict[str, float | None] = {}

    def __getitem__(self, name: str) -> float | None:
        if name not in self._found:
            if name not in self._names and "@" not in name:
                raise KeyError(name)
            run = self._run
            value = known(name).read(run) if run is not None and run.ticks and not run.is_diverged else None
            self._found[name] = None if value is None or not np.isfinite(value) else float(value)
        return self._found[name]

    def settle(self) -> None:
        """Reads all that were not asked for yet, and what the targets of the drill ask for, and lets go of the run."""
        run = self._run
        if run is None:
            return
        known = [one.measure for one in run.job.drill.targets if one.measure.partition("@")[0] in _BY_NAME]
        for name in (*self._names, *(asked_of(run.job.drill, one) for one in known)):
            self[name]
        self._run = None

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def read_all(run: Run) -> dict[str, float | None]:
    """Every measure of a run, by name; None for what it does not show."""
    return dict(Readings(run))


@dataclass(frozen=True)
class Verdict:
    """A target against what the run showed."""

    target: Target
    value: float | None
    met: bool

    def words(self) -> str:
        """The target and the value in words."""
        asked = known(self.target.measure)
        low, high = self.target.low, self.target.high
        if low is not None and high is not None:
            wanted = f"{low:g} to {high:g}"
        elif low is not None:
            wanted = f"at least {low:g}"
        else:
            wanted = f"at most {high:g}"
        value = "not shown by this run" if self.value is None else f"{self.value:.4g} {asked.unit}".strip()
        return f"{asked.title} {value}, wanted {wanted}"


def asked_of(drill: Drill, name: str) -> str:
    """A measure that a drill asks for, with the craft under test named where others take part."""
    return f"{name}@{drill.craft}" if drill.cast and "@" not in name else name


def judge(drill: Drill, found: Mapping[str, float | None]) -> tuple[Verdict, ...]:
    """Every target of a drill against measures that were read; one that is not shown is missed."""
    verdicts = []
    for target in drill.targets:
        value = found.get(asked_of(drill, target.measure))
        met = value is not None
        if value is not None:
            met = (target.low is None or value >= target.low) and (target.high is None or value <= target.high)
        verdicts.append(Verdict(target, value, met))
    return tuple(verdicts)


def headline(drill: Drill, found: Mapping[str, float | None]) -> tuple[float | None, str, str]:
    """The one measure a card shows: (value, unit, title). That of the first target, else by what the drill is."""
    if drill.targets:
        first = known(drill.targets[0].measure)
        return found.get(asked_of(drill, first.name)), first.unit, first.title
    usual = measure("drill_time" if drill.end == "last_gate" else "top_speed")
    return found.get(usual.name), usual.unit, usual.title
