"""The ice truck as a user works on it: driven, its curves bent, its aids switched, and asked why."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest

from oak_sled.core.advice import grips
from oak_sled.core.results import traces
from oak_sled.desk.yardview import figures, marks


@pytest.fixture
def window(reopened):
    """One window for all tests here: each opens the truck anew."""
    return reopened("ice-truck")


@pytest.fixture
def session(window, idle):
    idle()
    return window.session


def choose(window, idle, drill):
    window.session.choose("drill", drill)
    idle()


@pytest.fixture
def opened(window, idle, qapp):
    """Opens the strip of a part of the truck, and gives it."""
    left = []

    def open_it(name):
        idle()
        window.desk.open_strip(name)
        left.append(name)
        qapp.processEvents()  # laid out
        return next(strip for strip in window.desk.strips if strip.name == name)

    yield open_it
    for name in left:
        window.desk.open_strip(name)


def part(session, name):
    return next(one for one in session.craft.parts if one.id == name)


def test_a_drill_brings_the_craft_that_it_names(window, session, idle):
    choose(window, idle, "roll_over")
    assert session.craft.id == "high_freight"
    assert session.shown.run.job.craft.id == "high_freight"
    assert abs(session.shown.run.column("rotation.x")).max() > 0.4, "it tips"
    session.choose("craft", "low_freight")
    idle()
    assert session.shown.run.job.drill.id == "roll_over"
    assert session.shown.run.job.craft.id == "low_freight", "and another may take its place"


def test_the_open_strip_of_tires_shows_every_wheel_at_the_cursor(window, session, opened, idle):
    choose(window, idle, "step")
    drawing = opened("tires").tires
    session.shown.set_time(3.0)
    assert len(drawing.wheels) == 4
    row = session.shown.row
    for wheel, name in zip(drawing.wheels, session.shown.run.layout.own.tires, strict=True):
        assert wheel.load == session.shown.run.column(f"{name}.force")[row]
        assert wheel.slip_deg == pytest.approx(np.degrees(abs(session.shown.run.column(f"{name}.slip_angle")[row])))
    outer = [wheel.load for wheel in drawing.wheels if "right" in wheel.word]
    assert min(outer) > max(wheel.load for wheel in drawing.wheels if "left" in wheel.word), "it turns to the left"
    said = drawing.accessibleDescription()
    assert "front left" in said
    session.shown.set_time(0.5)
    assert drawing.accessibleDescription() != said
    assert len(drawing.visited) > 100
    on_curve = np.interp(drawing.visited[:, 0], grips.SLIPS_DEG, drawing.curve)
    steady = np.abs(drawing.visited[:, 1] - on_curve) < 0.12
    assert steady.mean() > 0.9, "what was visited lies on the law but for the build-up of the force"


def test_a_knot_is_dragged_while_the_drill_re_runs_and_undone(window, session, opened, idle, drag):
    choose(window, idle, "pull")
    editor = opened("drive").editors[0]
    before, slow = part(session, "drive").curve, session.shown.found["time_to_10"]
    start = editor.place_of(*editor.points[1])
    drag(editor, start, start + QPointF(0, 40))
    idle()
    lowered = part(session, "drive").curve[1]
    assert lowered.share < before[1].share - 0.2
    assert session.shown.found["time_to_10"] > slow
    assert editor.points[1][1] == lowered.share
    window.acts["undo"].trigger()
    idle()
    assert part(session, "drive").curve == before
    assert session.shown.found["time_to_10"] == slow


def test_knots_are_added_removed_typed_and_pasted(window, session, opened, idle):
    editor = opened("drive").editors[0]
    count = len(editor.points)
    middle = 0.5 * (editor.points[0][0] + editor.points[1][0])
    QTest.mouseDClick(editor, Qt.MouseButton.LeftButton, pos=editor.place_of(middle, 0.5).toPoint())
    idle()
    assert len(part(session, "drive").curve) == count + 1
    assert part(session, "drive").curve[1].share == pytest.approx(0.5, abs=0.03)
    QTest.keyClick(editor, Qt.Key.Key_Delete)
    idle()
    assert len(part(session, "drive").curve) == count
    QTest.keyClick(editor, Qt.Key.Key_Left)
    QTest.keyClick(editor, Qt.Key.Key_Up)
    idle()
    assert part(session, "drive").curve[0].share == pytest.approx(0.9)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    entry = editor._entry
    entry.selectAll()
    QTest.keyClicks(entry, "1.5, 0.7")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    idle()
    assert (part(session, "drive").curve[0].speed, part(session, "drive").curve[0].share) == (1.5, 0.7)
    QGuiApplication.clipboard().setText("speed; share\n0; 1\n10; 0.5\n30; 0")
    editor.paste()
    idle()
    assert [(knot.speed, knot.share) for knot in part(session, "drive").curve] == [(0, 1), (10, 0.5), (30, 0)]


@pytest.mark.parametrize("text", ["0, 1\n5, much", "3, 1", "0, 1\n0, 2", "-4, 1\n5, 1"])
def test_points_that_cannot_be_are_a_line_and_leave_the_curve(window, session, opened, text):
    said = []
    session.said.connect(lambda words, fault: said.append((words, fault)))
    editor, before = opened("drive").editors[0], part(session, "drive").curve
    QGuiApplication.clipboard().setText(text)
    editor.paste()
    assert said[-1][1]
    assert part(session, "drive").curve == before


def test_a_drawn_law_brings_its_curve_onto_the_strip(window, session, opened, idle):
    assert opened("tires").editors == []
    session.edit("crafts.truck.parts.tires.law", "curve")
    idle()
    strip = next(strip for strip in window.desk.strips if strip.name == "tires")
    assert [editor.field.name for editor in strip.editors] == ["curve"]
    session.edit("crafts.truck.parts.tires.law", "brush")
    idle()
    assert next(strip for strip in window.desk.strips if strip.name == "tires").editors == []


def test_the_curve_of_a_damper_is_dragged_and_shows_where_each_wheel_reads_it(window, session, opened, idle):
    wheels = next(one for one in session.craft.parts if one.kind == "wheel")
    editor = opened(wheels.id).editors[0]
    assert (editor.field.name, len(editor.marks)) == ("damper_curve", 4)
    low, high = editor.used
    assert 0.0 <= low <= min(editor.marks)
    assert max(editor.marks) <= high
    marks, digest = editor.marks, session.shown.run.digest
    session.shown.set_time(session.shown.run.job.drill.event_time + 0.3)
    assert editor.marks != marks
    x, y = editor.points[1]
    start, end = (editor.place_of(x, share).toPoint() for share in (y, 0.4))
    QTest.mousePress(editor, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(editor, end)
    QTest.mouseRelease(editor, Qt.MouseButton.LeftButton, pos=end)
    idle()
    bent = part(session, wheels.id).damper_curve
    assert bent[1].share == pytest.approx(0.4, abs=0.02)
    assert session.shown.run.digest != digest
    window.acts["undo"].trigger()
    idle()
    assert session.shown.run.digest == digest


def test_why_follows_the_cursor_and_a_jump_is_a_place_to_go_to(window, session, idle):
    choose(window, idle, "drift")
    window.show_pane("Why")
    shown = window.why.list
    session.shown.set_time(3.0)
    first = shown.words()
    assert [answer.name for answer in shown.answers] == ["roll", "yaw", "speed"]
    assert any("rear tires sideways" in words for words in first)
    session.shown.set_time(0.5)
    assert shown.words() != first
    assert len(shown.jumps) > 2
    QTest.mouseClick(shown, Qt.MouseButton.LeftButton, pos=shown.place_of(1).center().toPoint())
    assert session.shown.row == shown.jumps[1].row
    QTest.keyClick(shown, Qt.Key.Key_Down)
    QTest.keyClick(shown, Qt.Key.Key_Return)
    assert session.shown.row == shown.jumps[2].row
    assert shown.jumps[2].cause in shown.accessibleDescription()
    window.show_pane("Traces")


def test_traces_of_all_wheels_stand_over_each_other(window, session, idle):
    window.traces.set_names(["grip used", "slip angles"])
    choose(window, idle, "drift")
    used = traces.values(session.shown.run, "tire.wheels.2.used")
    assert 95.0 < used.max() < 100.1
    names = [line for plot in window.traces.plots for line in plot.lines]
    assert len(names) == 8


def test_tires_leave_marks_only_where_they_slide_and_wheels_show_their_turn(window, session, idle):
    choose(window, idle, "handbrake_turn")
    run = session.shown.run
    found = marks.tire_marks(run, run.ticks, run.ticks)
    assert len(found) >= 2
    slid = run.column("wheels.2.slip") > 1.0
    rear = found[1] if len(found) == 4 else found[0]
    assert rear.sliding.mean() == pytest.approx(slid.mean(), abs=0.1)
    early = marks.tire_marks(run, run.ticks, 0)
    assert early[0].strength.min() == 1.0
    assert found[0].strength[0] < 0.7, "older marks fade"
    row = int(1.5 * run.job.ticks)
    steered = [wheel[2] for wheel in figures.wheels_of(run, row)]
    assert abs(steered[0]) > 0.1
    assert steered[1] == 0.0


def test_one_switch_mutes_every_aid_and_the_truck_slides_without(window, session, idle):
    choose(window, idle, "brake_in_turn")
    assert session.craft.id == "aided"
    calm = session.shown.found["peak_slip"]
    window.desk.toggle_aids()
    idle()
    assert session.shown.found["peak_slip"] > 2.0 * calm
    assert {one.id for one in session.craft.parts if one.mute} == {"yaw_damper", "slower", "counter", "limit"}


def test_the_side_grip_of_a_wheel_with_tires_is_said_to_do_nothing(window, session, opened):
    strip = opened("wheels")
    assert "tires" in strip.dials["side_grip"].idle
    assert strip.dials["stiffness"].idle == ""


def test_it_is_driven_by_keys_turns_and_stops(window, session, idle, qtbot):
    window.set_driving(True)
    recorder = window.driver.drive.recorder

    def hold(keys, seconds):
        for key in keys:
            QTest.keyPress(window, key)
        wanted = len(recorder) + int(seconds * session.yard.ticks)
        qtbot.waitUntil(lambda: len(recorder) >= wanted, timeout=60_000)
        for key in keys:
            QTest.keyRelease(window, key)

    hold([Qt.Key.Key_W], 1.5)
    fast = np.linalg.norm(recorder.recent()[-1][7:10])
    hold([Qt.Key.Key_W, Qt.Key.Key_A], 1.0)
    hold([Qt.Key.Key_Space], 5.0)
    window.set_driving(False)
    idle()
    assert fast > 9.0
    assert np.abs(traces.values(session.shown.run, "heading")).max() > 5.0
    assert traces.values(session.shown.run, "speed")[-1] < 1.0


def test_a_curve_is_shared_bent_for_all_and_made_its_own_again(window, session, opened, idle):
    said = []
    session.said.connect(lambda words, fault: said.append(words))
    editor = opened("steering").editors[0]
    assert "its own" in editor.accessibleDescription()
    editor.sharing.emit("share")
    idle()
    name = part(session, "steering").limit_of
    editor = next(strip for strip in window.desk.strips if strip.name == "steering").editors[0]
    assert name
    assert editor.shared == name
    assert "2 wheels" in editor.touches
    drive = next(strip for strip in window.desk.strips if strip.name == "drive")
    assert drive.editors == []
    editor.setFocus()
    before = editor.points
    QTest.keyClick(editor, Qt.Key.Key_Right)
    QTest.keyClick(editor, Qt.Key.Key_Down)
    idle()
    assert session.craft.curves[0].points[1].y == pytest.approx(before[1][1] - 0.05)
    assert editor.points[1][1] == pytest.approx(before[1][1] - 0.05)
    assert "2 wheels" in said[-1]
    editor.sharing.emit("own")
    idle()
    assert session.craft.curves == ()
    assert part(session, "steering").limit[1].share == pytest.approx(before[1][1] - 0.05)
    for _ in range(3):
        window.acts["undo"].trigger()
    idle()
    assert part(session, "steering").limit_of == ""
    assert editor.points == before
