"""The Hand-over page in the real window: a craft in each language, dials that are turned, the folder it writes."""

from __future__ import annotations

import shutil
import subprocess

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtTest import QTest

from oak_sled.core.report import leaving
from oak_sled.desk.craftpage.handoverpage import WORDS


@pytest.fixture
def page(window, qtbot):
    window.show_page("Hand-over")
    made = window.pages["Hand-over"]
    qtbot.waitUntil(lambda: bool(made.files), timeout=60_000)
    return made


def test_it_shows_the_craft_in_every_language_that_the_command_line_knows(page, qtbot):
    assert tuple(WORDS) == leaving.WORDS
    for name, button in page.languages.items():
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda name=name: page.language == name and page._made_of[1] == name, timeout=60_000)
        if name == "report":
            assert "2 of 2 targets met" in page.preview.toPlainText()
            assert page.preview.isVisible()
            continue
        assert page.source.isVisible()
        assert ("fan_thrust" if name != "glb" else '"animations"') in page.source.toPlainText()
        assert [one for one, other in page.languages.items() if other.isChecked()] == [name]
    page.choose("c")
    qtbot.waitUntil(lambda: page._made_of[1] == "c", timeout=60_000)
    assert "inputs: " in page.says.text()
    assert "bumper: what it does with other bodies" in page.says.text()


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


def test_a_report_and_a_motion_are_those_of_the_run_shown_and_are_written(page, window, qtbot, tmp_path, monkeypatch):
    digest = window.session.shown.run.digest
    page.choose("report")
    qtbot.waitUntil(lambda: "report.html" in page.files, timeout=60_000)
    assert digest in page.preview.toPlainText()
    preview, old = page.preview, window.size()

    def fits():
        drawn = preview.document().resource(2, QUrl("drawing:1")).width() / preview.devicePixelRatioF()
        room = min(560, preview.viewport().width())
        return room - 20 <= drawn <= room

    for wide, high in ((1000, 640), (1400, 860)):
        window.resize(wide, high)
        qtbot.waitUntil(fits, timeout=20_000)
    window.resize(old)
    image = page.preview.document().resource(2, QUrl("drawing:1"))
    assert image.width() >= 560
    page.write(tmp_path / "fan_sled")
    qtbot.waitUntil(lambda: (tmp_path / "fan_sled" / "report.html").exists(), timeout=30_000)
    qtbot.waitUntil(page.open_button.isVisible, timeout=30_000)
    opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", opened.append)
    QTest.mouseClick(page.open_button, Qt.MouseButton.LeftButton)
    assert opened == [QUrl.fromLocalFile(str(tmp_path / "fan_sled" / "report.html"))]
    page.choose("glb")
    qtbot.waitUntil(lambda: "run.glb" in page.files, timeout=60_000)
    assert f'"digest": "{digest}"' in page.source.toPlainText()
    page.write(tmp_path / "fan_sled")
    qtbot.waitUntil(lambda: (tmp_path / "fan_sled" / "run.glb").exists(), timeout=30_000)
    # a dial that is turned changes what stands there
    page.choose("report")
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 700.0)
    qtbot.waitUntil(lambda: "700 N" in page.preview.toPlainText().replace("\u2009", " "), timeout=60_000)


def test_a_film_of_the_run_shows_every_moment_and_can_be_cancelled(window, qtbot, tmp_path):
    session, films = window.session, tmp_path / "films"  # beside it the window may save what is in work
    films.mkdir()
    session.edit("drills.slalom.duration", 1.0)
    qtbot.waitUntil(lambda: session.shown.run is not None and session.shown.run.duration < 1.5, timeout=30_000)
    before = session.shown.time
    file = films / "film.webp"
    window.filming.write(file)
    assert window.filming.is_busy
    window.filming.write(films / "other.webp")
    assert "wait for the run" in window.notice.words.text()
    qtbot.waitUntil(lambda: not window.filming.is_busy, timeout=120_000)
    assert session.shown.time == before, "the cursor is back"
    with Image.open(file) as read:
        assert read.n_frames == 26
        assert read.width == window.view.width() + window.right.width()
        first = np.asarray(read.convert("RGB")).astype(int)
        read.seek(25)
        assert np.abs(np.asarray(read.convert("RGB")).astype(int) - first).mean() > 0.2, "it moves"
    window.filming.write(films / "broken.png")
    qtbot.waitUntil(lambda: window.filming.painted > 3, timeout=60_000)
    session.background.cancel()
    qtbot.waitUntil(lambda: not window.filming.is_busy, timeout=60_000)
    assert [one.name for one in films.iterdir()] == ["film.webp"]
    window.filming.write(films / "film.gif")
    assert ".gif is no film" in window.notice.words.text()
