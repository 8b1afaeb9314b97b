"""The records of a job for the kernel: crafts, parts, channels, ground, events."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, get_args

import numpy as np

from oak_sled.core.assembly import bodynames, delays, eventrows, ground_shape, groundrows
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats, Records
from oak_sled.core.base.faults import refuse
from oak_sled.core.formulas import lawunits
from oak_sled.core.formulas.code import Code
from oak_sled.core.kernel import environment, spatial, state
from oak_sled.core.parts import register
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import AIMS, Pack
from oak_sled.core.tick import rowlayout
from oak_sled.core.yard.body import DampingLaw
from oak_sled.core.yard.channel import Stays, Takes
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import End
from oak_sled.core.yard.ground import Ground

_END_KINDS = get_args(End)
_LAWS = get_args(DampingLaw)
_NUMBERS: dict[type[Part], int] = {kind.document: number for number, kind in enumerate(register.KINDS)}


def _many(dtype: np.dtype[Any], rows: list[dict[str, Any]]) -> Records:
    """An array of records, at least one, so that the kernel's types never change."""
    records = np.zeros(max(1, len(rows)), dtype)
    for place, values in enumerate(rows):
        for name in dtype.names or ():
            records[name][place] = values[name]
    return records


def build(job: Job) -> state.World:
    """The records of a run, but for the bodies: see `scenes.build`."""
    actors = job.actors
    parts = np.zeros(max(1, sum(len(one.craft.parts) for one in actors)), register.PART)
    first = 0
    for who, one in enumerate(actors):
        _fill_parts(parts[first : first + len(one.craft.parts)], job, who)
        first += len(one.craft.parts)
    channels = [channel for one in actors for channel in one.channels]
    return state.World(
        crafts=_many(state.CRAFT, _crafts(job)),
        ground=groundrows.ground_of(job),
        drill=groundrows.one(
            state.DRILL, {"end_kind": _END_KINDS.index(job.drill.end), "end_value": job.drill.end_value}
        ),
        parts=parts,
        channels=_many(state.CHANNEL, [_channel(channel) for channel in channels]),
        gates=_many(state.GATE, [groundrows.gate_row(gate) for gate in job.ground.gates]),
        events=eventrows.event_rows(job.drill.events, job),
        supports=np.concatenate([_supports(one.craft, job.ground) for one in actors]),
        calls=np.zeros(1 + state.COMMAND, np.int64),
        late=_late(job),
    )


def _late(job: Job) -> Floats:
    """Commands on their way from the drivers of a job: for each a row of what came in last, then a row for each tick on
    its way, with the ticks it takes. Those are drawn anew from the seed, once a second or more seldom."""
    rows = [np.zeros((1, 4))]
    for room in (_late_room(job, who) for who in range(len(job.actors))):
        made = np.zeros((room, 4))
        if room:
            drill, rate = job.drill, job.ticks * job.substeps
            for delay, jitter, seed in (
                (drill.input_delay, drill.input_jitter, drill.delay_seed),
                (drill.display_delay, drill.display_jitter, drill.delay_seed + 1),
            ):
                made[1:, state.LATENESS] += delays.late_ticks(delay, jitter, seed, 0, room - 1, rate)
        rows.append(made)
    return np.concatenate(rows)


def _late_room(job: Job, who: int) -> int:
    """Rows of `_late` of an actor; 0 where it has no driver, or he sees and acts at once."""
    one, drill = job.actors[who], job.drill
    delay = drill.input_delay + drill.display_delay
    jitter = drill.input_jitter + drill.display_jitter
    if one.lead != who or delay + jitter <= 0.0 or not any(track.shape in ("aim", "pace") for track in one.tracks):
        return 0
    rate = job.ticks * job.substeps
    return 2 + max(math.ceil((delay + jitter) * rate / 1000.0) + 2, rate if jitter else 0)


def compile_laws(job: Job) -> None:
    """Compiles the formulas that a job follows, each into a unit of its own; runs built before go on interpreting."""
    for code in _followed(job):
        lawunits.compile_unit(code)


def interprets(job: Job) -> bool:
    """True if a job that is built now follows a formula that is not compiled."""
    return not all(lawunits.is_compiled(code) for code in _followed(job))


def _followed(job: Job) -> Iterator[Code]:
    """The formulas that parts of a job follow in every tick."""
    for one in job.actors:
        for part in one.craft.parts:
            for place in part.PLACES:
                if (name := getattr(part, place.field)) and not place.sampled:
                    yield one.craft.written[name].code


def _fill_parts(records: Records, job: Job, who: int) -> None:
    craft = job.actors[who].craft
    pack = pack_of(job, who)
    for row, works in zip(records, craft.working_parts, strict=True):
        pack_part(row, craft, works, pack)


def pack_part(row: np.void, craft: Craft, works: Part, pack: Pack) -> None:
    """Writes a part of a craft into its row. works : the part as it works on the craft, see `Craft.at_work`."""
    number = _NUMBERS[type(works)]
    row["kind"] = number
    row["gain"] = craft.gain_of(works)
    for name, value in register.addresses(number).items():
        row[name] = value
    row["drives"] = float(works.FAMILY == "drive")
    own = row[register.KINDS[number].document.model_fields["kind"].default]
    for name, value in works.record(pack).items():
        own[name] = value


def pack_of(job: Job, who: int) -> Pack:
    """The answers that the parts of an actor need while they are packed."""
    craft, ground = job.actors[who].craft, job.ground
    first = sum(_support_count(one.craft) for one in job.actors[:who])
    feet = _feet(craft)
    ray, rays = first + len(feet) + state.HULL_SUPPORTS, {}
    wheels = bodynames.wheels(craft, ray)
    for part in craft.parts:
        if part.rays():
            rays[part.id] = ray
        ray += len(part.rays())
    return Pack(
        tuple(channel.id for channel in craft.channels),
        craft.body.centre(),
        bodies=bodynames.solid_numbers(job),
        shots={part.id: bodynames.first_slot(job, who, part.id) for part in bodynames.launchers(craft)},
        layers={name: place for place, name in enumerate(bodynames.layer_names(ground))},
        own_layer=craft.body.layer,
        blasts={part.id: place for place, part in enumerate(craft.parts) if part.BURSTS},
        supports={craft.parts[part].id: first + row for row, (part, number, _) in enumerate(feet) if number == 0},
        last_support=first + len(feet),
        rays=rays,
        ray_counts={part.id: len(part.rays()) for part in craft.parts},
        two_sided=frozenset(part.id for part in craft.parts if len({one.at[1] for one in part.rays()}) == 2),
        last_ray=ray,
        links=bodynames.line_numbers(job, who),
        joints={one.part.id: one.joint for one in bodynames.riders(job) if one.who == who},
        gravity_scale=craft.body.gravity_scale,
        wheels=wheels,
        places={part.id: place for place, part in enumerate(craft.parts)},
        **mixed_of(craft),
        formulas={name: lawunits.record_of(one.code, one.numbers) for name, one in craft.written.items()},
    )


def mixed_of(craft: Craft) -> dict[str, Any]:
    """The fields of `Pack` by which a mixer knows the other parts of its craft."""
    acting = [(place, part) for place, part in enumerate(craft.parts) if craft.gain_of(part) > 0.0]
    return {
        "actuators": tuple((place, craft.gain_of(part), one) for place, part in acting for one in part.actuators()),
        "wishes": frozenset(axis for _, part in acting for axis in part.wishes()),
    }


def _feet(craft: Craft) -> list[tuple[int, int, tuple[float, float, float]]]:
    """The feet of the parts that are not muted: part, number of the foot, place in m from the origin, craft axes."""
    return [
        (place, number, at)
        for place, part in enumerate(craft.parts)
        if craft.gain_of(part) > 0.0
        for number, at in enumerate(part.feet())
    ]


def _support_count(craft: Craft) -> int:
    return len(_feet(craft)) + state.HULL_SUPPORTS + len(bodynames.ray_names(craft))


def _supports(craft: Craft, ground: Ground) -> Records:
    """The supports of a craft: its feet, then those of its hull, then its rays."""
    feet = _feet(craft)
    rows = np.zeros(_support_count(craft), state.SUPPORT)
    rows["part"], rows["below"], rows["normal"] = -1, -1, (0.0, 0.0, 1.0)
    centre = np.array(craft.body.centre())
    rows["at"] = (0.0, 0.0, -craft.foot_depth())
    for row, (place, number, at) in zip(rows, feet, strict=False):
        row["part"], row["foot"], row["at"] = place, number, np.array(at) - centre
    place = len(feet) + state.HULL_SUPPORTS
    tired = {place + ray: inertia for ray, inertia in bodynames.tired(craft).items()}
    for number, part in enumerate(craft.parts):
        for foot, ray in enumerate(part.rays()):
            row = rows[place]
            row["axle"]["radius"], row["axle"]["tired"] = ray.wheel, int(place in tired)
            row["axle"]["grip"], row["axle"]["inertia"] = 1.0, tired.get(place, 0.0)
            row["part"], row["foot"], row["at"] = number, foot, np.array(ray.at) - centre
            row["aim"], row["reach"], row["gap"] = AIMS.index(ray.aim), ray.reach, ray.reach
            row["radius"], row["senses"] = ray.radius, int(ray.senses)
            row["layer"] = bodynames.layer_number(ground, ray.layer or craft.body.layer)
            row["muted"] = int(craft.gain_of(part) == 0.0)
            place += 1
    _look_farther(craft, rows, len(feet) + state.HULL_SUPPORTS)
    return rows


def _look_farther(craft: Craft, rows: Records, first: int) -> None:
    """Lengthens the rays by which wheels hold their craft down. first : the row of the first ray."""
    for part in craft.parts:
        if craft.gain_of(part) > 0.0:
            for row, more in part.looks_farther(bodynames.wheels(craft, first)).items():
                more = max(more, float(rows[row]["axle"]["farther"]))
                rows[row]["reach"] += more - rows[row]["axle"]["farther"]
                rows[row]["gap"], rows[row]["axle"]["farther"] = rows[row]["reach"], more


def _crafts(job: Job) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    part = channel = support = 0
    late = 1
    for who, one in enumerate(job.actors):
        craft, body = one.craft, one.craft.body
        names = [item.id for item in one.channels]
        aim = next((track for track in one.tracks if track.shape == "aim" and track.channel in names), None)
        pace = next((track for track in one.tracks if track.shape == "pace" and track.channel in names), None)
        bumpers = [k for k, item in enumerate(craft.parts) if item.ANSWERS_WALLS and craft.gain_of(item) > 0.0]
        soloed = any(item.solo for item in craft.parts)
        feet, rays = len(_feet(craft)), len(bodynames.ray_names(craft))
        found.append(
            {
                "body": 1 + who,
                "lead": one.lead,
                "first_part": part,
                "parts": len(craft.parts),
                "first_limiter": sum(item.STAGE < 7 for item in craft.parts),
                "first_channel": channel,
                "channels": len(names),
                "first_support": support,
                "feet": feet,
                "supports": feet + state.HULL_SUPPORTS,
                "rays": rays,
                "tires": len(bodynames.tired(craft)),
                "inertia": body.inertia_matrix(),
                "free": [0.0 if axis in body.held else 1.0 for axis in ("x", "y", "z")],
                "free_spin": [0.0 if axis in body.held else 1.0 for axis in ("roll", "pitch", "yaw")],
                "gravity_scale": body.gravity_scale,
                "damping_law": _LAWS.index(body.damping_law),
                "damping": 0.0 if soloed else body.damping,
                "spin_damping": 0.0 if soloed else body.spin_damping,
                "foot": craft.foot_depth(),
                "bumper_line": bumpers[0] if bumpers else -1,
                "integrator": int(job.integrator == "explicit"),
                "late_first": late,
                "late_room": _late_room(job, who),
                "driver_channel": names.index(aim.channel) if aim else -1,
                "driver_gain": aim.gain if aim else 0.0,
                "driver_damping": aim.lead if aim else 0.0,
                "driver_sight": aim.sight if aim else 0.0,
                "pace_channel": names.index(pace.channel) if pace else -1,
                "pace": pace.pace if pace else 0.0,
                "pace_gain": pace.pace_gain if pace else 0.0,
                "start": job.starts[who],
            }
        )
        part, channel = part + len(craft.parts), channel + len(names)
        support += feet + state.HULL_SUPPORTS + rays
        late += _late_room(job, who)
    return found


def _channel(channel: Any) -> dict[str, Any]:
    return {
        "sensitivity": channel.sensitivity,
        "smoothing": channel.smoothing,
        "dead_zone": channel.dead_zone,
        "exponent": channel.exponent,
        "rise": channel.rise,
        "fall": channel.fall,
        "low": -1.0 if channel.two_sided else 0.0,
        "least_input": channel.least_input,
        "takes": get_args(Takes).index(channel.takes),
        "stays": get_args(Stays).index(channel.stays),
        "notches": float(channel.notches),
        "offset": channel.offset,
        "start": 0.0 if channel.stays == "no" else max(channel.start, -1.0 if channel.two_sided else 0.0),
    }


def begin(world: state.World, bodies: Records, job: Job) -> Records:
    """The state at the start of a run, everything at rest but what the drill sets in motion: a record for every craft;
    its motion goes into its row of `bodies`."""
    nows = np.zeros(len(job.actors), state.NOW)
    for who, one in enumerate(job.actors):
        craft, now = world.crafts[who], nows[who]
        body, start = bodies[craft["body"]], craft["start"]
        put_at(body, start, craft)
        now["dt"], now["nominal_dt"] = job.dt / job.substeps, job.dt
        now["level"], now["tipped"] = np.eye(3), int(world.ground["fields"][0] + world.ground["wells"][0] > 0)
        now["heading_x"], now["clear_for"], now["aloft"] = 1.0, 1e9, 1e9
        now["parts"], now["channel_count"] = craft["parts"], craft["channels"]
        now["volumes"] = world.ground["pushing"][0]
        now["points"] = body["position"]
        if now["tipped"]:
            environment.tip(world.ground[0], body, now)
        now["up"] = now["level"][:, 2]
        now["held"] = eventrows.first_hold(job, who)
        first, count = craft["first_channel"], craft["channels"]
        for name in ("shaped", "channels", "before"):
            now[name][:count] = world.channels["start"][first : first + count]
        own = world.channels[first : first + count]
        for name in ("channels", "before"):
            now[name][:count] = np.where(
                own["offset"] == 0.0, own["start"], np.clip(own["start"] + own["offset"], own["low"], 1.0)
            )
        first = craft["first_support"] + craft["supports"]
        roll_on(world.supports[first : first + craft["rays"]], body)
        # it begins at rest on the ground
        carried = job.ground.floor or ground_shape.is_uneven(job.ground)
        if one.craft.can_leave_ground() and carried and one.start.height == 0.0 and one.start.orbit is None:
            now["on_ground"], now["load"] = 1.0, body["mass"] * world.ground["gravity"][0]
            feet = world.supports[craft["first_support"] :][: max(craft["feet"], 1)]
            feet["load"], feet["below"] = now["load"] / len(feet), 0
    return nows


def roll_on(rays: Records, body: np.void) -> None:
    """Wheels begin to turn as fast as they roll; rays : the supports of a craft that rays find."""
    for ray in rays:
        if ray["axle"]["tired"] == 1:
            lever = body["axes"] @ ray["at"]
            speed = (body["velocity"] + np.cross(body["spin"], lever)) @ body["axes"][:, 0]
            ray["axle"]["turn"] = speed / ray["axle"]["radius"]


def put_at(body: np.void, start: Floats, craft: np.void) -> None:
    """Puts the body of a craft where it starts: position, attitude, velocity and spin, shape (13,), world axes."""
    body["position"], body["attitude"] = start[0:3], start[3:7]
    body["velocity"], body["spin"] = start[7:10] * craft["free"], start[10:13] * craft["free_spin"]
    spatial.axes_of(body["attitude"], body["axes"])


def check_size(job: Job) -> int:
    """The number of ticks of a drill, refused when its record would not fit in memory."""
    ticks = max(1, math.ceil(job.drill.duration * job.ticks - 1e-9))
    row = sum(
        rowlayout.craft_width(
            len(one.craft.parts),
            len(one.channels),
            len(bodynames.ray_names(one.craft)),
            len(bodynames.tired(one.craft)),
            sum(volume.pushes for volume in job.ground.volumes),
        )
        + rowlayout.SHOT * len(bodynames.shot_names(one.craft))
        for one in job.actors
    )
    row += rowlayout.MOTION * (len(bodynames.moving(job.ground)) + len(bodynames.riders(job)))
    if ticks * row > 200_000_000:
        raise refuse(
            f"drills.{job.drill.id}.duration",
            f"{units.plain(job.drill.duration, 's')} at {job.ticks} ticks/s records {ticks * row * 8 / 1e9:.1f} GB",
            "a shorter drill or fewer ticks/s",
        )
    return ticks
