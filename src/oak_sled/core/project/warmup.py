"""Compiles all that a run may need, ahead of the first one."""

from __future__ import annotations

import time

import numpy as np

from oak_sled.core.advice import preview
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.compiler.kernel import PROGRAM
from oak_sled.core.geometry import curve, ribbon
from oak_sled.core.project import demos
from oak_sled.core.results import run


def compile_all() -> float:
    """Compiles the kernel with its contacts, and what is called beside it; s of computing it took."""
    began = time.process_time()
    for name in ("fan-sled", "ferry", "mortar"):
        yard = demos.load(name)
        drill = yard.drill().replace(duration=0.05)
        job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks)
        made = run.execute(job)
    curve.thinned(np.zeros(8), np.zeros(8), 4)
    ribbon.corners(np.zeros((2, 3)), np.ones(2), np.ones(2), [2], [(1.0, 0.1, 1.0, 1.0, 1.0, 1.0)], 30.0)
    preview.shot_path(job, 0, preview.state_of(made, 0))
    PROGRAM.mark_ready()
    return time.process_time() - began
