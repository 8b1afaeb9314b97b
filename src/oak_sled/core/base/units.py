"""Units: reading what a user types, and writing numbers as a person reads them.

`read("40 km/h", "m/s")` gives 11.11; `read("=2*pi/3 rad", "deg")` gives 120. Sums are read by a
small parser of our own: nothing a user types is ever evaluated as code. A dimension is a tuple of
exponents over (kilogram, metre, second, radian), and a value whose dimension is not that of the
dial is refused with both units named.
"""

from __future__ import annotations

import contextlib
import functools
import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.axes import Axes
from oak_sled.core.base.faults import refuse

STANDARD_GRAVITY = 9.80665
"""m/s2; the conventional value of standard gravity (ISO 80000-3)."""

Dimension = tuple[int, int, int, int]
_NONE: Dimension = (0, 0, 0, 0)

UNITS: dict[str, tuple[float, Dimension]] = {
    "m": (1.0, (0, 1, 0, 0)),
    "cm": (0.01, (0, 1, 0, 0)),
    "mm": (0.001, (0, 1, 0, 0)),
    "km": (1000.0, (0, 1, 0, 0)),
    "s": (1.0, (0, 0, 1, 0)),
    "ms": (0.001, (0, 0, 1, 0)),
    "min": (60.0, (0, 0, 1, 0)),
    "h": (3600.0, (0, 0, 1, 0)),
    "kg": (1.0, (1, 0, 0, 0)),
    "t": (1000.0, (1, 0, 0, 0)),
    "N": (1.0, (1, 1, -2, 0)),
    "kN": (1e3, (1, 1, -2, 0)),
    "MN": (1e6, (1, 1, -2, 0)),
    "J": (1.0, (1, 2, -2, 0)),
    "kJ": (1e3, (1, 2, -2, 0)),
    "W": (1.0, (1, 2, -3, 0)),
    "kW": (1e3, (1, 2, -3, 0)),
    "g": (STANDARD_GRAVITY, (0, 1, -2, 0)),
    "rad": (1.0, (0, 0, 0, 1)),
    "deg": (math.pi / 180.0, (0, 0, 0, 1)),
    "°": (math.pi / 180.0, (0, 0, 0, 1)),
    "rev": (2.0 * math.pi, (0, 0, 0, 1)),
    "turn": (2.0 * math.pi, (0, 0, 0, 1)),
    "Hz": (1.0, (0, 0, -1, 0)),
    "%": (0.01, _NONE),
    "1": (1.0, _NONE),
}
"""Units that are known, by name: the factor to SI, and the exponents of kg, m, s and rad."""
_UNIT_TERM = re.compile(r"([A-Za-z°%]+|1)\^?([-−]?\d+|[²³])?$")
_TOKEN = re.compile(r"\s*(\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?|[-+*/^()]|[A-Za-z°%][\w°%]*)")
_COMMA = re.compile(r"(?<![\d,])(\d*),(\d*)(?![\d,])")
_POWER = re.compile(r"([A-Za-z])([23](?![\d.])|\d+\.\d+)")
_PREFIXED = {"N", "N m", "N s", "N m s", "J", "W"}


@dataclass(frozen=True)
class Unit:
    """A unit as its factor to SI and its dimension."""

    factor: float
    dimension: Dimension


def parse_unit(text: str) -> Unit:
    """The unit written as `text`, such as "N s/m", "kg m2", "1/s" or "°"; "" is a plain number."""
    factor, dimension = 1.0, list(_NONE)
    sign = 1
    for piece in re.split(r"(/)|[\s·*]+", text.strip()):
        if not piece:
            continue
        if piece == "/":
            sign = -1
            continue
        match = _UNIT_TERM.match(piece)
        known = match and (UNITS.get(match[1]) or _in_use.own.get(match[1]))
        if not match or not known:
            raise refuse("unit", f"{piece!r} is not a unit", "for example N, kN, m/s, km/h, g, deg, 1/s")
        power = {"²": 2, "³": 3}.get(match[2] or "", 0) or int((match[2] or "1").replace("−", "-")[:6])
        if abs(power) > 9:
            raise refuse("unit", f"{piece[:20]!r} has too large an exponent", "a power from -9 to 9")
        unit_factor, exponents = known
        factor *= unit_factor ** (sign * power)
        dimension = [have + sign * power * more for have, more in zip(dimension, exponents, strict=True)]
    return Unit(factor, (dimension[0], dimension[1], dimension[2], dimension[3]))


class _Sum:
    """Recursive descent over + - * / ^ ( ), numbers and pi; stops at the first unit name."""

    def __init__(self, text: str):
        self.text, self.at, self.depth = text, 0, 0

    def peek(self) -> str:
        match = _TOKEN.match(self.text, self.at)
        return match[1] if match else ""

    def take(self) -> str:
        match = _TOKEN.match(self.text, self.at)
        if not match:
            raise refuse("entry", f"{self.text!r} ends where a number should stand", "for example 12 kN or =2*pi/3 rad")
        self.at = match.end()
        return match[1]

    def total(self) -> float:
        value = self.product()
        while self.peek() in ("+", "-"):
            value = value + self.product() if self.take() == "+" else value - self.product()
        return value

    def product(self) -> float:
        value = self.signed()
        while self.peek() in ("*", "/"):
            if self.take() == "*":
                value *= self.signed()
                continue
            divisor = self.signed()
            if divisor == 0.0:
                raise refuse("entry", f"{self.text!r} divides by zero", "a divisor that is not 0")
            value /= divisor
        return value

    def signed(self) -> float:
        if self.peek() in ("-", "+"):
            return -self.signed() if self.take() == "-" else self.signed()
        base = self.atom()
        if self.peek() == "^":
            self.take()
            base = self.power(base, self.signed())
        return base

    def power(self, base: float, exponent: float) -> float:
        try:
            return float(math.pow(base, exponent))
        except (OverflowError, ValueError):
            raise refuse("entry", f"{base:g}^{exponent:g} has no usable value", "a smaller power") from None

    def atom(self) -> float:
        token = self.take()
        if token == "(":
            self.depth += 1
            if self.depth > 40:
                raise refuse("entry", "too many brackets", "at most 40 deep")
            value = self.total()
            if self.take() != ")":
                raise refuse("entry", f"{self.text!r} has a bracket that is not closed", "add )")
            return value
        if token == "pi":
            return math.pi
        if token[0].isdigit() or token[0] == ".":
            return float(token)
        raise refuse("entry", f"expected a number, got {token!r}", "a number, pi or a bracket")


def read(text: str, unit: str, *, mass: float | None = None, in_file: bool = False) -> float:
    """The number typed as `text`, in `unit`.

    A bare number is one in the units in use; in a file (in_file), in `unit` itself. With `mass` (kg), an entry in g is
    also taken for a force: so many times the weight of that mass.
    """
    body = _with_points(text.strip().lstrip("=").strip().replace("−", "-"), text)
    if not body:
        raise refuse("entry", "nothing was typed", f"a number in {unit or 'plain units'}")
    if len(body) > 200:
        raise refuse("entry", "too long for a number", "at most 200 characters")
    reader = _Sum(body)
    value = reader.total()
    typed = body[reader.at :].strip()
    if not math.isfinite(value):
        raise refuse("entry", f"{text.strip()!r} is not a finite number", "a finite number")
    if not typed:
        return value if in_file else _in_use.taken(value, unit)
    wanted, given = parse_unit(unit), parse_unit(typed)
    if given.dimension == wanted.dimension:
        return value * given.factor / wanted.factor
    if mass is not None and typed == "g" and wanted.dimension == UNITS["N"][1]:
        return value * given.factor * mass / wanted.factor
    raise refuse("entry", f"{typed} is no unit of this quantity", f"give it in {unit or 'plain numbers'}")


def _with_points(body: str, text: str) -> str:
    """`body` with a decimal comma as a point; raises `Refused` for a comma that may part thousands, which would be read
    as a thousandth of what was meant."""
    if "," not in body:
        return body
    for whole, part in _COMMA.findall(body):
        if (len(part) == 3 and whole.strip("0")) or not part:
            break
    else:
        if body.count(",") == len(_COMMA.findall(body)):
            return body.replace(",", ".")
    raise refuse("entry", f"{text.strip()[:40]!r} has a comma that is no decimal point", "1500 or 1.5, without a comma")


def significant(value: float, digits: int = 3) -> str:
    """`value` to so many significant digits, never in exponent form between 1e-4 and 1e7."""
    if not math.isfinite(value):
        return "—"
    if value == 0.0:
        return "0"
    size = abs(value)
    if size < 1e-4 or size >= 1e7:
        return f"{value:.{digits - 1}e}"
    places = max(0, digits - 1 - math.floor(math.log10(size)))
    text = f"{value:.{places}f}"
    if size >= 10**digits:
        text = f"{round(value):d}"
    return text


class Display:
    """The units in which quantities are shown and typed; this one is SI with degrees, as they are declared.

    Another display overrides both methods; every number with a unit, on the screen and in messages, goes through them.
    axes : those in which vectors are told. own : units that may be typed beside those that are known: name to factor
    and dimension.
    """

    axes: Axes = Axes()
    own: Mapping[str, tuple[float, Dimension]] = MappingProxyType({})
    prefixes: bool = True
    """True if a large force may read kN, and a small length cm."""

    def shown(self, value: float, unit: str) -> tuple[float, str]:
        """A quantity in a declared unit as the number and the unit that stand on the screen."""
        return value, unit

    def taken(self, value: float, unit: str) -> float:
        """A number typed without a unit for a quantity of a declared unit, in that unit."""
        return value

    def attitude(self, ours: Floats) -> tuple[Floats, str]:
        """Quaternions (w, x, y, z), shape (..., 4), as the game has them, and the letters of their places."""
        return self.axes.attitudes(ours), "wxyz"


_in_use = Display()


def in_use() -> Display:
    """The display in use."""
    return _in_use


def use(display: Display) -> None:
    """Shows and takes numbers by a display from now on."""
    global _in_use  # one for the whole program: what is on the screen is in one set of units
    _in_use = display


@contextlib.contextmanager
def using(display: Display) -> Iterator[None]:
    """Shows and takes numbers by another display meanwhile."""
    before = _in_use
    use(display)
    try:
        yield
    finally:
        use(before)


def fixed(value: float, unit: str, places: int, sign: bool = False) -> str:
    """A quantity with its unit and so many decimals, for a sentence: "1.250 s", "12.5°". sign : always, also +."""
    value, unit = _in_use.shown(value, unit)
    return _beside(f"{value:{'+' if sign else ''}.{places}f}", unit)


def plain(value: float, unit: str, digits: int = 6, sign: bool = False) -> str:
    """A quantity with its unit and no more digits than it has, for a sentence: "0.25 m"."""
    value, unit = _in_use.shown(value, unit)
    return _beside(f"{value:{'+' if sign else ''}.{digits}g}", unit)


def _beside(number: str, unit: str) -> str:
    """A number and its unit, with a space but before degrees."""
    return f"{number}{unit}" if unit.startswith("°") else f"{number} {unit}".rstrip()


def decimals(value: float, places: int) -> str:
    """`value` with so many decimals; 0 has no sign."""
    text = f"{value:.{places}f}"
    return text.lstrip("-") if float(text) == 0.0 else text


def settled(value: float, size: float, places: int = 3) -> float:
    """A reading beside others of `size`, without digits that mean nothing there: rounded to so many places behind the
    first digit of the size."""
    if not (math.isfinite(value) and math.isfinite(size)) or size <= 0.0:
        return value
    step = 10.0 ** (math.floor(math.log10(size)) - places)
    return round(value / step) * step


_FLOORS = {
    "m": 1e-4, "m/s": 1e-3, "m/s2": 1e-3, "m/s3": 0.01, "g": 1e-4, "°": 1e-3, "°/s": 1e-2, "rad": 1e-5, "rad/s": 1e-4,
    "N": 0.01, "N m": 0.01, "N s": 0.01, "J": 0.01, "W": 0.01, "s": 1e-4, "%": 0.01, "°/g": 1e-3, "m/s1.5": 1e-3,
    "": 1e-3,
}  # fmt: skip


def floor_of(unit: str) -> float:
    """The size below which a reading in that unit is noise of floats and says nothing about a craft; 0 for a unit that
    none is declared for. For what is shown: numbers that leave stay as they are."""
    return _FLOORS.get(unit, 0.0)


def above_floor(value: float, unit: str) -> float:
    """A reading for the screen: 0 where it is noise."""
    return 0.0 if abs(value) < floor_of(unit) else value


def told(value: float | None, unit: str, digits: int = 5) -> str:
    """A reading in a table of text: noise is 0, and — where there is none."""
    if value is None:
        return "—"
    value, _ = _in_use.shown(0.0 if abs(value) < floor_of(unit) else value, unit)
    return f"{value:.{digits}g}"


def number(value: float, unit: str, digits: int = 3) -> str:
    """A quantity without its unit, which stands beside: on an axis, or at the head of a column."""
    return significant(_in_use.shown(value, unit)[0], digits)


def tick(value: float, unit: str) -> str:
    """A round value on an axis, without its unit and with no more digits than it has: "5"."""
    return f"{_in_use.shown(value, unit)[0]:g}"


def bounds(low: float, high: float, unit: str, digits: int = 6) -> str:
    """Two ends of a range, with the unit: "0 to 12.5 m"."""
    return f"{_in_use.shown(low, unit)[0]:.{digits}g} to {plain(high, unit, digits)}"


def place(at: Sequence[float], unit: str = "m", places: int = 2) -> str:
    """A place or a vector in words, along the axes of the game: "x 0.20 y 0.00 z 1.30 m"."""
    shown = [_in_use.shown(float(value), unit) for value in _in_use.axes.vectors(np.array(at, dtype=np.float64))]
    told = " ".join(f"{letter} {decimals(value, places)}" for letter, (value, _) in zip("xyz", shown, strict=True))
    return f"{told} {shown[0][1]}".rstrip()


def as_json(value: float | None, unit: str) -> dict[str, float | str | None]:
    """A quantity as JSON, in the units in use: its value, None where there is none, and its unit."""
    shown, name = _in_use.shown(0.0 if value is None else value, unit)
    return {"value": None if value is None else shown, "unit": name}


def name_of(unit: str) -> str:
    """The unit in which quantities of a declared unit are shown: above a column of `told` numbers."""
    return _in_use.shown(0.0, unit)[1]


def reading(value: float, unit: str, digits: int = 3) -> tuple[str, str]:
    """`split` for what a run shows: noise is 0."""
    return split(above_floor(value, unit), unit, digits)


def split(value: float, unit: str, digits: int = 3) -> tuple[str, str]:
    """Number and unit apart, with a sensible prefix: (1310.0, "N") gives ("1.31", "kN")."""
    value, unit = _in_use.shown(value, unit)
    if abs(value) < 1e-9:
        value = 0.0  # what is left of a difference of floats
    if _in_use.prefixes and unit in _PREFIXED and abs(value) >= 1000.0:
        big, prefix = (value / 1e6, "M") if abs(value) >= 1e6 else (value / 1e3, "k")
        return significant(big, digits), prefix + unit
    if _in_use.prefixes and unit == "m" and 0.0 < abs(value) < 0.1:
        return significant(value * 100.0, digits), "cm"
    return significant(value, digits), pretty(unit)


@functools.lru_cache(maxsize=256)
def pretty(unit: str) -> str:
    """A unit as it is printed: "m/s2" becomes "m/s²"."""
    return _POWER.sub(lambda found: found[1] + {"2": "²", "3": "³"}.get(found[2], f"^{found[2]}"), unit)


def show(value: float, unit: str, digits: int = 3) -> str:
    """`value` with its unit as one text, a thin space between."""
    number, name = split(value, unit, digits)
    if not name:
        return number
    return f"{number}°" if name == "°" else f"{number}\u2009{name}"
