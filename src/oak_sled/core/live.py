"""A live drive: the same tick as a drill, fed with keys, recorded without end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oak_sled.core import among, loop, state, world
from oak_sled.core.craft import Channel, Craft
from oak_sled.core.event import MOST_EVENTS, Event
from oak_sled.core.record import Layout, Record, Recorder
from oak_sled.core.run import Run, explain_divergence, stopped_at_nonsense
from oak_sled.core.state import Floats
from oak_sled.core.sudden.shots import Sudden
from oak_sled.core.world import Job
from oak_sled.core.yard import MOST_KNOTS, Drill, Knot, Track

LONGEST_S = 7200.0
"""A drive that is kept as a drill is at most this long."""
_CHUNK = 600


def raw_value(channel: Channel, held: frozenset[str] | set[str]) -> float:
    """The raw value that held keys give a channel; opposing keys cancel."""
    up = any(key in held for key in channel.plus_keys)
    down = any(key in held for key in channel.minus_keys)
    value = float(up) - float(down)
    return value if channel.two_sided else max(value, 0.0)


def raw_values(craft: Craft, held: frozenset[str] | set[str]) -> Floats:
    """The raw values of all channels, shape (channels,)."""
    return np.array([raw_value(channel, held) for channel in craft.channels], dtype=np.float64)


class LiveDrive:
    """A craft that is driven. Advance it by ticks; look at the newest stretch; finish it as a run."""

    def __init__(self, job: Job):
        blank = job.drill.replace(tracks=(), events=(), end="time", targets=(), event_time=0.0)
        self.job = replace(job, drill=blank, substeps=1)
        self.restart()

    def restart(self) -> None:
        """Back to the start, with an empty record."""
        self._arrays = world.build(self.job)
        self._now = world.begin(self._arrays, self.job)
        self._begin_things()
        self.layout = Layout.of(self.job.craft, self.job.ground)
        self.recorder = Recorder(self.layout)
        first = self.recorder.room(1)[0]
        if self._scene is None:
            loop.first_row(self._now, first)
        else:
            loop.first_row_among(self._now, self._scene, first, self.layout.first_thing)
        self.status, self._lost = state.RUNNING, ""
        self._stop_at_nonsense(self.recorder.recent(), 1)
        self._changes: list[tuple[int, int, float]] = []
        self._raw = np.zeros(len(self.job.craft.channels))
        self._events: list[Event] = []
        self.settings_changed = False

    def _begin_things(self) -> None:
        self._scene = among.build(self.job)
        self._sudden = None if self._scene is None else among.sudden_of(self.job, self._scene)
        self._connect()

    def _connect(self) -> None:
        if self._scene is not None and self._sudden is not None:
            among.connect(self._arrays, self._scene, self._sudden, self.job)

    def happen(self, event: Event) -> None:
        """Something sudden at this moment: it happens in the next tick, and is kept with the inputs."""
        event = event.replace(id=f"event_{len(self._events) + 1}", t=self.ticks * self.job.dt)
        self._events.append(event)
        rows = world.event_rows([event], self.job.craft, self.job.ground)
        rows["time"] = self._now["time"][0]
        self._arrays = self._arrays._replace(events=np.concatenate([self._arrays.events, rows]))

    @property
    def ticks(self) -> int:
        """Ticks driven."""
        return len(self.recorder) - 1

    def to_start(self) -> None:
        """Puts the craft back to its start at rest, and goes on recording."""
        fresh = world.begin(self._arrays, self.job)
        fresh["time"], fresh["next_event"] = self._now["time"], self._now["next_event"]
        self._now = fresh
        self._begin_things()
        self.settings_changed = True

    def advance(self, ticks: int, raw: Floats) -> None:
        """Drives on by `ticks` with these raw channel values, shape (channels,)."""
        if self.status == state.DIVERGED:
            return
        for channel in np.flatnonzero(raw != self._raw):
            self._changes.append((self.ticks, int(channel), float(raw[channel])))
        self._raw = raw.copy()
        while ticks > 0 and self.status != state.DIVERGED:
            count = min(ticks, _CHUNK)
            rows = self.recorder.room(count)
            told = np.tile(raw, (count, 1))
            if self._scene is None:
                self.status, done = loop.advance(self._arrays, self._now, told, rows, 1)
            else:
                place = self.layout.first_thing
                self.status, done = loop.advance_among(
                    self._arrays, self._scene, self._sudden, self._now, told, rows, 1, place
                )
            self.recorder.give_back(count - done)
            self._stop_at_nonsense(rows[:done], 0)
            ticks -= count

    def _stop_at_nonsense(self, rows: Floats, least: int) -> None:
        """Ends the drive before the first of its newest rows that is not finite; at least `least` of them stay."""
        self.status, kept, lost = stopped_at_nonsense(self.layout, self.status, rows, least)
        if lost:
            rows[: len(kept)] = kept
            self.recorder.give_back(len(rows) - len(kept))
            self._lost = lost

    def take(self, job: Job) -> None:
        """Takes changed settings in mid-drive; a craft with other parts or channels begins anew."""
        job = replace(job, drill=self.job.drill, substeps=1)
        same = Layout.of(job.craft, job.ground) == self.layout and job.ticks == self.job.ticks
        if job == self.job:
            return
        self.job = job
        if not same:
            self.restart()
            return
        self._arrays = world.build(job)._replace(events=self._arrays.events)
        self._scene = among.carried_on(among.build(job), self._scene)
        self._sudden = self._carried_sudden(job)
        self._connect()
        mass = self._arrays.body["mass"][0]
        self._now["mass"] = mass
        self.settings_changed = True

    def _carried_sudden(self, job: Job) -> Sudden | None:
        """What shots and blows remember, for changed settings: of the new scene's size, with what was."""
        if self._scene is None:
            return None
        fresh, old = among.sudden_of(job, self._scene), self._sudden
        if old is not None and old.last.shape == fresh.last.shape:
            for name in ("last", "rounds", "notes", "course"):
                getattr(fresh, name)[...] = getattr(old, name)
        return fresh

    def newest(self, seconds: float) -> Run:
        """The newest stretch as a run. It shares the recorder's memory: good until the drive goes on."""
        rows = self.recorder.recent()
        count = min(len(rows), int(seconds * self.job.ticks) + 1)
        first = self.recorder.first_recent + len(rows) - count
        return Run(self.job, Record(self.layout, [rows[len(rows) - count :]]), self.status, "", True, first)

    def finish(self) -> Run:
        """The whole drive as a run, whose drill is the inputs that were given."""
        job = replace(self.job, drill=self.recorded_drill())
        record = self.recorder.finish()
        message = ""
        if self.status == state.DIVERGED:
            message = explain_divergence(job, self.layout, self.recorder.recent(), self._lost)
        return Run(job, record, self.status, message, True)

    @property
    def left_out(self) -> str:
        """What of the inputs is more than a drill holds, in a sentence, or ""; the record has all of it."""
        wrong = []
        if len(self._events) > MOST_EVENTS:
            wrong.append(f"{len(self._events)} pokes and pulls, of which a drill holds the first {MOST_EVENTS}")
        places = [place for _, place, _ in self._changes]
        if places and max(places.count(place) for place in set(places)) > MOST_KNOTS:
            wrong.append(f"over {MOST_KNOTS} changes of a channel, of which a drill holds so many")
        if self.ticks * self.job.dt > LONGEST_S:
            wrong.append(f"{self.ticks * self.job.dt:.0f} s, of which a drill holds the first {LONGEST_S:.0f}")
        return f"The drive is kept whole, but not all of its inputs: {'; '.join(wrong)}." if wrong else ""

    def recorded_drill(self) -> Drill:
        """The inputs as a drill: a knot wherever a channel changed."""
        dt = self.job.dt
        tracks = []
        for number, channel in enumerate(self.job.craft.channels):
            knots = tuple(Knot(t=tick * dt, value=value) for tick, place, value in self._changes if place == number)
            if knots:
                knots = knots[:MOST_KNOTS]
                tracks.append(Track(channel=channel.id, shape="steps", knots=knots))
        seconds = min(max(self.ticks * dt, 0.05), LONGEST_S)
        old = self.job.drill
        return Drill(
            id="drive",
            title=f"Drive, {seconds:.0f} s",
            ground=self.job.ground.id,
            start=old.start,
            tracks=tuple(tracks),
            events=tuple(self._events[:MOST_EVENTS]),
            duration=seconds,
            recorded=True,
        )
