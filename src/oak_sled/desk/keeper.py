"""Keeping work: open, save, recent files, autosave and recovery, and what leaves as a file."""

from __future__ import annotations

import json
import os
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QWidget

from oak_sled.core.faults import Refused
from oak_sled.core.files import run_csv, shelf_store, yard_json
from oak_sled.core.run import Run
from oak_sled.desk.screen import painted
from oak_sled.desk.session import Session

AUTOSAVE_MS = 2500
MOST_RECENT = 8


def state_folder() -> Path:
    """Where the desk keeps its own state."""
    return Path(os.environ.get("OAK_SLED_STATE") or platformdirs.user_state_dir("oak-sled"))


def _is_alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


class Keeper(QObject):
    """Saves the session. A crash leaves its autosave, which the next start offers."""

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self._auto = state_folder() / f"autosave-{os.getpid()}.json"
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AUTOSAVE_MS)
        self._timer.timeout.connect(self.autosave)
        self._auto_failed = False
        session.saved_changed.connect(self._changed)

    def _changed(self) -> None:
        if self.session.is_dirty:
            self._timer.start()

    # files

    def open(self, path: Path) -> bool:
        """Opens a yard file; False, with every fault said, when it is refused. The open work stays."""
        try:
            yard, cards, lost = shelf_store.load_all(path)
        except Refused as refused:
            self._refused(refused)
            return False
        self.session.open(yard, cards, path)
        self._remember(path)
        for line in lost:
            self.session.say(line, True)
        return True

    def _refused(self, refused: Refused) -> None:
        more = f" (and {len(refused.faults) - 1} more faults)" if len(refused.faults) > 1 else ""
        self.session.say(f"{refused.faults[0]}{more}", True)

    def save(self, path: Path) -> bool:
        """Saves the yard and its shelf; False, with the reason said, when it cannot be."""
        try:
            shelf_store.save_all(self.session.yard, self.session.cards, path)
        except Refused as refused:
            self._refused(refused)
            return False
        self.session.mark_saved(path)
        self._timer.stop()
        self.drop_autosave()
        self._remember(path)
        self.session.say(f"saved {path.name}")
        return True

    def export_csv(self, run: Run, path: Path) -> bool:
        """Writes a run as CSV."""
        try:
            run_csv.save(run, path)
        except Refused as refused:
            self._refused(refused)
            return False
        self.session.say(f"wrote {path.name}")
        return True

    def export_picture(self, widget: QWidget, path: Path) -> bool:
        """Writes a picture of a widget: SVG by the ending, else PNG."""
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
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
            names = json.loads((state_folder() / "recent.json").read_text(encoding="utf-8"))
            return [Path(name) for name in names if Path(name).exists()][:MOST_RECENT]
        except (OSError, ValueError, TypeError):
            return []

    def _remember(self, path: Path) -> None:
        names = [str(path.resolve())] + [str(old) for old in self.recent() if old != path.resolve()]
        try:
            yard_json.write_whole(state_folder() / "recent.json", json.dumps(names[:MOST_RECENT]).encode())
        except Refused:
            pass  # the list of recent files is a comfort, not work

    # autosave

    def autosave(self) -> None:
        """Writes the work beside everything else, so that a crash loses at most seconds."""
        if not self.session.is_dirty:
            return
        try:
            shelf_store.save_all(self.session.yard, self.session.cards, self._auto)
            name = str(self.session.file or "")
            yard_json.write_whole(self._auto.with_suffix(".from"), name.encode())
            self._auto_failed = False
        except Refused as refused:
            if not self._auto_failed:
                self.session.say(f"no autosave: {refused.faults[0]}", True)
            self._auto_failed = True

    def drop_autosave(self) -> None:
        """Takes this session's autosave away."""
        self._timer.stop()
        shelf_store.remove(self._auto)
        self._auto.with_suffix(".from").unlink(missing_ok=True)

    def lost_work(self) -> list[Path]:
        """Autosaves of programs that are no longer running, newest first."""
        found = []
        for file in state_folder().glob("autosave-*.json"):
            number = file.stem.removeprefix("autosave-")
            if number.isdigit() and not _is_alive(int(number)):
                found.append(file)
        return sorted(found, key=lambda file: file.stat().st_mtime, reverse=True)

    def recover(self, file: Path) -> bool:
        """Opens an autosave as unsaved work."""
        try:
            yard, cards, _ = shelf_store.load_all(file)
        except Refused as refused:
            self._refused(refused)
            return False
        origin = file.with_suffix(".from")
        name = origin.read_text(encoding="utf-8") if origin.exists() else ""
        self.session.open(yard, cards, Path(name) if name else None, dirty=True)
        self.autosave()
        self.discard(file)
        return True

    @staticmethod
    def discard(file: Path) -> None:
        """Takes an autosave away."""
        shelf_store.remove(file)
        file.with_suffix(".from").unlink(missing_ok=True)
