"""A recorded game beside the craft, in the real window: what is missing, the laws, a craft of them, and a fit."""

from __future__ import annotations

import runpy
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.results import recorded
from oak_sled.desk.widgets import screenshot, theme

EXAMPLE = Path(__file__).parents[2] / "examples" / "own_loop.py"


@pytest.fixture
def page(window, qtbot, idle, tmp_path):
    """The Drill page with a drill of the table that a loop of forty lines wrote."""
    file = tmp_path / "own_loop.csv"
    runpy.run_path(str(EXAMPLE))["main"](str(file))
    window.show_page("Drill")
    page = window.drill_page
    page.files.import_recording(file)
    qtbot.waitUntil(page.recording.isVisible, timeout=20_000)
    QTest.mouseClick(page.recording.take_button, Qt.MouseButton.LeftButton)
    idle()
    return page


def look(page, qtbot):
    """Opens the panel from the menu of the drill."""
    menu = QMenu()
    page._fill_drill(menu)
    next(one for one in menu.actions() if one.text().startswith("What the craft lacks")).trigger()
    qtbot.waitUntil(page.fits.panel.isVisible, timeout=60_000)
    return page.fits.panel


def test_a_loop_of_ones_own_is_read_and_a_craft_of_it_repeats_it(page, window, qtbot, idle):
    panel = look(page, qtbot)
    assert not page.strips.isVisible()
    assert "kept 0.985" in panel.laws.text()
    assert "clamped at 5 m/s" in panel.laws.text()
    assert "share 0.12" in panel.laws.text()
    assert "rms" in panel.missing.text()
    assert not panel.dials.isVisible(), "nothing is fitted yet"
    far = np.nanmax(recorded.off(window.session.shown.run, "place"))
    QTest.mouseClick(panel.build_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.session.craft.id == "own_laws" and panel.isVisible(), timeout=60_000)
    idle()
    assert window.session.craft.body.damping == pytest.approx(0.9068, abs=1e-3)
    near = np.nanmax(recorded.off(window.session.shown.run, "place"))
    assert near < 0.05 * far
    QTest.mouseClick(panel.fit_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: panel.isVisible() and panel.fit is not None, timeout=120_000)
    idle()
    assert panel.dials.isVisible()
    assert panel.dials.height() > 0
    assert "held out" in panel.near.text()
    assert panel.before is not None
    inks = [theme.colour(name) for name in ("game", "oak_deep")]
    shown = screenshot.pixels(panel.paths).astype(int)
    for ink in inks:
        away = np.abs(shown - (ink.blue(), ink.green(), ink.red())).sum(axis=-1)
        assert np.count_nonzero(away < 40) > 20, "both paths are drawn"
    QTest.keyClick(window, Qt.Key.Key_Escape)
    if panel.isVisible():  # the first closed what was said
        QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not panel.isVisible()
    assert page.strips.isVisible()
    window.session.undo()
    window.session.undo()
    assert "own_laws" not in [one.id for one in window.session.yard.crafts]


def test_the_panel_leaves_with_its_drill(page, window, qtbot, idle):
    panel = look(page, qtbot)
    window.session.choose("drill", "step_steer")
    idle()
    assert not panel.isVisible()
    assert page.strips.isVisible()
    menu = QMenu()
    page._fill_drill(menu)
    assert not [one for one in menu.actions() if "lacks" in one.text()], "it has no recording"


def test_a_recording_that_cannot_be_read_frame_by_frame_says_why(window, qtbot, idle):
    session = window.session
    session.choose("drill", "game_drive")
    idle()
    recording = session.drill.recording
    t = recording.t.replace(values=tuple(v + (0.02 if k % 2 else 0.0) for k, v in enumerate(recording.t.values)))
    session.edit("drills.game_drive.recording", recording.replace(t=t))
    idle()
    window.show_page("Drill")
    panel = look(window.drill_page, qtbot)
    assert "differ by" in panel.laws.text()
    assert not panel.build_button.isEnabled()
