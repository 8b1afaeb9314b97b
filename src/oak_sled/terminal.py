"""Shared by every command of the command line: exit statuses, where output goes, and progress on a terminal."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TextIO

DONE, MISSED, BAD_INPUT, OWN_ERROR, DIVERGED, STOPPED = 0, 1, 2, 3, 4, 130
"""Exit statuses: done; a target missed; bad input; an error of the program itself; a run diverged; Ctrl-C."""
STREAM = "-"
"""Standard input in the place of a yard, standard output in that of a file."""
QUIET_S = 1.0
"""s for which a computation tells nothing."""


_QUIET = False


def be_quiet(on: bool) -> None:
    """Leaves out progress and notices from here on, or no longer."""
    global _QUIET
    _QUIET = on


def note(line: str) -> None:
    """A notice on standard error, where they are wanted."""
    if not _QUIET:
        print(f"oak-sled: {line}", file=sys.stderr, flush=True)


def prepare_streams() -> None:
    """Has a terminal that cannot print a character print a question mark in its place."""
    for stream in (sys.stdout, sys.stderr):
        reconfigure = getattr(stream, "reconfigure", None)
        if reconfigure is not None:
            reconfigure(errors="replace")


def flush_or_drop() -> OSError | None:
    """Brings what was printed out; where that fails, drops the rest, so that the interpreter does not try again as it
    ends. Returns the failure."""
    try:
        sys.stdout.flush()
    except OSError as error:
        drop_output()
        return error
    return None


def drop_output() -> None:
    """Has all further output go nowhere."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def path_of(file: str) -> Path:
    """The path that an option names; `-` is standard output."""
    return Path("/dev/stdout") if file == STREAM else Path(file)


@contextlib.contextmanager
def words_beside(*files: str | None) -> Iterator[None]:
    """Prints to standard error where one of the files is standard output, so that it holds the file alone."""
    if STREAM not in files:
        yield
        return
    with contextlib.redirect_stdout(sys.stderr):
        yield


@contextlib.contextmanager
def interrupts_reach_runs() -> Iterator[None]:
    """Ctrl-C ends the runs under way: what is compiled knows nothing of signals, and would be waited for.

    The system writes the number of a signal into a pipe as it comes, whatever the interpreter is doing; a thread that
    reads it has the runs end.
    """
    listens, tells = socket.socketpair()
    tells.setblocking(False)
    before = signal.set_wakeup_fd(tells.fileno(), warn_on_full_buffer=False)

    def listen() -> None:
        while told := listens.recv(1):
            stopping = sys.modules.get("oak_sled.core.tick.stopping")  # nothing runs before it was imported
            if told[0] == signal.SIGINT and stopping is not None:
                stopping.stop_all()

    thread = threading.Thread(target=listen, name="oak-sled-interrupts", daemon=True)
    thread.start()
    try:
        yield
    finally:
        signal.set_wakeup_fd(before)
        tells.close()
        thread.join()
        listens.close()


class Teller:
    """Tells how far a long computation is, and what is left: on a terminal in one line, else in a line for each tenth.

    Nothing is told before a second has passed. what : a word for what is counted.
    """

    def __init__(self, what: str = "runs", to: TextIO | None = None):
        self._what, self._to = what, to or sys.stderr
        self._began = time.perf_counter()
        self._one_line, self._told = self._to.isatty(), 0

    def tell(self, done: int, of: int) -> None:
        """`done` of `of` are done."""
        passed = time.perf_counter() - self._began
        if _QUIET or passed < QUIET_S or of <= 0:
            return
        left = passed * (of - done) / max(done, 1)
        words = f"{done} of {of} {self._what}, about {left:.0f} s left"
        if self._one_line:
            print(f"\r{words}   ", end="\n" if done >= of else "", file=self._to, flush=True)
        elif 10 * done // of > self._told or done >= of:
            self._told = 10 * done // of
            print(f"oak-sled: {words}", file=self._to, flush=True)
