"""Stand-in games, started beside the bench: that in a terminal, and that in a browser without a window."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.portable import folder


@contextlib.contextmanager
def in_terminal(job: Job, port: int) -> Iterator[bool]:
    """Exports a craft as C, builds the game that goes with it and runs it against a link on this machine; False where
    there is no `cc`."""
    if shutil.which("cc") is None:
        yield False
        return
    with tempfile.TemporaryDirectory() as where:
        folder.write(job, "c", Path(where))
        with _running("sh", str(Path(where) / "run-live.sh"), "127.0.0.1", str(port)):
            yield True


@contextlib.contextmanager
def in_browser(address: str) -> Iterator[bool]:
    """Opens the game that a link hands out in a browser without a window; False where there is no `chromium`."""
    browser = shutil.which("chromium")
    if browser is None:
        yield False
        return
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as where:
        plain = ("--headless", "--no-sandbox", "--disable-gpu", f"--user-data-dir={where}")
        with _running(browser, *plain, address):
            yield True


@contextlib.contextmanager
def _running(*words: str) -> Iterator[None]:
    """Runs a program with all that it starts, to the end of what is done meanwhile."""
    game = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
    try:
        yield
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(game.pid, signal.SIGTERM)
        try:
            game.wait(5.0)
        except subprocess.TimeoutExpired:
            os.killpg(game.pid, signal.SIGKILL)
            game.wait()
