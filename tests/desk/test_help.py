"""Help and the finder in the real window: F1 on what has the focus, search, links, and going anywhere by name."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from oak_sled.core.project import topics
from oak_sled.core.yard.body import Body
from oak_sled.desk.app import goals
from oak_sled.desk.app.commands import COMMANDS
from oak_sled.desk.app.places import PAGES, PANES


@pytest.fixture
def helped(window, idle):
    yield window
    window.help.hide()
    window.finder.hide()
    if window.sheet is not None:
        window.sheet.hide()


def f1(window, widget):
    widget.setFocus()
    QTest.keyClick(widget, Qt.Key.Key_F1)
    return window.help.shown


def test_f1_on_every_dial_choice_and_strip_tells_of_it(helped, idle):
    for strip in list(helped.desk.strips):
        if strip.name != "body":
            helped.desk.open_name = ""
            helped.desk.open_strip(strip.name)
        now = helped.desk.strip(strip.name)
        kind = "body" if isinstance(now.part, Body) else now.part.kind
        for name, dial in now.dials.items():
            if dial.isVisible():
                assert f1(helped, dial) == f"dial:{kind}.{name}"
                assert dial.dial.says in helped.help.text.toPlainText()
        for name, button in now.choices.items():
            if button.isVisible() and name != "held":
                assert f1(helped, button) == f"dial:{kind}.{name}"


@pytest.mark.parametrize("page", [page.name for page in PAGES if page.name != "Bench"])
def test_f1_on_a_page_tells_of_it_beside_the_work(page, helped):
    helped.show_page(page)
    helped.setFocus()
    QTest.keyClick(helped, Qt.Key.Key_F1)
    assert helped.help.shown == f"window:{page}"
    work, told = helped.page_stack.geometry(), helped.help.geometry()
    assert work.right() < told.left(), "beside the work, not over it"
    assert work.width() > 600
    QTest.keyClick(helped, Qt.Key.Key_F1)
    assert not helped.help.isVisible()
    helped.show_page("Bench")


def test_escape_closes_the_help_and_the_sheet_is_its_last_entry(helped):
    helped.toggle_help()
    assert helped.help.isVisible()
    helped.help.sheet.click()
    assert helped.sheet.isVisible()
    helped.view.setFocus()
    QTest.keyClick(helped.view, Qt.Key.Key_Escape)
    assert not helped.sheet.isVisible()
    QTest.keyClick(helped.view, Qt.Key.Key_Escape)
    assert not helped.help.isVisible()


def test_every_topic_is_shown_and_links_lead_on_and_back(helped):
    helped.show_help("part:wing")
    for name in helped.help.known():
        helped.help.show_topic(name)
        assert helped.help.shown == name
        assert len(helped.help.text.toPlainText()) > 10, name
    helped.help.show_topic("part:wing")
    helped.help._follow(QUrl("topic:dial%3Awing.stall_deg"))
    assert helped.help.shown == "dial:wing.stall_deg"
    assert "16°" in helped.help.text.toPlainText().replace("\u2009", "").replace("\u202f", "").replace(" °", "°")
    helped.help.go_back()
    assert helped.help.shown == "part:wing"
    helped.help._follow(QUrl("measures.md"))
    assert helped.help.shown == "page:measures"


def test_the_help_is_searched_as_one_types(helped):
    helped.toggle_help()
    QTest.keyClicks(helped.help.search, "stopping dist")
    assert "stopping distance" in helped.help.text.toPlainText()
    QTest.keyClick(helped.help.search, Qt.Key.Key_Return)
    assert helped.help.shown == "measure:stop_distance"
    assert helped.help.search.text() == ""
    QTest.keyClicks(helped.help.search, "zzqx")
    assert "nothing has all of these words" in helped.help.text.toPlainText()


def test_a_caution_has_its_help(helped, idle):
    helped.session.edit("crafts.fan_sled.parts.fan.thrust", 1.0)
    idle()
    helped.show_page("Bench")
    helped.show_cautions()
    listed = helped.measures.cautions
    name = listed.shown[0].name
    line = next(one for one in listed.children() if hasattr(one, "property") and one.property("help_topic"))
    assert line.property("help_topic") == f"caution:{name}"
    assert f"caution:{name}" in topics.topics()


def find(window, text):
    window.acts["find"].trigger()
    QTest.keyClicks(window.finder.line, text)
    QTest.keyClick(window.finder.line, Qt.Key.Key_Return)


def test_the_finder_goes_to_dials_drills_places_and_commands(helped, idle):
    find(helped, "lateral friction")
    focus = QApplication.focusWidget()
    assert getattr(focus, "path", "") == "parts.runners.side_grip"
    find(helped, helped.session.yard.drill("brake_to_stop").heading)
    idle()
    assert helped.session.drill.id == "brake_to_stop"
    find(helped, "what lies on the ground")
    assert helped.page_stack.currentWidget() is helped.pages["Ground"]
    find(helped, "fit the path")
    find(helped, "every force and torque at the cursor")
    assert helped.page_stack.currentWidget() is helped.bench
    assert helped.stack.currentWidget() is helped.ledger
    find(helped, "stopping distance")
    assert helped.help.shown == "measure:stop_distance"
    assert not helped.finder.isVisible()


def test_the_finder_is_moved_through_by_keys_and_closed_by_escape(helped):
    helped.acts["find"].trigger()
    QTest.keyClicks(helped.finder.line, "bouncy")
    assert helped.finder.list.count() > 5
    QTest.keyClick(helped.finder.line, Qt.Key.Key_Down)
    assert helped.finder.list.currentRow() == 1
    QTest.keyClick(helped.finder.line, Qt.Key.Key_Up)
    assert helped.finder.list.currentRow() == 0
    QTest.keyClick(helped.finder.line, Qt.Key.Key_Escape)
    assert not helped.finder.isVisible()


def test_every_command_page_pane_and_topic_can_be_found_by_its_name(helped):
    known = {goal.topic.name: goal for goal in goals.every(helped)}
    for command in COMMANDS:
        assert command.name == "find" or f"do:{command.name}" in known
    for place in (*PAGES, *PANES):
        assert f"to:{place.name}" in known
    every = [goal.topic for goal in known.values()]
    for goal in known.values():
        words = goal.topic.title
        if topics.search(words, every, 1):
            assert goal.topic.name in [one.name for one in topics.search(words, every, 400)], goal.topic
