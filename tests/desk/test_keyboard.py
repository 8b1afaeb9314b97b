"""The window by keyboard alone: every control is reached by Tab in the order of the eye, shows its focus, and tells
assistive technology its name and its value; a run is tuned, stepped, kept and undone without a pointer."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QWidget

from oak_sled.desk.app import program
from oak_sled.desk.app.places import PAGE_NAMES
from oak_sled.desk.widgets import screenshot
from oak_sled.desk.widgets.dialwidget import DialWidget


def tab(window, back=False):
    key = Qt.Key.Key_Backtab if back else Qt.Key.Key_Tab
    QTest.keyClick(QApplication.focusWidget() or window, key)
    return QApplication.focusWidget()


def walk(window):
    """Every widget that Tab reaches, in order, once round."""
    window.setFocus()
    seen = []
    for _ in range(400):
        widget = tab(window)
        assert widget is not None
        if widget in seen:
            return seen
        seen.append(widget)
    raise AssertionError("Tab never comes round")


def name_of(widget):
    return widget.accessibleName() or (widget.text() if isinstance(widget, QAbstractButton) else "")


@pytest.mark.parametrize("page", PAGE_NAMES)
def test_tab_reaches_every_control_of_a_page_and_each_has_a_name(window, idle, page):
    window.show_page(page)
    idle()
    reached = walk(window)
    for widget in reached:
        assert name_of(widget).strip(), f"{type(widget).__name__} at {widget.mapTo(window, QPoint())} has no name"
    wanted = [
        one
        for one in window.findChildren(QWidget)
        if isinstance(one, QAbstractButton | DialWidget) and one.isVisible() and one.isEnabled()
    ]
    missed = [name_of(one) for one in wanted if one not in reached]
    assert not missed


def test_tab_follows_the_eye_from_region_to_region(window):
    """Header, picture, play bar, panes, strips from left to right, shelf; and inside a strip from above downward."""
    reached = walk(window)
    place = {widget: k for k, widget in enumerate(reached)}
    header = max(place[one] for one in reached if window.header.isAncestorOf(one))
    bar = [place[one] for one in reached if window.playbar.isAncestorOf(one)]
    strips = [[place[one] for one in reached if strip.isAncestorOf(one)] for strip in window.desk.strips]
    cards = [place[one] for one in reached if window.shelf.isAncestorOf(one)]
    assert header < place[window.view] < min(bar)
    assert max(bar) < place[window.traces.cover] < min(strips[0])
    assert all(max(one) < min(other) for one, other in zip(strips, strips[1:], strict=False))
    assert max(strips[-1]) < place[window.desk.add_button] < min(cards)
    for strip in window.desk.strips:
        dials = [one for one in reached if isinstance(one, DialWidget) and strip.isAncestorOf(one)]
        heights = [one.mapTo(window, QPoint()).y() for one in dials]
        assert heights == sorted(heights)


def test_tab_and_back_again_is_the_same_way(window):
    window.setFocus()
    there = [tab(window) for _ in range(12)]
    back = [tab(window, back=True) for _ in range(11)]
    assert back == there[-2::-1]


def test_the_focus_is_seen_wherever_it_is_and_a_click_hides_it(window, qtbot):
    ring = window.focus_ring
    for _ in range(40):
        widget = tab(window)
        qtbot.waitUntil(ring.isVisible)
        screenshot.settled(window)
        middle = widget.mapTo(window, widget.rect().center())
        assert ring.geometry().contains(middle)
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=QPoint(20, 200))
    qtbot.waitUntil(lambda: not ring.isVisible())


def test_no_ring_where_no_key_moved_the_focus(window, idle):
    window.desk.strip("fan").buttons["mute"].setFocus()
    for page in ("Ground", "Drill", "Bench"):
        window.show_page(page)  # the widget with the focus is hidden, and Qt gives it to another
        idle()
        program.settle(QApplication.instance(), 0.1)
        assert not window.focus_ring.isVisible()
    window.desk.open_strip("fan")
    program.settle(QApplication.instance(), 0.1)
    assert not window.focus_ring.isVisible()


def test_a_dial_tells_its_value_and_the_keys_that_change_it(window, idle):
    dial = next(one for one in window.desk.strip("fan").findChildren(DialWidget) if one.dial.name == "thrust")
    assert dial.accessibleName() == "thrust"
    assert dial.accessibleDescription().startswith("620 N, ")
    while QApplication.focusWidget() is not dial:
        tab(window)
    QTest.keyClick(dial, Qt.Key.Key_Right)
    idle()
    thrust = next(part for part in window.session.craft.parts if part.id == "fan").thrust
    assert thrust > 620.0
    assert not dial.accessibleDescription().startswith("620 N, ")
    window.session.undo()
    idle()
    assert dial.accessibleDescription().startswith("620 N, ")


def test_picture_traces_ledger_and_cards_tell_what_they_show(window, idle, qtbot):
    session = window.session
    window.traces.cover.setFocus()
    session.shown.set_time(4.0)
    before = session.shown.row
    QTest.keyClick(window.traces.cover, Qt.Key.Key_Right)
    assert session.shown.row == before + 1
    QTest.keyClick(window.traces.cover, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert session.shown.row == before - 9
    # told once nothing moves
    qtbot.waitUntil(lambda: f"{session.shown.time:.3f} s" in window.traces.cover.accessibleDescription(), timeout=5000)
    assert "speed" in window.traces.cover.accessibleDescription()
    window.show_pane("Ledger")
    screenshot.settled(window)
    assert "fan" in window.ledger.accessibleDescription().lower()
    window.show_pane("Measures")
    assert "top speed" in window.measures.area.accessibleDescription()
    program.settle(QApplication.instance(), 0.6)
    assert "m/s" in window.view.accessibleDescription()
    cards = [one for one in window.shelf.findChildren(QWidget) if one.accessibleName().startswith("run: ")]
    assert cards
    assert all("Return loads it" in one.accessibleDescription() for one in cards)


def test_a_dial_is_typed_a_run_kept_and_undone_without_a_pointer(window, idle):
    session = window.session
    dial = next(one for one in window.desk.strip("fan").findChildren(DialWidget) if one.dial.name == "thrust")
    while QApplication.focusWidget() is not dial:
        tab(window)
    QTest.keyClick(dial, Qt.Key.Key_Return)
    QTest.keyClicks(QApplication.focusWidget(), "0.9 kN")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    idle()
    assert dial.value == 900.0
    assert len(session.shelf.cards) == 2
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    idle()
    assert dial.value == 620.0
    assert "Undid" in window.notice.words.text()
    assert len(session.shelf.cards) == 2
