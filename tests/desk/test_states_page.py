"""States of motion in the real window: begun from the Build page, turned, renamed, drawn on the axis, undone, saved."""

from __future__ import annotations

import json

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QPushButton

from oak_sled.core.files import yard_json
from oak_sled.core.results import states
from oak_sled.core.yard.motionstate import USUAL
from oak_sled.desk.panes.traceplot import AXIS, STATES_PX
from oak_sled.desk.widgets import screenshot


@pytest.fixture
def page(window, idle):
    """The Build page with the fan sled."""
    idle()
    window.show_page("Build")
    return window.build_page


def offered(page):
    """What the menu of states offers."""
    menu = QMenu()
    page.motion.fill(menu)
    return [action for action in menu.actions() if not action.isSeparator()], menu


def pressed(page, words):
    """Presses a button of the column of numbers."""
    QApplication.processEvents()  # what was laid out anew is shown
    button = next(one for one in page.findChildren(QPushButton) if one.text() == words and one.isVisible())
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_the_usual_states_are_begun_turned_put_in_order_and_undone(page, window, idle):
    session = window.session
    actions, _menu = offered(page)
    actions[0].trigger()
    idle()
    assert session.craft.states == USUAL
    assert len(states.spells(session.shown.run)) > 3
    page.choose_channel("", "slide")
    dial = page.dials["conditions.1.value"]
    dial.setFocus()
    for _ in range(3):
        QTest.keyClick(dial, Qt.Key.Key_Up)
    idle()
    assert session.craft.states[1].conditions[1].value > 12.0
    pressed(page, "before the one above")
    assert [one.id for one in session.craft.states][:2] == ["slide", "airborne"]
    assert session.craft.states[0].conditions[1].value > 12.0, "as it was turned"
    pressed(page, "one more condition")
    assert len(session.craft.states[0].conditions) == 3
    pressed(page, "remove this state")
    assert [one.id for one in session.craft.states] == ["airborne", "roll", "idle"]
    while session.craft.states:
        session.undo()
    idle()
    assert (states.of(session.shown.run) == states.NONE).all()


def test_a_state_is_renamed_and_comes_back_from_its_file(page, window, idle, tmp_path):
    session = window.session
    actions, _menu = offered(page)
    actions[1].trigger()
    idle()
    [made] = session.craft.states
    name = next(edit for edit in page.numbers.findChildren(type(page.numbers.add_name("x", "", lambda _: True)))
                if edit.text() == made.id)  # fmt: skip
    name.setFocus()
    name.selectAll()
    QTest.keyClicks(name, "cruising")
    QTest.keyClick(name, Qt.Key.Key_Return)
    idle()
    assert [one.id for one in session.craft.states] == ["cruising"]
    file = tmp_path / "own.json"
    file.write_bytes(yard_json.encoded(session.yard))
    assert yard_json.of(json.loads(file.read_text())).craft().states == session.craft.states


def test_states_are_drawn_under_the_axis_of_time(window, idle):
    session = window.session
    idle()
    window.show_page("Bench")
    pane = window.traces
    before = pane.band().bottom()
    session.edit("crafts.fan_sled.states", USUAL)
    idle()
    assert pane.band().bottom() == before - STATES_PX, "room for them"
    cover = screenshot.pixels(pane.cover)
    strip = cover[int(pane.band().bottom()) + AXIS - 5]  # over their names
    seen: dict[int, set[tuple[int, ...]]] = {}
    for one in states.spells(session.shown.run):
        left, right = (pane.x_at(row * session.shown.run.job.dt) for row in (one.first, one.last))
        if right - left > 8.0:
            seen.setdefault(one.state, set()).add(tuple(strip[round(left) + 3].tolist()))
    assert len(seen) >= 3
    assert all(len(colours) == 1 for colours in seen.values())
    assert len(set.union(*seen.values())) == len(seen), "each in its colour"
    window.driver.start()
    window.driver.keys.held.add("W")
    QTest.qWait(1)
    window.driver.stop()
    idle()
    session.edit("crafts.fan_sled.states", ())
    idle()
    assert pane.band().bottom() == before
