"""The desktop program: start, what happens to unexpected errors, and pictures."""

from __future__ import annotations

import gc
import logging
import os
import sys
import time
import traceback
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from types import TracebackType

from pydantic import ValidationError
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QApplication, QWidget

from oak_sled.core.base.document import faults_of
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.compiler.kernel import PROGRAM
from oak_sled.core.project import demos, warmup
from oak_sled.desk.app.window import Window
from oak_sled.desk.widgets import screenshot, theme
from oak_sled.desk.work.jobs import Errand
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview.renderer import Renderer

log = logging.getLogger("oak_sled")


def application() -> QApplication:
    """The application with its fonts and colours."""
    found = QApplication.instance()
    if found is None and not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise refuse("display", "there is none to open a window on", "DISPLAY or WAYLAND_DISPLAY set, or make demo")
    made = found if isinstance(found, QApplication) else QApplication(sys.argv[:1])
    made.setApplicationName("oak-sled")
    made.setDesktopFileName("oak-sled")
    made.setWindowIcon(QIcon(str(resources.files("oak_sled") / "desk" / "icons" / "oak-sled.svg")))
    made.setStyle("Fusion")
    theme.load_fonts()
    made.setFont(theme.font())
    made.setPalette(theme.palette())
    return made


def try_renderer() -> tuple[Renderer | None, str]:
    """The renderer, or None and the reason why there is none."""
    try:
        return Renderer(), ""
    except RuntimeError as error:
        return None, str(error).splitlines()[0]


class Compiling(QObject):
    """Has the kernel compiled beside the window, where it was not: the first run first, then what others may need.

    Signals: compiling(unit, done, of), from whatever thread compiles.
    """

    compiling = pyqtSignal(str, int, int)

    def __init__(self, session: Session, parent: QObject):
        super().__init__(parent)
        self.session = session
        self._rest: Errand | None = None
        self.compiling.connect(self._say)
        PROGRAM.on_progress = self.compiling.emit
        session.shown.run_changed.connect(self._compile_the_rest)

    def _say(self, unit: str, done: int, of: int) -> None:
        self.session.say(f"compiling the physics once: {done + 1} of {of}")

    def _compile_the_rest(self) -> None:
        self.session.shown.run_changed.disconnect(self._compile_the_rest)
        self._rest = Errand(lambda _: warmup.compile_all(), self)
        self._rest.answered.connect(self.close)
        self._rest.start()

    def close(self) -> None:
        """Ends the thread, after what it is doing."""
        PROGRAM.on_progress = None
        if self._rest is not None:
            self._rest.close()
            self._rest = None


def build(where: str = "") -> Window:
    """The window with the yard that `where` names; the demo if it names none."""
    yard = demos.open_yard(where) if where.startswith("demo:") else demos.load("fan-sled")
    session = Session(yard)
    renderer, no_gl = try_renderer()
    window = Window(session, renderer, no_gl)
    if not PROGRAM.is_ready():
        compiling = Compiling(session, window)
        window.closing.connect(compiling.close)
    if where and not where.startswith("demo:"):
        window.keeper.open(Path(where), otherwise=lambda: session.open(yard, (), None))
    else:
        session.open(yard, (), None)
    gc.freeze()  # what was made stays: no sweep walks through it in the middle of a drag
    return window


def catch_errors(window: Window) -> None:
    """An unforeseen error is logged and said, and the work is saved; the program goes on."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, ValidationError | Refused):  # a value that no document takes: told as a fault of input
            faults = error.faults if isinstance(error, Refused) else faults_of(error)
            text = str(faults[0])
            QTimer.singleShot(0, lambda: window.notice.tell(text, True))
            return
        log.error("unexpected: %s", "".join(traceback.format_exception(kind, error, trace)))
        traceback.clear_frames(trace)  # a painter that lives on in a frame would bring Qt down at the next paint
        window.keeper.autosave()
        text = f"Something went wrong in the program ({kind.__name__}: {error}). Your work was autosaved."
        QTimer.singleShot(0, lambda: window.notice.tell(text, True))

    sys.excepthook = hook


def opened(where: str) -> tuple[QApplication, Window]:
    """The application and its window, shown, with the yard that `where` names; raises `Refused`."""
    app = application()
    window = build(where)
    catch_errors(window)
    window.show()
    return app, window


def stay(app: QApplication, window: Window) -> int:
    """Stays until the window is closed; its exit status."""
    QTimer.singleShot(0, window.filing.offer_recovery)
    return app.exec()


# pictures and the tour


def until(app: QApplication, ready: Callable[[], bool], seconds: float = 60.0) -> None:
    """Goes on with the application until something is so."""
    end = time.perf_counter() + seconds
    while not ready() and time.perf_counter() < end:
        app.processEvents()
        time.sleep(0.004)


def settle(app: QApplication, seconds: float = 0.5) -> None:
    """Goes on for a while, so that the clean picture is drawn."""
    end = time.perf_counter() + seconds
    until(app, lambda: time.perf_counter() >= end, seconds + 1.0)


def press(window: QWidget, name: str, down: bool) -> None:
    """A key of the keyboard goes down or up."""
    names = ("Space", "Up", "Down", "Left", "Right", "Return", *"WASDIJKL")
    keys = {one: getattr(Qt.Key, f"Key_{one}") for one in names}
    kind = QEvent.Type.KeyPress if down else QEvent.Type.KeyRelease
    QApplication.sendEvent(window, QKeyEvent(kind, keys[name], Qt.KeyboardModifier.NoModifier))


def point(widget: QWidget, kind: QEvent.Type, at: QPoint, buttons: Qt.MouseButton) -> None:
    """The pointer presses, moves or releases on a widget."""
    button = Qt.MouseButton.LeftButton if kind != QEvent.Type.MouseMove else Qt.MouseButton.NoButton
    place, none = QPointF(at), Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(widget, QMouseEvent(kind, place, QPointF(widget.mapToGlobal(at)), button, buttons, none))


def drag(widget: QWidget, by: int, app: QApplication, steps: int = 12, released: bool = True) -> None:
    """Drags a widget sideways with the left button, in steps."""
    start = QPoint(widget.width() // 2, widget.height() // 2)
    point(widget, QEvent.Type.MouseButtonPress, start, Qt.MouseButton.LeftButton)
    for step in range(1, steps + 1):
        point(widget, QEvent.Type.MouseMove, start + QPoint(by * step // steps, 0), Qt.MouseButton.LeftButton)
        settle(app, 0.03)
    if released:
        point(widget, QEvent.Type.MouseButtonRelease, start + QPoint(by, 0), Qt.MouseButton.NoButton)


def ready_window(where: str = "demo:fan-sled") -> tuple[QApplication, Window]:
    """The window at 1280x800 with its first run drawn."""
    app = application()
    window = build(where)
    window.resize(1280, 800)
    window.show()
    until(app, lambda: window.session.shown.run is not None and bool(window.session.shelf.cards))
    settle(app)
    return app, window


def make_folder(folder: Path) -> None:
    """Makes the folder of pictures; raises `Refused`."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (OSError, ValueError) as error:
        raise refuse(str(folder), f"cannot be a folder: {error}", "a folder you may write to") from None


def shoot(window: Window, folder: Path, name: str) -> None:
    """A picture of the whole window, as it stands on the screen."""
    file = folder / f"{name}.png"
    if not screenshot.on_screen(window).save(str(file), "PNG"):
        raise refuse(str(file), "cannot be written", "a writable folder with free space")
    print(f"wrote {file}")


def drive_a_little(app: QApplication, window: Window) -> None:
    """Drives with the keys: off, a turn into a drift, and the catch."""
    window.session.choose("drill", "straight_pull")
    settle(app, 0.3)
    window.set_driving(True)
    press(window, "W", True)
    settle(app, 4.0)
    press(window, "A", True)
    settle(app, 1.1)


def finish(app: QApplication, window: Window) -> None:
    """Closes the window and releases what it held."""
    window.session.mark_saved(None)
    window.close()
    window.keeper.drop_autosave()
    window.deleteLater()
    app.processEvents()
