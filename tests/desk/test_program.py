"""The program around the window: start, unexpected errors, pictures, and the tour of the demo."""

from __future__ import annotations

import json
import logging
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtGui import QImage

from oak_sled.core.files import yard_json
from oak_sled.core.project import demos
from oak_sled.desk.app import program
from oak_sled.desk.work.recovery import state_folder


def call(*arguments, folder):
    """The program in a process of its own, on the display of the tests."""
    environment = {**os.environ, "OAK_SLED_STATE": str(folder / "state")}
    return subprocess.run(
        [sys.executable, "-m", "oak_sled", *arguments], capture_output=True, text=True, env=environment, timeout=200
    )


def test_the_pictures_of_every_main_view_are_made(qapp, tmp_path):
    done = call("shots", str(tmp_path / "shots"), folder=tmp_path)
    assert done.returncode == 0, done.stderr
    made = sorted((tmp_path / "shots").glob("*.png"))
    kept = Path(__file__).parents[2] / "docs" / "screenshots"
    assert [file.name for file in made] == sorted(file.name for file in kept.glob("*.png"))
    assert 10 < len(made) < 20
    for file in made:
        picture = QImage(str(file))
        assert (picture.width(), picture.height()) == (1280, 800)
        colours = {picture.pixel(x, y) for x in range(0, 1280, 20) for y in range(0, 800, 20)}
        assert len(colours) > 40, file.name


def test_the_tour_drives_drags_and_prints_the_measures(qapp, tmp_path):
    done = call("tour", str(tmp_path / "tour"), folder=tmp_path)
    assert done.returncode == 0, done.stderr
    assert "fan thrust 620" in done.stdout
    assert "top speed" in done.stdout
    games = [needs for needs in ("cc", "chromium") if shutil.which(needs)]
    assert len(list((tmp_path / "tour").glob("*.png"))) == 4 + len(games)
    assert done.stdout.count("driven along for") == len(games)
    assert done.stdout.count("left out, there is no") == 2 - len(games)
    assert not list((tmp_path / "state").glob("sessions/*")), "nothing is left behind"


def test_the_program_opens_a_file_and_keeps_going_when_it_is_damaged(qtbot, renderer, tmp_path, monkeypatch):
    monkeypatch.setattr(program, "try_renderer", lambda: (renderer, ""))
    good, bad = tmp_path / "good.json", tmp_path / "bad.json"
    yard_json.save(demos.load("fan-sled").edit("title", "Mine"), good)
    bad.write_text("{")
    for file, title in ((good, "Mine"), (bad, "Frost Road Freight")):
        window = program.build(str(file))
        qtbot.addWidget(window)
        window.keeper.background.wait()
        assert window.session.yard.title == title
        qtbot.waitUntil(lambda window=window: bool(window.session.shelf.cards), timeout=30_000)
        window.close()


def test_an_error_nobody_foresaw_is_told_and_the_work_put_by(qtbot, window, idle, monkeypatch, caplog):
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    program.catch_errors(window)
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 512.0)
    idle()
    with caplog.at_level(logging.ERROR, logger="oak_sled"):
        try:
            raise ZeroDivisionError("a stray error")
        except ZeroDivisionError as error:
            sys.excepthook(type(error), error, error.__traceback__)
    qtbot.waitUntil(lambda: "a stray error" in window.notice.words.text(), timeout=5_000)
    assert window.keeper.auto.yard.exists()
    assert "ZeroDivisionError" in caplog.text
    caplog.clear()


def test_keeping_quiet_when_there_is_nothing_to_recover(window):
    assert not window.filing.offer_recovery()
    assert not window.question.isVisible()


def test_closing_with_unsaved_work_leaves_it_for_the_next_start(window, idle):
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 640.0)
    idle()
    window.close()
    left = window.keeper.auto.yard
    assert yard_json.load(left).craft().parts[0].thrust == 640.0


def test_closing_with_nothing_unsaved_leaves_nothing(window, idle, tmp_path):
    window.session.edit("crafts.fan_sled.parts.fan.thrust", 640.0)
    idle()
    window.keeper.autosave()
    assert window.keeper.auto.folder.exists()
    window.keeper.save(tmp_path / "yard.json")
    window.close()
    assert (tmp_path / "yard.json").exists()
    assert not list((state_folder() / "sessions").iterdir())


@pytest.mark.parametrize("speed", [1.0, 0.5, 0.25, 0.1])
def test_slow_motion_goes_through_its_steps(window, speed):
    for _ in range(4):
        if window.playbar.speed == speed:
            break
        window.playbar.next_speed()
    assert window.playbar.speed == speed
    assert window.driver.speed == speed
    words = window.playbar.slow.text()
    assert words == ("real time" if speed == 1.0 else f"slow 1/{round(1 / speed)}")


def test_the_window_stays_usable_while_the_kernel_compiles(tmp_path):
    """With an empty cache the window is up at once, answers, says how far the compiling is, and then shows its run."""
    code = """
import json
from PyQt6.QtCore import QTimer
from oak_sled.core.compiler.kernel import PROGRAM
from oak_sled.desk.app import program
app = program.application()
window = program.build()
window.show()
answered, said = [0], []
window.session.said.connect(lambda text, fault: said.append(text))
timer = QTimer()
timer.timeout.connect(lambda: answered.__setitem__(0, answered[0] + 1))
timer.start(20)
program.until(app, lambda: window.session.shown.run is not None)
until_run = answered[0]
program.until(app, PROGRAM.is_ready, 120.0)

print(json.dumps([until_run, said, PROGRAM.is_ready(), len(PROGRAM.compiled_anew)]))
program.finish(app, window)
"""
    env = {**os.environ, "OAK_SLED_CACHE": str(tmp_path / "cache"), "OAK_SLED_STATE": str(tmp_path / "state")}
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stderr
    answered, said, ready, anew = json.loads(done.stdout.splitlines()[-1])
    assert answered > 10, "the loop went on while the worker compiled"
    assert any(text.startswith("compiling the physics once: ") for text in said)
    assert ready
    assert anew > 30


def test_a_short_soak_reports_what_it_found(qapp, tmp_path):
    done = call("soak", "--actions", "40", "--seed", "3", folder=tmp_path)
    assert done.returncode in (0, 1), done.stderr  # a stall is the machine's business here
    assert "tracebacks: 0" in done.stdout
    assert "stale pixels: 0 times" in done.stdout
    assert re.search(r"\d+ actions: .*\bdial\b", done.stdout), done.stdout
    assert re.search(r"stalls over 250 ms: \d+", done.stdout)
    assert re.search(r"memory: [+-][\d.]+ % in the second half", done.stdout)
    assert not list((tmp_path / "state").glob("sessions/*")), "it works in a place of its own"
