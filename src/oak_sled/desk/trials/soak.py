"""A soak test: random use of the window in one process, and what went wrong in it.

Looks for tracebacks, stretches in which the window answers nothing, memory that grows, and pixels that are stale.
The same seed gives the same order of actions; when each of them happens is the machine's.

One file, since it is a list of what a user can do, each a few lines.
"""

from __future__ import annotations

import ctypes
import gc
import logging
import os
import random
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QMenu, QWidget

from oak_sled.core.project import demos
from oak_sled.core.project.memory import BUDGET
from oak_sled.desk.app import program
from oak_sled.desk.app.places import PAGE_NAMES, PANE_NAMES
from oak_sled.desk.app.window import Window
from oak_sled.desk.widgets import overlays, screenshot
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.yardview.camera import NAMES

_hand: Any = QTest  # its stubs take static functions for methods

STALL_S = 0.25
"""s of computing of the window's thread, without an answer, that count as a stall: what another program takes of the
machine meanwhile is none of ours."""
GROWTH = 0.05
"""Share by which the process may grow in the second half, from one rest to another."""
REST_EVERY_S = 45.0
KEYS = (
    *"ABCDIJKLMNPQRSTW1234567890", "Period", "Comma", "Plus", "Minus", "Space", "Escape", "Return", "Tab", "Delete",
    "Left", "Right", "Up", "Down", "Home", "End", "Backspace",
)  # fmt: skip
LEFT_OUT = {"quit", "open", "save_as", "csv", "view_png", "trace_png"}
"""Actions that end the test or ask for a file; saving and exporting are done apart, into a folder of the test."""


class Heart:
    """Beats on the loop of the window; another thread listens, and notes where the loop stands when it stops."""

    def __init__(self) -> None:
        self.action = "start"
        self.stalls: list[tuple[float, str]] = []
        self._last, self._used = time.perf_counter(), time.thread_time()
        self._where: Counter[str] = Counter()
        self._main = threading.get_ident()
        self._ended = threading.Event()
        self._timer = QTimer()
        self._timer.setInterval(5)
        self._timer.timeout.connect(self.beat)
        self._timer.start()
        self._thread = threading.Thread(target=self._listen, name="oak-sled-soak", daemon=True)
        self._thread.start()

    def beat(self) -> None:
        """The loop answers."""
        used = time.thread_time()  # of the window's thread, which is where this is called
        if used - self._used > STALL_S:
            places = "; ".join(
                f"{count} of {self._where.total()} in {place}" for place, count in self._where.most_common(3)
            )
            self.stalls.append((used - self._used, f"{self.action}: {places or 'unknown'}"))
        self._last, self._used = time.perf_counter(), used
        self._where.clear()

    def skip(self) -> None:
        """Counts the time since the last beat as the test's own work."""
        self._last, self._used = time.perf_counter(), time.thread_time()
        self._where.clear()

    def _listen(self) -> None:
        while not self._ended.wait(0.02):
            if time.perf_counter() - self._last > 0.2 * STALL_S:
                self._where[_place_of(self._main)] += 1

    def close(self) -> None:
        """Ends the thread."""
        self._timer.stop()
        self._ended.set()
        self._thread.join()


def _place_of(thread: int) -> str:
    """The innermost of our functions that a thread is in. A frame that is kept would keep the painter in it too."""
    stack = []
    frame = sys._current_frames().get(thread)
    while frame is not None:
        stack.append((frame.f_code.co_filename, frame.f_lineno, frame.f_code.co_name))
        frame = frame.f_back
    own = [one for one in stack if "oak_sled" in one[0] and not one[0].endswith("soak.py")]
    return " < ".join(f"{Path(file).name}:{line} {name}" for file, line, name in own[:3])


def _key(name: str) -> Qt.Key:
    found: Qt.Key = getattr(Qt.Key, f"Key_{name}")
    return found


class _Errors(logging.Handler):
    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.found: Counter[str] = Counter()

    def emit(self, record: logging.LogRecord) -> None:
        text = record.getMessage().strip()
        if record.exc_info:
            text += "\n" + "".join(traceback.format_exception(*record.exc_info)).strip()
        self.found[text] += 1


def trim() -> None:
    """Gives back to the system what the C library holds free: it would count as growth of ours."""
    trims = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trims is not None:
        trims(0)


def memory_mb() -> float:
    """MB of this process that lie in memory."""
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


class Soak:
    """Acts on a window at random. `report` says what went wrong."""

    def __init__(self, app: QApplication, window: Window, seed: int, folder: Path, pictures: Path | None = None):
        self.app, self.window, self.folder, self.pictures = app, window, folder, pictures
        self.random = random.Random(seed)
        self.heart = Heart()
        self.errors = _Errors()
        logging.getLogger().addHandler(self.errors)
        self.memory: list[float] = []
        self.stale: list[str] = []
        self.done: Counter[str] = Counter()
        app.setCursorFlashTime(0)  # a caret that is there at one moment and not at the next is not stale
        self._hook = sys.excepthook
        sys.excepthook = self._catch
        self._closing = True
        self._watch()
        self._moves: list[tuple[int, Callable[[], str]]] = [
            (3, self._demo), (3, self._drill), (4, self._page_or_pane), (3, self._camera), (12, self._click),
            (8, self._drag), (14, self._dial), (10, self._key), (6, self._action), (4, self._history),
            (4, self._scrub), (4, self._drive), (3, self._resize), (2, self._save), (2, self._csv), (2, self._poke),
        ]  # fmt: skip

    def _catch(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        text = "".join(traceback.format_exception(kind, error, trace)).strip()
        if text not in self.errors.found:  # at once, in case it brings the process down
            print(f"after {self.heart.action}: {text}", file=sys.stderr, flush=True)
        self.errors.found[text] += 1
        self._hook(kind, error, trace)

    def _watch(self) -> None:
        # ordered anew before anything is chosen: what is chosen may open a menu that waits inside this very call
        if self._closing:
            QTimer.singleShot(120, self._watch)
            self._close_what_waits()

    def _close_what_waits(self) -> None:
        """Menus and dialogs wait in loops of their own: something is chosen, or they are closed."""
        popup = QApplication.activePopupWidget()
        if isinstance(popup, QMenu):
            words = "Quit", "Open", "Save as", "CSV", "Picture", "file", "PNG"
            free = [one for one in popup.actions() if one.isEnabled() and not any(w in one.text() for w in words)]
            if free and self.random.random() < 0.6:
                popup.setActiveAction(self.random.choice(free))
                _hand.keyClick(popup, Qt.Key.Key_Return)
            else:
                popup.close()
        elif popup is not None:
            popup.close()
        modal = QApplication.activeModalWidget()
        if isinstance(modal, QDialog):
            modal.reject()

    # what is done

    def _demo(self) -> str:
        name = self.random.choice(list(demos.DEMOS))
        self.window.filing.show_demo(name)
        return f"open demo {name}"

    def _drill(self) -> str:
        drill = self.random.choice(self.window.session.yard.drills).id
        self.window.session.choose("drill", drill)
        return f"choose drill {drill}"

    def _page_or_pane(self) -> str:
        if self.random.random() < 0.5:
            name = self.random.choice(PAGE_NAMES)
            self.window.show_page(name)
        else:
            name = self.random.choice(PANE_NAMES)
            self.window.show_pane(name)
        return f"show {name}"

    def _camera(self) -> str:
        name = self.random.choice(NAMES)
        self.window.playbar.choose(name)
        return f"camera {name}"

    def _target(self) -> tuple[QWidget, QPoint]:
        """A widget that is seen, and a place on it."""
        widgets = [one for one in self.window.findChildren(QWidget) if one.isVisible() and one.width() > 4]
        widget = self.random.choice(widgets)
        return widget, QPoint(self.random.randrange(widget.width()), self.random.randrange(max(1, widget.height())))

    def _click(self) -> str:
        widget, at = self._target()
        name = type(widget).__name__
        button = self.random.choice([Qt.MouseButton.LeftButton] * 4 + [Qt.MouseButton.RightButton])
        if self.random.random() < 0.2:
            _hand.mouseDClick(widget, button, pos=at)
        else:
            _hand.mouseClick(widget, button, pos=at)
        return f"click {name}"

    def _drag(self) -> str:
        widget, at = self._target()
        name = type(widget).__name__
        _hand.mousePress(widget, Qt.MouseButton.LeftButton, pos=at)
        for _ in range(6):
            at += QPoint(self.random.randint(-30, 30), self.random.randint(-30, 30))
            _hand.mouseMove(widget, at)
            self._go_on(0.02)
        _hand.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=at)
        return f"drag {name}"

    def _dial(self) -> str:
        dials = [one for one in self.window.findChildren(DialWidget) if one.isVisible()]
        if not dials:
            return "no dial"
        dial = self.random.choice(dials)
        name = dial.objectName()
        at = QPoint(dial.width() // 2, dial.height() // 2)
        _hand.mousePress(dial, Qt.MouseButton.LeftButton, pos=at)
        by = self.random.randint(-120, 120)
        for k in range(1, 9):
            _hand.mouseMove(dial, at + QPoint(by * k // 8, 0))
            self._go_on(0.02)
        _hand.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=at + QPoint(by, 0))
        return f"dial {name}"

    def _key(self) -> str:
        widget = QApplication.focusWidget() or self.window
        name = self.random.choice(KEYS)
        _hand.keyClick(widget, _key(name))
        return f"key {name}"

    def _action(self) -> str:
        name = self.random.choice([name for name in self.window.acts if name not in LEFT_OUT])
        self.window.acts[name].trigger()
        return f"action {name}"

    def _history(self) -> str:
        count = self.random.randint(1, 4)
        for _ in range(count):
            self.window.session.undo()
        for _ in range(self.random.randint(0, count)):
            self.window.session.redo()
        return "undo and redo"

    def _scrub(self) -> str:
        run = self.window.session.shown.run
        longest = run.duration if run is not None else 0.0
        for _ in range(5):
            self.window.session.shown.set_time(self.random.uniform(0.0, longest))
            self._go_on(0.02)
        return "scrub"

    def _drive(self) -> str:
        self.window.show_page("Bench")
        self.window.set_driving(True)
        for _ in range(self.random.randint(1, 5)):
            key = _key(self.random.choice("WASD"))
            _hand.keyPress(self.window, key)
            self._go_on(self.random.uniform(0.1, 0.8))
            _hand.keyRelease(self.window, key)
        if self.random.random() < 0.8:
            self.window.set_driving(False)
        return "drive"

    def _resize(self) -> str:
        self.window.resize(self.random.randint(1000, 1400), self.random.randint(640, 880))
        return "resize"

    def _save(self) -> str:
        self.window.keeper.save(self.folder / f"yard-{self.random.randrange(3)}.json")
        return "save"

    def _csv(self) -> str:
        run = self.window.session.shown.run
        if run is not None and not self.window.session.shown.live_on:
            self.window.keeper.export_csv(lambda: run, self.folder / "run.csv")
        return "export CSV"

    def _poke(self) -> str:
        self.window.playbar.poke.toggle()
        return "poke on or off"

    # going on

    def _go_on(self, seconds: float) -> None:
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            self.app.processEvents()
            time.sleep(0.002)

    def _is_idle(self) -> bool:
        session, view = self.window.session, self.window.view
        busy = session.worker.is_busy or session.loader.is_busy or session.background.is_busy
        busy = busy or self.window.measures.is_checking
        still = not view.isVisible() or not (view._still.isActive() or view._stale or view._begun)
        return not busy and still

    def one(self) -> None:
        """One action, at random."""
        weights = [weight for weight, _ in self._moves]
        move = self.random.choices([move for _, move in self._moves], weights)[0]
        self.heart.action = move.__name__.strip("_")
        try:
            what = move()
        except RuntimeError as error:
            if "has been deleted" not in str(error):
                raise
            what = f"{self.heart.action} of a widget that went away"  # what it did took the widget under it away
        self.heart.action = what
        self.done[what.split()[0]] += 1
        self._go_on(self.random.uniform(0.02, 0.25))
        if self.window.session.is_previewing and self.random.random() < 0.5:
            self.window.session.cancel()
        if not self.window.isVisible():
            self.window.show()
        if not self.window.session.shown.live_on and self.random.random() < 0.2:
            self._compare(what)

    def _compare(self, what: str) -> None:
        """The screen against a full repaint: they must be equal to the pixel."""
        if self.window.playbar.is_playing:  # the next picture is another one, as it should be
            return
        program.until(self.app, self._is_idle, 20.0)
        self._go_on(0.1)
        if not self._is_idle() or QApplication.activePopupWidget() is not None:
            return
        timed = self._timed()
        picture, shown = screenshot.on_screen(self.window), screenshot.pixels(self.window)
        self.heart.skip()
        self.window.view.refresh()
        screenshot.ask_repaint(self.window)
        program.until(self.app, self._is_idle, 20.0)
        self._go_on(0.1)
        if self._timed() != timed:  # a line that was said went away meanwhile, as it should
            return
        wrong = screenshot.stale(shown, screenshot.pixels(self.window), self.window)
        self.heart.skip()
        if wrong:
            self.stale.append(f"{what}: {wrong}")
            if self.pictures is not None:
                number = len(self.stale)
                picture.save(str(self.pictures / f"stale-{number}.png"))
                screenshot.on_screen(self.window).save(str(self.pictures / f"stale-{number}-true.png"))

    def _timed(self) -> tuple[bool, ...]:
        """The visible lines that go by themselves after a while."""
        return tuple(one.isVisible() for one in self.window.findChildren(overlays.Notice))

    def rest(self) -> None:
        """Puts the bench back to one known state, and reads the memory."""
        self.heart.action = "rest"
        self.window.set_driving(False)
        self.window.show_page("Bench")
        self.window.resize(1280, 800)
        self.window.filing.show_demo("fan-sled")
        program.until(self.app, lambda: not self.window.session.background.is_busy, 60.0)
        self._go_on(0.3)
        program.until(self.app, self._is_idle, 60.0)
        gc.collect()
        BUDGET.wait()
        trim()
        self.heart.skip()
        self.memory.append(memory_mb())

    def run(self, minutes: float, actions: int = 0) -> None:
        """Random use for so many minutes, or, where some are asked for, so many actions, however long they take."""
        end, next_rest, done = time.perf_counter() + 60.0 * minutes, time.perf_counter(), 0
        while done < actions if actions else time.perf_counter() < end:
            if time.perf_counter() >= next_rest:
                self.rest()
                next_rest = time.perf_counter() + min(REST_EVERY_S, 15.0 * minutes)
            self.one()
            done += 1
        self.rest()

    def close(self) -> None:
        """Lets go of what it listens to."""
        self.heart.close()
        self._closing = False
        sys.excepthook = self._hook
        logging.getLogger().removeHandler(self.errors)

    def growth(self) -> float:
        """Share by which the memory grew from the rest in the middle to the last."""
        middle = self.memory[len(self.memory) // 2] if self.memory else 0.0
        return self.memory[-1] / middle - 1.0 if middle else 0.0

    def report(self) -> bool:
        """Prints what was found; whether all is well."""
        print(f"{sum(self.done.values())} actions: " + ", ".join(f"{n} {what}" for what, n in self.done.most_common()))
        print(f"tracebacks: {sum(self.errors.found.values())}")
        for text, count in self.errors.found.most_common(20):
            print(f"  {count} x {text}")
        longest = max((seconds for seconds, _ in self.stalls), default=0.0)
        print(f"stalls over {1e3 * STALL_S:.0f} ms: {len(self.stalls)}, the longest {1e3 * longest:.0f} ms")
        for seconds, where in sorted(self.stalls, reverse=True)[:15]:
            print(f"  {1e3 * seconds:.0f} ms in {where}")
        rests = ", ".join(f"{mb:.0f}" for mb in self.memory)
        print(f"memory: {100.0 * self.growth():+.1f} % in the second half (at {len(self.memory)} rests: {rests} MB)")
        print(f"stale pixels: {len(self.stale)} times")
        for text in self.stale[:20]:
            print(f"  after {text}")
        return not (self.errors.found or self.stalls or self.stale) and self.growth() <= GROWTH

    @property
    def stalls(self) -> list[tuple[float, str]]:
        """(s, where) of every stretch without an answer."""
        return self.heart.stalls


def soak(minutes: float, seed: int, pictures: Path | None = None, actions: int = 0) -> int:
    """Random use of the window for so many minutes, or actions where some are asked for; 0 when nothing went wrong.

    pictures : where the screen goes when it was stale, and what it should have been.
    """
    if pictures is not None:
        program.make_folder(pictures)
    with tempfile.TemporaryDirectory() as name:
        os.environ["OAK_SLED_STATE"] = str(Path(name) / "state")
        overlays.SAID_MS = overlays.FAULT_MS = 10**8  # a line that fades by the clock is no stale pixel
        app, window = program.ready_window()
        app.setCursorFlashTime(0)  # nor is a text cursor that blinks
        program.catch_errors(window)
        test = Soak(app, window, seed, Path(name), pictures)
        try:
            test.run(minutes, actions)
        finally:
            test.close()
            well = test.report()
        program.finish(app, window)
    return 0 if well else 1
