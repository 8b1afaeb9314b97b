"""Keeping work: open, save, recent files, autosave and recovery, and what leaves as a file.

What may take long is done beside the window; `background` says so, and `then` is called when it is done.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import records, run_table
from oak_sled.core.project import shelf_store
from oak_sled.core.project.memory import BUDGET
from oak_sled.core.project.shelf import Card
from oak_sled.core.results.run import Run
from oak_sled.desk.widgets.screenshot import painted
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.recovery import Autosave, Lock, Lost, lock_of, state_folder
from oak_sled.desk.work.session import Session

AUTOSAVE_MS = 2500
"""ms from the first change that is not put by until it is, however many follow."""
DRIVE_MS = 5000
"""ms between one time that a drive is put by and the next."""
MOST_RECENT = 8


def nothing() -> None:
    """Follows where nothing is to follow."""


class Changed(Refused):
    """A file is no longer what it was when it was opened or saved here."""


class Keeper(QObject):
    """Saves the session. A crash leaves its autosave, which the next start offers.

    Signals: changed_on_disk(path, then) when a save would overwrite what another program wrote.
    """

    changed_on_disk = pyqtSignal(object, object)

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.background = session.background
        self.auto = Autosave()
        self.drives: Callable[[], tuple[Card, ...]] = tuple
        """Drives that go on, as cards."""
        self._stamp = ""
        self._lock: Lock | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._autosave_beside)
        self._auto_failed = False
        BUDGET.to_disk = lambda record: records.put_by(record, state_folder() / "runs")
        session.saved_changed.connect(self._changed)
        session.shown.live_changed.connect(self._live_changed)

    def _changed(self) -> None:
        # a timer that runs is left alone: steady editing must not put the autosave off
        if self.session.is_dirty and not self._timer.isActive():
            self._timer.start(AUTOSAVE_MS)

    def _live_changed(self, live: bool) -> None:
        if live and not self._timer.isActive():
            self._timer.start(DRIVE_MS)

    # files

    def open(self, path: Path, then: Callable[[], object] = nothing, otherwise: Callable[[], object] = nothing) -> None:
        """Opens a yard file. When it is refused every fault is said, the open work stays, and `otherwise` follows."""

        before = self.session.yard

        def done(opened: shelf_store.Opened) -> None:
            if self.session.yard is not before:  # what was edited meanwhile is not thrown away
                self.session.say(f"the yard was edited while {path.name} was being read: open it again", True)
                return
            self.session.open(opened.yard, opened.cards, path)
            self._holds(path, opened.stamp)
            self._remember(path)
            if opened.message:
                self.session.say(f"{path.name}: {opened.message}")
            self._tell_lost(opened.lost)
            if self._lock is not None and not self._lock.is_held:
                self.session.say(f"{path.name} is open in another window: the one that saves last is asked first", True)
            then()

        def refused(fault: Refused) -> None:
            otherwise()
            self._refused(fault)

        work = lambda on_progress: shelf_store.load_all(path, on_progress)  # noqa: E731
        self.background.add(Task(f"opening {path.name}", work, done, refused))

    def forget_file(self) -> None:
        """The open work belongs to no file any more."""
        self._holds(None, "")

    def _holds(self, path: Path | None, stamp: str) -> None:
        """This window has a file open, as it was with that stamp."""
        if self._lock is not None:
            self._lock.release()
        self._lock = lock_of(path) if path is not None else None
        self._stamp = stamp

    def _tell_lost(self, lost: tuple[str, ...]) -> None:
        for line in lost[:20]:
            self.session.say(line, True)

    def _refused(self, refused: Refused) -> None:
        more = f" (and {len(refused.faults) - 1} more faults)" if len(refused.faults) > 1 else ""
        self.session.say(f"{refused.faults[0]}{more}", True)

    def save(self, path: Path, then: Callable[[], object] = nothing, over: bool = False) -> None:
        """Saves the yard and its shelf; the reason is said when it cannot be.

        over : also when another program changed the file since it was opened; else `changed_on_disk` asks.
        """
        session, state = self.session, self.session.state
        same = session.file is not None and session.file.resolve() == path.resolve()
        seen, gone = self._stamp if same and not over else "", frozenset(session.shelf.removed)

        def work(on_progress: Callable[[int, int], None]) -> str:
            if seen and shelf_store.stamp_of(path) not in ("", seen):
                raise Changed([])
            return shelf_store.save_all(state.yard, state.cards, path, gone, on_progress)

        def done(stamp: str) -> None:
            session.mark_saved(path, state)
            self._holds(path, stamp)
            if not session.is_dirty:
                self._timer.stop()
                self.auto.drop()
            self._remember(path)
            session.say(f"saved {path.name}")
            then()

        def refused(fault: Refused) -> None:
            if isinstance(fault, Changed):
                self.changed_on_disk.emit(path, then)
            else:
                self._refused(fault)

        self.background.add(Task(f"saving {path.name}", work, done, refused))

    @staticmethod
    def free_path(path: Path) -> Path:
        """A file beside `path` that is not there yet, for keeping both."""
        number = 2
        while path.with_name(f"{path.stem} {number}{path.suffix}").exists():
            number += 1
        return path.with_name(f"{path.stem} {number}{path.suffix}")

    def export_csv(self, get: Callable[[], Run], path: Path, then: Callable[[], object] = nothing) -> None:
        """Writes a run as CSV; `get` has it, in a thread."""

        def done(_: object) -> None:
            self.session.say(f"wrote {path.name}")
            then()

        try:
            self._check_output(path)
        except Refused as refused:
            self._refused(refused)
            return
        work = lambda on_progress: run_table.save(get(), path, on_progress)  # noqa: E731
        self.background.add(Task(f"writing {path.name}", work, done, self._refused))

    def _check_output(self, path: Path) -> None:
        """Raises `Refused` where a file cannot be written, or is the open yard."""
        disk.check_outputs({"export": path}, {"the open yard": self.session.file})

    def export_picture(self, widget: QWidget, path: Path) -> bool:
        """Writes a picture of a widget: SVG by the ending, else PNG."""
        try:
            self._check_output(path)
            if path.suffix.lower() == ".svg":
                made = QSvgGenerator()
                made.setFileName(str(path))
                made.setSize(widget.size())
                made.setViewBox(widget.rect())
                painter = QPainter(made)
                widget.render(painter)
                painter.end()
                good = path.exists() and path.stat().st_size > 0
            else:
                good = painted(widget).save(str(path), "PNG")
        except Refused as refused:
            self._refused(refused)
            return False
        except OSError:
            good = False
        self.session.say(
            f"wrote {path.name}" if good else f"{path} cannot be written: choose a folder you may write to", not good
        )
        return good

    # recent files

    def recent(self) -> list[Path]:
        """Yards that were opened or saved, newest first, as far as they are still there."""
        try:
            names = json.loads(disk.read_whole(state_folder() / "recent.json", 1_000_000, "a list of files"))
            return [Path(name) for name in names[:MOST_RECENT] if Path(name).exists()]
        except (Refused, OSError, ValueError, TypeError, RecursionError):
            return []

    def _remember(self, path: Path) -> None:
        names = [str(path.resolve())] + [str(old) for old in self.recent() if old != path.resolve()]
        try:
            disk.make_folder(state_folder())
            disk.write_whole(state_folder() / "recent.json", json.dumps(names[:MOST_RECENT]).encode())
        except Refused:
            pass  # the list of recent files is a comfort, not work

    # autosave

    def _autosave_beside(self) -> None:
        """Puts the work by in a thread, and again after a while if a drive goes on."""
        session = self.session
        drives = self.drives() if session.shown.live_on else ()
        if session.shown.live_on:
            self._timer.start(DRIVE_MS)
        if self.background.is_busy:
            self._timer.start(AUTOSAVE_MS)
        elif session.is_dirty or drives:
            state, file = session.state, session.file
            stamp = self._stamp
            work = lambda _: self.auto.write(state.yard, state.cards, drives, file, stamp)  # noqa: E731
            self.background.add(Task("autosave", work, lambda _: self._auto_good(), self._auto_bad, quiet=True))

    def _auto_good(self) -> None:
        self._auto_failed = False

    def _auto_bad(self, refused: Refused) -> None:
        if not self._auto_failed:
            self.session.say(f"no autosave: {refused.faults[0]}", True)
        self._auto_failed = True

    def autosave(self) -> None:
        """Puts the work by at once: the program is about to end, or may."""
        drives = self.drives() if self.session.shown.live_on else ()
        if not (self.session.is_dirty or drives):
            return
        try:
            session = self.session
            self.auto.write(session.yard, session.shelf.cards, drives, session.file, self._stamp)
            self._auto_good()
        except Refused as refused:
            self._auto_bad(refused)

    def drop_autosave(self) -> None:
        """Takes this session's autosave away."""
        self._timer.stop()
        self.auto.drop()

    def lost_work(self) -> list[Lost]:
        """Work that crashed sessions left, newest first."""
        return self.auto.lost_work()

    def recover(self, lost: Lost, then: Callable[[], object] = nothing) -> None:
        """Opens what a crashed session left as unsaved work; it stays on disk until it is saved or discarded."""

        def done(opened: shelf_store.Opened) -> None:
            if opened.lost:  # what could not be read stays where it is, and is offered again
                self._tell_lost(opened.lost)
            else:
                self.auto.adopt(lost)
            self.session.open(opened.yard, opened.cards, lost.origin, dirty=True)
            self._holds(lost.origin, lost.stamp)
            then()

        work = lambda on_progress: shelf_store.load_all(lost.yard, on_progress)  # noqa: E731
        self.background.add(Task("recovering", work, done, self._refused))

    def close(self) -> None:
        """Ends what goes on, and releases the file."""
        self.background.wait()
        self._timer.stop()
        if self._lock is not None:
            self._lock.release()
