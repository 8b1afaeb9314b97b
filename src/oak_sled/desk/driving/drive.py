"""Live driving: input in, ticks at a fixed rate, frames apart from them."""

from __future__ import annotations

import time
from dataclasses import replace

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QLineEdit

from oak_sled.core.advice import cautions, cost
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import units
from oak_sled.core.base.faults import Refused
from oak_sled.core.kernel import state
from oak_sled.core.project import shelf
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.pads import Pads
from oak_sled.core.project.shelf import Card
from oak_sled.core.project.sources import Hand, Keys, Pointer
from oak_sled.core.results import measures
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.driving.along import Along
from oak_sled.desk.driving.steering import PointerSteering
from oak_sled.desk.work.session import Session

FRAME_MS = 16
WINDOW_S = 16.0
"""s of a drive that the views look at while it goes on."""
MOST_CATCH_UP_S = 0.1
"""A frame that came late makes up for at most this much time; beyond it the drive runs slower, not wilder."""
MOST_COMPUTED_S = 0.04
"""s of computing that a frame may take: a heavy ground runs slower, and the window stays quick."""
SCAN_S = 1.0
"""s between two looks for pads that were plugged in."""
BEHIND = 0.9
"""Share of the speed asked for below which a drive is said to run behind."""
JUDGED_S = 2.0
"""s of driving over which its speed is judged."""
SPEEDS = (1.0, 0.5, 0.25, 0.1)


def key_name(key: int) -> str:
    """The name by which a key stands in a yard file: "W", "Space", "Up"."""
    return QKeySequence(key).toString(QKeySequence.SequenceFormat.PortableText)


class Driver(QObject):
    """Drives every craft of the drill in one world, each on its own keys. Signals: frame(), held_changed(),
    stopped()."""

    frame = pyqtSignal()
    held_changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.keys = Keys()
        self.pointer = Pointer()
        self.pads = Pads(say=lambda words: self.session.say(words))
        self.hand = Hand([self.keys, self.pointer, self.pads])
        self.steering: PointerSteering | None = None
        """The taker of the pointer over the yard view, once there is one."""
        self._scanned = 0.0
        self.speed = 1.0
        self.paused = False
        self.drive: LiveDrive | None = None
        self.along: Along | None = None
        """The running game whose inputs drive it; None: a hand does."""
        self.is_guest = False
        """True for a drive of another craft than the one on the bench: it is not kept, and no dial reaches it."""
        self.frame_s: list[float] = []
        self._owed = 0.0
        self._last = 0.0
        self._tick_s = 0.0
        self._judged = (0, 0.0)  # ticks and s since the speed was judged last
        self._told = False
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(FRAME_MS)
        self._timer.timeout.connect(self._tick)
        session.yard_changed.connect(lambda _: self._settings_changed())

    @property
    def held(self) -> set[str]:
        """The names of the keys that are down."""
        return self.keys.held

    @property
    def is_on(self) -> bool:
        """True if a drive goes on."""
        return self.drive is not None

    def crafts(self) -> list[Craft]:
        """The crafts that are driven: those of the drill, the one under test first."""
        return list((self.session.job() if self.drive is None else self.drive.job).crafts)

    def start(self, along: Along | None = None, job: Job | None = None) -> None:
        """Begins a drive from the start of the drill; along with a running game: from where it is, with its inputs.
        job : of another craft than the one on the bench; such a drive is not kept."""
        if self.is_on:
            return
        self.is_guest = job is not None
        job = self.session.job() if job is None else job
        if along is not None:
            try:
                job = along.job(job)
            except Refused as wrong:
                self.session.say(f"{along.name} cannot be driven along with: {wrong.faults[0]}", True)
                return
        self.along, self.drive = along, LiveDrive(job)
        self.hand.release()
        self.paused = False
        self._owed, self._last = 0.0, time.perf_counter()
        last = self.session.shown.run
        self._tick_s = cost.tick_seconds(last) if last is not None else 0.0
        self._judged, self._told = (0, 0.0), False
        self.frame_s = []
        self.session.shown.live_on = True
        self.session.shown.ghost = None
        self.session.shelf.shown_card = ""  # no card is that of a drive that goes on
        heavy = tuple(one for one in self.session.shown.warned if one.name == "heavy")
        self.session.shown.warned = (*cautions.find(self.drive.job), *heavy)  # those of the last run were its own
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)
        self.pads.scan()
        if self.steering is not None:
            self.steering.begin(self.crafts())
        for words in self.missing() if along is None else ():
            self.session.say(words, True)
        self._show()
        self.session.shown.live_changed.emit(True)
        self.session.shelf.changed.emit()
        self._timer.start()

    def stop(self) -> None:
        """Ends the drive, and keeps what was driven on the shelf."""
        if not self.is_on:
            return
        self._timer.stop()
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
        drive, self.drive = self.drive, None
        along, self.along = self.along, None
        assert drive is not None
        self.session.shown.live_on = False
        if self.steering is not None:
            self.steering.end()
        self.hand.release()
        self.held_changed.emit()
        self.session.shown.live_changed.emit(False)
        if drive.ticks > 0 and not self.is_guest:
            self._keep(drive, along)
        else:
            self.session.runs.rerun()

    def _keep(self, drive: LiveDrive, along: Along | None) -> None:
        made = drive.finish()
        recording = None
        if along is not None:
            try:
                recording = along.recording()
            except Refused as wrong:  # the drive is kept without it
                self.session.say(str(wrong.faults[0]), True)
        if recording is not None:
            made = replace(made, job=replace(made.job, drill=made.job.drill.replace(recording=recording)))
        made = self._seen(made)
        found = measures.Readings(made)
        way = "drive by hand" if along is None else f"along with {along.name}"
        self.session.shelf.add(shelf.card_of(made, f"{way}, {units.fixed(made.duration, 's', 0)}"))
        card = self.session.shelf.cards[0]
        self.session.show_run(made, found, cautions.find(made.job, made))
        self.session.shelf.shown_card = card.id
        self.session.shelf.changed.emit()
        said = made.message or drive.left_out
        if said:
            self.session.say(said, True)

    def _seen(self, made: Run) -> Run:
        """A run of the drive, looked at from the craft that is selected."""
        there = [one.craft.id for one in made.job.actors]
        name = self.session.seen_name
        return made.seen_from(name) if name in there else made

    def cards(self) -> tuple[Card, ...]:
        """The drive so far, as a card: for the case of a crash."""
        if self.drive is None or self.drive.ticks == 0 or self.is_guest:
            return ()
        return (shelf.card_of(self.drive.finish(), "drive by hand, cut short by a crash"),)

    def keep_as_drill(self, driven: Drill) -> str:
        """Puts the inputs of a drive into the yard as a drill and on the bench; the drill's name."""
        yard = self.session.yard
        name = free_name("drive", yard.drills)
        drill = driven.replace(id=name)
        grown = yard.replace(drills=(*yard.drills, drill), bench=yard.bench.replace(drill=name))
        self.session.change(grown, "keep drive as drill")
        return name

    def restart(self) -> None:
        """Begins the drive anew."""
        if self._is_led():
            return
        if self.drive is not None:
            self.drive.restart()
        self._owed = 0.0
        self._show()

    def to_start(self) -> None:
        """Puts the crafts back to the start and drives on."""
        if self.drive is not None and not self._is_led():
            self.drive.to_start()

    def _is_led(self) -> bool:
        """True, and that is said, where a running game gives the ticks: one of ours would part the two."""
        if self.along is not None:
            self.session.say(f"{self.along.name} gives the ticks of this drive: F9 ends it")
        return self.along is not None

    def happen(self, event: Event) -> None:
        """An event to the craft on the bench, or to a block, at this moment of the drive."""
        if self.drive is not None:
            self.drive.happen(event)

    def step(self) -> None:
        """One tick, while held."""
        if self._is_led():
            return
        self._advance(1)
        self._show()

    def pause(self, on: bool) -> None:
        """Holds the drive, or lets it go on."""
        self.paused = on
        self._last = time.perf_counter()

    def _settings_changed(self) -> None:
        if not self.is_on or self.is_guest:
            return
        assert self.drive is not None
        job = self.session.job()
        if [one.craft.id for one in job.actors] != [one.craft.id for one in self.drive.job.actors]:
            self.stop()
            return
        self.drive.take(job)

    def _tick(self) -> None:
        now = time.perf_counter()
        passed, self._last = now - self._last, now
        self.frame_s.append(passed)
        self._read_pads(now)
        del self.frame_s[:-4000]
        if self.paused:
            return
        if self.along is not None:
            self._follow(self.along)
            return
        rate = self.session.yard.ticks
        self._owed += min(passed, MOST_CATCH_UP_S) * self.speed * rate
        due = int(self._owed)
        self._owed -= due
        if due:
            self._advance(min(due, max(1, int(MOST_COMPUTED_S / max(self._tick_s, 1e-9)))))
            self._show()
        self._judge(passed)
        if self.drive is not None and self.drive.status == state.DIVERGED:
            self.stop()

    def _follow(self, along: Along) -> None:
        """The ticks that the game has done since."""
        assert self.drive is not None
        values = along.due(self.drive.job)
        if len(values):
            self.drive.advance(len(values), values)
            self._show()
        for words in along.strange(self.drive.job):
            self.session.say(words, True)
        if along.has_ended or self.drive.status == state.DIVERGED:
            self.stop()

    def _read_pads(self, now: float) -> None:
        """Takes what pads have told, and now and then looks for one that was plugged in."""
        self.pads.poll()
        if now - self._scanned > SCAN_S:
            self._scanned = now
            self.pads.scan()

    def capture_pointer(self) -> None:
        """Takes the pointer for steering until Escape, and says why it cannot."""
        if self.steering is None or self.steering.capture():
            return
        if not self.is_on:
            self.session.say("the pointer steers while driving: F9 begins a drive", True)
        else:
            self.session.say("no channel of the driven crafts is bound to the pointer (Build page, channels)", True)

    def missing(self) -> list[str]:
        """Controls that channels are bound to and that are not there, a sentence each."""
        return [words for craft in self.crafts() for one in craft.channels for words in self.pads.lacks(one)]

    def _advance(self, ticks: int) -> None:
        began = time.perf_counter()
        assert self.drive is not None
        job = self.drive.job
        self.drive.advance(ticks, self.hand.values(job.channels, ticks, job.dt))
        self._tick_s += 0.2 * ((time.perf_counter() - began) / ticks - self._tick_s)
        self._judged = (self._judged[0] + ticks, self._judged[1])

    def _judge(self, passed: float) -> None:
        """Says once a drive that it runs behind real time, because of what its ticks cost."""
        ticks, seconds = self._judged[0], self._judged[1] + passed
        self._judged = (ticks, seconds)
        if seconds < JUDGED_S:
            return
        speed = ticks / self.session.yard.ticks / seconds
        self._judged = (0, 0.0)
        if self._told or speed > BEHIND * self.speed or self.drive is None:
            return
        if not cost.is_heavy(self.drive.job, self._tick_s):
            return
        self._told = True
        known = next((caution.helps for caution in self.session.shown.warned if caution.name == "heavy"), "")
        self.session.say(
            f"this ground costs {1e3 * self._tick_s:.0f} ms a tick; driving runs at {speed:.1g} of real time"
            + (f"; {known}" if known else "")
        )

    def _show(self) -> None:
        if self.drive is None:
            return
        newest = self.drive.newest(WINDOW_S)
        if self.along is not None:
            newest = replace(newest, told=self.along.told(newest))
        newest = self._seen(newest)
        self.session.shown.run = newest
        self.session.shown.time = newest.duration
        self.frame.emit()

    def bound_keys(self) -> set[str]:
        """Every key that drives something."""
        return {key for craft in self.crafts() for c in craft.channels for key in (*c.plus_keys, *c.minus_keys)}

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None or event.type() not in (
            QEvent.Type.KeyPress,
            QEvent.Type.KeyRelease,
            QEvent.Type.ShortcutOverride,
            QEvent.Type.ApplicationDeactivate,
        ):
            return False
        if event.type() == QEvent.Type.ApplicationDeactivate:
            self.hand.release()  # no key stays down behind another window
            self.held_changed.emit()
            return False
        assert isinstance(event, QKeyEvent)
        if isinstance(QApplication.focusWidget(), QLineEdit):
            return False
        name = key_name(event.key())
        if name not in self.bound_keys() or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        if not event.isAutoRepeat():
            if event.type() == QEvent.Type.KeyPress:
                self.keys.held.add(name)
            else:
                self.keys.held.discard(name)
            self.held_changed.emit()
        return True
