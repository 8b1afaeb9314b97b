"""Figures of the live link: a dial that is dragged in the window until the stand-in game has it, and a game that tells
where it is while the craft is driven along with it."""

from __future__ import annotations

import functools
import json
import socket
import threading
import time

import numpy as np
from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from oak_sled.bench.lines import line
from oak_sled.core.assembly import jobs
from oak_sled.core.base.arrays import Floats
from oak_sled.core.link import playing
from oak_sled.core.link.messages import Telemetry
from oak_sled.core.link.server import Settings
from oak_sled.core.yard.recording import MOVES, PLACE, SPINS, TURN
from oak_sled.desk.app import program
from oak_sled.desk.app.window import Window
from oak_sled.desk.driving.along import Along

RATE = 200.0
"""Messages of a game to a second."""


def linking(count: int, seconds: float) -> None:
    """Both figures. count : movements of the dial; seconds : of driving along."""
    app, window = program.ready_window()
    window.link.start(Settings(port=0))
    program.until(app, lambda: window.link.is_on)
    _dial(window, app, count)
    _telemetry(window, app, seconds)
    window.link.close()
    program.finish(app, window)


def _dial(window: Window, app: QApplication, count: int) -> None:
    """A dial is dragged; the stand-in tells in each tick which change it has."""
    server, session = window.link.server, window.session
    assert server is not None
    with playing.in_terminal(jobs.job_of(session.yard), server.ports["tcp"]) as plays:
        if not plays:
            print("the stand-in is not measured: there is no cc")
            return
        waits, passed = _waits(window, app, count)
    median, tail = np.percentile(waits, [50, 95]) * 1e3
    tick = 1e3 / session.yard.ticks
    line(
        "a dial until the stand-in has it and says so", f"{median:.1f} ms", "20 ms", median / 20.0,
        f"aim 1.0; 95 % under {tail:.1f} ms; its tick is {tick:.1f} ms; {passed} passed over for a newer one",
    )  # fmt: skip


def _waits(window: Window, app: QApplication, count: int) -> tuple[list[float], int]:
    """s from each movement until it is heard of, and how many were never told since the next one was there."""
    server, session = window.link.server, window.session
    assert server is not None
    heard: list[tuple[float, float]] = []

    def noted() -> None:  # in the thread of the link
        for event in server.take():
            if isinstance(event.message, Telemetry):
                heard.append((event.message.numbers.get("heard", 0.0), time.perf_counter()))

    server.said.on_event = noted
    program.until(app, lambda: len(heard) > 60, 30.0)
    waits, passed = [], 0
    for place in range(count):
        before, began = heard[-1][0], time.perf_counter()
        session.preview("crafts.fan_sled.parts.fan.thrust", 500.0 + place)
        program.until(app, functools.partial(_newer, heard, before), 2.0)
        found = next((at for serial, at in heard if serial > before), None)
        if found is None:
            passed += 1
        else:
            waits.append(found - began)
        program.settle(app, 0.013 * (1 + place % 3))
    session.cancel()
    server.said.on_event = lambda: None
    return waits, passed


def _newer(heard: list[tuple[float, float]], serial: float) -> bool:
    return heard[-1][0] > serial


class _Game:
    """A game that tells a run again in real time, over TCP, from a thread."""

    def __init__(self, port: int, rows: Floats):
        self.rows, self.sent, self.ends = rows, 0, False
        self.line = socket.create_connection(("127.0.0.1", port))
        self.line.sendall(json.dumps({"type": "hello", "version": 1, "name": "lake", "ticks": RATE}).encode() + b"\n")
        self.thread = threading.Thread(target=self._run, daemon=True)
        self.thread.start()

    def _run(self) -> None:
        began = time.perf_counter()
        while not self.ends:
            row = self.rows[self.sent % len(self.rows)].tolist()
            told = {
                "type": "telemetry", "tick": self.sent, "position": row[:3], "attitude": row[3:7],
                "velocity": row[7:10], "spin": row[10:13], "inputs": {"throttle": 1.0, "steer": 0.0, "brake": 0.0},
            }  # fmt: skip
            self.line.sendall(json.dumps(told).encode() + b"\n")
            self.sent += 1
            time.sleep(max(began + self.sent / RATE - time.perf_counter(), 0.0))

    def close(self) -> None:
        self.ends = True
        self.thread.join()
        self.line.close()


def _telemetry(window: Window, app: QApplication, seconds: float) -> None:
    """A game tells its place 200 times a second, and is driven along with, traces in sight."""
    server, session = window.link.server, window.session
    assert server is not None
    run = session.shown.run
    assert run is not None
    at = np.arange(0.0, run.duration, 1.0 / RATE)
    rows = np.stack([np.interp(at, run.t, run.column(name)) for name in (*PLACE, *TURN, *MOVES, *SPINS)], axis=1)
    game = _Game(server.ports["tcp"], rows)
    program.until(app, lambda: window.link.telling() is not None, 10.0)
    told = window.link.telling()
    assert told is not None
    take = window.link.takes[told]
    window.drive_along(Along(window.link, told))
    painted: list[float] = []
    window.driver.frame.connect(lambda: painted.append(time.perf_counter()))
    first, began = len(take), time.perf_counter()
    while time.perf_counter() - began < seconds:
        app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    came, sent = len(take) - first, seconds * RATE
    gaps = np.diff(painted)
    late = time.perf_counter() - painted[-1] if painted else seconds
    window.set_driving(False)
    game.close()
    line(
        "200 messages a second drawn along a drive", f"{came / seconds:.0f} a second", f"told {RATE:.0f} a second",
        came / sent, f"aim 1.0; {len(gaps) / float(gaps.sum()):.0f} frames/s, longest {gaps.max() * 1e3:.0f} ms, "
        f"newest drawn {late * 1e3:.0f} ms ago; {server.said.lost} lost",
    )  # fmt: skip
