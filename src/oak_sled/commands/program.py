"""Commands about the program: the window, the benchmark, pictures, the soak test, the kernel."""

from __future__ import annotations

import signal
from pathlib import Path
from typing import Annotated

import typer

from oak_sled.commands.shared import (
    app,
    for_developers,
    warm,
)


@app.command("open")
def open_desk(yard: Annotated[str, typer.Argument(help="a yard file, or demo:NAME")] = "") -> int:
    """Open the desktop program."""
    from oak_sled.desk.app import start

    signal.set_wakeup_fd(-1)  # a window ends its runs by itself
    return start.run(yard)


@for_developers("bench")
def bench(
    quick: Annotated[bool, typer.Option(help="shorter, for a look")] = False,
    no_window: Annotated[bool, typer.Option("--no-window", help="leave out what needs the window")] = False,
) -> None:
    """Run the benchmark: ratios measured in one run."""
    from oak_sled.bench import report

    warm()
    report.print_all(quick=quick, window=not no_window)


@for_developers("shots")
def shots(folder: Annotated[str, typer.Argument(help="where the pictures go")]) -> int:
    """Write every main view from demo data as a 1280x800 PNG."""
    from oak_sled.desk.trials import shots as pictures

    return pictures.shots(Path(folder))


@for_developers("tour")
def tour(folder: Annotated[str, typer.Argument(help="where the pictures go")] = "demo-pictures") -> int:
    """Take the window through the demo by itself.

    Prints the measures, as `make demo` does without a display.
    """
    from oak_sled.desk.trials import tour as tours

    return tours.tour(Path(folder))


@for_developers("soak")
def soak(
    minutes: Annotated[float, typer.Option(min=0.05, max=10000.0, help="how long")] = 30.0,
    actions: Annotated[int, typer.Option(min=0, help="how many actions, in the place of minutes")] = 0,
    seed: Annotated[int, typer.Option(help="of the order of the actions")] = 1,
    pictures: Annotated[str, typer.Option(help="folder for pictures of stale pixels")] = "",
) -> int:
    """Use the window at random, and report what goes wrong.

    Tracebacks, stalls, growth of memory, stale pixels; exit status 1 if there were any.
    """
    from oak_sled.desk.trials import soak as test

    return test.soak(minutes, seed, Path(pictures) if pictures else None, actions)


@for_developers("compile")
def compile_kernel() -> None:
    """Compile the simulation kernel ahead of its first use."""
    from oak_sled.core.compiler.kernel import PROGRAM
    from oak_sled.core.project import warmup

    if PROGRAM.is_ready():
        print("kernel: already compiled")
        return

    def say(symbol: str, done: int, of: int) -> None:
        if not symbol.startswith("door."):
            print(f"kernel: {symbol.rpartition('.')[0]}", flush=True)

    PROGRAM.on_progress = say
    seconds = warmup.compile_all()
    print(f"kernel: compiled in {seconds:.1f} s of computing")
