"""The live link of the open yard: running games are told of dials while they are dragged, and where they are is heard.

Numbers are read anew in a thread of their own, the newest request only, so that a drag never waits for them.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused
from oak_sled.core.link.games import Event, Game
from oak_sled.core.link.messages import Telemetry
from oak_sled.core.link.numbers import Dialled
from oak_sled.core.link.server import Server, Settings
from oak_sled.core.link.telemetry import Take
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session

DRAWN_S = 30.0
"""s of what a game tells that are drawn while it runs."""
LOOK_MS = 33
"""Between two looks at what came in."""


class LiveLink(QObject):
    """Signals: changed() when it begins, ends, or a game says something. takes : what each game that is there told."""

    changed = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__(session)
        self.session = session
        self.server: Server | None = None
        self.is_starting = False
        self.takes: dict[Game, Take] = {}
        self.past: Take | None = None
        """The last take of a game that has left."""
        self.why = ""
        """Reason why games are not told of the craft as it is now; "" while they are."""
        self._reader: _Newest | None = None
        self._heard: dict[Game, list[float]] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        session.yard_changed.connect(lambda _: self._follow())

    @property
    def is_on(self) -> bool:
        """True while it listens."""
        return self.server is not None

    def start(self, settings: Settings) -> None:
        """Listens for games of the craft on the bench; what cannot be is said."""
        if self.is_on or self.is_starting:
            return
        job = self._job()
        self.is_starting = True
        self.changed.emit()

        def work() -> tuple[Server, Dialled]:
            dialled = Dialled.of(job)
            server = Server(settings)
            server.show(job.craft.id, job.ticks, dialled.values)
            server.page = dialled.page()
            server.start()
            return server, dialled

        def done(made: tuple[Server, Dialled]) -> None:
            self.is_starting = False
            self.server, dialled = made
            self._reader = _Newest(lambda wanted: self._tell(made[0], dialled, wanted))
            self._timer.start()
            self.session.say(f"games of {job.craft.heading} are told of its dials: {self.words()}")
            self._follow()  # it may have been turned meanwhile
            self.changed.emit()

        def refused(fault: Refused) -> None:
            self.is_starting = False
            self.session.say(str(fault.faults[0]), True)
            self.changed.emit()

        self.session.background.add(Task("listening for games", lambda _: work(), done, refused, quiet=True))

    def close(self) -> None:
        """Says goodbye to every game, and ends."""
        server, self.server = self.server, None
        self._timer.stop()
        if self._reader is not None:
            self._reader.close()
            self._reader = None
        if server is not None:
            server.close()
            self.takes, self._heard, self.why = {}, {}, ""
            self._draw()
            self.changed.emit()

    @property
    def address(self) -> str:
        """The address of the game for a browser; "" while it does not listen."""
        return "" if self.server is None else f"http://{self.server.settings.host}:{self.server.ports['web']}/"

    def words(self) -> str:
        """Its ports, in words."""
        if self.server is None:
            return ""
        ports = self.server.ports
        return f"tcp and udp {ports['tcp']}, web {ports['web']} on {self.server.settings.host}"

    def of_games(self) -> list[str]:
        """A line for each game that is there."""
        found = []
        for game, take in self.takes.items():
            line = f"{game.name} ({game.way})"
            if len(take):
                last = take.motion()[-1]
                speed = float((last[8:11] ** 2).sum() ** 0.5)
                line += f": t {units.fixed(last[0], 's', 1)}, {units.show(speed, 'm/s')}"
                line += f", {len(self._heard[game])} messages a second"
            found.append(line)
        return found

    # what goes out

    def _job(self) -> Job:
        return jobs.job_of(self.session.yard, None, self.session.yard.bench.craft)

    def _follow(self) -> None:
        if self._reader is not None:
            self._reader.ask(self._job())

    def _tell(self, server: Server, dialled: Dialled, job: Job) -> None:
        """In the thread of the reader."""
        if job.craft.id != dialled.job.craft.id:
            why = f"the craft on the bench is {job.craft.id}"
        else:
            try:
                server.show(job.craft.id, job.ticks, dialled.now(job))
                self.why = ""
                return
            except Refused as wrong:
                why = wrong.faults[0].what
        if why != self.why:
            self.why = why
            server.say_anew(why)

    # what comes in

    def look(self) -> None:
        """Takes what came in."""
        if self.server is None:
            return
        events = self.server.take()
        for event in events:
            self._take(event)
        now = time.monotonic()
        for heard in self._heard.values():
            while heard and heard[0] < now - 1.0:
                del heard[0]
        if events:
            self._draw()
            self.changed.emit()

    def telling(self) -> Game | None:
        """The game that joined last and tells where it is."""
        return next((game for game, take in reversed(self.takes.items()) if len(take) > 1), None)

    def take_to_keep(self) -> Take | None:
        """The take of the game that tells, or else of the last one that did."""
        game = self.telling()
        return self.takes[game] if game is not None else self.past

    def _draw(self) -> None:
        """Draws the newest of what the game tells beside the run that is shown."""
        game, shown = self.telling(), self.session.shown
        if shown.live_on and game is not None:
            return  # the drive draws what it is held against
        told = None if game is None else self.takes[game].told(self._job(), DRAWN_S)
        if told is not None or shown.game is not None:
            shown.game = told
            shown.game_changed.emit()

    def _take(self, event: Event) -> None:
        game, message = event.game, event.message
        if isinstance(message, Telemetry) and game in self.takes:
            take = self.takes[game]
            if message.tick == 0 and len(take) > 0:  # it begins anew; whoever drives along still has what it did
                self.past = take if len(take) > 1 else self.past
                self.takes[game] = take = Take(take.hello, self.session.yard.game)
            take.add(message)
            self._heard[game].append(time.monotonic())
        elif event.what == "joined" and game.hello is not None:
            self.takes[game], self._heard[game] = Take(game.hello, self.session.yard.game), []
            self.session.say(f"{game.name} joined")
        elif event.what == "left":
            gone = self.takes.pop(game, None)
            self.past = gone if gone is not None and len(gone) > 1 else self.past
            self._heard.pop(game, None)
            self.session.say(f"{game.name} left: {event.why}", True)
        elif event.what == "refused":
            self.session.say(f"{game.name}: {event.why}", True)


class _Newest:
    """Does work on the newest of what it is asked for, in a thread of its own."""

    def __init__(self, work: Callable[[Job], object]):
        self._work = work
        self._wanted: Job | None = None
        self._ends = False
        self._there = threading.Condition()
        self._thread = threading.Thread(target=self._run, name="numbers of the link", daemon=True)
        self._thread.start()

    def ask(self, job: Job) -> None:
        """From now on this one is wanted."""
        with self._there:
            self._wanted = job
            self._there.notify()

    def close(self) -> None:
        """Ends after what is under way."""
        with self._there:
            self._ends = True
            self._there.notify()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._there:
                while self._wanted is None and not self._ends:
                    self._there.wait()
                job, self._wanted = self._wanted, None
                if self._ends:
                    return
            if job is not None:
                self._work(job)
