"""Traces: quantities over time that are read from a run, by name.

A trace has a name, a title, a unit and a family; its values are computed once a run and kept.

One file, since it is a list of traces and how each is read from a record.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oak_sled.core.assembly import bodynames
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.contact import stage
from oak_sled.core.parts.common import SHOWN_UNITS, Part
from oak_sled.core.results.run import Run
from oak_sled.core.tick.rowlayout import BLOCK_LINES
from oak_sled.core.yard.craft import Craft

SLOW = 0.5
"""m/s under which a slip angle means nothing and is shown as 0."""


@dataclass(frozen=True)
class Trace:
    """A quantity over time: its name in scripts, what it is headed with, its unit and force family. short : what it is
    called among others of its group; empty: its title."""

    name: str
    title: str
    unit: str
    family: str = ""
    short: str = ""

    @property
    def floor(self) -> float:
        """The size below which its values are noise, for the screen: they read 0 and fill no strip."""
        return units.floor_of(self.unit)


def _kept(run: Run, name: str, compute: Callable[[Run], Floats]) -> Floats:
    """An array that several traces are made of, computed once a run."""
    return run.analysis.once(("array", name), lambda: compute(run))


def heading(run: Run) -> Floats:
    """Cosine and sine of the heading at every row, shape (rows, 2)."""
    return _kept(run, "heading", _headings)


def _headings(run: Run) -> Floats:
    q = run.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z")
    w, x, y, z = q.T
    forward = np.stack([1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z)], axis=1)
    size = np.linalg.norm(forward, axis=1, keepdims=True)
    return forward / np.where(size > 1e-9, size, 1.0)


def _along(run: Run, vectors: Floats) -> Floats:
    way = heading(run)
    return vectors[:, 0] * way[:, 0] + vectors[:, 1] * way[:, 1]


def _left(run: Run, vectors: Floats) -> Floats:
    way = heading(run)
    return vectors[:, 1] * way[:, 0] - vectors[:, 0] * way[:, 1]


def velocity(run: Run) -> Floats:
    """m/s, world axes, shape (rows, 3)."""
    return _kept(run, "velocity", lambda run: run.columns("velocity.x", "velocity.y", "velocity.z"))


def _speed(run: Run) -> Floats:
    x, y, z = (run.column(f"velocity.{axis}") for axis in "xyz")
    return np.sqrt(x * x + y * y + z * z)


def _forward(run: Run) -> Floats:
    return _along(run, velocity(run))


def _rolled(run: Run) -> Floats:
    return np.cumsum(np.concatenate([[0.0], values(run, "forward_speed")[1:]])) * run.job.dt


def _side(run: Run) -> Floats:
    return _left(run, velocity(run))


def _slip(run: Run) -> Floats:
    forward, side = values(run, "forward_speed"), values(run, "side_speed")
    angle = np.degrees(np.arctan2(side, np.abs(forward)))
    return np.where(np.hypot(forward, side) > SLOW, angle, 0.0)


def path(run: Run) -> Floats:
    """m of the centre of mass, world axes, shape (rows, 3), without the jumps where a ground wraps or sends back."""
    return _kept(run, "path", _path)


def _path(run: Run) -> Floats:
    places = run.columns("position.x", "position.y", "position.z")
    steps, ground = np.diff(places, axis=0), run.job.ground
    if ground.edges == "wrap":
        for axis, size in enumerate((ground.length, ground.width)):
            steps[:, axis] -= size * np.round(steps[:, axis] / size)
    elif ground.edges == "return":
        steps[np.any(run.line("edge")[1:] != 0.0, axis=1)] = 0.0
    return np.concatenate([places[:1], places[0] + np.cumsum(steps, axis=0)])


def acceleration(run: Run) -> Floats:
    """m/s2, world axes, realised in the tick that ends at each row; 0 in row 0. Shape (rows, 3)."""
    return _kept(run, "acceleration", _accelerations)


def _accelerations(run: Run) -> Floats:
    change = np.diff(velocity(run), axis=0) * run.job.ticks
    return np.concatenate([np.zeros((1, 3)), change])


def _forward_g(run: Run) -> Floats:
    return _along(run, acceleration(run)) / STANDARD_GRAVITY


def _side_g(run: Run) -> Floats:
    return _left(run, acceleration(run)) / STANDARD_GRAVITY


def _yaw_rate(run: Run) -> Floats:
    return np.degrees(run.column("spin.z"))


def _heading_angle(run: Run) -> Floats:
    way = heading(run)
    return np.degrees(np.unwrap(np.arctan2(way[:, 1], way[:, 0])))


def _limit_share(run: Run) -> Floats:
    limiters = [part.id for part in run.job.craft.parts if part.LIMITS]
    acting = [run.column(f"{name}.activity") for name in limiters]
    return np.max(acting, axis=0) if acting else np.zeros(run.ticks + 1)


_MOTION: tuple[tuple[Trace, Callable[[Run], Floats]], ...] = (
    (Trace("speed", "speed", "m/s"), _speed),
    (Trace("forward_speed", "forward speed", "m/s"), _forward),
    (Trace("rolled", "distance along the heading", "m"), _rolled),
    (Trace("side_speed", "side speed", "m/s"), _side),
    (Trace("slip_angle", "sideslip", "°"), _slip),
    (Trace("forward_g", "forward g", "g"), _forward_g),
    (Trace("side_g", "lateral g", "g"), _side_g),
    (Trace("yaw_rate", "yaw rate", "°/s"), _yaw_rate),
    (Trace("heading", "heading", "°"), _heading_angle),
    (Trace("x", "position x", "m"), lambda run: run.column("position.x")),
    (Trace("y", "position y", "m"), lambda run: run.column("position.y")),
    (Trace("height", "height", "m"), lambda run: run.column("position.z")),
    (Trace("rise_speed", "vertical speed", "m/s"), lambda run: run.column("velocity.z")),
    (Trace("limit", "limit acting", ""), _limit_share),
)


def catalogue(craft: Craft) -> tuple[Trace, ...]:
    """Every trace of a craft's runs: motion, channels, then what each part does."""
    found = [trace for trace, _ in _MOTION]
    found += [Trace(f"channel.{c.id}", c.heading, "", "holder") for c in craft.channels]
    for part in craft.parts:
        if part.LIMITS:
            found.append(Trace(f"acting.{part.id}", f"{part.heading.lower()} acting", "", part.FAMILY))
        unit = SHOWN_UNITS.get(part.shows(), "N")
        found.append(Trace(f"part.{part.id}", part.heading.lower(), unit, part.FAMILY))
    words = ray_words(craft)
    found += [trace for part in craft.parts if part.id in words for trace in _of_rays(part, words[part.id])]
    found += _of_tires(craft)
    return tuple(found)


RAY_TRACES = {"gap": ("gap", "m"), "rate": ("gap rate", "m/s"), "force": ("load", "N"), "share": ("load share", "%")}
"""What is shown of a ray: the words and the unit. A load share is of all rays of its craft."""


def ray_words(craft: Craft) -> dict[str, list[str]]:
    """What every ray of a craft is called in short, by its part: its corner, with the part's first word where several
    parts have rays."""
    carriers = [part for part in craft.parts if part.rays()]
    return {
        part.id: [
            (word if len(carriers) == 1 else f"{part.heading.lower().split()[0]} {word}".strip())
            or part.heading.lower()
            for word in part.ray_words()
        ]
        for part in carriers
    }


def _of_rays(part: Part, words: list[str]) -> Iterator[Trace]:
    heading = part.heading.lower()
    for number, (word, short) in enumerate(zip(part.ray_words(), words, strict=True), start=1):
        where = f"{heading}, {word}" if word else heading
        for what, (title, unit) in RAY_TRACES.items():
            yield Trace(f"ray.{part.id}.{number}.{what}", f"{where}: {title}", unit, part.FAMILY, short)


TIRE_TRACES = {
    "slip_angle": ("slip angle", "°"),
    "slip_ratio": ("slip ratio", "%"),
    "used": ("grip used", "%"),
    "side": ("side force", "N"),
    "along": ("force along", "N"),
    "turn": ("turn rate", "rad/s"),
    "steer": ("steering angle", "°"),
    "drive": ("drive torque", "N m"),
}
"""What is shown of a wheel with a tire: the words and the unit. Grip used is the force by the friction ellipse."""


def _of_tires(craft: Craft) -> Iterator[Trace]:
    words = ray_words(craft)
    headings = {part.id: part.heading.lower() for part in craft.parts}
    for name in bodynames.tire_names(craft):
        owner, _, number = name.rpartition(".")
        short = words[owner][int(number) - 1]
        for what, (title, unit) in TIRE_TRACES.items():
            where = short if short != headings[owner] else headings[owner]
            yield Trace(f"tire.{name}.{what}", f"{where}: {title}", unit, "grip", short)


def of_tires(craft: Craft, what: str) -> list[str]:
    """The traces of all wheels with tires of a craft that show one of TIRE_TRACES."""
    return [f"tire.{name}.{what}" for name in bodynames.tire_names(craft)]


def of_rays(craft: Craft, what: str) -> list[str]:
    """The traces of all rays of a craft that show "gap", "rate", "force" or "share"."""
    return [f"ray.{part.id}.{number}.{what}" for part in craft.parts for number in range(1, 1 + len(part.rays()))]


def book(run: Run) -> dict[str, Trace]:
    """Every trace of a run by name; made once a run."""
    job = run.job
    return run.analysis.once(
        "traces", lambda: _of_craft(job.craft) | {one.name: one for one in of_blocks(job.drill.watch)}
    )


_BOOKS: dict[object, dict[str, Trace]] = {}
"""The traces of crafts that were looked at, by what decides them: a dial that is dragged makes another craft with the
same traces every time."""
_MOST_BOOKS = 32


def _of_craft(craft: Craft) -> dict[str, Trace]:
    """The traces of a craft by name."""
    parts = [
        (part.id, part.kind, part.heading, part.shows(), tuple(part.ray_words()) if part.rays() else ())
        for part in craft.parts
    ]
    key = (tuple(parts), tuple([(one.id, one.heading) for one in craft.channels]), tuple(craft.tired))
    if key not in _BOOKS:
        if len(_BOOKS) >= _MOST_BOOKS:
            _BOOKS.clear()
        _BOOKS[key] = {trace.name: trace for trace in catalogue(craft)}
    return _BOOKS[key]


def of_blocks(names: Iterable[str]) -> tuple[Trace, ...]:
    """The traces of the blocks a drill watches: how fast, how high, how far from where they stood."""
    found = []
    for name in names:
        words = name.replace("_", " ")
        found.append(Trace(f"block.{name}.speed", f"{words}: speed", "m/s", "impulse"))
        found.append(Trace(f"block.{name}.height", f"{words}: height", "m", "impulse"))
        found.append(Trace(f"block.{name}.distance", f"{words}: distance", "m", "impulse"))
    return tuple(found)


def describe(run: Run, name: str) -> Trace:
    """The trace of that name; raises `Refused` for one that does not exist."""
    known = book(run)
    if name not in known:
        raise refuse("trace", f"there is no {name!r}", close_match(name, known))
    return known[name]


def values(run: Run, name: str) -> Floats:
    """The values of a trace at every row, shape (rows,); computed once and kept with the run.

    part.NAME is forward force for what drives, brakes or drags, side force for runners (positive to
    the left), and the torque about an axis for what turns. Row 0 has no tick behind it, so it repeats row 1.
    """
    return run.analysis.once(("trace", name), lambda: _compute(run, name))


def _compute(run: Run, name: str) -> Floats:
    for trace, read in _MOTION:
        if trace.name == name:
            return np.ascontiguousarray(read(run))
    head, _, rest = name.partition(".")
    if head == "channel":
        return run.column(name)
    if head == "acting":
        return run.column(f"{rest}.activity")
    if head == "part":
        return _part_force(run, rest)
    if head == "ray" and rest.rpartition(".")[0] in run.layout.own.rays:
        return _of_ray(run, *rest.rsplit(".", 1))
    if head == "tire" and rest.rpartition(".")[0] in run.layout.own.tires:
        return of_tire(run, *rest.rsplit(".", 1))
    if head == "block" and rest.rpartition(".")[0] in run.layout.blocks:
        return _of_block(run, *rest.rsplit(".", 1))
    raise refuse("trace", f"there is no {name!r}", close_match(name, book(run)))


def _of_block(run: Run, name: str, what: str) -> Floats:
    spots = run.columns(*(f"block.{name}.position.{axis}" for axis in "xyz"))
    if what == "height":
        return spots[:, 2]
    if what == "distance":
        return np.asarray(np.hypot(spots[:, 0] - spots[0, 0], spots[:, 1] - spots[0, 1]))
    return np.concatenate([[0.0], np.linalg.norm(np.diff(spots, axis=0), axis=1) * run.job.ticks])


def _of_ray(run: Run, name: str, what: str) -> Floats:
    if what != "share":
        return run.column(f"{name}.{what}")
    total = np.sum([run.column(f"{ray}.force") for ray in run.layout.own.rays], axis=0)
    own = run.column(f"{name}.force")
    return np.asarray(np.divide(100.0 * own, total, out=np.zeros_like(total), where=total != 0.0))


def of_tire(run: Run, name: str, what: str) -> Floats:
    """One of TIRE_TRACES of a wheel at every row, shape (rows,)."""
    if what == "used":
        along, side, most_along, most_side = (
            run.column(f"{name}.{one}") for one in ("along", "side", "most_along", "most_side")
        )
        safe = np.maximum(most_along, 1e-9), np.maximum(most_side, 1e-9)
        return np.asarray(100.0 * np.hypot(along / safe[0], side / safe[1]))
    values = run.column(f"{name}.{what}")
    unit = TIRE_TRACES[what][1]
    return np.degrees(values) if unit == "°" else 100.0 * values if unit == "%" else values


def _on_wheels(run: Run, part: Part, shown: str) -> Floats:
    """What a part asks of its wheels: the sum of the torques, or the angle of the wheel that turns most."""
    names = bodynames.wheel_names(run.job.craft, part)
    if not names:
        return np.zeros(run.ticks + 1)
    alone = part.asks(run.column(f"{part.id}.activity"))
    if alone is not None:
        return np.asarray(alone)
    columns = np.stack([run.column(f"{name}.{shown}") for name in names])
    if shown != "steer":
        return np.asarray(columns.sum(axis=0))
    most = np.argmax(np.abs(columns), axis=0)
    return np.degrees(np.take_along_axis(columns, most[None], axis=0)[0])


def asked_of_wheels(run: Run, numbers: Floats, part: Part) -> float:
    """What a part asks of its wheels in a recorded row, in the unit of what it shows. numbers : the own row of its
    craft, shape (n,)."""
    shown = part.shows()
    alone = part.asks(float(numbers[run.layout.own_place(f"{part.id}.activity")]))
    if alone is not None:
        return float(alone)
    found = [
        float(numbers[run.layout.own_place(f"{name}.{shown}")]) for name in bodynames.wheel_names(run.job.craft, part)
    ]
    if shown != "steer":
        return sum(found)
    return float(np.degrees(max(found, key=abs, default=0.0)))


def rolled_by(run: Run, name: str, row: int) -> float:
    """rad that a wheel with a tire has turned from the start to a row."""
    return float(run.column(f"{name}.turn")[: row + 1].sum()) * run.job.dt


def _part_force(run: Run, part_id: str) -> Floats:
    part = next((part for part in run.job.craft.parts if part.id == part_id), None)
    if part is None:
        return np.zeros(run.ticks + 1)
    shown = part.shows()
    if shown in ("drive", "brake", "steer"):
        return _on_wheels(run, part, shown)
    booked = run.line(part_id)
    if shown == "yaw":
        signed = booked[:, 5].copy()
    elif shown == "roll":
        signed = _along(run, booked[:, 3:])
    elif shown == "up":
        signed = booked[:, 2].copy()
    else:
        signed = (_left if shown == "left" else _along)(run, booked[:, :3])
    if len(signed) > 1:
        signed[0] = signed[1]
    return signed


@dataclass(frozen=True)
class Event:
    """A rule that fired: when, what in a short word, and on which ledger line."""

    row: int
    word: str
    source: str


def events(run: Run) -> tuple[Event, ...]:
    """Hits, slides, limits and gates, in order of time: what leaves a tick on the time axis."""
    return run.analysis.once("events", lambda: _events(run))


def _events(run: Run) -> tuple[Event, ...]:
    found: list[Event] = []
    # a craft that leans on a wall touches it again and again: one hit, until it has been clear for a while
    apart = int(stage.APART * run.job.ticks)
    touched = np.flatnonzero(run.column("in_wall") > 0.5)
    fresh = np.diff(touched, prepend=-apart - 1) > apart + 1  # so many whole ticks clear between two touches
    found += [Event(int(row), "hit", "walls") for row in touched[fresh]]
    for part in run.job.craft.parts:
        if part.EVENT:
            lasting = run.column(f"{part.id}.activity") > part.EVENT_FROM
            found += [Event(row, part.EVENT, part.id) for row in _rises(lasting)]
    if run.job.ground.gates:
        missed, gate = run.column("gates_missed"), run.column("next_gate")
        for row in np.flatnonzero(np.diff(gate) > 0) + 1:
            found.append(Event(int(row), "gate missed" if missed[row] > missed[row - 1] else "gate", "gates"))
    if run.job.ground.edges == "return":
        for row in np.flatnonzero(np.any(run.line("edge")[:, :3] != 0.0, axis=1)):
            found.append(Event(int(row), "edge", "edge"))
    for name in run.layout.triggers:
        held = run.column(f"{name}.inside")
        found += [Event(int(row), "report", name.partition(".")[2]) for row in np.flatnonzero(np.diff(held) > 0) + 1]
    for name in run.layout.shots:
        ages = run.column(f"shot.{name}.age")
        ended = np.flatnonzero((ages[1:] < 0.0) & (ages[:-1] > 0.0)) + 1
        part = next(one for one in run.job.craft.parts if one.id == name.rpartition(".")[0])
        lasted = getattr(part, "lifetime", 0.0) - 1.5 * run.job.dt
        found += [Event(int(row), "burst", part.id) for row in ended if ages[row - 1] < lasted]
    if run.layout.blocks or run.layout.triggers or np.any(run.column("on_ground") == 0.0):
        found += _flights(run)
    return tuple(sorted(found, key=lambda event: event.row))


SHORT_HOP = 0.1
"""s off the ground below which it is a bump and no flight."""


def _flights(run: Run) -> list[Event]:
    """Where a craft leaves the ground, and where it lands."""
    up = np.concatenate([[0.0], (run.column("on_ground")[1:] == 0.0).astype(float), [0.0]])
    begins, ends = np.flatnonzero(np.diff(up) > 0), np.flatnonzero(np.diff(up) < 0)
    found = []
    for begin, end in zip(begins, ends, strict=True):
        if (end - begin) * run.job.dt >= SHORT_HOP:
            found.append(Event(int(begin), "lift-off", "contact"))
            if end < run.ticks:
                found.append(Event(int(end), "lands", "contact"))
    return found


def _rises(on: NDArray[np.bool_]) -> list[int]:
    return [int(row) for row in np.flatnonzero(on[1:] & ~on[:-1]) + 1]


_BLOCK_LINES = {
    "pushes": ("pushes of crafts and shots", "impulse"),
    "gravity": ("gravity", "gravity"),
    "air": ("air drag", "air"),
    "contacts": ("contacts and joints", "support"),
}


@dataclass(frozen=True)
class LedgerRow:
    """A line of the ledger at one moment. force N and torque N m about the centre of mass, in the axes asked for."""

    name: str
    title: str
    family: str
    force: tuple[float, float, float]
    torque: tuple[float, float, float]


_FIXED = {
    "gravity": ("gravity", "gravity"),
    "damping": ("damping", "holder"),
    "held axes": ("held axes", "holder"),
    "walls": ("walls", "impulse"),
    "edge": ("edge", "impulse"),
    "integrator": ("integrator", "holder"),
    "contact": ("contact", "support"),
    "poke": ("poke", "impulse"),
}


def title_of(run: Run, name: str) -> tuple[str, str]:
    """What a ledger line is called, and its family."""
    part = next((part for part in run.job.craft.parts if part.id == name), None)
    return _FIXED[name] if part is None else (part.heading, part.FAMILY)


def ledger(run: Run, row: int, craft_axes: bool) -> tuple[LedgerRow, ...]:
    """What was booked in the tick that ended at `row`: every line, in the order in which they act."""
    numbers = run.own_row(row)
    axes = np.eye(3)
    if craft_axes:
        axes = rotation(numbers[3:7]).T
    found = []
    for name in run.layout.lines:
        place = run.layout.own_place(f"{name}.force.x")
        force, torque = axes @ numbers[place : place + 3], axes @ numbers[place + 3 : place + 6]
        title, family = title_of(run, name)
        found.append(LedgerRow(name, title, family, tuple(force), tuple(torque)))
    return tuple(found)


def ledger_of_block(run: Run, name: str, row: int, own_axes: bool) -> tuple[LedgerRow, ...]:
    """The same for a block that the drill watches, about its centre of mass, in its own axes or those of the world."""
    numbers, place = run.record.row(row), run.layout.place
    axes = np.eye(3)
    if own_axes:
        first = place(f"block.{name}.rotation.w")
        axes = rotation(numbers[first : first + 4]).T
    found = []
    for line in BLOCK_LINES:
        first = place(f"block.{name}.{line}.force.x")
        force, torque = axes @ numbers[first : first + 3], axes @ numbers[first + 3 : first + 6]
        found.append(LedgerRow(line, _BLOCK_LINES[line][0], _BLOCK_LINES[line][1], tuple(force), tuple(torque)))
    return tuple(found)


def mass_of_block(run: Run, name: str) -> float:
    """kg of a block of the ground of a run."""
    return next(one.mass for one in run.job.ground.blocks if one.id == name)


def rotation(q: Floats) -> Floats:
    """The rotation matrix of a unit quaternion (w, x, y, z), craft to world, shape (3, 3)."""
    w, x, y, z = map(float, q)  # arithmetic on the numbers of an array takes five times as long
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
            [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
            [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
        ]
    )


def rotations(attitudes: Floats) -> Floats:
    """The same for many: attitudes of shape (n, 4), matrices of shape (n, 3, 3)."""
    w, x, y, z = attitudes.T
    rows = (
        (1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)),
        (2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)),
        (2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)),
    )
    return np.stack([np.stack(row, axis=1) for row in rows], axis=1)


def ledger_gap(run: Run) -> tuple[float, float]:
    """How far the ledger is from closing: the worst tick, linear and angular, relative to its largest line.

    Sum of forces against mass x change of velocity; sum of torques against change of angular momentum.
    """
    dt = run.job.dt
    lines = [run.line(name)[1:] for name in run.layout.lines]
    total = np.sum(lines, axis=0)
    largest = np.max(np.abs(np.stack(lines)), axis=(0, 2))
    mass = run.job.craft.body.true_mass()
    moved = np.diff(velocity(run), axis=0) * mass / dt
    momentum = angular_momentum(run)
    turned = np.diff(momentum, axis=0) / dt
    # what floats can tell apart, when velocities are divided by a short tick
    floor = 1e-3 * (mass + np.max(np.abs(momentum), initial=0.0)) + 1e-12
    scale = np.maximum(largest, floor)
    linear = np.max(np.abs(total[:, :3] - moved), axis=1) / scale
    angular = np.max(np.abs(total[:, 3:] - turned), axis=1) / scale
    return float(np.max(linear, initial=0.0)), float(np.max(angular, initial=0.0))


def angular_momentum(run: Run) -> Floats:
    """N m s about the centre of mass, world axes, shape (rows, 3): R I R^T w from the recorded state."""
    inertia = run.job.craft.body.inertia_matrix()
    spins = run.columns("spin.x", "spin.y", "spin.z")
    attitudes = run.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z")
    matrices = np.array([rotation(q) for q in attitudes])
    craft_spin = np.einsum("nji,nj->ni", matrices, spins)
    return np.einsum("nij,nj->ni", matrices, craft_spin @ inertia.T)


def energy(run: Run) -> Floats:
    """J of motion: translation and rotation, shape (rows,)."""
    mass = run.job.craft.body.true_mass()
    spins = run.columns("spin.x", "spin.y", "spin.z")
    turning = 0.5 * np.sum(spins * angular_momentum(run), axis=1)
    return 0.5 * mass * np.sum(velocity(run) ** 2, axis=1) + turning


def work(run: Run, name: str, first: int = 0, last: int | None = None) -> float:
    """J that a ledger line put into the craft between two rows, else in the whole run: force times mean velocity and
    torque times mean spin, summed over the ticks."""
    last = run.ticks if last is None else last
    booked = run.line(name)[first + 1 : last + 1]
    v = velocity(run)[first : last + 1]
    w = _kept(run, "spin", lambda run: run.columns("spin.x", "spin.y", "spin.z"))[first : last + 1]
    moved = np.einsum("ij,ij->", booked[:, :3], v[1:] + v[:-1])
    turned = np.einsum("ij,ij->", booked[:, 3:], w[1:] + w[:-1])
    return float(0.5 * run.job.dt * (moved + turned))
