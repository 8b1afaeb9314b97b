"""A run as it is seen over a network: an authority decides, a copy elsewhere is predicted and corrected by packets.

Whoever drives is ahead of a server by the delay, so that inputs reach it in time for their tick; until one does, the
newest that did is used. Packets of state come back late. All times are ticks of the craft itself, so that a copy
without any fault lies exactly on what the authority decides for the same tick.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from oak_sled.core.assembly import eventrows
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine, State
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.results import recorded, rotations, run
from oak_sled.core.results.copying import DOWN, INPUTS, Again, Driven, Packet, Seen, Watched, Way, sane
from oak_sled.core.results.record import Layout
from oak_sled.core.results.run import Run
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.network import Network
from oak_sled.core.yard.recording import MOVES, PLACE, SPINS, TURN

COPY = {
    "error": ("copy: off", "m"),
    "turned": ("copy: turned off", "°"),
    "jump": ("copy: jump", "m"),
    "corrections": ("copy: corrections", "1/s"),
}
"""The quantities of a copy over time: the words and the unit."""


def seen(job: Job, network: Network, made: Run | None = None) -> Seen:
    """The craft of a job (its first body) as it is seen over a network. made : the run of the job, where it is there.
    Raises `Refused` where the run diverges or is over at once."""
    made = made or run.execute(job)
    if made.is_diverged or made.ticks < 2:
        raise refuse(f"drills.{job.drill.id}", made.message or "is over at once", "a drill that runs to its end")
    connection = Connection(job, network)
    connection.advance(_inputs_of(made))
    return connection.told()


def beside(run: Run) -> Seen | None:
    """A run as it is seen over the network of its drill; None where the drill has none, or where a run diverged."""
    network = run.job.drill.network
    if run.seen is not None or network is None or run.live:
        return run.seen

    def made() -> Seen | None:
        try:
            return seen(run.job, network, run)
        except Refused:
            return None

    return run.analysis.once("copy", made)


def whose(network: Network) -> str:
    """The one whose copy is seen, in words."""
    return "as its driver sees it" if network.seen_by == "driver" else "as others see it"


def is_seen(run: Run) -> bool:
    """True of a run that is seen over a network; nothing is computed for that."""
    return run.seen is not None or (run.job.drill.network is not None and not run.live)


def as_run(run: Run) -> Run | None:
    """The copy as a run of the craft that is looked at, at the ticks of the run; None where there is none."""
    found = beside(run)
    if found is None:
        return None
    told = dict(zip((*PLACE, *TURN, *MOVES, *SPINS), found.shown.T, strict=True))
    return run.analysis.once(
        "copy as a run",
        lambda: recorded.run_of(told, found.t, recorded.alone(run.job, run.job.who), found.first_tick, "copy"),
    )


def values(run: Run, what: str) -> Floats:
    """A quantity of the copy over time, one of `COPY`, shape (rows,); NaN where there is none."""
    found, rows = beside(run), run.ticks + 1
    if found is None:
        return np.full(rows, np.nan)
    told = {
        "error": found.error, "turned": np.degrees(found.turned), "jump": found.jump, "corrections": found.often(),
    }[what]  # fmt: skip
    return np.concatenate([np.full(max(rows - len(told), 0), np.nan), told[-rows:]])


class Connection:
    """A connection under way, and the copy at its far end: told the inputs of all crafts tick by tick.

    begins : the world in which it begins, and the tick then; None: the start of the job. ahead : ticks by which whoever
    drives is ahead of the authority.
    """

    def __init__(self, job: Job, network: Network, begins: tuple[Machine, int] | None = None):
        self.network, self.dt, self.ticks = network, job.dt, job.ticks
        # what drives by itself sees the world as it is: its inputs are taken as they were given
        bare = tuple(member.replace(tracks=()) for member in job.drill.cast)
        blank = job.drill.replace(
            tracks=(), cast=bare, input_delay=0.0, input_jitter=0.0, targets=(), end="time", network=None
        )
        self.job = replace(job, drill=blank, substeps=1)
        self.layout = Layout.of(self.job)
        self._first = self.layout.first_of(job.who)
        self.ahead = 0
        if network.authority == "server":
            self.ahead = math.ceil(1e-3 * (network.delay + network.buffer) * self.ticks - 1e-9)
        self._every = max(1, round(self.ticks / network.rate))
        self._down, self._packets, self._lost = Way(network, DOWN), 0, 0
        self._by_tick: dict[int, list[Packet]] = {}
        self._inputs = _Arriving(job, network, self.ahead)
        self._machine = Machine.of(replace(self.job, drill=blank.replace(events=())))
        self._put_events(blank.events)
        if begins is not None:
            self._begin(*begins)
        row = np.empty(self.layout.width)
        self._machine.first_row(row)
        self._poses = [self._pose(row)]
        self.first_tick = begins[1] if begins is not None else 0
        self.copy = self._copy(blank.events)

    def _begin(self, machine: Machine, tick: int) -> None:
        self._machine.world = self._machine.world._replace(events=machine.world.events.copy())
        self._machine.load(machine.save())

    def _put_events(self, events: tuple[Event, ...]) -> None:
        """The events of the drill, at the times at which they come to the authority."""
        came = tuple(self._comes(one) for one in events)
        rows = eventrows.event_rows(list(came), self.job)
        self._machine.world = self._machine.world._replace(events=rows)

    def _comes(self, event: Event) -> Event:
        if not self._is_theirs(event):
            return event
        return event.replace(t=event.t + max(0.0, 1e-3 * self.network.delay - self.ahead * self.dt))

    def happen(self, event: Event) -> None:
        """An event happens in the next tick."""
        came = self._comes(event)
        rows, arrays = eventrows.event_rows([came], self.job), self._machine.world
        later = np.concatenate([arrays.events, rows])
        self._machine.world = arrays._replace(events=later[np.argsort(later["time"], kind="stable")])
        knows = self.network.authority == "driver" or not self._is_theirs(event)
        again = self.copy.again
        if again is not None and isinstance(self.copy, Driven) == knows:
            again.learns(came if knows else event)

    def _is_theirs(self, event: Event) -> bool:
        """True of what those who watch decide."""
        return event.what == "poke" and self.network.hits == "attacker"

    def _copy(self, events: tuple[Event, ...]) -> Watched | Driven:
        """The copy, which knows the events that its own side decides."""
        theirs = tuple(one for one in events if self._is_theirs(one))
        begun, network = self._machine.save(), self.network
        if network.seen_by == "driver":
            known = [self._comes(one) for one in events if one not in theirs or network.authority == "driver"]
            again = Again(self.job, tuple(known))
            again.load(begun)
            lead = self.job.actors[self.job.who].lead
            return Driven(self._poses[0], network, self.dt, again, self._inputs.owners == lead)
        simulates = network.correct == "rollback" or network.hits == "attacker"
        watching = Again(self.job, theirs) if simulates else None
        if watching is not None:
            watching.load(begun)
        return Watched(self._poses[0], network, self.dt, watching, begun, self.first_tick)

    def _pose(self, row: Floats) -> Floats:
        return np.array(row[self._first : self._first + 13])

    def advance(self, inputs: Floats) -> None:
        """Goes on by ticks with the raw inputs of all crafts, shape (ticks, channels)."""
        used = self._inputs.used(inputs)
        done, first = 0, len(self._poses) - 1
        while done < len(used):
            now = first + done
            upto = min(len(used), done + self._every - now % self._every)
            rows = np.empty((upto - done, self.layout.width))
            _, ran = self._machine.advance(np.ascontiguousarray(used[done:upto]), rows)
            for row in rows[:ran]:
                self._poses.append(sane(self._pose(row), self._poses[-1]))
            self._poses += [self._poses[-1]] * (len(rows) - ran)  # where late inputs make it diverge, it stays
            done = upto
            if (first + done) % self._every == 0:
                self._send(first + done, used[done - 1])
        for given in inputs:
            there = self._arrived(self.copy.tick - 1)
            if isinstance(self.copy, Driven):
                self.copy.go_on(there, given)
            else:
                self.copy.go_on(there)

    def _send(self, tick: int, used: Floats) -> None:
        """The authority tells the state at the end of a tick."""
        seconds = self._down.send()
        self._packets += 1
        if seconds is None:
            self._lost += 1
            return
        arrives = tick + self.ahead + math.ceil(seconds * self.ticks - 1e-9)
        packet = Packet(tick, arrives, self._poses[tick], self._saved(), used)
        self._by_tick.setdefault(arrives, []).append(packet)

    def _saved(self) -> State | None:
        """The whole world, where whoever keeps the copy needs it: it takes far longer than a pose."""
        kicked = isinstance(self.copy, Watched) and self.copy.again is not None
        return self._machine.save() if self.network.correct == "rollback" or kicked else None

    def _arrived(self, tick: int) -> Packet | None:
        """The newest packet that is there at a tick, if it is newer than the last one."""
        there = [one for one in self._by_tick.pop(tick, ()) if one.tick > self.copy.newest]
        return max(there, key=lambda packet: packet.tick, default=None)

    def told(self, last: int | None = None, behind: int = 0) -> Seen:
        """The craft as it was seen so far. last : of so many ticks, the newest; None: of all. behind : so many at the
        end are left out."""
        count = max(len(self.copy.shown) - 1 - behind, 0)
        first = 0 if last is None else max(count - last, 0)
        shown, truth = np.stack(self.copy.shown[first : count + 1]), np.stack(self._poses[first : count + 1])
        away = shown[:, :3] - truth[:, :3]
        moved = np.diff(away, axis=0, prepend=away[:1])
        mine, its = (rotations.rotations(one[:, 3:7]) for one in (shown, truth))
        cosine = 0.5 * (np.einsum("kij,kij->k", mine, its) - 1.0)
        again, corrected = self.copy.again, np.array(self.copy.corrected, int)
        return Seen(
            network=self.network, ticks=self.ticks, first_tick=self.first_tick + first, truth=truth, shown=shown,
            error=np.linalg.norm(away, axis=1), turned=np.arccos(np.clip(cosine, -1.0, 1.0)),
            jump=np.linalg.norm(moved, axis=1), corrected=corrected[corrected >= first] - first,
            rolled=np.array(self.copy.rolled, int),
            cost=again.cost / again.ticks if again is not None and again.ticks else math.nan,
            lost=self._lost, packets=self._packets, late_inputs=self._inputs.late,
        )  # fmt: skip


class _Arriving:
    """Inputs on their way to the authority. owners : the number of the first body of the craft whose each channel is,
    shape (channels,)."""

    def __init__(self, job: Job, network: Network, ahead: int):
        self.owners = np.array([one.lead for one in job.actors for _ in one.channels], np.int64)
        self._decides_here = network.authority == "driver"
        self._ahead, self._ticks = ahead, job.ticks
        self._ways = {lead: Way(network, INPUTS + lead) for lead in sorted(set(self.owners.tolist()))}
        self._newest: dict[int, tuple[int, Floats]] = {}
        self._on_way: dict[int, list[tuple[int, int, Floats]]] = {}
        self._tick = self._missed = 0

    @property
    def late(self) -> float:
        """Share of the inputs that were not used in their tick."""
        return self._missed / max(self._tick * len(self._ways), 1)

    def used(self, inputs: Floats) -> Floats:
        """The inputs that the authority uses, shape (ticks, channels)."""
        if self._decides_here:
            return inputs
        found = np.zeros_like(inputs)
        for row, given in enumerate(inputs):
            for lead, way in self._ways.items():
                seconds = way.send()
                if seconds is not None:
                    there = self._tick + max(0, math.ceil(seconds * self._ticks - 1e-9) - self._ahead)
                    self._on_way.setdefault(there, []).append((lead, self._tick, given))
            for lead, sent, told in self._on_way.pop(self._tick, ()):
                if sent > self._newest.get(lead, (-1, told))[0]:
                    self._newest[lead] = (sent, told)  # what came late is used from then on
            for lead in self._ways:
                sent, told = self._newest.get(lead, (-1, np.zeros_like(given)))
                own = self.owners == lead
                found[row, own] = told[own]
                self._missed += sent != self._tick
            self._tick += 1
        return found


def _inputs_of(made: Run) -> Floats:
    """The raw inputs as they came in, of all crafts, shape (ticks, channels)."""
    columns = []
    for who, one in enumerate(made.layout.crafts):
        first = made.layout.first_of(who)
        columns += [made.record.column(first + one.names.index(f"input.{name}"))[1:] for name in one.channels]
    return np.stack(columns, axis=1) if columns else np.zeros((made.ticks, 0))
