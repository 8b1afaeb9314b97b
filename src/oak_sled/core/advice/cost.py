"""The cost of a tick against its own time, and its largest share: driving keeps real time only below 1."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.caution import Caution
from oak_sled.core.results import run
from oak_sled.core.results.run import Run

HEAVY = 0.7
"""Share of a tick's own time past which it is told of: drawing and the desk need the rest."""
TRIED_S, TRIALS = 0.05, 3
"""s of computing that each trial of `heaviest` may take, and how often each thing is tried: the least of them counts,
since whatever else the machine does only makes one slower."""


def tick_seconds(made: Run) -> float:
    """s of computing that a tick of a run took; 0 where it was not run here."""
    return made.seconds / made.ticks if made.ticks else 0.0


def is_heavy(job: Job, tick_s: float) -> bool:
    """True if driving such ticks falls behind real time, or nearly."""
    return tick_s > HEAVY * job.dt


def caution_of(job: Job, tick_s: float) -> Caution:
    """The caution about a heavy job: the cost of a tick, the speed of driving, and what costs most."""
    speed = min(1.0, job.dt / tick_s)
    what, saved = heaviest(job, tick_s)
    most = f"{1e3 * saved:.0f} ms of it for {what}: fewer of them, or " if what else ""
    return Caution(
        "heavy",
        "",
        f"this ground costs {1e3 * tick_s:.0f} ms a tick; driving runs at {speed:.1g} of real time",
        f"{most}fewer than {job.ticks} ticks/s",
    )


def heaviest(job: Job, tick_s: float) -> tuple[str, float]:
    """The costliest thing of a job, and its s a tick; ("", 0) where nothing stands out.

    Found by leaving each thing out and running a short stretch from the start.
    """
    count = min(max(int(TRIED_S / tick_s), 3), 120)
    drill = job.drill.replace(duration=max(0.05, count * job.dt), events=(), watch=(), end="time", targets=())
    short = replace(job, drill=drill)
    tried = [("", short), *_without(short)]
    rounds = [[tick_seconds(run.execute(one)) for _, one in tried] for _ in range(TRIALS)]
    whole, *rest = (min(times) for times in zip(*rounds, strict=True))
    saved, what = max(
        ((whole - left, what) for left, (what, _) in zip(rest, tried[1:], strict=True)), default=(0.0, "")
    )
    return (what, saved) if saved > 0.25 * whole else ("", 0.0)


def _without(job: Job) -> Iterator[tuple[str, Job]]:
    """Each thing that may cost much, in words, and the job without it."""
    ground = job.ground
    for moves, words in (("free", "dynamic"), ("driven", "kinematic"), ("fixed", "static")):
        left = tuple(one for one in ground.blocks if one.moves != moves)
        count = len(ground.blocks) - len(left)
        if count:
            yield f"{count} {words} blocks", replace(job, ground=ground.replace(blocks=left))
    if ground.relief is not None:
        yield "the relief", replace(job, ground=ground.replace(relief=None))
    left_parts = tuple(part for part in job.craft.parts if part.shot() is None)
    if len(left_parts) < len(job.craft.parts):
        yield "the shots of its launchers", replace(job, craft=job.craft.replace(parts=left_parts))
