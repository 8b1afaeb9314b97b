"""Formulas inside the kernel: the record of one, its interpreter, and how a part asks for its value."""

from __future__ import annotations

import math

import numpy as np

from oak_sled.core.compiler.kernel import Address, compiled, unit
from oak_sled.core.compiler.types import FLOAT, Record
from oak_sled.core.formulas import code
from oak_sled.core.formulas.code import (
    ABS,
    ADD,
    AND,
    ATAN,
    ATAN2,
    CHOOSE,
    CLAMP,
    COS,
    DIVIDE,
    EQUAL,
    EXP,
    GIVEN,
    LEAST,
    LESS,
    LOG,
    MAX,
    MIN,
    MORE,
    MOST,
    MULTIPLY,
    NEGATE,
    NUMBER,
    OTHER,
    POWER,
    PUSH,
    SIN,
    SQRT,
    SUBTRACT,
    TABLE,
    TAN,
    WHOLE_POWER,
)  # fmt: skip

FORMULA = np.dtype(
    [
        ("at", "i8"),  # the address of what gives its value: a unit of its own, or `interpret`; 0: there is none
        ("count", "i8"),
        ("faults", "i8"),  # how often its value was no finite number
        ("given", "f8", (code.MOST_GIVEN,)),  # the quantities of its place
        ("numbers", "f8", (code.MOST_NUMBERS,)),  # those of the craft that it uses
        ("op", "i8", (code.MOST_STEPS,)),
        ("value", "f8", (code.MOST_STEPS,)),
        ("stack", "f8", (code.DEEPEST_STACK + 1,)),
        ("wrong", "f8", (code.MOST_GIVEN,)),  # the quantities when its value first was no finite number
    ]
)
LAW = Address((Record(FORMULA),), FLOAT)
"""law(formula): its value at the quantities in `given`."""


TAKES_ONE = tuple(int(code.TAKES[op] == 1) for op in range(code.DATA + 1))


@compiled
def value_of(formula):
    """The value of a formula at the quantities in `given`; 0, and a fault is counted, where it is no finite number."""
    found = LAW(formula.at, formula)
    if found - found == 0.0:
        return found
    if formula.faults == 0:
        for i in range(formula.given.shape[0]):
            formula.wrong[i] = formula.given[i]
    formula.faults += 1
    return 0.0


@compiled
def whole_power(base, exponent):
    """base to a whole exponent from -8 to 8 that is not 0, by multiplying one after the other."""
    made = base
    for _ in range(abs(exponent) - 1):
        made *= base
    return made if exponent > 0 else 1.0 / made


@compiled
def smoothstep(low, high, x):
    """0 up to `low`, 1 past `high`, and 3 t2 - 2 t3 between them (the cubic that is level at both ends)."""
    t = min(max((x - low) / (high - low), 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@compiled
def table_at(formula, first, knots, x):
    """The height at x of a table of knots whose numbers begin at step `first`: straight between, level beyond."""
    value = formula.value
    if x <= value[first]:
        return value[first + 1]
    for k in range(1, knots):
        place = first + 2 * k
        if x < value[place]:
            share = (x - value[place - 2]) / (value[place] - value[place - 2])
            return value[place - 1] + share * (value[place + 1] - value[place - 1])
    return value[first + 2 * knots - 1]


@compiled
def truth(test):
    """1 where it holds, else 0."""
    return 1.0 if test else 0.0


@compiled
def of_one(op, x):
    """The value of a step that takes one value and carries none."""
    if op == NEGATE:
        return -x
    if op == ABS:
        return abs(x)
    if op == SQRT:
        return math.sqrt(x)
    if op == EXP:
        return math.exp(x)
    if op == LOG:
        return math.log(x)
    if op == SIN:
        return math.sin(x)
    if op == COS:
        return math.cos(x)
    if op == TAN:
        return math.tan(x)
    if op == ATAN:
        return math.atan(x)
    return truth(x == 0.0)  # NOT


@compiled
def of_two(op, a, b):
    """The value of a step that takes two."""
    if op == ADD:
        return a + b
    if op == SUBTRACT:
        return a - b
    if op == MULTIPLY:
        return a * b
    if op == DIVIDE:
        return a / b
    if op == MIN:
        return min(a, b)
    if op == MAX:
        return max(a, b)
    if op == POWER:
        return a**b
    if op == ATAN2:
        return math.atan2(a, b)
    if op == LESS:
        return truth(a < b)
    if op == MOST:
        return truth(a <= b)
    if op == MORE:
        return truth(a > b)
    if op == LEAST:
        return truth(a >= b)
    if op == EQUAL:
        return truth(a == b)
    if op == OTHER:
        return truth(a != b)
    if op == AND:
        return truth(a != 0.0 and b != 0.0)
    return truth(a != 0.0 or b != 0.0)  # OR


@compiled
def of_three(op, a, b, c):
    """The value of a step that takes three."""
    if op == CHOOSE:
        return b if a != 0.0 else c
    if op == CLAMP:
        return max(b, min(a, c))
    return smoothstep(a, b, c)


@unit
def interpret(formula):
    """The value of a formula at the quantities in `given`, step by step."""
    stack = formula.stack
    top = 0  # values that wait below `x`, the last one
    x = 0.0
    i = 0
    while i < formula.count:
        op, value = formula.op[i], formula.value[i]
        i += 1
        if op <= NUMBER:
            stack[top] = x
            top += 1
            if op == PUSH:
                x = value
            elif op == GIVEN:
                x = formula.given[int(value)]
            else:
                x = formula.numbers[int(value)]
        elif op == ADD:
            top -= 1
            x = stack[top] + x
        elif op == SUBTRACT:
            top -= 1
            x = stack[top] - x
        elif op == MULTIPLY:
            top -= 1
            x = stack[top] * x
        elif op == DIVIDE:
            top -= 1
            x = stack[top] / x
        elif op == WHOLE_POWER:
            x = whole_power(x, int(value))
        elif op == TABLE:
            x = table_at(formula, i, int(value), x)
            i += 2 * int(value)
        elif op >= CHOOSE:
            top -= 2
            x = of_three(op, stack[top], stack[top + 1], x)
        elif TAKES_ONE[op] == 1:
            x = of_one(op, x)
        else:
            top -= 1
            x = of_two(op, stack[top], x)
    return x
