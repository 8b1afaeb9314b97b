"""The Drill page driven as a user drives it: knots, waves, stamps, events, the start on the plan, cuts and files."""

import math
from typing import get_args

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu

from oak_sled.core.project import demos, inputs
from oak_sled.core.yard.drill import Knot, Track
from oak_sled.core.yard.event import What
from oak_sled.desk.drill.channelpaint import MOST_SEEN, Pick
from oak_sled.desk.drill.drillpage import SHAPES
from oak_sled.desk.widgets import screenshot


@pytest.fixture
def drill(window, idle):
    """The Drill page with the throttle pulses of the fan sled."""
    window.session.choose("drill", "throttle_pulses")
    idle()
    QTest.keyClick(window, Qt.Key.Key_F4)
    assert window.page_stack.currentWidget() is window.drill_page
    return window.drill_page


@pytest.fixture
def puck(window, idle):
    """The Drill page with the puck and its sling."""
    window.session.open(demos.load("puck"), (), None)
    idle()
    window.show_page("Drill")
    return window.drill_page


def told(page, channel):
    return inputs.track_of(page.session.drill, channel)


def test_a_knot_is_dragged_and_the_drill_runs_again(drill, window, idle, drag):
    strips = drill.strips
    before, at = window.session.shown.run, strips.spot("throttle", 1)
    to = QPointF(strips.x_of(1.5), strips.y_of(0, 0.5))
    drag(strips, at, to)
    knot = told(drill, "throttle").knots[1]
    assert (knot.t, knot.value) == (pytest.approx(1.5, abs=0.06), pytest.approx(0.5, abs=0.06))
    assert math.isclose(knot.t / 0.05, round(knot.t / 0.05), abs_tol=1e-6), "on the grid"
    assert window.session.history.undo_label == "move a knot"
    idle()
    assert window.session.shown.run is not before
    assert window.session.shown.run.job.drill == window.session.drill
    assert len(window.session.shelf.cards) == 3, "one card for the drag"
    window.session.undo()
    assert told(drill, "throttle").knots[1].t == 1.0
    window.session.redo()
    assert told(drill, "throttle").knots[1] == knot


def test_a_knot_stays_between_its_neighbours(drill, drag):
    strips = drill.strips
    drag(strips, strips.spot("throttle", 1), QPointF(strips.x_of(7.0), strips.y_of(0, 0.0)))
    assert told(drill, "throttle").knots[1].t == told(drill, "throttle").knots[2].t


def test_a_target_counts_as_much_as_is_chosen(drill, window):
    window.session.choose("drill", "slalom")
    menu = QMenu()
    drill.targets.fill(menu)
    counts = next(one.menu() for one in menu.actions() if one.menu() and "counts 1 where" in one.text())
    next(one for one in counts.actions() if one.text() == "2").trigger()
    assert window.session.drill.targets[0].weight == 2.0
    window.session.undo()
    assert window.session.drill.targets[0].weight == 1.0


def test_numbers_of_a_knot_are_typed(drill, window):
    drill.strips.choose(Pick("knot", "throttle", 2))
    assert set(drill.dials) == {"t", "value"}
    drill.dials["value"].entered.emit(0.25)
    assert told(drill, "throttle").knots[2].value == 0.25
    assert drill.dials["value"].value == 0.25
    drill.dials["t"].moved.emit(2.2)
    drill.dials["t"].released.emit()
    assert told(drill, "throttle").knots[2].t == pytest.approx(2.2)
    drill.dials["value"].entered.emit(7.0)
    assert told(drill, "throttle").knots[2].value == 0.25, "refused: the last good value holds"
    assert window.notice.isVisible()


def test_a_double_click_puts_in_a_knot_and_keys_move_and_remove_it(drill):
    strips = drill.strips
    at = QPointF(strips.x_of(3.0), strips.y_of(1, 0.5)).toPoint()
    QTest.mouseClick(strips, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseDClick(strips, Qt.MouseButton.LeftButton, pos=at)
    knots = told(drill, "steer").knots
    assert [(knot.t, knot.value) for knot in knots] == [(pytest.approx(3.0, abs=0.06), pytest.approx(0.5, abs=0.06))]
    QTest.keyClick(strips, Qt.Key.Key_Right)
    QTest.keyClick(strips, Qt.Key.Key_Down)
    moved = told(drill, "steer").knots[0]
    assert (moved.t, moved.value) == (pytest.approx(knots[0].t + 0.05), pytest.approx(knots[0].value - 0.05))
    QTest.keyClick(strips, Qt.Key.Key_Delete)
    assert told(drill, "steer").knots == ()


def test_k_puts_a_knot_at_the_cursor(drill, window):
    window.session.shown.set_time(4.5)
    drill.strips.choose(Pick("track", "throttle"))
    QTest.keyClick(drill.strips, Qt.Key.Key_K)
    assert any(knot.t == 4.5 and knot.value == 1.0 for knot in told(drill, "throttle").knots)


@pytest.mark.parametrize("stamp", inputs.STAMPS)
def test_a_stamp_goes_into_the_channel_in_hand_at_the_cursor(drill, window, stamp):
    window.session.shown.set_time(2.5)
    drill.strips.choose(Pick("track", "brake"))
    QTest.mouseClick(drill.buttons[stamp], Qt.MouseButton.LeftButton)
    made = told(drill, "brake")
    assert made.knots[0].t == 2.5
    assert window.session.history.undo_label == f"{stamp} in brake"


def test_a_click_into_a_strip_sets_the_cursor(drill, window):
    strips = drill.strips
    QTest.mouseClick(strips, Qt.MouseButton.LeftButton, pos=QPoint(round(strips.x_of(6.3)), round(strips.y_of(2, 0.5))))
    assert window.session.shown.time == pytest.approx(6.3, abs=0.05)
    assert drill.channel() == "brake"


@pytest.mark.parametrize("shape", SHAPES)
def test_every_shape_of_a_channel_shows_its_numbers(drill, shape):
    drill.strips.choose(Pick("track", "throttle"))
    drill.reshape(shape)
    assert told(drill, "throttle").shape == shape
    wanted = {
        "sine": {"amplitude", "period"},
        "pulses": {"amplitude", "period", "on_share"},
        "aim": {"gain", "lead", "sight"},
        "pace": {"pace", "pace_gain"},
    }
    assert set(drill.dials) == wanted.get(shape, set())
    assert not screenshot.settled(drill.strips).isNull()


@pytest.mark.parametrize("shape", ["sine", "pulses"])
def test_a_wave_is_shaped_by_its_crest(drill, drag, shape):
    drill.strips.choose(Pick("track", "steer"))
    drill.session.edit(f"{drill.path}.tracks", (Track(channel="steer", shape=shape, period=4.0, amplitude=0.8),))
    strips = drill.strips
    drag(strips, strips.crest("steer"), QPointF(strips.x_of(2.0), strips.y_of(1, 0.5)))
    made = told(drill, "steer")
    share = 0.25 if shape == "sine" else made.on_share
    assert made.amplitude == pytest.approx(0.5, abs=0.06)
    assert made.period * share == pytest.approx(2.0, abs=0.1)
    assert drill.session.history.undo_label == "shape a wave"


def test_the_end_and_where_measures_begin_are_dragged(drill, drag):
    strips = drill.strips
    drag(strips, strips.end_mark(), QPointF(strips.x_of(9.0), strips.end_mark().y()))
    assert drill.session.drill.duration == pytest.approx(9.0, abs=0.1)
    drag(strips, strips.from_mark(), QPointF(strips.x_of(3.0), strips.from_mark().y()))
    assert drill.session.drill.event_time == pytest.approx(3.0, abs=0.1)


def test_end_conditions_are_chosen_and_their_number_shows_where_it_counts(drill):
    assert "end_value" not in drill.dials
    menu = drill.choices["end"].menu()
    next(action for action in menu.actions() if action.text() == "distance").trigger()
    assert drill.session.drill.end == "distance"
    assert "end_value" in drill.dials
    drill.dials["end_value"].entered.emit(12.0)
    assert drill.session.drill.end_value == 12.0
    assert drill.choices["end"].text() == "end: distance"


def test_the_wheel_zooms_about_the_pointer_and_a_double_click_shows_all(drill):
    strips = drill.strips
    at = QPointF(strips.x_of(4.0), strips.y_of(0, 0.0))
    event = QWheelEvent(
        at, strips.mapToGlobal(at), QPoint(), QPoint(0, 480), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    strips.wheelEvent(event)
    first, last = strips.seen()
    assert last - first < 8.0
    assert strips.t_at(at.x()) == pytest.approx(4.0, abs=0.02)
    QTest.mouseDClick(strips, Qt.MouseButton.LeftButton, pos=QPoint(20, round(strips.y_of(0, 0.5))))
    assert strips.seen()[0] == 0.0


def test_the_start_is_placed_turned_sped_up_and_spun_on_the_plan(drill, window, idle, drag):
    plan = drill.plan
    drag(plan, plan.marks()["start"], plan.marks()["start"] + QPointF(-30, 20))
    moved = window.session.drill.start
    assert moved.x < -0.5
    assert moved.y < -0.5
    drag(plan, plan.marks()["turn"], plan.marks()["start"] + QPointF(0, -60))
    assert window.session.drill.start.heading_deg == pytest.approx(90.0, abs=5.0)
    spot = plan.at(moved.x, moved.y + 6.0)
    drag(plan, plan.marks()["speed"], spot)
    assert window.session.drill.start.speed == pytest.approx(6.0, abs=0.6)
    drag(plan, plan.marks()["spin"], plan.marks()["start"] + QPointF(-40, 0))
    assert window.session.drill.start.yaw_rate_deg == pytest.approx(90.0, abs=8.0)
    assert window.session.history.undo_label == "spin of the start"
    idle()
    run = window.session.shown.run
    assert run.column("velocity.y")[0] == pytest.approx(window.session.drill.start.speed)
    for _ in range(4):
        window.session.undo()
    assert window.session.drill.start == demos.load("fan-sled").drill("throttle_pulses").start


def test_a_turned_start_snaps_to_5_degrees_and_not_with_alt(drill, window, idle):
    plan = drill.plan
    for modifier, snaps in ((Qt.KeyboardModifier.NoModifier, True), (Qt.KeyboardModifier.AltModifier, False)):
        at, spot = plan.marks()["turn"].toPoint(), (plan.marks()["start"] + QPointF(53, -37)).toPoint()
        QTest.mousePress(plan, Qt.MouseButton.LeftButton, modifier, at)
        for place in (at + QPoint(8, -8), spot):
            move = QMouseEvent(QEvent.Type.MouseMove, QPointF(place), QPointF(plan.mapToGlobal(place)),
                               Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton, modifier)  # fmt: skip
            QApplication.sendEvent(plan, move)
        QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, modifier, spot)
        idle()
        turned = window.session.drill.start.heading_deg
        assert turned == pytest.approx(35.0, abs=4.0)
        assert (turned % 5.0 == 0.0) == snaps


def test_events_are_put_in_moved_aimed_and_removed(puck, window, idle, drag):
    strips, plan = puck.strips, puck.plan
    window.session.shown.set_time(2.0)
    puck.add_event("poke", "")
    event = window.session.drill.events[-1]
    assert (event.what, event.t, event.target) == ("poke", 2.0, "")
    assert {"t", "x", "y", "z", "at_x"} <= set(puck.dials)
    idle()
    drag(strips, strips.flag(event.id), strips.flag(event.id) + QPointF(120, 0))
    assert window.session.drill.events[-1].t > 2.5
    idle()
    mark = plan.marks()[f"event {event.id}"]
    drag(plan, mark, mark + QPointF(0, -40))
    aimed = window.session.drill.events[-1]
    assert aimed.y > 60.0
    assert window.session.history.undo_label == "aim an event"
    strips.choose(Pick("event", event.id))
    QTest.keyClick(strips, Qt.Key.Key_Left)
    assert window.session.drill.events[-1].t == pytest.approx(aimed.t - 0.05)
    QTest.keyClick(strips, Qt.Key.Key_Delete)
    assert [one.what for one in window.session.drill.events] == ["release"]


def test_a_pull_is_aimed_on_the_plan_and_the_puck_goes_the_other_way(puck, window, idle, drag):
    plan = puck.plan
    mark, at = plan.marks()["event let_go"], plan.marks()["start"]
    drag(plan, mark, at + QPointF(0, 30))
    event = window.session.drill.events[0]
    assert event.y < -1.0
    assert abs(event.x) < 0.5
    idle()
    run = window.session.shown.run
    assert run.column("velocity.y")[run.at(event.t) + 2] > 1.0


def test_the_menus_offer_what_can_be_fired(puck):
    assert puck.targets_of("release") == ("sling",)
    assert puck.targets_of("trigger") == ("nudge",)
    assert puck.targets_of("drop") == ()
    assert puck.targets_of("poke") == ("",)
    assert puck.targets_of("fail") == tuple(part.id for part in puck.session.craft.parts)
    menu = puck.buttons["event"].menu()
    menu.aboutToShow.emit()
    offered = {action.text().split(":")[0]: action.isEnabled() for action in menu.actions()}
    assert offered == {what.replace("_", " "): bool(puck.targets_of(what)) for what in get_args(What)}


def test_a_kept_drive_opens_here_and_is_cut_and_smoothed(drill, window, idle):
    knots = tuple(Knot(t=0.02 * k, value=0.3 + 0.2 * (k % 2)) for k in range(300))
    window.session.edit(f"{drill.path}.tracks", (Track(channel="throttle", knots=knots),))
    idle()
    assert len(knots) > MOST_SEEN
    assert not screenshot.settled(drill.strips).isNull(), "too many knots to draw each: the line alone"
    drill.strips.choose(Pick(""))
    QTest.mouseClick(drill.buttons["smooth"], Qt.MouseButton.LeftButton)
    assert len(told(drill, "throttle").knots) < 40
    assert inputs.value_at(told(drill, "throttle"), 3.0) == pytest.approx(0.4, abs=0.03)
    idle()
    window.session.shown.set_time(4.0)
    QTest.mouseClick(drill.buttons["cut after"], Qt.MouseButton.LeftButton)
    assert window.session.drill.duration == pytest.approx(4.0)
    idle()
    window.session.shown.set_time(1.0)
    place = window.session.shown.run.column("position.x")[window.session.shown.run.at(1.0)]
    QTest.mouseClick(drill.buttons["cut before"], Qt.MouseButton.LeftButton)
    assert window.session.drill.duration == pytest.approx(3.0)
    idle()
    assert window.session.shown.run.column("position.x")[0] == pytest.approx(place, abs=1e-6)


def test_a_cut_at_the_ends_says_what_to_do(drill, window):
    window.session.shown.set_time(0.0)
    before = window.session.drill
    drill.cut(True)
    assert window.session.drill is before
    assert "cursor" in window.notice.words.text()


def test_inputs_go_to_a_file_and_come_back(drill, window, idle, tmp_path):
    assert drill.files.export_csv(tmp_path / "in.csv")
    old = told(drill, "throttle")
    drill.strips.choose(Pick("track", "throttle"))
    drill.strips.remove()
    assert told(drill, "throttle").knots == ()
    drill.files.import_csv(tmp_path / "in.csv")
    idle()
    assert [knot.value for knot in told(drill, "throttle").knots] == [knot.value for knot in old.knots]
    assert window.session.history.undo_label == "inputs from in.csv"


def test_a_file_with_holes_is_taken_and_said_and_a_useless_one_refused(drill, window, idle, tmp_path):
    (tmp_path / "holes.csv").write_text("t [s],throttle\n0,0.5\n0.1,\n0.2,4\n")
    drill.files.import_csv(tmp_path / "holes.csv")
    idle()
    assert "line 3: no number, the last good value holds" in window.notice.words.text()
    before = window.session.drill
    (tmp_path / "odd.csv").write_text("time [ms],throttle\n0,1\n")
    drill.files.import_csv(tmp_path / "odd.csv")
    idle()
    assert window.session.drill is before
    assert "seconds: t [s]" in window.notice.words.text()
    (tmp_path / "wall").write_text("")
    assert not drill.files.export_csv(tmp_path / "wall" / "in.csv")


def test_drills_are_made_duplicated_and_removed(drill, window, idle):
    count = len(window.session.yard.drills)
    drill.new_drill()
    idle()
    assert window.session.drill.title == "New drill"
    assert window.session.shown.run.column("position.x")[-1] > 0.5, "it moves"
    drill.duplicate()
    assert len(window.session.yard.drills) == count + 2
    drill.remove_drill()
    drill.session.undo()
    assert len(window.session.yard.drills) == count + 2
    menu = drill.buttons["drill"].menu()
    menu.aboutToShow.emit()
    assert "Inputs from a CSV file..." in [action.text() for action in menu.actions()]


@pytest.mark.parametrize("night", [False, True])
def test_the_page_paints_by_day_and_by_night_at_every_size(drill, window, night):
    if night:
        window.toggle_night()
    for size in ((1000, 640), (1280, 800), (1900, 1000)):
        window.resize(*size)
        picture = screenshot.settled(drill)
        assert picture.width() >= size[0] - 2
        colours = {picture.pixel(x, y) for x in range(0, picture.width(), 7) for y in range(0, picture.height(), 7)}
        assert len(colours) > 12


def test_a_block_is_hung_and_dropped_by_an_event_of_the_page(window, idle):
    window.session.open(demos.load("shove"), (), None)
    idle()
    window.session.edit("grounds.pier.blocks.heavy.z", 3.0)
    window.show_page("Drill")
    page = window.drill_page
    assert page.targets_of("drop") == ("light", "middling", "heavy")
    window.session.shown.set_time(2.0)
    page.add_event("drop", "heavy")
    idle()
    run = window.session.shown.run
    high = run.column("block.heavy.position.z")
    assert high[run.at(2.0)] == high[0]
    assert high[-1] < high[0] - 2.5
    window.session.undo()
    idle()
    assert window.session.shown.run.column("block.heavy.position.z")[window.session.shown.run.at(2.0)] < high[0] - 2.5


CASTS = [(name, one.id) for name in demos.DEMOS for one in demos.load(name).drills if one.cast]


@pytest.mark.parametrize(("name", "of"), CASTS)
def test_the_plan_drawn_again_writes_its_words_at_the_same_places(drill, window, idle, name, of):
    window.session.open(demos.load(name), (), None)
    window.session.choose("drill", of)
    idle()
    plan = drill.plan
    plan.repaint()
    first = list(plan.words)
    assert len(first) == len(window.session.cast()) - 1
    plan.repaint()
    assert plan.words == first
