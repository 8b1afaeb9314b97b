"""The tour of the demo: the window goes through it by itself, plays along with the stand-in games, and leaves
pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QApplication

from oak_sled.core.base import units
from oak_sled.core.link import playing
from oak_sled.core.link.server import Settings
from oak_sled.core.results import measures, traces
from oak_sled.desk.app.program import (
    drag,
    drive_a_little,
    finish,
    make_folder,
    press,
    ready_window,
    settle,
    shoot,
    until,
)
from oak_sled.desk.app.window import Window
from oak_sled.desk.driving.along import Along
from oak_sled.desk.widgets.dialwidget import DialWidget


def tour(folder: Path) -> int:
    """Drives, runs a drill, drags a dial, prints the measures, and leaves pictures."""
    make_folder(folder)
    app, window = ready_window()
    session = window.session
    shoot(window, folder, "1-opened")
    drive_a_little(app, window)
    shoot(window, folder, "2-driving")
    for key in ("W", "A"):
        press(window, key, False)
    window.set_driving(False)
    session.choose("drill", "slalom")
    until(
        app,
        lambda: (run := session.shown.run) is not None and run.job.drill.id == "slalom" and not run.live,
    )
    session.keep_run()
    until(app, lambda: not session.worker.is_busy)
    dial = window.desk.findChild(DialWidget, "dial_fan_thrust")
    assert dial is not None
    drag(dial, 20, app, released=False)
    settle(app)
    shoot(window, folder, "3-dial-dragged")
    session.commit("fan thrust")
    until(app, lambda: not session.worker.is_busy)
    settle(app)
    shoot(window, folder, "4-kept")
    print(f"\n{session.craft.heading} · {session.drill.heading}: {session.shelf.cards[0].heading}")
    for known in measures.MEASURES:
        value = session.shown.found.get(known.name)
        if value is not None:
            print(f"{known.title:<22} {units.told(value, known.unit):>10} {units.name_of(known.unit)}")
    play_along(app, window, folder)
    print(f"\npictures are in {folder.resolve()}")
    finish(app, window)
    return 0


def play_along(app: QApplication, window: Window, folder: Path) -> None:
    """Links the stand-in games, as far as this machine can run them, and drives along with each."""
    link, session = window.link, window.session
    link.start(Settings(port=0))
    until(app, lambda: link.server is not None)
    if link.server is None:
        return
    games = (
        ("in a terminal", "cc", playing.in_terminal(session.job(), link.server.ports["tcp"])),
        ("in a browser", "chromium", playing.in_browser(link.address)),
    )
    for place, (words, needs, game) in enumerate(games, start=5):
        with game as plays:
            if not plays:
                print(f"\na game {words}: left out, there is no {needs}")
                continue
            until(app, lambda: link.telling() is not None)
            told = link.telling()
            if told is None:
                continue
            window.drive_along(Along(link, told))
            settle(app, 3.0)
            session.edit("crafts.fan_sled.parts.fan.thrust", 900.0)
            settle(app, 3.0)
            shoot(window, folder, f"{place}-along-with-a-game-{words.replace(' ', '-')}")
            window.set_driving(False)
            run = session.shown.run
            if run is not None and run.told is None and run.job.drill.recording is not None:
                away = float(np.nanmax(traces.values(run, "off.place")))
                print(
                    f"\na game {words}, driven along for {units.fixed(run.duration, 's', 1)}: "
                    f"{units.plain(away, 'm', 3)} apart at most"
                )
            session.undo()
        until(app, lambda: link.telling() is None, 10.0)
    link.close()
