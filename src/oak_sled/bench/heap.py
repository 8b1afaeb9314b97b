"""The figures of the contact solver: a heap of dynamic blocks, and the drills of the quay."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from oak_sled.bench.lines import line
from oak_sled.bench.yardstick import HeapInC
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.contact import records, scenery, solver
from oak_sled.core.contact.records import Scene
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.project import demos
from oak_sled.core.results import moments, run

RATE, SECONDS = 60, 5.0
SIZES = (25, 50, 100, 200, 400)


def heap(count: int, seed: int = 1) -> Scene:
    """Boxes of many sizes that fall in layers onto one another."""
    random = np.random.default_rng(seed)
    side = max(2, round((count / 3) ** 0.5))
    solids = []
    for k in range(count):
        half = random.uniform(0.15, 0.3, 3)
        at = np.array([k % side * 0.75, k // side % side * 0.75, 0.6 + k // (side * side) * 0.8])
        solids.append(
            scenery.Solid(
                [shapes.box(half)],
                20.0,
                shapes.box_inertia(20.0, half),
                position=at + random.uniform(-0.05, 0.05, 3),
                attitude=random.normal(size=4),
            )
        )
    return scenery.scene(solids)


def dropped(count: int) -> tuple[float, float]:
    """ms a tick of a heap that falls for 5 s at 60 ticks/s, and contacts solved a tick."""
    scene = heap(count)
    ticks = int(SECONDS * RATE)
    out = np.zeros((ticks, len(scene.solids), 13))
    began = time.perf_counter()
    solver.run_alone(scene, still_air(9.81)[0], 1.0 / RATE, ticks, out)
    return (time.perf_counter() - began) / ticks * 1e3, float(scene.counts[records.SOLVED]) / ticks


def heaps(rounds: int) -> float:
    """Time a tick from 25 to 400 blocks, and the exponent with which it grows; returns ms a tick of 200 blocks."""
    dropped(10)  # from the cache, or compiled
    found = np.array([[dropped(count) for _ in range(rounds)] for count in SIZES])
    times = np.median(found[:, :, 0], axis=1)
    grows = float(np.polyfit(np.log(SIZES), np.log(times), 1)[0])
    at_200 = float(times[SIZES.index(200)])
    real = 1000.0 / RATE
    line(
        "200 dynamic blocks in a heap, a tick",
        f"{at_200:.1f} ms",
        f"real time {real:.1f} ms",
        at_200 / real,
        f"aim 1; 25 to 400 blocks: {', '.join(f'{t:.1f}' for t in times)} ms, exponent {grows:.2f}; "
        f"{found[SIZES.index(200), 0, 1]:.0f} contacts a tick",
    )
    return at_200


def balls(count: int, seed: int = 1) -> Floats:
    """Balls of many sizes above the ground, in layers: place, radius and mass, shape (n, 5)."""
    random = np.random.default_rng(seed)
    side = max(2, round((count / 3) ** 0.5))
    made = np.zeros((count, 5))
    for k in range(count):
        at = np.array([k % side * 0.7, k // side % side * 0.7, 0.6 + k // (side * side) * 0.7])
        made[k, :3] = at + random.uniform(-0.05, 0.05, 3)
        made[k, 3], made[k, 4] = random.uniform(0.18, 0.32), 20.0
    return made


def ball_heap(rounds: int, blocks_ms: float, count: int = 200) -> None:
    """The same heap of balls in the solver, and in its own steps as C99 built by the C compiler.

    blocks_ms : of a tick of as many blocks, which is set against that of the balls.
    """
    dropped_balls = balls(count)
    ticks = int(SECONDS * RATE)
    try:
        heap_in_c = HeapInC(ball_scene(dropped_balls))
    except RuntimeError as error:
        line(f"{count} balls in a heap, a tick", "", f"({error})", None)
        return
    took: list[list[float]] = [[], []]
    made: list[Floats] = [np.zeros(0), np.zeros(0)]
    for _ in range(rounds):  # in turn, so that a noisy moment hits both
        ways: tuple[Callable[..., Any], ...] = (solver.run_alone, heap_in_c.run)
        for place, run_heap in enumerate(ways):
            scene = ball_scene(dropped_balls)
            made[place] = np.zeros((ticks, len(scene.solids), 13))
            began = time.perf_counter()
            run_heap(scene, still_air(9.81)[0], 1.0 / RATE, ticks, made[place])
            took[place].append((time.perf_counter() - began) / ticks * 1e3)
            solved = float(scene.counts[records.SOLVED]) / ticks
    heap_in_c.close()
    mine, c = (float(np.median(times)) for times in took)
    same = "the same to the bit" if np.array_equal(made[0], made[1]) else "not the same"
    line(
        f"{count} balls in a heap, a tick", f"{mine:.2f} ms", f"as C {c:.2f} ms", mine / c,
        f"contacts a tick {solved:.0f}; {same}",
    )  # fmt: skip
    line(
        f"{count} blocks against {count} balls",
        f"{blocks_ms:.2f} ms",
        f"balls {mine:.2f} ms",
        blocks_ms / mine,
        "aim 2.0",
    )


def ball_scene(made: Floats) -> Scene:
    """The balls as a scene of the solver."""
    solids = [
        scenery.Solid(
            [shapes.ball(float(radius))],
            float(mass),
            shapes.ball_inertia(float(mass), float(radius)),
            position=(float(x), float(y), float(z)),
        )
        for x, y, z, radius, mass in made
    ]
    return scenery.scene(solids)


def mortar() -> None:
    """The mortar and its wall, while a dial is dragged: every run with another muzzle speed."""
    yard = demos.load("mortar")
    drill = yard.drill("breach")
    took, hits = [], []
    for place in range(26):
        craft = yard.edit("crafts.mortar.parts.barrel.muzzle_speed", 15.5 + 0.02 * place).craft()
        began = time.perf_counter()
        made = run.execute(Job(craft, yard.ground_of(drill), drill, yard.ticks))
        took.append((time.perf_counter() - began) * 1e3)
        hits.append(sum(event.word == "burst" for event in moments.events(made)))
    took, hits = took[1:], hits[1:]
    loose = sum(one.moves == "free" for one in yard.ground_of(drill).blocks)
    median, tail = np.percentile(took, [50, 95])
    line(
        "mortar drill re-run in a drag",
        f"{median:.0f} ms",
        f"drill of {drill.duration:.1f} s",
        median / (drill.duration * 1e3),
        f"aim 150 ms; 95 % under {tail:.0f} ms; {loose} dynamic blocks, {min(hits)} to {max(hits)} hits",
    )


def quay() -> None:
    """The drills of the quay, each as a dial's movement re-runs it."""
    yard = demos.load("quay")
    times = {}
    for drill in yard.drills:
        job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks)
        run.execute(job)
        took = []
        for _ in range(5):
            began = time.perf_counter()
            made = run.execute(job)
            took.append((time.perf_counter() - began) * 1e3)
        times[drill.heading] = (float(np.median(took)), made.duration)
    worst = max(times, key=lambda name: times[name][0])
    slowest, seconds = times[worst]
    line(
        "quay drill re-run, the slowest",
        f"{slowest:.0f} ms",
        f"drill of {seconds:.1f} s",
        slowest / (seconds * 1e3),
        f"aim 150 ms; {'; '.join(f'{name} {took:.0f}' for name, (took, _) in times.items())} ms",
    )
