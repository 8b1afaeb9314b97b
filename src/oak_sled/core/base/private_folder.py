"""A folder of one user's, whose files are believed: what nobody else could have written there.

Compiled code is run as it lies on disk, and a hash of itself says only that it is whole. So the folder is made for its
owner alone, and a folder or a file that belongs to another user, or that another may write, is refused. All is judged
from what was opened and reached from there, never by a path that may mean something else a moment later; no link is
followed, and nothing but a regular file is read.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import stat
from collections.abc import Iterator
from pathlib import Path

OTHERS_WRITE = stat.S_IWGRP | stat.S_IWOTH
_MARK = "loading-"


class NotPrivate(Exception):
    """A folder or a file that somebody else could have written; says which and why."""


class PrivateFolder:
    """A folder at `path`, made when something is first written. Every method raises `OSError` where the system does,
    and `NotPrivate`."""

    def __init__(self, path: Path):
        self.path = path

    def read(self, name: str, most: int) -> bytes:
        """The content of a file of at most `most` bytes; raises `FileNotFoundError` where there is none."""
        with self._entered() as folder:
            handle = os.open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, dir_fd=folder)
            with os.fdopen(handle, "rb") as file:
                found = os.fstat(handle)
                if not stat.S_ISREG(found.st_mode):
                    raise NotPrivate(f"{self.path / name} is no regular file")
                _check(found, self.path / name)
                if found.st_size > most:
                    raise NotPrivate(f"{self.path / name} is too large")
                with contextlib.suppress(OSError):  # on a file system that cannot, it counts as old
                    os.utime(handle)
                return file.read(most)

    def write(self, name: str, content: bytes) -> None:
        """Writes a file that only its owner may read, whole or not at all."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(FileExistsError):
            self.path.mkdir(mode=0o700)
        with self._entered() as folder:
            beside = f".{secrets.token_hex(8)}.part"
            handle = os.open(
                beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600, dir_fd=folder
            )
            try:
                with os.fdopen(handle, "wb") as file:
                    file.write(content)
                os.replace(beside, name, src_dir_fd=folder, dst_dir_fd=folder)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(beside, dir_fd=folder)
                raise

    def files(self) -> list[tuple[str, os.stat_result]]:
        """Name and state of what lies in it."""
        with self._entered() as folder:
            found = []
            for name in os.listdir(folder):
                with contextlib.suppress(FileNotFoundError):
                    found.append((name, os.stat(name, dir_fd=folder, follow_symlinks=False)))
            return found

    def remove(self, name: str) -> None:
        """Removes a file, if it is there."""
        with self._entered() as folder, contextlib.suppress(FileNotFoundError):
            os.unlink(name, dir_fd=folder)

    @contextlib.contextmanager
    def marked(self) -> Iterator[None]:
        """Leaves a mark while the block runs: one that stays behind tells that the program fell inside. A mark is
        locked by whoever made it, so that those of programs that still run are known."""
        name = f"{_MARK}{os.getpid()}-{secrets.token_hex(4)}"
        try:
            with self._entered() as folder:
                # locked before it has its name: whoever finds a mark unlocked may believe it
                handle = os.open(
                    f".{name}",
                    os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC,
                    0o600,
                    dir_fd=folder,
                )
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                os.rename(f".{name}", name, src_dir_fd=folder, dst_dir_fd=folder)
        except (OSError, NotPrivate):  # nothing can be written: nothing of it is loaded either
            yield
            return
        try:
            yield
        finally:
            with contextlib.suppress(OSError, NotPrivate):
                self.remove(name)
            os.close(handle)

    def fallen(self) -> bool:
        """True if a program fell while it had a mark here."""
        with self._entered() as folder:
            return any(name.startswith(_MARK) and _is_free(name, folder) for name in os.listdir(folder))

    @contextlib.contextmanager
    def _entered(self) -> Iterator[int]:
        handle = os.open(self.path, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC)
        try:
            _check(os.fstat(handle), self.path)
            yield handle
        finally:
            os.close(handle)


def _check(found: os.stat_result, path: Path) -> None:
    if found.st_uid not in (os.geteuid(), 0):
        raise NotPrivate(f"{path} belongs to another user")
    if found.st_mode & OTHERS_WRITE:
        raise NotPrivate(f"{path} may be written by others")


def _is_free(name: str, folder: int) -> bool:
    """True if nobody holds the lock of a mark."""
    try:
        handle = os.open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, dir_fd=folder)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True
