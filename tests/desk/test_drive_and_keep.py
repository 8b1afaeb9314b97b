"""Driving with keys, the shelf, saving, opening, recovery."""

from __future__ import annotations

import json
import os
from pathlib import Path

import numpy as np
import pytest
from hands import drive, key
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLineEdit

from oak_sled.core.files import yard_json
from oak_sled.core.project import demos, shelf, shelf_store
from oak_sled.core.results import ledger
from oak_sled.desk.app.window import Window
from oak_sled.desk.driving.inputpanel import conflicts
from oak_sled.desk.panes import shelfpane
from oak_sled.desk.widgets import screenshot
from oak_sled.desk.work.recovery import Autosave
from oak_sled.desk.work.session import Session


def test_it_is_driven_with_keys_and_kept(qtbot, window):
    session = window.session
    qtbot.keyClick(window, Qt.Key.Key_F9)
    assert session.shown.live_on
    assert window.inputs.isVisible()
    drive(qtbot, window, 1.0, Qt.Key.Key_W)
    fast = window.driver.drive.newest(1.0).column("velocity.x")[-1]
    assert fast > 1.0
    drive(qtbot, window, 0.6, Qt.Key.Key_W, Qt.Key.Key_A)
    screenshot.settled(window)
    qtbot.keyClick(window, Qt.Key.Key_F9)
    assert not session.shown.live_on
    card = session.shelf.cards[0]
    assert card.run.live
    assert card.says.startswith("drive by hand")
    assert card.run.column("spin.z").max() > 0.05, "A steers to the left"
    assert max(ledger.ledger_gap(card.run)) < 1e-9


def test_opposing_keys_cancel_and_any_combination_works(qtbot, window):
    window.set_driving(True)
    for code in (Qt.Key.Key_W, Qt.Key.Key_A, Qt.Key.Key_D, Qt.Key.Key_Space):
        key(window, code, True)
    assert window.driver.held == {"W", "A", "D", "Space"}
    live = window.driver.drive
    goal = live.ticks + 60
    qtbot.waitUntil(lambda: live.ticks >= goal, timeout=30_000)
    row = live.recorder.recent()[-1]
    assert row[live.layout.place("channel.steer")] == 0.0
    assert row[live.layout.place("channel.throttle")] > 0.5
    assert row[live.layout.place("channel.brake")] > 0.5
    window.set_driving(False)


def test_hold_step_slow_restart_and_back_to_start(qtbot, window):
    window.set_driving(True)
    drive(qtbot, window, 0.5, Qt.Key.Key_W)
    window.toggle_hold()
    live = window.driver.drive
    at = live.ticks
    window.step()
    assert live.ticks == at + 1
    window.toggle_hold()
    window.playbar.set_speed(0.1)
    assert window.driver.speed == 0.1
    window.playbar.to_start()
    assert live.recorder.recent()[-1][0] != pytest.approx(4.05)
    drive(qtbot, window, 0.1)
    assert live.newest(1.0).column("position.x")[-1] == pytest.approx(4.05, abs=0.2)
    window.driver.restart()
    assert live.ticks < at
    window.set_driving(False)


def test_a_dial_turned_in_mid_drive_acts_at_once(qtbot, window):
    window.set_driving(True)
    drive(qtbot, window, 0.6, Qt.Key.Key_W)
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 5000.0)
    drive(qtbot, window, 0.6, Qt.Key.Key_W)
    pushes = window.driver.drive.newest(5.0).column("fan.force.x")
    assert pushes.max() > 2000.0
    window.set_driving(False)


def test_a_drive_kept_as_a_drill_repeats_bit_for_bit(qtbot, window, idle):
    session = window.session
    window.set_driving(True)
    drive(qtbot, window, 0.7, Qt.Key.Key_W)
    drive(qtbot, window, 0.5, Qt.Key.Key_W, Qt.Key.Key_D)
    drive(qtbot, window, 0.3, Qt.Key.Key_Space)
    window.set_driving(False)
    driven = session.shelf.cards[0].run
    window.keep_drill(session.shelf.cards[0].id)
    idle()
    again = session.shown.run
    assert not again.live
    assert again.job.drill.recorded
    rows = min(again.ticks, driven.ticks) + 1
    for name in ("position.x", "position.y", "spin.z", "runners.force.y"):
        assert np.array_equal(again.column(name)[:rows], driven.column(name)[:rows])
    session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    idle()
    assert session.shown.run.column("position.x")[-1] != again.column("position.x")[-1]


def test_a_second_craft_drives_on_keys_of_its_own(qtbot, window):
    window.menus.duplicate_craft()
    assert not conflicts(window.driver.crafts())
    window.set_driving(True)
    assert len(window.driver.drive.job.actors) == 2, "in one world"
    drive(qtbot, window, 0.6, Qt.Key.Key_W, Qt.Key.Key_K)
    newest = window.driver.drive.newest(1.0)
    first, second = (newest.seen_from(name).column("velocity.x")[-1] for name in ("fan_sled", "fan_sled_2"))
    assert first > 0.2 > 0.0 > second
    screenshot.settled(window)
    window.set_driving(False)
    assert sum(card.run.live for card in window.session.shelf.cards) == 1
    kept = window.session.shelf.cards[0].run
    assert kept.seen_from("fan_sled_2").column("velocity.x").min() < -0.1
    window.driver.keep_as_drill(kept.job.drill)
    member = window.session.drill.cast[0]
    assert (member.id, [track.channel for track in member.tracks]) == ("fan_sled_2", ["throttle"])


def test_keys_are_bound_anew_in_the_panel(qtbot, window):
    window.toggle_inputs()
    screenshot.settled(window)
    box, who = next((box, who) for box, who in window.inputs._boxes if who[1:] == ("throttle", "plus_keys"))
    qtbot.mouseClick(window.inputs, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert window.inputs.asking == who
    qtbot.keyClick(window.inputs, Qt.Key.Key_D)
    assert window.session.craft.channels[0].plus_keys == ("D",)
    assert any("D is bound twice" in words for words in conflicts(window.driver.crafts()))
    window.session.undo()
    assert window.session.craft.channels[0].plus_keys == ("W",)


def test_a_blank_yard_drives(qtbot, window):
    window.filing.new_yard()
    session = window.session
    qtbot.waitUntil(lambda: session.shown.run is not None and len(session.shelf.cards) == 1, timeout=20_000)
    assert session.shown.found["top_speed"] > 5.0
    window.set_driving(True)
    drive(qtbot, window, 0.5, Qt.Key.Key_Up)
    assert window.driver.drive.newest(1.0).column("velocity.x")[-1] > 0.3
    window.set_driving(False)


# shelf


def test_cards_are_pinned_starred_renamed_compared_and_deleted(qtbot, window, idle):
    session = window.session
    session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    idle()
    card = window.shelf.cards[session.shelf.cards[0].id]
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=card._pin_box().center().toPoint())
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=card._star_box().center().toPoint())
    assert session.shelf.cards[0].pinned
    assert session.shelf.cards[0].starred
    card.ask_name()
    edit = card.findChild(QLineEdit)
    edit.setText("strong fan")
    qtbot.keyClick(edit, Qt.Key.Key_Return)
    assert session.shelf.cards[0].heading == "strong fan"
    window.show_comparison(session.shelf.cards[1], session.shelf.cards[0])
    assert [str(change) for change in window.comparison.settings] == ["fan thrust 620 → 900 N"]
    assert "top_speed" in [known.name for known, _, _ in window.comparison.measured]
    screenshot.settled(window)
    window.hide_comparison()
    session.shelf.drop_card(session.shelf.cards[0].id)
    assert len(session.shelf.cards) == 1
    session.undo()
    assert session.shelf.cards[0].heading == "strong fan"


def test_a_card_loads_its_settings_back(qtbot, window, idle):
    session = window.session
    session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    idle()
    first = window.shelf.cards[session.shelf.cards[1].id]
    qtbot.mouseClick(first, Qt.MouseButton.LeftButton, pos=QPoint(30, 60))
    assert session.craft.parts[0].thrust == 620.0
    assert session.shown.run is session.shelf.cards[1].run
    session.undo()
    assert session.craft.parts[0].thrust == 900.0
    idle()


# files


def test_save_and_reopen_give_the_same_yard_shelf_and_runs(qtbot, window, idle, tmp_path):
    session = window.session
    session.edit("crafts.fan_sled.parts.fan.thrust", 777.0)
    idle()
    window.set_driving(True)
    drive(qtbot, window, 0.4, Qt.Key.Key_W)
    window.set_driving(False)
    session.shelf.change_card(session.shelf.cards[0].id, "pin", pinned=True)
    file = tmp_path / "my.json"
    window.keeper.save(file)
    idle()
    assert not session.is_dirty
    yard, cards, lost, _, told = shelf_store.load_all(file)
    assert told == ""
    assert not lost
    assert yard == session.yard
    assert [card.heading for card in cards] == [card.heading for card in session.shelf.cards]
    assert [card.run.digest for card in cards] == [card.run.digest for card in session.shelf.cards]
    assert cards[0].pinned
    window.keeper.open(file)
    idle()
    assert session.craft.parts[0].thrust == 777.0
    assert window.keeper.recent() == [file.resolve()]
    idle()


def test_opening_a_damaged_file_says_so_and_keeps_the_work(window, idle, tmp_path):
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    before = window.session.yard
    for content in ("{", "[]", '{"format": 99}', '{"title": "x"}', "\udcff"):
        file = tmp_path / "bad.json"
        file.write_bytes(content.encode("utf-8", "surrogateescape"))
        window.keeper.open(file)
        idle()
        assert said.pop()[1]
        assert not said
    window.keeper.open(tmp_path / "nowhere.json")
    idle()
    assert "no such file" in said[-1][0]
    assert window.session.yard is before
    assert window.notice.isVisible()


def test_a_save_that_fails_says_so_and_keeps_the_old_file(window, idle, tmp_path, monkeypatch):
    file = tmp_path / "yard.json"
    window.keeper.save(file)
    idle()
    old = file.read_bytes()
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 1234.0)

    def full(handle):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    window.keeper.save(file)
    idle()
    assert "no space left" in said[-1][0]
    assert file.read_bytes() == old
    assert window.session.is_dirty
    assert not [left for left in tmp_path.iterdir() if left.name.startswith(".yard")]


def crash(window):
    """What a killed program leaves: its files, and no lock any more."""
    window.keeper.auto._lock.release()
    window.keeper.auto = Autosave()
    window.session.mark_saved(None)


def another(qtbot, renderer):
    session = Session(demos.load("fan-sled"))
    other = Window(session, renderer)
    qtbot.addWidget(other)
    other.show()
    return other


def test_unsaved_work_is_recovered_after_a_crash(qtbot, window, idle, renderer):
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 888.0)
    idle()
    window.keeper.autosave()
    assert window.keeper.auto.yard.exists()
    other = another(qtbot, renderer)
    assert not other.filing.offer_recovery(), "a session that runs is not lost"
    folder = window.keeper.auto.folder
    crash(window)
    assert other.filing.offer_recovery()
    assert other.question.buttons[0].text() == "Recover"
    qtbot.mouseClick(other.question.buttons[0], Qt.MouseButton.LeftButton)
    other.keeper.background.wait()
    session = other.session
    assert session.craft.parts[0].thrust == 888.0
    assert len(session.shelf.cards) == 2
    assert session.is_dirty
    assert other.keeper.lost_work() == []
    assert folder.exists(), "it stays on disk until it is saved or discarded"
    other.session.mark_saved(None)
    other.close()
    assert not folder.exists()


def test_pictures_and_csv_are_written(window, idle, tmp_path):
    for name in ("view.png", "traces.png", "traces.svg"):
        widget = window.view if name.startswith("view") else window.traces
        assert window.keeper.export_picture(widget, tmp_path / name)
        assert (tmp_path / name).stat().st_size > 2000
    window.keeper.export_csv(lambda: window.session.shown.run, tmp_path / "run.csv")
    idle()
    assert (tmp_path / "run.csv").read_text().startswith("t [s],fan_sled.position.x [m]")
    assert not window.keeper.export_picture(window.view, Path("/proc/nothing/view.png"))


def test_without_opengl_everything_but_the_3d_view_works(qtbot):
    session = Session(demos.load("fan-sled"))
    plain = Window(session, None, "no OpenGL 3.3 here")
    qtbot.addWidget(plain)
    plain.show()
    session.open(demos.load("fan-sled"), (), None)
    qtbot.waitUntil(lambda: bool(session.shelf.cards), timeout=60_000)
    assert "plan" in plain.notice.words.text()
    picture = screenshot.settled(plain.view)
    colours = {picture.pixel(x, y) for x in range(0, 740, 4) for y in range(0, 340, 4)}
    assert len(colours) > 20, "plan and side view are drawn"
    plain.close()


def test_the_yard_file_diffs_well(yard):
    text = yard_json.dumps(yard)
    other = yard_json.dumps(yard.edit("crafts.fan_sled.parts.fan.thrust", 900.0))
    changed = [a for a, b in zip(text.splitlines(), other.splitlines(), strict=True) if a != b]
    assert changed == ['     "thrust": 620.0,']
    names = [
        "format",
        "title",
        "ticks",
        "integrator",
        "bench",
        "crafts",
        "grounds",
        "drills",
        "spreads",
        "cameras",
        "wishes",
        "game",
    ]
    assert list(json.loads(text)) == names


def test_a_drive_shows_no_card_and_no_finding_of_the_run_before(window, idle):
    session = window.session
    session.edit("crafts.fan_sled.parts.speed_limit.limit", 60.0)
    idle()
    assert session.shelf.shown_card
    assert "limit_never_acts" in [one.name for one in session.shown.warned]
    window.set_driving(True)
    assert session.shelf.shown_card == ""
    assert "limit_never_acts" not in [one.name for one in session.shown.warned]
    assert "limit" not in window.header.cautions.toolTip()
    words = next(one for one in window.desk.strips if one.name == "speed_limit").words.text()
    assert "last run" not in words
    assert "was 0" not in words, "nor the ranges of a drive that has just begun"
    window.set_driving(False)


def test_an_edit_while_a_file_is_read_is_not_thrown_away(window, idle, tmp_path):
    session, file = window.session, tmp_path / "other.json"
    yard_json.save(demos.load("quay"), file)
    window.keeper.open(file)
    session.edit("crafts.fan_sled.parts.fan.thrust", 777.0)  # before the answer comes in
    idle()
    assert session.craft.parts[0].thrust == 777.0
    assert "was edited while other.json was being read" in window.notice.words.text()
    window.keeper.open(file)
    idle()
    assert session.yard.title == demos.load("quay").title


def test_a_card_that_goes_with_the_focus_in_it_takes_no_other_along(window, idle):
    """What hides with the focus hands it on, the shelf scrolls there, and fills anew in the middle of its emptying."""
    session, made = window.session, window.session.shown.run
    for k in range(60):
        session.shelf.add(shelf.card_of(made, f"try {k}"))
    along = window.shelf.area.horizontalScrollBar()
    for place in (0, 25, 59):
        session.undo()
        along.setValue(place * shelfpane.STEP)
        window.shelf.cards[session.shelf.cards[place].id].setFocus()
        along.setValue(along.maximum() if place < 30 else 0)
        window.repaint()
    session.open(demos.load("puck"), (), None)
    idle()
    assert list(window.shelf.cards) == [card.id for card in session.shelf.cards]
