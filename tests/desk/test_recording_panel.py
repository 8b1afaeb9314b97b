"""The table of a game in the real window: guessed, corrected, taken as a drill, and held against every dial."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.base import document
from oak_sled.core.base.axes import Axes
from oak_sled.core.results import traces
from oak_sled.core.yard.recording import PLACE
from oak_sled.desk.drill import fitting
from oak_sled.desk.drill.recordingpanel import CHOICES, CHOSEN


def written(run, file, axes, metre=100.0, unit="cm"):
    """The places and inputs of a run, as a game has them, as CSV."""
    places = metre * axes.vectors(run.columns(*PLACE))
    names = [one.id for one in run.job.craft.channels]
    inputs = run.columns(*(f"channel.{name}" for name in names))
    rows = [",".join(["time", f"x [{unit}]" if unit else "x", "y", "z", *names])]
    for t, place, given in zip(run.t.tolist(), places.tolist(), inputs.tolist(), strict=True):
        rows.append(",".join(map(repr, (t, *place, *given))))
    file.write_text("\n".join(rows))


@pytest.fixture
def page(window, qtbot):
    window.show_page("Drill")
    yield window.drill_page
    window.drill_page.recording.leave()


def test_a_table_is_guessed_taken_and_held_against_every_dial(page, window, qtbot, idle, tmp_path):
    run, file = window.session.shown.run, tmp_path / "lake_drive.csv"
    written(run, file, Axes("z", "y", "left"))
    page.files.import_recording(file)
    panel = page.recording
    qtbot.waitUntil(panel.isVisible, timeout=20_000)
    assert not page.strips.isVisible()
    assert panel.buttons["length"].text() == "lengths in cm"
    assert panel.buttons["up"].text() == "up is y"
    assert panel.buttons["hand"].text() == "hand left"
    assert "130\u2009m in 13.9 s" in panel.says.text()
    assert "position.x: column x" in panel.says.text()
    QTest.mouseClick(panel.take_button, Qt.MouseButton.LeftButton)
    idle()
    drill = window.session.drill
    assert drill.recording is not None
    assert drill.recording.name == "lake drive"
    assert page.strips.isVisible()
    made = window.session.shown.run
    assert made.job.drill.id == drill.id
    near = np.nanmax(traces.values(made, "off.place"))
    assert window.session.shown.beside()[0].ticks == made.ticks
    window.session.edit("crafts.fan_sled.parts.runners.side_grip", 0.3)
    idle()
    assert np.nanmax(traces.values(window.session.shown.run, "off.place")) > near + 2.0
    window.session.undo()
    window.session.undo()
    idle()
    assert window.session.drill.recording is None


def test_dials_are_fitted_to_the_table_as_one_step_and_undone(page, window, qtbot, idle, tmp_path):
    thrust, file = "crafts.fan_sled.parts.fan.thrust", tmp_path / "lake.csv"
    written(window.session.shown.run, file, Axes(), 1.0, "m")
    page.files.import_recording(file)
    qtbot.waitUntil(page.recording.isVisible, timeout=20_000)
    menu = QMenu()
    page._fill_drill(menu)
    assert not any(action.menu() for action in menu.actions()), "no recording, no fit"
    QTest.mouseClick(page.recording.take_button, Qt.MouseButton.LeftButton)
    idle()
    window.session.edit(thrust, 500.0)
    idle()
    off = np.nanmax(traces.values(window.session.shown.run, "off.place"))
    menu = QMenu()
    page._fill_drill(menu)
    offered = next(action.menu() for action in menu.actions() if action.menu())
    assert next(one.text() for one in offered.actions()) == "those that it tells most of"
    fan = next(one for one in offered.actions() if one.text() == "Fan")
    window.session.locks = set(fitting.by_part(window.session)["Fan"])
    fan.trigger()
    qtbot.waitUntil(lambda: "are all locked" in window.notice.words.text(), timeout=20_000)
    window.session.locks = set()
    fan.trigger()
    qtbot.waitUntil(lambda: not window.session.background.is_busy, timeout=120_000)
    idle()
    assert document.get(window.session.yard, thrust) > 530.0
    assert np.nanmax(traces.values(window.session.shown.run, "off.place")) < 0.5 * off
    assert "held out" in window.notice.words.text()
    assert "thrust 500" in window.notice.words.text()
    window.session.undo()
    assert document.get(window.session.yard, thrust) == 500.0


def test_what_is_wrong_is_chosen_otherwise_and_the_path_follows(page, window, qtbot, tmp_path):
    file = tmp_path / "bare.csv"
    written(window.session.shown.run, file, Axes(), 1.0, "")
    page.files.import_recording(file)
    panel = page.recording
    qtbot.waitUntil(panel.isVisible, timeout=20_000)
    assert panel.reasons["length"].text().startswith("not sure: ")
    before = panel.recording.column("position.x")
    menu = panel.buttons["length"].menu()
    next(one for one in menu.actions() if one.text() == "cm").trigger()
    assert np.allclose(panel.recording.column("position.x"), before / 100.0)
    assert panel.reasons["length"].text() == CHOSEN
    for name, options in CHOICES.items():
        for option in options:
            next(one for one in panel.buttons[name].menu().actions() if one.text() == option).trigger()
            assert panel.buttons[name].text().endswith(option)
            game = panel.guess.game
            assert game.up[-1] != game.forward[-1]
    window.notice.hide()
    QTest.keyClick(panel.take_button, Qt.Key.Key_Escape)
    assert not panel.isVisible()
    assert page.strips.isVisible()
    assert len(window.session.yard.drills) == len({one.id for one in window.session.yard.drills})


def test_a_file_that_is_no_recording_is_said_in_place(page, window, qtbot, tmp_path):
    file = tmp_path / "no.csv"
    file.write_text("oak,sled\n1,2\n3,4\n")
    page.files.import_recording(file)
    qtbot.waitUntil(lambda: "no column of time" in window.notice.words.text(), timeout=20_000)
    assert not page.recording.isVisible()
