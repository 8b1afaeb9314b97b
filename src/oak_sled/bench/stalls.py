"""Measures how long the heaviest things that a user can ask for hold the window's own thread.

Counted is the computing of that thread between two turns of its loop, by its own clock: what other threads and other
programs take of the machine is not.
"""

from __future__ import annotations

import dataclasses
import functools
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEventLoop

from oak_sled.bench.lines import line
from oak_sled.core.assembly import jobs
from oak_sled.core.project import demos, shelf, shelf_store
from oak_sled.core.results import run
from oak_sled.core.yard.drill import MOST_KNOTS, Knot, Track
from oak_sled.core.yard.spreads import Spread, SpreadAxis
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.app import program
from oak_sled.desk.work import importing

FELT_MS, DRAGGED_MS = 250.0, 100.0
"""ms that one thing may take, and one step of a drag."""
CARDS = 1000


class Watch:
    """Does things in a window, and tells the longest slice of its thread."""

    def __init__(self) -> None:
        self.app, self.window = program.ready_window()
        self.session = self.window.session

    def of(self, act: Callable[[], object], most_s: float = 120.0) -> float:
        """ms of the longest slice from the act until all that followed is done."""
        began, worst = time.thread_time(), 0.0
        act()
        worst = time.thread_time() - began
        last, end = time.perf_counter(), time.perf_counter() + most_s
        while time.perf_counter() < min(end, last + 0.4):
            began = time.thread_time()
            self.app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 1)
            slice_s = time.thread_time() - began
            worst = max(worst, slice_s)
            if slice_s > 1e-3 or self.is_busy():
                last = time.perf_counter()
            time.sleep(5e-4)
        return worst * 1e3

    def is_busy(self) -> bool:
        """True if anything is computed, read or written."""
        session = self.session
        return session.worker.is_busy or session.loader.is_busy or session.background.is_busy

    def tell(self, what: str, act: Callable[[], object], aim_ms: float = FELT_MS) -> None:
        """Prints the longest slice beside what it may take."""
        took = self.of(act)
        line(what, f"{took:.0f} ms", f"{aim_ms:.0f} ms", took / aim_ms, "aim 1; of the window's thread")


def with_drill(yard: Yard, name: str, **fields: object) -> Yard:
    """The yard with a drill changed, on the bench."""
    drill = yard.drill(name).replace(**fields)
    drills = tuple(drill if one.id == name else one for one in yard.drills)
    return yard.replace(drills=drills, bench=yard.bench.replace(drill=name))


def stalls() -> None:
    """Prints a line for each."""
    watch = Watch()
    with tempfile.TemporaryDirectory() as folder:
        long_track(watch)
        inputs_and_meshes(watch, Path(folder))
        many_cards(watch, Path(folder))
        grounds(watch)
        an_hour(watch)
        a_spread(watch)


def long_track(watch: Watch) -> None:
    """A drill whose input was recorded, with as many knots as there may be."""
    values = np.random.default_rng(1).uniform(0.0, 1.0, MOST_KNOTS - 1).tolist()
    knots = tuple(Knot(t=k * 0.01, value=value) for k, value in enumerate(values))
    yard = with_drill(demos.load("fan-sled"), "slalom", tracks=(Track(channel="throttle", knots=knots),), duration=60.0)
    strips = watch.window.drill_page.strips
    watch.tell(f"{MOST_KNOTS} knots: opened", lambda: watch.session.open(yard, (), None))
    watch.tell("  shown on the Drill page", lambda: watch.window.show_page("Drill"))
    drag = lambda: watch.session.preview("drills.slalom.duration", 61.0)  # noqa: E731
    watch.tell("  the end of the drill dragged", drag, DRAGGED_MS)
    watch.session.cancel()
    watch.tell("  a knot more", lambda: strips.put_knot("throttle", 10.2, 0.5))


def inputs_and_meshes(watch: Watch, folder: Path) -> None:
    """Files that are read while the window goes on."""
    rows = "".join(f"{k / 120!r},{(k % 7) / 10},{(k % 11) / 20}\n" for k in range(40_000))
    (folder / "in.csv").write_text(f"t [s],throttle,steer\n{rows}", encoding="utf-8")
    watch.of(lambda: watch.session.open(demos.load("fan-sled"), (), None))
    watch.window.show_page("Drill")
    watch.tell("40,000 rows of inputs read", lambda: watch.window.drill_page.files.import_csv(folder / "in.csv"))
    ball = np.array([[k % 3 == i for i in range(3)] for k in range(9)], float)
    lines = [f"v {x} {y} {z}" for x, y, z in ball] + ["f 1 2 3"] * 3_000_000
    (folder / "big.obj").write_text("\n".join(lines), encoding="utf-8")
    (folder / "torus.obj").write_text(torus(100, 90), encoding="utf-8")
    watch.window.show_page("Ground")
    place = importing.place_mesh
    watch.tell("a mesh of 24 MB, refused", lambda: place(watch.session, folder / "big.obj", 0.0, 0.0))
    watch.tell("a torus of 18,000 triangles placed", lambda: place(watch.session, folder / "torus.obj", 30.0, 0.0))


def torus(around: int, across: int) -> str:
    """A ring of 10 m, 3 m thick, as OBJ."""
    lines = []
    for i in range(around):
        for j in range(across):
            a, b = 2.0 * np.pi * i / around, 2.0 * np.pi * j / across
            far = 10.0 + 3.0 * np.cos(b)
            lines.append(f"v {far * np.cos(a):.5f} {far * np.sin(a):.5f} {3.0 * np.sin(b):.5f}")
    for i in range(around):
        for j in range(across):
            spots = [((i + u) % around) * across + (j + v) % across + 1 for u, v in ((0, 0), (1, 0), (1, 1), (0, 1))]
            lines += [f"f {spots[0]} {spots[1]} {spots[2]}", f"f {spots[0]} {spots[2]} {spots[3]}"]
    return "\n".join(lines)


def many_cards(watch: Watch, folder: Path) -> None:
    """A shelf of a thousand runs."""
    yard, cards = demos.load("fan-sled"), []
    job = jobs.job_of(yard, yard.drill("brake_to_stop"))
    made = run.execute(job)
    for k in range(CARDS):
        craft = job.craft.replace(body=job.craft.body.replace(mass=200.0 + k / 10))
        again = dataclasses.replace(made, job=dataclasses.replace(job, craft=craft))
        cards.append(shelf.card_of(again, f"mass {200 + k / 10:.1f}", {"top_speed": 1.0}))
    file, session = folder / "cards.json", watch.session
    shelf_store.save_all(yard, tuple(cards), file)
    watch.window.show_page("Bench")
    program.settle(watch.app, 1.0)  # what was placed before has come to its end: an edit meanwhile refuses a file
    watch.tell(f"{CARDS} cards: opened", lambda: watch.window.keeper.open(file))
    names = [card.id for card in session.shelf.cards]
    watch.tell("  one starred", lambda: session.shelf.change_card(names[3], "star run", starred=True))
    watch.tell("  one dropped", lambda: session.shelf.drop_card(names[5]))
    along = watch.window.shelf.area.horizontalScrollBar()
    if along is not None:
        watch.tell("  looked through to the end", lambda: along.setValue(along.maximum()))
    watch.tell("  saved", lambda: watch.window.keeper.save(file))


def grounds(watch: Watch) -> None:
    """A relief that tilts, and the colours of the night."""
    watch.of(lambda: watch.session.open(demos.load("ferry"), (), None))
    watch.window.show_page("Ground")
    path = f"grounds.{watch.session.ground.id}"
    watch.tell("a relief tilted, its section in sight", lambda: watch.session.edit(f"{path}.tilt_deg", 20.0))
    watch.window.show_page("Bench")
    watch.tell("night colours", watch.window.toggle_night)
    watch.window.toggle_night()


def an_hour(watch: Watch) -> None:
    """A drill of an hour: its run, its panes, a dial."""
    yard, session = with_drill(demos.load("fan-sled"), "slalom", duration=3600.0, end="time"), watch.session
    watch.tell("a drill of an hour: opened", lambda: session.open(yard, (), None))
    for pane in ("Measures", "Plan", "Traces"):
        watch.tell(f"  pane {pane}", functools.partial(watch.window.show_pane, pane))
    watch.tell("  a dial moved", lambda: session.edit("crafts.fan_sled.body.mass", 250.0), DRAGGED_MS)


def a_spread(watch: Watch) -> None:
    """Two thousand variants, as they come."""
    axes = (
        SpreadAxis(path="crafts.fan_sled.parts.fan.thrust", low=400.0, high=800.0, count=50),
        SpreadAxis(path="crafts.fan_sled.body.mass", low=200.0, high=400.0, count=40),
    )
    plan = Spread(id="grid", drill="slalom", axes=axes, measures=("top_speed", "hits"))
    watch.of(lambda: watch.session.open(demos.load("fan-sled").replace(spreads=(plan,)), (), None))
    watch.window.show_page("Spread")
    watch.tell("2,000 variants computed", watch.window.spread_page.compute)
    watch.window.close()
