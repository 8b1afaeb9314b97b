"""Edits of the inputs of a drill: stamped, trimmed, smoothed."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.assembly import tracks
from oak_sled.core.base.arrays import Floats
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.drill import Drill, Knot, Start, Track

STAMPS = ("step", "ramp", "hold", "pulse")
"""Waveforms that can be put into a track at a moment."""
STAMP_S = 0.5
"""s that a ramp takes and a pulse lasts when it is put in."""
FINE_S = 1.0 / 120.0
"""s between the samples a track is smoothed at."""
CLOSE_ENOUGH = 0.01
"""Largest distance of the knots of a smoothed track from what they stand for."""


def track_of(drill: Drill, channel: str) -> Track:
    """The input of a channel in a drill; a track without knots where it has none."""
    return next((track for track in drill.tracks if track.channel == channel), Track(channel=channel))


def with_track(drill: Drill, track: Track) -> Drill:
    """The drill with this track in the place of the old one of its channel; one that says nothing is left out."""
    others = tuple(old for old in drill.tracks if old.channel != track.channel)
    says = bool(track.knots) or track.shape in ("sine", "pulses", "aim")
    if not says:
        return drill.replace(tracks=others)
    places = [old.channel for old in drill.tracks]
    at = places.index(track.channel) if track.channel in places else len(others)
    return drill.replace(tracks=(*others[:at], track, *others[at:]))


def value_at(track: Track, time: float) -> float:
    """The raw value of a track at a moment."""
    return float(tracks.sample(track, np.array([time]))[0])


def stamped(track: Track, what: str, time: float, channel: Channel) -> Track:
    """The track with a step, a ramp, a hold or a pulse from `time` on, to full or back to nothing."""
    time = max(time, 0.0)
    now = value_at(track, time)
    to = 0.0 if abs(now) > 0.5 else 1.0
    if track.shape in ("sine", "pulses", "aim", "pace"):
        track, now = Track(channel=track.channel), 0.0
    shape = "ramps" if what == "ramp" or track.shape == "ramps" else "steps"
    if what == "hold":
        added = [(time, now), (time + STAMP_S, now)]
    elif what == "ramp":
        added = [(time, now), (time + STAMP_S, to)]
    elif what == "pulse":
        added = [(time, to), (time + STAMP_S, now)]
    else:
        added = [(time, to)]
    if shape == "ramps" and what in ("step", "pulse"):  # upright flanks: two knots a hair apart
        added = [(time, now), *added] if what == "step" else [(time, now), added[0], (added[1][0], to), added[1]]
    last = added[-1][0]
    kept = [(knot.t, knot.value) for knot in track.knots if knot.t < time or knot.t > last]
    if shape == "ramps" and track.shape == "steps":
        kept = _flanked(kept)
    knots = sorted([*kept, *added], key=lambda pair: pair[0])
    low = channel.least_input
    return track.replace(shape=shape, knots=tuple(Knot(t=t, value=max(value, low)) for t, value in knots))


def _flanked(knots: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Steps as ramps: before each knot the value that held until then, so that the flank is upright."""
    found: list[tuple[float, float]] = []
    for t, value in knots:
        if found:
            found.append((t, found[-1][1]))
        found.append((t, value))
    return found


def reshaped(track: Track, shape: str) -> Track:
    """The track in another shape, with the same values where it can: steps become upright ramps."""
    knots = track.knots
    if track.shape == "steps" and shape == "ramps":
        knots = tuple(Knot(t=t, value=value) for t, value in _flanked([(k.t, k.value) for k in knots]))
    return track.replace(shape=shape, knots=knots)


def smoothed(track: Track, seconds: float, duration: float, two_sided: bool = True) -> Track:
    """The track without its jitter: a bell of `seconds` (standard deviation) run over it, as few ramps as tell it.

    The first value and the last are kept. Gaussian smoothing; knots by the rule of Ramer, Douglas and Peucker (1972).
    """
    if track.shape in ("aim", "pace") or seconds <= 0.0:
        return track
    from scipy.ndimage import gaussian_filter1d  # heavy, and rarely asked for

    times = np.arange(0.0, duration + 0.5 * FINE_S, FINE_S)
    values = gaussian_filter1d(tracks.sample(track, times), seconds / FINE_S, mode="nearest")
    values = np.clip(values, -1.0 if two_sided else 0.0, 1.0)
    kept = _telling(times, values)
    knots = tuple(Knot(t=round(float(times[k]), 6), value=round(float(values[k]), 6)) for k in kept)
    return Track(channel=track.channel, shape="ramps", knots=knots)


def _between(track: Track, first: float, last: float) -> Track:
    """The values of a track from `first` to `last` s as ramps that begin at 0 s."""
    times = np.arange(first, last + 0.5 * FINE_S, FINE_S)
    values = tracks.sample(track, times)
    knots = tuple(Knot(t=float(times[k] - first), value=float(values[k])) for k in _telling(times, values))
    return Track(channel=track.channel, shape="ramps", knots=knots)


def _telling(times: Floats, values: Floats) -> list[int]:
    """The fewest samples between which straight lines stay close to all of them."""
    kept, open_ = {0, len(times) - 1}, [(0, len(times) - 1)]
    while open_:
        a, b = open_.pop()
        if b - a < 2:
            continue
        line = np.interp(times[a : b + 1], [times[a], times[b]], [values[a], values[b]])
        off = np.abs(values[a : b + 1] - line)
        k = a + int(np.argmax(off))
        if off[k - a] > CLOSE_ENOUGH:
            kept.add(k)
            open_ += [(a, k), (k, b)]
    return sorted(kept)


def trimmed(drill: Drill, run: Run, first: float, last: float) -> Drill:
    """The drill from `first` to `last` s alone, begun with the place, heading and speeds that the run had there.

    Roll and pitch at the cut are not kept, since a start has none; channels rise anew.
    """
    first, last = max(first, 0.0), min(last, drill.duration)
    span = max(last - first, 0.05)
    tracks = []
    for track in drill.tracks:
        if track.shape == "aim":
            tracks.append(track)
            continue
        if track.shape in ("sine", "pulses"):
            if first > 0.0:  # its phase would restart: it goes on as what it told
                track = _between(track, first, last)
            tracks.append(track)
            continue
        inside = [Knot(t=knot.t - first, value=knot.value) for knot in track.knots if first < knot.t <= last]
        begins = any(knot.t <= first for knot in track.knots)
        knots = [Knot(t=0.0, value=value_at(track, first))] if begins or track.shape == "ramps" else []
        tracks.append(track.replace(knots=(*knots, *inside)))
    events = tuple(e.replace(t=e.t - first) for e in drill.events if first <= e.t <= last)
    start = drill.start if first == 0.0 else start_at(run, run.at(first))
    event_time = min(max(drill.event_time - first, 0.0), span)
    return drill.replace(tracks=tuple(tracks), events=events, start=start, duration=span, event_time=event_time)


def start_at(run: Run, row: int) -> Start:
    """A start with the place, heading, speeds and spin of a run at a row."""
    numbers = run.own_row(row)
    axes = rotations.rotation(numbers[3:7])
    heading = math.atan2(axes[1, 0], axes[0, 0])
    cos, sin = math.cos(heading), math.sin(heading)
    craft = run.job.craft
    centre = craft.body.centre()
    vx, vy, vz = (float(v) for v in numbers[7:10])
    wx, wy, wz = (math.degrees(float(w)) for w in numbers[10:13])
    old = run.job.drill.start
    return Start(
        x=float(numbers[0]) - cos * centre[0] + sin * centre[1],
        y=float(numbers[1]) - sin * centre[0] - cos * centre[1],
        height=max(0.0, old.height + float(numbers[2] - run.own_row(0)[2])),
        heading_deg=math.degrees(heading),
        speed=cos * vx + sin * vy,
        side_speed=cos * vy - sin * vx,
        rise_speed=vz,
        roll_rate_deg=cos * wx + sin * wy,
        pitch_rate_deg=cos * wy - sin * wx,
        yaw_rate_deg=wz,
    )
