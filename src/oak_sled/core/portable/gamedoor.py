"""The door of an exported craft in the units and axes of a game: its motion out and in, its force, what a ray met.

The equations stay in SI; what a game gives and takes is turned at the door. Each language writes the same lines, since
arithmetic and indices are alike in all of them; how a number is named and declared, and how a door opens, is its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.gameunits import GameDisplay
from oak_sled.core.portable.code import Program
from oak_sled.core.yard.game import Game

Own = Callable[[str, int], str]
"""Writes a number of what the craft keeps: its name and place."""
Declare = Callable[[str, str], str]
"""Writes a new name with its value."""


@dataclass(frozen=True)
class GameDoor:
    """The door of one craft for one game. program : the craft, as it leaves. rays : whether the game casts some."""

    game: Game
    program: Program
    rays: range

    @classmethod
    def of(cls, game: Game, program: Program, rays: range) -> GameDoor | None:
        """None for a game that has all as we do: there is nothing to turn."""
        plain = game.replace(used=False) == Game()
        return None if plain else cls(game, program, rays if "foot_hit" in program.kept else range(0))

    @property
    def display(self) -> GameDisplay:
        """Numbers as the game has them."""
        return self.game.told()

    def factor(self, unit: str) -> float:
        """By what a number in SI is multiplied."""
        return self.display.shown(1.0, unit)[0]

    def unit(self, unit: str) -> str:
        """The unit in which the game has it."""
        return self.display.shown(1.0, unit)[1]

    def says(self) -> dict[str, str]:
        """The functions of the door, each in words."""
        length, speed, turn = self.unit("m"), self.unit("m/s"), self.unit("rad/s")
        motion = (
            f"position ({length}) and velocity ({speed}) of the centre of mass, attitude "
            f"({' '.join(self.game.quaternion)}) and spin ({turn})"
        )
        return {
            "out": f"The motion as the game has it: {motion}; {self.game.axes.words()}.",
            "in": f"Takes the motion from the game, for one that moves bodies itself: {motion}. The momentum follows.",
            "push": (
                f"The force ({self.unit('N')}) and the torque ({self.unit('N m')}) of the coming tick, in the axes of "
                "the game, for a game that moves bodies itself."
            ),
            "hit": (
                f"What ray k met, from the game: the distance ({length}) along it, or -1 for nothing; the normal "
                f"there; the velocity of the surface ({speed}); the place ({length})."
            ),
        }

    # lines of each: a name in a game's array, and its value

    def motion_out(self, own: Own) -> Iterator[tuple[str, str]]:
        """Pairs of a number of the game and what it is."""
        for name, unit, axial in _MOTION:
            yield from self._vector_out(name, self.factor(unit), axial, lambda k, name=name: own(name, k))  # type: ignore[misc]
        mirrored = self.game.axes.mirrors
        for place, letter in enumerate(self.game.quaternion):
            if letter == "w":
                yield f"attitude[{place}]", own("attitude", 0)
            else:
                axis, sign = self._from("xyz".index(letter))
                yield f"attitude[{place}]", _times(sign * mirrored, own("attitude", 1 + axis))

    def push_out(self, force: Callable[[int], str], torque: Callable[[int], str]) -> Iterator[tuple[str, str]]:
        """The same of a force and a torque."""
        yield from self._vector_out("force", self.factor("N"), False, force)
        yield from self._vector_out("torque", self.factor("N m"), True, torque)

    def motion_in(self, own: Own) -> Iterator[tuple[str, str]]:
        """Pairs of a number of the craft and what it is."""
        for name, unit, axial in _MOTION:
            yield from self._vector_in(name, 1.0 / self.factor(unit), axial, lambda k, name=name: own(name, k))  # type: ignore[misc]
        order = self.game.quaternion
        yield own("attitude", 0), f"attitude[{order.index('w')}]"
        for axis in range(3):
            there, sign = self._to(axis)
            place = order.index("xyz"[there])
            yield own("attitude", 1 + axis), _times(sign * self.game.axes.mirrors, f"attitude[{place}]")

    def hit_in(self, hit: Callable[[int], str]) -> Iterator[tuple[str, str]]:
        """The same of what a ray met."""
        yield hit(0), _times(1.0 / self.factor("m"), "distance")
        for name, unit, first in (("normal", "", 1), ("velocity", "m/s", 4), ("point", "m", 7)):
            by = 1.0 / self.factor(unit)
            yield from self._vector_in(name, by, False, lambda k, first=first: hit(first + k))  # type: ignore[misc]

    def momentum(self, own: Own, declare: Declare, number: Callable[[str], str]) -> Iterator[str]:
        """Statements without their ends that make the momentum of the spin: turned into the axes of the craft, times
        its inertia there, and back."""
        if "momentum" not in self.program.kept:
            return
        for k, name in enumerate(("qw", "qx", "qy", "qz")):
            yield declare(name, own("attitude", k))
        spin = [own("spin", k) for k in range(3)]
        back = ("-qx", "-qy", "-qz")
        yield from _turned("s", spin, back, declare)
        for row in range(3):
            terms = [
                f"{number(name)} * s{'xyz'[column]}"
                for column in range(3)
                if (name := self._inertia(row, column)) in self.program.numbers
            ]
            yield declare(f"l{'xyz'[row]}", " + ".join(terms) or "0.0")
        yield from _turned("m", ["lx", "ly", "lz"], ("qx", "qy", "qz"), declare)
        for k, axis in enumerate("xyz"):
            yield f"{own('momentum', k)} = m{axis}"

    def _inertia(self, row: int, column: int) -> str:
        names = [f"inertia_{'xyz'[a]}{'xyz'[b]}" for a, b in ((row, column), (column, row))]
        return next((name for name in names if name in self.program.numbers), names[0])

    def _from(self, there: int) -> tuple[int, float]:
        """Our axis that an axis of the game is, and its sign."""
        row = self.game.axes.matrix[there]
        place = int(np.argmax(np.abs(row)))
        return place, float(row[place])

    def _to(self, ours: int) -> tuple[int, float]:
        column = self.game.axes.matrix[:, ours]
        place = int(np.argmax(np.abs(column)))
        return place, float(column[place])

    def _vector_out(self, name: str, by: float, axial: bool, own: Callable[[int], str]) -> Iterator[tuple[str, str]]:
        hand = self.game.axes.mirrors if axial else 1.0
        for there in range(3):
            axis, sign = self._from(there)
            yield f"{name}[{there}]", _times(by * sign * hand, own(axis))

    def _vector_in(self, name: str, by: float, axial: bool, own: Callable[[int], str]) -> Iterator[tuple[str, str]]:
        hand = self.game.axes.mirrors if axial else 1.0
        for axis in range(3):
            there, sign = self._to(axis)
            yield own(axis), _times(by * sign * hand, f"{name}[{there}]")


_MOTION = (("position", "m", False), ("velocity", "m/s", False), ("spin", "rad/s", True))


def _times(by: float, value: str) -> str:
    return value if by == 1.0 else f"-{value}" if by == -1.0 else f"{by!r} * {value}"


def _turned(made: str, v: Sequence[str], q: Sequence[str], declare: Declare) -> Iterator[str]:
    """Declares a vector turned by a quaternion with the real part qw: v + 2 w (q x v) + 2 q x (q x v)."""
    qx, qy, qz = (f"({one})" if one.startswith("-") else one for one in q)
    for axis, (a, b, c, d) in zip(
        "xyz", ((qy, v[2], qz, v[1]), (qz, v[0], qx, v[2]), (qx, v[1], qy, v[0])), strict=True
    ):
        yield declare(f"{made}t{axis}", f"2.0 * ({a} * {b} - {c} * {d})")
    t = [f"{made}t{axis}" for axis in "xyz"]
    for k, (axis, (a, b, c, d)) in enumerate(
        zip("xyz", ((qy, t[2], qz, t[1]), (qz, t[0], qx, t[2]), (qx, t[1], qy, t[0])), strict=True)
    ):
        yield declare(f"{made}{axis}", f"{v[k]} + qw * {t[k]} + ({a} * {b} - {c} * {d})")
