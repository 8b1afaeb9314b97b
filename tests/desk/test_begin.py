"""Where one begins, in the real window: cards, guided starts played by hands on the real controls, targets by hand."""

from __future__ import annotations

import pytest
from hands import drive
from lakegame import Game, played
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.link.server import Settings
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.upright import Upright
from oak_sled.core.project import demos, families, guides
from oak_sled.core.results import measures
from oak_sled.desk.app.beginpage import picture_of
from oak_sled.desk.panes.cardwidget import CardWidget


@pytest.fixture
def begun(window, idle):
    """A window whose guide is ended afterwards."""
    yield window
    window.link.close()
    window.beginning.bar.end()
    window.question.hide()
    window.show_page("Bench")
    window.show_pane("Traces")


def open_dial(window, part, field):
    """The dial of a part, its strip opened where it is needed."""
    strip = window.desk.strip(part)
    if field not in strip.dials or not strip.dials[field].isVisible():
        if window.desk.open_name != part:
            window.desk.open_strip(part)
        strip = window.desk.strip(part)
    return strip.dials[field]


def typed(window, idle, part, field, text):
    """Types a value into a dial of the desk."""
    dial = open_dial(window, part, field)
    dial.setFocus()
    QTest.keyClick(dial, Qt.Key.Key_Return)
    QTest.keyClick(dial._edit, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(dial._edit, text)
    QTest.keyClick(dial._edit, Qt.Key.Key_Return)
    idle()


def pane(window, idle, name):
    QTest.mouseClick(window.tabs[name], Qt.MouseButton.LeftButton)
    idle()


def button(window, idle, part, name):
    QTest.mouseClick(window.desk.strip(part).buttons[name], Qt.MouseButton.LeftButton)
    idle()


def chosen(window, idle, part, field, word):
    """Chooses from the menu of a choice on an opened strip."""
    if window.desk.open_name != part:
        window.desk.open_strip(part)
    choice = window.desk.strip(part).choices[field]
    menu = choice.menu()
    menu.aboutToShow.emit()
    next(action for action in menu.actions() if action.text() == word).trigger()
    idle()


def tune(window, idle, qtbot):
    yield lambda: typed(window, idle, "fan", "thrust", "800 N")
    yield lambda: typed(window, idle, "runners", "side_grip", "0.8")
    yield lambda: pane(window, idle, "Measures")
    yield lambda: typed(window, idle, "fan", "thrust", "1 kN")


def hovercraft(window, idle, qtbot):
    def free():
        for axis in ("z", "roll", "pitch"):
            chosen(window, idle, "body", "held", axis)

    def raised():
        window.show_page("Drill")
        window.session.edit("drills.straight_pull.start.height", 1.0)
        idle()

    def driven():
        window.set_driving(True)
        drive(qtbot, window, 1.0, Qt.Key.Key_Up)
        window.set_driving(False)
        idle()

    yield free
    yield lambda: (window.desk.fit(Pad), idle())
    yield lambda: (window.desk.fit(Upright), idle())
    yield raised
    pads = next(part.id for part in window.session.craft.parts if part.kind == "pad")
    yield lambda: (window.show_page("Bench"), typed(window, idle, pads, "damping", "1.1 kN s/m"))
    yield driven


def flips(window, idle, qtbot):
    yield lambda: pane(window, idle, "Why")
    yield lambda: typed(window, idle, "lamp", "to_z", "2.5")
    yield lambda: (typed(window, idle, "front", "spread_y", "1.0"), typed(window, idle, "rear", "spread_y", "1.0"))
    yield lambda: typed(window, idle, "lamp", "to_z", "1.5")


def stops(window, idle, qtbot):
    yield lambda: pane(window, idle, "Ledger")
    yield lambda: typed(window, idle, "brake", "bite", "0.5")
    yield lambda: button(window, idle, "air", "mute")
    yield lambda: typed(window, idle, "brake", "bite", "0.8")


def tires(window, idle, qtbot):
    yield lambda: (pin(window), idle())
    yield lambda: chosen(window, idle, "tires", "law", "brush")
    yield lambda: typed(window, idle, "tires", "side_grip", "1.4")
    yield lambda: pane(window, idle, "Plan")


def pin(window):
    """Presses the pin of the newest card."""
    card = next(one for one in window.shelf.findChildren(CardWidget) if one.card.id == window.session.shelf.cards[0].id)
    QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=card._pin_box().center().toPoint())


def drill(window, idle, qtbot):
    page = window.drill_page

    def new():
        menu = QMenu()
        page._fill_drill(menu)
        next(action for action in menu.actions() if action.text().startswith("New drill")).trigger()
        idle()

    def aimed():
        menu = QMenu()
        page.targets.fill(menu)
        inner = next(action.menu() for action in menu.actions() if action.menu() and "top speed" in action.text())
        next(action for action in inner.actions() if action.text() == "at least this").trigger()
        idle()

    yield lambda: window.show_page("Drill")
    yield new
    yield lambda: (page.strips.choose(type(page.strips.chosen)("track", "steer")), page.stamp("step"), idle())
    yield aimed


def ways(window, idle, qtbot):
    def twins():
        with qtbot.waitSignal(window.measures.checked, timeout=120_000):
            QTest.mouseClick(window.measures.begins[window.measures.twins], Qt.MouseButton.LeftButton)

    def begin():
        pane(window, idle, "Measures")
        twins()

    def driven():
        window.session.edit("bench.craft", "tires")
        idle()
        window.set_driving(True)
        drive(qtbot, window, 1.0, Qt.Key.Key_W)
        window.set_driving(False)
        idle()

    yield begin
    yield lambda: (window.session.choose("drill", "freight"), idle())
    yield lambda: typed(window, idle, "forward", "aim_limit", "2 kN")
    yield lambda: (window.session.choose("drill", "knock"), idle())
    yield lambda: typed(window, idle, "aside", "aim_limit", "2 kN")
    yield twins
    yield driven


def game(window, idle, qtbot):
    page = window.pages["Hand-over"]
    page.link_settings = Settings(port=0)
    run = window.session.shown.run
    games = []

    def listens():
        window.show_page("Hand-over")
        QTest.mouseClick(page.link_button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: window.link.is_on, timeout=60_000)

    def plays():
        games.append(Game(window.link.server.ports["tcp"]))
        qtbot.waitUntil(lambda: "welcome" in games[0].kinds(), timeout=20_000)
        played(games[0], run, 60)
        qtbot.waitUntil(lambda: window.link.telling() is not None, timeout=20_000)

    def along():
        QTest.mouseClick(page.along_button, Qt.MouseButton.LeftButton)
        typed(window, lambda: None, "fan", "thrust", "800 N")
        played(games[0], run, 120, first=60)
        qtbot.waitUntil(lambda: window.driver.drive.ticks > 100, timeout=20_000)

    def stops():
        QTest.mouseClick(window.header.drive, Qt.MouseButton.LeftButton)
        games[0].close()
        idle()

    yield listens
    yield plays
    yield along
    yield stops


HANDS = {"tune": tune, "hovercraft": hovercraft, "flips": flips, "stops": stops, "tires": tires, "drill": drill,
         "ways": ways, "game": game}  # fmt: skip


@pytest.mark.parametrize("guide", guides.GUIDES, ids=lambda guide: guide.name)
def test_a_guided_start_is_played_through_by_hands_step_by_step(guide, begun, idle, qtbot):
    begun.show_begin()
    QTest.mouseClick(begun.beginning.page.cards[f"guide:{guide.name}"], Qt.MouseButton.LeftButton)
    idle()
    assert begun.session.yard == guide.make()
    assert begun.beginning.bar.isVisible()
    for number, act in enumerate(HANDS[guide.name](begun, idle, qtbot)):
        assert begun.beginning.bar.place == number, guide.steps[number].do
        assert begun.beginning.bar.count.text() == f"{number + 1} of {len(guide.steps)}"
        act()
    assert begun.beginning.bar.place == len(guide.steps)
    assert begun.beginning.bar.count.text() == "done"


def test_undo_steps_back_by_itself_and_redo_forward(begun, idle):
    begun.beginning.start(guides.TUNE)
    idle()
    typed(begun, idle, "fan", "thrust", "850 N")
    assert begun.beginning.bar.place == 1
    begun.acts["undo"].trigger()
    idle()
    assert begun.beginning.bar.place == 0
    begun.acts["redo"].trigger()
    idle()
    assert begun.beginning.bar.place == 1


def test_escape_leaves_a_guided_start_and_offers_to_keep_the_yard(begun, idle):
    begun.beginning.start(guides.STOPS)
    idle()
    begun.notice.hide()
    begun.view.setFocus()
    QTest.keyClick(begun.view, Qt.Key.Key_Escape)
    assert not begun.beginning.bar.isVisible()
    assert begun.question.isVisible()
    assert next(one.text() for one in begun.question.buttons if one.isVisible()).startswith("Keep it as a file")
    begun.question.answer_last()
    assert begun.session.yard == guides.STOPS.make()


@pytest.mark.parametrize("family", families.FAMILIES, ids=lambda family: family.name)
def test_a_blank_craft_of_every_family_is_one_click(family, begun, idle):
    begun.show_begin()
    QTest.mouseClick(begun.beginning.page.cards[f"family:{family.name}"], Qt.MouseButton.LeftButton)
    idle()
    assert begun.session.yard == family.make()
    assert begun.session.shown.run is not None
    assert begun.page_stack.currentWidget() is begun.bench


def test_every_demo_has_its_card_with_a_picture_and_opens(begun, idle):
    begun.show_begin()
    for name in demos.DEMOS:
        picture = picture_of(name)
        assert picture is not None, name
        assert (picture.width(), picture.height()) == (464, 236)
        assert f"demo:{name}" in begun.beginning.page.cards
    QTest.mouseClick(begun.beginning.page.cards["demo:puck"], Qt.MouseButton.LeftButton)
    idle()
    assert begun.session.yard == demos.load("puck")


def test_last_files_are_offered_and_escape_leaves_the_page(begun, idle, tmp_path):
    file = tmp_path / "mine.json"
    begun.keeper.save(file)
    idle()
    begun.show_begin()
    assert f"file:{file}" in begun.beginning.page.cards
    begun.notice.hide()
    begun.view.setFocus()
    QTest.keyClick(begun, Qt.Key.Key_Escape)
    assert begun.page_stack.currentWidget() is begun.bench


def test_what_is_unsaved_is_asked_for_first(begun, idle):
    begun.session.edit("crafts.fan_sled.body.mass", 300.0)
    idle()
    begun.show_begin()
    before = begun.session.yard
    QTest.mouseClick(begun.beginning.page.cards["family:car"], Qt.MouseButton.LeftButton)
    assert begun.question.isVisible()
    assert begun.session.yard is before
    begun.question.hide()


def test_targets_are_added_typed_and_removed_by_hand(begun, idle):
    session = begun.session
    begun.show_page("Drill")
    targets = begun.drill_page.targets
    count = len(session.drill.targets)
    targets.add("peak_slip", "at most")
    idle()
    assert len(session.drill.targets) == count + 1
    made = session.drill.targets[-1]
    rows = targets.rows
    assert len(rows) == count + 1, "each stands beside the drawing"
    assert rows[-1].text().endswith("° · met")
    assert "largest sideslip" in rows[-1].text()
    assert made.high == pytest.approx(session.shown.found["peak_slip"], rel=1e-2)
    targets.type_in(count)
    assert targets.line.isVisible()
    targets.line.setText("5 to 10")
    QTest.keyClick(targets.line, Qt.Key.Key_Return)
    idle()
    assert (session.drill.targets[-1].low, session.drill.targets[-1].high) == (5.0, 10.0)
    assert not measures.judge(session.drill, session.shown.found)[-1].met
    assert targets.rows[-1].text().endswith("5 … 10° · missed")
    assert targets.rows[-1].accessibleName().endswith("wanted 5 to 10°")
    said = []
    session.said.connect(lambda words, fault: said.append((words, fault)))
    QTest.mouseClick(targets.rows[count], Qt.MouseButton.LeftButton)
    targets.line.setText("some")
    QTest.keyClick(targets.line, Qt.Key.Key_Return)
    assert said[-1][1]
    assert "is no band" in said[-1][0]
    assert targets.line.isVisible(), "what was typed is not lost"
    QTest.keyClick(targets.line, Qt.Key.Key_Escape)
    assert not targets.line.isVisible()
    menu = QMenu()
    targets.fill(menu)
    [action for action in menu.actions() if action.text().endswith("remove this target")][-1].trigger()
    idle()
    assert len(session.drill.targets) == count
    begun.acts["undo"].trigger()
    assert len(session.drill.targets) == count + 1
