"""Steering by pointer and by pad in the real window: what moves, what is let go, and what never steers."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from stand_in_pads import Desk

from oak_sled.core.results import run
from oak_sled.core.yard.control import Control
from oak_sled.desk.driving.inputpanel import conflicts

RIGHT, LEFT = Qt.MouseButton.RightButton, Qt.MouseButton.LeftButton


@pytest.fixture
def steered(window, qtbot):
    """The fan sled with its steering on the pointer and on a pad, being driven."""
    session = window.session
    craft = session.yard.craft("fan_sled")
    steer = next(one for one in craft.channels if one.two_sided)
    controls = (
        Control(id="mouse", device="pointer", what="x", factor=1.0), Control(id="wheel", what="wheel", factor=1.0),
    )  # fmt: skip
    session.edit(f"crafts.fan_sled.channels.{steer.id}.controls", controls, "bind", card=False)
    window.set_driving(True)
    qtbot.waitUntil(lambda: window.driver.drive is not None and window.driver.drive.ticks > 2)
    yield window, steer.id
    window.set_driving(False)


def value(window, name: str) -> float:
    return float(window.driver.drive.newest(1.0).column(f"input.{name}")[-1])


def wait(window, qtbot, ticks: int = 12) -> None:
    goal = window.driver.drive.ticks + ticks
    qtbot.waitUntil(lambda: window.driver.drive.ticks >= goal, timeout=20_000)


def test_the_pointer_steers_while_its_right_button_is_held_over_the_view(steered, qtbot):
    window, name = steered
    view, middle = window.view, window.view.rect().center()
    camera = window.view.rig.name
    QTest.mousePress(view, RIGHT, pos=middle)
    QTest.mouseMove(view, middle + QPoint(50, 0))
    wait(window, qtbot)
    assert value(window, name) == pytest.approx(0.5)
    QTest.mouseMove(view, middle + QPoint(-30, 10))
    wait(window, qtbot)
    assert value(window, name) == pytest.approx(-0.3)
    assert window.view.rig.name == camera, "the camera did not turn with it"
    QTest.mouseRelease(view, RIGHT, pos=middle)
    wait(window, qtbot)
    assert value(window, name) == 0.0


def test_a_click_on_a_control_never_steers(steered, qtbot):
    window, name = steered
    QTest.mousePress(window.desk, RIGHT, pos=QPoint(30, 30))
    QTest.mouseMove(window.desk, QPoint(230, 60))
    wait(window, qtbot)
    assert value(window, name) == 0.0
    QTest.mouseRelease(window.desk, RIGHT, pos=QPoint(230, 60))
    QTest.mouseMove(window.view, window.view.rect().center())
    QTest.mouseMove(window.view, window.view.rect().center() + QPoint(90, 0))
    wait(window, qtbot)
    assert value(window, name) == 0.0, "nor does a movement without the button"


def test_a_captured_pointer_steers_until_escape(steered, qtbot):
    window, name = steered
    window.driver.capture_pointer()
    steering = window.driver.steering
    assert steering.captured
    at = window.view.rect().center()
    QTest.mouseMove(window.view, at + QPoint(40, 0))
    wait(window, qtbot)
    assert value(window, name) == pytest.approx(0.4, abs=0.02)
    QTest.keyClick(window.view, Qt.Key.Key_Escape)
    wait(window, qtbot)
    assert not steering.captured
    assert value(window, name) == 0.0
    assert window.driver.is_on, "escape let the pointer go, and nothing else"


def test_without_a_drive_or_a_binding_it_says_so(window):
    window.driver.capture_pointer()
    assert not window.driver.steering.captured


def test_a_pad_steers_and_one_that_is_pulled_out_lets_go(steered, qtbot):
    window, name = steered
    desk = Desk()
    desk.pads._say = window.session.say
    window.driver.pads.slots = desk.pads.slots
    window.driver.pads._look, window.driver.pads._open = desk.pads._look, desk.pads._open
    pad = desk.plug("event5")
    window.driver.pads.scan()
    pad.tell(3, 8, 450)
    wait(window, qtbot)
    assert value(window, name) == pytest.approx(0.5)
    assert window.driver.missing() == []
    del desk.there["event5"]
    pad.pull_out()
    wait(window, qtbot)
    assert value(window, name) == 0.0
    assert window.driver.is_on, "driving goes on"
    assert window.driver.missing() == [], "keys and the pointer still drive it"
    session = window.session
    place = f"crafts.fan_sled.channels.{name}"
    session.edit(f"{place}.controls", (Control(id="wheel", what="wheel"),), "bind", card=False)
    session.edit(f"{place}.plus_keys", (), "bind", card=False)
    session.edit(f"{place}.minus_keys", (), "bind", card=False)
    assert "there is no pad 1" in window.driver.missing()[0]
    made = window.driver.drive.finish()
    assert run.execute(made.job).digest == made.digest, "and it repeats to the bit"


def test_the_panel_names_what_is_bound_twice(window):
    craft = window.session.yard.craft("fan_sled")
    one, other = craft.channels[:2]
    twice = (Control(id="one", what="wheel"),)
    path = "crafts.fan_sled.channels"
    window.session.edit(f"{path}.{one.id}.controls", twice, "bind", card=False)
    window.session.edit(f"{path}.{other.id}.controls", twice, "bind", card=False)
    window.session.edit(f"{path}.{other.id}.sensitivity", 0.0, "none", card=False)
    found = conflicts(window.driver.crafts())
    assert any(words.startswith("pad 1 wheel is bound twice: ") for words in found)
    assert any(words.endswith("its sensitivity is 0") for words in found)
