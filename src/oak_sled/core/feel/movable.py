"""Dials of a craft that a tuning may move, each on a scale of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.base import document
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.feel.tryout import Scale, value_at
from oak_sled.core.study import sensitivity
from oak_sled.core.yard.yard import Yard

REACH = 4.0
"""Factor by which a dial is moved at most to either side where no bound is given."""
SIZES = ("length", "width", "height", "density", "shape_x", "shape_y", "shape_z")
"""Dials of a body that are its form: never moved unless they are named."""
MOUNTS = ("x", "y", "z", "spread_x", "spread_y")
"""Dials of a part that say where it is mounted: nor those."""
CHEATS = ("trim", "gravity_scale")
"""Nor the gain of a part, which its own dials say better, and a weight that is none."""
OF_CHANNELS = ("rise", "fall", "smoothing")
"""Dials of a channel that are moved."""


def scales_of(
    yard: Yard,
    drill: str,
    craft: str,
    dials: Sequence[str] = (),
    locked: Sequence[str] = (),
    bounds: Mapping[str, tuple[float, float]] | None = None,
) -> tuple[Scale, ...]:
    """The scales of the dials that may be moved; raises `Refused` where none is left, or one is none."""
    job = job_of(yard, yard.drill(drill), craft)
    free = [path for path, _ in free_dials(yard, job)]
    for path in (*dials, *locked, *(bounds or {})):
        if document.dial_at(yard, path) is None:
            raise refuse(path, "is no dial", close_match(path, free))
    found = tuple(path for path in (dials or free) if path not in locked)
    if not found:
        raise refuse("dials", "are all locked", "one that may move at least")
    return tuple(scale_of(yard, path, (bounds or {}).get(path)) for path in dict.fromkeys(found))


def free_dials(yard: Yard, job: Job) -> list[tuple[str, float]]:
    """The dials of a craft that are moved where none is named, with their values: those that do something, but for the
    form of its bodies and for mounts; and how its channels rise and fall."""
    found = [(path, value) for path, value in sensitivity.paths_of(job) if not _is_left_alone(path)]
    for channel in job.craft.channels:
        for name in OF_CHANNELS:
            value = float(getattr(channel, name))
            if value > 0.0:
                found.append((f"crafts.{job.craft.id}.channels.{channel.id}.{name}", value))
    return found


def _is_left_alone(path: str) -> bool:
    pieces = path.split(".")
    own = MOUNTS if pieces[2] == "parts" else SIZES
    return pieces[-1] in CHEATS or pieces[-1] in own


def scale_of(yard: Yard, path: str, given: tuple[float, float] | None = None) -> Scale:
    """The scale of a dial. given : bounds of the user's; raises `Refused` where they are none."""
    dial = document.dial_at(yard, path)
    assert dial is not None
    first = value_at(yard, path)
    is_log = dial.scale == "log" and first > 0.0
    if given is not None:
        low, high = given
        if not dial.low <= low < high <= dial.high:
            raise refuse(path, f"{low:g} to {high:g} are no bounds", f"a stretch within {dial.low:g} to {dial.high:g}")
        first = min(max(first, low), high)
    elif first > 0.0 and dial.low >= 0.0:
        low, high = max(first / REACH, dial.low), min(first * REACH, dial.high)
    else:
        low, high = (min(dial.slider[0], first), max(dial.slider[1], first))
        low, high = max(low, dial.low), min(high, dial.high)
    wide = dial.slider[1] - dial.slider[0]
    size = abs(first) if abs(first) > 1e-3 * wide else 0.25 * wide
    return Scale(path, first, low, high, size, is_log)
