"""The figures of keeping: an hour's drive saved, read and exported, and a shelf of two hundred runs opened."""

from __future__ import annotations

import dataclasses
import resource
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from oak_sled.bench.lines import line
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.files import run_table
from oak_sled.core.project import shelf, shelf_store
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import run
from oak_sled.core.yard.yard import Yard


def _peak_mb() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0


def _timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _bare_write(content_mb: float, folder: Path) -> float:
    """s to write as many bytes, and to bring them to disk."""
    content = np.random.default_rng(1).bytes(int(content_mb * 1e6))
    file = folder / "bare"

    def work() -> None:
        with open(file, "wb") as out:
            out.write(content)

    took = _timed(work)
    file.unlink()
    return took


def drive(job: Job, seconds: float) -> None:
    """A long drive: saved, saved again, read as a CSV."""
    live = LiveDrive(job)
    random = np.random.default_rng(7)
    for _ in range(int(seconds)):
        raw = random.integers(-1, 2, size=3).astype(float)
        raw[2] = max(raw[2], 0.0) * (random.random() < 0.2)
        live.advance(job.ticks, raw)
    made = live.finish()
    card = shelf.card_of(made, "drive")
    minutes = f"{seconds / 60:.0f} min of driving"
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        file = folder / "yard.json"
        yard = Yard(
            title="bench",
            bench={"craft": job.craft.id, "ground": job.ground.id, "drill": job.drill.id},
            crafts=(job.craft,),
            grounds=(job.ground,),
            drills=(job.drill,),
        )
        before = _peak_mb()
        took = _timed(lambda: shelf_store.save_all(yard, (card,), file))
        grown = _peak_mb() - before
        size = sum(one.stat().st_size for one in shelf_store.files_of(file)) / 1e6
        bare = _bare_write(size, folder)
        line(
            f"{minutes}, saved",
            f"{took:.2f} s",
            f"writing {size:.0f} MB {bare:.2f} s",
            took / bare,
            f"aim 5 s and 400 MB; the process grew by {grown:.0f} MB",
        )
        again = _timed(lambda: shelf_store.save_all(yard, (card,), file))
        line("  saved again, nothing new", f"{again * 1e3:.0f} ms", f"first {took:.2f} s", again / took, "")
        before = _peak_mb()
        took = _timed(lambda: run_table.save(made, folder / "run.csv"))
        size = (folder / "run.csv").stat().st_size / 1e6
        bare = _bare_write(size, folder)
        line(
            f"{minutes}, as CSV",
            f"{took:.1f} s",
            f"writing {size:.0f} MB {bare:.2f} s",
            took / bare,
            f"aim 30 s; the process grew by {_peak_mb() - before:.0f} MB",
        )


def many_cards(yard: Yard, count: int) -> None:
    """A yard with a shelf of many runs, opened, against running all of their drills again."""
    drill = yard.drill()
    job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator)
    fan = job.craft.parts[0].id
    cards = []
    for k in range(count):
        craft = yard.edit(f"crafts.{job.craft.id}.parts.{fan}.thrust", 500.0 + k).craft()
        cards.append(shelf.card_of(run.execute(dataclasses.replace(job, craft=craft)), f"thrust {500 + k}"))
    with tempfile.TemporaryDirectory() as name:
        file = Path(name) / "yard.json"
        shelf_store.save_all(yard, tuple(cards), file)
        before = _peak_mb()
        took = _timed(lambda: shelf_store.load_all(file))
        grown = _peak_mb() - before
        bare = _timed(lambda: run.execute(job)) * count
        line(
            f"{count} runs, opened",
            f"{took:.2f} s",
            f"running them again {bare:.2f} s",
            took / bare,
            f"aim 1.5 s; the process grew by {grown:.0f} MB",
        )
