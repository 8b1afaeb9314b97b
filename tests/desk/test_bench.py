"""The bench, driven with mouse and keys in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QLineEdit, QPushButton

from oak_sled.core.results import traces
from oak_sled.desk.widgets import screenshot
from oak_sled.desk.widgets.dialwidget import DialWidget, from_share, to_share


def find_dial(window, name):
    dial = window.desk.findChild(DialWidget, f"dial_{name}")
    assert dial is not None
    return dial


def drag(qtbot, widget, by, modifier=Qt.KeyboardModifier.NoModifier, released=True):
    start = QPoint(widget.width() // 2, widget.height() // 2)
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, modifier, start)
    for step in range(1, 6):
        move(widget, start + QPoint(by * step // 5, 0), modifier)
    if released:
        qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, modifier, start + QPoint(by, 0))


def move(widget, at, modifier=Qt.KeyboardModifier.NoModifier):
    from PyQt6.QtCore import QEvent, QPointF
    from PyQt6.QtGui import QMouseEvent
    from PyQt6.QtWidgets import QApplication

    place = QPointF(at)
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        place,
        QPointF(widget.mapToGlobal(at)),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        modifier,
    )
    QApplication.sendEvent(widget, event)


def test_it_opens_with_a_finished_run(window):
    assert window.session.shown.run.ticks > 1000
    assert window.session.shelf.cards[0].says == "start"
    assert not window.session.is_dirty
    assert len(window.desk.strips) == 1 + len(window.session.craft.parts)
    picture = screenshot.settled(window)
    colours = {picture.pixel(x, y) for x in range(300, 760, 8) for y in range(120, 400, 8)}
    assert len(colours) > 60, "the yard view is drawn"


def test_a_dragged_dial_re_runs_the_drill_and_makes_one_card(qtbot, window, idle):
    session = window.session
    before = session.shown.run
    dial = find_dial(window, "fan_thrust")
    drag(qtbot, dial, 8, released=False)
    assert session.craft.parts[0].thrust > 620.0
    qtbot.waitUntil(lambda: session.shown.run is not before, timeout=20_000)
    assert session.shown.ghost is before, "the run before the drag stays as a ghost"
    assert len(session.shelf.cards) == 1, "no card while it is dragged"
    qtbot.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=QPoint(100, 16))
    qtbot.waitUntil(lambda: len(session.shelf.cards) == 2, timeout=20_000)
    thrust = session.craft.parts[0].thrust
    assert session.shelf.cards[0].says == f"fan thrust 620 → {thrust:.0f} N"
    assert session.shown.run.job.craft.parts[0].thrust == thrust
    assert traces.values(session.shown.run, "speed").max() > traces.values(before, "speed").max()


def shown_card(window):
    """The card that is marked as the run that is shown, as its widget has it."""
    marked = [name for name, widget in window.shelf.cards.items() if widget.shown]
    assert len(marked) <= 1
    return marked[0] if marked else None


def test_undo_and_redo_take_a_drag_as_one_step_and_no_try_is_lost(qtbot, window, idle):
    session = window.session
    start = session.shelf.cards[0].id
    drag(qtbot, find_dial(window, "fan_thrust"), 20)
    qtbot.waitUntil(lambda: len(session.shelf.cards) == 2, timeout=20_000)
    thrust, tried = session.craft.parts[0].thrust, session.shelf.cards[0].id
    assert shown_card(window) == tried
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.craft.parts[0].thrust == 620.0
    idle()
    assert [card.id for card in session.shelf.cards] == [tried, start], "undo takes no card off the shelf"
    assert shown_card(window) == start
    assert session.shown.run.job == session.shelf.cards[1].job
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.craft.parts[0].thrust == thrust
    idle()
    assert [card.id for card in session.shelf.cards] == [tried, start]
    assert shown_card(window) == tried


def test_undo_goes_back_as_far_as_it_is_bound_to_and_no_further(window, idle, monkeypatch):
    from oak_sled.desk.work import history

    monkeypatch.setattr(history, "MOST_STEPS", 5)
    session, path = window.session, "crafts.fan_sled.body.mass"
    for mass in range(201, 210):
        assert session.edit(path, float(mass), card=False)
    idle()
    for mass in range(208, 203, -1):
        session.undo()
        assert session.craft.body.mass == mass
    assert session.history.undo_label == ""
    session.undo()
    assert session.craft.body.mass == 204, "what is older is gone, and nothing else is undone"
    for mass in range(205, 210):
        session.redo()
        assert session.craft.body.mass == mass


def test_a_try_that_is_undone_before_its_run_came_in_is_kept_too(window, idle):
    session = window.session
    session.edit("crafts.fan_sled.parts.fan.thrust", 700.0)
    session.edit("crafts.fan_sled.parts.fan.thrust", 800.0)
    session.undo()
    session.undo()
    idle()
    assert {card.job.craft.parts[0].thrust for card in session.shelf.cards} == {620.0, 700.0, 800.0}
    assert session.shown.run.job.craft.parts[0].thrust == 620.0


def test_a_try_of_a_yard_that_was_left_gets_on_no_other_shelf(window, idle):
    session = window.session
    session.edit("crafts.fan_sled.parts.fan.thrust", 700.0)
    session.edit("crafts.fan_sled.parts.fan.thrust", 800.0)
    assert session.loader.is_busy
    session.open(session.yard.edit("title", "Another"), (), None)
    idle()
    assert [card.job.craft.parts[0].thrust for card in session.shelf.cards] == [800.0]


def test_a_card_that_was_removed_comes_back_to_its_place(window, idle):
    session = window.session
    for thrust in (700.0, 800.0):
        session.edit("crafts.fan_sled.parts.fan.thrust", thrust)
        idle()
    names = [card.id for card in session.shelf.cards]
    session.shelf.drop_card(names[1])
    session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    idle()
    session.undo()
    session.undo()
    idle()
    assert [card.id for card in session.shelf.cards][1:] == names, "in its old place, behind the newest try"
    assert not session.shelf.removed
    session.redo()
    assert session.shelf.removed == {names[1]}


def test_shift_drags_finer_and_control_coarser(qtbot, window, idle):
    dial = find_dial(window, "runners_side_grip")
    moved = {}
    for name, modifier in (
        ("plain", Qt.KeyboardModifier.NoModifier),
        ("fine", Qt.KeyboardModifier.ShiftModifier),
        ("coarse", Qt.KeyboardModifier.ControlModifier),
    ):
        drag(qtbot, dial, 20, modifier)
        moved[name] = abs(dial.value - 0.62)
        window.session.undo()
    assert moved["fine"] < 0.3 * moved["plain"] < moved["plain"] < 0.5 * moved["coarse"]
    idle()


@pytest.mark.parametrize(
    ("typed", "value"),
    [("0.9 kN", 900.0), ("=2*350", 700.0), ("0.25 g", 0.25 * 9.80665 * 240.0), ("800", 800.0)],
)
def test_a_dial_takes_units_and_sums(qtbot, window, idle, typed, value):
    dial = find_dial(window, "fan_thrust")
    dial.setFocus()
    qtbot.keyClick(dial, Qt.Key.Key_Return)
    edit = dial.findChild(QLineEdit)
    edit.clear()
    qtbot.keyClicks(edit, typed)
    qtbot.keyClick(edit, Qt.Key.Key_Return)
    assert window.session.craft.parts[0].thrust == pytest.approx(value)
    assert not edit.isVisible()
    idle()


@pytest.mark.parametrize("typed", ["900 m", "1e9", "fast", "1/0", ""])
def test_a_wrong_entry_is_told_and_the_last_good_value_stays(qtbot, window, typed):
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    dial = find_dial(window, "fan_thrust")
    dial.setFocus()
    qtbot.keyClick(dial, Qt.Key.Key_Return)
    edit = dial.findChild(QLineEdit)
    edit.clear()
    qtbot.keyClicks(edit, typed)
    qtbot.keyClick(edit, Qt.Key.Key_Return)
    assert window.session.craft.parts[0].thrust == 620.0
    assert said[-1][1]
    assert "thrust" in said[-1][0]
    assert edit.isVisible(), "the entry stays open to be mended"


def test_arrow_keys_wheel_and_default(qtbot, window, idle):
    dial = find_dial(window, "fan_thrust")
    dial.setFocus()
    qtbot.keyClick(dial, Qt.Key.Key_Right)
    assert window.session.craft.parts[0].thrust > 620.0
    qtbot.mouseDClick(dial, Qt.MouseButton.LeftButton, pos=QPoint(20, 24))
    assert window.session.craft.parts[0].thrust == 600.0, "the declared default"
    idle()


def test_a_locked_dial_does_not_move(qtbot, window):
    dial = find_dial(window, "fan_thrust")
    dial.lock_toggled.emit()
    drag(qtbot, dial, 40)
    assert window.session.craft.parts[0].thrust == 620.0


def test_slider_shares_round_trip(window):
    for dial in window.desk.findChildren(DialWidget):
        if dial.dial.slider[0] <= dial.value <= dial.dial.slider[1]:
            back = from_share(dial.dial, to_share(dial.dial, dial.value))
            span = dial.dial.slider[1] - dial.dial.slider[0]
            assert back == pytest.approx(dial.value, abs=0.002 * span + 0.01 * abs(dial.value))


def test_mute_and_solo_are_a_click(qtbot, window, idle):
    session = window.session
    strip = window.desk.strip("air")
    qtbot.mouseClick(strip.buttons["mute"], Qt.MouseButton.LeftButton)
    idle()
    assert session.craft.parts[2].mute
    assert np.all(session.shown.run.line("air") == 0.0)
    qtbot.mouseClick(window.desk.all_on, Qt.MouseButton.LeftButton)
    assert not session.craft.parts[2].mute
    qtbot.mouseClick(window.desk.strip("fan").buttons["solo"], Qt.MouseButton.LeftButton)
    idle()
    assert np.all(session.shown.run.line("runners") == 0.0)
    assert np.any(session.shown.run.line("fan") != 0.0)


def test_scrubbing_moves_everything_together(qtbot, window):
    session = window.session
    cover = window.traces.cover
    x = int(window.traces.x_at(5.0))
    qtbot.mousePress(cover, Qt.MouseButton.LeftButton, pos=QPoint(x, 60))
    assert session.shown.time == pytest.approx(5.0, abs=0.1)
    move(cover, QPoint(int(window.traces.x_at(9.0)), 60))
    assert session.shown.time == pytest.approx(9.0, abs=0.1)
    assert window.clock.text() == f"t {session.shown.time:.3f} s"
    screenshot.settled(window)
    numbers = session.shown.run.record.row(session.shown.row)
    booked = numbers[session.shown.run.layout.place("fan.force.x")]
    shown = next(row for row in window.ledger.rows() if row.name == "fan")
    window.ledger.switch_axes()
    world = next(row for row in window.ledger.rows() if row.name == "fan")
    assert world.force[0] == pytest.approx(booked)
    assert np.hypot(*shown.force[:2]) == pytest.approx(np.hypot(*world.force[:2]))
    strip = window.desk.strip("fan")
    assert strip.meter.value == pytest.approx(np.hypot(*world.force[:2]), rel=1e-6)


def test_a_second_cursor_gives_the_difference(qtbot, window):
    cover = window.traces.cover
    place = QPoint(int(window.traces.x_at(3.0)), 60)
    qtbot.mousePress(cover, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, place)
    assert window.session.shown.second_time == pytest.approx(3.0, abs=0.1)
    screenshot.settled(window)
    qtbot.mouseDClick(cover, Qt.MouseButton.LeftButton, pos=place)
    assert window.session.shown.second_time is None


def test_traces_zoom_and_show_all(window):
    pane = window.traces
    pane.zoom(0.25, 6.0)
    first, last = pane.time_span()
    assert last - first == pytest.approx(0.25 * window.session.shown.run.duration, rel=1e-6)
    pane.pan(1.0)
    assert pane.time_span()[0] == pytest.approx(first + 1.0, abs=0.01)
    pane.show_all()
    assert pane.time_span() == (0.0, window.session.shown.run.duration)


def test_traces_can_be_chosen_and_ordered(window):
    pane = window.traces
    pane.toggle("side_g", True)
    assert pane.names[-1] == "side_g"
    pane.move_up("side_g")
    assert pane.names[-2] == "side_g"
    pane.toggle("speed", False)
    assert "speed" not in pane.names
    assert [plot.group for plot in pane.plots] == pane.names
    drawn = pane.plots[pane.names.index("side_g")].lines[0].points[:, 1]
    wanted = traces.values(window.session.shown.run, "side_g")
    assert drawn.max() == pytest.approx(wanted.max())


def test_drills_are_chosen_from_the_header_and_bring_their_ground(window, idle):
    window.session.choose("drill", "brake_to_stop")
    idle()
    assert window.session.ground.id == "long_reach"
    assert window.session.shown.run.job.drill.id == "brake_to_stop"
    assert window.session.shown.found["stop_distance"] == pytest.approx(25.8, abs=0.5)


def test_playback_runs_and_holds(qtbot, window):
    session = window.session
    session.shown.set_time(0.0)
    window.playbar.set_speed(0.5)
    window.playbar.set_playing(True)
    qtbot.waitUntil(lambda: session.shown.time > 0.2, timeout=10_000)
    window.playbar.set_playing(False)
    at = session.shown.time
    window.playbar.step(1)
    assert session.shown.row == session.shown.run.at(at) + 1
    window.playbar.to_start()
    assert session.shown.time == 0.0


def test_parts_are_fitted_duplicated_and_removed_from_the_desk(window, idle):
    from oak_sled.core.parts.thruster import Thruster

    session = window.session
    window.desk.fit(Thruster)
    assert "thruster" in [part.id for part in session.craft.parts]
    part = next(part for part in session.craft.parts if part.id == "thruster")
    assert part.channel == "throttle"
    assert [p.STAGE for p in session.craft.parts] == sorted(p.STAGE for p in session.craft.parts)
    window.desk.duplicate("thruster")
    assert "thruster_2" in [part.id for part in session.craft.parts]
    idle()
    assert "thruster_2.force.x" in session.shown.run.layout.names
    window.desk.remove("thruster")
    window.desk.remove("thruster_2")
    idle()
    assert len(window.desk.strips) == 8


def test_the_way_of_pushing_is_switched_and_the_unit_follows(window, idle):
    window.desk.open_strip("fan")
    strip = window.desk.strip("fan")
    strip.entered.emit("parts.fan.way", "acceleration")
    idle()
    assert window.session.craft.parts[0].way == "acceleration"
    assert window.desk.strip("fan").dials["thrust"].dial.unit == "m/s2"


def test_every_strip_opens_and_closes(window):
    for strip in list(window.desk.strips):
        window.desk.open_strip(strip.name)
        opened = window.desk.strip(strip.name)
        assert opened.is_open
        assert len(opened.dials) >= len(strip.dials)
        window.desk.open_strip(strip.name)
        assert not window.desk.strip(strip.name).is_open


def test_every_camera_draws_and_a_lost_craft_is_marked(window):
    for name in ("chase", "side", "top", "ride", "orbit"):
        window.playbar.choose(name)
        picture = screenshot.settled(window.view)
        colours = {picture.pixel(x, y) for x in range(0, 760, 16) for y in range(0, 350, 16)}
        assert len(colours) > 20
    window.playbar.fit()
    assert window.view.rig.fitted is not None
    screenshot.settled(window.view)
    window.view.rig.fitted = (500.0, 500.0, 0.0, 4.0)
    window.view.refresh()
    assert not screenshot.settled(window.view).isNull()


def test_readouts_switch_their_unit_on_a_click(qtbot, window):
    screenshot.settled(window)
    box, name = window.view.pane.boxes[0]
    qtbot.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert name in window.view.switched_units


def test_the_tick_check_shows_rates_beside_a_reference(qtbot, window):
    with qtbot.waitSignal(window.measures.checked, timeout=120_000):
        qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    result = window.measures.check.result
    assert [rate for rate, _ in result.by_rate] == [30, 60, 120, 240]
    assert result.reference["top_speed"] == pytest.approx(13.8, abs=0.3)
    screenshot.settled(window)


def test_cautions_are_counted_in_the_header(window, idle):
    window.session.edit("crafts.fan_sled.body.damping_law", "per_tick")
    idle()
    assert window.header.cautions.text().endswith(("caution", "cautions"))


def test_the_key_sheet_tells_every_shortcut(qtbot, window):
    qtbot.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    assert window.sheet.isVisible()
    keys = [line[1] for line in window.sheet.lines]
    assert QKeySequence("Ctrl+Return").toString() in keys
    assert len(set(keys[:-7])) == len(keys[:-7]), "no shortcut twice"
    qtbot.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    assert not window.sheet.isVisible()


def test_night_colours_and_back(window):
    day = screenshot.settled(window).pixel(1000, 60)
    window.toggle_night()
    assert screenshot.settled(window).pixel(1000, 60) != day
    window.toggle_night()
    assert screenshot.settled(window).pixel(1000, 60) == day


def test_a_run_that_diverges_is_told_with_its_cause(window, idle):
    said = []
    window.session.said.connect(lambda text, fault: said.append(text))
    window.session.edit("crafts.fan_sled.body.damping_law", "explicit")
    window.session.edit("crafts.fan_sled.body.damping", 1000.0)
    idle()
    assert window.session.shown.run.message
    assert any("Explicit damping" in text for text in said)
    assert window.session.shown.warned[-1].name == "diverged"
    screenshot.settled(window)


@pytest.mark.parametrize("size", [(1100, 700), (1280, 800), (1920, 1080)])
def test_nothing_is_cut_off_at_any_size(qtbot, window, size):
    window.resize(*size)
    qtbot.waitUntil(lambda: window.width() == size[0], timeout=5_000)
    header = window.header
    for button in header.findChildren(QPushButton):
        if button.isVisible():
            right = button.mapTo(header, QPoint(button.width(), 0)).x()
            assert right <= header.width()
    assert window.view.height() >= 200
    bottom = window.shelf.mapTo(window, QPoint(0, window.shelf.height())).y()
    assert bottom <= window.height()
