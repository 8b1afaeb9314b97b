"""The commands of the window: each declared once, with what it is called, its key, its group in the menu, and what it
does. The menu, the sheet of keys and docs/commands.md come from here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Protocol

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QWidget

from oak_sled.desk.app.places import PAGES, PANES
from oak_sled.desk.app.playbar import PlayBar
from oak_sled.desk.driving.drive import Driver
from oak_sled.desk.panes.tracepane import TracePane
from oak_sled.desk.strips.forcedesk import ForceDesk
from oak_sled.desk.work.session import Session
from oak_sled.desk.work.yardfiles import Filing
from oak_sled.desk.yardview.camera import NAMES
from oak_sled.desk.yardview.view import YardView


class Host(Protocol):
    """The window as commands need it."""

    session: Session
    filing: Filing
    driver: Driver

    @property
    def playbar(self) -> PlayBar:
        """The bar below the yard view."""

    @property
    def view(self) -> YardView:
        """The yard view."""

    @property
    def desk(self) -> ForceDesk:
        """The force desk."""

    @property
    def traces(self) -> TracePane:
        """The traces."""

    def set_driving(self, on: bool) -> None:
        """Begins or ends a drive."""

    def tick_check(self) -> None:
        """Runs the tick check."""

    def compare_twins(self) -> None:
        """Puts the twins of the drill in one table."""

    def toggle_hold(self) -> None:
        """Holds what runs, or lets it go on."""

    def step(self) -> None:
        """One tick on."""

    def toggle_inputs(self) -> None:
        """The keys of the craft."""

    def toggle_night(self) -> None:
        """Day and night colours."""

    def ask_film(self) -> None:
        """Asks where a film of the run goes, and makes it."""

    def toggle_units(self) -> None:
        """Numbers as the game has them, or SI."""

    def show_begin(self) -> None:
        """The page where one begins."""

    def find_anything(self) -> None:
        """Opens the finder."""

    def toggle_help(self) -> None:
        """Help on what has the focus, or no help any more."""

    def toggle_sheet(self) -> None:
        """The sheet of all keys."""

    def show_page(self, name: str) -> None:
        """Shows a page."""

    def show_pane(self, name: str) -> None:
        """Shows a pane."""

    def close(self) -> bool:
        """Closes the window."""


@dataclass(frozen=True)
class Command:
    """A command. group : the group of the menu it stands in, "" for none."""

    name: str
    words: str
    key: str
    do: Callable[[Host], object]
    group: str = ""


def _ask_picture(host: Host, of: QWidget, name: str) -> None:
    host.filing.ask_picture(of, name)


GROUPS = ("yard", "history", "run", "export", "program")
"""Groups of the menu, from above."""
OWN = (
    Command("begin", "Begin: guided starts, families, demos", "Ctrl+B", lambda host: host.show_begin(), "yard"),
    Command("new", "New yard", "Ctrl+N", lambda host: host.filing.new_yard(), "yard"),
    Command("open", "Open...", "Ctrl+O", lambda host: host.filing.ask_open(), "yard"),
    Command("save", "Save", "Ctrl+S", lambda host: host.filing.save(), "yard"),
    Command("save_as", "Save as...", "Ctrl+Shift+S", lambda host: host.filing.ask_save(), "yard"),
    Command("undo", "Undo", "Ctrl+Z", lambda host: host.session.undo(), "history"),
    Command("redo", "Redo", "Ctrl+Shift+Z", lambda host: host.session.redo(), "history"),
    Command("drive", "Drive or stop", "F9", lambda host: host.set_driving(not host.session.shown.live_on), "run"),
    Command("run", "Run drill", "Ctrl+Return", lambda host: host.session.keep_run(), "run"),
    Command("check", "Tick check", "Ctrl+T", lambda host: host.tick_check(), "run"),
    Command("twins", "Compare twins in one table", "", lambda host: host.compare_twins(), "run"),
    Command("part", "Add a part", "Ctrl+P", lambda host: host.desk.show_parts(), "run"),
    Command("keys", "Keys of the craft", "F8", lambda host: host.toggle_inputs(), "run"),
    Command(
        "pointer", "Steer with the pointer (Esc: let go)", "Shift+F9", lambda host: host.driver.capture_pointer(), "run"
    ),
    Command("hold", "Play or pause", "Space", lambda host: host.toggle_hold()),
    Command("step", "Step one tick forward", ".", lambda host: host.step()),
    Command("back", "Step one tick back", ",", lambda host: host.playbar.step(-1)),
    Command("start", "Back to the start", "Home", lambda host: host.playbar.to_start()),
    Command("restart", "Restart the drive", "Ctrl+R", lambda host: host.driver.restart()),
    Command("fit", "Fit the path", "Ctrl+0", lambda host: host.playbar.fit()),
    Command("longer", "Longer arrows", "+", lambda host: host.view.set_scale(1.25)),
    Command("shorter", "Shorter arrows", "-", lambda host: host.view.set_scale(0.8)),
    Command("poke", "Poke bodies in the view", "P", lambda host: host.playbar.poke.toggle()),
    Command("next_craft", "Select the next craft of the drill", "F7", lambda host: host.session.select_next()),
    Command("csv", "Export run as CSV...", "Ctrl+E", lambda host: host.filing.ask_csv(""), "export"),
    Command(
        "view_png", "Picture of the view...", "", lambda host: host.filing.ask_picture(host.view, "view"), "export"
    ),
    Command(
        "trace_png",
        "Picture of the traces...",
        "",
        lambda host: host.filing.ask_picture(host.traces, "traces"),
        "export",
    ),
    Command("film", "Film of the run...", "", lambda host: host.ask_film(), "export"),
    Command("night", "Night colours", "Ctrl+D", lambda host: host.toggle_night(), "program"),
    Command("units", "Numbers as the game has them, or SI", "Ctrl+U", lambda host: host.toggle_units(), "program"),
    Command("find", "Find anything...", "Ctrl+F", lambda host: host.find_anything(), "program"),
    Command("help", "Help on what has the focus", "F1", lambda host: host.toggle_help(), "program"),
    Command("sheet", "All keys", "Shift+F1", lambda host: host.toggle_sheet(), "program"),
    Command("quit", "Quit", "Ctrl+Q", lambda host: host.close(), "program"),
)


def _camera(name: str, host: Host) -> None:
    host.playbar.choose(name)


def _page(name: str, host: Host) -> None:
    host.show_page(name)


def _pane(name: str, host: Host) -> None:
    host.show_pane(name)


COMMANDS: tuple[Command, ...] = (
    *OWN,
    *(Command(f"camera_{k}", f"Camera: {k}", f"Ctrl+{at + 1}", partial(_camera, k)) for at, k in enumerate(NAMES)),
    *(Command(f"page_{one.name}", f"Page: {one.name}", one.key, partial(_page, one.name)) for one in PAGES),
    *(Command(f"pane_{one.name}", f"Pane: {one.name}", one.key, partial(_pane, one.name)) for one in PANES),
)
"""Every command, those of pages, panes and cameras among them."""


def actions_of(host: Host, window: QMainWindow) -> dict[str, QAction]:
    """Every command as an action of the window, by name."""
    found = {}
    for command in COMMANDS:
        made = QAction(command.words, window)
        if command.key:
            made.setShortcut(QKeySequence(command.key))
        made.triggered.connect(partial(_do, command, host))
        window.addAction(made)
        found[command.name] = made
    return found


def _do(command: Command, host: Host, _checked: bool = False) -> None:
    command.do(host)


def page() -> str:
    """docs/commands.md: pages, panes, and every command with its key."""
    lines = [
        "# Pages, panes and commands",
        "",
        "Written from the declarations in `desk/app/places.py` and `desk/app/commands.py` by `scripts/write_pages.py`.",
        "",
        "| page | key | what it is for |",
        "| --- | --- | --- |",
        *(f"| {one.name} | {one.key} | {one.says} |" for one in PAGES),
        "",
        "| pane of the bench | key | what it shows |",
        "| --- | --- | --- |",
        *(f"| {one.name} | {one.key} | {one.says} |" for one in PANES),
        "",
        "| command | key |",
        "| --- | --- |",
        *(f"| {one.words} | {one.key or '-'} |" for one in COMMANDS if not one.words.startswith(("Page:", "Pane:"))),
    ]
    return "\n".join(lines) + "\n"
