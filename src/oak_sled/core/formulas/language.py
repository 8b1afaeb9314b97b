"""The language of formulas: a text becomes a tree whose dimensions fit, or one clear error with its column.

    8 [kN/m] * (reach - gap) * (1 + 2 * ((reach - gap) / reach)^2)

Numbers may carry a unit in brackets; names are the quantities of the place where the formula stands, and the named
numbers of the craft. Operators are + - * / ^, comparisons (1 if they hold, else 0), and, or, not. Functions stand in
FUNCTIONS; `if(test, a, b)` chooses; `table(x, x1: y1, x2: y2, ...)` is straight between its knots, level beyond them.
Nothing a user types is ever evaluated as Python. docs/formulas.md is the page for users.

One file, since it is a recursive descent whose methods call each other.
"""

from __future__ import annotations

import contextlib
import difflib
import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import NoReturn

from oak_sled.core.base.faults import Refused
from oak_sled.core.formulas import dimensions
from oak_sled.core.formulas.dimensions import PLAIN, Dimension

LONGEST = 600
"""Characters of a formula."""
DEEPEST = 40
"""Brackets, signs and powers within each other."""
LARGEST_EXPONENT = 100
"""Of a quantity with a unit, and of any of its base units in a result."""

FUNCTIONS = {
    "min": (2, 8),
    "max": (2, 8),
    "abs": (1, 1),
    "sqrt": (1, 1),
    "exp": (1, 1),
    "log": (1, 1),
    "sin": (1, 1),
    "cos": (1, 1),
    "tan": (1, 1),
    "atan": (1, 1),
    "atan2": (2, 2),
    "clamp": (3, 3),
    "smoothstep": (3, 3),
    "if": (3, 3),
}
"""Name, and how many values it takes: least and most. Besides these there is `table`."""
SAYS = {
    "clamp": "clamp(x, least, most)",
    "smoothstep": "smoothstep(from, to, x): 0 up to `from`, 1 past `to`, smooth between",
    "if": "if(test, a, b)",
    "atan2": "atan2(y, x)",
    "table": "table(x, x1: y1, x2: y2, ...)",
}
_WORDS = {"and", "or", "not"}
_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)|(?P<name>[A-Za-z_]\w*)|(?P<unit>\[[^\]]*\])"
    r"|(?P<sign><=|>=|==|!=|[-+*/^(),:<>]))"
)
_COMPARED = ("<=", ">=", "==", "!=", "<", ">")


class FormulaError(ValueError):
    """An error in a formula. column : counted from 1. what, right : as in every fault."""

    def __init__(self, column: int, what: str, right: str):
        super().__init__(f"column {column}: {what} ({right})")
        self.column, self.what, self.right = column, what, right


@dataclass(frozen=True)
class Node:
    """A value in a formula.

    what : an operator, the name of a function, "number", "quantity", "named" (a number of the craft) or "table".
    column : where it begins in the text, counted from 1. dimension : None for a bare 0, which fits any.
    """

    what: str
    column: int
    dimension: Dimension | None
    items: tuple[Node, ...] = ()
    value: float = 0.0
    name: str = ""
    knots: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Formula:
    """A formula that was read. text : as it was typed."""

    text: str
    root: Node


def read(
    text: str, quantities: Mapping[str, str], numbers: Mapping[str, str], gives: str, what: str = "this law"
) -> Formula:
    """The formula in a text; raises `FormulaError`.

    quantities, numbers : unit of each name that may stand in it. gives : unit of the result. what : what it is the
    formula of, for the message.
    """
    if len(text) > LONGEST:
        raise FormulaError(LONGEST, f"it is {len(text)} characters long", f"at most {LONGEST}")
    try:
        root = _Reader(text, quantities, numbers).whole()
    except RecursionError:  # whoever calls may be deep in calls of its own
        raise FormulaError(1, "it is nested too deeply", f"at most {DEEPEST} levels within each other") from None
    wanted = dimensions.of_unit(gives)[1]
    if root.dimension is not None and root.dimension != wanted:
        found = dimensions.words(root.dimension)
        missing = dimensions.words(dimensions.times(wanted, root.dimension, -1))
        called = gives or "a plain number"
        raise FormulaError(1, f"it gives {found}, and {what} is {called}: it lacks a factor in {missing}", called)
    return Formula(text, root)


@dataclass
class _Token:
    kind: str
    text: str
    column: int


@dataclass
class _Reader:
    text: str
    quantities: Mapping[str, str]
    numbers: Mapping[str, str]
    tokens: list[_Token] = field(default_factory=list)
    place: int = 0
    depth: int = 0

    def __post_init__(self) -> None:
        at = 0
        body = self.text.rstrip()
        while at < len(body):
            match = _TOKEN.match(body, at)
            if match is None:
                at += len(body[at:]) - len(body[at:].lstrip())
                raise FormulaError(at + 1, f"{body[at]!r} means nothing here", "numbers, names, + - * / ^ and brackets")
            kind = str(match.lastgroup)
            self.tokens.append(_Token(kind, match[kind], match.start(kind) + 1))
            at = match.end()
        self.tokens.append(_Token("end", "", len(body) + 1))

    # tokens

    @property
    def next(self) -> _Token:
        return self.tokens[self.place]

    def take(self) -> _Token:
        token = self.next
        self.place += token.kind != "end"
        return token

    def takes(self, *signs: str) -> _Token | None:
        """The next token, if it is one of these."""
        return self.take() if self.next.text in signs and self.next.kind in ("sign", "name") else None

    def expect(self, sign: str, after: str) -> None:
        if self.takes(sign) is None:
            self.wrong(f"{self._shown()} stands where {sign!r} should, {after}", sign)

    def _shown(self) -> str:
        return repr(self.next.text) if self.next.kind != "end" else "the end"

    @contextlib.contextmanager
    def deeper(self, column: int) -> Iterator[None]:
        """Whatever stands within something counts as a level: all of it is read, and later written, by recursion."""
        self.depth += 1
        if self.depth > DEEPEST:
            self.wrong("it is nested too deeply", f"at most {DEEPEST} levels within each other", column)
        yield
        self.depth -= 1

    def wrong(self, what: str, right: str, column: int = 0) -> NoReturn:
        raise FormulaError(column or self.next.column, what, right)

    # from the loosest to the tightest

    def whole(self) -> Node:
        if self.next.kind == "end":
            self.wrong("nothing was typed", f"for example 8 [kN/m] * {next(iter(self.quantities), 'x')}")
        found = self.either()
        if self.next.kind == "unit":
            self.wrong(f"the unit {self.next.text} does not follow a number", "a unit right behind a number: 8 [kN/m]")
        if self.next.kind != "end":
            self.wrong(f"{self._shown()} stands where an operator should", "+ - * / ^ or a comparison")
        return found

    def either(self) -> Node:
        found = self.both()
        while (sign := self.takes("or")) is not None:
            found = self.truth("or", sign, found, self.both())
        return found

    def both(self) -> Node:
        found = self.compared()
        while (sign := self.takes("and")) is not None:
            found = self.truth("and", sign, found, self.compared())
        return found

    def truth(self, word: str, sign: _Token, *items: Node) -> Node:
        for one in items:
            self.plain(one, word)
        return Node(word, sign.column, PLAIN, items)

    def compared(self) -> Node:
        if (sign := self.takes("not")) is not None:
            with self.deeper(sign.column):
                return self.truth("not", sign, self.compared())
        found = self.total()
        if (sign := self.takes(*_COMPARED)) is not None:
            other = self.total()
            self.alike(sign.text, found, other)
            found = Node(sign.text, sign.column, PLAIN, (found, other))
            if self.next.text in _COMPARED:
                self.wrong("a comparison of a comparison", "two of them with `and` between")
        return found

    def total(self) -> Node:
        found = self.product()
        while (sign := self.takes("+", "-")) is not None:
            other = self.product()
            found = Node(sign.text, sign.column, self.alike(sign.text, found, other), (found, other))
        return found

    def product(self) -> Node:
        found = self.signed()
        while (sign := self.takes("*", "/")) is not None:
            other = self.signed()
            if sign.text == "/" and other.what == "number" and other.value == 0.0:
                self.wrong("it divides by 0", "a divisor that is not 0", other.column)
            power = 1 if sign.text == "*" else -1
            mixed: Dimension | None = None
            if found.dimension is not None:
                mixed = dimensions.times(found.dimension, other.dimension or PLAIN, power)
            found = Node(sign.text, sign.column, mixed, (found, other))
        return found

    def signed(self) -> Node:
        if (sign := self.takes("-")) is not None:
            with self.deeper(sign.column):
                inner = self.signed()
            return Node("negate", sign.column, inner.dimension, (inner,))
        self.takes("+")
        return self.power()

    def power(self) -> Node:
        base = self.atom()
        if (sign := self.takes("^")) is None:
            return base
        with self.deeper(sign.column):
            exponent = self.signed()
        if exponent.dimension not in (None, PLAIN):
            self.wrong(
                f"an exponent in {dimensions.words(exponent.dimension or PLAIN)}", "a plain number", exponent.column
            )
        value = self.exponent(exponent)
        if base.dimension in (None, PLAIN):
            return Node("^", sign.column, PLAIN, (base, exponent))
        if value is None:
            self.wrong(
                f"the power of {dimensions.words(base.dimension or PLAIN)} changes with the run",
                "a fixed exponent, or a base that is a plain number",
                sign.column,
            )
        share = Fraction(value).limit_denominator(24)
        made = dimensions.times(PLAIN, base.dimension or PLAIN, share)
        if max(abs(share), *(abs(one) for one in made)) > LARGEST_EXPONENT:
            self.wrong("the power of a quantity is too large", f"exponents up to {LARGEST_EXPONENT}", exponent.column)
        return Node("^", sign.column, made, (base, exponent))

    def exponent(self, node: Node) -> float | None:
        """The value of an exponent that is fixed, None where it changes with the run."""
        try:
            value = constant(node)
        except ValueError:
            return None
        if not math.isfinite(value):
            self.wrong("the exponent is no finite number", "a finite exponent", node.column)
        return value

    def atom(self) -> Node:
        token = self.take()
        if token.kind == "number":
            return self.number(token)
        if token.kind == "name":
            return self.named(token)
        if token.text == "(":
            with self.deeper(token.column):
                found = self.either()
            self.expect(")", f"for the bracket of column {token.column}")
            return found
        self.place -= token.kind != "end"
        return self.wrong(f"{self._shown()} stands where a value should", "a number, a name or a bracket", token.column)

    def number(self, token: _Token) -> Node:
        value, dimension = float(token.text), PLAIN
        if not math.isfinite(value):
            self.wrong(f"{token.text} is too large", "a number below 1e308", token.column)
        if self.next.kind == "unit":
            unit = self.take()
            try:
                factor, dimension = dimensions.of_unit(unit.text[1:-1])
            except Refused as refused:
                self.wrong(refused.faults[0].what, refused.faults[0].right, unit.column)
            value *= factor
            return Node("number", token.column, dimension, value=value)
        return Node("number", token.column, None if value == 0.0 else dimension, value=value)

    def named(self, token: _Token) -> Node:
        name = token.text
        if name in _WORDS:
            self.wrong(f"{name!r} stands where a value should", "a number, a name or a bracket", token.column)
        if name in self.quantities:
            return Node("quantity", token.column, dimensions.of_unit(self.quantities[name])[1], name=name)
        if name in self.numbers:
            return Node("named", token.column, dimensions.of_unit(self.numbers[name])[1], name=name)
        if name == "pi":
            return Node("number", token.column, PLAIN, value=math.pi)
        if name == "table":
            return self.table(token)
        if name in FUNCTIONS:
            return self.function(token)
        known = [*self.quantities, *self.numbers]
        near = difflib.get_close_matches(name, [*known, "pi", "table", *FUNCTIONS], 1)
        right = f"did you mean {near[0]}?" if near else f"known: {', '.join(known)}, pi, table and the functions"
        return self.wrong(f"{name!r} is not known here", right, token.column)

    # functions

    def values(self, token: _Token) -> list[Node]:
        self.expect("(", f"behind {token.text}")
        with self.deeper(token.column):
            found = [self.either()]
            while self.takes(",") is not None:
                found.append(self.either())
        self.expect(")", f"for the bracket of {token.text}")
        return found

    def function(self, token: _Token) -> Node:
        name = token.text
        items = self.values(token)
        least, most = FUNCTIONS[name]
        if not least <= len(items) <= most:
            wanted = f"{least}" if least == most else f"{least} to {most}"
            right = SAYS.get(name, f"{name}({', '.join('abcdefgh'[:least])})")
            self.wrong(f"{name} takes {wanted} values, not {len(items)}", right, token.column)
        return Node(name, token.column, self._dimension(name, items), tuple(items))

    def _dimension(self, name: str, items: list[Node]) -> Dimension | None:
        if name in ("exp", "log", "sin", "cos", "tan", "atan"):
            self.plain(items[0], name)
            return PLAIN
        if name == "abs":
            return items[0].dimension
        if name == "sqrt":
            return dimensions.times(PLAIN, items[0].dimension or PLAIN, Fraction(1, 2))
        if name == "if":
            self.plain(items[0], "the test of if")
            return self.alike(name, *items[1:])
        common = self.alike(name, *items)
        return PLAIN if name in ("atan2", "smoothstep") else common

    def table(self, token: _Token) -> Node:
        self.expect("(", "behind table")
        xs: list[Node] = []
        ys: list[Node] = []
        with self.deeper(token.column):
            over = self.either()
            while self.takes(",") is not None:
                xs.append(self.total())
                self.expect(":", "between the x and the y of a knot")
                ys.append(self.total())
        self.expect(")", "for the bracket of table")
        if len(xs) < 2:
            self.wrong(f"a table of {len(xs)} knots", f"two or more: {SAYS['table']}", token.column)
        self.alike("table", over, *xs)
        dimension = self.alike("table", *ys)
        knots = [(self.fixed(x), self.fixed(y)) for x, y in zip(xs, ys, strict=True)]
        for (before, _), (after, _), node in zip(knots, knots[1:], xs[1:], strict=False):
            if after <= before:
                self.wrong(f"a knot at {after:g} behind one at {before:g}", "knots in rising order", node.column)
        return Node("table", token.column, dimension, (over,), knots=tuple(knots))

    def fixed(self, node: Node) -> float:
        try:
            value = constant(node)
        except ValueError:
            return self.wrong("a knot that changes with the run", "numbers", node.column)
        if not math.isfinite(value):
            self.wrong("a knot that is no finite number", "finite numbers", node.column)
        return value

    # dimensions

    def plain(self, node: Node, who: str) -> None:
        if node.dimension not in (None, PLAIN):
            found = dimensions.words(node.dimension or PLAIN)
            self.wrong(f"{who} of {found}: it lacks a divisor in {found}", "a plain number", node.column)

    def alike(self, sign: str, *items: Node) -> Dimension | None:
        """The dimension that all of them have; a bare 0 has any."""
        first = next((one.dimension for one in items if one.dimension is not None), None)
        which = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth")
        for place, one in enumerate(items):
            if one.dimension is not None and first is not None and one.dimension != first:
                a, b = dimensions.words(first), dimensions.words(one.dimension)
                missing = dimensions.words(dimensions.times(first, one.dimension, -1))
                term = f"{which[min(place, 7)]} {'term' if sign in '+-' else 'value'}"
                said = f"{a} {sign} {b}" if len(sign) <= 2 and sign != "if" else f"{sign} of {a} and {b}"
                self.wrong(f"{said}: the {term} lacks a factor in {missing}", a, one.column)
        return first


def constant(node: Node) -> float:
    """The value of what is made of numbers alone; raises ValueError where something in it changes with the run."""
    if node.what == "number":
        return node.value
    values = [constant(one) for one in node.items]
    if node.what == "negate":
        return -values[0]
    if node.what in ("+", "-", "*", "/"):
        a, b = values
        if node.what == "/" and b == 0.0:
            raise ValueError("divides by 0")
        return a + b if node.what == "+" else a - b if node.what == "-" else a * b if node.what == "*" else a / b
    raise ValueError("not a constant")
