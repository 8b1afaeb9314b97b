"""`oak-sled bench`: prints every figure beside what it is measured against in the same run.

One file, since it is a list of figures, each a few lines.
"""

from __future__ import annotations

import compileall
import resource
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from scipy.integrate import solve_ivp

from oak_sled.bench import compiling, door, heap, keeping, rayloop
from oak_sled.bench.lines import interleaved, line
from oak_sled.bench.yardstick import CraftInC, Yardstick
from oak_sled.core.advice import laws
from oak_sled.core.assembly import jobs, tracks, world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.base.arrays import Floats
from oak_sled.core.formulas import lawunits
from oak_sled.core.formulas.code import MOST_GIVEN
from oak_sled.core.geometry import terrain
from oak_sled.core.geometry.terrain import Relief
from oak_sled.core.parts import register, sweep
from oak_sled.core.parts.air import AirDrag
from oak_sled.core.parts.limiter import Limiter
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import run
from oak_sled.core.results.record import Layout
from oak_sled.core.study import spread, variants
from oak_sled.core.study.batch import Bench
from oak_sled.core.study.variantbuild import VariantBuild
from oak_sled.core.tick.rows import Rows
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.drill import Member
from oak_sled.core.yard.ground import Wall
from oak_sled.core.yard.law import Law
from oak_sled.core.yard.spreads import Spread, SpreadAxis
from oak_sled.core.yard.yard import Yard


def print_all(quick: bool, window: bool) -> None:
    """Measures and prints everything."""
    print("figure                                   value        against                        ratio")
    loop = CLoop()
    kernel(9 if quick else 41, loop)
    handed_over("the ferry on four pads over a relief, a tick", ferry_job(), 9 if quick else 41, "2")
    handed_over("the ice truck on four tires, a tick", truck_job(), 9 if quick else 41, "2.5")
    from oak_sled.bench import exporting, flying, networking, tuning, tying

    exporting.exporting(9 if quick else 41, loop.tick_ns)
    flying.flying(9 if quick else 41)
    tying.tying(9 if quick else 41)
    networking.networking(3 if quick else 9)
    circles(8 if quick else 40)
    side = 8 if quick else 32
    sled, ferry = demos.load("fan-sled"), demos.load("ferry")
    fan, pads = "crafts.fan_sled.parts", "crafts.ferry.parts.pads"
    grids("sled", sled, "slalom", ((f"{fan}.fan.thrust", 400.0, 900.0), (f"{fan}.runners.side_grip", 0.3, 0.9)), side)
    grids("ferry", ferry, "ridges", ((f"{pads}.stiffness", 3e4, 9e4), (f"{pads}.damping", 2e3, 2e4)), side)
    formulas(9 if quick else 41)
    a_ray(9 if quick else 41)
    worlds(9 if quick else 41)
    compiling.compiling()
    solver()
    blocks_ms = heap.heaps(1 if quick else 3)
    heap.ball_heap(1 if quick else 3, blocks_ms)
    heap.quay()
    heap.mortar()
    memory(600.0 if quick else 3600.0)
    keeping.drive(demo_job("straight_pull", 120), 600.0 if quick else 3600.0)
    keeping.many_cards(demos.load("fan-sled"), 50 if quick else 200)
    door.commands(3 if quick else 9)
    door.imported(3 if quick else 9)
    door.many(100 if quick else 1000)
    if window:
        start(1 if quick else 3)
        from oak_sled.bench import desk, linking, stalls

        desk.dial_to_picture(20 if quick else 80, loop.tick_ns)
        desk.preview(60 if quick else 300)
        desk.side_by_side(60 if quick else 200)
        desk.two_pictures(60 if quick else 200)
        desk.input_to_frame(20 if quick else 100)
        desk.paints()
        desk.live(5.0 if quick else 60.0)
        linking.linking(30 if quick else 120, 5.0 if quick else 30.0)
        stalls.stalls()
    tuning.tuning(1 if quick else 2)
    loop.close()


def demo_job(drill: str = "", ticks: int = 240) -> Job:
    """The demo craft on one of its drills."""
    yard = demos.load("fan-sled")
    chosen = yard.drill(drill)
    return Job(yard.craft(), yard.ground_of(chosen), chosen, ticks)


class CLoop:
    """The C loop of the demo craft's slalom, beside the compiled kernel: `ours` where there is no C compiler."""

    def __init__(self, level: str = "-O2") -> None:
        job = demo_job()
        ticks = world.check_size(job)
        self._inputs, self.out = tracks.inputs(job, ticks), np.zeros((ticks, Layout.of(job).width))
        self.ours, self.other = timed(job, self.out), np.zeros_like(self.out)
        self.missing = ""
        try:
            self._yardstick: Yardstick | None = Yardstick(job, level)
        except RuntimeError as error:
            self._yardstick, self.missing = None, str(error)

    def tick_ns(self) -> float:
        """ns a tick takes in it now."""
        if self._yardstick is None:
            return self.ours()
        began = time.perf_counter()
        done = self._yardstick.run(self._inputs, self.other)
        return (time.perf_counter() - began) / done * 1e9

    def close(self) -> None:
        """Removes what was built."""
        if self._yardstick is not None:
            self._yardstick.close()


def kernel(count: int, loop: CLoop) -> None:
    """A tick of the demo craft's slalom against the C loop of the same equations."""
    if loop.missing:
        line("kernel, a tick of the demo craft", f"{loop.ours():.0f} ns", f"({loop.missing})", None)
        return
    ours, theirs = interleaved(count, loop.ours, loop.tick_ns)
    same = float(np.max(np.abs(loop.out - loop.other)))
    line(
        "kernel, a tick of the demo craft",
        f"{ours:.0f} ns",
        f"C loop {theirs:.0f} ns",
        ours / theirs,
        f"aim 1.0; greatest difference of any number {same:.1g}",
    )
    harder, own = CLoop("-O3"), CraftInC(demo_job(), "-O3")
    ours, theirs, as_c = interleaved(count, loop.ours, harder.tick_ns, in_c(demo_job(), own))
    line("  the same against cc -O3", f"{ours:.0f} ns", f"C loop {theirs:.0f} ns", ours / theirs)
    line("  the same against its own C99 by cc -O3", f"{ours:.0f} ns", f"as C {as_c:.0f} ns", ours / as_c)
    harder.close()
    own.close()


def timed(job: Job, into: Floats | None = None) -> Callable[[], float]:
    """A function that runs a job once and gives ns a tick of it. into : where its rows go, shape (ticks, width), of a
    job with nothing beside its crafts."""
    most = world.check_size(job)
    inputs = tracks.inputs(job, most)
    whole = Layout.of(job).room(most)
    rows = whole if into is None else Rows(into, whole.beside, whole.which)

    def once() -> float:
        machine = Machine.of(job)
        began = time.perf_counter()
        _, done = machine.write(inputs, rows)
        return (time.perf_counter() - began) / done * 1e9

    once()
    return once


def ferry_job(ticks: int = 240) -> Job:
    """The ferry over its ridges."""
    yard = demos.load("ferry")
    return replace(jobs.job_of(yard, yard.drill("ridges")), ticks=ticks)


def truck_job(ticks: int = 240) -> Job:
    """The ice truck in its steady circle."""
    yard = demos.load("ice-truck")
    return replace(jobs.job_of(yard, yard.drill("circle")), ticks=ticks)


def handed_over(name: str, job: Job, count: int, aim: str) -> None:
    """A tick of a craft against its own equations as C99, and against that of the sled."""
    try:
        built = CraftInC(job)
    except RuntimeError as error:
        line(name, f"{timed(job)():.0f} ns", f"({error})", None)
        return
    ours, theirs, sled = interleaved(count, timed(job), in_c(job, built), timed(demo_job()))
    line(name, f"{ours:.0f} ns", f"as C {theirs:.0f} ns", ours / theirs, "aim 1.1")
    line("  the same against the sled", f"{ours:.0f} ns", f"sled {sled:.0f} ns", ours / sled, f"aim {aim}")
    built.close()


def in_c(job: Job, built: CraftInC) -> Callable[[], float]:
    """A function that runs a job in its own equations as C and gives ns a tick of it."""
    ticks = world.check_size(job)
    inputs, out = tracks.inputs(job, ticks), np.zeros((ticks, Layout.of(job).width))

    def once() -> float:
        machine = Machine.of(job)
        began = time.perf_counter()
        done = built.run(machine, inputs, out)
        return (time.perf_counter() - began) / done * 1e9

    return once


def circles(count: int) -> None:
    """Steady circles over speed and steering, `count` by `count`, as `spread` makes them, against their bare runs."""
    yard = demos.load("ice-truck")
    axes = (
        SpreadAxis(path="drills.circle.start.speed", low=3.0, high=14.0, count=count),
        SpreadAxis(path="crafts.truck.parts.steering.max_angle_deg", low=4.0, high=34.0, count=count),
    )
    plan = Spread(id="circles", drill="circle", axes=axes, measures=("held_side_g",))
    job = jobs.job_of(yard, yard.drill("circle"))
    run.execute(job)
    began = time.perf_counter()
    for _ in range(count * count):
        run.execute(job)
    bare = time.perf_counter() - began
    began = time.perf_counter()
    spread.compute(yard, plan)
    took = time.perf_counter() - began
    name = f"{count} x {count} steady circles over speed and steer"
    line(name, f"{took:.1f} s", f"bare runs {bare:.1f} s", took / bare, "aim 1.3")


def grids(title: str, yard: Yard, drill: str, paths: tuple[tuple[str, float, float], ...], side: int) -> None:
    """A grid of `side` by `side` variants of a drill of 10 s at 240 ticks/s: on one thread against the bare kernel, on
    two against one, and until the first colours are there."""
    yard = yard.edit_all([("ticks", 240), (f"drills.{drill}.duration", 10.0)])
    axes = tuple(SpreadAxis(path=path, low=low, high=high, count=side) for path, low, high in paths)
    plan = Spread(id="grid", drill=drill, axes=axes, measures=("top_speed",))
    job = jobs.job_of(yard, yard.drill(drill))
    hands = Bench(VariantBuild(job))
    hands.execute(job)
    first: list[float] = []

    def bare_runs() -> float:
        return sum(hands.execute(variants.job_for(yard, plan, plan.values_of(k))).seconds for k in range(plan.variants))

    def timed(threads: int) -> float:
        came: list[float] = []
        began = time.perf_counter()
        spread.compute(yard, plan, threads, lambda *_: came.append(time.perf_counter() - began))
        first.append(came[0])
        return time.perf_counter() - began

    bare, one, two = interleaved(3, bare_runs, lambda: timed(1), lambda: timed(2))
    line(
        f"{side * side} variants of the {title}, one thread",
        f"{one:.2f} s",
        f"bare {bare:.2f} s",
        one / bare,
        "aim 1.3",
    )
    line("  two threads against one", f"{two:.2f} s", f"one {one:.2f} s", one / two, "aim 1.8, more is better")
    line(
        "  first colours",
        f"{statistics.median(first) * 1e3:.0f} ms",
        "0.5 s",
        statistics.median(first) / 0.5,
        "aim 1.0",
    )


def formulas(count: int) -> None:
    """The law of a pad as it is built in, as a formula that is interpreted, and as one that is compiled."""
    yard = demos.load("crate-drop")
    craft = yard.craft("spring")
    pad = next(part for part in craft.parts if isinstance(part, Pad))
    text = pad.written_as(pad.PLACES[0])
    written = craft.replace(
        laws=(Law(id="bench", place=pad.PLACES[0].name, text=text),), parts=(pad.replace(formula="bench"),)
    )
    steps = written.written["bench"].code
    given = np.zeros((200_000, MOST_GIVEN))
    given[:, 0], given[:, 1], given[:, 2] = np.linspace(0.1, 1.1, len(given)), 0.2, pad.reach
    out = np.zeros(len(given))
    kind = register.KINDS.index(register.kind_of(pad))

    def of(part: Pad, interpreted: bool) -> Callable[[], float]:
        own = laws.record_of(written, part)
        if interpreted:
            own["formula"]["at"] = lawunits.interpreter()

        def once() -> float:
            began = time.perf_counter()
            sweep.over(register.law_address(kind, pad.PLACES[0].name), own, given, out)
            return (time.perf_counter() - began) / len(out) * 1e9

        once()
        return once

    lawunits.compile_unit(steps)
    follows = written.parts[0]
    assert isinstance(follows, Pad)
    built_in, interpreted, compiled = interleaved(count, of(pad, False), of(follows, True), of(follows, False))
    base = f"built-in {built_in:.1f} ns"
    line("a pad's law as a formula, interpreted", f"{interpreted:.1f} ns", base, interpreted / built_in,
         f"aim 5; {len(steps.steps)} steps")  # fmt: skip
    line("  the same compiled", f"{compiled:.1f} ns", base, compiled / built_in, "aim 1.3")


def a_ray(count: int) -> None:
    """One ray against 200 blocks and a relief of 256 x 256 heights, against a tick of the sled."""
    yard = demos.load("ferry")
    random = np.random.default_rng(5)
    grey = np.round(65535 * random.random((256, 256))).astype(np.uint16)
    blocks = tuple(
        Block(id=f"b_{k}", moves="fixed", x=float(random.uniform(-60, 60)), y=float(random.uniform(-60, 60)))
        for k in range(200)
    )
    relief = Relief(columns=256, rows=256, data=terrain.pack(grey), length=256.0, width=256.0, low=0.0, high=0.4)
    ground = yard.ground().replace(blocks=blocks, relief=relief)
    craft = yard.craft("ferry")
    pads = next(part for part in craft.parts if isinstance(part, Pad))
    one = craft.replace(parts=(pads.replace(spread_x=0.0, spread_y=0.0),), laws=(), numbers=())
    drill = yard.drill("ridges").replace(tracks=(), events=(), targets=(), cast=(), twins=(), duration=4.0)
    job = Job(one, ground, drill, 240)
    machine = Machine.of(job)
    machine.advance(np.zeros((8, len(one.channels))), np.zeros((8, Layout.of(job).width)))  # neighbours are known

    def rays_of() -> float:
        began = time.perf_counter()
        rayloop.cast(machine.world.crafts, machine.scene, machine.world.supports, machine.nows, 20_000)
        return (time.perf_counter() - began) / 20_000 * 1e9

    rays_of()
    ray, sled = interleaved(count, rays_of, timed(demo_job()))
    line("a ray against 200 blocks and 256 x 256 heights", f"{ray:.0f} ns", f"sled's tick {sled:.0f} ns", ray / sled,
         "aim 0.25")  # fmt: skip


def worlds(count: int) -> None:
    """A tick of the demo craft alone, with much that is far away, and of two crafts, each against the first."""
    alone = demo_job()
    ground, drill = alone.ground, alone.drill
    walls = tuple(Wall(id=f"far_{k}", x=-900.0 + 6.0 * k, y=-700.0, length=4.0, width=1.0) for k in range(100))
    blocks = tuple(Block(id=f"far_{k}", x=-900.0 + 3.0 * k, y=-800.0, rests=True) for k in range(50))
    far = replace(alone, ground=ground.replace(walls=(*ground.walls, *walls), blocks=(*ground.blocks, *blocks)))
    second = alone.craft.replace(id="second")
    member = Member(id="second", start=drill.start.replace(y=drill.start.y - 400.0), tracks=drill.tracks)
    both = replace(alone, drill=drill.replace(craft=alone.craft.id, cast=(member,)), others=(second,))

    one, among, two = interleaved(count, timed(alone), timed(far), timed(both))
    line("the same with 100 walls, 50 sleeping blocks far away", f"{among:.0f} ns", f"alone {one:.0f} ns", among / one,
         "aim 1.15")  # fmt: skip
    line("two crafts in one world, a tick", f"{two:.0f} ns", f"one {one:.0f} ns", two / one, "aim 2.1")


def solver() -> None:
    """The straight pull against SciPy's solve_ivp, set to the same error as the kernel at 240 ticks/s."""
    job = demo_job("straight_pull")
    fan = next(part for part in job.craft.parts if isinstance(part, Thruster))
    air = next(part for part in job.craft.parts if isinstance(part, AirDrag))
    runner = next(part for part in job.craft.parts if isinstance(part, Runner))
    limit = next(part for part in job.craft.parts if isinstance(part, Limiter))
    mass = job.craft.body.true_mass()
    square, _ = air.drag_factors(job.ground.air_density)
    glide = runner.sliding_friction(mass * job.ground.gravity, job.ground.grip)
    rise = job.craft.channels[0].rise

    def slope(t: float, y: Floats) -> list[float]:
        v = y[1]
        push = fan.thrust * min(1.0, rise * t)
        over = max(0.0, v - (limit.limit - limit.knee))
        drag = min(glide, push) if v <= 0.0 else glide
        return [v, (push - drag - square * v * v) / mass - limit.rate * over]

    def solve(tolerance: float) -> tuple[float, float]:
        began = time.perf_counter()
        found = solve_ivp(slope, (0.0, 20.0), [0.0, 0.0], rtol=tolerance, atol=tolerance)
        return float(found.y[0, -1]), time.perf_counter() - began

    truth, _ = solve(1e-11)
    made = run.execute(job)
    error = abs(made.column("position.x")[-1] - made.column("position.x")[0] - truth)
    tolerance = next((t for t in (1e-2, 1e-3, 1e-4, 1e-5, 1e-6, 1e-7) if abs(solve(t)[0] - truth) <= error), 1e-8)

    def ours() -> float:
        began = time.perf_counter()
        run.execute(job)
        return time.perf_counter() - began

    mine, scipys = interleaved(7, ours, lambda: solve(tolerance)[1])
    line(
        "straight pull, 20 s at 240 ticks/s",
        f"{mine * 1e3:.1f} ms",
        f"solve_ivp {scipys * 1e3:.1f} ms",
        mine / scipys,
        f"equal error {error * 1e3:.2g} mm of {truth:.0f} m; ours with the full ledger in 3D, SciPy's on one axis",
    )


def memory(seconds: float) -> None:
    """An hour of live driving, recorded whole: bytes, and whether the last minutes are as fast as the first."""
    job = demo_job("straight_pull", 120)
    drive = LiveDrive(job)
    random = np.random.default_rng(7)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    times = []
    for _ in range(int(seconds)):
        raw = random.integers(-1, 2, size=3).astype(float)
        raw[2] = max(raw[2], 0.0) * (random.random() < 0.2)
        began = time.perf_counter()
        for _ in range(60):  # frames of two ticks, as a display of 60 frames/s asks for
            drive.advance(2, raw)
        times.append(time.perf_counter() - began)
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024.0
    tenth = max(1, len(times) // 10)
    slower = statistics.median(times[-tenth:]) / statistics.median(times[:tenth])
    size = drive.recorder.nbytes / 1e6
    whole = drive.recorder.finish()
    rows, width = len(whole), whole.layout.width
    line(
        f"record of {seconds / 60:.0f} min of live driving",
        f"{size:.0f} MB",
        f"plain rows {rows * width * 8 / 1e6:.0f} MB",
        size / (rows * width * 8 / 1e6),
        f"aim 500 MB; process grew by {grown:.0f} MB; last tenth against first, time a frame {slower:.2f}",
    )


def start(count: int) -> None:
    """From the start of the process to a window with its run drawn, against a bare start of the same libraries.

    With bytecode in place, as set-up and an installed package have it.
    """
    compileall.compile_dir(str(Path(__file__).parents[1]), quiet=1)
    probe = "from oak_sled.desk.app import start; start.probe()"
    libraries = "numpy, pydantic, PyQt6.QtWidgets, pyqtgraph, moderngl, llvmlite.binding"
    bare = f"import {libraries}; print('ready', flush=True)"

    def until_ready(code: str) -> float:
        began = time.perf_counter()
        child = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
        assert child.stdout is not None
        child.stdout.readline()
        took = time.perf_counter() - began
        child.wait()
        child.stdout.close()
        return took

    ours, theirs = interleaved(count, lambda: until_ready(probe), lambda: until_ready(bare))
    line("start to a drawn window, warm", f"{ours:.2f} s", f"bare imports {theirs:.2f} s", ours / theirs, "aim 1.8")
