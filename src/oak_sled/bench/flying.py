"""Figures of what flies: ticks of the plane, the copter and the airship, the trim, and what volumes cost."""

from __future__ import annotations

import statistics
import time
from dataclasses import replace

from oak_sled.bench.lines import interleaved, line
from oak_sled.bench.report import demo_job, handed_over, timed
from oak_sled.core.advice import flightsheet
from oak_sled.core.assembly import jobs, trim
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.volume import Volume

CRAFTS = (
    ("bush-plane", "turn", "the ski plane", "2"), ("survey-copter", "survey_leg", "the survey copter", "2"),
    ("freight-airship", "strafe", "the freight airship", "2"), ("mail-pod", "turn_and_burn", "the mail pod", "2.2"),
)  # fmt: skip
"""Demo, drill, words, and the aim against a tick of the sled."""


def flying(count: int) -> None:
    """Everything about what flies."""
    for name, drill, words, aim in CRAFTS:
        handed_over(f"{words}, a tick", _job(name, drill), count, aim)
    _air(count)
    _trim(1 if count < 20 else 5)


def _job(name: str, drill: str, ticks: int = 240) -> Job:
    yard = demos.load(name)
    return replace(jobs.job_of(yard, yard.drill(drill)), ticks=ticks)


def _air(count: int) -> None:
    """A tick of the sled in still air, in a wind of the ground, and in gusts."""
    still = demo_job()
    gusts = Volume(id="gusts", speed=5.0, gusts=2.0, everywhere=True)
    windy, gusty = still.ground.replace(wind_speed=5.0), still.ground.replace(volumes=(gusts,))
    plain, blown, rough = interleaved(
        count, timed(still), timed(replace(still, ground=windy)), timed(replace(still, ground=gusty))
    )
    line("the sled in still air, a tick", f"{plain:.0f} ns", f"in a steady wind {blown:.0f} ns", plain / blown)
    line("  in gusts of 24 waves", f"{rough:.0f} ns", f"in still air {plain:.0f} ns", rough / plain)


def _trim(count: int) -> None:
    """The trim of the plane, and its whole flight sheet, against re-runs of a second of flight."""
    yard = demos.load("bush-plane")
    craft, ground = yard.craft("ski_plane"), yard.ground("long_lake")
    drill = yard.drill("turn").replace(duration=1.0)
    job = replace(jobs.job_of(yard, drill), ticks=120)
    trim.find(craft, ground, 120, 33.0)
    run.execute(job)
    reruns, trims, sheets = [], [], []
    for _ in range(count):
        began = time.perf_counter()
        for _ in range(30):
            run.execute(job)
        reruns.append(time.perf_counter() - began)
        began = time.perf_counter()
        trim.find(craft, ground, 120, 33.0)
        trims.append(time.perf_counter() - began)
        began = time.perf_counter()
        flightsheet.of(craft, ground, 120)
        sheets.append(time.perf_counter() - began)
    again, found, whole = (statistics.median(times) for times in (reruns, trims, sheets))
    line(
        "trim of the ski plane",
        f"{1e3 * found:.0f} ms",
        f"30 re-runs of 1 s {1e3 * again:.0f} ms",
        found / again,
        "aim 1",
    )
    line("  its flight sheet with all modes", f"{1e3 * whole:.0f} ms", f"its trim {1e3 * found:.0f} ms", whole / found)
