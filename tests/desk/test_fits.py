"""What is written fits where it is written, the first window its screen, and dialogs begin where the files are."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QRect, QStandardPaths
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from oak_sled.core.parts import register
from oak_sled.core.project import demos
from oak_sled.desk.app.firstsize import DRAWN_FOR
from oak_sled.desk.app.places import PAGE_NAMES
from oak_sled.desk.app.window import Window
from oak_sled.desk.strips.strip import Strip
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.work import folders
from oak_sled.desk.work.session import Session


@pytest.mark.parametrize("name", list(demos.DEMOS))
@pytest.mark.parametrize("size", [(1100, 700), (1280, 800)])
def test_titles_of_dials_and_outlooks_on_strips_are_whole(reopened, qtbot, name, size):
    window = reopened(name)
    window.resize(*size)
    qtbot.wait(30)
    for strip in window.desk.findChildren(Strip):
        if not strip.isVisible():
            continue
        for dial in strip.findChildren(DialWidget):
            assert dial.width() >= dial.least_width(), f"{strip.name}: {dial.dial.title}"
        words = strip.words
        assert words.height() >= words.heightForWidth(words.width()), f"{strip.name}: {words.text()!r}"
        assert strip.rect().contains(QRect(words.mapTo(strip, words.rect().topLeft()), words.size())), strip.name
    window.resize(1280, 800)


@pytest.mark.parametrize("name", list(demos.DEMOS))
def test_titles_of_dials_on_opened_strips_are_whole(reopened, qtbot, name):
    window = reopened(name)
    for part in ["body", *(part.id for part in window.session.craft.parts)]:
        window.desk.open_strip(part)
        qtbot.wait(10)
        opened = next(one for one in window.desk.findChildren(Strip) if one.is_open and one.isVisible())
        dials = opened.findChildren(DialWidget)
        assert dials
        for dial in dials:
            assert dial.width() >= dial.least_width(), f"{part}: {dial.dial.title}"
        window.desk.open_strip(part)


def test_a_question_covers_nothing(window, qtbot):
    window.question.tell("An earlier session left work that is not saved.", False, (("Recover", lambda: None),))
    for page in PAGE_NAMES:
        window.show_page(page)
        qtbot.wait(20)
        lies = QRect(window.question.mapTo(window, window.question.rect().topLeft()), window.question.size())
        assert lies.height() >= 30
        for other in (window.header, window.page_stack.currentWidget()):
            assert other is not None
            assert not lies.intersects(QRect(other.mapTo(window, other.rect().topLeft()), other.size())), page
    window.question.answer_last()


@pytest.mark.parametrize("room", [(1280, 800), (1366, 768), (1100, 700), (2560, 1440)])
def test_the_first_window_fits_the_screen_it_opens_on(renderer, qtbot, monkeypatch, room):
    class Screen:
        def availableGeometry(self) -> QRect:
            return QRect(0, 0, *room)

    monkeypatch.setattr(Window, "screen", lambda self: Screen())
    made = Window(Session(demos.load("puck")), renderer)
    qtbot.addWidget(made)
    assert made.width() <= room[0]
    assert made.height() + 24 <= room[1], "a title bar has room"
    assert made.size().width() <= DRAWN_FOR[0]
    made.close()


# where dialogs begin


@pytest.fixture
def asked(monkeypatch):
    """What file dialogs were asked to begin with; each is closed without an answer."""
    begun: list[tuple[str, str]] = []

    def dialog(parent, title, folder="", *rest):
        begun.append((title, folder))
        return "", ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", dialog)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", dialog)
    return begun


def test_dialogs_begin_where_a_terminal_stood(window, asked, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    window.filing.ask_save()
    assert Path(asked[0][1]).parent == tmp_path


def test_dialogs_begin_in_the_documents_with_the_name_of_the_yard(window, asked, tmp_path, monkeypatch):
    monkeypatch.chdir(Path.home())  # where a menu begins programs
    window.filing.ask_save()
    window.filing.ask_open()
    documents = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    begin = Path(documents if documents and Path(documents).is_dir() else Path.home())
    assert Path(asked[0][1]).parent == begin
    assert Path(asked[0][1]).stem.startswith("frost_road_freight")
    assert Path(asked[1][1]) == begin


def test_dialogs_go_on_where_the_last_file_was(window, asked, idle, tmp_path):
    session = window.session
    (tmp_path / "yards").mkdir()
    folders.remember(session, str(tmp_path / "yards" / "mine.json"))
    window.filing.ask_open()
    assert Path(asked[0][1]) == tmp_path / "yards"
    window.filing.ask_save()
    assert Path(asked[1][1]).parent == tmp_path / "yards"


# what is not in force


def test_a_dial_that_is_not_in_force_is_greyed_and_tells_what_is(window, qtbot, idle):
    window.show_page("Build")
    page = window.build_page
    next(one for one in page.findChildren(QPushButton) if one.text() == "body").click()
    qtbot.wait(50)

    def shown() -> DialWidget:
        known = page.findChildren(DialWidget)
        return next(one for one in known if one.path.endswith("body.yaw_inertia"))

    dial = shown()
    assert dial.idle
    assert dial.in_force == pytest.approx(window.session.craft.body.inertia()[2])
    assert "shape" in dial.toolTip()
    window.session.edit(f"crafts.{window.session.craft.id}.body.inertia_from", "given")
    idle()
    assert not shown().idle


def test_every_number_of_every_kind_that_is_idle_is_one_of_its_dials():
    for kind in register.KINDS:
        fields = kind.document.model_fields
        for names, field, values, why in kind.document.ACTS_IF:
            assert field in fields, kind.document.TITLE
            assert set(names) <= set(fields), kind.document.TITLE
            assert values, kind.document.TITLE
            assert why, kind.document.TITLE


@pytest.mark.parametrize("wide", [1000, 1100, 1180, 1280])
def test_the_count_of_cautions_and_the_buttons_beside_it_are_never_cut(window, idle, wide):
    window.resize(wide, 700)
    idle()
    QApplication.processEvents()
    header = window.header
    shown = [header.cautions, header.drive, header.run, header.hold, *header.pages.values()]
    cut = [one.text() for one in shown if one.isVisible() and one.width() < one.sizeHint().width()]
    assert not cut
