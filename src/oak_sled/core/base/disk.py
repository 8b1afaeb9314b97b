"""Files written whole or not at all, and what is no file written straight.

A regular file is written beside its place, brought to disk, and put there in one step: a reader sees the old file or
the new one. A device, a FIFO or a standard stream is written into. A symbolic link stays one. What a killed program
left half written is removed by the next write of the same file.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import secrets
import stat
import sys
import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import BinaryIO

from oak_sled.core.base.faults import Refused, refuse

_STREAM = re.compile(r"/dev/(?:fd/(?P<number>\d+)|(?P<name>stdin|stdout|stderr))$|/proc/self/fd/(?P<own>\d+)$")
_STREAMS = {"stdin": 0, "stdout": 1, "stderr": 2}
_ENDING = ".part"
LONGEST = 60.0
"""s after which a file that is still being read is given up."""
PIECE = 1 << 22
"""Bytes that are read at once."""


def words(error: OSError) -> str:
    """The message of the system for a failure, in lower case."""
    return (error.strerror or str(error)).lower()


def refusal(path: Path, error: OSError) -> Refused:
    """The refusal of a file that cannot be written."""
    return refuse(str(path), f"cannot be written: {words(error)}", "a writable folder with free space")


def write_whole(path: Path, content: bytes) -> None:
    """Writes `content`; raises `Refused` with the old file left as it was."""
    with written(path) as file:
        file.write(content)


@contextlib.contextmanager
def written(path: Path) -> Iterator[BinaryIO]:
    """A binary file to write; it takes its place when the block ends without an error. Raises `Refused`.

    An error while the last bytes leave (a full device fails only then) is an error of the write.
    """
    try:
        if _is_regular(path):
            with _replaced(path) as file:
                yield file
        else:
            with _straight(path) as file:
                yield file
                file.flush()
    except BrokenPipeError:  # whoever reads has seen enough: no fault of the file
        raise
    except OSError as error:
        raise refusal(path, error) from None


def _is_regular(path: Path) -> bool:
    """True if a path is a regular file, or would become one."""
    if not str(path) or str(path) == ".":
        raise refuse("file", "its name is empty", "the name of a file to write")
    if _STREAM.match(str(path)):
        return False
    try:
        mode = path.stat().st_mode
    except FileNotFoundError:
        return True
    if stat.S_ISDIR(mode):
        raise IsADirectoryError(21, "is a directory")
    return stat.S_ISREG(mode)


def check_folder(path: Path) -> None:
    """Raises `Refused` where the folder of a file is not there: it would be a slip of the pen, and is not made."""
    if not path.parent.is_dir():
        raise refuse(str(path), f"there is no folder {path.parent}", "a folder that exists")


def check_outputs(outputs: Mapping[str, Path | None], inputs: Mapping[str, Path | None] | None = None) -> None:
    """Raises `Refused` where a file that is to be written could not be, or would take the place of an input or of
    another output: to be asked before anything is computed.

    outputs, inputs : the paths by what they are, such as "--csv"; None for none.
    """
    taken = {name: path for name, path in (inputs or {}).items() if path is not None}
    for name, path in outputs.items():
        if path is None:
            continue
        try:
            regular = _is_regular(path)
        except OSError as error:
            raise refusal(path, error) from None
        except ValueError:  # a NUL in the name
            raise refuse(repr(str(path)), "cannot be the name of a file", "the name of a file to write") from None
        other = next((known for known, file in taken.items() if is_same_file(path, file)), None)
        if other is not None and (regular or _STREAM.match(str(path))):
            raise refuse(name, f"{path} is {other} as well", "a file of its own for each")
        if regular:
            check_folder(path)
            target = path.resolve().parent
            if not os.access(target, os.W_OK | os.X_OK):
                raise refuse(str(path), f"cannot be written: no right to write in {target}", "another folder")
        taken[name] = path


def is_same_file(one: Path, other: Path) -> bool:
    """True if two paths lead to one file, that is there or not: through links, and by another name of it."""
    try:
        return one.samefile(other)
    except OSError:
        return os.path.realpath(one) == os.path.realpath(other)


def make_folder(folder: Path) -> None:
    """Makes a folder of the program's own, with those above it; raises `Refused`."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise refuse(str(folder), f"cannot be made: {words(error)}", "a place that you may write to") from None


@contextlib.contextmanager
def _straight(path: Path) -> Iterator[BinaryIO]:
    match = _STREAM.match(str(path))
    if match:
        name = match["number"] or match["own"]
        number = int(name) if name else _STREAMS[match["name"]]
        sys.stdout.flush()  # what was printed before comes before
        handle = os.dup(number)
    else:
        handle = os.open(path, os.O_WRONLY)
    with os.fdopen(handle, "wb") as file:
        yield file


@contextlib.contextmanager
def _replaced(path: Path) -> Iterator[BinaryIO]:
    target = path.resolve() if path.is_symlink() else path
    check_folder(target)
    _sweep(target)
    beside = target.with_name(f".{cut(target.name, 200)}.{secrets.token_hex(4)}{_ENDING}")
    # the mode of a new file is the user's umask; that of an old one stays
    handle = os.open(beside, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)  # tells the sweep of others that it is being written
        with os.fdopen(handle, "wb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
            with contextlib.suppress(FileNotFoundError):
                os.fchmod(file.fileno(), stat.S_IMODE(target.stat().st_mode))
            os.replace(beside, target)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise
    _sync_folder(target.parent)


def _sync_folder(folder: Path) -> None:
    """Brings the change of names to disk; some file systems cannot."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _sweep(target: Path) -> None:
    """Removes what programs that were killed left half written of this file: its lock is free."""
    for left in target.parent.glob(f".{_escaped(cut(target.name, 200))}.*{_ENDING}"):
        with contextlib.suppress(OSError):
            handle = os.open(left, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                left.unlink()
            finally:
                os.close(handle)


def cut(name: str, most: int) -> str:
    """A name of at most so many bytes, which is what file systems count: letters may take four."""
    return os.fsencode(name)[:most].decode(sys.getfilesystemencoding(), "ignore")


def _escaped(name: str) -> str:
    return re.sub(r"([*?\[])", r"[\1]", name)


def open_regular(path: Path, right: str, where: str = "") -> BinaryIO:
    """A regular file, open to be read: the one door for everything from outside. Raises `Refused`.

    right : what would be right, for the refusal. where : what the file is called there; its path if not given.
    A FIFO or a device is never read, since that may not end; what was opened is judged, not what the name meant before.
    """
    where = where or str(path)
    try:
        # not blocking: opening a FIFO would wait for its other end, and some files of the system wait for more
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY)
    except FileNotFoundError:
        raise refuse(where, "cannot be read: there is no such file", right) from None
    except OSError as error:
        raise refuse(where, f"cannot be read: {words(error)}", right) from None
    except ValueError:  # a NUL in the name
        raise refuse(repr(str(path)), "cannot be the name of a file", right) from None
    mode = os.fstat(handle).st_mode
    if stat.S_ISREG(mode):
        return os.fdopen(handle, "rb")
    os.close(handle)
    if stat.S_ISDIR(mode):
        raise refuse(where, "cannot be read: is a directory", right)
    raise refuse(where, "is a device or a pipe", f"a regular file: {right}")


def read_whole(path: Path, most: int, right: str, where: str = "") -> bytes:
    """The content of a regular file of at most `most` bytes; raises `Refused`. See `open_regular` for the rest.

    It is asked for its size before it is read, and not believed: some grow while they are read, or say nothing. What
    is not read within `LONGEST` seconds (a lost network share can wait between two pieces) is given up.
    """
    where = where or str(path)
    too_large = f"at most {most / 1e6:.3g} MB"
    ends = time.monotonic() + LONGEST
    pieces = []
    left = most + 1
    with open_regular(path, right, where) as file:
        size = os.fstat(file.fileno()).st_size
        if size > most:
            raise refuse(where, f"is too large: {size / 1e6:.0f} MB", too_large)
        try:
            while left > 0 and (piece := os.read(file.fileno(), min(left, PIECE))):
                pieces.append(piece)
                left -= len(piece)
                if time.monotonic() > ends:
                    raise refuse(where, f"cannot be read within {LONGEST:.0f} s", right)
        except OSError as error:
            raise refuse(where, f"cannot be read: {words(error)}", right) from None
    if left <= 0:
        raise refuse(where, "is too large: it goes on and on", too_large)
    return b"".join(pieces)
