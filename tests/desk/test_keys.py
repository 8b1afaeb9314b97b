"""Keys: a focused widget keeps what it promises, no two shortcuts clash, and Escape closes whatever is open."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QPushButton, QWidget

from oak_sled.desk.app import commands
from oak_sled.desk.app.commands import COMMANDS, GROUPS
from oak_sled.desk.app.places import PAGE_NAMES, PAGES, PANES
from oak_sled.desk.widgets import keys
from oak_sled.desk.widgets.dialwidget import DialWidget

HERE = Path(keys.__file__).parents[1]
SIGNS = {"0": Qt.Key.Key_0, "=": Qt.Key.Key_Equal, "-": Qt.Key.Key_Minus, ".": Qt.Key.Key_Period,
         "(": Qt.Key.Key_ParenLeft}  # fmt: skip


def promises(kind):
    """Every key press that a class of widget promises to act on: key and text."""
    own = kind.PROMISED
    found = [(key, "") for key in own.keys]
    return found + [(SIGNS.get(sign, Qt.Key(ord(sign))), sign) for sign in own.text]


def all_below(kind):
    for one in kind.__subclasses__():
        yield one
        yield from all_below(one)


def promising(window):
    """Every class of the desk that promises keys."""
    return sorted({one for one in all_below(QWidget) if isinstance(vars(one).get("PROMISED"), keys.Keys)},
                  key=lambda kind: kind.__name__)  # fmt: skip


def test_whatever_acts_on_keys_says_which():
    """A class that reads keys and has no promise would lose them to a shortcut."""
    without = {"Entry", "YardView", "InputPanel", "KeyAsker", "DrillPlan", "Window"}
    for file in HERE.rglob("*.py"):
        text = file.read_text(encoding="utf-8")
        for body in re.split(r"(?m)^class ", text)[1:]:
            name = re.match(r"\w+", body)[0]
            if "def keyPressEvent" in body and name not in without:
                assert "PROMISED = keys.Keys" in body or "Plan(" not in body, f"{file.name}: {name}"


def test_a_focused_widget_keeps_every_key_that_it_promises(window, idle, monkeypatch):
    """Each key on each kind of widget: no command of the window takes it."""
    fired = []
    for action in window.acts.values():
        action.triggered.connect(lambda _=False, action=action: fired.append(action.text()))
    tried = Counter()
    window.session.keep_run("a card")
    idle()
    for page in PAGE_NAMES:
        window.show_page(page)
        idle()
        for kind in promising(window):
            widget = next((one for one in window.findChildren(kind) if one.isVisible() and one.isEnabled()), None)
            if widget is None or tried[kind.__name__]:
                continue
            for key, text in promises(kind):
                press = QKeyEvent(QEvent.Type.ShortcutOverride, key, Qt.KeyboardModifier.NoModifier, text)
                assert keys.is_promised(widget, press), (kind.__name__, key)
                widget.setFocus()
                if QApplication.focusWidget() is not widget:
                    continue
                asked = QKeyEvent(QEvent.Type.ShortcutOverride, key, Qt.KeyboardModifier.NoModifier, text)
                asked.ignore()
                QApplication.sendEvent(widget, asked)
                assert asked.isAccepted(), (kind.__name__, key)
                tried[kind.__name__] += 1
    assert not fired
    assert len(tried) >= 6, tried


@pytest.mark.parametrize("sign", ["-", ".", "5"])
def test_a_sign_reaches_a_dial_and_no_command(window, idle, sign):
    dial = window.desk.findChild(DialWidget, "dial_fan_thrust")
    scale, time = window.view.scale(), window.session.shown.time
    dial.setFocus()
    QTest.keyClick(dial, SIGNS.get(sign, Qt.Key(ord(sign))))
    assert dial._edit is not None, "it opens its entry"
    assert dial._edit.text() == sign
    assert window.session.shown.time == time
    assert window.view.scale() == scale
    QTest.keyClick(dial._edit, Qt.Key.Key_Escape)
    assert dial._edit is None


def test_space_on_a_focused_button_presses_it_and_plays_nothing(window, idle):
    button = window.tabs["Ledger"]
    button.setFocus()
    QTest.keyClick(button, Qt.Key.Key_Space)
    assert window.stack.currentWidget() is window.ledger
    assert not window.playbar.is_playing


def test_p_and_f2_belong_to_a_card_that_has_the_focus(window, idle):
    window.session.keep_run("one")
    idle()
    card = next(one for one in window.shelf.findChildren(QWidget) if hasattr(one, "pin_wanted") and one.isVisible())
    card.setFocus()
    QTest.keyClick(card, Qt.Key.Key_P)
    idle()
    assert not window.playbar.poke.isChecked()
    assert any(one.pinned for one in window.session.shelf.cards)
    card = next(one for one in window.shelf.findChildren(QWidget) if hasattr(one, "pin_wanted") and one.isVisible())
    card.setFocus()
    QTest.keyClick(card, Qt.Key.Key_F2)
    assert window.page_stack.currentIndex() == 0, "the page stays"


def test_no_two_shortcuts_are_the_same(window):
    found = [sequence.toString() for action in window.findChildren(QAction) for sequence in action.shortcuts()]
    found += [
        button.shortcut().toString()
        for button in window.findChildren(QAbstractButton)
        if not button.shortcut().isEmpty()
    ]
    twice = [keys for keys, count in Counter(found).items() if count > 1]
    assert not twice
    assert all(QKeySequence(one).count() == 1 for one in found)


def test_escape_closes_what_is_open_one_after_another(window, idle):
    window.toggle_sheet()
    window.playbar.poke.setChecked(True)
    window.toggle_inputs()
    window.session.say("a line")
    window.view.setFocus()
    for gone in (
        lambda: not window.sheet.isVisible(),
        lambda: not window.notice.isVisible(),
        lambda: not window.playbar.poke.isChecked(),
        lambda: not window.inputs.isVisible(),
    ):
        assert not gone()
        QTest.keyClick(window.view, Qt.Key.Key_Escape)
        assert gone()
    assert not window.close_something()


def test_escape_drops_the_drag_of_a_dial(window, idle):
    dial = window.desk.findChild(DialWidget, "dial_fan_thrust")
    before, undo = window.session.craft, window.session.history.undo_label
    value = dial.value
    start = QPointF(dial.width() / 2.0, 24.0).toPoint()
    QTest.mousePress(dial, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(dial, start + QPointF(40.0, 0.0).toPoint())
    QTest.mouseMove(dial, start + QPointF(60.0, 0.0).toPoint())
    dial.setFocus()
    QTest.keyClick(dial, Qt.Key.Key_Escape)
    QTest.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=start + QPointF(60.0, 0.0).toPoint())
    idle()
    assert window.session.craft == before
    assert dial.value == pytest.approx(value)
    assert undo == window.session.history.undo_label


def test_every_kind_of_qt_widget_that_takes_keys_keeps_them(qtbot):
    press = QKeyEvent(QEvent.Type.ShortcutOverride, Qt.Key.Key_Space, Qt.KeyboardModifier.NoModifier, " ")
    for kind in (QPushButton, QComboBox):
        made = kind()
        qtbot.addWidget(made)
        assert keys.is_promised(made, press)
    held = QKeyEvent(QEvent.Type.ShortcutOverride, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier, "")
    assert not keys.is_promised(made, held), "with Ctrl it is the window's"
    assert not keys.is_promised(None, press)


# cautions


def test_the_count_of_cautions_opens_where_they_are_read_and_a_remedy_is_one_step(window, idle):
    from oak_sled.core.project import demos

    window.session.open(demos.load("ferry").edit("crafts.ferry.body.held", ("z", "roll", "pitch")), (), None)
    idle()
    names = {caution.name for caution in window.session.shown.warned}
    assert "height_is_held" in names
    window.show_pane("Traces")
    QTest.mouseClick(window.header.cautions, Qt.MouseButton.LeftButton)
    idle()
    shown = window.measures.cautions
    assert shown.isVisible()
    assert window.measures.area.verticalScrollBar().value() == 0
    free = next(button for button in shown.buttons if button.text() == "free z, roll and pitch")
    QTest.mouseClick(free, Qt.MouseButton.LeftButton)
    idle()
    assert window.session.craft.body.held == ()
    assert "height_is_held" not in {caution.name for caution in window.session.shown.warned}
    window.session.undo()
    idle()
    assert set(window.session.craft.body.held) == {"z", "roll", "pitch"}


def test_every_page_pane_and_command_has_a_name_and_a_key_of_its_own(window):
    """Declared once each; that of another would be an ambiguous shortcut, and nothing would happen."""
    declared = [*PAGES, *PANES]
    for group in (PAGES, PANES, COMMANDS):
        names = [one.name for one in group]
        assert len(set(names)) == len(names)
    assert all(one.name and one.key and one.says for one in declared)
    taken = [one.key for one in COMMANDS if one.key]
    assert len({QKeySequence(key).toString() for key in taken}) == len(taken)
    assert not [key for key in taken if QKeySequence(key).isEmpty()], "a key that Qt knows by no name"
    assert {one.key for one in declared} <= set(taken), "each page and pane is a command"
    assert set(window.acts) == {one.name for one in COMMANDS}
    assert {one.group for one in COMMANDS} - {""} == set(GROUPS)


@pytest.mark.parametrize("name", [one.name for one in PAGES])
def test_a_page_is_shown_by_its_command_and_by_its_button(window, idle, name):
    window.acts[f"page_{name}"].trigger()
    assert window.page_stack.currentWidget() is window.pages[name]
    assert window.header.pages[name].isChecked()
    window.show_page("Bench")
    window.header.pages[name].click()
    assert window.page_stack.currentWidget() is window.pages[name]


@pytest.mark.parametrize("name", [one.name for one in PANES])
def test_a_pane_is_shown_by_its_command_and_by_its_button(window, idle, name):
    window.acts[f"pane_{name}"].trigger()
    assert window.stack.currentWidget() is window.right.panes[name]
    window.show_pane("Ledger")
    window.tabs[name].click()
    assert window.stack.currentWidget() is window.right.panes[name]


def test_the_page_on_commands_is_what_is_declared():
    written = (HERE.parents[2] / "docs" / "commands.md").read_text(encoding="utf-8")
    assert written == commands.page(), "run scripts/write_pages.py"
