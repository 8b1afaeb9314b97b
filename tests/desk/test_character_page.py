"""The page Character: words over the craft, bands that are dragged and typed, tuning by hands, taken and undone."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QMenu

from oak_sled.core.base import document
from oak_sled.core.feel import quantities, words
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos
from oak_sled.core.yard.drill import Target
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.desk.feel import bandpicture


@pytest.fixture
def page(window, idle, qtbot):
    """The page, with the character of the fan sled found."""
    window.show_page("Character")
    found = window.pages["Character"]
    qtbot.waitUntil(lambda: found.character() is not None, timeout=30_000)
    idle()
    return found


def key(widget, code):
    """A key pressed and let go."""
    QTest.keyClick(widget, code)


def click(widget, at):
    """A click of the left button at a place."""
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(int(at.x()), int(at.y())))


def drag(widget, start, end):
    """A drag from a place to another."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(widget, QPoint((start.x() + end.x()) // 2, start.y()))
    QTest.mouseMove(widget, end)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


SOME = tuple(
    f"crafts.fan_sled.{path}"
    for path in ("parts.rudder.turn", "parts.runners.side_grip", "body.mass", "parts.fan.thrust")
)
"""Dials by which the sled can be made icy but forgiving: fewer tries than all of them take."""


def test_a_click_on_a_word_shows_its_bands_and_keys_go_on(page):
    row = page.words.row_box("planted")
    click(page.words, row.center())
    assert page.word == "planted"
    assert page.bands.wish.id == "planted"
    assert "slip in a turn" in page.bands.words()
    page.words.setFocus()
    key(page.words, Qt.Key.Key_Down)
    assert page.word == "forgiving"
    key(page.words, Qt.Key.Key_Space)
    assert page.tuning.weights == {"forgiving": 1.0}
    click(page.words, page.words.mark_box("forgiving").center())
    assert page.tuning.weights == {}


def test_a_dial_that_is_turned_changes_the_character(page, window, qtbot):
    before = page.character()
    assert window.session.edit("crafts.fan_sled.parts.runners.side_grip", 0.1)
    qtbot.waitUntil(lambda: page.character() is not None and page.words.character is page.character(), timeout=30_000)
    after = page.character()
    assert after.fitting("icy").score > before.fitting("icy").score
    assert f"icy {100 * after.fitting('icy').score:.0f} %" in page.words.words()


def test_an_end_of_a_band_is_dragged_into_the_yard_and_undone(page, window):
    page.choose("icy")
    bands = page.bands
    before = bands.wish.bands[0]
    at = QPoint(int(bands.x_of(0, before.high)), int(bands.scale_box(0).center().y()))
    drag(bands, at, at + QPoint(60, 0))
    after = words.known(window.session.yard, "icy").bands[0]
    assert after.high > before.high
    assert [wish.id for wish in window.session.yard.wishes] == ["icy"]
    assert page.reset_button.isVisible()
    assert bands.wish.bands[0] == after
    window.session.undo()
    assert window.session.yard.wishes == ()
    window.session.redo()
    page.refresh()
    page.reset_word()
    assert words.known(window.session.yard, "icy") == words.known(demos.load("fan-sled"), "icy")


def test_an_end_is_moved_by_keys_and_typed(page, window):
    page.choose("icy")
    bands = page.bands
    bands.setFocus()
    before = bands.wish.bands[0].high
    key(bands, Qt.Key.Key_Right)
    assert words.known(window.session.yard, "icy").bands[0].high > before
    key(bands, Qt.Key.Key_Down)
    key(bands, Qt.Key.Key_Return)
    edit = bands.findChild(QLineEdit)
    edit.setText("20° to 50°")
    key(edit, Qt.Key.Key_Return)
    band = words.known(window.session.yard, "icy").bands[1]
    assert (band.low, band.high) == (20.0, 50.0)


@pytest.mark.parametrize(
    ("text", "ends"),
    [
        ("0.2 to 0.6", (0.2, 0.6)), ("at least 0.2", (0.2, None)), ("at most 0.6", (None, 0.6)), ("0.6 to 0.2", None),
        ("soon", None), ("", None), ("at least", None),
    ],
)  # fmt: skip
def test_ends_are_read_as_they_are_told(text, ends):
    made = bandpicture.read_ends(text, Band(quantity="follows", low=0.0))
    assert (None if made is None else (made.low, made.high)) == ends


def test_ends_that_cannot_be_are_marked_and_nothing_is_lost(page, window):
    page.choose("icy")
    page.bands.ask_ends(0)
    edit = page.bands.findChild(QLineEdit)
    edit.setText("soon")
    key(edit, Qt.Key.Key_Return)
    assert edit.property("wrong")
    assert window.session.yard.wishes == ()
    edit.deleteLater()


def test_a_new_word_from_the_craft_fits_it_and_gets_another_band(page, window, qtbot):
    page.keep_word()
    name = page.word
    assert [wish.id for wish in window.session.yard.wishes] == [name]
    assert f"{page.shown_wish.heading} 100 %" in page.words.words()
    there = {band.name for band in page.shown_wish.bands}
    missing = next(one.name for one in quantities.QUANTITIES if one.name not in there)
    page.add_band(missing)
    assert page.shown_wish.bands[-1].quantity == missing
    menu = QMenu()
    page.fill_band(menu, 0)
    assert [action.text() for action in menu.actions()][1] == "Type its ends"
    count = len(page.shown_wish.bands)
    page.drop_band(0)
    assert len(page.shown_wish.bands) == count - 1
    page.wish(name, True)
    page.reset_word()
    assert window.session.yard.wishes == ()
    page.refresh()
    assert page.tuning.weights == {}, "a word that was removed is wished for no more"


def test_other_crafts_and_cards_stand_beside(page, window, idle, qtbot):
    window.session.open(demos.load("ice-truck"), (), None)
    idle()
    page.refresh()
    page.compare("rear_drive")
    card = window.session.shelf.cards[0]
    page.compare(f"card:{card.id}")
    qtbot.waitUntil(lambda: all(one.character is not None for one in page.beside()), timeout=30_000)
    page.refresh()
    assert [one.letter for one in page.words.others] == ["a", "b"]
    assert "Ice truck, rear drive" in page.legend.text()
    menu = QMenu()
    page.fill_compare(menu)
    assert [action.isChecked() for action in menu.actions()].count(True) == 2
    page.compare("rear_drive")
    assert len(page.words.others) == 1


def test_the_sled_is_tuned_by_words_taken_and_undone(page, window, idle, qtbot):
    session = window.session
    before, cards = session.yard, len(session.shelf.cards)
    click(page.words, page.words.mark_box("icy").center())
    click(page.words, page.words.mark_box("forgiving").center())
    assert page.panel.head.text() == "Tune towards icy and forgiving"
    page.tuning.dials = SOME
    click(page.panel.go, QPointF(page.panel.go.rect().center()))
    assert page.tuning.is_on
    assert page.panel.go.text() == "stop, and keep the best"
    qtbot.waitUntil(lambda: page.tuning.told is not None, timeout=120_000)
    assert page.tuning.told.tuned.is_met
    assert page.tuning.looked_at.met == len(page.tuning.told.tuned.terms)
    assert session.yard == before, "nothing is changed before it is taken"
    assert page.bands.then["upsets"] < page.character().values["upsets"], "what the moves would give is shown"
    click(page.panel.take, QPointF(page.panel.take.rect().center()))
    idle()
    qtbot.waitUntil(lambda: page.character() is not None, timeout=30_000)
    shown = page.character()
    assert shown.fitting("icy").score == pytest.approx(1.0)
    assert shown.fitting("forgiving").score == pytest.approx(1.0)
    assert not page.panel.take.isVisible(), "it is taken"
    qtbot.waitUntil(lambda: len(session.shelf.cards) == cards + 1, timeout=10_000)
    session.undo()
    assert session.yard == before


def test_targets_of_several_drills_are_tuned_from_the_menu_with_their_weights(page, window, qtbot, idle):
    session = window.session
    page.panel.tell()
    assert page.panel.targets.text() == "no targets of drills"
    able = [drill.id for drill in page.tuning.able()]
    assert {"slalom", "brake_to_stop"} <= set(able)
    for wanted in ("Slalom, 20 m gates", "Brake to a stop"):
        menu = QMenu()
        page.panel._fill_targets(menu)
        next(one for one in menu.actions() if one.text().startswith(wanted)).trigger()
    assert page.panel.targets.text() == "and targets of 2 drills"
    menu = QMenu()
    page.panel._fill_weights(menu)
    inner = next(one.menu() for one in menu.actions() if one.text().startswith("brake to stop"))
    next(one for one in inner.actions() if one.text() == "4").trigger()
    weights = {term.of: term.weight for term in page.tuning.goal().terms(session.yard)}
    assert weights == {"slalom": 0.5, "brake_to_stop": 4.0}
    session.edit("drills.brake_to_stop.targets", (Target(measure="stop_distance", high=22.0),))
    idle()
    page.tuning.dials = ("crafts.fan_sled.parts.brake.bite",)
    page.tuning.begin()
    qtbot.waitUntil(lambda: page.tuning.told is not None, timeout=120_000)
    assert page.tuning.told.tuned.is_met
    assert page.tuning.words() == "targets of 2 drills"
    page.tuning.take()
    idle()
    assert document.get(session.yard, "crafts.fan_sled.parts.brake.bite") > 0.32


def test_the_slider_looks_at_fewer_moves(page, window, qtbot):
    page.wish("icy", True)
    page.tuning.dials = SOME
    page.tuning.begin()
    qtbot.waitUntil(lambda: page.tuning.told is not None, timeout=120_000)
    moves, told = page.panel.moves, page.tuning.told
    moves.tell()
    last = len(told.fewest) - 1
    click(moves, moves.dot(last))
    assert page.tuning.looked_at.moves == ()
    moves.setFocus()
    key(moves, Qt.Key.Key_Left)
    assert len(page.tuning.looked_at.moves) == 1
    assert "1 moves" in moves.accessibleDescription()


def test_another_yard_drops_what_came_of_a_tuning(page, window, idle, qtbot):
    page.wish("icy", True)
    page.tuning.dials = SOME
    page.tuning.begin()
    qtbot.waitUntil(lambda: page.tuning.told is not None, timeout=120_000)
    assert "with the moves" in page.legend.text()
    window.session.open(demos.load("ferry"), (), None)
    idle()
    page.refresh()
    assert page.tuning.told is None
    assert page.bands.then == {}
    assert "with the moves" not in page.legend.text()
    assert not page.panel.take.isVisible()
    page.panel.moves.repaint()


def test_stopping_keeps_the_best_and_the_window_goes_on(page, window, qtbot):
    page.wish("crisp", True)
    page.tuning.begin()
    qtbot.waitUntil(lambda: len(page.tuning.history) > 1, timeout=60_000)
    window.show_page("Bench")
    window.show_page("Character")
    page.tuning.stop()
    qtbot.waitUntil(lambda: not page.tuning.is_on, timeout=60_000)
    assert page.tuning.told is not None
    assert page.tuning.told.tuned.left <= page.tuning.told.tuned.left_before


def test_words_that_contradict_are_said_in_place_and_nothing_begins(page, window):
    said = []
    window.session.said.connect(lambda text, fault: said.append((text, fault)))
    page.wish("icy", True)
    page.wish("crisp", True)
    page.tuning.begin()
    assert not page.tuning.is_on
    assert said[-1][1]
    assert "coasting" in said[-1][0]


def test_what_cannot_be_met_names_what_fights_and_offers_parts(page, window, qtbot):
    yard = window.session.yard
    bands = (Band(quantity="turn_rate", low=1.5, fade=0.1), Band(quantity="turn_in", high=0.5, fade=0.2))
    wish = Wish(id="both", bands=bands)
    window.session.change(words.kept(yard, wish), "a word", card=False)
    page.refresh()
    page.wish("both", True)
    page.tuning.dials = ("crafts.fan_sled.body.spin_damping",)
    page.tuning.begin()
    qtbot.waitUntil(lambda: page.tuning.told is not None, timeout=120_000)
    assert not page.tuning.told.tuned.is_met
    assert "Farthest off" in page.panel.says.text()
    assert page.panel.parts.isVisible()
    assert page.tuning.told.fights
    page.tuning.trade(page.tuning.told.fights[0])
    qtbot.waitUntil(lambda: page.tuning.front is not None, timeout=120_000)
    page.panel.curve.repaint()
    spot, point = page.panel.curve._spots[0]
    click(page.panel.curve, spot)
    near = [other for place, other in page.panel.curve._spots if (place - spot).manhattanLength() < 14]
    assert window.session.craft in [other.yard.craft("fan_sled") for other in (point, *near)]


def test_cancelling_from_outside_leaves_the_best_to_be_taken(page, window, qtbot):
    page.wish("icy", True)
    page.tuning.begin()
    qtbot.waitUntil(lambda: len(page.tuning.history) > 2, timeout=60_000)
    window.session.background.cancel()
    qtbot.waitUntil(lambda: not page.tuning.is_on, timeout=60_000)
    assert page.tuning.told is None
    assert "cancelled after" in page.panel.says.text()
    before = window.session.yard
    click(page.panel.take, QPointF(page.panel.take.rect().center()))
    assert window.session.yard != before
    assert window.session.craft == page.tuning.progress.yard.craft("fan_sled")
    window.session.undo()
    assert window.session.yard == before


def test_cards_carry_the_profile_small_once_a_character_was_looked_at(page, window, idle, qtbot):
    window.session.edit("crafts.fan_sled.parts.runners.side_grip", 0.2)
    idle()
    shelf = window.shelf
    shelf.show_profiles()
    qtbot.waitUntil(lambda: all(one.profile for one in shelf.cards.values()), timeout=30_000)
    newest, older = (shelf.cards[card.id] for card in window.session.shelf.cards[:2])
    assert dict(newest.profile)["icy"] > dict(older.profile)["icy"]
    assert "icy" in newest.toolTip()
    newest.repaint()


def test_words_are_saved_with_the_yard(page, window, tmp_path, idle):
    page.keep_word()
    saved = tmp_path / "worded.json"
    window.keeper.save(saved)
    idle()
    assert yard_json.load(saved).wishes == window.session.yard.wishes
