"""The game's own units in the real window: chosen by click and key, on every page, typed, dragged, undone and saved."""

from __future__ import annotations

import re

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QPushButton, QWidget

from oak_sled.core.base import units
from oak_sled.core.project import demos
from oak_sled.core.yard.game import PRESETS, Game
from oak_sled.desk.app.places import PAGE_NAMES, PANE_NAMES
from oak_sled.desk.craftpage.gamepanel import _WORDS, GamePanel

STRANGE = Game(
    length="px", lasts="tick", rates="tick", mass="own", kilograms=12.0, forward="z", up="y", hand="left",
    quaternion="xyzw",
)  # fmt: skip


@pytest.fixture
def panel(window, qtbot):
    window.show_page("Hand-over")
    made = window.pages["Hand-over"]
    qtbot.waitUntil(lambda: bool(made.files), timeout=60_000)
    return made.findChild(GamePanel)


def use(window, game=STRANGE):
    session = window.session
    session.change(session.yard.replace(game=game.replace(used=True)), "as the game has it")


def thrust_dial(window):
    return window.desk.strip("fan").dials["thrust"]


def test_the_panel_offers_every_setting_and_what_it_does(panel, window, qtbot):
    for words, game in PRESETS.items():
        panel.take(game, words)
        assert window.session.yard.game == game
        assert panel.sentence.text() == game.words()
        assert set(panel.dials) == set(game.acts())
    for name, options in _WORDS.items():
        for place in range(len(options[1])):
            action = panel.choices[name].menu().actions()[place]  # the panel is built anew as dials come and go
            action.trigger()
            words = list(options[1].values())[place]
            assert panel.choices[name].text().endswith(words), name
            assert getattr(window.session.yard.game, name) == list(options[1])[place]
    while window.session.history.undo_label:
        window.session.undo()
    assert window.session.yard.game == Game()


def test_a_click_on_an_axis_turns_it_and_the_two_change_places(panel, window):
    axes = panel.axes
    forward = {action.text(): action for action in axes.menu("forward").actions()}
    forward["z forward"].trigger()
    game = window.session.yard.game
    assert (game.forward, game.up) == ("z", "x")
    assert [axes.label(name) for name in ("forward", "left", "up")] == ["z", "-y", "x"]
    assert game.words().startswith("x up, z forward, right-handed")


def test_a_key_switches_and_every_number_in_the_window_follows(window, qtbot):
    use(window)
    window.session.edit("game.used", False)
    before = {name: said_on(window, name, qtbot) for name in PAGE_NAMES}
    assert any(" m/s" in text for text in before["Bench"])
    window.show_page("Bench")
    QTest.keyClick(window, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
    assert window.session.yard.game.used
    for name in PAGE_NAMES:
        if name != "Hand-over":  # the source is written in SI

            def nothing_is_left(name=name):
                assert in_si(said_on(window, name, qtbot)) == []

            qtbot.waitUntil(nothing_is_left, timeout=20_000)
    QTest.keyClick(window, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
    assert not window.session.yard.game.used
    told = {text for text in before["Bench"] if " m/s" in text}
    qtbot.waitUntil(lambda: told <= set(said_on(window, "Bench", qtbot)), timeout=20_000)


def in_si(texts):
    """Texts with a number in a unit that the game has otherwise; a title that a user gave, and what defines a
    measure, stay."""
    number = re.compile(r"[-\d]\s?(?:m|m/s|m/s²|N|kN|N m|kg|kg/m³)(?![\w/²³])")
    return [text for text in texts if number.search(re.sub("0 to 10 m/s|20 m gates", "", text))]


def said_on(window, name, qtbot):
    """All that is said or written on a page; on the bench, on each of its panes."""
    window.show_page(name)
    found = []
    for pane in PANE_NAMES if name == "Bench" else [""]:
        if pane:
            window.show_pane(pane)
        qtbot.waitUntil(lambda: not window.session.worker.is_busy, timeout=30_000)
        qtbot.wait(60)
        page = window.pages[name]
        for widget in page.findChildren(QWidget):
            if widget.isVisible():
                found.append(widget.accessibleDescription())
                if isinstance(widget, QLabel | QPushButton):
                    found.append(widget.text())
    return [text for text in found if text]


def test_a_dial_is_typed_dragged_copied_and_undone_in_the_units_of_the_game(window, qtbot, qapp):
    use(window)
    dial = thrust_dial(window)
    factor = units.in_use().shown(1.0, "N")[0]
    assert factor == pytest.approx(64.0 / 3600.0 / 12.0)
    dial.setFocus()
    dial.type_in()
    assert dial._edit.text().endswith("mu px/tick2")
    dial._edit.setText("1.5")
    QTest.keyClick(dial._edit, Qt.Key.Key_Return)

    def thrust():
        return window.session.craft.parts[0].thrust

    assert thrust() == pytest.approx(1.5 / factor)
    dial = thrust_dial(window)
    dial.type_in()
    dial._edit.setText("0.7 kN")
    QTest.keyClick(dial._edit, Qt.Key.Key_Return)
    assert thrust() == 700.0
    assert dial.dial.exact(700.0) == f"{700.0 * factor!r} mu px/tick2"
    dial = thrust_dial(window)
    at = QPoint(20, 24)
    QTest.mousePress(dial, Qt.MouseButton.LeftButton, pos=at)
    for step in range(1, 6):
        QTest.mouseMove(dial, at + QPoint(8 * step, 0))
    QTest.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=at + QPoint(40, 0))
    assert thrust() > 700.0
    window.session.undo()
    assert thrust() == 700.0


def test_a_component_that_points_the_other_way_is_named_signed_and_dragged_so(window, qtbot):
    use(window)
    window.session.edit("crafts.fan_sled.parts.fan.y", 0.25)
    strip = window.desk.strip("fan")
    QTest.mouseClick(strip.buttons["open"], Qt.MouseButton.LeftButton)
    dial = window.desk.strip("fan").dials["y"]
    assert dial.dial.heading == "x", "left is -x there"
    assert dial.accessibleName() == "x"
    assert "-16" in dial.accessibleDescription()
    dial.setFocus()
    QTest.keyClick(dial, Qt.Key.Key_Right)
    moved = window.session.craft.parts[0].y
    assert moved < 0.25, "the number that is shown grows, and ours falls"
    dial = window.desk.strip("fan").dials["y"]
    dial.type_in()
    dial._edit.setText("32")
    QTest.keyClick(dial._edit, Qt.Key.Key_Return)
    assert window.session.craft.parts[0].y == -0.5


def test_the_setting_is_kept_in_the_file_and_a_run_is_the_same(window, qtbot, tmp_path):
    before = window.session.shown.run.digest
    use(window)
    qtbot.waitUntil(lambda: not window.session.worker.is_busy, timeout=30_000)
    assert window.session.shown.run.digest == before
    file = tmp_path / "yard.json"
    window.keeper.save(file)
    qtbot.waitUntil(lambda: not window.session.is_dirty, timeout=30_000)
    window.session.open(demos.load("quay"), (), None)
    assert units.name_of("m") == "m", "another yard, its own units"
    window.keeper.open(file)
    qtbot.waitUntil(lambda: window.session.yard.title != demos.load("quay").title, timeout=30_000)
    assert window.session.yard.game == STRANGE.replace(used=True)
    assert units.name_of("m") == "px"
