"""Input sources: what a hand, a pointer or a game gives the channels of crafts, as named values in every tick.

A control of a source is of one kind. A level is how far it is pushed now, -1 to 1. An increment is a movement: all of
it since the tick before is summed, and given once. A notch counts steps: clicks of a wheel, or presses of a key.
A channel takes values of one kind (`Channel.takes`); what a control of another kind gives is turned into it here:

| | to a level | to an increment | to notches |
| --- | --- | --- | --- |
| level | as it is | its rate (`Channel.rise`) times the length of the tick | 1 at each press past half |
| increment | as far as it moved in the tick | as it is | whole steps; what is left is kept |
| notch | full for one tick | one step of the channel | as it is |

`docs/adding-an-input-source.md` walks through an addition.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.kernel.state import PRESSED
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.control import Control

Kind = Literal["level", "increment", "notch"]
"""The kind of the values of a control."""


@dataclass(frozen=True)
class Bound:
    """A control that drives a channel: the name of its source, its own name, and what it counts there."""

    source: str
    control: str
    scale: float = 1.0


class Source(Protocol):
    """Something that gives values by name. `name` : as bindings have it."""

    name: str

    def kind(self, control: str) -> Kind:
        """The kind of the values of a control."""

    def value(self, control: str) -> float:
        """A level as it is now; of the others, all since `taken` was called last."""

    def taken(self) -> None:
        """The ticks that are due have been given what there was: increments and notches begin anew."""

    def release(self) -> None:
        """Nothing is held any more: the window has lost the hand."""


class Keys:
    """The keys of a keyboard: levels of 0 and 1. `held` : the names of those that are down."""

    name = "keys"

    def __init__(self) -> None:
        self.held: set[str] = set()

    def kind(self, control: str) -> Kind:
        """Every key is a level."""
        return "level"

    def value(self, control: str) -> float:
        """1 while it is down."""
        return float(control in self.held)

    def taken(self) -> None:
        """Keys stay down."""

    def release(self) -> None:
        """No key stays down."""
        self.held.clear()


class Pointer:
    """A pointer that is held or captured: its movement, its wheel and its buttons.

    "x" and "y" are increments, of 100 px to the right and up; "stick x 2.5" and "stick y -1" are levels that stay where
    they were moved to, the factor in their name; "wheel" counts notches; "left", "middle" and "right" are its buttons.
    """

    name = "pointer"

    def __init__(self) -> None:
        self._moved = {"x": 0.0, "y": 0.0}
        self._notches = 0.0
        self._sticks: dict[str, float] = {}
        self.held: set[str] = set()

    def move(self, dx: float, dy: float) -> None:
        """A movement, px to the right and up. All of it counts, however often it is asked."""
        for axis, by in (("x", dx), ("y", dy)):
            self._moved[axis] += by / PX
            for stick, stands in self._sticks.items():
                _, of, factor = stick.split(" ")
                if of == axis:
                    self._sticks[stick] = min(max(stands + float(factor) * by / PX, -1.0), 1.0)

    def turn(self, notches: float) -> None:
        """Notches of the wheel, away from the hand."""
        self._notches += notches

    def kind(self, control: str) -> Kind:
        """See the class."""
        if control in self._moved:
            return "increment"
        return "notch" if control == "wheel" else "level"

    def value(self, control: str) -> float:
        """See the class."""
        if control in self._moved:
            return self._moved[control]
        if control == "wheel":
            return self._notches
        if control.startswith("stick "):
            return self._sticks.setdefault(control, 0.0)
        return float(control in self.held)

    def taken(self) -> None:
        """Movement and notches begin anew; sticks and buttons stay."""
        self._moved, self._notches = {"x": 0.0, "y": 0.0}, 0.0

    def release(self) -> None:
        """Sticks return to their middle, and no button stays down."""
        self.taken()
        self._sticks = dict.fromkeys(self._sticks, 0.0)
        self.held.clear()


PX = 100.0
"""px of movement that count as one."""


def bindings(channel: Channel) -> tuple[Bound, ...]:
    """The controls that drive a channel."""
    plus = tuple(Bound(Keys.name, key) for key in channel.plus_keys)
    minus = tuple(Bound(Keys.name, key, -1.0) for key in channel.minus_keys)
    return plus + minus + tuple(bound_to(one) for one in channel.controls)


def bound_to(control: Control) -> Bound:
    """The control of a source that one of a document means."""
    if control.device == "pad":
        return Bound("pad", f"{control.number} {control.what}", control.factor)
    if control.what in ("x", "y") and control.acts_as == "stick":
        return Bound(Pointer.name, f"stick {control.what} {control.factor!r}")
    return Bound(Pointer.name, control.what, control.factor)


class Hand:
    """The values that some sources give all channels of a job, tick by tick.

    Of several levels on one side of a channel the greatest counts, so that two keys are no more than one; both sides
    are summed, so that opposing keys cancel. Increments and notches are summed.
    """

    def __init__(self, sources: Sequence[Source]):
        self._sources = {source.name: source for source in sources}
        self._pressed: dict[tuple[int, Bound], float] = {}
        self._left: dict[int, float] = {}

    def values(self, channels: Sequence[Channel], ticks: int, dt: float) -> Floats:
        """Raw values of channels for the next ticks of `dt` s, shape (ticks, channels): levels in all of them;
        increments evenly among them, and notches in the first."""
        out = np.zeros((ticks, len(channels)))
        for place, channel in enumerate(channels):
            out[:, place] = self._of(place, channel, ticks, dt)
        for source in self._sources.values():
            source.taken()
        return out

    def release(self) -> None:
        """Nothing of any source is held any more."""
        for source in self._sources.values():
            source.release()

    def _of(self, place: int, channel: Channel, ticks: int, dt: float) -> Floats:
        found = [(bound, self._sources[bound.source]) for bound in bindings(channel) if bound.source in self._sources]
        levels = [
            (bound, bound.scale * source.value(bound.control))
            for bound, source in found
            if source.kind(bound.control) == "level"
        ]
        level = _both_sides(value for _, value in levels)
        moved, notches = (
            sum(b.scale * source.value(b.control) for b, source in found if source.kind(b.control) == kind)
            for kind in ("increment", "notch")
        )
        out = np.zeros(ticks)
        if channel.takes == "level":
            out += max(level + moved / ticks, channel.least_input)
            out[:1] += notches
        elif channel.takes == "increment":
            out += level * channel.rise * dt + moved / ticks
            out[:1] += notches * channel.step
        else:
            self._left[place] = self._left.get(place, 0.0) + moved
            whole = math.trunc(self._left[place])
            self._left[place] -= whole
            out[:1] += notches + whole + sum(self._presses(place, bound, value) for bound, value in levels)
        return out

    def _presses(self, place: int, bound: Bound, value: float) -> float:
        """1 or -1 where a level was pressed since it was asked last."""
        pressed = math.copysign(1.0, value) if abs(value) > PRESSED else 0.0
        before = self._pressed.get((place, bound), 0.0)
        self._pressed[place, bound] = pressed
        return pressed if pressed != before else 0.0


def _both_sides(values: Iterable[float]) -> float:
    """The greatest push up and the greatest push down, summed."""
    found = list(values)
    return max([0.0, *found]) + min([0.0, *found])


def held_values(channels: Sequence[Channel], held: Iterable[str]) -> Floats:
    """The raw values that held keys give channels in a tick, shape (channels,)."""
    keys = Keys()
    keys.held.update(held)
    found: Floats = Hand([keys]).values(channels, 1, 0.0)[0]
    return found
