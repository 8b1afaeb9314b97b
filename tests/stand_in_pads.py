"""Pads of the tests: the event records of the kernel, written into pipes, and a desk that they are plugged into."""

from __future__ import annotations

import os

from oak_sled.core.project import pads
from oak_sled.core.project.pads import Abilities, Device, Pads, Range

STICKS = {3: Range(0, 255, 128, 8), 4: Range(0, 255, 128, 8), 16: Range(-1, 1)}
"""Axes that make the stand-in a pad of two sticks and a hat."""
BUTTONS = tuple(range(0x130, 0x13C))


class StandIn:
    """A pad of the test's: the kernel's event records, written into a pipe."""

    def __init__(self, path: str, **more):
        self.path = path
        self.read_end, self.write_end = os.pipe()
        os.set_blocking(self.read_end, False)
        axes = {
            0: Range(0, 255, 128, 8),
            1: Range(0, 255, 128, 8),
            5: Range(0, 1023),
            8: Range(-900, 900),
            17: Range(-1, 1),
        }
        buttons = more.get("buttons", (0x130, 0x131, 0x13A))
        self.abilities = Abilities("Stand-in pad", axes | more.get("axes", {}), buttons)

    def opened(self) -> Device:
        return Device(self.read_end, self.path, self.abilities)

    def tell(self, kind: int, code: int, value: int) -> None:
        os.write(self.write_end, pads.EVENT.pack(1, 2, kind, code, value))

    def pull_out(self) -> None:
        os.close(self.write_end)


class Desk:
    """Pads that are plugged into a desk of the test's, and what is said of them."""

    def __init__(self):
        self.there: dict[str, StandIn] = {}
        self.said: list[str] = []
        self.pads = Pads(lambda: list(self.there), lambda path: self.there[path].opened(), self.said.append)

    def plug(self, path: str, **more) -> StandIn:
        self.there[path] = StandIn(path, **more)
        self.pads.scan()
        return self.there[path]
