"""Pads and steering wheels as a source of input, read from the event devices of the system.

The kernel gives each device a file in /dev/input, from which records of `struct input_event` are read, and whose axes
and buttons are asked for by ioctl (Linux, Documentation/input/input.rst and event-codes.rst; include/uapi/linux/input.h
and input-event-codes.h). A user may read it who is in the group of these files, most often `input`.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import struct
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

from oak_sled.core.project.sources import Kind
from oak_sled.core.yard.channel import Channel

EVENT = struct.Struct("llHHi")
"""struct input_event: seconds, microseconds, type, code, value."""
ABSOLUTE = struct.Struct("6i")
"""struct input_absinfo: value, least, greatest, fuzz, flat, resolution."""
SYNC, BUTTON, AXIS = 0x00, 0x01, 0x03
DROPPED = 3
"""Code of a SYNC after which events are missing, so that all axes are asked for anew."""
FIRST_BUTTON, LAST_BUTTON = 0x100, 0x2FF
"""Codes of buttons of pads and the like; those below are keys of a keyboard."""
HOME = Path("/dev/input")
NAMES = {
    0: "left x", 1: "left y", 2: "left trigger", 3: "right x", 4: "right y", 5: "right trigger", 6: "throttle",
    7: "rudder", 8: "wheel", 9: "pedal", 10: "brake", 16: "hat x", 17: "hat y",
}  # fmt: skip
"""Axes by their codes; the others are called by their number."""
DOWN_IS_POSITIVE = {"left y", "right y", "hat y"}
"""Axes that grow downward in the events; here up is positive, as the nose of a craft."""
ONE_SIDED = {"left trigger", "right trigger", "throttle", "pedal", "brake"}
"""Axes that rest at their end, and give 0 to 1."""
MOST_PADS = 8


@dataclass(frozen=True)
class Range:
    """An axis of a device: its least and greatest value, where it stands, and how far from its middle it rests."""

    low: int
    high: int
    value: int = 0
    flat: int = 0


@dataclass
class Abilities:
    """The name of a device, its axes by their codes, and the codes of its buttons in order."""

    name: str = ""
    axes: dict[int, Range] = field(default_factory=dict)
    buttons: tuple[int, ...] = ()

    @property
    def is_pad(self) -> bool:
        """True if it is a pad, a stick or a wheel, and no keyboard, pointer or touch pad."""
        sticks = {0, 1} <= set(self.axes) or 8 in self.axes
        return sticks and any(0x120 <= code < 0x140 or 0x150 <= code < 0x160 for code in self.buttons)


class Device:
    """A device that is open: `file` is its descriptor, which never blocks. Its levels are what its events have told."""

    def __init__(self, file: int, path: str, abilities: Abilities):
        self.file, self.path, self.abilities = file, path, abilities
        self.levels: dict[str, float] = {}
        self._rest = b""
        for code, one in abilities.axes.items():
            self._put_axis(code, one.value)
        for number, _ in enumerate(abilities.buttons, start=1):
            self.levels[f"button {number}"] = 0.0

    @property
    def name(self) -> str:
        """The name that it gives itself."""
        return self.abilities.name or Path(self.path).name

    def read(self) -> bool:
        """Takes all events that are there; False once the device is gone."""
        while True:
            try:
                data = os.read(self.file, 64 * EVENT.size)
            except BlockingIOError:
                return True
            except OSError as error:
                if error.errno == errno.EINTR:
                    continue
                return False
            if not data:
                return False
            data = self._rest + data
            whole = len(data) - len(data) % EVENT.size
            self._rest = data[whole:]
            for _, _, kind, code, value in EVENT.iter_unpack(data[:whole]):
                self.take(kind, code, value)

    def take(self, kind: int, code: int, value: int) -> None:
        """Takes one event."""
        if kind == AXIS and code in self.abilities.axes:
            self._put_axis(code, value)
        elif kind == BUTTON and code in self.abilities.buttons:
            number = 1 + self.abilities.buttons.index(code)
            self.levels[f"button {number}"] = float(value != 0)
        elif kind == SYNC and code == DROPPED:
            for axis in self.abilities.axes:
                with contextlib.suppress(OSError):
                    self._put_axis(axis, absolute(self.file, axis).value)

    def _put_axis(self, code: int, value: int) -> None:
        name, one = NAMES.get(code, f"axis {code}"), self.abilities.axes[code]
        if one.high <= one.low:
            return
        if name in ONE_SIDED:
            level = (value - one.low) / (one.high - one.low)
        else:
            middle = 0.5 * (one.low + one.high)
            level = 0.0 if abs(value - middle) <= one.flat else (value - middle) / (one.high - middle)
        level = min(max(level, -1.0), 1.0)
        self.levels[name] = -level if name in DOWN_IS_POSITIVE else level

    def close(self) -> None:
        """Gives the file back."""
        with contextlib.suppress(OSError):
            os.close(self.file)


def absolute(file: int, code: int) -> Range:
    """The range of an axis of an open device, EVIOCGABS; raises OSError."""
    found = fcntl.ioctl(file, 0x80184540 + code, bytes(ABSOLUTE.size))
    value, low, high, _, flat, _ = ABSOLUTE.unpack(found)
    return Range(low, high, value, flat)


def abilities_of(file: int) -> Abilities:
    """The name, axes and buttons of an open device, EVIOCGNAME and EVIOCGBIT; raises OSError."""
    name = fcntl.ioctl(file, 0x80004506 | (256 << 16), bytes(256)).split(b"\0")[0].decode("utf-8", "replace")
    return Abilities(
        name,
        {code: absolute(file, code) for code in _bits(file, AXIS, 0x40)},
        tuple(code for code in _bits(file, BUTTON, 0x300) if FIRST_BUTTON <= code <= LAST_BUTTON),
    )


def _bits(file: int, kind: int, count: int) -> list[int]:
    size = count // 8
    found = fcntl.ioctl(file, (0x80004520 + kind) | (size << 16), bytes(size))
    return [code for code in range(count) if found[code // 8] >> (code % 8) & 1]


def opened(path: str) -> Device | None:
    """The pad at a path; None for what is none, or may not be read."""
    try:
        file = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    except OSError:
        return None
    try:
        found = abilities_of(file)
    except OSError:
        os.close(file)
        return None
    if not found.is_pad:
        os.close(file)
        return None
    return Device(file, path, found)


def paths() -> list[str]:
    """The event devices of this machine."""
    try:
        return sorted(str(one) for one in HOME.glob("event*"))
    except OSError:
        return []


class Pads:
    """All pads that are plugged in, numbered from 1; a number is kept until its pad is pulled out, and given to the
    next. look, open_at : where devices are found and how one is opened; a test hands in its own."""

    name = "pad"

    def __init__(
        self,
        look: Callable[[], Iterable[str]] = paths,
        open_at: Callable[[str], Device | None] = opened,
        say: Callable[[str], object] = str,
    ):
        self._look, self._open, self._say = look, open_at, say
        self.slots: list[Device | None] = []
        self._refused: set[str] = set()

    def scan(self) -> None:
        """Takes in what was plugged in since."""
        there = set(self._look())
        self._refused &= there
        known = {one.path for one in self.slots if one is not None}
        for path in sorted(there - known - self._refused):
            device = self._open(path)
            if device is None or len([one for one in self.slots if one is not None]) >= MOST_PADS:
                self._refused.add(path)
                continue
            place = next((k for k, one in enumerate(self.slots) if one is None), len(self.slots))
            self.slots[place : place + 1] = [device]
            self._say(f"pad {1 + place} is there: {device.name}")

    def poll(self) -> None:
        """Reads what all of them have told; one that is gone is said once, and its controls rest."""
        for place, device in enumerate(self.slots):
            if device is not None and not device.read():
                device.close()
                self.slots[place] = None
                self._say(f"pad {1 + place} was pulled out: {device.name}; its channels go to rest")

    def close(self) -> None:
        """Gives all files back."""
        for device in self.slots:
            if device is not None:
                device.close()
        self.slots = []

    # a source

    def kind(self, control: str) -> Kind:
        """Axes and buttons are levels."""
        return "level"

    def value(self, control: str) -> float:
        """The level of a control, such as "1 left x"; 0 for what is not there."""
        number, _, what = control.partition(" ")
        device = self._numbered(int(number))
        return 0.0 if device is None else device.levels.get(what, 0.0)

    def taken(self) -> None:
        """Axes stay where they are."""

    def release(self) -> None:
        """Nothing: a pad says itself when it is let go."""

    def _numbered(self, number: int) -> Device | None:
        return self.slots[number - 1] if 1 <= number <= len(self.slots) else None

    def lacks(self, channel: Channel) -> list[str]:
        """The controls that a channel is bound to and that are not there, a sentence each. A pad that is not plugged in
        is none of them where keys or the pointer drive the channel too."""
        found = []
        spared = bool(channel.plus_keys or channel.minus_keys) or any(one.device != "pad" for one in channel.controls)
        for one in channel.controls:
            if one.device != "pad":
                continue
            device = self._numbered(one.number)
            if device is None and not spared:
                found.append(f"{channel.heading}: there is no pad {one.number} (plug it in, or bind something else)")
            elif device is not None and one.what not in device.levels:
                known = ", ".join(sorted(device.levels))
                found.append(f"{channel.heading}: pad {one.number} has no {one.what!r} (it has {known})")
        return found
