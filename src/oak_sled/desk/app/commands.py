"""The commands of the window: what each is called, its keys, and what it does."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QAction, QKeySequence

from oak_sled.desk.app.header import PAGES
from oak_sled.desk.yardview.camera import NAMES

PANES = ("Traces", "Ledger", "Plan", "Measures", "Laws", "Why")
"""The pages of the right pane."""


def actions_of(window: Any) -> dict[str, QAction]:
    """Every command with its keys, by name; each is added to the window, which has what they do."""

    def action(words: str, keys: str, do: Callable[[], object]) -> QAction:
        made = QAction(words, window)
        if keys:
            made.setShortcut(QKeySequence(keys))
        made.triggered.connect(lambda _=False: do())
        window.addAction(made)
        return made

    acts = {
        "new": action("New yard", "Ctrl+N", window.filing.new_yard),
        "open": action("Open...", "Ctrl+O", window.filing.ask_open),
        "save": action("Save", "Ctrl+S", window.filing.save),
        "save_as": action("Save as...", "Ctrl+Shift+S", window.filing.ask_save),
        "undo": action("Undo", "Ctrl+Z", window.session.undo),
        "redo": action("Redo", "Ctrl+Shift+Z", window.session.redo),
        "drive": action("Drive or stop", "F9", lambda: window.set_driving(not window.session.live_on)),
        "run": action("Run drill", "Ctrl+Return", lambda: window.session.keep_run()),
        "check": action("Tick check", "Ctrl+T", window.tick_check),
        "hold": action("Play or pause", "Space", window.toggle_hold),
        "step": action("Step one tick forward", ".", window.step),
        "back": action("Step one tick back", ",", lambda: window.playbar.step(-1)),
        "start": action("Back to the start", "Home", lambda: window.playbar.to_start()),
        "restart": action("Restart the drive", "Ctrl+R", window.driver.restart),
        "part": action("Fit a part", "Ctrl+P", lambda: window.desk.show_parts()),
        "fit": action("Fit the path", "Ctrl+0", lambda: window.playbar.fit()),
        "longer": action("Longer arrows", "+", lambda: window.view.set_scale(1.25)),
        "shorter": action("Shorter arrows", "-", lambda: window.view.set_scale(0.8)),
        "poke": action("Poke bodies in the view", "P", lambda: window.playbar.poke.toggle()),
        "keys": action("Keys of the craft", "F8", window.toggle_inputs),
        "next_craft": action("Select the next craft of the drill", "F7", window.session.select_next),
        "csv": action("Export run as CSV...", "Ctrl+E", lambda: window.filing.ask_csv("")),
        "view_png": action("Picture of the view...", "", lambda: window.filing.ask_picture(window.view, "view")),
        "trace_png": action("Picture of the traces...", "", lambda: window.filing.ask_picture(window.traces, "traces")),
        "night": action("Night colours", "Ctrl+D", window.toggle_night),
        "help": action("All keys", "F1", window.toggle_sheet),
        "quit": action("Quit", "Ctrl+Q", window.close),
    }
    for place, name in enumerate(NAMES):
        acts[f"camera_{name}"] = action(
            f"Camera: {name}", f"Ctrl+{place + 1}", functools.partial(_choose_camera, window, name)
        )
    for place, name in enumerate(PAGES):
        acts[f"page_{name}"] = action(f"Page: {name}", f"F{place + 2}", functools.partial(window.show_page, name))
    for place, name in enumerate(PANES):
        acts[f"pane_{name}"] = action(f"Pane: {name}", f"Alt+{place + 1}", functools.partial(window.show_pane, name))
    return acts


def _choose_camera(window: Any, name: str) -> None:
    window.playbar.choose(name)  # it is made after the commands
