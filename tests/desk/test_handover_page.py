"""The Hand-over page in the real window: a craft in each language, dials that are turned, the folder it writes."""

from __future__ import annotations

import shutil
import subprocess

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from oak_sled.core.portable import folder
from oak_sled.desk.craftpage.handoverpage import WORDS


@pytest.fixture
def page(window, qtbot):
    window.show_page("Hand-over")
    made = window.pages["Hand-over"]
    qtbot.waitUntil(lambda: bool(made.files), timeout=60_000)
    return made


def test_it_shows_the_craft_in_every_language_that_the_command_line_knows(page, qtbot):
    assert set(WORDS) == {*folder.LANGUAGES, folder.NUMBERS}
    for name, button in page.languages.items():
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda name=name: page.language == name and page._made_of[1] == name, timeout=60_000)
        assert "fan_thrust" in page.source.toPlainText()
        assert [one for one, other in page.languages.items() if other.isChecked()] == [name]
    assert "inputs: " in page.says.text()
    assert "bumper: it acts on other bodies" in page.says.text()


def test_a_dial_that_is_turned_changes_the_source(page, window, qtbot):
    assert "X(fan_thrust, 620.0)" in page.source.toPlainText()
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 700.0)
    qtbot.waitUntil(lambda: "X(fan_thrust, 700.0)" in page.source.toPlainText(), timeout=60_000)
    window.session.undo()
    qtbot.waitUntil(lambda: "X(fan_thrust, 620.0)" in page.source.toPlainText(), timeout=60_000)


def test_the_folder_is_written_and_its_test_passes(page, window, qtbot, tmp_path):
    page.write(tmp_path / "sled")
    qtbot.waitUntil(lambda: not window.session.background.is_busy, timeout=60_000)
    assert {file.name for file in (tmp_path / "sled").iterdir()} == set(page.files)
    if shutil.which("cc") is None:
        pytest.skip("there is no cc to run its test with")
    done = subprocess.run([str(tmp_path / "sled" / "run-test.sh")], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_a_craft_that_cannot_leave_says_why_and_cannot_be_written(reopened, qtbot):
    window = reopened("crane")
    window.show_page("Hand-over")
    page = window.pages["Hand-over"]
    qtbot.waitUntil(lambda: "cannot leave" in page.says.text(), timeout=60_000)
    assert not page.write_button.isEnabled()
    assert page.source.toPlainText() == ""


def test_a_folder_that_cannot_be_written_is_said(page, window, qtbot, tmp_path):
    (tmp_path / "file").write_text("x")
    page.write(tmp_path / "file" / "below")
    qtbot.waitUntil(lambda: not window.session.background.is_busy, timeout=60_000)
    assert "cannot be made" in window.notice.words.text()
