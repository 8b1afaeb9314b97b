"""Figures of ties: ticks of a train, of a rope with mass and of a body on a rail, and the preview of a throw."""

from __future__ import annotations

import statistics
import time
from dataclasses import replace

from oak_sled.bench.lines import interleaved, line
from oak_sled.bench.report import demo_job, timed
from oak_sled.core.advice import preview
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.rope import Rope

NODES = 60


def tying(count: int) -> None:
    """Everything about ties."""
    sled = demo_job()
    asked = (("sledge-train", "start"), ("gondola", "over"), ("sledge-train", "rear_heavy"))
    train, gondola, towing = (_of(name, drill, sled.ticks) for name, drill in asked)
    alone, drawn, hung, towed = interleaved(count, timed(sled), timed(train), timed(gondola), timed(towing))
    line("the sledge train, a tick", f"{drawn / 1e3:.1f} us", f"the sled {alone / 1e3:.1f} us", drawn / alone, "aim 9")
    line("the rope way, a tick", f"{hung / 1e3:.1f} us", f"the sled {alone / 1e3:.1f} us", hung / alone)
    line("a craft of two bodies, a tick", f"{towed / 1e3:.1f} us", f"the sled {alone / 1e3:.1f} us", towed / alone)
    heavy = _on_a_rope(replace(sled, ticks=240))
    bare, roped = interleaved(count, timed(replace(sled, ticks=240)), timed(heavy))
    tick = 1e9 / 240.0
    words = f"{NODES} nodes beside the sled, a tick at 240 ticks/s"
    line(words, f"{roped / 1e3:.1f} us", f"a tenth of real time {tick / 1e4:.0f} us", 10.0 * roped / tick, "aim 1")
    line("  of that the rope", f"{(roped - bare) / 1e3:.1f} us", f"the sled {bare / 1e3:.1f} us", (roped - bare) / bare)
    _throw(count)


def _of(name: str, drill: str, ticks: int) -> Job:
    yard = demos.load(name)
    return replace(jobs.job_of(yard, yard.drill(drill)), ticks=ticks)


def _on_a_rope(job: Job) -> Job:
    """A job with a load of a hundred times the mass of its rope hung up beside the way."""
    load = Block(id="load", x=30.0, y=60.0, z=2.0, length=0.6, width=0.6, height=0.6, mass=600.0)
    rope = Rope(
        id="rope", one="load", x=30.0, y=60.0, z=2.6, end_x=36.0, end_y=60.0, end_z=12.6, mass=0.5, length=12.0,
        spacing=12.0 / NODES,
    )  # fmt: skip
    return replace(job, ground=job.ground.replace(blocks=(load,), ties=(rope,)))


def _throw(count: int) -> None:
    """The preview of a throw, against a tick of real time at 250 a second."""
    yard = demos.load("bollard-turn")
    made = run.execute(jobs.job_of(yard, yard.drill("bend")))
    place = [part.id for part in made.job.craft.parts].index("left_line")
    preview.throw_path(made, 60, place)
    spent = []
    for row in range(60, 60 + max(count, 5)):
        began = time.perf_counter()
        preview.throw_path(made, row, place)
        spent.append(time.perf_counter() - began)
    taken = statistics.median(spent)
    line("the preview of a throw", f"{1e3 * taken:.2f} ms", "wanted 4 ms", taken / 4e-3, "aim 1")
