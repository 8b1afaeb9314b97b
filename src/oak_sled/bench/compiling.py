"""The figures of the compiler: cold, three times the code, after an edit of one law, and from a warm cache; CPU s."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import oak_sled
from oak_sled.bench.lines import line
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.compiler import machine
from oak_sled.core.compiler.kernel import PROGRAM, Kernel, units_of
from oak_sled.core.compiler.types import Type
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.tick import loop, rowlayout

SOURCE = Path(oak_sled.__file__).parent
_WHOLE = "import json; from oak_sled.core.project import warmup; print(json.dumps(warmup.compile_all()))"
_FIRST = """
import json, time
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.assembly import jobs
yard = demos.load("fan-sled")
drill = yard.drill().replace(duration=0.05)
job = jobs.Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks)
began = time.process_time()
run.execute(job)
first = time.process_time()
run.execute(job)
print(json.dumps(first - began - (time.process_time() - first)))
"""
"""s of computing to the first tick of the demo craft, without the run itself."""
EDIT = ("most = gain * part.glide * load * glide", "most = 1.01 * gain * part.glide * load * glide")
"""A line of the law of runners, and what it is edited to, for the time that an edit costs."""


def _child(code: str, cache: Path, source: Path = SOURCE) -> float:
    env = {**os.environ, "OAK_SLED_CACHE": str(cache), "PYTHONPATH": str(source.parent)}
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, check=True)
    return float(json.loads(done.stdout))


def _copies(count: int) -> float:
    """s of computing to read and compile the whole kernel `count` times over."""
    yard = demos.load("mortar")
    drill = yard.drill().replace(duration=0.05)
    job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks)
    run.execute(job)
    began = time.process_time()
    for _ in range(count):
        for kernel, seen in list(_compiled()):
            for one in units_of(PROGRAM.read(kernel, seen)):
                machine.compile_text(PROGRAM.text_of(one))
    return time.process_time() - began


def _compiled() -> Iterator[tuple[Kernel, tuple[Type, ...]]]:
    """The functions that this process has entered or called by address, with the types they were compiled for."""
    for kernel in (loop.advance, rowlayout.first_row):
        for seen in kernel.entries:
            yield kernel, seen
    yield from PROGRAM.at.values()


def compiling() -> None:
    """All figures of the compiler."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        plain = time.process_time()
        for _ in range(200_000):
            pass
        plain = time.process_time() - plain
        cold = _child(_WHOLE, folder / "cache")
        line("kernel, compiled cold", f"{cold:.1f} s", f"python loop {plain * 1e3:.0f} ms", cold / plain, "aim 15 s")
        three = _copies(3)
        line("three times its code", f"{three:.1f} s", f"once {cold:.1f} s", three / cold, "aim 45 s")
        warm = min(_child(_FIRST, folder / "cache") for _ in range(3))
        line("first tick, warm cache", f"{warm * 1e3:.0f} ms", f"cold {cold:.1f} s", warm / cold, "aim 100 ms")
        edited = folder / "edited" / "oak_sled"
        shutil.copytree(SOURCE, edited, ignore=shutil.ignore_patterns("__pycache__", "fonts"))
        law = edited / "core" / "parts" / "runnerforce.py"
        text = law.read_text()
        law.write_text(text.replace(*EDIT))
        after = _child(_FIRST, folder / "cache", edited)
        line("first tick, one law edited", f"{after:.2f} s", f"cold {cold:.1f} s", after / cold, "aim 3 s")
