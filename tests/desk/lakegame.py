"""A game at the other end of the live link, for tests."""

from __future__ import annotations

import contextlib
import json
import socket
import threading


class Game:
    """A game whose lines are read in a thread."""

    def __init__(self, port):
        self.line = socket.create_connection(("127.0.0.1", port), timeout=20)
        self.heard = []
        self.send({"type": "hello", "version": 1, "name": "lake", "ticks": 60})
        self.reader = threading.Thread(target=self._read, daemon=True)
        self.reader.start()

    def send(self, message):
        self.line.sendall(json.dumps(message).encode() + b"\n")

    def _read(self):
        with self.line.makefile("rb") as lines:
            self.heard += []
            for line in lines:
                self.heard.append(json.loads(line))

    def numbers(self):
        found = {}
        for message in self.heard:
            found |= message.get("numbers", {})
        return found

    def kinds(self):
        return [message["type"] for message in self.heard]

    def close(self):
        with contextlib.suppress(OSError):  # where the other side has ended it
            self.line.shutdown(socket.SHUT_RDWR)
        self.reader.join(20)
        self.line.close()


def played(game, run, ticks, first=0):
    """Sends rows of a run as a game tells them."""
    names = [f"{group}.{axis}" for group in ("position", "velocity", "spin") for axis in "xyz"]
    names += [f"rotation.{axis}" for axis in "wxyz"]
    told = run.columns(*names)
    inputs = {one.id: run.column(f"channel.{one.id}") for one in run.job.craft.channels}
    for tick in range(first, ticks):
        row, given = told[tick].tolist(), {name: float(values[tick]) for name, values in inputs.items()}
        game.send({
            "type": "telemetry", "tick": tick, "position": row[:3], "velocity": row[3:6], "spin": row[6:9],
            "attitude": row[9:], "inputs": given,
        })  # fmt: skip
