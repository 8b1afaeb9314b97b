"""The inputs of channels over time, as numbers a tick."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import delays
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.yard.drill import Track


def inputs(job: Job, ticks: int) -> Floats:
    """Raw channel values of all crafts at every tick, as they come in by the delay of the drill, shape (ticks,
    channels)."""
    times = np.arange(ticks) / job.ticks
    inputs = []
    for one in job.actors:
        by_channel = {track.channel: track for track in one.tracks if track.shape != "aim"}
        for channel in one.channels:
            track = by_channel.get(channel.id)
            inputs.append(np.zeros(ticks) if track is None else sample(track, times))
    given = np.ascontiguousarray(np.stack(inputs, axis=1)) if inputs else np.zeros((ticks, 0))
    drill = job.drill
    late = (drill.input_delay, drill.input_jitter, drill.delay_seed)
    return delays.delayed(given, job.channels, job.ticks, late)


def sample(track: Track, times: Floats) -> Floats:
    """The raw values of a track at `times` (s), shape (times,)."""
    if not track.knots:
        return _wave(track, times) if track.shape in ("sine", "pulses") else np.zeros_like(times)
    knot_times, values = track.times, track.values
    # a hair of slack, so that a knot at a tick's own time counts in that tick
    if track.shape in ("sine", "pulses"):
        since = times - knot_times[0]
        on = (since >= -1e-9) & ((times <= knot_times[-1] + 1e-9) if len(knot_times) > 1 else True)
        return np.where(on, _wave(track, since), 0.0)
    if track.shape in ("ramps", "pace"):
        return np.interp(times, knot_times, values, left=0.0)
    place = np.searchsorted(knot_times, times + 1e-9, side="right") - 1
    return np.where(place >= 0, values[np.maximum(place, 0)], 0.0)


def _wave(track: Track, since: Floats) -> Floats:
    """A sine, or pulses that are on for a share of each period."""
    if track.shape == "sine":
        return np.asarray(track.amplitude * np.sin(2.0 * np.pi * since / track.period))
    phase = np.mod(since / track.period + 1e-9, 1.0)
    return np.where(phase < track.on_share, track.amplitude, 0.0)
