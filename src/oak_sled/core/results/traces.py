"""Traces: quantities over time that are read from a run, by name.

A trace has a name, a title, a unit and a family; its values are computed once a run and kept.

One file, since it is a list of traces and how each is read from a record.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.parts.common import SHOWN_UNITS, Part
from oak_sled.core.results import copies, leaning, levels, missing, orbits, recorded, space
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.tie import Tie

_PLACES = ("x", "y")
"""Traces along an axis of the world."""
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
    def sign(self) -> float:
        """-1.0 where it is told the other way round: along an axis that points back in the game."""
        return units.in_use().axes.component(self.name)[1] if self.name in _PLACES else 1.0

    @property
    def heading(self) -> str:
        """The title, with the letter that its axis has in the game."""
        return self.title[:-1] + units.in_use().axes.component(self.name)[0] if self.name in _PLACES else self.title

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
    if run.job.ground.is_bent:
        ahead = np.stack([1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)], axis=1)
        forward = levels.in_level(run, ahead)[:, :2]
    else:
        forward = np.stack([1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z)], axis=1)
    size = np.linalg.norm(forward, axis=1, keepdims=True)
    return forward / np.where(size > 1e-9, size, 1.0)


def _along(run: Run, vectors: Floats) -> Floats:
    way, vectors = heading(run), levels.in_level(run, vectors)
    return vectors[:, 0] * way[:, 0] + vectors[:, 1] * way[:, 1]


def _left(run: Run, vectors: Floats) -> Floats:
    way, vectors = heading(run), levels.in_level(run, vectors)
    return vectors[:, 1] * way[:, 0] - vectors[:, 0] * way[:, 1]


def velocity(run: Run) -> Floats:
    """m/s, world axes, shape (rows, 3)."""
    return _kept(run, "velocity", lambda run: run.columns("velocity.x", "velocity.y", "velocity.z"))


def spin(run: Run) -> Floats:
    """rad/s, world axes, shape (rows, 3)."""
    return _kept(run, "spin", lambda run: run.columns("spin.x", "spin.y", "spin.z"))


def _speed(run: Run) -> Floats:
    x, y, z = (run.column(f"velocity.{axis}") for axis in "xyz")
    return np.sqrt(x * x + y * y + z * z)


def _forward(run: Run) -> Floats:
    return _along(run, velocity(run))


def _rolled(run: Run) -> Floats:
    return np.cumsum(np.concatenate([[0.0], values(run, "forward_speed")[1:]])) * run.job.dt


def _side(run: Run) -> Floats:
    return _left(run, velocity(run))


def _aloft(run: Run) -> Floats:
    carried, rows = run.column("on_ground") > 0.0, np.arange(run.ticks + 1)
    return np.asarray((rows - np.maximum.accumulate(np.where(carried, rows, -run.first_tick))) * run.job.dt)


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
        for axis, size in enumerate(ground.period()):
            if size > 0.0:
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
    return np.degrees(levels.in_level(run, spin(run))[:, 2])


def _heading_angle(run: Run) -> Floats:
    way = heading(run)
    return np.degrees(np.unwrap(np.arctan2(way[:, 1], way[:, 0])))


def _limit_share(run: Run) -> Floats:
    limiters = [part.id for part in run.job.single.parts if part.LIMITS]
    acting = [run.column(f"{name}.activity") for name in limiters]
    return np.max(acting, axis=0) if acting else np.zeros(run.ticks + 1)


MOTION: tuple[tuple[Trace, Callable[[Run], Floats]], ...] = (
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
    (Trace("height", "height", "m"), levels.heights),
    (Trace("rise_speed", "vertical speed", "m/s"), lambda run: levels.in_level(run, velocity(run))[:, 2]),
    (Trace("aloft", "time in the air", "s"), _aloft),
    (Trace("limit", "limit acting", ""), _limit_share),
)
"""The traces of the motion of any craft, and how each is read."""


def catalogue(craft: Craft) -> tuple[Trace, ...]:
    """Every trace of a craft's runs: motion, channels, then what each part does."""
    found = [trace for trace, _ in MOTION]
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


OFF = tuple(Trace(f"off.{what}", title, unit) for what, (title, unit) in recorded.OFF.items())
"""The traces of a run that is held against what a game told."""
MISSING = tuple(Trace(f"missing.{what}", title, unit) for what, (title, unit) in missing.MISSING.items())
"""The traces of what such a run lacks."""
COPY = tuple(Trace(f"copy.{what}", title, unit) for what, (title, unit) in copies.COPY.items())
"""The traces of a run that is seen over a network."""
RAY_TRACES = {"gap": ("gap", "m"), "rate": ("gap rate", "m/s"), "force": ("load", "N"), "share": ("load share", "%")}
"""Quantities shown of a ray: the words and the unit. A load share is of all rays of its craft."""


def ray_words(craft: Craft) -> dict[str, list[str]]:
    """Short name of every ray of a craft, by its part: its corner, with the part's first word where several
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
"""Quantities shown of a wheel with a tire: the words and the unit. Grip used is the force by the friction ellipse."""


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
    """The traces of all rays of a craft that show "gap", "rate", "force" or "share"; what only looks has a gap."""
    return [
        f"ray.{part.id}.{number}.{what}"
        for part in craft.parts
        for number, ray in enumerate(part.rays(), start=1)
        if what == "gap" or not ray.senses
    ]


def book(run: Run) -> dict[str, Trace]:
    """Every trace of a run by name; made once a run."""
    job = run.job
    return run.analysis.once(
        "traces",
        lambda: (
            _of_craft(job.single)
            | {one.name: one for one in of_blocks(job.drill.watch)}
            | {trace.name: trace for trace, _ in of_space(job)}
            | {one.name: one for one in of_ties([one.tie for one in bodynames.ties_of(job) if one.part < 0])}
            | ({one.name: one for one in (*OFF, *MISSING)} if recorded.beside(run) is not None else {})
            | ({one.name: one for one in COPY} if copies.is_seen(run) else {})
            | {f"game.{one}": Trace(f"game.{one}", f"game: {one}", "") for one in recorded.numbers_of(run)}
        ),
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


def of_space(job: Job) -> list[tuple[Trace, Callable[[Run], Floats]]]:
    """The traces of a craft with fuel, and of one that a body attracts; each with what reads it, shape (rows,)."""
    found: list[tuple[Trace, Callable[[Run], Floats]]] = []
    if any(part.holds_fuel() > 0.0 for part in job.single.working_parts):
        found.append((Trace("fuel", "fuel left", "kg"), space.fuel_left))
        if any(part.most_thrust() > 0.0 for part in job.single.working_parts):
            found.append((Trace("velocity_left", "velocity change left", "m/s"), space.velocity_left))
    if job.ground.wells:
        words = {
            "low": ("lowest altitude of the orbit", "m"), "high": ("highest altitude of the orbit", "m"),
            "eccentricity": ("eccentricity of the orbit", ""), "inclination": ("inclination of the orbit", "°"),
            "period": ("time of a turn of the orbit", "s"),
        }  # fmt: skip
        for name, (title, unit) in words.items():
            found.append((Trace(f"orbit.{name}", title, unit), functools.partial(orbits.over, name=name)))
    return found


def of_ties(ties: Iterable[Tie]) -> tuple[Trace, ...]:
    """The traces of ties: what each kind shows."""
    return tuple(
        Trace(f"tie.{tie.id}.{one.name}", f"{tie.heading}: {one.title}", one.unit, "tie")
        for tie in ties
        for one in tie.columns()
    )


def describe(run: Run, name: str) -> Trace:
    """The trace of that name; raises `Refused` for one that does not exist."""
    known = book(run)
    if name not in known:
        raise refuse("trace", f"there is no {name!r}", close_match(name, known))
    return known[name]


def seen(run: Run, name: str) -> Floats:
    """The values of a trace as they are shown, shape (rows,): with the sign that its axis has in the game."""
    found = values(run, name)
    return found if describe(run, name).sign > 0.0 else -found


def values(run: Run, name: str) -> Floats:
    """The values of a trace at every row, shape (rows,); computed once and kept with the run.

    part.NAME is forward force for what drives, brakes or drags, side force for runners (positive to
    the left), and the torque about an axis for what turns. Row 0 has no tick behind it, so it repeats row 1.
    """
    return run.analysis.once(("trace", name), lambda: _compute(run, name))


def _compute(run: Run, name: str) -> Floats:
    for trace, read in MOTION:
        if trace.name == name:
            return np.ascontiguousarray(read(run))
    for trace, read in of_space(run.job):
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
    if head == "game" and rest in recorded.numbers_of(run):
        return recorded.number(run, rest)
    if head == "off" and rest in recorded.OFF:
        return recorded.off(run, rest)
    if head == "missing" and rest in missing.MISSING:
        return missing.values(run, rest)
    if head == "copy" and rest in copies.COPY:
        return copies.values(run, rest)
    if head == "tie" and name in run.layout.names:
        return run.column(name)
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
    """Demand of a part on its wheels: the sum of the torques, or the angle of the wheel that turns most."""
    names = bodynames.wheel_names(run.job.single, part)
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
    """Demand of a part on its wheels in a recorded row, in the unit of what it shows. numbers : the own row of its
    craft, shape (n,)."""
    shown = part.shows()
    alone = part.asks(float(numbers[run.layout.own_place(f"{part.id}.activity")]))
    if alone is not None:
        return float(alone)
    found = [
        float(numbers[run.layout.own_place(f"{name}.{shown}")]) for name in bodynames.wheel_names(run.job.single, part)
    ]
    if shown != "steer":
        return sum(found)
    return float(np.degrees(max(found, key=abs, default=0.0)))


def rolled_by(run: Run, name: str, row: int) -> float:
    """rad that a wheel with a tire has turned from the start to a row."""
    return float(run.column(f"{name}.turn")[: row + 1].sum()) * run.job.dt


def _part_force(run: Run, part_id: str) -> Floats:
    part = next((part for part in run.job.single.parts if part.id == part_id), None)
    if part is None:
        return np.zeros(run.ticks + 1)
    shown = part.shows()
    if shown in ("drive", "brake", "steer"):
        return _on_wheels(run, part, shown)
    if shown == "lean":
        return np.degrees(leaning.angles(run)[:, 0])
    booked = run.line(part_id)
    if shown == "yaw":
        signed = levels.in_level(run, booked[:, 3:])[:, 2].copy()
    elif shown == "roll":
        signed = _along(run, booked[:, 3:])
    elif shown == "up":
        signed = levels.in_level(run, booked[:, :3])[:, 2].copy()
    else:
        signed = (_left if shown == "left" else _along)(run, booked[:, :3])
    if len(signed) > 1:
        signed[0] = signed[1]
    return signed
