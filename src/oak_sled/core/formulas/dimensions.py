"""Dimensions of quantities in a formula, and what they are called."""

from __future__ import annotations

from fractions import Fraction

from oak_sled.core.base import units

Dimension = tuple[Fraction, Fraction, Fraction]
"""Exponents of kilogram, metre and second. Angles are plain numbers here: a radian is 1."""
PLAIN: Dimension = (Fraction(0), Fraction(0), Fraction(0))

_NAMED = (
    "N",
    "N/m",
    "N s/m",
    "N m",
    "J",
    "W",
    "m/s",
    "m/s2",
    "kg",
    "m",
    "s",
    "1/s",
    "N s",
    "kg m2",
    "kg/m3",
    "m2",
    "N/m2",
)
"""Units by which a dimension is called, the first that fits."""


def of_unit(text: str) -> tuple[float, Dimension]:
    """(factor to SI, dimension) of a unit such as "kN/m"; raises `Refused` for what is none."""
    unit = units.parse_unit(text)
    kilogram, metre, second, _ = unit.dimension
    return unit.factor, (Fraction(kilogram), Fraction(metre), Fraction(second))


def times(one: Dimension, other: Dimension, power: Fraction | int = 1) -> Dimension:
    """The dimension of one times a power of the other."""
    return (one[0] + power * other[0], one[1] + power * other[1], one[2] + power * other[2])


def words(dimension: Dimension) -> str:
    """The name of a dimension: the unit that has it."""
    if dimension == PLAIN:
        return "a plain number"
    for name in _NAMED:
        if of_unit(name)[1] == dimension:
            return name
    pieces = [_power(base, power) for base, power in zip(("kg", "m", "s"), dimension, strict=True) if power > 0]
    below = [_power(base, -power) for base, power in zip(("kg", "m", "s"), dimension, strict=True) if power < 0]
    return " ".join(pieces or ["1"]) + "".join(f"/{one}" for one in below)


def _power(base: str, power: Fraction) -> str:
    return base if power == 1 else f"{base}{power}" if power.denominator == 1 else f"{base}^({power})"
