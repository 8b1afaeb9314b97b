"""Figures of a network: a copy that another process keeps over UDP beside the simulated one, and what a copy costs."""

from __future__ import annotations

import time

from oak_sled.bench.lines import interleaved, line
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.link import overudp
from oak_sled.core.project import demos
from oak_sled.core.results import copies, run
from oak_sled.core.yard.network import Network

SETTINGS = (
    Network(delay=60.0, correct="blend"),
    Network(delay=120.0, jitter=20.0, loss=0.02, correct="snap"),
    Network(delay=200.0, jitter=60.0, loss=0.1, rate=10.0, correct="blend"),
)


def networking(count: int) -> None:
    """Both figures. count : runs that the cost is taken of."""
    yard = demos.load("fan-sled")
    job = job_of(yard, yard.drill("step_steer"))
    for network in SETTINGS:
        proof = overudp.proved(job, network)
        line(
            f"a copy over UDP, {network.delay:.0f} ms, off", f"{100.0 * proof.rms:.2f} cm",
            f"{100.0 * proof.simulated.rms:.2f} cm simulated", proof.rms / proof.simulated.rms,
            f"aim 0.9 to 1.1; the other process was late by {1e3 * proof.late:.1f} ms at most",
        )  # fmt: skip
    for correct in ("blend", "rollback"):
        network, made = Network(delay=120.0, correct=correct), run.execute(job)

        def seen(network: Network = network, made: run.Run = made) -> float:
            began = time.perf_counter()
            copies.seen(job, network, made)
            return time.perf_counter() - began

        def plain() -> float:
            began = time.perf_counter()
            run.execute(job)
            return time.perf_counter() - began

        with_copy, alone = interleaved(count, seen, plain)
        line(f"a drill seen over a network, {correct}", f"{1e3 * with_copy:.0f} ms", f"{1e3 * alone:.1f} ms without",
             with_copy / alone)  # fmt: skip
