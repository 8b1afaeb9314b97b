"""A recorded row: what stands in it, in which order, and how the kernel writes it.

Craft by craft: the head, its channels, their raw inputs, its ledger lines, the points where its parts act, their
activity, its rays, and its wheels with tires; rows without the ledger leave out lines, points and activity. Behind the
crafts: the motion of every block that moves, how many bodies are in each that reports, the shots, the ledgers of the
blocks that are watched, and what ties show. `results/record.py` names the columns of a run by what stands here.
"""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled, unit
from oak_sled.core.contact import rays, records
from oak_sled.core.kernel import body as body_module
from oak_sled.core.kernel.state import CAST, FIXED_LINES

FIXED = len(FIXED_LINES)
AXES = ("x", "y", "z")


def _three(name: str, unit: str) -> dict[str, str]:
    """The columns of a vector, with their unit."""
    return {f"{name}.{axis}": unit for axis in AXES}


MOTION_UNITS = {
    **_three("position", "m"),
    **{f"rotation.{axis}": "" for axis in "wxyz"},
    **_three("velocity", "m/s"),
    **_three("spin", "rad/s"),
}
"""Position, attitude, velocity and spin of a body, world axes: name and unit of every column, as below."""
HEAD_UNITS = {
    **MOTION_UNITS,
    "load": "N",
    **dict.fromkeys(("in_wall", "next_gate", "gates_missed", "on_ground", "leaning"), ""),
}
"""The front of a craft: its motion, the load on the ground, whether it touches a wall, the next gate, gates missed,
whether it is on the ground, and whether it leans on a wall."""
LINE_UNITS = {**_three("force", "N"), **_three("torque", "N m")}
"""A ledger line: N and N m about the centre of mass, world axes."""
POINT_UNITS = _three("point", "m")
"""Point where a part acts, m, world axes."""
SHOT_UNITS = {**_three("position", "m"), "age": "s"}
"""A shot: where it is, and s in flight; -1: not in flight."""
RAY_UNITS = {"gap": "m", "rate": "m/s", "force": "N", **POINT_UNITS}
"""A ray: m to what it found (its reach where it found nothing), m/s by which that grows, N along its force, and the
point that it found, m, world axes."""
TIRE_UNITS = {
    **{"steer": "rad", "turn": "rad/s", "drive": "N m", "brake": "N m"},
    **{"slip_angle": "rad", "slip_ratio": "", "slip": ""},
    **dict.fromkeys(("along", "side", "most_along", "most_side"), "N"),
}
"""A wheel with a tire: rad to the left, rad/s, N m of drive and at most of brakes, rad, slip ratio, both slips together
(1 where it gives its most), N along it and to its left, and the most of both."""
HEAD_NAMES, SHOT_NAMES = tuple(HEAD_UNITS), tuple(SHOT_UNITS)
LINE_NAMES, MOTION_NAMES = tuple(LINE_UNITS), tuple(MOTION_UNITS)
INFINITE = 1e308
"""No sum of forces comes to so much."""
BLOCK_LINES = ("pushes", "gravity", "air", "contacts")
"""The ledger lines of a block that is watched: see `records.PUSHES`."""
HEAD, MOTION, LINE, POINT, SHOT, RAY, TIRE = (
    len(units) for units in (HEAD_UNITS, MOTION_UNITS, LINE_UNITS, POINT_UNITS, SHOT_UNITS, RAY_UNITS, TIRE_UNITS)
)


def craft_columns(
    channels: tuple[str, ...],
    parts: tuple[str, ...],
    rays: tuple[str, ...] = (),
    tires: tuple[str, ...] = (),
    ledger: bool = True,
    volumes: tuple[str, ...] = (),
) -> dict[str, str]:
    """The name of every column of a craft but its shots, with its unit, in the order of `write_row`; without the ledger
    in that of `write_without_ledger`."""
    found = HEAD_UNITS | {f"{what}.{name}": "" for what in ("channel", "input") for name in channels}
    if ledger:
        found |= _each((*parts, *FIXED_LINES, *volumes), LINE_UNITS)
        found |= _each(parts, POINT_UNITS)
        found |= _each(parts, {"activity": ""})
    return found | _each(rays, RAY_UNITS) | _each(tires, TIRE_UNITS)


def _each(owners: tuple[str, ...], units: dict[str, str]) -> dict[str, str]:
    """The same columns of each owner."""
    return {f"{owner}.{name}": unit for owner in owners for name, unit in units.items()}


def craft_width(parts: int, channels: int, rays: int = 0, tires: int = 0, volumes: int = 0) -> int:
    """Numbers of a craft in a row, without its shots: the length of `craft_columns`."""
    lines = parts + FIXED + volumes
    return HEAD + 2 * channels + lines * LINE + parts * (POINT + 1) + rays * RAY + tires * TIRE


@compiled
def write_head(body, now, row, place):
    """Writes the head of a craft, its channels and their inputs into `row` from `place` on; the place behind them."""
    for i in range(3):
        row[place + i] = body.position[i]
        row[place + 7 + i] = body.velocity[i]
        row[place + 10 + i] = body.spin[i]
    for i in range(4):
        row[place + 3 + i] = body.attitude[i]
    row[place + 13] = now.load
    row[place + 14] = now.in_wall
    row[place + 15] = now.next_gate
    row[place + 16] = now.gates_missed
    row[place + 17] = now.on_ground
    row[place + 18] = now.leaning
    place += HEAD
    for c in range(now.channel_count):
        row[place + c] = now.channels[c]
        row[place + now.channel_count + c] = now.raw[c]
    return place + 2 * now.channel_count


@unit
def write_row(craft, body, now, supports, row, place, share, fresh):
    """Writes the state of a craft after a tick into `row` from `place` on; lines are the mean over its substeps."""
    place = write_head(body, now, row, place)
    for k in range(now.parts + FIXED + now.volumes):
        if fresh and share == 1.0:
            for i in range(6):
                row[place + i] = now.lines[k, i]
        else:
            for i in range(6):
                row[place + i] = share * now.lines[k, i] + (0.0 if fresh else row[place + i])
        place += 6
    for p in range(now.parts):
        for i in range(3):
            row[place + i] = now.points[p, i]
        place += 3
    for p in range(now.parts):
        row[place + p] = now.activity[p]
    write_rays(craft, supports, row, place + now.parts)


@compiled
def write_rays(craft, supports, row, place):
    """Writes the rays of a craft and its wheels with tires into `row` from `place` on; the place behind them."""
    first = craft.first_support + craft.supports
    for k in range(first, first + craft.rays):
        ray = supports[k]
        row[place], row[place + 1], row[place + 2] = ray.gap, ray.rate, ray.load
        for i in range(3):
            row[place + 3 + i] = ray.point[i]
        place += RAY
    if craft.tires > 0:
        for k in range(first, first + craft.rays):
            if supports[k].axle.tired == 1:
                write_tire(supports[k].axle, row, place)
                place += TIRE
    return place


@compiled
def write_tire(axle, row, place):
    """Writes a wheel with a tire."""
    row[place], row[place + 1], row[place + 2], row[place + 3] = axle.steer, axle.turn, axle.drive, axle.brake
    row[place + 4], row[place + 5], row[place + 6] = axle.slip_angle, axle.slip_ratio, axle.slip
    row[place + 7], row[place + 8] = axle.along, axle.side
    row[place + 9], row[place + 10] = axle.limit_along, axle.limit


@compiled
def width_of(craft, now):
    """Numbers of a craft in a row."""
    own = 2 * now.channel_count + (now.parts + FIXED + now.volumes) * LINE + now.parts * (POINT + 1)
    return HEAD + own + craft.rays * RAY + craft.tires * TIRE


@compiled
def write_crafts(crafts, bodies, nows, supports, row, share, fresh):
    """Writes every craft into `row`, one after another."""
    place = 0
    for c in range(crafts.shape[0]):
        write_row(crafts[c], bodies[crafts[c].body], nows[c], supports, row, place, share, fresh)
        place += width_of(crafts[c], nows[c])


@compiled
def write_without_ledger(crafts, bodies, nows, supports, row):
    """Writes every craft into `row` but for its ledger; False where a number of the lines is no finite one."""
    place, total = 0, 0.0
    for c in range(crafts.shape[0]):
        now = nows[c]
        place = write_head(bodies[crafts[c].body], now, row, place)
        place = write_rays(crafts[c], supports, row, place)
        force, torque = body_module.booked(now, now.parts + FIXED + now.volumes)
        for i in range(3):
            total += abs(force[i]) + abs(torque[i])
    return total < INFINITE


@compiled
def whole_width(crafts, nows):
    """Numbers of all crafts in a row."""
    total = 0
    for c in range(crafts.shape[0]):
        total += width_of(crafts[c], nows[c])
    return total


@unit
def write_others(scene, dt, row):
    """Writes what moves beside the crafts into `row`: position, attitude, velocity and spin of every loose or driven
    body, how many are in each that reports (crafts too), where each shot is and how long it has flown (-1: not in
    flight), the ledgers of the blocks that are watched, N and N m over the tick of `dt`, and what links show."""
    solids, place = scene.solids, 0
    for k in range(scene.recorded.shape[0]):
        one = solids[scene.recorded[k]]
        for i in range(3):
            row[place + i] = one.position[i]
            row[place + 7 + i] = one.velocity[i]
            row[place + 10 + i] = one.spin[i]
        for i in range(4):
            row[place + 3 + i] = one.attitude[i]
        place += 13
    for k in range(scene.counted.shape[0]):
        row[place] = solids[scene.counted[k]].inside
        place += 1
    for k in range(scene.slots.shape[0]):
        one = solids[scene.slots[k]]
        for i in range(3):
            row[place + i] = one.position[i]
        row[place + 3] = one.age
        place += 4
    for w in range(scene.watched.shape[0]):
        for k in range(records.BOOKED):
            for i in range(6):
                row[place + i] = scene.watched[w].lines[k, i] / dt
            place += 6
    for k in range(scene.links.shape[0]):
        for i in range(scene.links[k].shows):
            row[place + i] = scene.links[k].shown[i]
        place += scene.links[k].shows
        for r in range(scene.links[k].first_node, scene.links[k].first_node + scene.links[k].nodes):
            for i in range(3):
                row[place + i] = scene.chain[r, i]
            place += 3


@compiled
def first_row(world, scene, nows, row, beside):
    """Writes the start: the crafts into `row`, with nothing booked yet, and what is beside them into `beside`."""
    if world.calls[CAST] != 0:
        rays.CAST(world.calls[CAST], world.crafts, scene, world.supports, nows)
    if row.shape[0] < whole_width(world.crafts, nows):
        write_without_ledger(world.crafts, scene.solids, nows, world.supports, row)
    else:
        write_crafts(world.crafts, scene.solids, nows, world.supports, row, 1.0, True)
    if beside.shape[0] > 0:
        write_others(scene, nows[0].nominal_dt, beside)


@compiled
def keep(row, beside, kept, into):
    """Copies some columns, counted through `row` and what is beside it."""
    own = row.shape[0]
    for k in range(kept.shape[0]):
        into[k] = row[kept[k]] if kept[k] < own else beside[kept[k] - own]


@compiled
def is_finite(row):
    """True if no number of a row is NaN or infinite; four sums, since one waits for itself."""
    a, b, c, d = 0.0, 0.0, 0.0, 0.0
    fours = 4 * (row.shape[0] // 4)
    for k in range(0, fours, 4):
        a, b, c, d = a + abs(row[k]), b + abs(row[k + 1]), c + abs(row[k + 2]), d + abs(row[k + 3])
    for k in range(fours, row.shape[0]):
        a += abs(row[k])
    return a + b + c + d < INFINITE
