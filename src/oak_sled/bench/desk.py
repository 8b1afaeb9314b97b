"""The figures that need the window: from a dial's movement to the picture, and live driving."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from PyQt6.QtCore import QEventLoop, QPointF
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QApplication, QWidget

from oak_sled.bench import heavy
from oak_sled.bench.lines import line
from oak_sled.core.advice import preview as paths
from oak_sled.core.compiler.machine import registers_cleaner
from oak_sled.core.project import demos
from oak_sled.core.results import run, traces
from oak_sled.desk.app import program
from oak_sled.desk.app.places import PAGE_NAMES
from oak_sled.desk.app.window import Window

FRAME_MS = 1e3 / 60.0
"""ms of a frame of a display."""


def _window() -> tuple[QApplication, Window]:
    return program.ready_window()


def dial_to_picture(count: int, c_tick_ns: Callable[[], float]) -> None:
    """A dial is moved `count` times on a drill of 10 s at 240 ticks/s, of the sled, the ferry and the ice truck; the
    clock runs until all is painted. c_tick_ns : ns of a tick of the C loop of the sled, by which it is counted: asked
    between the movements, since the machine wavers."""
    app, window = _window()
    session = window.session
    yard = session.yard.edit("ticks", 240).edit("drills.straight_pull.duration", 10.0)
    session.change(yard.replace(bench=yard.bench.replace(drill="straight_pull", ground="long_reach")), "bench")
    sled = _dragged(app, window, c_tick_ns, "crafts.fan_sled.parts.fan.thrust", 500.0, count)
    session.open(demos.load("ferry").edit("ticks", 240).edit("drills.ridges.duration", 10.0), (), None)
    program.until(app, lambda: session.shown.run is not None and not session.worker.is_busy)
    session.choose("drill", "ridges")
    ferry = _dragged(app, window, c_tick_ns, "crafts.ferry.parts.fan.thrust", 6000.0, count)
    session.open(demos.load("ice-truck").edit("ticks", 240).edit("drills.circle.duration", 10.0), (), None)
    program.until(app, lambda: session.shown.run is not None and not session.worker.is_busy)
    truck = _dragged(app, window, c_tick_ns, "crafts.truck.parts.tires.side_grip", 0.9, count)
    for name, (whole, computed, bare, c_tick, worlds), aims in (
        ("dial to picture, 10 s at 240 ticks/s", sled, ("18000", "3500")),
        ("the same with the ferry", ferry, ("", "")),
        ("the same with the ice truck", truck, ("", "")),
    ):
        for what, times, aim in ((name, whole, aims[0]), ("  of it until the answer is there", computed, aims[1])):
            median, tail = np.percentile(times, [50, 95])
            counted = f"{median / c_tick * 1e9:.0f} ticks of the C loop" + (f", aim {aim}" if aim else "")
            beyond = f"; {(median - bare) / c_tick * 1e9:.0f} beyond the bare re-run, aim 15000"
            twins = f" of {worlds} worlds" if worlds > 1 else ""
            line(
                what,
                f"{median * 1e3:.1f} ms",
                f"bare re-run{twins} {bare * 1e3:.1f} ms",
                median / bare,
                f"{counted}{beyond if times in (ferry[0], truck[0]) else ''}; 95 % under {tail * 1e3:.1f} ms",
            )
    program.finish(app, window)


def _dragged(
    app: QApplication, window: Window, c_tick_ns: Callable[[], float], path: str, first: float, count: int
) -> tuple[list[float], list[float], float, float, int]:
    """s from each movement of a dial until all is painted, and until its answer is there; s of a bare re-run of it and
    of its twins beside it; ns of a tick of the C loop meanwhile; and how many worlds are re-run."""
    session = window.session
    program.until(app, lambda: not session.worker.is_busy)
    program.settle(app, 1.0)
    arrived: list[float] = []
    # connected before the bench draws it: the session is told after this
    session.worker.finished.disconnect()
    session.worker.finished.connect(lambda _: arrived.append(time.perf_counter()))
    session.worker.finished.connect(session.take)
    whole, computed, in_c = [], [], []
    for place in range(count):
        if place % 10 == 0:
            registers_cleaner()()  # as the kernel has it
            in_c += [c_tick_ns() for _ in range(6)][1:]  # the first finds its memory cold
        arrived.clear()
        began = time.perf_counter()
        session.preview(path, first * (1.0 + 0.006 * place))
        while not arrived:  # sleeps until something comes: a spinning loop would fight the worker for the interpreter
            app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
        # the answer that came is shown in the same turn; what is left is painting
        app.processEvents()
        whole.append(time.perf_counter() - began)
        computed.append(arrived[0] - began)
    session.cancel()
    program.until(app, lambda: not session.worker.is_busy)
    jobs = (session.job(), *session.twin_jobs())
    bare = []
    with ThreadPoolExecutor(len(jobs)) as pool:
        for _ in range(10):
            began = time.perf_counter()
            list(pool.map(run.execute, jobs))
            bare.append(time.perf_counter() - began)
    return whole, computed, float(np.median(bare)), float(np.median(in_c)), len(jobs)


def preview(count: int) -> None:
    """The puck is pulled on its sling: from a movement of the pointer to the path drawn over the picture."""
    app, window = program.ready_window("demo:puck")
    view, hand = window.view, window.view.hand
    view.fit()
    window.session.shown.set_time(0.0)
    program.settle(app, 1.0)
    run_, camera = window.session.shown.run, view.pane.camera
    assert run_ is not None
    assert camera is not None
    px, _ = camera.project(run_.columns("position.x", "position.y", "position.z")[0])
    at = QPointF(*px[0])
    window.session.worker.ask = lambda *_, **__: None  # type: ignore[method-assign]  # the re-run is timed above
    hand.press(at, camera, run_, 0)
    whole, computed = [], []
    picture = QImage(view.size(), QImage.Format.Format_ARGB32_Premultiplied)
    for place in range(count):
        spot = at + QPointF(-20.0 - 0.2 * place, 10.0 * np.sin(0.1 * place))
        began = time.perf_counter()
        hand.aim(spot, camera, run_)
        computed.append(time.perf_counter() - began)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        hand.paint(painter, camera)
        painter.end()
        whole.append(time.perf_counter() - began)
    hand.cancel()
    median, tail = np.percentile(whole, [50, 95]) * 1e3
    bare = float(np.median(computed)) * 1e3
    line(
        "preview of a sling, pointer to path",
        f"{median:.1f} ms",
        f"computing it {bare:.1f} ms",
        median / bare,
        f"aim 4 ms; 95 % under {tail:.1f} ms; {paths.LOOK_AHEAD_S:.0f} s of path with its bounces",
    )
    program.finish(app, window)


def live(seconds: float) -> None:
    """Drives with keys at 1280x800 with traces running: one craft, and two in one world, each on its own keys."""
    one, two = ("W", "A", "D"), ("W", "A", "D", "Up", "Left", "Right")
    drives = (("", "straight_pull", one), ("demo:shunting", "", two))
    for yard, drill, keys in drives:
        app, window = program.ready_window(yard) if yard else _window()
        if drill:
            window.session.choose("drill", drill)
        program.settle(app, 0.5)
        painted: list[float] = []
        window.set_driving(True)
        window.driver.frame.connect(lambda painted=painted: painted.append(time.perf_counter()))
        for key in keys[::3]:
            program.press(window, key, True)
        began = time.perf_counter()
        turn = 0
        while time.perf_counter() - began < seconds:
            app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
            if int(time.perf_counter() - began) > turn:
                turn += 1
                for left, right in zip(keys[1::3], keys[2::3], strict=True):
                    program.press(window, left if turn % 4 < 2 else right, turn % 2 == 1)
        gaps = np.diff(painted)
        crafts = len(window.driver.crafts())
        window.set_driving(False)
        rate = len(gaps) / float(np.sum(gaps))
        renderer = window.renderer.name if window.renderer else "none"
        half = " at reduced resolution" if window.view._half else ""
        line(
            f"live driving at 1280x800, {crafts} craft{'' if crafts == 1 else 's'}",
            f"{rate:.0f} frames/s",
            "timer of 62.5 frames/s",
            rate / 62.5,
            f"aim 0.9; longest frame of {seconds:.0f} s {gaps.max() * 1e3:.0f} ms; {renderer}{half}",
        )
        program.finish(app, window)


def input_to_frame(count: int) -> None:
    """A key is pressed while the sled is driven, at any moment of a frame: until a picture shows a tick that had it."""
    app, window = _window()
    window.session.choose("drill", "straight_pull")
    program.settle(app, 0.5)
    window.set_driving(True)
    dice, seen, waits = np.random.default_rng(1), list[float](), list[float]()

    def framed() -> None:
        shown = window.session.shown.run
        if not seen and shown is not None and traces.values(shown, "channel.throttle")[-1] > 0.0:
            window.view.repaint()
            seen.append(time.perf_counter())

    window.driver.frame.connect(framed)
    program.settle(app, 1.0)
    for _ in range(count):
        program.settle(app, 0.1 + 0.05 * float(dice.random()))
        seen.clear()
        began = time.perf_counter()
        program.press(window, "W", True)
        program.until(app, lambda: bool(seen), 2.0)
        waits.append(seen[0] - began)
        program.press(window, "W", False)
        program.settle(app, 0.4)
    window.set_driving(False)
    median, tail = np.percentile(waits, [50, 95]) * 1e3
    line(
        "key to the frame that shows it",
        f"{median:.1f} ms",
        f"a frame of the display {FRAME_MS:.1f} ms",
        median / FRAME_MS,
        f"aim 2; 95 % under {tail:.1f} ms; no delay set",
    )
    program.finish(app, window)


def two_pictures(count: int) -> None:
    """Two crafts filmed side by side, moved through their drill, against one picture of each; all in turn."""
    app, window = program.ready_window("demo:ice-tugs")
    view, session = window.view, window.session
    window.view.choose_camera("chase")
    shown = session.shown.run
    assert shown is not None
    mate = view.others(shown)[0][0].job.single.id
    times: dict[str, list[float]] = {"": [], mate: []}
    for place in range(count):
        session.shown.set_time(shown.duration * place / count)
        for who, found in times.items():
            view.show_second(who)
            began = time.perf_counter()
            view.repaint()
            found.append((time.perf_counter() - began) * 1e3)
    alone, both = (float(np.median(found)) for found in times.values())
    line(
        "two pictures side by side",
        f"{both:.1f} ms",
        f"one picture {alone:.1f} ms",
        both / alone,
        "aim 2.0: two passes of half the size, and nothing else twice",
    )
    program.finish(app, window)


def side_by_side(count: int) -> None:
    """49 ferries beside one another under one drill, moved through it: a frame is whatever the window paints for it."""
    app, window = program.ready_window("demo:ferry")
    page, session = window.spread_page, window.session
    window.show_page("Spread")
    session.choose("drill", "settle")
    page.beside_button.click()
    program.until(app, lambda: len(page.beside.made) > 0, 60.0)
    program.settle(app, 1.0)
    times = []
    for place in range(count):
        began = time.perf_counter()
        session.shown.set_time(session.shown.run.duration * place / count if session.shown.run is not None else 0.0)
        app.processEvents()
        times.append(time.perf_counter() - began)
    rate = 1.0 / float(np.median(times))
    line(
        f"{len(page.beside.made)} variants side by side",
        f"{rate:.0f} frames/s",
        "30 frames/s",
        rate / 30.0,
        "aim 1.0, more is better",
    )
    program.finish(app, window)


def paints() -> None:
    """Every paint of every page with the heaviest yard, while the cursor is scrubbed and after an edit."""
    app, window = program.ready_window()
    session = window.session
    session.open(heavy.heavy_yard(), (), None)
    program.until(app, lambda: session.shown.run is not None and not session.worker.is_busy, 120.0)
    picture = QImage(window.size(), QImage.Format.Format_RGB32)
    picture.fill(0)
    blank = _blank_ms(picture)
    for page in PAGE_NAMES:
        window.show_page(page)
        program.settle(app, 0.6)
        scrubbed: list[float] = []
        for k in range(5):
            session.shown.set_time(20.0 + k)
            app.processEvents()
            scrubbed += _each_widget(window)
        session.edit(f"grounds.{session.ground.id}.blocks.block_7.x", 500.0, card=False)
        edited = _each_widget(window)
        program.until(app, lambda: not session.worker.is_busy, 120.0)
        line(
            f"slowest paint, page {page}",
            f"{max(scrubbed):.1f} ms",
            f"filling the window {blank:.2f} ms",
            max(scrubbed) / blank,
            f"aim 30 ms; right after an edit {max(edited):.1f} ms; {heavy.BLOCKS} blocks, drill of {heavy.SECONDS:g} s",
        )
    program.finish(app, window)


def _blank_ms(picture: QImage) -> float:
    began = time.perf_counter()
    for _ in range(20):
        painter = QPainter(picture)
        painter.fillRect(picture.rect(), 0)
        painter.end()
    return (time.perf_counter() - began) / 20.0 * 1e3


def _each_widget(window: Window) -> list[float]:
    """ms that each widget in sight takes to paint itself and what lies in it."""
    found = []
    for widget in window.findChildren(QWidget):
        if widget.isVisible():
            began = time.perf_counter()
            widget.repaint()
            found.append((time.perf_counter() - began) * 1e3)
    return found
