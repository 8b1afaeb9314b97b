"""The figures of the door: commands and the library from the start of a process, and many runs against one by one."""

from __future__ import annotations

import compileall
import os
import subprocess
import sys
import time
from functools import partial
from pathlib import Path

import oak_sled
from oak_sled.bench.lines import interleaved, line


def _whole(*arguments: str) -> float:
    """s of a process from its start to its end."""
    began = time.perf_counter()
    subprocess.run([sys.executable, *arguments], check=True, stdout=subprocess.DEVNULL, env=dict(os.environ))
    return time.perf_counter() - began


def commands(count: int) -> None:
    """`list` and `run` of a small drill against the bare import of the libraries that they need, warm."""
    compileall.compile_dir(str(Path(__file__).parents[1]), quiet=1)  # as set-up and an installed package have it
    for what in ("list", "run"):
        asked = partial(_whole, "-m", "oak_sled", what, "demo:puck")
        ours, bare = interleaved(count, asked, partial(_whole, "-c", "import numpy, scipy"))
        line(f"`{what} demo:puck`, whole", f"{ours:.2f} s", f"import numpy, scipy {bare:.2f} s", ours / bare, "aim 3")


def imported(count: int) -> None:
    """The library: import, a demo and one run, against the import of NumPy."""
    code = "import oak_sled; oak_sled.open('demo:puck').run()"
    ours, bare = interleaved(count, lambda: _whole("-c", code), lambda: _whole("-c", "import numpy"))
    line("library: import, a demo, one run", f"{ours:.2f} s", f"import numpy {bare:.2f} s", ours / bare, "aim 5")


def many(runs: int) -> None:
    """Many runs of the demo sled through the batch on all processors, against one by one."""
    yard = oak_sled.open("demo:fan-sled")
    path = "crafts.fan_sled.parts.fan.thrust"
    changes = [{path: 400.0 + 0.5 * k} for k in range(runs)]
    yard.run_many(changes[:8], ["top_speed"], "straight_pull")
    began = time.perf_counter()
    for change in changes:
        one = yard.copy()
        one.set_all(change)
        _ = one.run("straight_pull").measures["top_speed"]
    single = time.perf_counter() - began
    began = time.perf_counter()
    yard.run_many(changes, ["top_speed"], "straight_pull")
    batch = time.perf_counter() - began
    line(f"{runs} runs through the batch", f"{batch:.2f} s", f"one by one {single:.2f} s", batch / single, "aim 0.33")
