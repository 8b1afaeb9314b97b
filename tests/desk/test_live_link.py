"""The live link in the real window: a game hears a dial while it is dragged, and is heard; its end is said once."""

from __future__ import annotations

import socket

import numpy as np
import pytest
from lakegame import Game, played
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from oak_sled.core.link.server import Settings
from oak_sled.core.results import recorded, traces


@pytest.fixture
def page(window, qtbot):
    window.show_page("Hand-over")
    made = window.pages["Hand-over"]
    qtbot.waitUntil(lambda: bool(made.files), timeout=60_000)
    made.link_settings = Settings(port=0)
    return made


@pytest.fixture
def linked(page, qtbot):
    QTest.mouseClick(page.link_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.link.is_on, timeout=60_000)
    yield page
    page.link.close()


@pytest.fixture
def game(linked, qtbot):
    made = Game(linked.link.server.ports["tcp"])
    qtbot.waitUntil(lambda: "welcome" in made.kinds(), timeout=20_000)
    qtbot.waitUntil(lambda: "lake (tcp)" in linked.link_says.text(), timeout=20_000)
    yield made
    made.close()


def test_a_game_hears_a_dial_while_it_is_dragged_typed_and_undone(linked, game, window, qtbot):
    assert game.numbers()["fan_thrust"] == 620.0
    window.show_page("Bench")
    dial = window.desk.strip("fan").dials["thrust"]
    at = QPoint(20, 24)
    QTest.mousePress(dial, Qt.MouseButton.LeftButton, pos=at)
    for step in range(1, 7):
        QTest.mouseMove(dial, at + QPoint(8 * step, 0))
    assert window.session.is_previewing
    dragged = window.session.craft.parts[0].thrust
    assert dragged > 650.0
    qtbot.waitUntil(lambda: game.numbers()["fan_thrust"] == dragged, timeout=20_000)
    assert window.session.is_previewing, "before it is let go"
    QTest.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=at)
    window.session.undo()
    qtbot.waitUntil(lambda: game.numbers()["fan_thrust"] == 620.0, timeout=20_000)
    assert set(game.kinds()) == {"welcome", "dials"}


def test_what_a_game_tells_is_shown_and_a_wrong_message_is_said(linked, game, window, qtbot):
    for tick in range(120):
        game.send({"type": "telemetry", "tick": tick, "position": [0.1 * tick, 0, 0.5], "velocity": [6, 0, 0]})
    qtbot.waitUntil(lambda: len(next(iter(linked.link.takes.values()))) == 120, timeout=20_000)
    qtbot.waitUntil(lambda: "6.00\u2009m/s" in linked.link_says.text(), timeout=20_000)
    game.send({"type": "telemetry", "tick": 5, "position": [0, 0, 0]})
    qtbot.waitUntil(lambda: "5 after 119" in window.notice.words.text(), timeout=20_000)
    qtbot.waitUntil(lambda: "refused" in game.kinds(), timeout=20_000)
    game.send({"type": "bye", "why": "the level ended"})
    qtbot.waitUntil(lambda: "lake left: the level ended" in window.notice.words.text(), timeout=20_000)
    qtbot.waitUntil(lambda: "no game is there yet" in linked.link_says.text(), timeout=20_000)
    again = Game(linked.link.server.ports["tcp"])
    qtbot.waitUntil(lambda: "lake (tcp)" in linked.link_says.text(), timeout=20_000)
    again.close()


def test_a_craft_with_other_parts_is_said_to_the_game_and_on_the_page_until_it_is_back(linked, game, window, qtbot):
    craft = window.session.craft
    window.session.edit("crafts.fan_sled.parts", craft.parts[:-1])
    qtbot.waitUntil(lambda: "anew" in game.kinds(), timeout=20_000)
    qtbot.waitUntil(lambda: linked.link.why == "the craft has other parts", timeout=20_000)
    window.session.undo()
    qtbot.waitUntil(lambda: linked.link.why == "", timeout=20_000)


def test_a_port_that_is_taken_is_said_and_nothing_listens(page, window, qtbot):
    with socket.create_server(("127.0.0.1", 0)) as taken:
        page.link_settings = Settings(port=taken.getsockname()[1])
        page.toggle_link()
        qtbot.waitUntil(lambda: "cannot be listened on" in window.notice.words.text(), timeout=60_000)
    assert not page.link.is_on
    assert page.link_button.text() == "link running games"
    assert page.link_button.isEnabled()


def test_ending_the_link_says_goodbye(linked, game, qtbot):
    QTest.mouseClick(linked.link_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: game.kinds()[-1:] == ["bye"], timeout=20_000)
    assert not linked.link.is_on
    assert linked.link_button.text() == "link running games"


def test_a_game_is_drawn_beside_ours_and_driven_along_with(linked, game, window, qtbot):
    run = window.session.shown.run
    played(game, run, 300)
    link = linked.link
    qtbot.waitUntil(lambda: link.telling() is not None and len(link.takes[link.telling()]) == 300, timeout=20_000)
    shown = window.session.shown
    qtbot.waitUntil(lambda: shown.game is not None and shown.game.ticks > 500, timeout=20_000)
    assert shown.beside()[0] is shown.game
    assert linked.along_button.isVisible()
    QTest.mouseClick(linked.along_button, Qt.MouseButton.LeftButton)
    driver = window.driver
    assert driver.is_on
    assert driver.along is not None
    assert window.view.isVisible()
    assert window.header.drive.isChecked()
    played(game, run, 600, first=300)
    qtbot.waitUntil(lambda: shown.run.duration > 4.9, timeout=20_000)
    told = recorded.beside(shown.run)
    assert told is not None
    assert told.ticks == shown.run.ticks
    assert told.first_tick == shown.run.first_tick
    assert "off.place" in traces.book(shown.run)
    assert "off.place" in window.traces.names
    assert any(plot.ghosts for plot in window.traces.plots)
    assert "60 ticks a second, the craft is tuned at 120" in window.notice.words.text()
    QTest.keyClick(window, Qt.Key.Key_F9)
    assert not driver.is_on
    made = shown.run
    recording = made.job.drill.recording
    assert recording.name == "lake"
    assert len(recording.t.values) == 301
    assert traces.values(made, "off.place")[0] < 1e-9
    assert shown.beside()[0].ticks == made.ticks
    assert window.session.shelf.cards[0].says.startswith("along with lake")
    game.send({"type": "bye", "why": "the level ended"})
    qtbot.waitUntil(lambda: link.telling() is None, timeout=20_000)
    assert shown.game is None


@pytest.mark.parametrize("end", ["anew", "death"])
def test_a_game_that_begins_anew_or_dies_ends_the_drive_which_is_kept_with_what_it_did(
    end, linked, game, window, qtbot
):
    run = window.session.shown.run
    played(game, run, 100)
    link = linked.link
    qtbot.waitUntil(lambda: link.telling() is not None and len(link.takes[link.telling()]) == 100, timeout=20_000)
    QTest.mouseClick(linked.along_button, Qt.MouseButton.LeftButton)
    played(game, run, 160, first=100)
    qtbot.waitUntil(lambda: window.driver.drive.ticks == 120, timeout=20_000)
    for act in (window.driver.restart, window.driver.to_start, window.driver.step):
        act()  # none of them parts the two
        assert window.driver.drive.ticks == 120
        assert "gives the ticks of this drive" in window.notice.words.text()
    if end == "anew":
        played(game, run, 2)
    else:
        game.line.shutdown(socket.SHUT_WR)
    qtbot.waitUntil(lambda: not window.driver.is_on, timeout=20_000)
    assert not window.header.drive.isChecked()
    made = window.session.shown.run
    assert made.ticks == 120
    assert len(made.job.drill.recording.t.values) == 61
    assert linked.link.take_to_keep() is not None


def test_a_game_that_is_too_far_away_is_said_and_nothing_is_driven_or_kept(linked, game, window, qtbot):
    for tick in range(3):
        game.send({"type": "telemetry", "tick": tick, "position": [1e11, 0, 0.5], "velocity": [1e11, 0, 0]})
    qtbot.waitUntil(lambda: linked.link.telling() is not None, timeout=20_000)
    drills = window.session.yard.drills
    QTest.mouseClick(linked.along_button, Qt.MouseButton.LeftButton)
    assert not window.driver.is_on
    assert not window.header.drive.isChecked()
    assert "cannot be driven along with: start.x" in window.notice.words.text()
    window.show_page("Hand-over")
    QTest.mouseClick(linked.keep_button, Qt.MouseButton.LeftButton)
    assert "start.x" in window.notice.words.text()
    assert window.session.yard.drills == drills


def test_what_a_game_did_is_kept_as_a_drill_after_it_left_and_the_run_is_held_against_it(
    linked, game, window, qtbot, tmp_path
):
    run = window.session.shown.run
    played(game, run, 240)
    qtbot.waitUntil(lambda: linked.link.telling() is not None, timeout=20_000)
    qtbot.waitUntil(lambda: len(linked.link.takes[linked.link.telling()]) == 240, timeout=20_000)
    game.send({"type": "bye", "why": "the level ended"})
    qtbot.waitUntil(lambda: linked.link.telling() is None, timeout=20_000)
    assert linked.keep_button.isVisible()
    drills = len(window.session.yard.drills)
    QTest.mouseClick(linked.keep_button, Qt.MouseButton.LeftButton)
    kept = window.session.yard.drill()
    assert kept.recording is not None
    assert len(window.session.yard.drills) == drills + 1
    qtbot.waitUntil(lambda: window.session.shown.run.job.drill.id == kept.id, timeout=20_000)
    before = traces.values(window.session.shown.run, "off.place")
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    qtbot.waitUntil(lambda: window.session.shown.run.job.craft.parts[0].thrust == 900.0, timeout=20_000)
    after = traces.values(window.session.shown.run, "off.place")
    assert np.nanmax(after) > np.nanmax(before) + 1.0, "every number follows the dial"
    window.session.undo()
    window.session.undo()
    assert len(window.session.yard.drills) == drills
