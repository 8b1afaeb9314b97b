"""What the screen shows is true: after every action, a full repaint of the window changes no pixel.

The guard of every screen. It reads the screen of a server with a window manager, never a widget painted anew.
"""

from __future__ import annotations

import contextlib

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from oak_sled.core.project import demos
from oak_sled.desk.app.places import PAGE_NAMES, PANE_NAMES
from oak_sled.desk.drill.channelpaint import Pick
from oak_sled.desk.widgets import overlays, screenshot
from oak_sled.desk.widgets.dialwidget import DialWidget


def quiet(qtbot, window) -> None:
    """Until nothing is computed, nothing moves, and the server has shown it."""
    view, session = window.view, window.session
    busy = lambda: session.worker.is_busy or session.background.is_busy  # noqa: E731
    still = lambda: not view._still.isActive() and not view._stale and not view._begun  # noqa: E731
    for _ in range(4):  # what is painted may ask for something that is found beside the window
        qtbot.waitUntil(lambda: not busy(), timeout=60_000)
        if view.isVisible() and not session.shown.live_on:
            qtbot.waitUntil(still, timeout=20_000)
        for _ in range(3):
            QTest.qWait(8)  # the server is another process: it has no signal to wait for
            window.windowHandle().requestUpdate()
        if not busy():
            break


def repainted(qtbot, window) -> np.ndarray:
    """The screen after every widget was made to paint itself anew."""
    if not window.session.shown.live_on:
        window.view.refresh()
    screenshot.ask_repaint(window)
    quiet(qtbot, window)
    return screenshot.pixels(window)


class Walker:
    """Does one item after the other, and compares the screen with a full repaint after each."""

    def __init__(self, qtbot, window):
        self.qtbot, self.window = qtbot, window
        self.done: list[str] = []
        self.stale: list[str] = []

    def __call__(self, what: str, act) -> None:
        act()
        self.done.append(what)
        quiet(self.qtbot, self.window)
        shown = screenshot.pixels(self.window)
        wrong = screenshot.stale(shown, repainted(self.qtbot, self.window), self.window)
        if wrong:
            self.stale.append(f"{what}: {wrong}")


@pytest.fixture
def walk(qtbot, window, monkeypatch):
    made = Walker(qtbot, window)
    monkeypatch.setattr(overlays, "SAID_MS", 10**8)  # a line that fades by the clock is no stale pixel
    monkeypatch.setattr(overlays, "FAULT_MS", 10**8)
    window.view._still.setInterval(15)
    yield made
    assert not made.stale, "stale on the screen after:\n" + "\n".join(made.stale)


def drag_dial(window, name: str, by: int, released: bool = True) -> None:
    dial = window.desk.findChild(DialWidget, name)
    at = QPoint(dial.width() // 2, dial.height() // 2)
    QTest.mousePress(dial, Qt.MouseButton.LeftButton, pos=at)
    for k in range(1, 5):
        QTest.mouseMove(dial, at + QPoint(by * k // 4, 0))
    if released:
        QTest.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=at + QPoint(by, 0))


def open_demo(window, name: str):
    def act():
        window.session.open(demos.load(name), (), None)

    return act


def choose_drill(window, name: str):
    return lambda: window.session.choose("drill", name)


def test_every_pane_page_and_dial_of_the_bench(window, walk):
    session = window.session
    walk("start", lambda: None)
    walk("scrub", lambda: session.shown.set_time(3.1))
    walk("second cursor", lambda: session.shown.set_second_time(2.0))
    walk("scrub on", lambda: session.shown.set_time(6.4))
    for pane in PANE_NAMES:
        walk(f"pane {pane}", lambda pane=pane: window.show_pane(pane))
        walk(f"scrub on {pane}", lambda: session.shown.set_time(session.shown.time + 0.7))
    window.show_pane("Traces")
    walk("drag a dial, held", lambda: drag_dial(window, "dial_fan_thrust", 40, released=False))
    walk("let the dial go", lambda: session.commit("fan thrust"))
    walk("another dial", lambda: drag_dial(window, "dial_runners_side_grip", -30))
    walk("undo", session.undo)
    walk("undo again", session.undo)
    walk("redo", session.redo)
    walk("mute", lambda: session.edit("crafts.fan_sled.parts.fan.mute", True))
    walk("open a strip", lambda: window.desk.open_strip("runners"))
    walk("scrub with the strip open", lambda: session.shown.set_time(1.5))
    walk("close the strip", lambda: window.desk.open_strip("runners"))
    walk("pin a card", lambda: session.shelf.change_card(session.shelf.cards[-1].id, "pin", pinned=True))
    walk("load a card", lambda: session.look_at(session.shelf.cards[-1].id))
    walk("compare", lambda: window.show_comparison(session.shelf.cards[-1], session.shelf.cards[0]))
    walk("close the comparison", window.hide_comparison)
    walk("drop a card", lambda: session.shelf.drop_card(session.shelf.cards[0].id))
    walk("zoom the traces", lambda: window.traces.zoom(0.4, 2.0))
    walk("pan the traces", lambda: window.traces.pan(0.5))
    walk("the whole run", window.traces.show_all)
    walk("longer arrows", lambda: window.view.set_scale(1.5))
    walk("fewer traces", lambda: window.traces.set_names(["speed", "forces"]))
    walk("the keys", window.toggle_sheet)
    walk("the keys away", window.toggle_sheet)
    walk("inputs", window.toggle_inputs)
    walk("inputs and a line", lambda: session.say("a line at the foot of the view"))
    walk("inputs away", window.toggle_inputs)
    walk("night colours", window.toggle_night)
    walk("scrub at night", lambda: session.shown.set_time(4.0))
    walk("day colours", window.toggle_night)
    assert len(walk.done) >= 40


def test_every_demo_drill_camera_and_page(window, walk):
    session = window.session
    for name in demos.DEMOS:
        walk(f"open {name}", open_demo(window, name))
        for drill in session.yard.drills[:8]:
            walk(f"{name}: {drill.id}", choose_drill(window, drill.id))
        for page in PAGE_NAMES:
            walk(f"{name}: page {page}", lambda page=page: window.show_page(page))
        window.show_page("Bench")
    for camera in ("chase", "side", "top", "ride", "orbit"):
        walk(f"camera {camera}", lambda camera=camera: window.playbar.choose(camera))
    walk("fit", window.playbar.fit)
    walk("a blank yard", window.filing.new_yard)
    with contextlib.suppress(KeyError):
        walk("its drill page", lambda: window.show_page("Drill"))


def test_driving_working_on_the_pages_and_resizing(qtbot, window, walk):
    session = window.session
    window.set_driving(True)

    def hold(seconds: float):
        def act():
            ticks = window.driver.drive.ticks + seconds * session.yard.ticks
            qtbot.waitUntil(lambda: window.driver.drive.ticks >= ticks, timeout=30_000)
            if not window.driver.paused:
                window.toggle_hold()

        return act

    walk("held after a second", hold(1.0))
    window.toggle_hold()
    QTest.keyPress(window.view, Qt.Key.Key_W)
    walk("held with a key down", hold(1.0))
    QTest.keyRelease(window.view, Qt.Key.Key_W)
    walk("one tick", window.step)
    walk("stop", lambda: window.set_driving(False))
    walk("keep the drive as a drill", lambda: window.keep_drill(session.shelf.cards[0].id))
    walk("the drill page", lambda: window.show_page("Drill"))
    strips = window.drill_page.strips
    walk("pick a track", lambda: strips.choose(Pick("track", session.craft.channels[0].id)))
    walk("add a knot", lambda: strips.put_knot(session.craft.channels[0].id, 0.5, 0.5))
    walk("undo the knot", session.undo)
    walk("scrub on the page", lambda: session.shown.set_time(1.0))
    walk("zoom the strips", lambda: setattr(strips, "span", (0.0, 1.0)) or strips.update())
    walk("the quay", open_demo(window, "quay"))
    walk("the ground page", lambda: window.show_page("Ground"))
    plan = window.ground_page.plan
    walk("pick a block", lambda: plan.choose([f"blocks.{session.ground.blocks[0].id}"]))

    def move_it():
        block = session.ground.blocks[0]
        at = plan.at(block.x, block.y)
        QTest.mousePress(plan, Qt.MouseButton.LeftButton, pos=at.toPoint())
        for k in range(1, 5):
            QTest.mouseMove(plan, (at + QPointF(6 * k, 3 * k)).toPoint())
        QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=(at + QPointF(24, 12)).toPoint())

    walk("drag it", move_it)
    walk("undo the drag", session.undo)
    walk("the bench", lambda: window.show_page("Bench"))
    walk("narrower", lambda: window.resize(1100, 700))
    walk("wider", lambda: window.resize(1300, 820))
    walk("as it was", lambda: window.resize(1280, 800))
    assert len(walk.done) >= 20


def test_no_curve_of_another_yard_is_left_while_the_new_one_runs(window, idle, monkeypatch):
    monkeypatch.setattr(window.session.worker, "ask", lambda *_, **__: None)
    window.session.open(demos.load("quay"), (), None)
    assert window.session.shown.run is None
    assert not any(plot.lines or plot.ghosts for plot in window.traces.plots)
    monkeypatch.undo()
    window.session.runs.rerun()
    idle()
    assert len(window.traces.plots[0].lines[0].points) > 1


def test_choosing_what_is_there_already_changes_nothing_on_the_screen(window, walk):
    session = window.session
    session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    quiet(walk.qtbot, window)
    assert session.shown.ghost is not None
    walk("choose the drill that is there", choose_drill(window, session.drill.id))
    assert session.shown.ghost is not None
