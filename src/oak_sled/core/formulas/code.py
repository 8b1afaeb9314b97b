"""A formula as steps of a stack machine: what the kernel interprets, and what its compiled unit is made of.

Both do the same operations in the same order, so that they agree to the bit. A power with a small whole exponent
multiplies, one with 0.5 is a root, and any other calls `pow`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from oak_sled.core.formulas.language import Formula, FormulaError, Node, constant

MOST_STEPS = 64
DEEPEST_STACK = 16
MOST_GIVEN, MOST_NUMBERS = 8, 12
"""Quantities that a place has, and numbers of the craft that a formula names."""
LARGEST_POWER = 8

(
    PUSH, GIVEN, NUMBER, ADD, SUBTRACT, MULTIPLY, DIVIDE, NEGATE, WHOLE_POWER, POWER, MIN, MAX, ABS, SQRT, EXP, LOG,
    SIN, COS, TAN, ATAN, ATAN2, LESS, MOST, MORE, LEAST, EQUAL, OTHER, AND, OR, NOT, CHOOSE, CLAMP, SMOOTHSTEP, TABLE,
    DATA,
) = range(35)  # fmt: skip
"""Operations of a step. WHOLE_POWER, PUSH and TABLE carry a number: the exponent, the value, the number of knots; the
knots of a table follow it as DATA, x before y."""

_OF_ONE = {"negate": NEGATE, "not": NOT, "abs": ABS, "sqrt": SQRT, "exp": EXP, "log": LOG, "sin": SIN, "cos": COS,
           "tan": TAN, "atan": ATAN}  # fmt: skip
_OF_TWO = {"+": ADD, "-": SUBTRACT, "*": MULTIPLY, "/": DIVIDE, "min": MIN, "max": MAX, "atan2": ATAN2, "<": LESS,
           "<=": MOST, ">": MORE, ">=": LEAST, "==": EQUAL, "!=": OTHER, "and": AND, "or": OR}  # fmt: skip
_OF_THREE = {"if": CHOOSE, "clamp": CLAMP, "smoothstep": SMOOTHSTEP}
TAKES = {
    **dict.fromkeys((PUSH, GIVEN, NUMBER, DATA), 0),
    **dict.fromkeys((*_OF_ONE.values(), WHOLE_POWER, TABLE), 1),
    **dict.fromkeys((*_OF_TWO.values(), POWER), 2),
    **dict.fromkeys(_OF_THREE.values(), 3),
}
"""Values that a step takes off the stack; all but DATA put one on it."""


@dataclass(frozen=True)
class Step:
    """One operation. value : what it carries, or the place of a quantity or a number. column : in the text."""

    op: int
    value: float
    column: int


@dataclass(frozen=True)
class Code:
    """A formula as steps. names : of the numbers of the craft that it uses, in the order of their places."""

    steps: tuple[Step, ...]
    names: tuple[str, ...]

    @property
    def shape(self) -> tuple[tuple[int, int], ...]:
        """The key of its compiled unit: the operations and what they point at, not the constants."""
        fixed = (GIVEN, NUMBER, WHOLE_POWER, TABLE)
        return tuple((one.op, int(one.value) if one.op in fixed else 0) for one in self.steps)


def code_of(formula: Formula, quantities: Sequence[str]) -> Code:
    """The steps of a formula; raises `FormulaError` for one that is too long. quantities : names in their order."""
    writer = _Writer(list(quantities))
    writer.write(formula.root)
    if len(writer.steps) > MOST_STEPS:
        raise FormulaError(1, f"it takes {len(writer.steps)} steps", f"at most {MOST_STEPS}")
    if writer.deepest > DEEPEST_STACK:
        raise FormulaError(1, "it is nested too deeply", f"at most {DEEPEST_STACK} values that wait for each other")
    if len(writer.names) > MOST_NUMBERS:
        raise FormulaError(1, f"it uses {len(writer.names)} numbers of the craft", f"at most {MOST_NUMBERS}")
    return Code(tuple(writer.steps), tuple(writer.names))


class _Writer:
    def __init__(self, quantities: list[str]):
        self.quantities = quantities
        self.names: list[str] = []
        self.steps: list[Step] = []
        self.waiting, self.deepest = 0, 0

    def step(self, op: int, column: int, value: float = 0.0) -> None:
        self.steps.append(Step(op, float(value), column))
        self.waiting += (op != DATA) - TAKES[op]
        self.deepest = max(self.deepest, self.waiting)

    def write(self, node: Node) -> None:
        what, column = node.what, node.column
        if what == "number":
            self.step(PUSH, column, node.value)
        elif what == "quantity":
            self.step(GIVEN, column, self.quantities.index(node.name))
        elif what == "named":
            if node.name not in self.names:
                self.names.append(node.name)
            self.step(NUMBER, column, self.names.index(node.name))
        elif what == "^":
            self.power(node)
        elif what == "table":
            self.write(node.items[0])
            self.step(TABLE, column, len(node.knots))
            for number in (one for knot in node.knots for one in knot):
                self.step(DATA, column, number)
        elif what in _OF_ONE:
            self.write(node.items[0])
            self.step(_OF_ONE[what], column)
        elif what in _OF_THREE:
            for one in node.items:
                self.write(one)
            self.step(_OF_THREE[what], column)
        else:  # of two, or of more of them one after the other
            self.write(node.items[0])
            for one in node.items[1:]:
                self.write(one)
                self.step(_OF_TWO[what], column)

    def power(self, node: Node) -> None:
        base, exponent = node.items
        self.write(base)
        try:
            value = constant(exponent)
        except ValueError:
            value = float("nan")
        if value == 0.5:
            self.step(SQRT, node.column)
        elif 0 < abs(value) <= LARGEST_POWER and value == round(value):
            self.step(WHOLE_POWER, node.column, value)
        else:
            self.write(exponent)
            self.step(POWER, node.column)


def values_of(code: Code, numbers: Mapping[str, float]) -> tuple[float, ...]:
    """The numbers of the craft that a formula uses, in the order of their places."""
    return tuple(numbers[name] for name in code.names)
