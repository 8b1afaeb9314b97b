"""Places where a formula may stand in a part: what it gives, and the quantities that it may use there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Acts = Literal["", "spring", "damper"]


@dataclass(frozen=True)
class Quantity:
    """A quantity of a place, SI units.

    acts : what a law that changes with it is to its craft: a spring, a damper, or neither. sign : 1 where the law
    pushes back more as the quantity grows, -1 where it does as the quantity shrinks, such as a gap.
    """

    name: str
    unit: str
    says: str
    acts: Acts = ""
    sign: int = 1


@dataclass(frozen=True)
class Place:
    """A law of a part that a formula may replace.

    name : by which documents refer to it. gives : the unit of its value. field : of the part, which names the formula;
    "" there leaves the built-in law. replaces : the numbers of the part that a formula takes the place of. The first of
    its quantities is the one that it is usually drawn against. sampled : its part reads it from samples that are taken
    before a run, and no tick asks the formula itself.
    """

    name: str
    title: str
    gives: str
    field: str
    quantities: tuple[Quantity, ...]
    replaces: tuple[str, ...] = ()
    sampled: bool = False

    @property
    def names(self) -> tuple[str, ...]:
        """The names of its quantities, in the order in which the kernel has them."""
        return tuple(one.name for one in self.quantities)

    @property
    def units(self) -> dict[str, str]:
        """The unit of each of its quantities."""
        return {one.name: one.unit for one in self.quantities}

    def quantity(self, name: str) -> Quantity:
        """The quantity of that name, or the first."""
        return next((one for one in self.quantities if one.name == name), self.quantities[0])
