"""The start of the desktop program: no sweep for garbage while it is loaded and built, since all of that stays."""

from __future__ import annotations

import contextlib
import gc
import logging
from collections.abc import Iterator


@contextlib.contextmanager
def no_sweeps() -> Iterator[None]:
    """Nothing is swept up within; what is there at its end is not looked through again."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()


def run(where: str) -> int:
    """Opens the program with the yard that `where` names, and stays until it is closed."""
    logging.basicConfig(level=logging.WARNING, format="oak-sled: %(message)s")
    with no_sweeps():
        from oak_sled.desk.app import program

        app, window = program.opened(where)
        if not where:
            window.show_begin()
    return program.stay(app, window)


def probe() -> None:
    """Starts as `run` does, says "ready" when the first run is drawn, and ends (for the benchmark)."""
    with no_sweeps():
        from oak_sled.desk.app import program

        app, window = program.opened("")
    program.until(app, lambda: window.session.shown.run is not None)
    app.processEvents()
    print("ready", flush=True)
    program.finish(app, window)
