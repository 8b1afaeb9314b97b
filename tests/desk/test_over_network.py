"""A drill and a drive over a network, in the real window: added, turned, seen beside the craft, undone, kept."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.results import recorded
from oak_sled.core.yard.network import Network
from oak_sled.desk.drill.channelpaint import Pick
from oak_sled.desk.drill.overnetwork import SEEN_BY
from oak_sled.desk.widgets import screenshot, theme
from oak_sled.desk.yardview.marks import pale


def offered(page):
    """What the menu of the network offers, by its words."""
    menu = QMenu()
    page.network.fill(menu)
    return {action.text(): action for action in menu.actions()}, menu


def copy_of(window):
    """The run that is drawn as the copy."""
    return next(one for one in window.session.shown.beside() if recorded.told_by(one) == "copy")


@pytest.mark.parametrize("seen_by", SEEN_BY)
def test_a_drill_is_seen_over_a_network_by_two_clicks_and_without_it_again(window, idle, seen_by):
    window.show_page("Drill")
    page, session = window.drill_page, window.session
    actions, _menu = offered(page)
    actions[SEEN_BY[seen_by]].trigger()
    idle()
    assert session.drill.network == Network(seen_by=seen_by)
    assert pale(copy_of(window)) == "copy"
    assert {"delay", "loss", "jitter", "blend"} <= set(page.dials)
    assert "seen by" in page.numbers.choices["seen_by"].text()
    actions, _menu = offered(page)
    actions["A target: no large jump"].trigger()
    assert [one.measure for one in session.drill.targets][-1] == "largest_jump"
    session.undo()
    actions, _menu = offered(page)
    actions["See it without a network"].trigger()
    idle()
    assert session.drill.network is None
    assert not [one for one in session.shown.beside() if recorded.told_by(one) == "copy"]
    session.undo()
    session.undo()
    assert session.drill.network is None, "as it began"


def test_the_delay_is_turned_on_its_dial_and_every_number_follows(window, idle):
    session = window.session
    session.choose("drill", "others_see")
    idle()
    off = session.shown.found["copy_off"]
    window.show_page("Drill")
    page = window.drill_page
    page.strips.choose(Pick("network"))
    dial = page.dials["delay"]
    dial.setFocus()
    for _ in range(5):
        QTest.keyClick(dial, Qt.Key.Key_Up)
    idle()
    assert session.drill.network.delay > 120.0
    assert session.shown.found["copy_off"] > off
    session.edit("drills.others_see.network.correct", "snap")
    assert "blend" not in page.dials, "a snap is not faded"
    session.edit("drills.others_see.network.authority", "driver")
    assert "buffer" not in page.dials, "nobody waits for inputs"


def test_what_others_see_of_a_drive_is_drawn_and_said_while_it_goes_on(window, idle, qtbot):
    session = window.session
    session.choose("drill", "others_see")
    session.edit("drills.others_see.network.delay", 250.0)
    idle()
    window.show_page("Bench")
    window.driver.start()
    window.driver.keys.held.add("W")
    qtbot.waitUntil(lambda: window.driver.drive.ticks > 240, timeout=30_000)
    copy = copy_of(window)
    live = session.shown.run
    assert copy.ticks == live.ticks
    assert copy.place_at(copy.ticks)[0] < live.place_at(live.ticks)[0] - 0.2, "they see it where it was going"
    ink = theme.colour("copy")
    away = np.abs(screenshot.pixels(window.view)[..., :3].astype(int) - (ink.blue(), ink.green(), ink.red())).sum(
        axis=-1
    )
    assert np.count_nonzero(away < 90) > 20, "its colour is on the screen"
    window.driver.stop()
    idle()
    made = session.shown.run
    assert np.isfinite(made.seen.error).all()
    assert session.shelf.cards[0].found["largest_jump"] == made.seen.largest_jump
