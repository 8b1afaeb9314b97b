"""Work of this session put by for the case of a crash, and that of crashed sessions found again.

Each session has a folder of its own with a lock that the system takes back when the process ends, however it ends;
process ids are not asked, since they repeat.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import shutil
import time
import uuid
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import shelf_store
from oak_sled.core.project.shelf import Card
from oak_sled.core.yard.yard import Yard

MOST_LISTED = 200


def state_folder() -> Path:
    """Folder in which the desk keeps its own state."""
    return Path(os.environ.get("OAK_SLED_STATE") or platformdirs.user_state_dir("oak-sled"))


class Lock:
    """An advisory lock on a file of its own, held as long as this object is, or until `release`."""

    def __init__(self, file: Path):
        self._handle = -1
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            self._handle = os.open(file, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self.release()

    @property
    def is_held(self) -> bool:
        """True if it was free, and is ours."""
        return self._handle >= 0

    def release(self) -> None:
        """Lets go."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1


def lock_of(file: Path) -> Lock:
    """The lock by which other windows of this user know that a yard file is open here."""
    name = hashlib.sha256(str(file.resolve()).encode("utf-8", "surrogateescape")).hexdigest()[:24]
    return Lock(state_folder() / "locks" / f"{name}.lock")


@dataclass(frozen=True)
class Lost:
    """Work that a crashed session left: its yard, the file it belongs to with the stamp it had, and when."""

    yard: Path
    origin: Path | None
    stamp: str
    when: float

    @property
    def words(self) -> str:
        """Owner and time of the work."""
        name = self.origin.name if self.origin else "a yard that was not saved"
        return f"{name}, {time.strftime('%d %b %H:%M', time.localtime(self.when))}"

    def discard(self) -> None:
        """Takes it away."""
        shutil.rmtree(self.yard.parent, ignore_errors=True)


class Autosave:
    """The folder of this session. It is made with the first work that is put by."""

    def __init__(self) -> None:
        self.folder = state_folder() / "sessions" / uuid.uuid4().hex[:16]
        self._lock: Lock | None = None
        self._drives: set[str] = set()

    @property
    def yard(self) -> Path:
        """The yard as it was put by."""
        return self.folder / "yard.json"

    def write(
        self, yard: Yard, cards: tuple[Card, ...], drives: tuple[Card, ...], origin: Path | None, stamp: str
    ) -> None:
        """Puts the work by, with drives that go on as cards; raises `Refused`. Only what is new is written.

        origin, stamp : the file the work belongs to, and its stamp when it was opened or saved.
        """
        if self._lock is None or not self._lock.is_held:
            self._lock = Lock(self.folder / "lock")
        gone, self._drives = self._drives, {card.id for card in drives}
        shelf_store.save_all(yard, (*drives, *cards), self.yard, gone, in_parts=True)
        disk.write_whole(self.folder / "from.json", json.dumps({"file": str(origin or ""), "stamp": stamp}).encode())

    def adopt(self, lost: Lost) -> None:
        """Goes on in the folder of a crashed session, whose work is open here now."""
        self.drop()
        self.folder = lost.yard.parent
        self._lock = Lock(self.folder / "lock")

    def drop(self) -> None:
        """Takes it away: the work is in a file of the user, or was left by will."""
        shutil.rmtree(self.folder, ignore_errors=True)
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    def lost_work(self) -> list[Lost]:
        """Work that sessions left which no longer run, newest first."""
        found = []
        with contextlib.suppress(OSError):
            for folder in list((state_folder() / "sessions").iterdir())[:MOST_LISTED]:
                yard = folder / "yard.json"
                if folder == self.folder or not yard.is_file():
                    continue
                lock = Lock(folder / "lock")
                if lock.is_held:
                    lock.release()
                    found.append(Lost(yard, *_origin(folder / "from.json"), yard.stat().st_mtime))
        return sorted(found, key=lambda one: one.when, reverse=True)


def _origin(file: Path) -> tuple[Path | None, str]:
    """The yard file that the work belongs to, and its stamp; None and "" when that is not known."""
    try:
        data = json.loads(disk.read_whole(file, 100_000, "the name of a file"))
        name, stamp = data["file"], data["stamp"]
    except (Refused, ValueError, TypeError, KeyError, RecursionError):
        return None, ""
    good = isinstance(name, str) and isinstance(stamp, str) and bool(name) and "\0" not in name
    return (Path(name), stamp) if good else (None, "")
