"""Quantities as a game counts them: its units of length, mass, angle and time, and its axes.

A number is turned from the unit that it was declared in, name by name: "N s/m" in a game of pixels and ticks becomes
kg/tick, since what cancels is taken out. What is counted in times of gravity, in percent or by the tick stays so.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.axes import Axes
from oak_sled.core.base.units import UNITS, Display

_LOOSE_TERM = re.compile(r"([A-Za-z°%]+|1)\^?([-−]?\d+(?:\.\d+)?|[²³])?$")


@dataclass(frozen=True)
class Basis:
    """Units in which a game counts. length : its unit of length, and how many make a metre; so mass (to the kilogram)
    and angle (to the radian). rate : the time by which it counts speeds and rates, so many to the second; lasts : that
    in which it counts how long something takes."""

    length: tuple[str, float] = ("m", 1.0)
    mass: tuple[str, float] = ("kg", 1.0)
    angle: tuple[str, float] = ("°", 180.0 / math.pi)
    rate: tuple[str, float] = ("s", 1.0)
    lasts: tuple[str, float] = ("s", 1.0)

    def bases(self) -> tuple[tuple[str, float], ...]:
        """In the order of a dimension."""
        return (self.mass, self.length, self.rate, self.angle)


_PLAIN = Basis()
_TIMES = ("s", "ms", "min", "h")
_ANGLES = ("°", "deg", "rad", "rev", "turn")


class GameDisplay(Display):
    """Quantities as a game counts them. quaternion : the order in which it writes one, such as "xyzw"."""

    def __init__(self, basis: Basis, axes: Axes, quaternion: str = "wxyz"):
        self.basis, self.axes, self.quaternion = basis, axes, quaternion
        self.prefixes = basis == _PLAIN
        self._known: dict[str, tuple[float, str]] = {}
        names = zip(("kg", "m", "s", "rad"), basis.bases(), strict=True)
        made = {name: (1.0 / size, UNITS[of][1]) for of, (name, size) in (*names, ("s", basis.lasts))}
        self.own = {name: one for name, one in made.items() if name not in UNITS}

    def shown(self, value: float, unit: str) -> tuple[float, str]:
        factor, name = self.scale(unit)
        return value * factor, name

    def taken(self, value: float, unit: str) -> float:
        return value / self.scale(unit)[0]

    def attitude(self, ours: Floats) -> tuple[Floats, str]:
        return self.axes.attitudes(ours)[..., ["wxyz".index(one) for one in self.quaternion]], self.quaternion

    def scale(self, unit: str) -> tuple[float, str]:
        """By what a number in a declared unit is multiplied, and the unit that it is in then."""
        if unit not in self._known:
            self._known[unit] = self._scaled(unit)
        return self._known[unit]

    def _scaled(self, unit: str) -> tuple[float, str]:
        if unit in _TIMES:
            name, size = self.basis.lasts
            return (1.0, unit) if name == "s" else (UNITS[unit][0] * size, name)
        terms = _terms(unit)
        factor, powers = 1.0, dict[str, float]()
        changed = False
        for name, power in terms or ():
            own, exponents = UNITS[name]
            if name in _ANGLES:
                symbol, size = self.basis.angle
                changed = changed or name != symbol
                factor *= (own * size) ** power
                powers[symbol] = powers.get(symbol, 0.0) + power
                continue
            moved = [
                base != plain
                for base, plain, exponent in zip(self.basis.bases(), _PLAIN.bases(), exponents, strict=True)
                if exponent
            ]
            if name in ("g", "%", "1") or not any(moved):
                powers[name] = powers.get(name, 0.0) + power
                continue
            changed = True
            factor *= own**power
            for (symbol, size), exponent in zip(self.basis.bases(), exponents, strict=True):
                if exponent:
                    factor *= size ** (exponent * power)
                    powers[symbol] = powers.get(symbol, 0.0) + exponent * power
        return (factor, _written(powers)) if changed else (1.0, unit)


def _terms(unit: str) -> list[tuple[str, float]] | None:
    """A unit as names and powers; None for one with a name that is not known."""
    found, sign = [], 1.0
    for piece in re.split(r"(/)|[\s·*]+", unit.strip()):
        if piece == "/":
            sign = -1.0
        elif piece:
            match = _LOOSE_TERM.match(piece)
            if not match or match[1] not in UNITS:
                return None
            power = {"²": 2.0, "³": 3.0}.get(match[2] or "", 0.0) or float(match[2] or 1.0)
            found.append((match[1], sign * power))
    return found


def _written(powers: dict[str, float]) -> str:
    """Names and powers as a unit: "kg px/tick2"."""
    above = [f"{name}{'' if power == 1.0 else f'{power:g}'}" for name, power in powers.items() if power > 0.0]
    below = [f"{name}{'' if power == -1.0 else f'{-power:g}'}" for name, power in powers.items() if power < 0.0]
    above = [one for one in above if one != "1"] or (["1"] if below else [])
    return " ".join(above) + (f"/{' '.join(below)}" if below else "")
