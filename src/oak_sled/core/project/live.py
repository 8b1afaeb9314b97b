"""A live drive: the same tick as a drill, fed by sources of input, recorded without end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oak_sled.core.assembly import delays, eventrows, scenes
from oak_sled.core.assembly.delays import DelayLine
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.kernel import state
from oak_sled.core.results.copies import Connection
from oak_sled.core.results.record import Layout, Record, Recorder
from oak_sled.core.results.run import Run, explain_divergence, stopped_at_nonsense
from oak_sled.core.yard.drill import MOST_KNOTS, Drill, Knot, Track
from oak_sled.core.yard.event import MOST_EVENTS, Event

LONGEST_S = 7200.0
"""A drive that is kept as a drill is at most this long."""
_CHUNK = 600


class LiveDrive:
    """A world that is driven: every craft of the drill in it. Advance it by ticks; look at the newest stretch; finish
    it as a run."""

    def __init__(self, job: Job):
        job = job.seen_from(job.craft.id)  # from its first body, whichever is looked at meanwhile
        cast = tuple(member.replace(tracks=()) for member in job.drill.cast)
        blank = job.drill.replace(tracks=(), cast=cast, events=(), end="time", targets=(), event_time=0.0)
        self.job = replace(job, drill=blank, substeps=1)
        self.restart()

    def restart(self) -> None:
        """Back to the start, with an empty record."""
        self._machine = Machine.of(self.job)
        self.layout = Layout.of(self.job)
        self.recorder = Recorder(self.layout)
        self._machine.first_row(self.recorder.room(1)[0])
        self.status, self._lost = state.RUNNING, ""
        self._stop_at_nonsense(self.recorder.recent(), 1)
        self._events: list[Event] = []
        self._connect()
        drill = self.job.drill
        self._on_the_way = DelayLine(
            self.job.channels, self.job.ticks, drill.input_delay, drill.input_jitter, drill.delay_seed
        )

    def _connect(self) -> None:
        """Begins to be seen over the network of the drill, from where the drive is."""
        network = self.job.drill.network
        self.connection = None if network is None else Connection(self.job, network, (self._machine, self.ticks))

    def happen(self, event: Event) -> None:
        """A push, a shot or a release at this moment: it happens in the next tick, and is kept with the inputs."""
        event = event.replace(id=f"event_{len(self._events) + 1}", t=self.ticks * self.job.dt)
        self._events.append(event)
        rows = eventrows.event_rows([event], self.job)
        rows["time"] = self._machine.nows["time"][0]
        arrays = self._machine.world
        self._machine.world = arrays._replace(events=np.concatenate([arrays.events, rows]))
        if self.connection is not None:
            self.connection.happen(event)

    @property
    def ticks(self) -> int:
        """Ticks driven."""
        return len(self.recorder) - 1

    def to_start(self) -> None:
        """Puts everything back to its start at rest, and goes on recording."""
        old = self._machine
        fresh = Machine.of(self.job)
        fresh.world = fresh.world._replace(events=old.world.events)
        fresh.nows["time"], fresh.nows["next_event"] = old.nows["time"], old.nows["next_event"]
        self._machine = fresh
        self._connect()

    def advance(self, ticks: int, raw: Floats) -> None:
        """Drives on by `ticks` with these raw values of the channels of all crafts: shape (ticks, channels), or
        (channels,) for the same in all of them. They come in by the input delay of the drill, and are recorded as they
        come in."""
        values = np.broadcast_to(raw, (ticks, len(self.job.channels)))
        if self.job.drill.input_delay > 0.0 or self.job.drill.input_jitter > 0.0:
            values = self._on_the_way.through(values)
        done = 0
        while done < ticks and self.status != state.DIVERGED:
            given = np.ascontiguousarray(values[done : done + _CHUNK])
            rows = self.recorder.room(len(given))
            self.status, ran = self._machine.advance(given, rows)
            self.recorder.give_back(len(given) - ran)
            self._stop_at_nonsense(rows[:ran], 0)
            if self.connection is not None:
                self.connection.advance(given[:ran])
            done += len(given)

    def _stop_at_nonsense(self, rows: Floats, least: int) -> None:
        """Ends the drive before the first of its newest rows that is not finite; at least `least` of them stay."""
        self.status, kept, lost = stopped_at_nonsense(self.layout, self.status, rows, least)
        if lost:
            rows[: len(kept)] = kept
            self.recorder.give_back(len(rows) - len(kept))
            self._lost = lost

    def take(self, job: Job) -> None:
        """Takes changed settings in mid-drive; crafts with other parts or channels restart."""
        drill = self.job.drill.replace(network=job.drill.network)
        job = replace(job, drill=drill, substeps=1).seen_from(self.job.craft.id)
        if job == self.job:
            return
        same = Layout.of(job) == self.layout and job.ticks == self.job.ticks
        old, before, self.job = self._machine, self.job, job
        if not same:
            self.restart()
            return
        fresh = Machine.of(job)
        fresh.world = fresh.world._replace(events=old.world.events)
        if len(fresh.world.supports) == len(old.world.supports):
            for name in ("below", "load", "gap", "point", "normal", "velocity", "material", "rate", "before"):
                fresh.world.supports[name] = old.world.supports[name]
            for name in state.AXLE_KEEPS:
                fresh.world.supports["axle"][name] = old.world.supports["axle"][name]
        fresh.scene = scenes.carried_on(fresh.scene, old.scene, job)
        fresh.nows = old.nows
        fresh.nows["mixing"]["ready"] = 0  # what actuators give may be other than it was
        fresh.nows["parts"] = [len(one.craft.parts) for one in job.actors]
        if old.shot_memory.last.shape == fresh.shot_memory.last.shape and before.actors:
            for name in ("last", "rounds", "notes", "course"):
                getattr(fresh.shot_memory, name)[...] = getattr(old.shot_memory, name)
        fresh.connect(job)
        self._machine = fresh
        self._connect()

    def newest(self, seconds: float) -> Run:
        """The newest stretch as a run, as far as the display delay of the drill lets it be seen. It shares the
        recorder's memory: good until the drive goes on."""
        rows = self.recorder.recent()
        behind = min(self._unseen(), len(rows) - 1)
        rows = rows[: len(rows) - behind]
        count = min(len(rows), int(seconds * self.job.ticks) + 1)
        first = self.recorder.first_recent + len(rows) - count
        seen = None if self.connection is None else self.connection.told(count - 1, behind)
        return Run(self.job, Record(self.layout, [rows[len(rows) - count :]]), self.status, "", True, first, seen=seen)

    def _unseen(self) -> int:
        """Rows at the end that are not shown yet."""
        drill = self.job.drill
        if drill.display_delay <= 0.0 and drill.display_jitter <= 0.0:
            return 0
        late = delays.late_ticks(
            drill.display_delay, drill.display_jitter, drill.delay_seed + 1, self.ticks, 1, self.job.ticks
        )
        return int(late[0])

    def finish(self) -> Run:
        """The whole drive as a run, whose drill is the inputs that were given."""
        job = replace(self.job, drill=self.recorded_drill())
        record = self.recorder.finish()
        message = ""
        if self.status == state.DIVERGED:
            message = explain_divergence(job, self.layout, self.recorder.recent(), self._lost)
        seen = self.connection.told() if self.connection is not None and self.connection.first_tick == 0 else None
        return Run(job, record, self.status, message, True, seen=seen)

    @property
    def left_out(self) -> str:
        """The inputs that are more than a drill holds, in a sentence, or ""; the record has all of them."""
        wrong = []
        if len(self._events) > MOST_EVENTS:
            wrong.append(f"{len(self._events)} pokes and pulls, of which a drill holds the first {MOST_EVENTS}")
        if any(len(knots) > MOST_KNOTS for knots in self._knots()):
            wrong.append(f"over {MOST_KNOTS} changes of a channel, of which a drill holds so many")
        if self.ticks * self.job.dt > LONGEST_S:
            wrong.append(
                f"{units.fixed(self.ticks * self.job.dt, 's', 0)}, of which a drill holds the first {LONGEST_S:.0f}"
            )
        return f"The drive is kept whole, but not all of its inputs: {'; '.join(wrong)}." if wrong else ""

    def _knots(self) -> list[list[tuple[int, float]]]:
        """The changes of the raw input of each channel: the tick, and the value from then on."""
        record, found = self.recorder.finish(), []
        for who, one in enumerate(self.layout.crafts):
            for channel in one.channels:
                column = record.column(self.layout.first_of(who) + one.names.index(f"input.{channel}"))[1:]
                ticks = np.flatnonzero(np.diff(column, prepend=0.0))
                found.append(list(zip(ticks.tolist(), column[ticks].tolist(), strict=True)))
        return found

    def recorded_drill(self) -> Drill:
        """The inputs as a drill: a knot wherever the raw input of a channel changed."""
        dt, found = self.job.dt, iter(self._knots())
        tracks: list[tuple[Track, ...]] = []
        for one in self.job.actors:
            own = []
            for channel, changes in zip(one.channels, found, strict=False):
                knots = tuple(Knot(t=tick * dt, value=value) for tick, value in changes[:MOST_KNOTS])
                if knots:
                    own.append(Track(channel=channel.id, shape="steps", knots=knots))
            tracks.append(tuple(own))
        seconds = min(max(self.ticks * dt, 0.05), LONGEST_S)
        old = self.job.drill
        inputs = {one.craft.id: found for one, found in zip(self.job.actors, tracks, strict=True)}
        return Drill(
            id="drive",
            title=f"Drive, {units.fixed(seconds, 's', 0)}",
            ground=self.job.ground.id,
            craft=old.craft,
            ties=old.ties,
            start=old.start,
            tracks=tracks[0],
            cast=tuple(member.replace(tracks=inputs.get(member.id, ())) for member in old.cast),
            events=tuple(self._events[:MOST_EVENTS]),
            watch=old.watch,
            network=old.network,
            duration=seconds,
            recorded=True,
        )
