"""The real window, on a virtual display, for tests of the desk."""

from __future__ import annotations

import logging
import os
import subprocess
import time

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest

from oak_sled.core.base import units
from oak_sled.core.project import demos
from oak_sled.desk.app import program
from oak_sled.desk.app.window import Window
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session


@pytest.fixture(scope="session", autouse=True)
def window_manager(qapp, tmp_path_factory):
    """A real desktop has one: without it the server hides what a widget forgot to repaint."""
    managed = tmp_path_factory.mktemp("manager") / "managed"
    try:
        child = subprocess.Popen(
            ["openbox", "--sm-disable", "--startup", f"touch {managed}"],
            env={**os.environ, "HOME": str(managed.parent)},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
    except FileNotFoundError:
        pytest.fail("openbox is missing: make setup installs it")
    end = time.monotonic() + 30.0
    while not managed.exists():
        assert child.poll() is None, "the window manager ended"
        assert time.monotonic() < end, "the window manager did not start"
        qapp.processEvents()
    yield
    child.terminate()
    child.wait(10)


@pytest.fixture(scope="session")
def renderer(qapp, window_manager):
    """One GL context for all windows."""
    program.application()
    made, reason = program.try_renderer()
    assert made is not None, reason
    return made


@pytest.fixture(autouse=True)
def own_state(tmp_path, monkeypatch):
    """Recent files and autosaves of a test are its own."""
    monkeypatch.setenv("OAK_SLED_STATE", str(tmp_path / "state"))
    yield
    theme.use(False)
    units.use(units.Display())


@pytest.fixture(autouse=True)
def shared_colours(own_state):
    """No paint changes a colour that all share: one drawing would fade words on every other page."""
    yield
    for night, palette in ((True, theme.NIGHT), (False, theme.DAY)):
        theme.use(night)
        changed = [name for name, code in palette.items() if theme.colour(name) != QColor(code)]
        changed += [name for name, code in theme.FAMILIES.items() if not night and theme.family(name) != QColor(code)]
        assert not changed, f"changed by what was painted, of all {len(palette)} colours: {changed}"


@pytest.fixture(scope="module")
def shared_window(qapp, renderer, tmp_path_factory):
    """One window for a module whose tests open what they need in it: see `reopened`."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("OAK_SLED_STATE", str(tmp_path_factory.mktemp("state")))
        made = Window(Session(demos.load("fan-sled")), renderer)
        made.resize(1280, 800)
        made.show()
        made.activateWindow()
        program.until(qapp, made.isActiveWindow)
        yield made
        made.close()
        made.deleteLater()
        qapp.processEvents()


@pytest.fixture
def reopened(shared_window, qtbot, caplog):
    """Opens a demo in the shared window as at its start, on the bench, and waits for its first run."""

    def open_it(name: str) -> Window:
        session = shared_window.session
        session.open(demos.load(name), (), None)
        shared_window.show_page("Bench")
        qtbot.waitUntil(lambda: not session.worker.is_busy and session.shown.run is not None, timeout=60_000)
        return shared_window

    yield open_it
    assert not [record for record in caplog.records if record.levelno >= logging.ERROR]


@pytest.fixture
def window(qtbot, renderer, caplog):
    """The bench with the demo, its first run drawn and kept."""
    session = Session(demos.load("fan-sled"))
    made = Window(session, renderer)
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow, timeout=10_000)
    session.open(demos.load("fan-sled"), (), None)
    qtbot.waitUntil(lambda: session.shown.run is not None and len(session.shelf.cards) == 1, timeout=60_000)
    yield made
    if not sip.isdeleted(made):  # qtbot has closed it before, and what is still being read may have run its deletion
        made.close()
    assert not [record for record in caplog.records if record.levelno >= logging.ERROR]


@pytest.fixture
def idle(qtbot, window):
    """Waits until nothing is computed, read or written."""

    def wait() -> None:
        busy = lambda: window.session.worker.is_busy or window.session.loader.is_busy  # noqa: E731
        qtbot.waitUntil(lambda: not busy() and not window.keeper.background.is_busy, timeout=60_000)

    return wait


@pytest.fixture
def page(window, idle):
    """The Ground page with the quay."""
    window.session.open(demos.load("quay"), (), None)
    idle()
    window.show_page("Ground")
    return window.ground_page


@pytest.fixture
def drag():
    """Drags on a widget from one point to another with the left button."""

    def dragged(widget, start, end, modifiers=Qt.KeyboardModifier.NoModifier):
        start, end = start.toPoint(), end.toPoint()
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifiers, start)
        for k in range(1, 7):
            QTest.mouseMove(widget, start + QPoint((end.x() - start.x()) * k // 6, (end.y() - start.y()) * k // 6))
        QTest.mouseMove(widget, end)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifiers, end)

    return dragged
