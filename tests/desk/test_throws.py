"""Slings pulled, bodies poked, shots and volumes seen: in the real window, with the pointer."""

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtTest import QTest

from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.project import demos
from oak_sled.core.results import flights
from oak_sled.desk.app import program
from oak_sled.desk.widgets import screenshot
from oak_sled.desk.yardview import throws


def open_demo(window, idle, name, drill=""):
    window.session.open(demos.load(name), (), None)
    idle()
    if drill:
        window.session.choose("drill", drill)
        idle()
    window.view.fit()
    window.view.repaint()


def craft_at(window):
    """Where the craft is in the view, px, at the start."""
    run = window.session.shown.run
    px, _ = window.view.pane.camera.project(run.columns("position.x", "position.y", "position.z")[0])
    return QPointF(*px[0]).toPoint()


def pulled(window, start, by, released=True):
    """Drags in the view from one px by so many."""
    QTest.mousePress(window.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    for k in range(1, 9):
        QTest.mouseMove(window.view, start + QPoint(by.x() * k // 8, by.y() * k // 8))
    if released:
        QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start + by)


def test_the_puck_is_pulled_back_in_the_view_and_the_drill_follows(window, idle):
    open_demo(window, idle, "puck")
    window.session.shown.set_time(0.0)
    window.view.repaint()
    before = window.session.drill.events[0]
    pulled(window, craft_at(window), QPoint(-60, 10), released=False)
    hand = window.view.hand
    assert hand.grip is not None
    assert len(hand.path) > 100
    assert "pull" in hand.words()
    event = window.session.drill.events[0]
    assert event != before, "the drill is re-run while it is pulled"
    idle()
    QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, craft_at(window))
    assert window.session.history.undo_label == "pull the sling"
    idle()
    run = window.session.shown.run
    row = run.at(event.t) + 2
    way = -np.array([event.x, event.y]) / math.hypot(event.x, event.y)
    went = run.columns("velocity.x", "velocity.y")[row]
    assert went / np.linalg.norm(went) == pytest.approx(way, abs=0.02)
    window.session.undo()
    assert window.session.drill.events[0] == before


def test_the_preview_while_pulling_is_the_path_of_the_run(window, idle):
    open_demo(window, idle, "puck")
    window.session.shown.set_time(0.0)
    window.view.repaint()
    pulled(window, craft_at(window), QPoint(-50, 14), released=False)
    seen = window.view.hand.path
    window.view.hand.release(window.view.pane.camera)
    idle()
    run = window.session.shown.run
    row = run.at(window.session.drill.events[0].t)
    ran = run.columns("position.x", "position.y", "position.z")[row:]
    count = min(len(seen), len(ran))
    assert np.max(np.linalg.norm(seen[:count] - ran[:count], axis=1)) < 0.01


def test_escape_lets_go_without_a_push(window, idle):
    open_demo(window, idle, "puck")
    window.session.shown.set_time(0.0)
    window.view.repaint()
    before = window.session.yard
    pulled(window, craft_at(window), QPoint(-60, 10), released=False)
    QTest.keyClick(window.view, Qt.Key.Key_Escape)
    assert window.view.hand.grip is None
    assert window.session.yard == before


def test_a_pull_past_the_cap_is_said(window, idle):
    open_demo(window, idle, "puck")
    window.session.shown.set_time(0.0)
    window.view.repaint()
    pulled(window, craft_at(window), QPoint(-160, 60), released=False)
    assert "past its cap" in window.view.hand.words()
    window.view.hand.release(window.view.pane.camera)
    idle()
    assert any(caution.name == "pull_past_cap" for caution in window.session.shown.warned)


def test_a_drag_beside_the_craft_turns_the_view_as_ever(window, idle):
    open_demo(window, idle, "puck")
    turned = window.view.rig.turn_deg
    before = window.session.yard
    pulled(window, craft_at(window) + QPoint(150, -60), QPoint(60, 0))
    assert window.view.rig.turn_deg != turned
    assert window.session.yard == before


def test_a_block_is_poked_by_a_drag_and_by_a_click(window, idle):
    open_demo(window, idle, "shove")
    window.session.shown.set_time(0.0)
    QTest.keyClick(window, Qt.Key.Key_P)
    assert window.playbar.poke.isChecked()
    window.view.repaint()
    run = window.session.shown.run
    px, _ = window.view.pane.camera.project(
        run.columns("block.light.position.x", "block.light.position.y", "block.light.position.z")[0]
    )
    at = QPointF(*px[0]).toPoint()
    pulled(window, at, QPoint(40, 0))
    event = window.session.drill.events[-1]
    assert (event.what, event.target) == ("poke", "light")
    assert math.hypot(event.x, event.y) > 20.0
    assert window.session.history.undo_label == "poke light"
    idle()
    flight = flights.of_block(window.session.shown.run, "light")
    assert flight.start < 0.1
    window.session.undo()
    idle()
    window.view.repaint()
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=at)
    event = window.session.drill.events[-1]
    assert math.hypot(event.x, event.y, event.z) == pytest.approx(80.0, rel=0.01), "40 kg by 2 m/s"


def test_a_poke_into_nothing_says_what_to_do(window, idle):
    open_demo(window, idle, "shove")
    window.playbar.poke.setChecked(True)
    before = window.session.yard
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=QPoint(window.view.width() - 20, 20))
    assert window.session.yard == before
    assert "press on the craft or a dynamic block" in window.notice.words.text()


def test_a_live_drive_is_slung_and_poked_and_kept_as_it_was(window, idle, qtbot):
    open_demo(window, idle, "puck")
    window.set_driving(True)
    qtbot.waitUntil(lambda: window.session.shown.run.ticks > 10, timeout=10_000)
    window.view.repaint()
    camera = window.view.pane.camera
    place = window.session.shown.run.columns("position.x", "position.y", "position.z")[-1]
    px, _ = camera.project(place)
    at = QPointF(*px[0]).toPoint()
    pulled(window, at, QPoint(-200, 60))
    qtbot.waitUntil(
        lambda: np.max(np.abs((run := window.session.shown.run).record.row(run.ticks)[7:9])) > 0.8,
        timeout=20_000,
    )
    window.set_driving(False)
    kept = window.session.shelf.cards[0].run
    assert [event.what for event in kept.job.drill.events] == ["hold", "release"]
    name = window.driver.keep_as_drill(kept.job.drill)
    idle()
    assert window.session.yard.bench.drill == name
    assert window.session.shown.run.record.row(kept.ticks).tolist() == kept.record.row(kept.ticks).tolist(), (
        "bit for bit"
    )


def test_an_impulse_is_charged_with_its_key(window, idle, qtbot):
    open_demo(window, idle, "puck")
    window.set_driving(True)
    program.press(window, "Space", True)
    qtbot.waitUntil(lambda: window.session.shown.run.duration > 0.6, timeout=10_000)
    assert np.all(window.session.shown.run.column("velocity.x") == 0.0)
    program.press(window, "Space", False)
    qtbot.waitUntil(lambda: abs(window.session.shown.run.column("velocity.x")[-1]) > 0.5, timeout=10_000)
    window.set_driving(False)


def test_shots_their_trails_and_bursts_are_there_to_be_drawn(window, idle):
    open_demo(window, idle, "mortar")
    run = window.session.shown.run
    half = run.at(1.0)
    flying = throws.flights(run, half)
    assert len(flying) == 3
    assert all(still for _, _, still in flying)
    assert all(np.all(np.diff(places[:, 0]) > 0.0) for _, places, _ in flying)
    done = throws.flights(run, run.ticks)
    assert len(done) == 3
    assert not any(still for _, _, still in done)
    from oak_sled.core.results import moments

    row = next(event.row for event in moments.events(run) if event.word == "burst")
    ((place, reach, ago),) = throws.bursts(run, row)
    assert place[0] > 20.0
    assert (reach, ago) == (run.job.craft.parts[1].reach, 0.0)
    assert throws.bursts(run, row - 1) == []


@pytest.mark.parametrize("volume", ["box", "ball", "cone"])
def test_a_volume_is_drawn_as_far_as_it_reaches(volume):
    part = Knockback(id="k", volume=volume, reach=6.0, width=2.0, height=1.0, angle_deg=40.0, x=0.5)
    lines = np.concatenate(part.outline()) - [0.5, 0.0, 0.0]
    assert lines[:, 0].max() == pytest.approx(6.0, abs=0.05)
    if volume != "box":
        assert np.linalg.norm(lines, axis=1).max() == pytest.approx(6.0)
    side = part.replace(azimuth_deg=90.0).outline()
    assert np.concatenate(side)[:, 1].max() == pytest.approx(6.0, abs=0.05)


@pytest.mark.parametrize(("name", "time"), [("mortar", 1.0), ("mortar", 2.2), ("shove", 0.6), ("puck", 0.6)])
def test_the_view_the_plan_and_the_measures_show_a_throw(window, idle, name, time):
    open_demo(window, idle, name)
    window.session.shown.set_time(time)
    window.view.repaint()
    with_it = screenshot.settled(window.view)
    ink = 0
    for x in range(0, with_it.width(), 3):
        for y in range(0, with_it.height(), 3):
            colour = with_it.pixelColor(x, y)
            ink += colour.red() > 150 and colour.green() < 110 and colour.blue() < 90
    assert ink > 3, "something vermilion: a trail, a volume, a flash"
    for pane in ("Plan", "Measures"):
        window.show_pane(pane)
        assert not screenshot.settled(window.stack.currentWidget()).isNull()


def test_the_table_of_the_flung_and_their_traces_stand_side_by_side(window, idle):
    open_demo(window, idle, "shove")
    assert [flight.name for flight in window.measures.flung()] == ["light", "middling", "heavy"]
    assert window.traces.names[:2] == ["launch speed", "launch height"]
    assert "launch_speed" not in [known.name for known in window.measures.shown()]
    window.session.open(demos.load("fan-sled"), (), None)
    idle()
    assert window.traces.names[0] == "speed"
    assert window.measures.flung() == ()


def test_the_view_frames_what_is_flung(window, idle):
    window.session.open(demos.load("mortar"), (), None)
    idle()
    window.view.repaint()
    run = window.session.shown.run
    px, depth = window.view.pane.camera.project(
        run.columns("block.snow_1_5.position.x", "block.snow_1_5.position.y", "block.snow_1_5.position.z")[0]
    )
    assert depth[0] > 0.0
    assert 0 < px[0][0] < window.view.width()
    assert 0 < px[0][1] < window.view.height()


def test_the_hand_paints_over_the_picture_that_is_there(window, idle):
    open_demo(window, idle, "puck")
    window.session.shown.set_time(0.0)
    window.view.repaint()
    pulled(window, craft_at(window), QPoint(-60, 10), released=False)
    picture = QImage(window.view.size(), QImage.Format.Format_ARGB32)
    picture.fill(0)
    painter = QPainter(picture)
    window.view.hand.paint(painter, window.view.pane.camera)
    painter.end()
    drawn = sum(
        picture.pixelColor(x, y).alpha() > 0
        for x in range(0, picture.width(), 2)
        for y in range(0, picture.height(), 2)
    )
    assert drawn > 60
    window.view.hand.cancel()


def test_the_help_and_the_menus_know_the_new_page_and_the_poke(window):
    assert window.acts["page_Drill"].shortcut().toString() == "F4"
    assert window.acts["poke"].shortcut().toString() == "P"
