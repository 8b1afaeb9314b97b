"""What flies, on the Build page, the desk and the Drill page, in the real window."""

from __future__ import annotations

import pytest
from hands import drive
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from oak_sled.core.advice import cautions
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.wing import Wing
from oak_sled.core.project import blank
from oak_sled.core.results import ledger
from oak_sled.desk.craftpage.flights import FINDING
from oak_sled.desk.drill import trimming


@pytest.fixture
def plane(window, idle):
    window.filing.show_demo("bush-plane")
    idle()
    return window


def settled(qtbot, window):
    window.show_page("Build")
    flights = window.build_page.plan.flights
    flights.rows()
    qtbot.waitUntil(lambda: flights.rows() != FINDING and not window.session.background.is_busy, timeout=60_000)
    return dict(flights.rows())


def test_the_build_page_tells_how_the_plane_flies_and_follows_a_dial(plane, qtbot, idle):
    rows = settled(qtbot, plane)
    assert any(name.startswith("stalls at") for name in rows)
    assert "phugoid" in rows
    margin = next(name for name in rows if name.startswith("static margin"))
    plane.session.edit("crafts.ski_plane.body.centre_x", -0.2)
    idle()
    again = settled(qtbot, plane)
    assert margin not in again, "the centre of mass was moved back"
    plane.session.undo()
    idle()
    assert margin in settled(qtbot, plane)


def test_a_craft_on_wheels_is_told_how_it_stands_as_before(window, idle):
    window.filing.show_demo("ice-truck")
    idle()
    window.show_page("Build")
    assert window.build_page.plan.flights.rows() == []


def test_the_open_strip_of_a_wing_shows_where_its_panels_are(plane, idle, qtbot):
    plane.session.edit("bench.drill", "glide")
    idle()
    plane.show_page("Bench")
    plane.desk.open_strip("wing")
    plane.session.shown.set_time(20.0)
    idle()
    strip = plane.desk.strip("wing")
    qtbot.waitUntil(lambda: strip.polar is not None and len(strip.polar.panels) == 6)
    assert all(0.0 < one.angle_deg < 12.0 for one in strip.polar.panels)
    assert "lift" in strip.polar.words()
    before = strip.polar.lift.max()
    plane.session.edit("crafts.ski_plane.parts.wing.stall_deg", 12.0)
    idle()
    strip = plane.desk.strip("wing")
    qtbot.waitUntil(lambda: strip.polar.lift.max() < before)


def test_a_drill_begins_trimmed_by_one_step_of_history(plane, qtbot, idle):
    plane.session.edit("bench.drill", "turn")
    idle()
    before = plane.session.yard
    trimming.begin_trimmed(plane.session)
    qtbot.waitUntil(lambda: plane.session.yard is not before and not plane.session.background.is_busy, timeout=60_000)
    idle()
    assert plane.session.history.undo_label == "begin trimmed"
    channels = {one.id: one for one in plane.session.craft.channels}
    assert channels["throttle"].start > 0.3
    assert channels["pitch"].offset != 0.0
    plane.session.undo()
    assert plane.session.yard.drill("turn") == before.drill("turn")


def test_what_cannot_be_trimmed_is_said(plane, qtbot, idle):
    plane.session.edit("bench.drill", "glide")
    plane.session.edit("drills.glide.start.speed", 10.0)
    idle()
    said = []
    plane.session.said.connect(lambda text, fault: said.append((text, fault)))
    trimming.begin_trimmed(plane.session)
    qtbot.waitUntil(lambda: bool(said) and not plane.session.background.is_busy, timeout=60_000)
    assert any("lacks" in text and fault for text, fault in said)


def fly(qtbot, window, seconds, *keys):
    """Holds keys for so long of the drive; the drive of the last half second."""
    drive(qtbot, window, seconds, *keys)
    return window.driver.drive.newest(0.5)


def taken(window, idle, name, drill):
    window.filing.show_demo(name)
    idle()
    window.session.edit("bench.drill", drill)
    idle()
    window.set_driving(True)


def test_the_copter_is_flown_by_keys_and_let_go_it_stays(window, idle, qtbot):
    taken(window, idle, "survey-copter", "lift_off")
    high = fly(qtbot, window, 2.5, Qt.Key.Key_W).column("position.z")[-1]
    assert high > 3.0
    made = fly(qtbot, window, 2.0, Qt.Key.Key_Up)
    assert made.column("velocity.x")[-1] > 2.0
    fly(qtbot, window, 6.0)
    made = fly(qtbot, window, 0.5)
    assert abs(made.column("velocity.x")[-1]) < 1.0
    assert made.column("position.z")[-1] > high
    turned = fly(qtbot, window, 1.5, Qt.Key.Key_A)
    assert turned.column("spin.z").max() > 0.3
    window.set_driving(False)
    assert max(ledger.ledger_gap(window.session.shelf.cards[0].run)) < 1e-9


def test_the_plane_takes_off_by_keys(window, idle, qtbot):
    taken(window, idle, "bush-plane", "take_off")
    fly(qtbot, window, 2.0, Qt.Key.Key_W)
    fly(qtbot, window, 0.8, Qt.Key.Key_F)
    made = fly(qtbot, window, 8.0)
    assert made.column("velocity.x")[-1] > 24.0
    fly(qtbot, window, 0.5, Qt.Key.Key_Down)
    made = fly(qtbot, window, 5.0)
    assert made.column("position.z")[-1] > 4.0
    assert not made.message


def test_the_airship_strafes_by_keys_and_stops(window, idle, qtbot):
    taken(window, idle, "freight-airship", "hover")
    made = fly(qtbot, window, 8.0, Qt.Key.Key_Left)
    assert made.column("velocity.y")[-1] > 0.4
    assert abs(made.column("velocity.x")[-1]) < 0.4
    made = fly(qtbot, window, 3.0, Qt.Key.Key_W)
    assert made.column("velocity.z")[-1] > 0.1


def test_a_plane_is_built_from_a_blank_yard_and_flies_level_by_what_is_told(window, idle, qtbot):
    """Free axes, an airscrew and three wings, no damping, begin trimmed: nothing has to be guessed."""
    session = window.session
    session.open(blank.blank_yard(), (), None)
    idle()
    window.show_page("Build")
    session.edit("crafts.craft.body.held", ())
    for name in ("thruster", "turn"):
        window.desk.remove(name)
    for kind in (Propeller, Wing, Wing, Wing):
        window.desk.fit(kind)
    idle()
    told = {one.name: one for one in cautions.find(session.shown.run.job, session.shown.run)}
    assert "damping_aloft" in told
    for path, value in told["damping_aloft"].remedy.changes:
        session.edit(f"crafts.craft.{path}", value)
    idle()
    rows = settled(qtbot, window)
    assert any("steady" in name for name in rows), rows
    assert "phugoid" in rows
    keys = [key for one in session.craft.channels for key in (*one.plus_keys, *one.minus_keys)]
    assert len(set(keys)) == len(keys) >= 10
    session.edit("drills.straight_pull.tracks", ())
    idle()
    before = session.yard
    trimming.begin_trimmed(session)
    qtbot.waitUntil(lambda: session.yard is not before and not session.background.is_busy, timeout=60_000)
    idle()
    height = session.shown.run.column("position.z")
    assert abs(height[-1] - height[0]) < 0.1
    assert session.shown.run.column("velocity.x")[-1] > 20.0
    window.desk.fit(Mixer)
    said = []
    session.said.connect(lambda text, fault: said.append(text))
    window.desk.fit(Mixer)
    assert any("already" in text for text in said)


def test_a_polar_is_drawn_from_its_numbers_and_a_knot_below_none_is_dragged(plane, idle):
    """Turning it on draws what the numbers give; a knot of negative lift moves the run, and one undo takes it back."""
    window, session = plane, plane.session
    window.show_page("Bench")
    window.desk.open_strip("wing")
    window.desk.strip("wing").entered.emit("parts.wing.drawn", True)
    idle()
    strip = window.desk.strip("wing")
    assert [editor.field.name for editor in strip.editors] == ["lift_curve", "drag_curve"]
    editor, drawn = strip.editors[0], session.shown.run.digest
    lowest = min(range(len(editor.points)), key=lambda k: editor.points[k][1])
    x, y = editor.points[lowest]
    assert y < -0.5
    highest = max(range(len(editor.points)), key=lambda k: editor.points[k][1])
    x, y = editor.points[highest]
    start, end = (editor.place_of(*point).toPoint() for point in ((x, y), (x, 0.8 * y)))
    QTest.mousePress(editor, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(editor, end)
    QTest.mouseRelease(editor, Qt.MouseButton.LeftButton, pos=end)
    idle()
    part = next(one for one in session.craft.parts if one.id == "wing")
    assert part.lift_curve[highest].lift == pytest.approx(0.8 * y, abs=0.03)
    assert part.lift_curve[lowest].lift < -0.5
    window.acts["undo"].trigger()
    idle()
    assert session.shown.run.digest == drawn


WAYS = {
    "pitch": ("spin.y", -1.0),  # nose up
    "roll": ("spin.x", 1.0),
    "yaw": ("spin.z", 1.0),  # nose left
    "climb": ("velocity.z", 1.0),
    "ahead": ("velocity.x", 1.0),
    "left": ("velocity.y", 1.0),
}
"""Axis of a channel of what flies, and the sign of what its first key does there."""


@pytest.mark.parametrize("name", ["bush-plane", "survey-copter", "freight-airship"])
def test_every_drill_of_what_flies_is_flown_by_keys_and_each_key_does_as_its_channel_says(name, window, idle, qtbot):
    """Each key is held beside the same stretch without it, in a drive of its own, faster than life."""
    window.filing.show_demo(name)
    idle()
    window.driver.speed = 8.0
    seconds = 4.0 if name == "freight-airship" else 0.6
    session = window.session

    def flown(*codes):
        window.set_driving(True)
        made = fly(qtbot, window, seconds, *codes)
        assert not made.message
        window.set_driving(False)
        assert max(ledger.ledger_gap(session.shelf.cards[0].run)) < 1e-9
        return made

    for drill in session.yard.drills:
        session.edit("bench.drill", drill.id)
        idle()
        without = flown()
        for channel in session.craft.channels:
            held = flown(getattr(Qt.Key, f"Key_{channel.plus_keys[0]}"))
            moved = f"channel.{channel.id}"
            assert held.column(moved)[-1] > without.column(moved)[-1] + 0.1
            if drill.start.height > 20.0 and channel.id in WAYS:
                column, sign = WAYS[channel.id]
                more = sign * (held.column(column).mean() - without.column(column).mean())
                assert more > 1e-3, (drill.id, channel.id)
    assert len(session.yard.drills) >= 5
