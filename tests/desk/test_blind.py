"""Two variants driven blind in the real window: nothing tells them apart, rated in words, seen, kept, made a wish."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from oak_sled.core.project import demos

RUDDER = "crafts.fan_sled.parts.rudder.turn"


@pytest.fixture
def blind(window, idle):
    """The bar of a comparison of the sled with little rudder, on the bench, and the one before, on a card."""
    idle()
    window.session.edit(RUDDER, 120.0)
    idle()
    window.blind.begin(window.session.shelf.cards[1], 5)
    return window.blind


def press(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def drive(window, blind, place, qtbot, ticks=30):
    """Drives one or two for a while; the rudder torque of what was driven."""
    press(blind.drives[place])
    qtbot.waitUntil(lambda: window.driver.is_on and window.driver.drive.ticks > ticks, timeout=30_000)
    craft = window.driver.drive.job.craft
    return next(part.turn for part in craft.parts if part.id == "rudder")


def rate(blind, word, nimble):
    """Says which is more so: the one of which is known that it has its rudder."""
    blind.sliders[word].setValue(2 if nimble == 1 else -2)


def test_a_comparison_is_driven_rated_seen_kept_and_made_a_wish(window, blind, idle, qtbot):
    session = window.session
    cards = len(session.shelf.cards)
    for part in (window.right, window.desk, window.shelf):
        assert not part.isVisible(), "it would tell them apart"
    assert window.view.is_blind
    blind.more.setFocus()
    QTest.keyClicks(blind.more, "nimble")
    QTest.keyClick(blind.more, Qt.Key.Key_Return)
    assert list(blind.sliders) == ["fun", "nimble"]
    press(blind.see_button)
    assert blind.is_on, "nothing was driven yet"
    for _ in range(3):
        torques = [drive(window, blind, place, qtbot) for place in (0, 1)]
        assert set(torques) == {120.0, 450.0}, "both"
        rate(blind, "nimble", torques.index(450.0))
        press(blind.next_button)
    assert all(slider.value() == 0 for slider in blind.sliders.values())
    press(blind.see_button)
    idle()
    assert not blind.is_on
    assert not window.driver.is_on
    assert len(session.shelf.cards) == cards, "a blind drive is no run of the shelf"
    assert window.desk.isVisible()
    assert not window.view.is_blind
    assert "far more nimble" in blind.answer.text()
    assert "3 of 3 rounds" in blind.answer.text()
    kept = session.shelf.cards[1]
    assert [(one.word, one.scores) for one in kept.ratings] == [("fun", (0, 0, 0)), ("nimble", (2, 2, 2))]
    assert session.shelf.cards[0].ratings[1].scores == (-2, -2, -2), "and the other way round on the other"
    widget = window.shelf.cards[kept.id]
    assert "far more nimble" in widget.toolTip()
    button = next(one for one in blind.findChildren(QPushButton) if one.text() == "make nimble a wish")
    press(button)
    qtbot.waitUntil(lambda: "nimble" in [one.id for one in session.yard.wishes], timeout=120_000)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    while blind.isVisible():
        QTest.keyClick(window, Qt.Key.Key_Escape)
    for _ in ("the word", "the rating of the one on the bench", "that of the card"):
        session.undo()
    assert not any(card.ratings for card in session.shelf.cards)


def test_a_comparison_that_is_left_keeps_nothing_and_shows_all_again(window, blind, idle, qtbot):
    drive(window, blind, 0, qtbot)
    press(blind.leave_button)
    idle()
    assert not blind.isVisible()
    assert window.desk.isVisible()
    assert window.right.isVisible()
    assert not any(card.ratings for card in window.session.shelf.cards)


def test_another_yard_ends_a_comparison(window, blind, idle):
    window.session.open(demos.load("puck"), (), None)
    idle()
    assert not blind.isVisible()
    assert window.desk.isVisible()
    assert not window.view.is_blind


def test_what_cannot_be_compared_is_said(window, blind, idle, qtbot):
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    press(blind.leave_button)
    blind.begin(window.session.shelf.cards[0], 1)
    assert "nothing to compare" in said[-1][0]
    assert not blind.isVisible()
    window.driver.start()
    blind.begin(window.session.shelf.cards[1], 1)
    assert "end it first" in said[-1][0]
    window.driver.stop()
    idle()


def test_dials_reach_no_variant_that_is_driven_blind(window, blind, qtbot, idle):
    torque = drive(window, blind, 0, qtbot)
    window.session.edit("crafts.fan_sled.body.mass", 300.0)
    job = window.driver.drive.job
    assert job.craft.body.mass == 240.0
    assert torque in (120.0, 450.0)
    press(blind.leave_button)
    idle()
