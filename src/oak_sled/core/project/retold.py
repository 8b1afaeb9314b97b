"""A drill of what a game did: the same start, the same inputs, and what it did to hold the run against."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from oak_sled.core.assembly import starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document, units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.document import Frozen
from oak_sled.core.base.faults import close_match
from oak_sled.core.results import recorded, rotations
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.recording import INPUT, MOVES, PLACE, SPINS, TURN, Recording

LONGEST = 7200.0
"""s that a drill may last."""


def _built(model: type[Frozen], where: str, **fields: Any) -> Any:
    """A document of numbers that came from a game; raises `Refused` with every fault."""
    return document.checked(model, fields, where, None)


def start_of(state: Floats, craft: Craft, ground: Ground) -> Start:
    """The start of a craft whose first body begins in a state: place, attitude, velocity and spin, shape (13,), world
    axes. One that is lower than the craft stands is put where it stands. Raises `Refused` for one that is farther or
    faster than any start."""
    axes = rotations.rotation(state[3:7])
    heading = math.atan2(axes[1, 0], axes[0, 0])
    pitch = math.asin(min(max(-axes[2, 0], -1.0), 1.0))
    roll = math.atan2(axes[2, 1], axes[2, 2])
    cos, sin = math.cos(heading), math.sin(heading)
    centre = craft.singles[0].body.centre()
    velocity, spin = state[7:10], state[10:13]
    start = _built(
        Start,
        "start",
        x=state[0] - (cos * centre[0] - sin * centre[1]),
        y=state[1] - (sin * centre[0] + cos * centre[1]),
        heading_deg=math.degrees(heading),
        pitch_deg=math.degrees(pitch),
        roll_deg=math.degrees(roll),
        speed=cos * velocity[0] + sin * velocity[1],
        side_speed=cos * velocity[1] - sin * velocity[0],
        rise_speed=velocity[2],
        roll_rate_deg=math.degrees(cos * spin[0] + sin * spin[1]),
        pitch_rate_deg=math.degrees(cos * spin[1] - sin * spin[0]),
        yaw_rate_deg=math.degrees(spin[2]),
    )
    low = starts.start_states(craft, start, ground)[0][2]
    return start.replace(height=max(float(state[2] - low), 0.0))


def lifted(state: Floats, craft: Craft, ground: Ground) -> float:
    """m by which `start_of` begins higher than a state, shape (13,), is: nothing begins lower than it stands."""
    start = start_of(state, craft, ground)
    return max(float(starts.start_states(craft, start, ground)[0][2] - state[2]), 0.0)


def first_state(told: Run) -> Floats:
    """The state in the first row of what a game told, shape (13,)."""
    return np.array([told.column(name)[0] for name in (*PLACE, *TURN, *MOVES, *SPINS)])


def tracks_of(recording: Recording, craft: Craft) -> tuple[Track, ...]:
    """The inputs of a game as tracks of the channels of a craft: a knot wherever one changed."""
    times, found = recording.t.array - recording.t.array[0], []
    for channel in craft.channels:
        if not recording.has(INPUT + channel.id):
            continue
        values = np.clip(recording.column(INPUT + channel.id), channel.least_input, 1.0)
        if channel.takes != "level":
            values = recording.column(INPUT + channel.id)
        # what led to a row held from the row before on
        rows = np.flatnonzero(np.diff(values[1:], prepend=0.0)) + 1
        knots = tuple(Knot(t=float(times[row - 1]), value=float(values[row])) for row in rows)
        if knots:
            found.append(Track(channel=channel.id, shape="steps", knots=knots))
    return tuple(found)


def drill_of(recording: Recording, job: Job, name: str) -> Drill:
    """A drill that begins as a recording does, with its inputs, and is held against it. job : of the craft that it is
    of, on its ground. Raises `Refused` for one that no drill can begin as."""
    told = recorded.as_run(recording, job)
    seconds = min(max(recording.duration, 0.05), LONGEST)
    return _built(
        Drill,
        "drill",
        id=name,
        title=f"{recording.name}, {units.fixed(seconds, 's', 0)}"[:80],
        ground=job.ground.id,
        craft=job.actors[0].whole.id,
        start=start_of(first_state(told), job.actors[0].whole, job.ground),
        tracks=tracks_of(recording, job.actors[0].whole),
        duration=seconds,
        recorded=True,
        recording=recording,
    )


def strange(name: str, inputs: Sequence[str], rate: float, craft: Craft, ticks: float) -> list[str]:
    """All that does not fit here of a game, a sentence each: inputs that are no channel, channels that it does
    not tell, and ticks of another length. name, inputs, rate : of the game; ticks : a second here."""
    known = [channel.id for channel in craft.channels]
    found = [
        f"{one} of {name} is no channel of {craft.heading} ({close_match(one, known)})"
        for one in inputs
        if one not in known
    ]
    missing = [one for one in known if one not in inputs]
    if missing:
        found.append(f"{name} tells no input of {', '.join(missing)}: 0 here")
    if abs(rate - ticks) > 1e-3 * ticks:
        found.append(f"{name} has {rate:g} ticks a second, the craft is tuned at {ticks:g}: compared at the same times")
    return found


SUNK = 0.05
"""m by which a start may be lifted without a word: games count heights from other places of a craft."""


def lifted_words(told: Run, job: Job) -> list[str]:
    """The sentence on a game that is lower than the craft stands, if it is. told : of it, from its first row."""
    by = lifted(first_state(told), job.actors[0].whole, job.ground)
    if by <= SUNK:
        return []
    return [f"it begins {units.plain(by, 'm', 3)} lower than the craft stands: lifted by as much here"]
