"""Axes of a game against ours: which of its axes points forward, which up, and which hand it has.

Ours: x forward, y left, z up, right-handed. Those of a game are got from them by a rotation, or by one and a mirror: a
matrix of one 1 or -1 in each row and column. A place, velocity or force turns with it; a spin, torque or the axis of a
rotation (an axial vector) is taken the other way as well where it mirrors, since the hand that counts them changes.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse

WAYS = ("x", "y", "z", "-x", "-y", "-z")
"""Directions along the axes, as they are written."""
HANDS = ("right", "left")


def _unit(way: str) -> Floats:
    found = np.zeros(3)
    found["xyz".index(way[-1])] = -1.0 if way[0] == "-" else 1.0
    return found


@dataclass(frozen=True)
class Axes:
    """The axes of a game. forward, up : one of `WAYS`. hand : one of `HANDS`."""

    forward: str = "x"
    up: str = "z"
    hand: str = "right"

    @classmethod
    def of(cls, forward: str, up: str, hand: str) -> Axes:
        """Raises `Refused` where these are no rotation or reflection of ours."""
        for name, given, known in (("forward", forward, WAYS), ("up", up, WAYS), ("hand", hand, HANDS)):
            if given not in known:
                raise refuse(name, f"{given!r} is no choice", f"one of {', '.join(known)}")
        if forward[-1] == up[-1]:
            others = ", ".join(way for way in WAYS if way[-1] != forward[-1])
            raise refuse("up", f"lies along {up[-1]}, as forward does: no rotation or reflection", f"one of {others}")
        return cls(forward, up, hand)

    @cached_property
    def matrix(self) -> Floats:
        """From ours to those of the game, shape (3, 3): its columns are our forward, left and up as the game has
        them."""
        forward, up = _unit(self.forward), _unit(self.up)
        return np.stack([forward, self.mirrors * np.cross(up, forward), up], axis=1)

    @property
    def mirrors(self) -> float:
        """-1.0 where the hand is another than ours, else 1.0: the determinant of the matrix."""
        return 1.0 if self.hand == "right" else -1.0

    def vectors(self, ours: Floats) -> Floats:
        """Places, velocities, forces, shape (..., 3), as the game has them."""
        return np.asarray(ours @ self.matrix.T)

    def axials(self, ours: Floats) -> Floats:
        """Spins, torques and angular momenta, shape (..., 3), as the game has them."""
        return self.mirrors * self.vectors(ours)

    def attitudes(self, ours: Floats) -> Floats:
        """Unit quaternions (w, x, y, z), shape (..., 4), from craft to world axes, both as the game has them."""
        return np.concatenate([ours[..., :1], self.axials(ours[..., 1:])], axis=-1)

    def back(self) -> Axes:
        """The axes by which what the game has becomes ours again."""
        return _Back(self.forward, self.up, self.hand)

    def component(self, letter: str) -> tuple[str, float]:
        """The letter that one of our axes has in the game, and its sign there: for a number that stands alone."""
        column = self.matrix[:, "xyz".index(letter)]
        place = int(np.argmax(np.abs(column)))
        return "xyz"[place], float(column[place])

    def words(self) -> str:
        """As a sentence says them: "y up, x forward, right-handed"."""
        return f"{self.up} up, {self.forward} forward, {self.hand}-handed"


class _Back(Axes):
    """The same, the other way."""

    @cached_property
    def matrix(self) -> Floats:
        return np.ascontiguousarray(Axes(self.forward, self.up, self.hand).matrix.T)
