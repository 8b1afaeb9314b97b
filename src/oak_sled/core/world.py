"""Documents to arrays: the only bridge between what a user edits and what the kernel runs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, get_args

import numpy as np

from oak_sled.core import among, state, surface
from oak_sled.core.craft import Body, Craft, DampingLaw
from oak_sled.core.event import Event, What
from oak_sled.core.faults import refuse
from oak_sled.core.loop import HEAD
from oak_sled.core.parts import register
from oak_sled.core.parts.common import Pack
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.sling import Hold, Sling
from oak_sled.core.surface import MOST_PATCHES
from oak_sled.core.yard import Drill, End, Ground, Track

_END_KINDS = get_args(End)
_EDGES = ("open", "wrap", "wall", "return")
_LAWS = get_args(DampingLaw)


@dataclass(frozen=True)
class Job:
    """All that decides a run: documents, tick rate, integrator. A frozen request; equal jobs give equal runs.

    substeps : ticks are cut into so many equal steps, for the reference; the documents' per-tick
    numbers keep meaning the nominal tick.
    """

    craft: Craft
    ground: Ground
    drill: Drill
    ticks: int = 120
    integrator: str = "semi_implicit"
    substeps: int = 1

    @property
    def dt(self) -> float:
        """s of a nominal tick."""
        return 1.0 / self.ticks


def _one(dtype: np.dtype[Any], values: dict[str, Any]) -> state.Records:
    """An array of one record; every field must be given."""
    record = np.zeros(1, dtype)
    for name in dtype.names or ():
        record[name][0] = values[name]
    return record


def _many(dtype: np.dtype[Any], rows: list[dict[str, Any]]) -> state.Records:
    """An array of records, at least one, so that the kernel's types never change."""
    records = np.zeros(max(1, len(rows)), dtype)
    for place, values in enumerate(rows):
        for name in dtype.names or ():
            records[name][place] = values[name]
    return records


def gains(craft: Craft) -> state.Floats:
    """Trim, mute and solo of every part as one number, shape (parts,)."""
    solo = any(part.solo for part in craft.parts)
    return np.array(
        [0.0 if part.mute or (solo and not part.solo) else part.trim for part in craft.parts], dtype=np.float64
    )


def build(job: Job) -> state.World:
    """The records of a run."""
    craft, ground, drill = job.craft, job.ground, job.drill
    names = tuple(channel.id for channel in craft.channels)
    return state.World(
        body=_one(state.BODY, _body(craft, job, gains(craft))),
        ground=_one(state.GROUND, _ground(ground)),
        drill=_one(state.DRILL, _drill(drill, names, craft, ground)),
        parts=_parts(craft, Pack(names, craft.body.centre()), ground),
        channels=_many(state.CHANNEL, [_channel(channel) for channel in craft.channels]),
        walls=_walls(ground),
        gates=_many(state.GATE, [_gate(gate) for gate in ground.gates]),
        events=event_rows(drill.events, craft, ground),
        calls=np.zeros(2, np.int64),
    )


def event_rows(events: Sequence[Event], craft: Craft, ground: Ground) -> state.Records:
    """The events of a drill as records, in order of time; one whose target is not there does nothing."""
    rows = np.zeros(len(events), state.EVENT)
    names = [part.id for part in craft.parts]
    for row, event in zip(rows, sorted(events, key=lambda event: event.t), strict=True):
        row["time"], row["what"] = event.t, get_args(What).index(event.what)
        row["part"], row["solid"] = -1, -1
        if event.what in ("trigger", "hold", "release"):
            row["part"] = names.index(event.target) if event.target in names else -1
            if event.what != "trigger" and row["part"] >= 0 and craft.parts[row["part"]].kind != "sling":
                row["part"] = -1
        else:
            row["solid"] = among.solid_number(event.target, ground) if event.target else 0
        row["vector"], row["point"] = (event.x, event.y, event.z), (event.at_x, event.at_y, event.at_z)
    return rows


def first_hold(job: Job) -> int:
    """How a sling holds the craft from the start: until the first event that lets it go."""
    slings = {part.id: part for part in job.craft.parts if isinstance(part, Sling) and not part.mute}
    for event in sorted(job.drill.events, key=lambda event: event.t):
        if event.what in ("hold", "release") and event.target in slings:
            return get_args(Hold).index(slings[event.target].hold) if event.what == "release" else state.LOOSE
    return state.LOOSE


def _parts(craft: Craft, pack: Pack, ground: Ground) -> state.Records:
    kinds = [kind.document for kind in register.KINDS]
    records = np.zeros(max(1, len(craft.parts)), register.PART)
    for place, (part, gain) in enumerate(zip(craft.parts, gains(craft), strict=True)):
        row = records[place]
        row["kind"] = kinds.index(type(part))
        row["gain"] = gain
        for name, value in register.addresses(kinds.index(type(part))).items():
            row[name] = value
        row["drives"] = float(part.FAMILY == "drive")
        for name, value in part.record(pack).items():
            row[part.kind][name] = value
    for place, part in enumerate(craft.parts):
        if isinstance(part, Launcher):
            row = records[place]["launcher"]
            row["first_solid"] = among.first_slot(craft, ground, part.id)
            row["homes_on"] = among.solid_number(part.homes_on, ground) if part.homes_on else -1
            row["blast"] = next((k for k, one in enumerate(craft.parts) if one.id == part.blast), -1)
            if row["blast"] >= 0 and craft.parts[row["blast"]].kind != "knockback":
                row["blast"] = -1
    return records


def _body(craft: Craft, job: Job, mix: state.Floats) -> dict[str, Any]:
    body = craft.body
    soloed = any(part.solo for part in craft.parts)
    response: tuple[float, ...] = (0, 1.0, 0.0, 0.0)
    bumper = -1
    for place, part in enumerate(craft.parts):
        if part.kind == "bumper" and mix[place] > 0.0:
            response, bumper = tuple(part.record(Pack((), body.centre())).values()), place
    return {
        "mass": body.true_mass(),
        "inertia": body.inertia_matrix(),
        "free": [0.0 if axis in body.held else 1.0 for axis in ("x", "y", "z")],
        "free_spin": [0.0 if axis in body.held else 1.0 for axis in ("roll", "pitch", "yaw")],
        "gravity_scale": body.gravity_scale,
        "damping_law": _LAWS.index(body.damping_law),
        "damping": 0.0 if soloed else body.damping,
        "spin_damping": 0.0 if soloed else body.spin_damping,
        "hull_kind": int(body.shape == "ball" or _is_upright_round(body)),
        "half": body.half_extents(),
        "hull_centre": [-offset for offset in body.centre()],
        "reach": math.hypot(*body.half_extents()),
        "first_limiter": sum(part.STAGE < 7 for part in craft.parts),
        "thinnest": _thinnest(job.ground),
        "foot": craft.foot_depth(),
        "contacts": max(1, sum(part.contact_count() for part in craft.parts)),
        "bumper": response,
        "bumper_line": bumper,
        "integrator": int(job.integrator == "explicit"),
    }


def _is_upright_round(body: Body) -> bool:
    """Whether it is a round cylinder that stays upright: to walls it is a circle."""
    return body.shape == "cylinder" and body.length == body.width and {"roll", "pitch"} <= set(body.held)


def _channel(channel: Any) -> dict[str, Any]:
    return {
        "dead_zone": channel.dead_zone,
        "exponent": channel.exponent,
        "rise": channel.rise,
        "fall": channel.fall,
        "low": -1.0 if channel.two_sided else 0.0,
    }


def _ground(ground: Ground) -> dict[str, Any]:
    angle = math.radians(ground.wind_to_deg)
    low_x, low_y, high_x, high_y = ground.edges_at()
    spare = MOST_PATCHES - len(ground.patches)
    return {
        "gravity": ground.gravity,
        "air_density": ground.air_density,
        "wind": (ground.wind_speed * math.cos(angle), ground.wind_speed * math.sin(angle), 0.0),
        "grip": ground.grip,
        "patch_count": len(ground.patches),
        "patches": np.concatenate([among.patch_rows(ground), np.zeros(spare, surface.PATCH)]),
        "edge_kind": _EDGES.index(ground.edges),
        "low": (low_x, low_y),
        "high": (high_x, high_y),
    }


def _wall(x: float, y: float, heading_deg: float, length: float, width: float, height: float) -> dict[str, Any]:
    angle = math.radians(heading_deg)
    return {
        "x": x,
        "y": y,
        "cos": math.cos(angle),
        "sin": math.sin(angle),
        "half_length": 0.5 * length,
        "half_width": 0.5 * width,
        "top": height,
        "reach": 0.5 * math.hypot(length, width),
    }


def _walls(ground: Ground) -> state.Records:
    rows = [_wall(*wall) for wall in among.walls_of(ground)]
    if not rows:
        return np.zeros(0, state.WALL)
    return _many(state.WALL, rows)


def _thinnest(ground: Ground) -> float:
    """m, the least thickness among the walls that can be met."""
    edge = [among.EDGE_WALL] if ground.edges == "wall" else []
    return min([min(wall.length, wall.width) for wall in ground.walls] + edge, default=1e30)


def _gate(gate: Any) -> dict[str, Any]:
    angle = math.radians(gate.heading_deg)
    return {"x": gate.x, "y": gate.y, "cos": math.cos(angle), "sin": math.sin(angle), "half_width": 0.5 * gate.width}


def _drill(drill: Drill, names: tuple[str, ...], craft: Craft, ground: Ground) -> dict[str, Any]:
    aim = next((track for track in drill.tracks if track.shape == "aim" and track.channel in names), None)
    return {
        "end_kind": _END_KINDS.index(drill.end),
        "end_value": drill.end_value,
        "driver_channel": names.index(aim.channel) if aim else -1,
        "driver_gain": aim.gain if aim else 0.0,
        "driver_damping": aim.lead if aim else 0.0,
        "driver_sight": aim.sight if aim else 0.0,
        "start": start_state(drill, craft, ground),
    }


def start_state(drill: Drill, craft: Craft, ground: Ground) -> state.Floats:
    """Position, attitude, velocity and spin at the start, shape (13,), world axes; its height is above the ground."""
    start = drill.start
    angle = math.radians(start.heading_deg)
    cos, sin = math.cos(angle), math.sin(angle)
    roll, pitch = math.radians(start.roll_rate_deg), math.radians(start.pitch_rate_deg)
    centre = craft.body.centre()
    x = start.x + cos * centre[0] - sin * (centre[1] + craft.lane)
    y = start.y + sin * centre[0] + cos * (centre[1] + craft.lane)
    return np.array(
        [
            x,
            y,
            start.height + craft.foot_depth() + _ground_under(craft, ground, x, y, cos, sin),
            math.cos(0.5 * angle),
            0.0,
            0.0,
            math.sin(0.5 * angle),
            cos * start.speed - sin * start.side_speed,
            sin * start.speed + cos * start.side_speed,
            start.rise_speed,
            cos * roll - sin * pitch,
            sin * roll + cos * pitch,
            math.radians(start.yaw_rate_deg),
        ]
    )


def _ground_under(craft: Craft, ground: Ground, x: float, y: float, cos: float, sin: float) -> float:
    """m of uneven ground under a craft at a start: the highest of its middle, its sides and its corners."""
    if not among.is_uneven(ground) or "z" in craft.body.held:
        return 0.0
    a, b, _ = craft.body.half_extents()
    spots = [(i * a, j * b) for i in (-1, 0, 1) for j in (-1, 0, 1)]
    under = [among.height_at(ground, x + cos * u - sin * v, y + sin * u + cos * v) for u, v in spots]
    found = [height for height in under if height is not None] + ([0.0] if ground.floor else [])
    return max(found, default=0.0)


def begin(world: state.World, job: Job) -> state.Records:
    """The state at the start of a run, everything at rest but what the drill sets in motion; one record."""
    start, body = world.drill["start"][0], world.body[0]
    now = np.zeros(1, state.NOW)
    first = now[0]
    first["dt"] = job.dt / job.substeps
    first["nominal_dt"] = job.dt
    first["mass"] = body["mass"]
    first["heading_x"] = 1.0
    first["clear_for"] = 1e9
    first["position"] = start[0:3]
    first["attitude"] = start[3:7]
    first["velocity"] = start[7:10] * body["free"]
    first["spin"] = start[10:13] * body["free_spin"]
    first["parts"] = len(job.craft.parts)
    first["channel_count"] = len(job.craft.channels)
    first["points"] = first["position"]
    first["up"] = (0.0, 0.0, 1.0)
    first["held"] = first_hold(job)
    first["among"] = float(among.is_among(job.craft, job.ground))
    if first["among"] and job.drill.start.height == 0.0:  # it begins at rest on the ground
        first["on_ground"], first["load"] = 1.0, body["mass"] * world.ground["gravity"][0]
        first["foot_load"] = first["load"] / body["contacts"]
    return now


def width(parts: int, channels: int) -> int:
    """Numbers in a recorded row, without things on the ground."""
    return HEAD + channels + (parts + len(state.FIXED_LINES)) * 6 + parts * 4


def inputs(job: Job, ticks: int) -> state.Floats:
    """Raw channel values at every tick, shape (ticks, channels)."""
    names = [channel.id for channel in job.craft.channels]
    told = np.zeros((ticks, len(names)))
    times = np.arange(ticks) / job.ticks
    for track in job.drill.tracks:
        if track.channel in names and track.shape != "aim":
            told[:, names.index(track.channel)] = sample(track, times)
    return told


def sample(track: Track, times: state.Floats) -> state.Floats:
    """The raw values of a track at `times` (s), shape (times,)."""
    if not track.knots:
        return _wave(track, times) if track.shape in ("sine", "pulses") else np.zeros_like(times)
    knot_times = np.array([knot.t for knot in track.knots])
    values = np.array([knot.value for knot in track.knots])
    # a hair of slack, so that a knot at a tick's own time counts in that tick
    if track.shape in ("sine", "pulses"):
        since = times - knot_times[0]
        on = (since >= -1e-9) & ((times <= knot_times[-1] + 1e-9) if len(knot_times) > 1 else True)
        return np.where(on, _wave(track, since), 0.0)
    if track.shape == "ramps":
        return np.interp(times, knot_times, values, left=0.0)
    place = np.searchsorted(knot_times, times + 1e-9, side="right") - 1
    return np.where(place >= 0, values[np.maximum(place, 0)], 0.0)


def _wave(track: Track, since: state.Floats) -> state.Floats:
    """A sine, or pulses that are on for a share of each period."""
    if track.shape == "sine":
        return np.asarray(track.amplitude * np.sin(2.0 * np.pi * since / track.period))
    phase = np.mod(since / track.period + 1e-9, 1.0)
    return np.where(phase < track.on_share, track.amplitude, 0.0)


def check_size(job: Job) -> int:
    """The number of ticks of a drill, refused when its record would not fit in memory."""
    ticks = max(1, math.ceil(job.drill.duration * job.ticks - 1e-9))
    row = width(len(job.craft.parts), len(job.craft.channels)) + 7 * len(among.moving(job.ground))
    row += 4 * len(among.shot_names(job.craft))
    if ticks * row > 200_000_000:
        raise refuse(
            f"drills.{job.drill.id}.duration",
            f"{job.drill.duration:g} s at {job.ticks} ticks/s records {ticks * row * 8 / 1e9:.1f} GB",
            "a shorter drill or fewer ticks/s",
        )
    return ticks
